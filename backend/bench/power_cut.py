"""Power cuts, replayed: what a disk holds when only what was flushed to it, or part of the rest, is there.

A child stores batches and says each that was acknowledged, while ``strace`` writes down every write and flush of the
database's files. For a cut after an acknowledgement the files are made again from what was flushed by then; of what was
written and not flushed, none, or a part by chance, torn at sectors of a disk.
"""

import os
import random
import re
import shutil
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from bench import farms
from bench.kills import BATCH, batches
from bench.timing import line
from embalse.api.telemetry import ReadingIn
from embalse.services.intake import telemetry
from embalse.services.readings import judging
from embalse.store.database import PRAGMAS, database, open_database

CALLS = "pwrite64,fsync,fdatasync,ftruncate,write"
LONGEST_WRITE = 1 << 20
SECTOR = 512
CUTS = 20
WITHIN = 0.2
"""How often a cut comes between two writes of a batch, as a share of them [-]."""
_CALL = re.compile(r"^(?:\d+ +)?(\w+)\((.*)\) += (\S+)")
_FILE = re.compile(r"^\d+<([^>]*)>")
_TEXT = re.compile(r'"((?:[^"\\]|\\.)*)"(\.\.\.)?')


@dataclass
class CutReport:
    """What cuts did: how many, batches acknowledged before them, readings lost, batches cut in two, damaged files."""

    cuts: int = 0
    acknowledged: int = 0
    lost: int = 0
    cut: int = 0
    damaged: int = 0


@dataclass
class Disk:
    """Files as they are on the disk for sure, with what was written to each and not flushed since."""

    sure: dict[str, bytearray] = field(default_factory=dict)
    loose: dict[str, list[tuple[int, bytes]]] = field(default_factory=dict)

    def write(self, path: str, offset: int, data: bytes) -> None:
        """A write that is not flushed yet."""
        self.loose.setdefault(path, []).append((offset, data))

    def flush(self, path: str) -> None:
        """Everything written to a file is on the disk."""
        self.sure[path] = _with(self.sure.get(path, bytearray()), self.loose.pop(path, []))

    def truncate(self, path: str, length: int) -> None:
        """A file is cut to a length [bytes]; taken to be on the disk at once, as the file system's own log has it."""
        self.flush(path)
        del self.sure[path][length:]

    def after_a_cut(self, chance: random.Random | None) -> dict[str, bytes]:
        """The files as they may be found: without anything loose, or with parts of it by chance, torn at sectors."""
        found = {}
        for path in {*self.sure, *self.loose}:
            kept = [] if chance is None else list(_torn(self.loose.get(path, []), chance))
            found[path] = bytes(_with(bytearray(self.sure.get(path, b"")), kept))
        return found


def _with(data: bytearray, writes: Sequence[tuple[int, bytes]]) -> bytearray:
    for offset, piece in writes:
        if len(data) < offset + len(piece):
            data.extend(bytes(offset + len(piece) - len(data)))
        data[offset : offset + len(piece)] = piece
    return data


def _torn(writes: Sequence[tuple[int, bytes]], chance: random.Random) -> Iterator[tuple[int, bytes]]:
    for offset, piece in writes:
        for start in range(0, len(piece), SECTOR):
            if chance.random() < 0.5:
                yield offset + start, piece[start : start + SECTOR]


def can_trace() -> bool:
    """Whether ``strace`` is there and allowed to watch a child."""
    if shutil.which("strace") is None:
        return False
    return subprocess.run(["strace", "-o", os.devnull, "true"], capture_output=True, check=False).returncode == 0


def cut_after_each(folder: Path, count: int, seed: int = 1, synchronous: str = "full") -> CutReport:
    """Store batches in a child, and look at what a power cut after each acknowledgement would have left.

    Each is looked at three times: with nothing that was not flushed, and with parts of it by chance. Other cuts come
    between the writes of a batch: it is there whole then, or not at all.
    """
    data, log = folder / "farm", folder / "trace.txt"
    data.mkdir()
    farms.farm(data / "embalse.db", 1)
    token = telemetry.register("bench", "", [])
    database.close()
    disk = Disk({str(path): bytearray(path.read_bytes()) for path in data.iterdir() if path.suffix != ".db-shm"})
    command = ["strace", "-f", "-y", "-xx", "-s", str(LONGEST_WRITE), "-e", f"trace={CALLS}", "-o", str(log)]
    child = [sys.executable, "-m", "bench.power_cut", str(data), token, str(count), synchronous]
    subprocess.run([*command, *child], check=True, stdout=subprocess.DEVNULL)
    return _replayed(disk, log, folder / "found", random.Random(seed))


def _replayed(disk: Disk, log: Path, found: Path, chance: random.Random) -> CutReport:
    report, to_send = CutReport(), batches(400)
    with log.open() as lines:
        for name, rest, result in _calls(lines):
            opened = _FILE.match(rest)
            if opened is None:
                continue
            path = _plain(opened[1])
            if name == "write" and _bytes(rest).startswith(b"acknowledged "):
                report.acknowledged += 1
                for drawn in (None, chance, chance):
                    report.cuts += 1
                    _look(disk.after_a_cut(drawn), found, to_send[: report.acknowledged], report)
            elif "embalse.db" not in path or path.endswith("-shm"):
                continue
            elif name == "pwrite64":
                disk.write(path, int(rest.rsplit(", ", 1)[1]), _bytes(rest)[: int(result)])
                if chance.random() < WITHIN:
                    report.cuts += 1
                    _look(disk.after_a_cut(chance), found, to_send[: report.acknowledged], report)
            elif name == "ftruncate":
                disk.truncate(path, int(rest.rsplit(", ", 1)[1]))
            elif name in ("fsync", "fdatasync"):
                disk.flush(path)
    return report


def _calls(lines: Iterator[str]) -> Iterator[tuple[str, str, str]]:
    """Calls with their arguments and results, one that another thread interrupted put together again."""
    begun: dict[str, str] = {}
    for text in lines:
        thread = text.split(maxsplit=1)[0]
        if text.rstrip().endswith("<unfinished ...>"):
            begun[thread] = text.rstrip().removesuffix("<unfinished ...>").rstrip()
            continue
        if "resumed>" in text and thread in begun:
            found = _CALL.match(begun.pop(thread) + text.split("resumed>", 1)[1])
        else:
            found = _CALL.match(text)
        if found is not None and found[3].lstrip("-").isdigit() and int(found[3]) >= 0:
            yield found[1], found[2], found[3]


def _plain(path: str) -> str:
    """A file's path as strace writes it, in hexadecimals or as it is."""
    return bytes.fromhex(path.replace("\\x", "")).decode() if path.startswith("\\x") else path


def _bytes(rest: str) -> bytes:
    text = _TEXT.search(rest)
    assert text is not None and not text[2], "a write longer than is looked at"
    return bytes.fromhex(text[1].replace("\\x", ""))


def _look(
    files: dict[str, bytes], folder: Path, sure: Sequence[Sequence[dict[str, object]]], report: CutReport
) -> None:
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    for path, data in files.items():
        (folder / Path(path).name).write_bytes(data)
    connection = sqlite3.connect(folder / "embalse.db")
    try:
        stored = dict(connection.execute("SELECT ts, raw FROM reading").fetchall())
        report.damaged += connection.execute("PRAGMA integrity_check").fetchone()[0] != "ok"
    except sqlite3.DatabaseError:
        report.damaged += 1
        return
    finally:
        connection.close()
    report.lost += sum(stored.get(row["at"]) != row["value"] for rows in sure for row in rows)
    report.cut += len(stored) % BATCH != 0


def _child(data: Path, token: str, count: int, synchronous: str) -> None:
    """Store batches one after another as the server does, saying each once it is acknowledged."""
    PRAGMAS["synchronous"] = synchronous
    open_database(data / "embalse.db")
    gateway = telemetry.gateway_of(token)
    judging.kept_up_by("nobody: readings are looked at later, as by the server's own thread")
    for number, batch in enumerate(batches(400)[:count]):
        said = telemetry.accept(gateway, [ReadingIn.model_validate(row) for row in batch])
        assert said.new + said.known == len(batch)
        os.write(1, f"acknowledged {number}\n".encode())
    os._exit(0)  # a cut leaves no time to close


def main() -> None:
    """Print what the cuts did."""
    with tempfile.TemporaryDirectory() as folder:
        report = cut_after_each(Path(folder), CUTS)
    told = f"{report.lost} lost, {report.cut} with a batch cut, {report.damaged} damaged"
    line(f"{report.cuts} power cuts replayed ({report.acknowledged} batches acknowledged)", told, "0, 0, 0")


if __name__ == "__main__":
    if len(sys.argv) > 1:
        _child(Path(sys.argv[1]), sys.argv[2], int(sys.argv[3]), sys.argv[4])
    else:
        main()
