"""A farm's file from an earlier version, brought up to date: nothing lost, nothing left pointing nowhere."""

import contextlib
import shutil
import sqlite3
from pathlib import Path

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.advice.block_page import block_content
from embalse.store import farm as farm_store
from embalse.store import hours, keeping
from embalse.store.database import database, migrate, migration_scripts, open_database, schema_version
from embalse.store.models import Sensor
from tests.services.readings.test_faults import bring

BEFORE_PEOPLE = 5
TABLES = (
    "soil",
    "horizon",
    "system",
    "block",
    "station",
    "sensor",
    "calibration",
    "reading",
    "dawn",
    "fault",
    "import_job",
)


def rows_of(path: Path, table: str, columns: str) -> list[tuple[object, ...]]:
    with contextlib.closing(sqlite3.connect(path)) as connection:
        return connection.execute(f"SELECT {columns} FROM {table}").fetchall()


def columns_of(path: Path, table: str) -> str:
    with contextlib.closing(sqlite3.connect(path)) as connection:
        return ", ".join(row[1] for row in connection.execute(f"PRAGMA table_info({table})"))


@pytest.fixture
def old(farm: Settings, tmp_path: Path) -> Path:
    """The plain farm with three weeks of readings, in a file as version 5 wrote it."""
    bring(tmp_path / "a.csv")
    database.close()
    path = tmp_path / "old" / "embalse.db"
    path.parent.mkdir()
    migrate(path, migration_scripts()[:BEFORE_PEOPLE])
    with contextlib.closing(sqlite3.connect(path)) as connection, connection:
        connection.execute("ATTACH ? AS now", (str(farm.database),))
        for table in ("farm", *TABLES):
            shared = columns_of(path, table)
            connection.execute(f"INSERT INTO main.{table} ({shared}) SELECT {shared} FROM now.{table}")
    return path


def test_everything_is_there_after_each_step(old: Path) -> None:
    before = {table: rows_of(old, table, columns_of(old, table)) for table in TABLES}
    shared = {table: columns_of(old, table) for table in TABLES}
    scripts = migration_scripts()
    for count in range(BEFORE_PEOPLE + 1, len(scripts) + 1):
        copy = migrate(old, scripts[:count])
        assert copy is not None and schema_version(copy) == count - 1 and schema_version(old) == count
        with contextlib.closing(sqlite3.connect(old)) as connection:
            assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
            assert connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
        assert {table: rows_of(old, table, shared[table]) for table in TABLES} == before
    assert len(before["reading"]) == 3 * 481 and len(before["sensor"]) == 3


def test_the_command_line_fills_hourly_values_and_the_advice_is_the_same(old: Path, farm: Settings) -> None:
    open_database(farm.database)
    wanted, page = round_content(), block_content("one")
    database.close()
    told = CliRunner().invoke(main, ["advise", "--json"], env={"EMBALSE_DATA": str(old.parent)})
    assert told.exit_code == 0 and "brought up to date" in told.stderr
    assert round_content() == wanted
    assert block_content("one").stations == page.stations
    again = CliRunner().invoke(main, ["advise"], env={"EMBALSE_DATA": str(old.parent)})
    assert "brought up to date" not in again.stderr
    database.close()


def test_a_sensor_of_before_takes_a_companion_and_goes_with_it(old: Path) -> None:
    open_database(old)
    sensor = Sensor.get(key="30")
    assert (sensor.quantity, sensor.companion_of) == ("water", None)
    values = {"type": "temperature", "depth_cm": 30, "raw_unit": "degC", "quantity": "temperature"}
    farm_store.put(
        "sensor", {"station_id": sensor.station_id, "key": "30.temperature"}, {**values, "companion_of": sensor.id}
    )
    with pytest.raises(Exception, match="UNIQUE"):
        Sensor.create(station=sensor.station_id, key="other", type="capacitance probe", depth_cm=30, raw_unit="%")
    assert [s.key for s in farm_store.sensors()] == ["10", "30", "50"]
    assert keeping.check(old).troubles == ()
    hours.forget([sensor.id])
    database.execute_sql("DELETE FROM fault WHERE sensor_id = ?", (sensor.id,))
    database.execute_sql("DELETE FROM dawn WHERE sensor_id = ?", (sensor.id,))
    database.execute_sql("DELETE FROM reading WHERE sensor_id = ?", (sensor.id,))
    database.execute_sql("DELETE FROM sensor WHERE id = ?", (sensor.id,))
    assert Sensor.get_or_none(key="30.temperature") is None
    database.close()


def test_a_migration_that_is_cut_leaves_the_version_before(old: Path) -> None:
    whole = migration_scripts()
    broken = [*whole[:-1], (whole[-1][0], whole[-1][1] + "\nCREATE TABLE hours (again INTEGER);")]
    with pytest.raises(sqlite3.OperationalError):
        migrate(old, broken)
    assert schema_version(old) == whole[-1][0] - 1
    shutil.copy(old, old.with_suffix(".seen"))
    migrate(old)
    assert schema_version(old) == whole[-1][0]
    assert keeping.check(old).troubles == ()
