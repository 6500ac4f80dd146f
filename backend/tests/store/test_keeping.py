"""Copies, checks and restoring; and a program killed while it imports."""

import os
import random
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from bench import farms
from bench.kills import killed_while_sending
from bench.night_kills import a_night
from embalse.config import Settings
from embalse.services.admin.backup import Schedule, backup_now
from embalse.services.intake import telemetry
from embalse.store import keeping
from embalse.store.database import database, open_database
from embalse.store.errors import NotFound
from embalse.store.models import Reading, Soil


def count(path: Path, table: str) -> int:
    connection = sqlite3.connect(path)
    found = connection.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
    connection.close()
    return int(found)


def test_a_copy_is_whole_while_others_write(farm: Settings, tmp_path: Path) -> None:
    stop = threading.Event()

    def write() -> None:
        connection = sqlite3.connect(farm.database, timeout=30)
        number = 0
        while not stop.is_set():
            with connection:
                connection.execute("INSERT INTO soil (key, name) VALUES (?, 'x')", (f"w{number}",))
            number += 1
        connection.close()

    writer = threading.Thread(target=write)
    writer.start()
    try:
        for number in range(5):
            made = keeping.backup(farm.database, tmp_path / f"copy{number}.db")
            assert keeping.check(made).troubles == ()
    finally:
        stop.set()
        writer.join()
    assert not list(tmp_path.glob("*.part"))


def test_restoring_brings_back_what_was_and_keeps_what_is(farm: Settings, tmp_path: Path) -> None:
    copy = keeping.backup(farm.database, tmp_path / "copy.db")
    before = count(copy, "soil")
    Soil.create(key="later", name="later")
    keeping.restore(copy, farm.database, tmp_path / "aside.db")
    assert count(farm.database, "soil") == before
    assert count(tmp_path / "aside.db", "soil") == before + 1
    open_database(farm.database)
    assert Soil.get_or_none(key="later") is None


def test_what_is_wrong_is_named(farm: Settings, tmp_path: Path) -> None:
    copy = keeping.backup(farm.database, tmp_path / "copy.db")
    connection = sqlite3.connect(copy)
    connection.execute("INSERT INTO dawn (sensor_id, day, raw, count) VALUES (1, 5, 0.2, 1)")
    connection.execute("INSERT INTO station (block_id, key, name) VALUES (99, 'x', 'x')")
    connection.commit()
    connection.close()
    troubles = keeping.check(copy).troubles
    assert any("points to a block that is not there" in t for t in troubles)
    assert any("dawn values and no readings" in t for t in troubles)
    with pytest.raises(keeping.BrokenCopy):
        keeping.restore(copy, farm.database, tmp_path / "aside.db")
    junk = tmp_path / "junk.db"
    junk.write_bytes(b"SQLite format 3\0" + os.urandom(4000))
    with pytest.raises(keeping.BrokenCopy):
        keeping.check(junk)
    with pytest.raises(NotFound):
        keeping.check(tmp_path / "none.db")


def test_old_copies_go_and_the_schedule_takes_new_ones(farm: Settings, tmp_path: Path) -> None:
    folder = tmp_path / "copies"
    for day in range(1, 6):
        keeping.backup(farm.database, folder / f"embalse-2026010{day}-000000.db")
    backup_now(farm.database, folder, keep=3)
    names = sorted(p.name for p in folder.iterdir())
    assert len(names) == 3 and names[0] == "embalse-20260104-000000.db"
    schedule = Schedule(farm.database, tmp_path / "scheduled", every_h=0.00005, keep=2)
    schedule.start()
    for _ in range(100):
        if (tmp_path / "scheduled").exists() and list((tmp_path / "scheduled").glob("embalse-*.db")):
            break
        time.sleep(0.05)
    schedule.stop()
    assert list((tmp_path / "scheduled").glob("embalse-*.db"))


def test_killed_imports_leave_nothing_half_written(farm: Settings, tmp_path: Path) -> None:
    rows = 6000
    path = tmp_path / "long.csv"
    lines = [f"2026-{1 + n // 1440 // 28:02d}-{1 + n // 1440 % 28:02d} {n // 60 % 24:02d}:{n % 60:02d},"
             f"{0.2 + n % 7 * 0.001:.3f},{0.21 + n % 5 * 0.001:.3f},{0.22 + n % 3 * 0.001:.3f}" for n in range(rows)]  # fmt: skip
    path.write_text("time,one-10,one-30,one-50\n" + "\n".join(lines) + "\n")
    command = [sys.executable, "-m", "embalse", "import", str(path), "--time-zone", "UTC"]
    chance, stored = random.Random(7), set()
    for _ in range(6):
        running = subprocess.Popen(
            command, env={**os.environ, "EMBALSE_DATA": farm.data}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        time.sleep(chance.uniform(0.3, 1.4))
        running.send_signal(signal.SIGKILL)
        running.wait()
        stored.add(count(farm.database, "reading"))
    assert stored <= {0, 3 * rows}
    subprocess.run(command, env={**os.environ, "EMBALSE_DATA": farm.data}, check=True, stdout=subprocess.DEVNULL)
    assert count(farm.database, "reading") == 3 * rows
    found = [t for t in keeping.check(farm.database).troubles if "marked as running" not in t]
    assert found == [] and Reading.select().count() == 3 * rows


def test_a_server_killed_while_a_device_sends_loses_and_doubles_nothing(tmp_path: Path) -> None:
    farms.farm(tmp_path / "embalse.db", 1)
    token = telemetry.register("probe", "", [])
    database.close()
    report = killed_while_sending(tmp_path, token, kills=4)
    assert report.kills == 4 and report.acknowledged > 0
    assert (report.lost, report.doubled, report.cut, report.stale_rollups) == (0, 0, 0, 0)


def test_a_night_with_embalse_and_the_controller_killed_loses_doubles_and_leaves_open_nothing(tmp_path: Path) -> None:
    report = a_night(tmp_path, kills=3, box_kills=3, sets=3)
    assert report.kills == 3 == report.box_kills
    assert (report.done, report.lost, report.doubled) == (3, [], 0)
    assert (report.opened_twice, report.open_too_long) == (0, 0)
