"""The arithmetic as it would be written on a pad: every line with its formula and its source."""

from dataclasses import dataclass

from embalse.core.decision import Advice, AdvisedSet, SetLimits
from embalse.core.delivery import IrrigationSystem
from embalse.core.dry_down import DailyUse
from embalse.core.moving_systems import furrow_sets
from embalse.core.root_zone import BlockState
from embalse.core.sources import Source


@dataclass(frozen=True)
class Line:
    """One line of the Working.

    ``op`` is the sign written before the figure, ``result`` draws a rule above it, ``change`` names the entry a
    what-if may change (empty when there is none). ``low`` and ``high`` are the 10 and 90 % limits where they exist.
    """

    key: str
    label: str
    value: float | None
    unit: str
    formula: str
    source: Source
    op: str = ""
    result: bool = False
    change: str = ""
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True)
class WorkingInput:
    """What the Working is written from: the advice with everything that went into it, and where entries come from."""

    state: BlockState
    use: DailyUse | None
    advice: Advice
    limits: SetLimits
    system: IrrigationSystem | None
    root_depth_cm: float
    allowable_fraction: float
    refill_by_hand: bool
    sources: dict[str, Source]
    area_ha: float = 0.0


def computed(detail: str) -> Source:
    """Source of a figure that follows from the lines above it; units are those of the line."""
    return Source("computed", "from the lines above", detail)


def working(given: WorkingInput) -> list[Line]:
    """Ordered lines from water in the roots to set time.

    Parameters
    ----------
    given : WorkingInput
        State [mm], use [mm/day], advice, limits, system, root depth [cm] and the sources of the entries.

    Returns
    -------
    list of Line
        Each with label, value, unit, formula and source; figures are unrounded.
    """
    lines = _water_lines(given)
    if given.use is not None:
        lines += _time_lines(given, given.use)
    if given.advice.advised is not None:
        lines += _set_lines(given, given.advice.advised)
    return lines


def _water_lines(given: WorkingInput) -> list[Line]:
    marks, state, sources = given.state.marks, given.state, given.sources
    depth = f"0 to {given.root_depth_cm:g} cm"
    if given.refill_by_hand:
        allowed_formula = "full point − refill point set by hand"
    else:
        allowed_formula = f"p × available water = {given.allowable_fraction:g} × {marks.taw_mm:.0f}"
    return [
        Line("root_depth_cm", "Roots reach", given.root_depth_cm, "cm", "",
             sources["root_depth_cm"], change="root_depth_cm"),
        Line("full_mm", f"Full point, {depth}", marks.full_mm, "mm", "Σ θ full × thickness", sources["full"]),
        Line("storage_mm", f"Water in roots, {depth}", state.storage_mm, "mm", "Σ θ × thickness",
             sources["storage"], "−"),
        Line(
            "depletion_mm",
            "Depletion in the wetted soil" if given.limits.wetted_fraction < 1 else "Depletion",
            state.depletion_mm, "mm", "full point − water in roots",
            computed(_stations_sentence(state)), result=True,
            low=state.depletion_mm - state.error_mm, high=state.depletion_mm + state.error_mm,
        ),
        Line("taw_mm", "Available water", marks.taw_mm, "mm", "full point − wilting point", sources["wilting"]),
        Line("allowable_fraction", "Share that may be used, p", given.allowable_fraction, "", "",
             sources["allowable_fraction"], "×", change="allowable_depletion_fraction"),
        Line("allowable_mm", "Allowable depletion", marks.allowable_mm, "mm", allowed_formula,
             sources.get("refill", computed("full point minus refill point")), result=True),
    ]  # fmt: skip


def _stations_sentence(state: BlockState) -> str:
    if state.stations_total == 1:
        return f"one station; standard error {state.error_mm:.0f} mm"
    spread = f"stations from {state.lowest_mm:.0f} to {state.highest_mm:.0f} mm"
    used = f"mean of {state.stations_used} of {state.stations_total} stations"
    return f"{used}, {spread}; standard error {state.error_mm:.0f} mm"


def _time_lines(given: WorkingInput, use: DailyUse) -> list[Line]:
    left = given.state.marks.allowable_mm - given.state.depletion_mm
    lines = [
        Line("left_mm", "Left above refill", left, "mm", "allowable depletion − depletion", computed("")),
        Line("use_mm_d", "Use, last dry-down", use.mid_mm_d, "mm/day", "median slope of dawn values",
             given.sources["use"], "÷", low=use.low_mm_d, high=use.high_mm_d),
    ]  # fmt: skip
    days = given.advice.days
    if days is not None and left > 0:
        detail = "10 to 90 % limits from the error of the water and of the slope; no weather forecast is used"
        lines.append(
            Line("days_to_refill", "Days to refill", days.mid, "days", "left ÷ use", computed(detail), "", True, "",
                 days.low, days.high)
        )  # fmt: skip
    return lines


_LIMITS = {"smallest": "min", "largest": "max"}


def _set_lines(given: WorkingInput, advised: AdvisedSet) -> list[Line]:
    sources, limits = given.sources, given.limits
    today = given.advice.group == "act"
    lines = [
        Line("start_depletion_mm", "Depletion today" if today else "Depletion on the refill day",
             advised.start_depletion_mm, "mm", "depletion" if today else "allowable depletion", computed("")),
        Line("wetted_fraction", "Wetted share of the ground", limits.wetted_fraction, "", "",
             sources["wetted_fraction"], "×", change="wetted_fraction"),
    ]  # fmt: skip
    if advised.limited_by:
        lines.append(
            Line("uncut_net_mm", "Net wanted", advised.uncut_net_mm, "mm", "depletion × wetted share", computed(""))
        )
        name, change = (
            ("rate_mm_h", "") if advised.limited_by == "turn" else (f"{_LIMITS[advised.limited_by]}_set_mm",) * 2
        )
        formula = (
            "a turn at 100 % × efficiency"
            if advised.limited_by == "turn"
            else f"the {advised.limited_by} practical set"
        )
        lines.append(
            Line("net_mm", "Net over the block", advised.net_mm, "mm", formula, sources[name], "", True, change)
        )
    else:
        formula = "depletion × wetted share"
        lines.append(Line("net_mm", "Net over the block", advised.net_mm, "mm", formula, computed(""), "", True))
    if given.system is None or advised.set_time_h is None:
        return lines
    return [
        *lines,
        Line("efficiency_fraction", "Efficiency", given.system.efficiency_fraction, "", "",
             sources["efficiency_fraction"], "÷", change="efficiency_fraction"),
        Line("gross_mm", "Gross over the block", advised.gross_mm, "mm", "net ÷ efficiency", computed(""), "", True),
        Line("rate_mm_h", "Application rate", given.system.rate_mm_h, "mm/h", given.system.rate_formula,
             sources["rate_mm_h"], "÷", change="" if given.system.pivot else "rate_mm_h"),
        Line("set_time_h", _time_label(given.system), advised.set_time_h, "h", "gross ÷ rate", computed(""), "", True),
        *_moving_lines(given, advised),
    ]  # fmt: skip


def _time_label(system: IrrigationSystem) -> str:
    return "Time of the turn" if system.pivot else "Time of one set" if system.furrows else "Set time"


def _moving_lines(given: WorkingInput, advised: AdvisedSet) -> list[Line]:
    """A pivot's timer setting, or how many sets of furrows cover the block."""
    system = given.system
    assert system is not None
    if advised.timer_fraction is not None:
        return [
            Line("timer_fraction", "Timer setting, share of full speed", advised.timer_fraction, "",
                 "depth of a turn at 100 % ÷ gross", computed("a slower turn puts on more"), "", True)
        ]  # fmt: skip
    if system.furrows is not None and given.area_ha > 0 and advised.set_time_h is not None:
        count = furrow_sets(system.furrows, given.area_ha)
        return [
            Line("sets", "Sets that cover the block", float(count), "", "area ÷ (furrows × spacing × run), rounded up",
                 given.sources["rate_mm_h"], "×"),
            Line("all_sets_h", "Time for the whole block", count * advised.set_time_h, "h", "sets × time of one",
                 computed("one after another, with the same inflow"), "", True),
        ]  # fmt: skip
    return []
