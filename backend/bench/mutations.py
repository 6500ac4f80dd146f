"""How many small changes to the rules the tests catch: numbers, limits of comparisons, signs, and/or."""

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

from bench.timing import line

BACKEND = Path(__file__).resolve().parents[1]
ROOMS = {"advice": 60, "delivery": 40, "field": 40, "quality": 20}
"""Rooms of the core, and how many changes are tried in each; the same ones every time.

``EMBALSE_BENCH_ROOMS=field`` tries one room alone, ``EMBALSE_BENCH_SEED`` others of its changes.
"""
WORKERS = max(1, os.cpu_count() or 2)
PATIENCE_S = 240
COMPARED = {ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt}
COUNTED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}
JOINED = {ast.And: ast.Or, ast.Or: ast.And}


@dataclass(frozen=True)
class Change:
    """One change of a file: where, and the line before and after."""

    path: Path
    number: int
    before: str
    after: str
    source: str

    def words(self) -> str:
        """The change as a line to print."""
        return f"{self.path.relative_to(BACKEND)}:{self.number}: {self.before.strip()}  ->  {self.after.strip()}"


def main() -> None:
    """Print the share of changes caught by the room's own tests, and every change that was not."""
    folders: Queue[Path] = Queue()
    asked = os.environ.get("EMBALSE_BENCH_ROOMS", "").split() or list(ROOMS)
    rooms = {room: ROOMS[room] for room in asked}
    with tempfile.TemporaryDirectory() as place:
        for worker in range(WORKERS):
            folders.put(_copied(Path(place) / str(worker)))
        for room in rooms:  # or every change would look caught
            if not _passes(folders.queue[0], room):
                raise RuntimeError(f"the tests of core/{room} do not pass as they are")
        chosen = [(room, change) for room, count in rooms.items() for change in sample(room, count)]
        with ThreadPoolExecutor(WORKERS) as pool:
            caught = list(pool.map(lambda one: _caught(one[0], one[1], folders), chosen))
    for room in rooms:
        mine = [found for (name, _), found in zip(chosen, caught, strict=True) if name == room]
        line(f"changes caught in core/{room}, of {len(mine)}", f"{100 * sum(mine) / len(mine):.0f} %", "85 % or more")
    line(f"changes caught, of {len(caught)}", f"{100 * sum(caught) / len(caught):.0f} %", "85 % or more")
    for (_, change), found in zip(chosen, caught, strict=True):
        if not found:
            sys.stdout.write(f"  not caught: {change.words()}\n")


def sample(room: str, count: int) -> list[Change]:
    """Some of the changes possible in a room, the same ones every time."""
    every = [c for path in sorted((BACKEND / "embalse" / "core" / room).glob("*.py")) for c in changes(path)]
    return random.Random(room + os.environ.get("EMBALSE_BENCH_SEED", "")).sample(every, min(count, len(every)))


def changes(path: Path) -> Iterator[Change]:
    """Every change of one thing in a file."""
    text = path.read_text(encoding="utf-8")
    lines = text.splitlines()
    for node in ast.walk(ast.parse(text)):
        for new in _changed(node):
            begin, end = node.lineno - 1, node.end_lineno or node.lineno
            if begin != end - 1:
                continue
            row = lines[begin].encode()
            after = (row[: node.col_offset] + new.encode() + row[node.end_col_offset :]).decode()
            source = "\n".join([*lines[:begin], after, *lines[end:]]) + "\n"
            yield Change(path, begin + 1, lines[begin], after, source)


def _changed(node: ast.AST) -> Iterator[str]:
    if isinstance(node, ast.Constant) and type(node.value) in (int, float):
        yield repr(node.value + 1 if isinstance(node.value, int) else node.value * 1.1 or 0.1)
    elif isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in COMPARED:
        other = COMPARED[type(node.ops[0])]()
        yield ast.unparse(ast.Compare(node.left, [other], node.comparators))
    elif isinstance(node, ast.BinOp) and type(node.op) in COUNTED and not _of_text(node):
        yield f"({ast.unparse(ast.BinOp(node.left, COUNTED[type(node.op)](), node.right))})"
    elif isinstance(node, ast.BoolOp):
        yield f"({ast.unparse(ast.BoolOp(JOINED[type(node.op)](), node.values))})"


def _of_text(node: ast.BinOp) -> bool:
    return any(isinstance(n, ast.List | ast.Tuple | ast.JoinedStr | ast.ListComp) for n in (node.left, node.right))


def _copied(folder: Path) -> Path:
    for name in ("embalse", "tests", "bench"):
        shutil.copytree(BACKEND / name, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(BACKEND / "pyproject.toml", folder)
    return folder


def _passes(folder: Path, room: str) -> bool:
    """Whether the tests of a room pass in a folder: its own, its examples, the boundaries, situations and published."""
    command = [
        sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider",
        "tests/core/test_boundaries.py", f"tests/core/{room}", f"embalse/core/{room}",
        "tests/core/advice/test_situations.py", "tests/published",
    ]  # fmt: skip
    environment = {**os.environ, "PYTHONPATH": str(folder), "PYTHONDONTWRITEBYTECODE": "1"}
    return not subprocess.run(
        command, cwd=folder, env=environment, capture_output=True, timeout=PATIENCE_S, check=False
    ).returncode  # fmt: skip


def _caught(room: str, change: Change, folders: "Queue[Path]") -> bool:
    folder = folders.get()
    target = folder / change.path.relative_to(BACKEND)
    whole = target.read_text(encoding="utf-8")
    target.write_text(change.source, encoding="utf-8")
    try:
        return not _passes(folder, room)
    except subprocess.TimeoutExpired:
        return True
    finally:
        target.write_text(whole, encoding="utf-8")
        folders.put(folder)
