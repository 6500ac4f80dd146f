"""Files dropped into a folder: read when whole, moved, refused with reasons, nothing lost."""

import time
from collections.abc import Callable
from pathlib import Path

import pytest

from embalse.config import Settings
from embalse.ingest.layout import inspect_file
from embalse.services.intake.drop_folder import DropFolder
from embalse.services.intake.import_plan import signature
from embalse.store import imports as import_store
from embalse.store.models import Reading
from tests.services.intake.test_imports import PLAN, edited

Writer = Callable[..., Path]


@pytest.fixture
def dropped(farm: Settings, logger_file: Writer, tmp_path: Path) -> tuple[DropFolder, Path]:
    """A drop folder that holds a logger's file, of a kind that is remembered."""
    folder = tmp_path / "drop"
    folder.mkdir()
    path = logger_file().rename(folder / "one.csv")
    import_store.save_profile("one", signature(inspect_file(path)), PLAN.model_dump(mode="json"))
    return DropFolder(folder), path


def test_a_file_is_read_once_it_has_stopped_growing(dropped: tuple[DropFolder, Path]) -> None:
    drop, path = dropped
    assert drop.look() == []
    whole = path.read_text()
    path.write_text(whole[:-40])
    assert drop.look() == [] and Reading.select().count() == 0
    path.write_text(whole)
    assert drop.look() == []
    (moved,) = drop.look()
    assert moved.parent.name == "done" and moved.read_text() == whole and not path.exists()
    assert Reading.select().count() == 723


def test_a_refused_file_is_kept_with_its_reasons_and_stores_nothing(dropped: tuple[DropFolder, Path]) -> None:
    drop, path = dropped
    edited(path, 9, "2026-07-04 14:00,damp,0.27,0.27")
    drop.look()
    (moved,) = drop.look()
    assert moved.parent.name == "refused" and "damp" in moved.read_text()
    assert "line 9, one-10" in moved.with_name(moved.name + ".txt").read_text()
    assert Reading.select().count() == 0


def test_a_kind_nobody_mapped_is_refused(dropped: tuple[DropFolder, Path]) -> None:
    drop, path = dropped
    path.write_text(path.read_text().replace("one-10", "unknown"))
    letter = path.with_name("letter.txt")
    letter.write_text("Dear all,\nno readings here.\n")
    drop.look()
    moved = drop.look()
    reasons = [m.with_name(m.name + ".txt").read_text() for m in moved]
    assert len(moved) == 2 and all(m.parent.name == "refused" for m in moved)
    assert any("no way of reading files of this kind is remembered" in r for r in reasons)


def test_a_file_read_but_not_moved_is_read_again_without_harm(dropped: tuple[DropFolder, Path]) -> None:
    drop, path = dropped
    whole = path.read_text()
    drop.look()
    drop.look()
    path.write_text(whole)
    drop.look()
    assert drop.look()[0].parent.name == "done" and Reading.select().count() == 723


def test_it_looks_by_itself_until_stopped(dropped: tuple[DropFolder, Path]) -> None:
    found, path = dropped
    drop = DropFolder(found.folder, every_s=0.02)
    drop.start()
    for _ in range(200):
        if not path.exists():
            break
        time.sleep(0.02)
    drop.stop()
    assert not path.exists() and Reading.select().count() == 723
    path.write_text("later")
    time.sleep(0.1)
    assert path.exists()
