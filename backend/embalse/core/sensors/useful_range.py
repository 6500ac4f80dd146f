"""Where an instrument stops telling how wet or dry the soil is: there a value says "at least this", no more."""

from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.sensors.matrix_sensor import KOHM_OF, tension_kpa
from embalse.core.tables import table_rows

End = Literal["", "wet", "dry"]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class UsefulRange:
    """Tensions between which an instrument tells [kPa]; None where it tells to the very end."""

    wet_kpa: float | None
    dry_kpa: float | None
    source: str


@cache
def useful_ranges() -> dict[str, UsefulRange]:
    """Useful ranges [kPa] by kind of instrument."""
    return {
        row["kind"]: UsefulRange(
            float(row["wet_kpa"]) if row["wet_kpa"] else None,
            float(row["dry_kpa"]) if row["dry_kpa"] else None,
            row["source"],
        )
        for row in table_rows("useful_ranges.csv")
    }


def scale_kpa(raw_unit: str, raw: Floats, temperature_c: Floats | None = None) -> Floats | None:
    """What the instrument's own scale shows [kPa], shape of ``raw``; None where it shows no tension.

    ``temperature_c`` is the soil temperature a resistance is corrected by; without it 24 °C.
    """
    if raw_unit == "kPa":
        return raw
    if raw_unit not in KOHM_OF:
        return None
    there = np.full(len(raw), np.nan) if temperature_c is None else temperature_c
    return tension_kpa(raw * KOHM_OF[raw_unit], there)


def beyond_ends(kind: str, raw_unit: str, raw: Floats, temperature_c: Floats | None = None) -> Floats:
    """Which readings stand at an end: 1 at the dry one, -1 at the wet one, 0 between, shape of ``raw``.

    Examples
    --------
    >>> beyond_ends("tensiometer", "kPa", np.array([0.0, 79.9, 80.0])).tolist()
    [0.0, 0.0, 1.0]
    >>> beyond_ends("granular matrix sensor", "kPa", np.array([9.0, 10.0, 199.0])).tolist()
    [-1.0, 0.0, 1.0]
    """
    ends = np.zeros(len(raw))
    known, shown = useful_ranges().get(kind), scale_kpa(raw_unit, raw, temperature_c)
    if known is None or shown is None:
        return ends
    if known.dry_kpa is not None:
        ends[shown >= known.dry_kpa] = 1.0
    if known.wet_kpa is not None:
        ends[shown < known.wet_kpa] = -1.0
    return ends


def end_of(kind: str, raw_unit: str, raw: float, temperature_c: float | None = None) -> End:
    """The end one reading stands at, empty between the ends; in the sensor's raw unit.

    Examples
    --------
    >>> end_of("tensiometer", "kPa", 82.0), end_of("capacitance probe", "m3/m3", 0.2)
    ('dry', '')
    """
    there = None if temperature_c is None else np.array([temperature_c])
    return {1.0: "dry", -1.0: "wet"}.get(float(beyond_ends(kind, raw_unit, np.array([raw]), there)[0]), "")  # type: ignore[return-value]
