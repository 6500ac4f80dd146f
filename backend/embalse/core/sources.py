"""Where a number comes from: every figure on screen carries one of these."""

from dataclasses import dataclass
from typing import Literal

from embalse.core.wording import Text

SourceKind = Literal["reading", "table", "equation", "entry", "computed", "assumption"]


@dataclass(frozen=True)
class Source:
    """Origin of a number: its kind, a short name and some detail."""

    kind: SourceKind
    title: Text
    detail: Text = ""


@dataclass(frozen=True)
class Sourced:
    """A number with its origin; the unit is in the name of the field that holds it."""

    value: float
    source: Source
