"""Readings: bulk reads and writes, and the dawn values kept beside them."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from itertools import chain, pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from embalse.store.database import database
from embalse.store.rows import SetRow

LATEST_WINDOW_S = 3 * 3600

LAST_LOOKED_AT = """CASE WHEN u.sensor_id IS NULL THEN (SELECT max(ts) FROM reading WHERE sensor_id = s.id AND ts <= ?)
    ELSE COALESCE((SELECT max(ts) FROM reading WHERE sensor_id = s.id AND ts > u.end_at AND ts <= ?),
                  (SELECT max(ts) FROM reading WHERE sensor_id = s.id AND ts <= min(u.start_at - 1, ?))) END"""
"""Instant of a sensor's last reading that does not wait to be looked at; each ? is the moment asked about."""

# CROSS JOIN holds SQLite to the written order: the few sensors first, then a search by key in the long table.
# Left to choose, it scans the long table.

Reading = tuple[int, int, float, int]
"""Sensor id, instant [s, UTC], raw value, import job id."""


def insert_new(rows: Sequence[Reading]) -> int:
    """Insert readings that are not stored yet; returns how many were new."""
    connection = database.connection()
    before: int = connection.total_changes
    connection.executemany("INSERT OR IGNORE INTO reading (sensor_id, ts, raw, job_id) VALUES (?, ?, ?, ?)", rows)
    return int(connection.total_changes - before)


def stored_values(rows: Sequence[Reading]) -> dict[tuple[int, int], tuple[float, int]]:
    """Raw value and job id stored at the sensor and instant of each of these readings."""
    cursor = database.connection().cursor()
    found = {}
    for sensor_id, ts, _, _ in rows:
        cursor.execute("SELECT raw, job_id FROM reading WHERE sensor_id = ? AND ts = ?", (sensor_id, ts))
        row = cursor.fetchone()
        if row is not None:
            found[(sensor_id, ts)] = (row[0], row[1])
    return found


def between(sensor_id: int, start: int, end: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Instants [s, UTC] and raw values of a sensor from ``start`` to ``end``, both included."""
    sql = "SELECT ts, raw FROM reading WHERE sensor_id = ? AND ts BETWEEN ? AND ? ORDER BY ts"
    rows = database.execute_sql(sql, (sensor_id, start, end))
    # one flat run of floats is read twice as fast as a row at a time; instants are whole and far below 2^53
    flat = np.fromiter(chain.from_iterable(rows), dtype=np.float64)
    return flat[0::2].astype(np.int64), np.ascontiguousarray(flat[1::2])


class Latest(NamedTuple):
    """The newest readings of a sensor: the last one's instant [s, UTC]; median, last, lowest, highest of 3 hours."""

    at: int
    raw: float
    last: float
    low: float
    high: float


def latest(block_id: int | None, now: int) -> dict[int, Latest]:
    """The newest instant and the raw values of the three hours up to it, by sensor, not after ``now``.

    Readings that were not looked at yet are left out.
    """
    only, parameters = _only(block_id)
    sql = f"""SELECT r.sensor_id, r.ts, r.raw FROM
        (SELECT s.id, {LAST_LOOKED_AT} AS last FROM sensor s LEFT JOIN unjudged u ON u.sensor_id = s.id {only}) l
        CROSS JOIN reading r ON r.sensor_id = l.id AND r.ts <= l.last AND r.ts > l.last - {LATEST_WINDOW_S}"""
    values: dict[int, list[float]] = defaultdict(list)
    newest: dict[int, tuple[int, float]] = {}
    for sensor_id, ts, raw in database.execute_sql(sql, (now, now, now, *parameters)):
        values[sensor_id].append(raw)
        newest[sensor_id] = max((ts, raw), newest.get(sensor_id, (ts, raw)))
    return {n: Latest(newest[n][0], _median(raws), newest[n][1], min(raws), max(raws)) for n, raws in values.items()}


def before_latest(block_id: int, now: int) -> dict[int, float]:
    """Median raw value of the three hours before those of :func:`latest`, by sensor of a block; left out where none."""
    sql = f"""SELECT r.sensor_id, r.raw FROM
        (SELECT s.id, {LAST_LOOKED_AT} AS last FROM sensor s LEFT JOIN unjudged u ON u.sensor_id = s.id
         JOIN station t ON t.id = s.station_id AND t.block_id = ?) l
        CROSS JOIN reading r ON r.sensor_id = l.id AND r.ts <= l.last - {LATEST_WINDOW_S}
          AND r.ts > l.last - {2 * LATEST_WINDOW_S}"""
    values: dict[int, list[float]] = defaultdict(list)
    for sensor_id, raw in database.execute_sql(sql, (now, now, now, block_id)):
        values[sensor_id].append(raw)
    return {sensor_id: _median(raws) for sensor_id, raws in values.items()}


def _median(values: list[float]) -> float:
    ordered = sorted(values)
    middle = len(ordered) // 2
    return ordered[middle] if len(ordered) % 2 else (ordered[middle - 1] + ordered[middle]) / 2


def _only(block_id: int | None) -> tuple[str, list[int]]:
    if block_id is None:
        return "", []
    return "JOIN station t ON t.id = s.station_id AND t.block_id = ?", [block_id]


def dawns(
    block_id: int | None, first_day: int, last_day: int
) -> dict[int, tuple[NDArray[np.int64], NDArray[np.float64]]]:
    """Days and dawn values (raw) of each sensor from the first to the last day number, both included."""
    only, parameters = _only(block_id)
    sql = f"""SELECT d.sensor_id, d.day, d.raw FROM sensor s {only}
        CROSS JOIN dawn d ON d.sensor_id = s.id AND d.day BETWEEN ? AND ?"""
    rows = database.execute_sql(sql, (*parameters, first_day, last_day))
    table = np.fromiter(rows, dtype=[("id", np.int64), ("day", np.int64), ("raw", np.float64)])
    if not len(table):
        return {}
    ids, days, values = (np.ascontiguousarray(table[name]) for name in ("id", "day", "raw"))
    edges = [0, *(np.flatnonzero(np.diff(ids)) + 1).tolist(), len(ids)]
    return {int(ids[low]): (days[low:high], values[low:high]) for low, high in pairwise(edges)}


def take_out(job_id: int) -> dict[int, tuple[int, int, int]]:
    """Delete the readings an import stored; returns first and last instant [s, UTC] and count, by sensor."""
    sql = "SELECT sensor_id, min(ts), max(ts), count(*) FROM reading WHERE job_id = ? GROUP BY sensor_id"
    found = {row[0]: (row[1], row[2], row[3]) for row in database.execute_sql(sql, (job_id,))}
    database.execute_sql("DELETE FROM reading WHERE job_id = ?", (job_id,))
    return found


def sensor_ids() -> list[int]:
    """Ids of all sensors."""
    return [row[0] for row in database.execute_sql("SELECT id FROM sensor")]


def span(sensor_id: int) -> tuple[int, int] | None:
    """First and last instant [s, UTC] of a sensor's readings, None when it has none."""
    sql = "SELECT min(ts), max(ts) FROM reading WHERE sensor_id = ?"
    row = database.execute_sql(sql, (sensor_id,)).fetchone()
    return None if row[0] is None else (row[0], row[1])


def count(sensor_id: int, start: int, end: int) -> int:
    """How many readings a sensor has from ``start`` to ``end`` [s, UTC], both included."""
    sql = "SELECT count(*) FROM reading WHERE sensor_id = ? AND ts BETWEEN ? AND ?"
    return int(database.execute_sql(sql, (sensor_id, start, end)).fetchone()[0])


def instant_after(sensor_id: int, start: int, number: int) -> int | None:
    """Instant [s, UTC] of a sensor's reading with ``number`` others between ``start`` and it; None past the last."""
    sql = "SELECT ts FROM reading WHERE sensor_id = ? AND ts >= ? ORDER BY ts LIMIT 1 OFFSET ?"
    row = database.execute_sql(sql, (sensor_id, start, number)).fetchone()
    return None if row is None else int(row[0])


def first_reading() -> int | None:
    """Instant [s, UTC] of the oldest reading of the farm."""
    row = database.execute_sql(
        "SELECT min(first) FROM (SELECT (SELECT min(ts) FROM reading WHERE sensor_id = s.id) AS first FROM sensor s)"
    ).fetchone()
    return None if row is None else row[0]


def replace_dawns(rows: Iterable[tuple[int, int, float, int]]) -> None:
    """Write dawn values: sensor id, day number, raw median, count."""
    sql = "INSERT OR REPLACE INTO dawn (sensor_id, day, raw, count) VALUES (?, ?, ?, ?)"
    database.connection().executemany(sql, rows)


def forget_dawns(sensor_id: int, first_day: int, last_day: int) -> None:
    """Forget a sensor's dawn values between two day numbers, both included, before they are made anew."""
    sql = "DELETE FROM dawn WHERE sensor_id = ? AND day BETWEEN ? AND ?"
    database.execute_sql(sql, (sensor_id, first_day, last_day))


def clear_dawns() -> None:
    """Forget all dawn values, before they are made anew."""
    database.execute_sql("DELETE FROM dawn")


def sets(block_key: str | None, start: int, end: int) -> list[SetRow]:
    """Sets of a block, or of all, that start from ``start`` to ``end`` [s, UTC], oldest first."""
    only, parameters = ("AND b.key = ?", [block_key]) if block_key else ("", [])
    sql = f"""SELECT b.key, l.start_at, l.end_at, l.gross_mm, l.note FROM set_log l JOIN block b ON b.id = l.block_id
        WHERE l.start_at BETWEEN ? AND ? AND l.deleted_at IS NULL {only} ORDER BY l.start_at"""
    return [SetRow(*row) for row in database.execute_sql(sql, (start, end, *parameters))]


def rain_with_notes(first_day: int, last_day: int) -> list[tuple[int, float, str]]:
    """Day numbers, depths [mm] and notes of rain."""
    sql = "SELECT day, depth_mm, note FROM rain WHERE day BETWEEN ? AND ? AND deleted_at IS NULL ORDER BY day"
    return [tuple(row) for row in database.execute_sql(sql, (first_day, last_day))]


def exchange(one: int, other: int, since: int) -> int:
    """Give each of two sensors the readings of the other from ``since`` [s, UTC] on; returns how many were moved.

    The raw values stay as received: only whose they are changes.
    """
    connection = database.connection()
    connection.execute("CREATE TEMP TABLE moving AS SELECT * FROM reading WHERE sensor_id IN (?, ?) AND ts >= ?",
                       (one, other, since))  # fmt: skip
    connection.execute("DELETE FROM reading WHERE sensor_id IN (?, ?) AND ts >= ?", (one, other, since))
    moved = connection.execute(
        """INSERT INTO reading (sensor_id, ts, raw, job_id)
           SELECT CASE sensor_id WHEN ? THEN ? ELSE ? END, ts, raw, job_id FROM moving""",
        (one, other, one),
    ).rowcount
    connection.execute("DROP TABLE moving")
    connection.execute("DELETE FROM dawn WHERE sensor_id IN (?, ?)", (one, other))
    return int(moved)


def last_reading_at(sensor_ids: Sequence[int]) -> dict[int, int]:
    """Instant of the latest reading by sensor [s, UTC]."""
    found = {}
    for sensor_id in sensor_ids:
        row = database.execute_sql("SELECT max(ts) FROM reading WHERE sensor_id = ?", (sensor_id,)).fetchone()
        if row[0] is not None:
            found[sensor_id] = row[0]
    return found


def eto(first_day: int, last_day: int) -> list[tuple[int, float, str]]:
    """Day numbers, reference evapotranspiration [mm/day] and notes."""
    sql = "SELECT day, eto_mm, note FROM eto WHERE day BETWEEN ? AND ? AND deleted_at IS NULL ORDER BY day"
    return [(row[0], row[1], row[2]) for row in database.execute_sql(sql, (first_day, last_day))]


def temperatures(first_day: int, last_day: int) -> list[tuple[int, float, float]]:
    """Day numbers with highest and lowest temperature [°C], of the days that have both."""
    sql = """SELECT day, tmax_c, tmin_c FROM eto WHERE day BETWEEN ? AND ? AND deleted_at IS NULL
             AND tmax_c IS NOT NULL AND tmin_c IS NOT NULL ORDER BY day"""
    return [(row[0], row[1], row[2]) for row in database.execute_sql(sql, (first_day, last_day))]


def climate(first_day: int, last_day: int) -> list[tuple[int, float, float]]:
    """Day numbers with mean wind at 2 m [m/s] and lowest relative humidity [%], of the days that have both."""
    sql = """SELECT day, wind_2m_m_s, rh_min_pct FROM eto WHERE day BETWEEN ? AND ? AND deleted_at IS NULL
             AND wind_2m_m_s IS NOT NULL AND rh_min_pct IS NOT NULL ORDER BY day"""
    return [(row[0], row[1], row[2]) for row in database.execute_sql(sql, (first_day, last_day))]


def rain(first_day: int, last_day: int) -> list[tuple[int, float]]:
    """Day numbers and depths [mm] of rain."""
    sql = "SELECT day, depth_mm FROM rain WHERE day BETWEEN ? AND ? AND deleted_at IS NULL ORDER BY day"
    return [(row[0], row[1]) for row in database.execute_sql(sql, (first_day, last_day))]
