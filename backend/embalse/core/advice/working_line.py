"""One line of the Working: a figure with its label, unit, formula and source."""

from dataclasses import dataclass

from embalse.core.sources import Source
from embalse.core.wording import Text


@dataclass(frozen=True)
class Line:
    """One line of the Working.

    ``op`` is the sign written before the figure, ``result`` draws a rule above it, ``change`` names the entry a
    what-if may change (empty when there is none). ``low`` and ``high`` are the 10 and 90 % limits where they exist.
    """

    key: str
    label: Text
    value: float | None
    unit: str
    formula: Text
    source: Source
    op: str = ""
    result: bool = False
    change: str = ""
    low: float | None = None
    high: float | None = None


def computed(detail: Text) -> Source:
    """Source of a figure that follows from the lines above it; units are those of the line."""
    return Source("computed", "from the lines above", detail)
