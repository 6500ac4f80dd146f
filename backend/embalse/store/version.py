"""Which state the farm's file is in: a number that changes with every commit, whoever made it."""

import sqlite3
import threading
from pathlib import Path
from urllib.parse import quote

from embalse.store.database import database

_lock = threading.Lock()
_watching: dict[str, tuple[tuple[int, int], sqlite3.Connection]] = {}


def file_version() -> tuple[str, int, int, int]:
    """State of the file that is open: its path, which file that is (a restored copy is another), and its commits.

    A connection that never writes looks: SQLite tells it of every commit of any other, in this process or another.
    """
    path = str(database.database)
    with _lock:
        here = Path(path).stat()
        identity = (here.st_dev, here.st_ino)
        known = _watching.get(path)
        if known is None or known[0] != identity:
            if known is not None:
                known[1].close()
            known = (identity, sqlite3.connect(f"file:{quote(path)}?mode=ro", uri=True, check_same_thread=False))
            _watching.clear()
            _watching[path] = known
        found = known[1].execute("PRAGMA data_version").fetchone()
        return path, *identity, int(found[0])
