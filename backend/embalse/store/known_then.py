"""The file as it was known at an instant: every change since is undone in temporary tables that hide the real ones.

Whatever reads inside :func:`as_known` reads as known then: a table changed since is hidden by a temporary copy of the
same name with the changes undone, newest first; readings that came later and faults found or decided later are hidden
by views, and rollups made anew without them lie over the kept ones. The real tables are not touched.
"""

import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Final

from embalse.store.database import connection, database
from embalse.store.undoing import TABLE_OF, undo_line

Span = tuple[int, int, int]
"""A sensor's id and a span [s, UTC]."""
ROLLUPS: Final = {"dawn": "sensor_id, day, raw, count", "hours": "sensor_id, day, raw"}
TABLES: Final = (
    "soil", "horizon", "system", "supply", "block", "station", "sensor", "calibration", "device_calibration",
    "placement", "device", "set_log", "rain", "eto", "record",
)  # fmt: skip

_known: ContextVar[int | None] = ContextVar("known", default=None)


@contextmanager
def as_known(at: int) -> Iterator[list[Span]]:
    """Everything read inside is as it was known at an instant [s, UTC].

    Gives the spans whose rollups are to be made anew inside, from the readings and faults known then. Before the
    instant from which on it is kept what was known (:func:`known_since`), and inside another, nothing is
    hidden.
    """
    if _known.get() is not None:
        yield []
        return
    token = _known.set(at)
    try:
        with connection():
            hidden: list[str] = []
            try:
                yield _hide(at, hidden) if _is_kept(at) else []
            finally:
                for name in reversed(hidden):
                    database.execute_sql(f"DROP {name}")
    finally:
        _known.reset(token)


@contextmanager
def all_known() -> Iterator[None]:
    """Everything read inside is as it is known today, whatever moment is asked about."""
    token = _known.set(_known.get() or 0)
    try:
        yield
    finally:
        _known.reset(token)


def known_since() -> int | None:
    """From when on what was known is kept [s, UTC]; None before there is a farm."""
    row = database.execute_sql("SELECT known_since FROM main.farm").fetchone()
    return None if row is None else row[0]


def _is_kept(at: int) -> bool:
    since = known_since()
    return since is not None and at >= since


def _hide(at: int, hidden: list[str]) -> list[Span]:
    changes = database.execute_sql(
        """SELECT of_table, row_id, what, before, after FROM main.change
           WHERE at > ? AND row_id IS NOT NULL ORDER BY at DESC, id DESC""",
        (at,),
    ).fetchall()
    for name in TABLES:
        mine = [row for row in changes if TABLE_OF.get(row[0], row[0]) == name]
        if mine:
            database.execute_sql(f"CREATE TEMP TABLE {name} AS SELECT * FROM main.{name}")
            hidden.append(f"TABLE temp.{name}")
            for _, row_id, what, before, after in mine:
                undo_line("temp", (name, row_id, what), json.loads(before), json.loads(after))
    _hide_faults(at, hidden)
    return _hide_readings(at, hidden)


def _hide_faults(at: int, hidden: list[str]) -> None:
    """Faults and suspicions of crossed wires that were found, or decided on, later."""
    database.execute_sql(
        f"""CREATE TEMP VIEW fault AS SELECT id, sensor_id, fault, start_at, MIN(end_at, {at}) AS end_at, known_at,
              readings, reason, CASE WHEN decided_at > {at} THEN '' ELSE verdict END AS verdict,
              CASE WHEN decided_at > {at} THEN '' ELSE note END AS note,
              CASE WHEN decided_at > {at} THEN '' ELSE who END AS who,
              CASE WHEN decided_at > {at} THEN NULL ELSE decided_at END AS decided_at, size
            FROM main.fault WHERE known_at <= {at}
            UNION ALL SELECT -id, sensor_id, fault, start_at, MIN(end_at, {at}), known_at, readings, reason, '', '', '',
              NULL, size FROM main.fault_gone WHERE known_at <= {at} AND gone_at > {at}"""
    )
    hidden.append("VIEW temp.fault")
    database.execute_sql(
        f"""CREATE TEMP VIEW suspicion AS SELECT id, station_id, upper, lower, against, wettings, words, last_at,
              found_at,
              CASE WHEN decided_at > {at} THEN '' ELSE verdict END AS verdict,
              CASE WHEN decided_at > {at} THEN '' ELSE note END AS note,
              CASE WHEN decided_at > {at} THEN '' ELSE who END AS who,
              CASE WHEN decided_at > {at} THEN NULL ELSE decided_at END AS decided_at
            FROM main.suspicion WHERE found_at <= {at}"""
    )
    hidden.append("VIEW temp.suspicion")


def _hide_readings(at: int, hidden: list[str]) -> list[Span]:
    """Readings of files read in later, and those that came late and had not come yet; returns what to make anew."""
    jobs = database.execute_sql(
        "SELECT id, first_at, last_at FROM main.import_job WHERE started_at > ? AND sha256 <> '' AND first_at <= ?",
        (at, at),
    ).fetchall()
    unknown = _late(at) + [span for job in jobs for span in _spans_of(job)]
    if unknown:
        database.execute_sql("CREATE TEMP TABLE unknown (sensor_id INTEGER, start_at INTEGER, end_at INTEGER)")
        hidden.append("TABLE temp.unknown")
        database.connection().executemany("INSERT INTO temp.unknown VALUES (?, ?, ?)", unknown)
        database.execute_sql("CREATE INDEX temp.unknown_sensor ON unknown (sensor_id, start_at)")
        database.execute_sql(
            """CREATE TEMP VIEW reading AS SELECT * FROM main.reading r WHERE NOT EXISTS (SELECT 1 FROM temp.unknown u
                WHERE u.sensor_id = r.sensor_id AND r.ts BETWEEN u.start_at AND u.end_at)"""
        )
        hidden.append("VIEW temp.reading")
    anew = unknown + _judged_later(at)
    if anew:
        for name, columns in ROLLUPS.items():
            _lay_over(name, columns, hidden)
    return [(sensor_id, start, min(end, at)) for sensor_id, start, end in anew]


def _lay_over(name: str, columns: str, hidden: list[str]) -> None:
    """A view of a rollup that can be written to: what is written lies over the real rows, which stay as they are."""
    values = ", ".join(f"NEW.{column}" for column in columns.split(", "))
    for text in (
        f"TABLE temp.{name}_gone (sensor_id INTEGER, day INTEGER, PRIMARY KEY (sensor_id, day)) WITHOUT ROWID",
        f"TABLE temp.{name}_then ({columns}, PRIMARY KEY (sensor_id, day)) WITHOUT ROWID",
        f"""VIEW temp.{name} AS SELECT {columns} FROM main.{name} r WHERE NOT EXISTS (SELECT 1 FROM temp.{name}_gone g
              WHERE g.sensor_id = r.sensor_id AND g.day = r.day) UNION ALL SELECT {columns} FROM temp.{name}_then""",
        f"""TRIGGER temp.{name}_out INSTEAD OF DELETE ON {name} BEGIN
              INSERT OR IGNORE INTO {name}_gone VALUES (OLD.sensor_id, OLD.day);
              DELETE FROM {name}_then WHERE sensor_id = OLD.sensor_id AND day = OLD.day; END""",
        f"""TRIGGER temp.{name}_in INSTEAD OF INSERT ON {name} BEGIN
              INSERT OR REPLACE INTO {name}_then ({columns}) VALUES ({values}); END""",
    ):
        database.execute_sql(f"CREATE {text}")
        hidden.append(" ".join(text.split()[:2]))


def _judged_later(at: int) -> list[Span]:
    """Spans of readings whose faults were found, decided on or still going on after an instant."""
    sql = """SELECT sensor_id, start_at, end_at FROM main.fault
             WHERE start_at <= ? AND (known_at > ? OR decided_at > ?) AND fault <> 'late'
             UNION ALL SELECT sensor_id, start_at, end_at FROM main.fault_gone WHERE start_at <= ? AND gone_at > ?"""
    return [(row[0], row[1], row[2]) for row in database.execute_sql(sql, (at, at, at, at, at))]


def _late(at: int) -> list[Span]:
    sql = "SELECT sensor_id, start_at, end_at FROM main.fault WHERE fault = 'late' AND known_at > ? AND start_at <= ?"
    return [(row[0], row[1], row[2]) for row in database.execute_sql(sql, (at, at))]


def _spans_of(job: Sequence[int]) -> list[Span]:
    job_id, first, last = job
    sql = """SELECT s.id, min(r.ts), max(r.ts) FROM main.sensor s CROSS JOIN main.reading r ON r.sensor_id = s.id
             AND r.ts BETWEEN ? AND ? WHERE r.job_id = ? GROUP BY s.id"""
    return [(row[0], row[1], row[2]) for row in database.execute_sql(sql, (first, last, job_id))]
