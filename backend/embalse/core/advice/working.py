"""The arithmetic as it would be written on a pad: every line with its formula and its source."""

import math
from dataclasses import dataclass

from embalse.core.advice.decision import Advice, DecisionInputs
from embalse.core.calendar_words import hours_words
from embalse.core.crop.depletion_forecast import Course, width_causes
from embalse.core.crop.dry_down import DailyUse
from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.delivery.moving_systems import furrow_sets
from embalse.core.delivery.set_amount import AdvisedSet
from embalse.core.root_zone.root_zone import BlockState
from embalse.core.sources import Source
from embalse.core.weather.weather_outlook import AHEAD_DAYS


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
    inputs: DecisionInputs | None = None
    why_no_weather: str = ""
    wait_h: int | None = None


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
    facts = given.inputs
    trigger = given.advice.trigger
    wanted = trigger.depletion_mm if trigger is not None else given.state.marks.allowable_mm
    left = wanted - given.state.depletion_mm
    lines = []
    if facts is not None and trigger is not None and facts.rules.trigger != "root zone":
        lines.append(
            Line("trigger_mm", "Depletion that calls for water", wanted, "mm", trigger.words, facts.rules.source)
        )
    lines.append(Line("left_mm", "Left above refill", left, "mm", "depletion that calls for water − depletion",
                      computed("")))  # fmt: skip
    days = given.advice.days
    if facts is None or facts.course is None:
        why = f"; no weather is used: {given.why_no_weather}" if given.why_no_weather else ""
        lines.append(
            Line("use_mm_d", "Use, last dry-down", use.mid_mm_d, "mm/day", "median slope of dawn values",
                 given.sources["use"], "÷", low=use.low_mm_d, high=use.high_mm_d)
        )  # fmt: skip
        detail = f"10 to 90 % limits from the error of the water and of the slope{why}"
        formula = "left ÷ use"
    else:
        lines += _weather_lines(given, facts.course, left)
        formula = "left ÷ use ahead"
        detail = "10 to 90 % of all paths of forecast, crop use and present water"
        if days is not None and left > 0:
            causes = width_causes(facts.course, facts.start, wanted)
            detail += "; its width comes from " + ", ".join(f"{name} {width:.1f}" for name, width in causes.items())
            detail += " days"
    if days is not None and left > 0:
        lines.append(
            Line("days_to_refill", "Days to refill", days.mid, "days", formula, computed(detail), "", True, "",
                 days.low, days.high)
        )  # fmt: skip
        lines += _lead_lines(given)
    return lines


def _weather_lines(given: WorkingInput, course: Course, left_mm: float) -> list[Line]:
    """Kc, ETo, wetted share and factor, and the use they come to on the way to the refill day."""
    days = given.advice.days
    span = 7 if days is None or left_mm <= 0 else max(1, min(AHEAD_DAYS, math.ceil(days.mid)))
    share = given.limits.wetted_fraction
    kc, eto = float(course.kc[:span].mean()), float(course.outlook.eto_mm[:, :span].mean())
    ahead = left_mm / days.mid if days is not None and days.mid > 0 and left_mm > 0 else None
    known = given.sources.get("calendar", computed(""))
    lines = [
        Line("kc", "Kc, mean of the days ahead", kc, "", "", known),
        Line("eto_mm_d", "Reference ET ahead", eto, "mm/day", f"mean of {span} days", course.outlook.source, "×"),
    ]
    if share < 1:
        lines.append(Line("use_wetted_fraction", "Wetted share of the ground", share, "", "the roots drink from it",
                          given.sources["wetted_fraction"], "÷"))  # fmt: skip
    lines.append(
        Line("use_factor", "Crop-use factor", course.use.factor, "", "",
             Source("reading", "dry-down", course.use.how), "×", low=course.use.low, high=course.use.high)
    )  # fmt: skip
    value = ahead if ahead is not None else float(course.daily_mm(span).mean())
    formula = "as it runs until the refill day, rain taken off" if ahead is not None else "mean of the week ahead"
    lines.append(Line("use_mm_d", "Use ahead", value, "mm/day", formula, computed("Kc × ETo ÷ wetted share × factor"),
                      "", True))  # fmt: skip
    return lines


def _lead_lines(given: WorkingInput) -> list[Line]:
    facts, days = given.inputs, given.advice.days
    if facts is None or days is None or (facts.rules.lead_days == 0 and not facts.rules.cautious):
        return []
    first = days.low if facts.rules.cautious else days.mid
    early = "early date (10 %)" if facts.rules.cautious else "middle date"
    return [
        Line("lead_days", "Lead time of the system", facts.rules.lead_days, "days", "", facts.rules.source, "−",
             change="lead_days"),
        Line("start_by_days", "Start within", max(0.0, first - facts.rules.lead_days), "days", f"{early} − lead time",
             computed(""), "", True),
    ]  # fmt: skip


_LIMITS = {"smallest": "min", "largest": "max"}


def _set_lines(given: WorkingInput, advised: AdvisedSet) -> list[Line]:
    lines = _net_lines(given, advised)
    if given.system is None or advised.set_time_h is None:
        return lines
    sources, kept = given.sources, advised.kept_fraction
    leaching = advised.rules.leaching_fraction
    if leaching > 0:
        larger = "the larger loss" if 1 - leaching < given.system.efficiency_fraction else "less than is lost anyway"
        rules = given.inputs.rules.source if given.inputs else computed("")
        lines.append(Line("leaching_fraction", "Leaching requirement", leaching, "", f"ECw ÷ (5 ECe − ECw); {larger}",
                          Source("equation", "FAO-29", f"salinities: {rules.detail or rules.title}")))  # fmt: skip
    if kept < given.system.efficiency_fraction:
        lines.append(Line("kept_fraction", "Share that stays for the crop", kept, "", "1 − leaching requirement",
                          computed("taken in the place of the efficiency"), "÷"))  # fmt: skip
    else:
        lines.append(Line("efficiency_fraction", "Efficiency", given.system.efficiency_fraction, "", "",
                          sources["efficiency_fraction"], "÷", change="efficiency_fraction"))  # fmt: skip
    return [
        *lines,
        Line("gross_mm", "Gross over the block", advised.gross_mm, "mm", "net ÷ the share above", computed(""), "",
             True),
        Line("rate_mm_h", "Application rate", given.system.rate_mm_h, "mm/h", given.system.rate_formula,
             sources["rate_mm_h"], "÷", change="" if given.system.pivot else "rate_mm_h"),
        Line("set_time_h", _time_label(given.system), advised.set_time_h, "h", "gross ÷ rate", computed(""), "", True),
        *_moving_lines(given, advised),
        *_after_lines(given, advised),
    ]  # fmt: skip


def _net_lines(given: WorkingInput, advised: AdvisedSet) -> list[Line]:
    """From the depletion the set starts from to the net depth."""
    sources, limits, rules = given.sources, given.limits, advised.rules
    entered = given.inputs.rules.source if given.inputs else computed("")
    if rules.fixed_dose_mm is not None:
        lines = [Line("uncut_net_mm", "Set dose", rules.fixed_dose_mm, "mm", "", entered)]
    else:
        today = given.advice.group == "act"
        lines = [
            Line("start_depletion_mm", "Depletion today" if today else "Depletion on the refill day",
                 advised.start_depletion_mm, "mm", "depletion" if today else "depletion that calls for water",
                 computed("")),
        ]  # fmt: skip
        if rules.deep_extra_mm > 0.5:
            lines.append(Line("deep_extra_mm", "Missing below what is above full", rules.deep_extra_mm, "mm",
                              "layer by layer from the top", sources["storage"], "+"))  # fmt: skip
        if rules.below_full_mm > 0:
            lines.append(Line("below_full_mm", "Left below full on purpose", rules.below_full_mm, "mm",
                              "(1 − target share) × available water", entered, "−"))  # fmt: skip
        lines.append(Line("wetted_fraction", "Wetted share of the ground", limits.wetted_fraction, "", "",
                          sources["wetted_fraction"], "×", change="wetted_fraction"))  # fmt: skip
        rain = given.advice.rain
        if rules.rain_room_mm > 0 or (rain is not None and rain.chance > 0):
            lines.append(_rain_line(given, rules.rain_room_mm))
    formula = "as the lines above" if rules.fixed_dose_mm is None else "the set dose"
    if not advised.limited_by:
        return [*lines, Line("net_mm", "Net over the block", advised.net_mm, "mm", formula, computed(""), "", True)]
    if rules.fixed_dose_mm is None:
        lines.append(Line("uncut_net_mm", "Net wanted", advised.uncut_net_mm, "mm", formula, computed("")))
    turn = advised.limited_by == "turn"
    name = "rate_mm_h" if turn else f"{_LIMITS[advised.limited_by]}_set_mm"
    formula = "a turn at 100 % × efficiency" if turn else f"the {advised.limited_by} practical set"
    change = "" if turn else name
    net = Line("net_mm", "Net over the block", advised.net_mm, "mm", formula, sources[name], "", True, change)
    return [*lines, net]


def _rain_line(given: WorkingInput, room_mm: float) -> Line:
    rain, facts = given.advice.rain, given.inputs
    if facts is not None and facts.rules.rain_room_mm is not None:
        return Line("rain_room_mm", "Rain room", room_mm, "mm", "", facts.rules.source, "−", change="rain_room_mm")
    chance = f"{rain.chance:.0%} chance of 2 mm or more within 3 days" if rain is not None else "no forecast"
    source = facts.course.outlook.source if facts is not None and facts.course is not None else computed("")
    return Line("rain_room_mm", "Rain room", room_mm, "mm", chance, source, "−", change="rain_room_mm")


def _after_lines(given: WorkingInput, advised: AdvisedSet) -> list[Line]:
    """Pulses, what the system can give, and how long to wait before reading again."""
    lines = []
    if advised.pulses is not None:
        one = advised.pulses
        lines.append(Line("pulses", "Pulses", float(one.count), "", f"of {hours_words(one.on_h)}, pauses of "
                          f"{hours_words(one.pause_h)}", given.sources["intake"]))  # fmt: skip
        lines.append(Line("pulses_h", "Hours with the pauses", one.total_h, "h", "", computed(""), "", True))
    facts = given.inputs
    if facts is not None and facts.capacity is not None:
        lines.append(Line("capacity_mm_d", "The system can give", facts.capacity.net_mm_d, "mm/day",
                          facts.capacity.words, given.sources["rate_mm_h"]))  # fmt: skip
    if given.wait_h is not None:
        lines.append(Line("wait_h", "Wait before reading again", float(given.wait_h), "h",
                          "after the end of the set, for the topsoil's texture",
                          Source("assumption", "common practice, no source")))  # fmt: skip
    return lines


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
