"""Numbers of practice: one table, each with its unit and where it comes from."""

from dataclasses import dataclass
from functools import cache

from embalse.core.sources import Source
from embalse.core.tables import table_rows


@dataclass(frozen=True)
class PracticeNumber:
    """A number rules go by: value in ``unit``, what it means, and its source."""

    name: str
    value: float
    unit: str
    meaning: str
    source: str

    def as_source(self) -> Source:
        """The number as the origin of a figure."""
        return Source("table", self.source, self.meaning)


@cache
def practice_numbers() -> dict[str, PracticeNumber]:
    """All numbers of practice by name; units are those of each row."""
    return {
        row["name"]: PracticeNumber(row["name"], float(row["value"]), row["unit"], row["meaning"], row["source"])
        for row in table_rows("practice_numbers.csv")
    }


def practice(name: str) -> float:
    """Value of a number of practice, in the unit its row gives."""
    return practice_numbers()[name].value
