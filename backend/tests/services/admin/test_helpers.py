"""The server's own threads on a bad day: nothing ends them, they say so, and they say when it is well again."""

import errno
import sqlite3
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from embalse.config import Settings
from embalse.services import helpers
from embalse.services.admin import backup
from embalse.services.admin.backup import Schedule
from embalse.services.intake import drop_folder
from embalse.services.intake.drop_folder import DropFolder
from embalse.store import keeping
from embalse.store.database import Foreign, open_database
from embalse.store.errors import StoreError
from embalse.store.keeping import check

FULL = OSError(errno.ENOSPC, "No space left on device")


def until(true: Callable[[], bool], limit_s: float = 20.0) -> bool:
    end = time.monotonic() + limit_s
    while time.monotonic() < end:
        if true():
            return True
        time.sleep(0.01)
    return False


@pytest.fixture(autouse=True)
def nothing_before() -> Iterator[None]:
    for one in helpers.troubles():
        helpers.well(one.what)
    yield
    for one in helpers.troubles():
        helpers.well(one.what)


@pytest.mark.parametrize(
    ("trouble", "why"),
    [
        (FULL, "the disk is full"),
        (sqlite3.OperationalError("database or disk is full"), "the disk is full"),
        (sqlite3.OperationalError("disk I/O error"), "the disk cannot be written"),
        (PermissionError(errno.EACCES, "Permission denied", "/secret/place"), "the folder may not be written"),
        (FileNotFoundError(errno.ENOENT, "No such file or directory", "/secret/place"), "No such file or directory"),
        (ZeroDivisionError("/secret/place"), "an error inside; it is in the log"),
    ],
)
def test_why_in_words_without_a_path(trouble: Exception, why: str) -> None:
    assert helpers.why(trouble) == why


def test_since_when_is_kept_until_it_goes_well() -> None:
    helpers.failed("a", FULL)
    [first] = helpers.troubles()
    helpers.failed("a", ZeroDivisionError())
    helpers.failed("b", FULL)
    again = helpers.troubles()
    assert [t.what for t in again] == ["a", "b"] and again[0].since == first.since and again[0].why != first.why
    helpers.well("a")
    assert [t.what for t in helpers.troubles()] == ["b"]


def test_a_bad_file_does_not_end_the_drop_folder(
    farm: Settings, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    looked: list[int] = []

    def look(self: DropFolder) -> list[Path]:
        looked.append(1)
        if len(looked) < 3:
            raise ValueError("offset must be a timedelta strictly between")
        return []

    monkeypatch.setattr(DropFolder, "look", look)
    folder = DropFolder(tmp_path / "drop", every_s=0.01)
    folder.start()
    try:
        assert until(lambda: bool(helpers.troubles()) or len(looked) >= 3)
        assert until(lambda: len(looked) >= 4) and until(lambda: helpers.troubles() == [])
    finally:
        folder.stop()
    assert drop_folder.HELPER == "the drop folder"


def test_a_row_with_an_offset_beyond_the_day_is_refused_and_the_folder_goes_on(farm: Settings, tmp_path: Path) -> None:
    folder = DropFolder(tmp_path / "drop")
    folder.folder.mkdir()
    (folder.folder / "bad.csv").write_text("time,one-10\n2026-07-01T00:00:00+25:00,0.2\n")
    folder.look()
    [moved] = folder.look()
    assert moved.parent.name == "refused"
    assert folder.look() == []


def test_a_full_disk_does_not_end_the_copies(farm: Settings, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    tried: list[int] = []
    real = backup.backup_now

    def full(database: Path, folder: Path, keep: int) -> Path:
        tried.append(1)
        if len(tried) == 1:
            raise FULL
        return real(database, folder, keep)

    monkeypatch.setattr(backup, "backup_now", full)
    copies = tmp_path / "copies"
    schedule = Schedule(farm.database, copies, 0.02 / 3600, 3)
    schedule.start()
    try:
        assert until(lambda: bool(helpers.troubles()) or len(tried) > 1)
        assert until(lambda: copies.exists() and bool(list(copies.glob("embalse-*.db"))))
        assert until(lambda: helpers.troubles() == [])
    finally:
        schedule.stop()


def test_a_copy_that_fails_leaves_no_half_behind(
    farm: Settings, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(path: Path) -> keeping.CheckReport:
        raise FULL

    monkeypatch.setattr(keeping, "check", broken)
    with pytest.raises(OSError, match="space"):
        keeping.backup(farm.database, tmp_path / "c" / "copy.db")
    assert list((tmp_path / "c").iterdir()) == []


def test_a_copy_never_takes_the_place_of_the_database(farm: Settings) -> None:
    size = farm.database.stat().st_size
    with pytest.raises(StoreError, match="cannot take the place"):
        keeping.backup(farm.database, farm.database.parent / "." / farm.database.name)
    assert farm.database.stat().st_size == size


@pytest.mark.parametrize("name", ["copy #1.db", "what?.db", "50%.db"])
def test_a_copy_may_have_any_name(farm: Settings, tmp_path: Path, name: str) -> None:
    made = keeping.backup(farm.database, tmp_path / name)
    assert check(made).troubles == () and check(made).rows["farm"] == 1


def test_a_damaged_file_is_said_in_a_sentence(tmp_path: Path) -> None:
    path = tmp_path / "embalse.db"
    path.write_bytes(b"this is no database at all" * 100)
    with pytest.raises(Foreign, match="damaged, or no database"):
        open_database(path)
    assert path.read_bytes().startswith(b"this is no")


def test_a_database_of_another_program_is_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "embalse.db"
    with sqlite3.connect(path) as other:
        other.execute("CREATE TABLE songs (title TEXT)")
    other.close()
    with pytest.raises(Foreign, match="another program"):
        open_database(path)
    with sqlite3.connect(path) as after:
        names = [row[0] for row in after.execute("SELECT name FROM sqlite_master")]
    after.close()
    assert names == ["songs"]
