"""Fitted models of blocks and the days ahead by them, as they were kept: made from what is stored, never entered."""

from collections.abc import Sequence
from dataclasses import astuple, dataclass

from embalse.store.database import database

FACTS_KEPT = 3
"""How many fits of one dawn are kept: to the facts known then, to those known later, and one between."""


@dataclass(frozen=True)
class FitRow:
    """A block's model fitted at the dawn of a day number, the mark of the facts it was fitted to, and its numbers.

    ``body`` is empty where those facts make no model.
    """

    block_id: int
    day: int
    facts: str
    body: bytes
    made_at: int


@dataclass(frozen=True)
class AheadRow:
    """The days ahead of a block from an instant [s, UTC], with the mark of its set-up and its water then [mm]."""

    block_id: int
    start_at: int
    set_up: str
    storage_mm: float
    body: bytes


def fit_of(block_id: int, day: int, facts: str) -> FitRow | None:
    """The model fitted at the dawn of a day number to facts of a mark; None where none is kept."""
    sql = """SELECT block_id, day, facts, body, made_at FROM block_fit
        WHERE block_id = ? AND day = ? AND facts = ?"""
    row = database.execute_sql(sql, (block_id, day, facts)).fetchone()
    return None if row is None else FitRow(*row)


def last_fit(block_id: int, first_day: int, last_day: int) -> FitRow | None:
    """The latest model fitted at a dawn of a span of day numbers, both included, to whatever facts."""
    sql = """SELECT block_id, day, facts, body, made_at FROM block_fit
        WHERE block_id = ? AND day BETWEEN ? AND ? ORDER BY day DESC, made_at DESC LIMIT 1"""
    row = database.execute_sql(sql, (block_id, first_day, last_day)).fetchone()
    return None if row is None else FitRow(*row)


def days_fitted(block_id: int, first_day: int, last_day: int) -> set[int]:
    """Day numbers of a span, both included, at whose dawn a block's model was fitted, or found not to be fitted."""
    sql = "SELECT DISTINCT day FROM block_fit WHERE block_id = ? AND day BETWEEN ? AND ?"
    return {row[0] for row in database.execute_sql(sql, (block_id, first_day, last_day))}


def keep_fit(row: FitRow) -> None:
    """Keep a fitted model, and of those of the same dawn to other facts the two latest."""
    sql = "INSERT OR REPLACE INTO block_fit (block_id, day, facts, body, made_at) VALUES (?, ?, ?, ?, ?)"
    database.execute_sql(sql, astuple(row))
    forget = """DELETE FROM block_fit WHERE block_id = ? AND day = ? AND facts NOT IN (SELECT facts FROM block_fit
        WHERE block_id = ? AND day = ? ORDER BY facts = ? DESC, made_at DESC LIMIT ?)"""
    there = (row.block_id, row.day)
    database.execute_sql(forget, (*there, *there, row.facts, FACTS_KEPT))


def aheads(block_ids: Sequence[int], first: int, last: int) -> dict[int, AheadRow]:
    """The latest days ahead of blocks from an instant of a span [s, UTC], both included, by block."""
    marks = ", ".join("?" * len(block_ids))
    sql = f"""SELECT a.block_id, a.start_at, a.set_up, a.storage_mm, a.body FROM block_ahead a
        JOIN (SELECT block_id, max(start_at) AS start_at FROM block_ahead
              WHERE start_at BETWEEN ? AND ? AND block_id IN ({marks}) GROUP BY block_id) n
          ON n.block_id = a.block_id AND n.start_at = a.start_at"""
    return {row[0]: AheadRow(*row) for row in database.execute_sql(sql, (first, last, *block_ids))}


def keep_ahead(row: AheadRow, forget_before: int) -> None:
    """Keep the days ahead of a block, and forget those from before an instant [s, UTC]."""
    database.execute_sql(
        "INSERT OR REPLACE INTO block_ahead (block_id, start_at, set_up, storage_mm, body) VALUES (?, ?, ?, ?, ?)",
        astuple(row),
    )
    database.execute_sql("DELETE FROM block_ahead WHERE block_id = ? AND start_at < ?", (row.block_id, forget_before))
