"""Uploaded files, kept until they are imported."""

import re
import secrets
import shutil
import time
from pathlib import Path
from typing import IO

from embalse.store.errors import NotFound

KEEP_S = 2 * 86400
TOKEN = re.compile(r"^[0-9a-f]{16}$")


def keep_upload(folder: Path, stream: IO[bytes], name: str) -> str:
    """Write an uploaded stream to disk piece by piece; returns the token it is found by. Old uploads are dropped."""
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.iterdir():
        if old.stat().st_mtime < time.time() - KEEP_S:
            old.unlink(missing_ok=True)
    token = secrets.token_hex(8)
    safe = re.sub(r"[^A-Za-z0-9._ -]", "_", Path(name).name)[-80:] or "file"
    with (folder / f"{token}__{safe}").open("wb") as target:
        shutil.copyfileobj(stream, target, 1 << 20)
    return token


def upload(folder: Path, token: str) -> tuple[Path, str]:
    """Path and name of an uploaded file; raises NotFound."""
    found = list(folder.glob(f"{token}__*")) if TOKEN.match(token) and folder.is_dir() else []
    if not found:
        raise NotFound("file", "this file is no longer here; choose it again")
    return found[0], found[0].name.split("__", 1)[1]
