"""Quantities as people read them: what a unit's suffix means, in metric and in US customary units."""

from dataclasses import dataclass
from typing import Final, Literal

Units = Literal["metric", "us"]

MM_PER_INCH: Final = 25.4  # exact, as are the next four; held against pint in a test
M_PER_FOOT: Final = 0.3048  # exact
M2_PER_HECTARE: Final = 10_000.0  # exact
M2_PER_ACRE: Final = 4046.8564224  # exact, international acre
LITRES_PER_US_GALLON: Final = 3.785411784  # exact
GPM_PER_M3_H: Final = 1000.0 / 60.0 / LITRES_PER_US_GALLON  # US gallons a minute
PSI_PER_BAR: Final = 14.503773773022  # pounds-force a square inch
TON_AC_PER_T_HA: Final = 1000 / (907.18474 * M2_PER_HECTARE / M2_PER_ACRE)
LB_1000_GAL_PER_KG_M3: Final = LITRES_PER_US_GALLON / 0.45359237
LB_FT3_PER_G_CM3: Final = 62.42796057614461  # pounds a cubic foot


@dataclass(frozen=True)
class Quantity:
    """How a quantity is written: unit, factor from the SI value, added after it, and decimals."""

    unit: str
    factor: float = 1.0
    decimals: int = 0
    offset: float = 0.0


@dataclass(frozen=True)
class Written:
    """A quantity in both systems of units."""

    metric: Quantity
    us: Quantity

    def in_units(self, units: Units) -> Quantity:
        """The quantity as a reader of these units sees it."""
        return self.us if units == "us" else self.metric


QUANTITIES: Final[dict[str, Written]] = {
    "depth": Written(Quantity("mm"), Quantity("in", 1 / MM_PER_INCH, 2)),
    "soilDepth": Written(Quantity("cm"), Quantity("in", 10 / MM_PER_INCH, 0)),
    "area": Written(Quantity("ha", 1, 1), Quantity("ac", M2_PER_HECTARE / M2_PER_ACRE, 1)),
    "rate": Written(Quantity("mm/h", 1, 2), Quantity("in/h", 1 / MM_PER_INCH, 3)),
    "use": Written(Quantity("mm/day", 1, 1), Quantity("in/day", 1 / MM_PER_INCH, 2)),
    "growth": Written(Quantity("mm/day", 1, 1), Quantity("in/day", 1 / MM_PER_INCH, 2)),
    "size": Written(Quantity("mm", 1, 1), Quantity("in", 1 / MM_PER_INCH, 2)),
    "flow": Written(Quantity("L/h", 1, 1), Quantity("gph", 1 / LITRES_PER_US_GALLON, 2)),
    "spacing": Written(Quantity("m", 1, 2), Quantity("ft", 1 / M_PER_FOOT, 2)),
    "length": Written(Quantity("m"), Quantity("ft", 1 / M_PER_FOOT, 0)),
    "tension": Written(Quantity("kPa"), Quantity("cb")),
    "supplyFlow": Written(Quantity("m³/h"), Quantity("gpm", GPM_PER_M3_H, 0)),
    "inflow": Written(Quantity("L/s", 1, 2), Quantity("gpm", 3.6 * GPM_PER_M3_H, 1)),
    "volume": Written(Quantity("m³"), Quantity("gal", 1000 / LITRES_PER_US_GALLON, 0)),
    "waterContent": Written(Quantity("m³/m³", 1, 3), Quantity("in/in", 1, 3)),
    "density": Written(Quantity("g/cm³", 1, 2), Quantity("lb/ft³", LB_FT3_PER_G_CM3, 0)),
    "temperature": Written(Quantity("°C", 1, 1), Quantity("°F", 1.8, 1, 32.0)),
    "temperatureStep": Written(Quantity("°C", 1, 1), Quantity("°F", 1.8, 1)),
    "heat": Written(Quantity("°C d"), Quantity("°F d", 1.8, 0)),
    "front": Written(Quantity("cm/h", 1, 1), Quantity("in/h", 10 / MM_PER_INCH, 1)),
    "pressure": Written(Quantity("bar", 1, 1), Quantity("psi", PSI_PER_BAR, 0)),
    "perVolume": Written(Quantity("m³", 1, 3), Quantity("1,000 gal", LITRES_PER_US_GALLON, 3)),
    "yield": Written(Quantity("t/ha", 1, 1), Quantity("ton/ac", TON_AC_PER_T_HA, 2)),
    "waterYield": Written(Quantity("kg/m³", 1, 2), Quantity("lb/1,000 gal", LB_1000_GAL_PER_KG_M3, 1)),
    "windSpeed": Written(Quantity("m/s", 1, 1), Quantity("mph", 3600 / 1609.344, 1)),
}
"""Every quantity by the name the front end knows it by; its table of factors is generated from this one."""

SUFFIXES: Final[tuple[tuple[str, str], ...]] = (
    ("mm_d", "use"), ("mm_h", "rate"), ("cm_h", "front"), ("g_cm3", "density"), ("m3_h", "supplyFlow"),
    ("m_s", "windSpeed"), ("t_ha", "yield"), ("kg_m3", "waterYield"),
    ("l_h", "flow"), ("l_s", "inflow"), ("m3", "volume"), ("mm", "depth"), ("cm", "soilDepth"), ("ha", "area"),
    ("kpa", "tension"), ("theta", "waterContent"), ("c_d", "heat"), ("step_c", "temperatureStep"), ("c", "temperature"),
    ("size", "size"), ("m", "length"),
)  # fmt: skip
"""Endings of a value's name and the quantity they say it is, the longer before the shorter."""


def quantity_of(name: str) -> Written | None:
    """The quantity a value's name says it is by its ending; None where it has no unit of its own.

    Examples
    --------
    >>> quantity_of("short_mm").us.unit, quantity_of("note")
    ('in', None)
    """
    for ending, key in SUFFIXES:
        if name == ending or name.endswith(f"_{ending}"):
            return QUANTITIES[key]
    return None


def quantities_module() -> str:
    """The table of quantities as a module of the front end, which converts figures and nothing else (no unit)."""
    lines = [
        "/** Written from core/wording/quantities.py by `make generated`; not by hand. */",
        "export const QUANTITIES = {",
    ]
    for name, written in QUANTITIES.items():
        lines.append(f"  {name}: {{")
        for units in ("metric", "us"):
            q = written.us if units == "us" else written.metric
            figures = f"factor: {q.factor!r}, decimals: {q.decimals}, offset: {q.offset:g}".replace("1.0,", "1,")
            lines.append(f'    {units}: {{ unit: "{q.unit}", {figures} }},')
        lines.append("  },")
    return "\n".join([*lines, "} as const;", "", "export type QuantityName = keyof typeof QUANTITIES;", ""])
