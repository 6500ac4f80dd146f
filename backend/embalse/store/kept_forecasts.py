"""Refill dates kept as they were called."""

from dataclasses import astuple, dataclass

from embalse.store.database import database


@dataclass(frozen=True)
class KeptForecastRow:
    """A morning's call of a block: day number, days ahead and depletions [mm]; null where there was no date."""

    block_id: int
    day: int
    low_days: float | None
    mid_days: float | None
    high_days: float | None
    straight_days: float | None
    depletion_mm: float | None
    trigger_mm: float | None
    use_factor: float | None
    made_at: int


_COLUMNS = "block_id, day, low_days, mid_days, high_days, straight_days, depletion_mm, trigger_mm, use_factor, made_at"


def kept_forecasts(block_id: int, first_day: int, last_day: int) -> list[KeptForecastRow]:
    """Calls of a block on days of a span, both included, oldest first."""
    sql = f"SELECT {_COLUMNS} FROM refill_call WHERE block_id = ? AND day BETWEEN ? AND ? ORDER BY day"
    return [KeptForecastRow(*row) for row in database.execute_sql(sql, (block_id, first_day, last_day))]


def days_kept(first_day: int, last_day: int) -> set[int]:
    """Day numbers of a span, both included, on which calls were kept."""
    sql = "SELECT DISTINCT day FROM refill_call WHERE day BETWEEN ? AND ?"
    return {row[0] for row in database.execute_sql(sql, (first_day, last_day))}


def keep(rows: list[KeptForecastRow]) -> None:
    """Keep calls; a day that is kept already stays as it was called."""
    marks = ", ".join("?" * len(_COLUMNS.split(",")))
    sql = f"INSERT OR IGNORE INTO refill_call ({_COLUMNS}) VALUES ({marks})"
    database.connection().executemany(sql, [astuple(row) for row in rows])
