import sqlite3
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


def test_a_write_during_a_long_import_is_told_to_wait(empty: Settings) -> None:
    other = sqlite3.connect(empty.database, isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    database.execute_sql("PRAGMA busy_timeout = 50")
    with pytest.raises(Conflict, match="try again when it is done"), transaction():
        Soil.create(key="x", name="X")
    other.execute("ROLLBACK")
    other.close()
    with transaction():
        Soil.create(key="x", name="X")
    assert Soil.select().count() == 1


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
