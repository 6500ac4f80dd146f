"""The arithmetic as it would be written on a pad: every line with its formula and its source."""

import math
from dataclasses import dataclass

from embalse.core.advice.decision import RAIN_COUNTS_MM, Advice, DecisionInputs, lead_days
from embalse.core.advice.working_ahead import (
    days_formula,
    dry_down_line,
    model_line,
    season_lines,
    shortfall_lines,
    weather_lines,
)
from embalse.core.advice.working_line import Line, computed
from embalse.core.crop.depletion_forecast import ABOVE_FULL_USED, RAIN_DAYS, days_until, width_causes
from embalse.core.crop.dry_down import DailyUse, DaysToRefill
from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.delivery.moving_systems import furrow_sets
from embalse.core.delivery.set_amount import AdvisedSet
from embalse.core.root_zone.root_zone import BlockState
from embalse.core.sources import Source
from embalse.core.wording import Notice, Text
from embalse.core.wording.formatting import to_five_minutes


@dataclass(frozen=True)
class WorkingInput:
    """What the Working is written from: the advice with everything that went into it, and where entries come from."""

    state: BlockState
    use: DailyUse | None
    advice: Advice
    limits: SetLimits
    system: IrrigationSystem | None
    root_depth_cm: float
    managed: bool
    allowable_fraction: float
    refill_by_hand: bool
    sources: dict[str, Source]
    area_ha: float = 0.0
    inputs: DecisionInputs | None = None
    why_no_weather: Text = ""
    wait_h: int | None = None
    full_error_mm: float = 0.0
    allowable_in_mm: bool = False
    read_full_on: int | None = None


def working(given: WorkingInput) -> list[Line]:
    """Ordered lines from water in the roots to set time.

    Parameters
    ----------
    given : WorkingInput
        State [mm], use [mm/day], advice, limits, system, depth counted [cm], whether the roots go deeper, and the
        sources of the entries.

    Returns
    -------
    list of Line
        Each with label, value, unit, formula and source; figures are unrounded.
    """
    lines = _water_lines(given)
    if given.use is not None:
        lines += _time_lines(given, given.use)
    if given.inputs is not None:
        lines += shortfall_lines(given.inputs, given.advice.shortfall)
        lines += season_lines(given.inputs)
    if given.advice.advised is not None:
        lines += _set_lines(given, given.advice.advised)
    return lines


def _full_line(given: WorkingInput) -> Line:
    """The full point; where only texture says it with its band, and the day to read what the field says."""
    full_mm, off = given.state.marks.full_mm, given.full_error_mm
    label, source = Notice("label.full", to_cm=given.root_depth_cm), given.sources["full"]
    if off <= 0:
        return Line("full_mm", label, full_mm, "mm", "Σ θ full × thickness", source)
    told = Notice("formula.texture_full", error_mm=off, read_day=given.read_full_on)
    return Line("full_mm", label, full_mm, "mm", told, source, low=full_mm - off, high=full_mm + off)


def _water_lines(given: WorkingInput) -> list[Line]:
    marks, state, sources = given.state.marks, given.state, given.sources
    depth = {"to_cm": given.root_depth_cm}
    if given.refill_by_hand:
        allowed_formula = Notice("formula.by_hand")
    else:
        allowed_formula = Notice("formula.allowable", p=given.allowable_fraction, taw_mm=marks.taw_mm)
    error_mm = math.hypot(state.error_mm, given.full_error_mm)
    return [
        Line(
            "root_depth_cm",
            "Managed depth" if given.managed else "Root depth",
            given.root_depth_cm,
            "cm",
            "",
            sources["root_depth_cm"],
            change="root_depth_cm",
        ),
        _full_line(given),
        Line(
            "storage_mm",
            Notice("label.storage", **depth),
            state.storage_mm,
            "mm",
            "Σ θ × thickness",
            sources["storage"],
            "−",
        ),
        Line(
            "depletion_mm",
            _depletion_label(given),
            state.depletion_mm,
            "mm",
            "full point − water in roots",
            computed(_stations_notice(state)),
            result=True,
            low=state.depletion_mm - error_mm - state.may_be_wetter_mm,
            high=state.worst_mm + error_mm,
        ),
        Line("taw_mm", "Available water", marks.taw_mm, "mm", "full point − wilting point", sources["wilting"]),
        Line(
            "allowable_fraction",
            "Allowable depletion, share of available water",
            given.allowable_fraction,
            "",
            "",
            sources["allowable_fraction"],
            "×",
            change="allowable_depletion_fraction",
        ),
        Line(
            "allowable_mm",
            "Allowable depletion",
            marks.allowable_mm,
            "mm",
            allowed_formula,
            sources.get("refill", computed("full point minus refill point")),
            result=True,
        ),
    ]


def _depletion_label(given: WorkingInput) -> str:
    where = "Depletion in the wetted soil" if given.limits.wetted_fraction < 1 else "Depletion"
    return f"{where}, at least" if given.state.may_be_drier_mm else where


def _stations_notice(state: BlockState) -> Notice:
    if state.stations_total == 1:
        return Notice("stations.one", error_mm=state.error_mm)
    spread = {"lowest_mm": state.lowest_mm, "highest_mm": state.highest_mm, "error_mm": state.error_mm}
    return Notice("stations.mean", used=state.stations_used, total=state.stations_total, **spread)


def _time_lines(given: WorkingInput, use: DailyUse) -> list[Line]:
    facts = given.inputs
    trigger = given.advice.trigger
    wanted = trigger.depletion_mm if trigger is not None else given.state.marks.allowable_mm
    left = wanted - given.state.depletion_mm
    lines = []
    if facts is not None and trigger is not None and facts.rules.trigger != "root zone":
        lines.append(Line("trigger_mm", "Trigger, as depletion", wanted, "mm", trigger.rule, facts.rules.source))
    lines.append(Line("left_mm", "Left above refill", left, "mm", "trigger − depletion", computed("")))
    modelled = facts is not None and facts.course is not None and facts.course.paths is not None
    if not modelled and facts is not None and facts.course is not None and given.state.depletion_mm < 0:
        drains = (ABOVE_FULL_USED - 1) * given.state.depletion_mm
        left -= drains
        half = "half of what stands above full (common practice, no source)"
        lines.append(Line("drains_mm", "Drains before the crop can use it", drains, "mm", half, computed(""), "−"))
    days = given.advice.days
    if facts is None or facts.course is None:
        lines.append(
            Line(
                "use_mm_d",
                "Use, last dry-down",
                use.mid_mm_d,
                "mm/day",
                "median slope of dawn values",
                given.sources["use"],
                "÷",
                low=use.low_mm_d,
                high=use.high_mm_d,
            )
        )
        detail = Notice("detail.slope_limits", why=given.why_no_weather)
        formula: Text = "left ÷ use"
    elif facts.course.paths is not None:
        lines.append(model_line(facts, given.advice, left))
        formula = "left, along the middle of the model's paths"
        causes = width_causes(facts.course, facts.start, wanted) if days is not None and left > 0 else {}
        parts = tuple(Notice("detail.width", cause=name, width_days=width) for name, width in causes.items())
        detail = Notice("detail.model_paths", causes=parts)
    else:
        ahead = weather_lines(facts, given.advice, left, given.sources)
        lines += ahead
        rates = [line.value or 0.0 for line in ahead if line.key in ("use_mm_d", "rain_mm_d")]
        formula = days_formula(facts, left, rates[0] - sum(rates[1:]), 0.0 if days is None else days.mid)
        causes = width_causes(facts.course, facts.start, wanted) if days is not None and left > 0 else {}
        parts = tuple(Notice("detail.width", cause=name, width_days=width) for name, width in causes.items())
        detail = Notice("detail.paths", causes=parts)
    if days is not None and left > 0:
        lines.append(
            Line(
                "days_to_refill",
                "Days to refill",
                days.mid,
                "days",
                formula,
                computed(detail),
                "",
                True,
                "",
                days.low,
                days.high,
            )
        )
        if given.full_error_mm > 0:
            lines.append(_by_texture_line(given, days, left, wanted))
        if facts is not None and modelled:
            lines.append(dry_down_line(facts))
        lines += _lead_lines(given)
    return lines


def _by_texture_line(given: WorkingInput, days: DaysToRefill, left_mm: float, trigger_mm: float) -> Line:
    """The date with the full point as far off either way as texture's is as a rule [days].

    Where the refill point moves along with full by its share, what is left changes by the rest; where the allowed
    depletion is set in mm, by all of it.
    """
    moved = given.full_error_mm if given.allowable_in_mm else (1 - given.allowable_fraction) * given.full_error_mm
    facts = given.inputs
    if facts is not None and facts.course is not None:
        early, late = (days_until(facts.course, facts.start, trigger_mm + off).mid for off in (-moved, moved))
        early = 0.0 if left_mm <= moved else early
    else:
        early, late = (max(0.0, days.mid * (left_mm + off) / left_mm) for off in (-moved, moved))
    why = Notice("formula.texture_days", off_mm=given.full_error_mm)
    return Line(
        "texture_days", "If texture's full point is off as a rule", days.mid, "days", why, computed(""),
        low=early, high=late,
    )  # fmt: skip


def _lead_lines(given: WorkingInput) -> list[Line]:
    facts, days = given.inputs, given.advice.days
    if facts is None or days is None:
        return []
    lead, entered = lead_days(facts), facts.rules.lead_days
    if lead == 0 and not facts.rules.cautious:
        return []
    first = days.low if facts.rules.cautious else days.mid
    early = "cautious date" if facts.rules.cautious else "middle date"
    if lead > entered:
        how = Notice("formula.rotation", entered_days=entered or None)
        line = Line("lead_days", "Time to get round the block", lead, "days", how, given.sources["rate_mm_h"], "−",
                    change="lead_days")  # fmt: skip
    else:
        line = Line("lead_days", "Lead time of the system", lead, "days", "", facts.rules.source, "−",
                    change="lead_days")  # fmt: skip
    start = max(0.0, first - lead)
    formula = Notice("formula.lead", date=early)
    return [line, Line("start_by_days", "Start within", start, "days", formula, computed(""), "", True)]


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
        lines.append(
            Line(
                "leaching_fraction",
                "Leaching requirement",
                leaching,
                "",
                Notice("formula.leaching", larger=larger),
                Source("equation", "FAO-29", Notice("detail.salinities", rules=rules.detail or rules.title)),
            )
        )
    if kept < given.system.efficiency_fraction:
        lines.append(
            Line(
                "kept_fraction",
                "Share that stays for the crop",
                kept,
                "",
                "1 − leaching requirement",
                computed("taken in the place of the efficiency"),
                "÷",
            )
        )
    else:
        lines.append(
            Line(
                "efficiency_fraction",
                "Efficiency",
                given.system.efficiency_fraction,
                "",
                "",
                sources["efficiency_fraction"],
                "÷",
                change="efficiency_fraction",
            )
        )
    return [
        *lines,
        Line(
            "gross_mm", "Gross over the block", advised.gross_mm, "mm", "net ÷ the share above", computed(""), "", True
        ),
        Line(
            "rate_mm_h",
            "Application rate",
            given.system.rate_mm_h,
            "mm/h",
            given.system.rate_formula,
            sources["rate_mm_h"],
            "÷",
            change="" if given.system.pivot else "rate_mm_h",
        ),
        Line("set_time_h", _time_label(given.system), advised.set_time_h, "h", "gross ÷ rate", computed(""), "", True),
        *_moving_lines(given, advised),
        *_after_lines(given, advised),
    ]


def _net_lines(given: WorkingInput, advised: AdvisedSet) -> list[Line]:
    """From the depletion the set starts from to the net depth."""
    sources, limits, rules = given.sources, given.limits, advised.rules
    entered = given.inputs.rules.source if given.inputs else computed("")
    if rules.fixed_dose_mm is not None:
        lines = [Line("uncut_net_mm", "Set dose", rules.fixed_dose_mm, "mm", "", entered)]
    else:
        today = given.advice.group == "act"
        lines = [
            Line(
                "start_depletion_mm",
                "Depletion today" if today else "Depletion on the refill day",
                advised.start_depletion_mm,
                "mm",
                "depletion" if today else "trigger",
                computed(""),
            ),
        ]
        if rules.deep_extra_mm > 0.5:
            lines.append(
                Line(
                    "deep_extra_mm",
                    "Missing in layers below wetter ones",
                    rules.deep_extra_mm,
                    "mm",
                    "layer by layer from the top",
                    sources["storage"],
                    "+",
                )
            )
        if rules.below_full_mm > 0:
            lines.append(
                Line(
                    "below_full_mm",
                    "Left unfilled, by the target",
                    rules.below_full_mm,
                    "mm",
                    "(1 − target share) × available water",
                    entered,
                    "−",
                )
            )
        if rules.on_way_mm > 0:
            what = "what it put on, less what the probes have seen"
            lines.append(
                Line("on_way_mm", "Still on its way from the last set", rules.on_way_mm, "mm", what, computed(""), "−")
            )
        lines.append(
            Line(
                "wetted_fraction",
                "Wetted area",
                limits.wetted_fraction,
                "",
                "",
                sources["wetted_fraction"],
                "×",
                change="wetted_fraction",
            )
        )
        rain = given.advice.rain
        if rules.rain_room_mm > 0 or (rain is not None and rain.chance > 0):
            lines.append(_rain_line(given, rules.rain_room_mm))
    if rules.dose != 1:
        how = "from what the last sets brought; in force for this block"
        lines.append(Line("dose", "Correction by the audit", rules.dose, "", how, sources["dose"], "×"))
    formula: Text = "as the lines above" if rules.fixed_dose_mm is None or rules.dose != 1 else "the set dose"
    if not advised.limited_by:
        return [*lines, Line("net_mm", "Net over the block", advised.net_mm, "mm", formula, computed(""), "", True)]
    if rules.fixed_dose_mm is None:
        lines.append(Line("uncut_net_mm", "Net wanted", advised.uncut_net_mm, "mm", formula, computed("")))
    turn = advised.limited_by == "turn"
    name = "rate_mm_h" if turn else f"{_LIMITS[advised.limited_by]}_set_mm"
    formula = "a turn at 100 % × efficiency" if turn else Notice(f"formula.{advised.limited_by}")
    change = "" if turn else name
    net = Line("net_mm", "Net over the block", advised.net_mm, "mm", formula, sources[name], "", True, change)
    return [*lines, net]


def _rain_line(given: WorkingInput, room_mm: float) -> Line:
    rain, facts = given.advice.rain, given.inputs
    if facts is not None and facts.rules.rain_room_mm is not None:
        return Line("rain_room_mm", "Rain room", room_mm, "mm", "", facts.rules.source, "−", change="rain_room_mm")
    chance: Text = "no forecast"
    if rain is not None:
        chance = Notice("formula.rain", rain_chance=rain.chance, least_mm=RAIN_COUNTS_MM, within_days=RAIN_DAYS)
    source = facts.course.outlook.source if facts is not None and facts.course is not None else computed("")
    return Line("rain_room_mm", "Rain room", room_mm, "mm", chance, source, "−", change="rain_room_mm")


def _after_lines(given: WorkingInput, advised: AdvisedSet) -> list[Line]:
    """Pulses, what the system can give, and how long to wait before reading again."""
    lines = []
    if advised.pulses is not None:
        one = advised.pulses
        lines.append(
            Line(
                "pulses",
                "Pulses",
                float(one.count),
                "",
                Notice("formula.pulses", on_h=one.on_h, pause_h=one.pause_h),
                given.sources["intake"],
            )
        )
        lines.append(Line("pulses_h", "Time in all, pauses included", one.total_h, "h", "", computed(""), "", True))
    facts = given.inputs
    if facts is not None and facts.capacity is not None:
        lines.append(
            Line(
                "capacity_mm_d",
                "The system can give",
                facts.capacity.net_mm_d,
                "mm/day",
                facts.capacity.how,
                given.sources["rate_mm_h"],
            )
        )
    if given.wait_h is not None:
        lines.append(
            Line(
                "wait_h",
                "Wait before reading again",
                float(given.wait_h),
                "h",
                "after the end of the set, for the topsoil's texture",
                Source("assumption", "common practice, no source"),
            )
        )
    return lines


def _time_label(system: IrrigationSystem) -> str:
    return "Time of the turn" if system.pivot else "Time of one set" if system.furrows else "Set time"


def _moving_lines(given: WorkingInput, advised: AdvisedSet) -> list[Line]:
    """A pivot's timer setting, or how many sets of furrows cover the block."""
    system = given.system
    assert system is not None
    if advised.timer_fraction is not None:
        return [
            Line(
                "timer_fraction",
                "Timer setting, share of full speed",
                advised.timer_fraction,
                "",
                "depth of a turn at 100 % ÷ gross",
                computed("a slower turn puts on more"),
                "",
                True,
            )
        ]
    if system.furrows is not None and given.area_ha > 0 and advised.set_time_h is not None:
        count = furrow_sets(system.furrows, given.area_ha)
        return [
            Line(
                "sets",
                "Sets that cover the block",
                float(count),
                "",
                "area ÷ (furrows × spacing × run), rounded up",
                given.sources["rate_mm_h"],
                "×",
            ),
            Line(
                "all_sets_h",
                "Time for the whole block",
                count * to_five_minutes(advised.set_time_h) / 60,
                "h",
                "sets × time of one, to five minutes",
                computed("one after another, with the same inflow"),
                "",
                True,
            ),
        ]
    return []
