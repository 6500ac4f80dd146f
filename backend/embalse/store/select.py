"""Rows of a query as frozen dataclasses."""

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from embalse.store.database import database

Row = TypeVar("Row")


def select(sql: str, make: Callable[..., Row], parameters: Sequence[Any] = ()) -> list[Row]:
    """Every row of a query, made from its columns in order."""
    return [make(*row) for row in database.execute_sql(sql, parameters).fetchall()]
