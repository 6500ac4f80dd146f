"""Cut-and-mark list for the tubes that carry sensors down."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import require
from embalse.core.practice import practice
from embalse.core.wording import Notice


@dataclass(frozen=True)
class TubeCut:
    """A tube: label, sensor depth, length to cut and soil-line mark measured down from the top [cm]."""

    label: str
    depth_cm: float
    length_cm: float
    soil_line_cm: float


IN_CM: Final = 2.54
DEPTH_SETS: Final[dict[str, tuple[float, ...]]] = {
    "6, 12, 24 and 36 in": tuple(IN_CM * d for d in (6, 12, 24, 36)),
    "6, 18, 30 and 42 in: middles of one-foot layers": tuple(IN_CM * d for d in (6, 18, 30, 42)),
    "12 and 18 in: a pair for shallow roots": tuple(IN_CM * d for d in (12, 18)),
    "every 4 in to 36 in": tuple(IN_CM * d for d in range(4, 37, 4)),
    "every 10 cm to 60 cm": tuple(float(d) for d in range(10, 61, 10)),
    "every 30 cm to 120 cm": tuple(float(d) for d in range(30, 121, 30)),
}
"""Sets of depths in use [cm] (common practice, no source)."""


@dataclass(frozen=True)
class TubePart:
    """A part for the tubes: what, how much of it, its unit, price of one and of all [currency units]."""

    part: str
    amount: float
    unit: str
    price: float
    cost: float


PART_PRICES: Final[dict[str, tuple[str, float]]] = {
    "tube": ("m", 1.8), "elbow": ("piece", 0.9), "cap": ("piece", 0.6), "cement": ("tube's end", 0.15),
    "tape": ("piece", 0.1), "spare wire": ("m", 0.4),
}  # fmt: skip
"""Unit and price of each part: this project's example, to be replaced by your own quotes."""
CUT_LOSS_CM: Final = 1.0  # cm lost at each cut (common practice, no source)
SPARE_WIRE_M: Final = 0.5  # m of wire folded into each tube (common practice, no source)


def tube_parts(cuts: Sequence[TubeCut], prices: Mapping[str, float] | None = None) -> list[TubePart]:
    """Parts for a set of tubes, with their cost.

    Parameters
    ----------
    cuts : sequence of TubeCut
    prices : mapping of part to price, optional
        Own prices, in the place of the examples.

    Raises
    ------
    CoreError
        If a price is negative or its part is none of these.
    """
    for name, price in (prices or {}).items():
        require(name in PART_PRICES, "prices", f"'{name}' is no part of a tube")
        require(price >= 0, f"prices.{name}", "must not be negative")
    count = float(len(cuts))
    amounts = {
        "tube": sum(c.length_cm + CUT_LOSS_CM for c in cuts) / 100, "elbow": count, "cap": count, "cement": count,
        "tape": count, "spare wire": SPARE_WIRE_M * count,
    }  # fmt: skip
    found = []
    for name, amount in amounts.items():
        unit, example = PART_PRICES[name]
        price = (prices or {}).get(name, example)
        found.append(TubePart(name, amount, unit, price, amount * price))
    return found


def tube_cuts(
    depths_cm: Sequence[float], stick_out_cm: float | None = None, overhang_cm: float | None = None
) -> list[TubeCut]:
    """Lengths and marks for a set of depths, all with the same stick-out so that a wrong depth shows at a glance.

    Parameters
    ----------
    depths_cm : sequence of float
        Depth of each sensor's middle [cm].
    stick_out_cm : float, optional
        Tube above the soil line [cm]; 19.05 (7.5 in) if absent.
    overhang_cm : float, optional
        How far the sensor's middle lies beyond the tube's end [cm]; 3.81 (1.5 in) if absent.

    Returns
    -------
    list of TubeCut
        From the shallowest, labelled 1 upwards.

    Raises
    ------
    CoreError
        If depths repeat or are not positive, or the tube would be cut less than 4 in longer than the depth.

    Notes
    -----
    Common practice, no source.

    Examples
    --------
    >>> [round(cut.length_cm / 2.54, 1) for cut in tube_cuts([6 * 2.54, 18 * 2.54, 30 * 2.54])]
    [12.0, 24.0, 36.0]
    """
    stick_out = practice("tube_stick_out_cm") if stick_out_cm is None else stick_out_cm
    overhang = practice("tube_overhang_cm") if overhang_cm is None else overhang_cm
    require(len(depths_cm) > 0, "depths_cm", "give at least one depth")
    require(overhang >= 0, "overhang_cm", "must not be negative")
    ordered = sorted(depths_cm)
    require(len(set(ordered)) == len(ordered), "depths_cm", "two sensors at the same depth")
    require(ordered[0] > overhang, "depths_cm", "must lie deeper than the sensor's own overhang")
    fewest = practice("tube_extra_cm")
    require(
        stick_out - overhang >= fewest - 1e-9,
        "stick_out_cm",
        Notice("error.tube", extra_cm=fewest, stick_out_cm=fewest + overhang),
    )
    return [TubeCut(str(n), depth, depth - overhang + stick_out, stick_out) for n, depth in enumerate(ordered, start=1)]
