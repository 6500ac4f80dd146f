"""Uploaded files, kept until they are imported."""

import re
import secrets
import shutil
import time
from pathlib import Path
from typing import IO

from embalse.ingest.layout import FileRefused
from embalse.ingest.spreadsheet import as_table, is_spreadsheet, sheets
from embalse.store.errors import NotFound

KEEP_S = 2 * 86400
TOKEN = re.compile(r"^[0-9a-f]{16}$")


def keep_upload(folder: Path, stream: IO[bytes], name: str, sheet: str = "") -> tuple[str, list[str]]:
    """Write an uploaded stream to disk piece by piece; returns the token it is found by. Old uploads are dropped.

    Of a spreadsheet one sheet is kept, as a table; the names of its sheets are returned with the token.

    Raises
    ------
    FileRefused
        If it is a spreadsheet that cannot be read, or has no such sheet.
    """
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.iterdir():
        if old.stat().st_mtime < time.time() - KEEP_S:
            old.unlink(missing_ok=True)
    token = secrets.token_hex(8)
    safe = re.sub(r"[^A-Za-z0-9._ -]", "_", Path(name).name)[-80:] or "file"
    kept = folder / f"{token}__{safe}"
    with kept.open("wb") as target:
        shutil.copyfileobj(stream, target, 1 << 20)
    names: list[str] = []
    try:
        if is_spreadsheet(kept):
            names = sheets(kept)
            with as_table(kept, sheet) as table:
                table.replace(kept)
    except FileRefused:
        kept.unlink(missing_ok=True)
        raise
    return token, names


def as_text(stream: IO[bytes], folder: Path, sheet: str = "") -> tuple[str, list[str]]:
    """A table's text, and the sheets of the spreadsheet it is from; raises FileRefused, UnicodeDecodeError."""
    token, names = keep_upload(folder, stream, "table", sheet)
    path, _ = upload(folder, token)
    try:
        return path.read_text(encoding="utf-8-sig"), names
    finally:
        path.unlink(missing_ok=True)


def upload(folder: Path, token: str) -> tuple[Path, str]:
    """Path and name of an uploaded file; raises NotFound."""
    found = list(folder.glob(f"{token}__*")) if TOKEN.match(token) and folder.is_dir() else []
    if not found:
        raise NotFound("file", "this file is no longer here; choose it again")
    return found[0], found[0].name.split("__", 1)[1]
