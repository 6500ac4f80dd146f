"""Each morning's answer of every block as it was given; never changed afterwards."""

from dataclasses import astuple, dataclass

from embalse.store.database import database


@dataclass(frozen=True)
class KeptAnswerRow:
    """A morning's answer of a block: day number, what was said as JSON, when it was made [s, UTC]."""

    block_id: int
    day: int
    said: str
    made_at: int


def answers(block_id: int, first_day: int, last_day: int) -> list[KeptAnswerRow]:
    """Answers of a block on days of a span, both included, oldest first."""
    sql = "SELECT block_id, day, said, made_at FROM kept_answer WHERE block_id = ? AND day BETWEEN ? AND ? ORDER BY day"
    return [KeptAnswerRow(*row) for row in database.execute_sql(sql, (block_id, first_day, last_day))]


def keep(rows: list[KeptAnswerRow]) -> None:
    """Keep answers; a day that is kept already stays as it was given."""
    sql = "INSERT OR IGNORE INTO kept_answer (block_id, day, said, made_at) VALUES (?, ?, ?, ?)"
    database.connection().executemany(sql, [astuple(row) for row in rows])
