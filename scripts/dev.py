#!/usr/bin/env python3
"""Set-up, demonstration, tests and benchmarks; standard library only, so that a fresh machine can run it.

Each step writes a stamp with the hash of what it was made from and is passed over while that hash stands.
"""

import fcntl
import hashlib
import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterable
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BACKEND, FRONTEND, BUILD = ROOT / "backend", ROOT / "frontend", ROOT / ".build"
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
EMBALSE = VENV / "bin" / "embalse"
GENERATED = (
    "docs/farm.schema.json",
    "docs/import-plan.schema.json",
    "docs/openapi.json",
    "frontend/src/api/schema.gen.ts",
    "frontend/src/lib/quantities.gen.ts",
    "frontend/src/words/es.gen.json",
    "frontend/src/words/xx.gen.json",
    "frontend/src/words/es.po",
    "backend/embalse/core/wording/languages/es.po",
    "backend/embalse/core/wording/languages/es.mo",
    "backend/embalse/core/wording/languages/xx.mo",
)


def run(*command: object, cwd: Path = ROOT, **environment: str) -> None:
    """Run a command; stop everything with its status when it fails."""
    words = [str(word) for word in command]
    done = subprocess.run(
        words, cwd=cwd, env={**os.environ, **environment}, check=False
    )
    if done.returncode:
        print(f"\nfailed: {' '.join(words)}", file=sys.stderr)
        sys.exit(done.returncode)


def digest(paths: Iterable[Path]) -> str:
    """One hash of the content of files and folders."""
    total = hashlib.sha256()
    for path in paths:
        files = (
            sorted(p for p in path.rglob("*") if p.is_file())
            if path.is_dir()
            else [path]
        )
        for file in files:
            total.update(str(file.relative_to(ROOT)).encode() + file.read_bytes())
    return total.hexdigest()


def step(
    name: str, made_from: Iterable[Path], there: Path, make: Callable[[], None]
) -> None:
    """Make something unless it is there and its sources have not changed; two runs at once wait for each other."""
    BUILD.mkdir(exist_ok=True)
    with (BUILD / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        stamp, wanted = BUILD / f"{name}.stamp", digest(made_from)
        if there.exists() and stamp.exists() and stamp.read_text() == wanted:
            return
        print(f"— {name}", flush=True)
        started = time.monotonic()
        make()
        stamp.write_text(wanted)
        print(f"  {name}: {time.monotonic() - started:.0f} s", flush=True)


def python(requirements: str) -> None:
    """The virtual environment with pinned, hash-checked packages and the project itself."""

    def make() -> None:
        if not PYTHON.exists():
            run(sys.executable, "-m", "venv", VENV)
        run(
            PYTHON,
            "-m",
            "pip",
            "install",
            "-q",
            "--disable-pip-version-check",
            "--require-hashes",
            "-r",
            requirements,
            cwd=BACKEND,
        )
        run(
            PYTHON,
            "-m",
            "pip",
            "install",
            "-q",
            "--disable-pip-version-check",
            "--no-deps",
            "--no-build-isolation",
            "-e",
            ".",
            cwd=BACKEND,
        )

    step(
        f"python-{Path(requirements).stem}",
        [BACKEND / requirements, BACKEND / "pyproject.toml"],
        EMBALSE,
        make,
    )


def node_modules() -> None:
    """Front-end packages from the lock file."""
    locks = [FRONTEND / "package.json", FRONTEND / "package-lock.json"]
    step(
        "front-end packages",
        locks,
        FRONTEND / "node_modules",
        lambda: run(
            "npm", "ci", "--no-audit", "--no-fund", "--loglevel=error", cwd=FRONTEND
        ),
    )


def front_end() -> None:
    """The built front end."""
    sources = [
        FRONTEND / name
        for name in (
            "src",
            "public",
            "index.html",
            "vite.config.ts",
            "package-lock.json",
        )
    ]
    step(
        "front end",
        sources,
        FRONTEND / "dist" / "index.html",
        lambda: run("npm", "run", "--silent", "build", cwd=FRONTEND),
    )


def programs(*wanted: str) -> None:
    """Programs of Debian's packages that the tests use: Chromium for the browser, strace for power cuts, a broker."""
    paths = f"{os.environ.get('PATH', '')}:/usr/sbin"  # where Debian has daemons
    missing = [name for name in wanted if not shutil.which(name, path=paths)]
    if not missing:
        return
    prefix = [] if os.geteuid() == 0 else ["sudo"]
    print(f"— {', '.join(missing)}", flush=True)
    run(*prefix, "apt-get", "update", "-qq")
    run(*prefix, "apt-get", "install", "-y", "-qq", "--no-install-recommends", *missing)


def demo() -> None:
    """Everything needed to see it, then the server."""
    python("requirements.txt")
    node_modules()
    front_end()
    data = os.environ.get("EMBALSE_DATA", str(ROOT / "var"))
    run(EMBALSE, "demo", EMBALSE_DATA=data)
    print("The data are kept; 'make reset-demo' makes them anew.", flush=True)
    os.execve(EMBALSE, [str(EMBALSE), "serve"], {**os.environ, "EMBALSE_DATA": data})


def reset_demo() -> None:
    """The demonstration's data made anew."""
    python("requirements.txt")
    run(
        EMBALSE,
        "demo",
        "--reset",
        EMBALSE_DATA=os.environ.get("EMBALSE_DATA", str(ROOT / "var")),
    )


def write_generated() -> None:
    """Schemas and types written from the code."""
    python("requirements-dev.txt")
    node_modules()
    run(EMBALSE, "schemas", ROOT / "docs")
    (ROOT / "docs" / "quantities.gen.ts").replace(
        FRONTEND / "src" / "lib" / "quantities.gen.ts"
    )
    run("npm", "run", "--silent", "gen:api", cwd=FRONTEND)
    run(PYTHON, ROOT / "scripts" / "catalogues.py")


def check_generated() -> None:
    """Refuse schemas and types that no longer follow from the code."""
    before = {name: (ROOT / name).read_bytes() for name in GENERATED}
    write_generated()
    stale = [
        name
        for name, content in before.items()
        if (ROOT / name).read_bytes() != content
    ]
    if stale:
        sys.exit(
            f"these no longer followed from the code and were written anew: {', '.join(stale)}"
        )


def test() -> None:
    """All checks and tests."""
    python("requirements-dev.txt")
    node_modules()
    front_end()
    programs("chromium", "strace", "mosquitto")
    tool = VENV / "bin"
    run(tool / "ruff", "check", ".", cwd=BACKEND)
    run(tool / "ruff", "format", "--check", "-q", ".", cwd=BACKEND)
    run(tool / "mypy", cwd=BACKEND)
    run(tool / "lint-imports", cwd=BACKEND)
    check_generated()
    run("npm", "run", "--silent", "types", cwd=FRONTEND)
    run("npm", "run", "--silent", "lint", cwd=FRONTEND)
    run("npm", "run", "--silent", "test", cwd=FRONTEND)
    run(
        PYTHON,
        "-m",
        "pytest",
        "-n",
        "2",
        "--dist",
        "loadgroup",
        *sys.argv[2:],
        cwd=BACKEND,
    )


def bench() -> None:
    """Benchmarks: figures, never pass or fail."""
    python("requirements-dev.txt")
    node_modules()
    front_end()
    run(PYTHON, "-m", "bench", cwd=BACKEND)


def screenshots() -> None:
    """Pictures of the main views from the demonstration."""
    python("requirements-dev.txt")
    node_modules()
    front_end()
    programs("chromium", "strace")
    run(PYTHON, ROOT / "scripts" / "screenshots.py")


def dev() -> None:
    """Both ends, each starting again when a file changes; the page is the one the front end's server names."""
    python("requirements-dev.txt")
    node_modules()
    data = os.environ.get("EMBALSE_DATA", str(ROOT / "var"))
    run(EMBALSE, "demo", EMBALSE_DATA=data)
    back = subprocess.Popen(
        [EMBALSE, "serve", "--reload"], env={**os.environ, "EMBALSE_DATA": data}
    )
    try:
        run("npm", "run", "dev", cwd=FRONTEND)
    except KeyboardInterrupt:
        pass
    finally:
        back.terminate()


def one() -> None:
    """One test file, folder or name: ``dev.py one PATH [WORDS]``; a path under frontend/ goes to the front end's tests."""
    path, words = (*sys.argv[2:], "", "")[:2]
    if path.startswith("frontend/"):
        node_modules()
        run(
            "npx",
            "vitest",
            "run",
            path.removeprefix("frontend/"),
            *(("-t", words) if words else ()),
            cwd=FRONTEND,
        )
        return
    python("requirements-dev.txt")
    run(
        PYTHON,
        "-m",
        "pytest",
        "-q",
        path.removeprefix("backend/"),
        *(("-k", words) if words else ()),
        cwd=BACKEND,
    )


def picture() -> None:
    """One page of the demonstration as ``picture.png``: ``dev.py picture block/norte-1``."""
    python("requirements-dev.txt")
    node_modules()
    front_end()
    programs("chromium", "strace")
    run(PYTHON, ROOT / "scripts" / "screenshots.py", *(sys.argv[2:] or [""]))


def wheel() -> None:
    """A wheel with the built front end in it, into ``dist/``: what is installed for good."""
    python("requirements-dev.txt")
    node_modules()
    front_end()
    build_wheel(ROOT / "dist")


def build_wheel(target: Path) -> None:
    """Build the wheel into a folder; the front end is in the package while it is built."""
    packed = BACKEND / "embalse" / "front_end"
    shutil.rmtree(packed, ignore_errors=True)
    shutil.copytree(FRONTEND / "dist", packed)
    try:
        run(
            PYTHON,
            "-m",
            "pip",
            "wheel",
            "-q",
            "--no-deps",
            "--no-build-isolation",
            "-w",
            target,
            ".",
            cwd=BACKEND,
        )
    finally:
        shutil.rmtree(packed, ignore_errors=True)
        shutil.rmtree(BACKEND / "build", ignore_errors=True)


TASKS = {
    "wheel": wheel,
    "dev": dev,
    "one": one,
    "picture": picture,
    "demo": demo,
    "reset-demo": reset_demo,
    "test": test,
    "bench": bench,
    "generated": write_generated,
    "screenshots": screenshots,
}

if __name__ == "__main__":
    if len(sys.argv) < 2 or sys.argv[1] not in TASKS:
        sys.exit(f"usage: dev.py {'|'.join(TASKS)}")
    TASKS[sys.argv[1]]()
