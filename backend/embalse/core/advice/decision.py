"""When to irrigate, how much, and why."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

from embalse.core.advice.season_end import LastIrrigation, window_advice
from embalse.core.advice.soaking import Soaking
from embalse.core.advice.triggers import Trigger
from embalse.core.crop.depletion_forecast import RAIN_DAYS, Course, Start, days_until
from embalse.core.crop.dry_down import DailyUse, DaysToRefill, days_to_refill
from embalse.core.crop.tree_signal import TreeVerdict
from embalse.core.delivery.capacity import Capacity, CapacityShortfall, capacity_shortfall
from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import NO_RULES, BlockRules, DryWindow, Order, SetLimits
from embalse.core.delivery.set_amount import PLAIN, AdvisedSet, SetRules, advised_set
from embalse.core.errors import CoreError
from embalse.core.practice import practice
from embalse.core.root_zone.root_zone import BlockState
from embalse.core.wording import Notice, Text

Group = Literal["act", "coming", "leave", "none"]
# days to refill at which water is due now: the next round is tomorrow (common practice, no source)
ACT_WITHIN_DAYS: Final = 1.0
# days to refill at which a block is coming up: a week's plan (common practice, no source)
COMING_WITHIN_DAYS: Final = 7.0
SHORTFALL_DAYS: Final = 14  # days ahead a supply is held against demand: two weeks, as far as weather is shown (ours)
RAIN_COUNTS_MM: Final = 2.0  # mm over the coming days from which a forecast member counts as rain (as wetting_rain_mm)
# share of forecast members [-] with rain from which it is waited for (ours: more likely than not)
RAIN_LIKELY: Final = 0.5
RAIN_TRUSTED: Final = practice("rain_trusted")
NOTICED_MM: Final = 0.5
"""Least depth that is spoken of [mm]: less rounds to nothing."""
DEEP_NOTICED_MM: Final = 1.0
"""Least water missing below wetter layers that is spoken of [mm]."""
RAIN_WAIT_SHARE: Final = practice("rain_wait_share")
"""How far past its trigger [share of available water] a block may wait for a trusted rain (common practice)."""


@dataclass(frozen=True)
class RainAhead:
    """Effective rain of the next three days [mm]: chance of 2 mm or more [-], middle, and every member."""

    chance: float
    likely_mm: float
    members_mm: tuple[float, ...] = ()

    def chance_of(self, depth_mm: float) -> float:
        """Share of the forecast's members with at least a depth [mm], [-]."""
        return sum(m >= depth_mm for m in self.members_mm) / len(self.members_mm) if self.members_mm else 0.0


@dataclass(frozen=True)
class DecisionInputs:
    """What a decision is taken from.

    State [mm], use [mm/day] or why there is none, limits, system and rules of the block; the course of the days ahead
    by weather, None without; ``today`` is a day number. ``windows`` come with the days their top takes to dry [days].
    ``set_rules`` are what is known of the set but the rain; ``price`` says what waiting for the trigger costs.
    ``soaking`` is a set whose water is still on its way, ``clock_h`` the farm's hour of the day [h]. ``parts`` is how
    many sets cover the block, one after another. ``trees`` is what trunks and fruit say against their plan.
    """

    state: BlockState
    use: DailyUse | CoreError
    limits: SetLimits
    system: IrrigationSystem | None
    today: int = 0
    rules: BlockRules = NO_RULES
    course: Course | None = None
    trigger: Trigger | None = None
    capacity: Capacity | None = None
    windows: tuple[tuple[DryWindow, int], ...] = ()
    orders: tuple[Order, ...] = ()
    season: LastIrrigation | None = None
    set_rules: SetRules = PLAIN
    price: Notice | None = None
    soaking: Soaking | None = None
    clock_h: float | None = None
    parts: int = 1
    trees: TreeVerdict | None = None

    @property
    def trigger_mm(self) -> float:
        """Depletion that calls for water [mm]."""
        return self.trigger.depletion_mm if self.trigger else self.state.marks.allowable_mm

    @property
    def start(self) -> Start:
        """Where the course starts, with its errors [mm]."""
        return Start(self.state.depletion_mm, self.state.sensor_error_mm, self.state.spread_error_mm)


@dataclass(frozen=True)
class Advice:
    """What to do with a block: group, days to refill, the set, and why; ``why_no_date`` when no date can be given.

    ``notices`` are what bears on it, most binding first; ``not_sooner`` and ``not_less`` answer those questions by the
    constraint that binds. ``start_by_days`` is when water must start, brought forward by lead time [days].
    """

    group: Group
    days: DaysToRefill | None
    advised: AdvisedSet | None
    reason: tuple[Notice, ...]
    why_no_date: Text = ""
    notices: tuple[Notice, ...] = ()
    not_sooner: Notice | None = None
    not_less: Notice | None = None
    start_by_days: float | None = None
    shortfall: CapacityShortfall | None = None
    rain: RainAhead | None = None
    trigger: Trigger | None = None
    ordered: Literal["", "hold", "water", "end"] = ""


def decide(given: DecisionInputs) -> Advice:
    """Advice for a block from its water, its use, the weather ahead, its system and its rules.

    A block past its trigger, or due within a day (lead time taken off), is for today; one due within seven days is
    coming; the rest is left alone. The limits of one and seven days are this product's own choice. Then, each over
    what stands before it: a spell the system cannot keep up with, rain that is likely, a dry window, the end of the
    season, and last what a person has ordered. Water still soaking in is waited for. Above the full point with
    nothing to go by, a block is left alone without a date.

    Parameters
    ----------
    given : DecisionInputs

    Returns
    -------
    Advice
        Group, days to refill (10, 50, 90 %), set, and reasons.
    """
    rain = rain_ahead(given.course)
    days = _days(given)
    if days is None:
        assert isinstance(given.use, CoreError)
        return _ordered(_without_date(given, given.use.reason), given, rain)
    advice = replace(_by_days(given, days, rain), rain=rain, trigger=given.trigger)
    for step in (_pressed, _by_trees, _rained_on, _soaking_in, _windowed, _finished, _ordered):
        advice = step(advice, given, rain)
    return _explained(advice, given)


def rain_ahead(course: Course | None) -> RainAhead | None:
    """Effective rain of the next three days by the forecast's members [mm]; None without a forecast."""
    if course is None or course.outlook.forecast_days == 0:
        return None
    sums = course.means.rain_sums_mm
    chance = 0.0 if course.means.dry else sum(s >= RAIN_COUNTS_MM for s in sums) / len(sums)
    return RainAhead(chance, course.means.rain_likely_mm, sums)


def _days(given: DecisionInputs) -> DaysToRefill | None:
    found = _days_from(given, given.start)
    if found is None or not given.state.may_be_drier_mm or found.mid <= 0:
        return found
    worst = _days_from(given, replace(given.start, depletion_mm=given.state.worst_mm))
    assert worst is not None
    # at the dry end of a range the date lies between the two; where it may be past already, it is taken to be
    mid = 0.0 if worst.mid <= 0 else (worst.mid + found.mid) / 2
    return DaysToRefill(worst.low, mid, found.high)


def _days_from(given: DecisionInputs, start: Start) -> DaysToRefill | None:
    left = given.trigger_mm - start.depletion_mm
    if left <= 0:
        return DaysToRefill(0.0, 0.0, 0.0)
    if given.course is not None:
        return days_until(given.course, start, given.trigger_mm)
    if isinstance(given.use, CoreError):
        return None
    return days_to_refill(left, given.state.error_mm, given.use)


def _without_date(given: DecisionInputs, why: Text) -> Advice:
    above = -given.state.depletion_mm
    no_date = Notice("reason.no_date", why=why)
    if above > 0:
        return Advice(
            "leave",
            None,
            None,
            (Notice("reason.above_full_only", **_over_block(given, "above_mm", above)), no_date),
            why,
        )
    return Advice("none", None, None, (no_date,), why)


def rain_room_mm(given: DecisionInputs, rain: RainAhead | None) -> float:
    """Depth kept free for rain [mm net over the block]: the rule's, or the forecast's middle where rain is likely.

    Only the rain that falls on the wetted share makes good what the wetted soil lacks.
    """
    if given.rules.rain_room_mm is not None:
        return given.rules.rain_room_mm
    likely = rain.likely_mm if rain is not None and rain.chance >= RAIN_LIKELY else 0.0
    return likely * given.limits.wetted_fraction


def _set(given: DecisionInputs, start_mm: float, rain: RainAhead | None) -> AdvisedSet:
    rules = replace(given.set_rules, rain_room_mm=rain_room_mm(given, rain), fixed_dose_mm=given.rules.fixed_dose_mm)
    return advised_set(start_mm, given.limits, given.system, rules)


def _today(given: DecisionInputs, rain: RainAhead | None) -> AdvisedSet:
    return _set(given, given.state.depletion_mm, rain)


def rotation_days(given: DecisionInputs) -> float:
    """How long after the first of a block its last part gets water [days]: a pivot's turn, or the sets before the last.

    Nil where all of a block is watered at once.
    """
    advised = _set(given, given.trigger_mm, None)
    if given.system is None or advised.set_time_h is None:
        return 0.0
    turns = 1 if given.system.pivot is not None else given.parts - 1
    return turns * advised.set_time_h / 24


def lead_days(given: DecisionInputs) -> float:
    """What is taken off a date [days]: the lead time entered, or the time to get round the block where that is longer.

    Water that reaches the last part of a block after the refill day comes late there.
    """
    return max(given.rules.lead_days, rotation_days(given))


def _by_days(given: DecisionInputs, days: DaysToRefill, rain: RainAhead | None) -> Advice:
    left = given.trigger_mm - given.state.depletion_mm
    start_by = max(0.0, (days.low if given.rules.cautious else days.mid) - lead_days(given))
    if left <= 0:
        advised = _today(given, rain)
        return Advice("act", days, advised, (_past(given, -left), *_left_over(advised)), start_by_days=0.0)
    use = _rate(given, days, left) * given.limits.wetted_fraction
    above = Notice("reason.above_refill", **_over_block(given, "left_mm", left), use_mm_d=use)
    if start_by <= ACT_WITHIN_DAYS:
        reasons = (above, *_why_now(given, days))
        return Advice("act", days, _today(given, rain), reasons, start_by_days=start_by)
    # rain further ahead is in the date already
    advised = _set(given, given.trigger_mm, None)
    group = group_of_days(start_by)
    if given.state.depletion_mm < -NOTICED_MM:
        above = Notice("reason.above_full", **_over_block(given, "above_mm", -given.state.depletion_mm), use_mm_d=use)
    return Advice(group, days, advised, (above,), start_by_days=start_by)


def _why_now(given: DecisionInputs, days: DaysToRefill) -> list[Notice]:
    """Why water is called for today though the middle date lies further off."""
    found = []
    if lead_days(given) > given.rules.lead_days and days.mid > ACT_WITHIN_DAYS:
        found.append(Notice("reason.rotation", round_days=rotation_days(given)))
    elif given.rules.lead_days:
        what = "pivot" if given.system is not None and given.system.pivot is not None else "system"
        found.append(Notice("reason.lead", system=what, lead_days=given.rules.lead_days))
    if given.state.may_be_drier_mm and given.state.worst_mm >= given.trigger_mm:
        found.append(Notice("reason.may_be_past", **_over_block(given, "drier_mm", given.state.may_be_drier_mm)))
    if given.rules.cautious and days.mid > ACT_WITHIN_DAYS:
        found.append(Notice("reason.cautious"))
    return found


def group_of_days(days: float) -> Group:
    """The group a block belongs to when water must start in some days [days]."""
    if days <= ACT_WITHIN_DAYS:
        return "act"
    return "coming" if days < COMING_WITHIN_DAYS else "leave"


def _rate(given: DecisionInputs, days: DaysToRefill, left_mm: float) -> float:
    if isinstance(given.use, DailyUse) and (given.course is None or days.mid <= 0):
        return given.use.mid_mm_d
    return left_mm / days.mid if days.mid > 0 else 0.0


def _over_block(given: DecisionInputs, name: str, wetted_mm: float) -> dict[str, float | None]:
    """A depth in the wetted soil [mm] as it is said: over the block first, in the wetted strip where they differ."""
    share = given.limits.wetted_fraction
    return {name: share * wetted_mm, "strip_mm": wetted_mm if share < 1 else None}


def _past(given: DecisionInputs, over_mm: float) -> Notice:
    if over_mm < NOTICED_MM:
        return Notice("reason.at_refill")
    return Notice("reason.past_refill", **_over_block(given, "over_mm", over_mm))


def _left_over(advised: AdvisedSet) -> list[Notice]:
    if advised.limited_by != "largest":
        return []
    return [Notice("reason.after_largest", left_mm=advised.uncut_net_mm - advised.net_mm)]


def _with(advice: Advice, notice: Notice, **changes: object) -> Advice:
    return replace(advice, notices=(notice, *advice.notices), **changes)  # type: ignore[arg-type]


def _never_pressed(course: Course, capacity: Capacity) -> bool:
    return course.use.factor * course.means.peak_mm_d <= capacity.net_mm_d


def _pressed(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """A spell in which use beats what the system can give brings the start forward."""
    if given.course is None or given.capacity is None or _never_pressed(given.course, given.capacity):
        return advice
    share = given.limits.wetted_fraction
    use = share * (given.course.daily_mm(SHORTFALL_DAYS) - given.course.means.rain_mm[:SHORTFALL_DAYS])
    found = capacity_shortfall(
        use.tolist(), given.capacity.net_mm_d, share * given.state.depletion_mm, share * given.trigger_mm
    )
    if found is None:
        return advice
    notice = _shortfall_notice(found, given.today)
    soon = found.start_day is None or found.start_day <= ACT_WITHIN_DAYS
    if not soon:
        return _with(advice, notice, shortfall=found)
    if advice.group == "act":
        return _with(advice, notice, shortfall=found, reason=(*advice.reason, notice))
    return _with(
        advice, notice, shortfall=found, group="act", advised=_today(given, rain), reason=(notice,), start_by_days=0.0
    )


def _shortfall_notice(found: CapacityShortfall, today: int) -> Notice:
    values = {"shortfall_mm_d": found.shortfall_mm_d, "first_day": today + found.first_day}
    if found.start_day is None:
        stress = today + (found.stress_day or 0)
        return Notice("capacity.stress", **values, stress_day=stress, short_mm=found.short_mm)
    if found.start_day >= SHORTFALL_DAYS - 1:
        return Notice("capacity.bridged", **values)
    if found.start_day == 0:
        return Notice("capacity.start_today", **values)
    return Notice("capacity.start_by", **values, start_day=today + found.start_day)


def _by_trees(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """Trees stressed beyond plan bring water forward, growth ahead of plan holds it; each within bounds of the soil."""
    verdict = given.trees
    if verdict is None:
        return advice
    depletion, trigger = given.state.depletion_mm, given.trigger_mm
    if verdict.word == "stressed" and advice.group != "act":
        if depletion < practice("trees_forward_share") * trigger:
            return _with(advice, Notice("trees.soil_full", seen=verdict.notice))
        sooner = Notice("trees.sooner", seen=verdict.notice)
        return _with(advice, sooner, group="act", advised=_today(given, rain), reason=(sooner,), start_by_days=0.0)
    if verdict.word == "ahead" and advice.group == "act" and advice.shortfall is None:
        if given.state.worst_mm - trigger > practice("trees_hold_share") * given.state.marks.taw_mm:
            return _with(advice, Notice("trees.held_enough", seen=verdict.notice))
        hold = Notice("trees.hold", seen=verdict.notice)
        return _with(advice, hold, group="coming", reason=(hold,), start_by_days=1.0)
    return _with(advice, verdict.notice)


def _rained_on(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """Rain that is likely leaves room free, and may do the set's work."""
    if rain is None or advice.advised is None:
        return advice
    room = advice.advised.rules.rain_room_mm
    wanted = max(0.0, given.state.worst_mm)
    past = given.state.worst_mm - given.trigger_mm
    may_wait = past <= RAIN_WAIT_SHARE * given.state.marks.taw_mm and not given.rules.cautious
    enough = rain.chance_of(wanted) >= RAIN_TRUSTED
    if advice.group == "act" and may_wait and enough and wanted > 0 and (advice.shortfall is None):
        notice = Notice("rain.hold", likely_mm=rain.likely_mm, within_days=RAIN_DAYS)
        return _with(advice, notice, group="coming", reason=(notice,))
    if room > NOTICED_MM and advice.group == "act":
        entered = given.rules.rain_room_mm is not None
        chance = {"rain_chance": rain.chance, "within_days": RAIN_DAYS}
        kept = Notice("rain.room_entered", room_mm=room) if entered else Notice("rain.room", room_mm=room, **chance)
        return _with(advice, kept)
    return advice


def _soaking_in(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """No water on top of water that is still on its way: wait until it has soaked in, then read again.

    Where the block is past its trigger even when all of it has come in, nothing is to be learned by waiting: the rest
    is for today, and what is on its way is taken off.
    """
    found = given.soaking
    if found is None or advice.group != "act" or advice.advised is None:
        return advice
    share = given.limits.wetted_fraction
    if _short_with(found, given):
        assert found.on_way_mm is not None
        rules = replace(given.set_rules, on_way_mm=found.on_way_mm)
        more = _set(replace(given, set_rules=rules), given.state.depletion_mm, rain)
        counted = Notice("on_way.counted", **_over_block(given, "on_way_mm", found.on_way_mm))
        return replace(advice, advised=more, notices=(*advice.notices, counted))
    brings = None if found.on_way_mm is None else min(share * found.on_way_mm, advice.advised.net_mm)
    return waited_for(advice, found, given.clock_h, brings)


def waited_for(advice: Advice, found: Soaking, clock_h: float | None, brings_mm: float | None = None) -> Advice:
    """Advice that waits for water on its way, at the farm's hour of the day [h]; what it brings over the block [mm]."""
    until = None if clock_h is None else clock_h + found.wait_h
    net = None if advice.advised is None else advice.advised.net_mm
    values = {"wait_h": found.wait_h, "until_clock_h": until, "on_way_mm": brings_mm, "net_mm": net}
    notice = Notice("soak.running" if found.running else "soak.wait", **values)
    return _with(advice, notice, group="coming", reason=(notice,), start_by_days=found.wait_h / 24)


def _short_with(found: Soaking, given: DecisionInputs) -> bool:
    """Whether the block stays past its trigger when all that is on its way has come in."""
    if found.running or found.on_way_mm is None:
        return False
    return given.state.depletion_mm - found.on_way_mm > given.trigger_mm


def _windowed(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """Dry windows hold water back, or bring it forward."""
    for window, dry_days in given.windows:
        asked = window_advice(window, given.today, dry_days, advice.days.mid if advice.days else 0.0)
        if asked.notice is None:
            continue
        notice = asked.notice
        if asked.action == "hold":
            return _kept_dry(advice, window, notice, given.today)
        if asked.action == "before" and asked.last_set_day <= ACT_WITHIN_DAYS and advice.group != "act":
            today = _today(given, rain)
            advice = _with(advice, notice, group="act", advised=today, reason=(notice,), start_by_days=0.0)
        else:
            advice = _with(advice, notice)
    return advice


def _kept_dry(advice: Advice, window: DryWindow, notice: Notice, today: int) -> Advice:
    until = max(0.0, float(window.until + 1 - today))
    group: Group = "coming" if until < COMING_WITHIN_DAYS and not window.ends_season else "leave"
    return _with(advice, notice, group=group, reason=(notice,), start_by_days=until)


def kept_dry(advice: Advice, windows: Sequence[DryWindow], today: int) -> Advice:
    """Advice of a block whose water is not known, under its dry windows on a day number: held from the day each begins.

    How many days its top takes to dry is not known either: that is said before.
    """
    for window in windows:
        asked = window_advice(window, today, 1, advice.days.mid if advice.days else 0.0)
        if asked.notice is not None and asked.action == "hold":
            return _kept_dry(advice, window, asked.notice, today)
        if asked.notice is not None:
            advice = _with(advice, Notice("window.unknown", dry_day=window.dry_by, what=window.what))
    return advice


def _finished(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """The end of the season: stop when the crop can finish on what is stored."""
    season = given.season
    if season is None:
        return advice
    share = given.limits.wetted_fraction
    if season.finishes:
        rain_mm = season.rain_mm * share
        notice = Notice(
            "season.finishes",
            need_mm=(season.need_mm * share),
            stored_mm=season.stored_mm * share,
            rain_mm=rain_mm if rain_mm >= NOTICED_MM else None,
            within_days=season.days,
        )
        return _with(advice, notice, group="leave", advised=None, reason=(notice,), start_by_days=None)
    if season.days <= SHORTFALL_DAYS or season.last_set_day <= COMING_WITHIN_DAYS:
        last = given.today + season.last_set_day
        return _with(advice, Notice("season.short", short_mm=season.short_mm * share, last_day=last))
    return advice


def _ordered(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """What a person has ordered stands above everything, with its note."""
    order = order_in_force(given.orders, given.today)
    if order is None:
        return advice
    advised = advice.advised
    if order.action == "water" and order.net_mm is None:
        advised = _today(given, rain)
    return with_order(replace(advice, advised=advised), order, (given.limits, given.system, given.set_rules))


def order_in_force(orders: Sequence[Order], today: int) -> Order | None:
    """The latest order that holds on a day number, None without one."""
    return next((o for o in reversed(orders) if o.until >= today), None)


def with_order(
    advice: Advice, order: Order, facts: tuple[SetLimits, IrrigationSystem | None, SetRules] | None = None
) -> Advice:
    """Advice under an order; a net depth it names [mm] becomes the set. Also for a block nothing else is known of."""
    notice = Notice(f"order.{order.action}", until_day=order.until, who=order.who, note=order.note)
    if order.action == "end":
        ended = Notice("order.end", seen=order.seen or None, who=order.who, note=order.note)
        return _with(advice, ended, group="leave", advised=None, reason=(ended,), ordered="end", start_by_days=None)
    if order.action == "hold":
        return _with(advice, notice, group="leave", reason=(notice,), ordered="hold")
    advised = advice.advised
    if order.net_mm is not None and facts is not None:
        limits, system, rules = facts
        advised = advised_set(0.0, limits, system, replace(rules, fixed_dose_mm=order.net_mm, dose=1.0))
    changes = {"group": "act", "advised": advised, "reason": (notice,), "start_by_days": 0.0, "ordered": "water"}
    return _with(advice, notice, **changes)


def _explained(advice: Advice, given: DecisionInputs) -> Advice:
    """The set's own notices, and the answers to why not sooner and why not less."""
    found = list(advice.notices)
    advised = advice.advised
    if advised is not None and advised.pulses is not None:
        one, intake = advised.pulses, advised.rules.intake_mm_h
        times = {"on_h": one.on_h, "pause_h": one.pause_h, "total_h": one.total_h}
        found.append(Notice("pulses.give", count=one.count, **times, intake_mm_h=intake))
    if advised is not None and advised.rules.deep_extra_mm > DEEP_NOTICED_MM:
        found.append(Notice("amount.deep", extra_mm=advised.rules.deep_extra_mm))
    if given.price is not None:
        found.append(given.price)
    if (given.rules.trigger != "root zone" or given.rules.trigger_share < 1) and given.trigger is not None:
        found.append(Notice("trigger.rule", trigger=given.trigger.rule))
    return replace(
        advice, notices=tuple(found), not_sooner=_not_sooner(advice, given), not_less=_not_less(advice, given)
    )


BINDING: Final = ("order", "season", "window", "soak", "rain", "trees")
"""Kinds of notices that hold water back, as answers to "why not sooner"."""


BINDING_FIRST: Final = (*BINDING, "capacity")
"""Kinds of notices that bind the advice more than its own reason or a doubt does."""


def binding_notice(advice: Advice) -> Notice | None:
    """What binds the advice most: the notice that is its reason, else the first that binds; None without one."""
    found = [n for n in advice.notices if n.kind in BINDING_FIRST]
    return next((n for n in found if n in advice.reason), found[0] if found else None)


def _not_sooner(advice: Advice, given: DecisionInputs) -> Notice | None:
    if advice.group == "act" or advice.days is None:
        return None
    binding = next((n for n in advice.notices if n.kind in BINDING), None)
    if binding is not None:
        return Notice("not_sooner.binding", binding=binding)
    when = given.today + int(advice.days.mid)
    by = "forecast" if given.course is not None and given.course.outlook.forecast_days else "use"
    return Notice(f"not_sooner.{by}", until_day=when, room_mm=_room(given))


def _room(given: DecisionInputs) -> float:
    return max(0.0, given.state.depletion_mm) * given.limits.wetted_fraction


def _not_less(advice: Advice, given: DecisionInputs) -> Notice | None:
    advised = advice.advised
    if advised is None:
        return None
    if advised.limited_by:
        return Notice(f"not_less.{advised.limited_by}", net_mm=advised.net_mm)
    daily = given.course.use.factor * given.course.means.week_mm_d[1] if given.course is not None else 0.0
    if advice.days is None or daily <= 0:
        return None
    return Notice("not_less.half", sooner_days=advised.net_mm / 2 / daily)
