import sqlite3
import threading
from pathlib import Path

import pytest

from embalse.config import Settings, settings_from
from embalse.store.database import database, migrate, migration_scripts, open_database, schema_version, transaction
from embalse.store.errors import Conflict, NewerDatabase
from embalse.store.models import Soil

FIRST = migration_scripts()
NEXT = [*FIRST, (FIRST[-1][0] + 1, "ALTER TABLE soil ADD COLUMN colour TEXT;")]


def test_a_new_file_gets_the_newest_schema_and_no_copy(tmp_path: Path) -> None:
    path = tmp_path / "new.db"
    assert migrate(path) is None
    assert schema_version(path) == FIRST[-1][0]
    assert migrate(path) is None


def test_a_migration_keeps_the_data_and_copies_the_file_first(tmp_path: Path) -> None:
    path = tmp_path / "farm.db"
    migrate(path)
    with sqlite3.connect(path) as connection:
        connection.execute("INSERT INTO soil (key, name) VALUES ('a', 'A')")
    connection.close()
    copy = migrate(path, NEXT)
    assert copy is not None and schema_version(copy) == FIRST[-1][0]
    for file, columns in ((path, 4), (copy, 3)):
        connection = sqlite3.connect(file)
        rows = connection.execute("SELECT * FROM soil").fetchall()
        connection.close()
        assert len(rows) == 1 and len(rows[0]) == columns


def test_a_migration_that_fails_changes_nothing(tmp_path: Path) -> None:
    path = tmp_path / "farm.db"
    migrate(path)
    broken = [*FIRST, (FIRST[-1][0] + 1, "CREATE TABLE extra (id INTEGER); SELECT * FROM no_such_table;")]
    with pytest.raises(sqlite3.OperationalError):
        migrate(path, broken)
    assert schema_version(path) == FIRST[-1][0]
    connection = sqlite3.connect(path)
    names = {row[0] for row in connection.execute("SELECT name FROM sqlite_master")}
    connection.close()
    assert "extra" not in names


def test_a_newer_file_is_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "farm.db"
    migrate(path, NEXT)
    with pytest.raises(NewerDatabase):
        migrate(path)


def test_foreign_keys_and_wal_are_on(empty: Settings) -> None:
    assert database.execute_sql("PRAGMA foreign_keys").fetchone()[0] == 1
    assert database.execute_sql("PRAGMA journal_mode").fetchone()[0] == "wal"


def test_a_transaction_that_fails_leaves_nothing(empty: Settings) -> None:
    with pytest.raises(RuntimeError), transaction():
        Soil.create(key="x", name="X")
        raise RuntimeError
    assert Soil.select().count() == 0


def test_models_and_migrations_name_the_same_columns(empty: Settings) -> None:
    from embalse.store import models

    for table in models.Table.__subclasses__():
        stored = {row[1] for row in database.execute_sql(f"PRAGMA table_info({table._meta.table_name})")}
        assert stored == {field.column_name for field in table._meta.sorted_fields}, table.__name__


def test_opening_another_file_moves_the_models_there(tmp_path: Path) -> None:
    for name in ("a", "b"):
        open_database(tmp_path / f"{name}.db")
        Soil.create(key=name, name=name)
    assert [s.key for s in Soil.select()] == ["b"]
    database.close()


def test_settings_come_from_the_environment() -> None:
    found = settings_from({"EMBALSE_PORT": "9000", "EMBALSE_DATA": "somewhere", "HOME": "x"})
    assert (found.port, found.data, found.host) == (9000, "somewhere", "127.0.0.1")
    with pytest.raises(ValueError, match="EMBALSE_PORT"):
        settings_from({"EMBALSE_PORT": "ninety"})


class TestTurns:
    """Who writes while others do."""

    def test_one_that_waits_too_long_for_another_process_is_told_so(
        self, empty: Settings, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr("embalse.store.database.PATIENCE_S", 0.05)
        other = sqlite3.connect(empty.database, isolation_level=None)
        other.execute("BEGIN IMMEDIATE")
        with pytest.raises(Conflict, match="nothing was lost, try again"), transaction():
            Soil.create(key="x", name="X")
        other.execute("ROLLBACK")
        other.close()
        with transaction():
            Soil.create(key="x", name="X")
        assert Soil.select().count() == 1

    def test_one_that_waits_too_long_for_another_thread_is_told_so(
        self, empty: Settings, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr("embalse.store.database.PATIENCE_S", 0.05)
        said: list[BaseException] = []

        def write() -> None:
            try:
                with transaction():
                    Soil.create(key="x", name="X")
            except Conflict as refused:
                said.append(refused)

        with transaction():
            thread = threading.Thread(target=write)
            thread.start()
            thread.join()
        assert len(said) == 1 and Soil.select().count() == 0
        write()
        assert Soil.select().count() == 1

    def test_one_within_another_is_part_of_it(self, empty: Settings) -> None:
        with pytest.raises(ZeroDivisionError), transaction():
            with transaction():
                Soil.create(key="x", name="X")
            raise ZeroDivisionError
        assert Soil.select().count() == 0

    def test_the_file_waits_as_before_afterwards(self, empty: Settings) -> None:
        with transaction():
            Soil.create(key="x", name="X")
        assert database.execute_sql("PRAGMA busy_timeout").fetchone() == (10_000,)

    def test_a_short_pause_is_enough_for_another_process(self, empty: Settings) -> None:
        """Who writes without end but for pauses of ten milliseconds keeps nobody out for long."""
        held = sqlite3.connect(empty.database, isolation_level=None, check_same_thread=False)
        stop = threading.Event()

        def write_without_end() -> None:
            while not stop.is_set():
                held.execute("BEGIN IMMEDIATE")
                stop.wait(0.1)
                held.execute("ROLLBACK")
                stop.wait(0.01)

        thread = threading.Thread(target=write_without_end)
        thread.start()
        try:
            for number in range(5):
                with transaction():
                    Soil.create(key=f"x{number}", name="X")
        finally:
            stop.set()
            thread.join()
            held.close()
        assert Soil.select().count() == 5


def test_a_farm_of_the_first_schema_is_brought_up_whole(tmp_path: Path) -> None:
    path = tmp_path / "farm.db"
    migrate(path, FIRST[:1])
    with sqlite3.connect(path) as connection:
        connection.executescript(
            """INSERT INTO soil (id, key, name) VALUES (1, 'loam', 'loam');
            INSERT INTO system (id, key, name, kind, efficiency_fraction, rate_mm_h) VALUES (7, 'd', 'drip', 'drip', 0.9, 2);
            INSERT INTO block (id, key, name, area_ha, crop, soil_id, system_id, wetted_fraction)
              VALUES (1, 'one', 'One', 10, 'tomato', 1, 7, 0.5);"""
        )
    connection.close()
    assert migrate(path) is not None
    connection = sqlite3.connect(path)
    assert connection.execute("SELECT kind, rate_mm_h, pivot FROM system WHERE id = 7").fetchone() == (
        "drip",
        2.0,
        "null",
    )
    assert connection.execute("SELECT system_id, outline, crop_values FROM block").fetchone() == (7, "null", "{}")
    assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
    assert "REFERENCES system" in connection.execute("SELECT sql FROM sqlite_master WHERE name = 'block'").fetchone()[0]
    connection.close()
