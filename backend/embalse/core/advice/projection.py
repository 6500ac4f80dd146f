"""Where the water will be: the root zone and each of its layers over the days ahead."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import takewhile

from embalse.core.advice.decision import DecisionInputs
from embalse.core.advice.triggers import usual_uptake_share
from embalse.core.crop.depletion_forecast import middle_path_mm, stressed_fan_mm
from embalse.core.crop.dry_down import DailyUse, DaysToRefill
from embalse.core.soil.layers import Layer

TICK_DAYS = 7  # days ahead with a tick each on the level line: a week
FAN_DAYS = 5  # days drawn ahead without weather, by the slope alone
WEATHER_FAN_DAYS = 8  # days drawn ahead by weather


@dataclass(frozen=True)
class FanStep:
    """Storage a number of days ahead: 10 %, middle and 90 % [mm]."""

    days: float
    low_mm: float
    mid_mm: float
    high_mm: float


def storage_ticks_mm(given: DecisionInputs, use: DailyUse) -> list[float]:
    """Storage [mm] at each coming day by the course of weather, or at the present use, until refill or seven days."""
    state = given.state
    if given.course is not None:
        values = [state.marks.full_mm - short for short in middle_path_mm(given.course, given.start, TICK_DAYS)]
    else:
        values = [state.storage_mm - day * use.mid_mm_d for day in range(1, TICK_DAYS + 1)]
    return list(takewhile(lambda value: value > state.marks.refill_mm, values))


def storage_fan(given: DecisionInputs, use: DailyUse) -> list[FanStep]:
    """Storage [mm] over the coming days, never below the wilting point; higher use gives the low side.

    With weather the crop's own brake beyond the refill point is in it, without it the present use goes on.
    """
    state, marks = given.state, given.state.marks
    if given.course is not None:
        steps = stressed_fan_mm(given.course, given.start, (marks.taw_mm, marks.allowable_mm), WEATHER_FAN_DAYS)
        times = given.course.times_days
        return [
            FanStep(float(times[n]), marks.full_mm - high, marks.full_mm - mid, marks.full_mm - low)
            for n, (low, mid, high) in enumerate(steps)
        ]
    floor = marks.wilting_mm
    rates = (use.high_mm_d, use.mid_mm_d, use.low_mm_d)
    return [
        FanStep(float(day), *(max(floor, state.storage_mm - day * rate) for rate in rates))
        for day in range(FAN_DAYS + 1)
    ]


def shown_days(days: DaysToRefill) -> float:
    """Days ahead that a picture of the future is drawn for: the refill day, at least 1, at most 7."""
    return min(7.0, max(1.0, days.mid))


def layer_water_mm(layer: Layer, theta: float) -> float:
    """Water above wilting point in a whole layer [mm] at a water content [m³/m³]."""
    return 10 * layer.thickness_cm * (theta - layer.theta_wilting)


def layers_ahead_mm(
    states: Sequence[tuple[Layer, float]],
    losses_mm: Sequence[float],
    root_depth_cm: float,
    shares: Sequence[float] | None = None,
) -> list[list[float]]:
    """Water above wilting point of each layer at the end of each coming day [mm], shape (days, layers).

    Each day's loss of the root zone is taken from the layers by their share of the uptake; what a layer no longer
    has, the others give by what they hold. Layers below the roots stay as they are.

    Parameters
    ----------
    states : sequence of (Layer, float)
        Layers and their water contents [m³/m³], from the surface down.
    losses_mm : sequence of float
        What the root zone loses on each day [mm]; negative where it gains: that fills from the top.
    root_depth_cm : float
        Rooting depth [cm].
    shares : sequence of float, optional
        Observed share of each layer in the uptake [-]; 40, 30, 20 and 10 % by quarters without.
    """
    water = [layer_water_mm(layer, theta) for layer, theta in states]
    weights = [
        usual_uptake_share(layer.top_cm, layer.bottom_cm, root_depth_cm) if shares is None else shares[n]
        for n, (layer, _) in enumerate(states)
    ]
    found = []
    for loss in losses_mm:
        water = _filled_from_top(states, water, -loss) if loss < 0 else _drunk(states, water, weights, loss)
        found.append(list(water))
    return found


def _drunk(
    states: Sequence[tuple[Layer, float]], water: Sequence[float], weights: Sequence[float], loss: float
) -> list[float]:
    """Water of the layers after a day's loss."""
    left, now = loss, list(water)
    active = [n for n, (layer, _) in enumerate(states) if layer.rooted_cm > 0 and weights[n] > 0]
    for _ in range(len(states)):
        whole = sum(weights[n] for n in active if now[n] > 0)
        if left <= 1e-9 or whole <= 0:
            break
        taken = {n: min(now[n], left * weights[n] / whole) for n in active if now[n] > 0}
        for n, amount in taken.items():
            now[n] -= amount
        left -= sum(taken.values())
    return now


def _filled_from_top(states: Sequence[tuple[Layer, float]], water: Sequence[float], gain: float) -> list[float]:
    now = list(water)
    for n, (layer, _) in enumerate(states):
        room = max(0.0, layer_water_mm(layer, layer.theta_full) - now[n]) if layer.rooted_cm > 0 else 0.0
        now[n] += min(room, gain)
        gain -= min(room, gain)
    return now
