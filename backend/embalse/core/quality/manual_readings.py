"""Rounds by hand: what a meter may plausibly show, what is asked again, in which order to walk."""

from collections.abc import Sequence
from dataclasses import dataclass

from geographiclib.geodesic import Geodesic

from embalse.core.sensors.calibration import RawUnit

LonLat = tuple[float, float]


@dataclass(frozen=True)
class Plausible:
    """Values a meter shows in soil, and the change since the last one beyond which it is asked again (raw unit)."""

    low: float
    high: float
    step: float


WATER = Plausible(3.0, 55.0, 15.0)  # %, % and % of change: what a hand reading of water content may plausibly be (ours)
# lowest, highest and largest change, in the unit the type is read in (ours)
BY_TYPE: dict[str, Plausible] = {
    "tensiometer": Plausible(0.0, 85.0, 60.0),
    "granular matrix sensor": Plausible(0.0, 239.0, 150.0),
}
UNKNOWN = Plausible(float("-inf"), float("inf"), float("inf"))


def plausible(sensor_type: str, unit: RawUnit) -> Plausible:
    """Values a meter plausibly shows, in its raw unit; without limits for raw counts and millivolts.

    A tensiometer's water column breaks at about 85 kPa, a matrix sensor's scale ends at 239 kPa; soil holds 3 to 55 %
    water (common practice, no source).

    Examples
    --------
    >>> plausible("tensiometer", "kPa").high
    85.0
    """
    if unit == "kPa":
        return BY_TYPE.get(sensor_type, BY_TYPE["granular matrix sensor"])
    if unit == "%":
        return WATER
    if unit == "m3/m3":
        return Plausible(WATER.low / 100, WATER.high / 100, WATER.step / 100)
    return UNKNOWN


def why_ask_again(value: float, last: float | None, limits: Plausible) -> str:
    """Why a value wants a second look, in words; empty when it does not. All in the raw unit.

    Examples
    --------
    >>> why_ask_again(96, 30, plausible("tensiometer", "kPa"))
    'outside 0 to 85'
    """
    if not limits.low <= value <= limits.high:
        return f"outside {limits.low:g} to {limits.high:g}"
    if last is not None and abs(value - last) > limits.step:
        return f"{abs(value - last):.3g} {'more' if value > last else 'less'} than last time"
    return ""


def days_overdue(age_days: float, every_days: float) -> float:
    """Days by which a round is late; half a day is let pass, for nobody walks at the same hour."""
    late = age_days - every_days
    return late if late > 0.5 else 0.0


def walking_order(places: Sequence[LonLat | None]) -> list[int]:
    """Positions in the order to walk: from the first, always on to the nearest; those without a place last.

    Parameters
    ----------
    places : sequence of (longitude, latitude) [degrees] or None
    """
    left = [i for i, place in enumerate(places) if place is not None]
    order: list[int] = []
    while left:
        nearest = min(left, key=lambda i: _metres(places[order[-1]], places[i])) if order else left[0]
        order.append(nearest)
        left.remove(nearest)
    return order + [i for i, place in enumerate(places) if place is None]


def _metres(here: LonLat | None, there: LonLat | None) -> float:
    if here is None or there is None:
        return float("inf")
    found = Geodesic.WGS84.Inverse(here[1], here[0], there[1], there[0], Geodesic.DISTANCE)
    return float(found["s12"])
