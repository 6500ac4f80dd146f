"""Hourly values: the median raw value of each hour, 24 of a UTC day in one row."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from embalse.store.database import database

DAY_H = 24
Floats = NDArray[np.float64]


def replace_days(sensor_id: int, first_day: int, last_day: int, rows: Iterable[tuple[int, Floats]]) -> None:
    """Make the rows of a sensor from one UTC day number to another these: day and its 24 values (NaN: none)."""
    connection = database.connection()
    connection.execute(
        "DELETE FROM hours WHERE sensor_id = ? AND day BETWEEN ? AND ?", (sensor_id, first_day, last_day)
    )
    connection.executemany(
        "INSERT INTO hours (sensor_id, day, raw) VALUES (?, ?, ?)",
        ((sensor_id, day, values.tobytes()) for day, values in rows),
    )


def forget(sensor_ids: Iterable[int]) -> None:
    """Forget all hourly values of some sensors, before they are made anew."""
    database.connection().executemany("DELETE FROM hours WHERE sensor_id = ?", ((one,) for one in sensor_ids))


def any_stored() -> bool:
    """Whether any hourly value is stored."""
    return database.execute_sql("SELECT 1 FROM hours LIMIT 1").fetchone() is not None


def between(sensor_id: int, start: int, end: int) -> tuple[NDArray[np.int64], Floats]:
    """Starts of hours [s, UTC] from ``start`` to ``end`` and their values (raw), those without readings left out."""
    sql = "SELECT day, raw FROM hours WHERE sensor_id = ? AND day BETWEEN ? AND ? ORDER BY day"
    rows = database.execute_sql(sql, (sensor_id, start // 86400, end // 86400)).fetchall()
    if not rows:
        return np.empty(0, dtype=np.int64), np.empty(0)
    days = np.array([row[0] for row in rows], dtype=np.int64)
    values = np.frombuffer(b"".join(row[1] for row in rows), dtype=np.float64)
    ts = (days[:, None] * 86400 + 3600 * np.arange(DAY_H)[None, :]).ravel()
    kept = np.isfinite(values) & (ts >= start) & (ts <= end)
    return ts[kept], values[kept]
