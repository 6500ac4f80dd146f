"""When to irrigate, how much, and why."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

from embalse.core.advice.season_end import LastIrrigation, window_advice
from embalse.core.advice.triggers import Trigger
from embalse.core.calendar_words import day_words, hours_words
from embalse.core.crop.depletion_forecast import RAIN_DAYS, Course, Start, days_until
from embalse.core.crop.dry_down import DailyUse, DaysToRefill, days_to_refill
from embalse.core.delivery.capacity import Capacity, CapacityShortfall, capacity_shortfall
from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import NO_RULES, BlockRules, DryWindow, Order, SetLimits
from embalse.core.delivery.set_amount import PLAIN, AdvisedSet, SetRules, advised_set
from embalse.core.errors import CoreError
from embalse.core.root_zone.root_zone import BlockState

Group = Literal["act", "coming", "leave", "none"]
NoticeKind = Literal["order", "season", "window", "capacity", "rain", "amount", "pulses", "deficit", "trigger"]
ACT_WITHIN_DAYS: Final = 1.0
COMING_WITHIN_DAYS: Final = 7.0
SHORTFALL_DAYS: Final = 14
RAIN_COUNTS_MM: Final = 2.0
RAIN_LIKELY: Final = 0.5
RAIN_TRUSTED: Final = 0.7
RAIN_WAIT_SHARE: Final = 0.1
"""How far past its trigger [share of available water] a block may wait for a trusted rain (common practice)."""


@dataclass(frozen=True)
class Notice:
    """Something that bears on the advice, in a sentence, by its kind."""

    kind: NoticeKind
    words: str


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
    price: str = ""

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
    reason: str
    why_no_date: str = ""
    notices: tuple[Notice, ...] = ()
    not_sooner: str = ""
    not_less: str = ""
    start_by_days: float | None = None
    shortfall: CapacityShortfall | None = None
    rain: RainAhead | None = None
    trigger: Trigger | None = None
    ordered: Literal["", "hold", "water"] = ""


def decide(given: DecisionInputs) -> Advice:
    """Advice for a block from its water, its use, the weather ahead, its system and its rules.

    A block past its trigger, or due within a day (lead time taken off), is for today; one due within seven days is
    coming; the rest is left alone. The limits of one and seven days are this product's own choice. Then, each over
    what stands before it: a spell the system cannot keep up with, rain that is likely, a dry window, the end of the
    season, and last what a person has ordered. Above the full point with nothing to go by, a block is left alone
    without a date.

    Parameters
    ----------
    given : DecisionInputs

    Returns
    -------
    Advice
        Group, days to refill (10, 50, 90 %), set, and reasons in sentences.
    """
    rain = rain_ahead(given.course)
    days = _days(given)
    if days is None:
        assert isinstance(given.use, CoreError)
        return _ordered(_without_date(given, given.use.reason), given, rain)
    advice = replace(_by_days(given, days, rain), rain=rain, trigger=given.trigger)
    for step in (_pressed, _rained_on, _windowed, _finished, _ordered):
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
    left = given.trigger_mm - given.state.depletion_mm
    if left <= 0:
        return DaysToRefill(0.0, 0.0, 0.0)
    if given.course is not None:
        return days_until(given.course, given.start, given.trigger_mm)
    if isinstance(given.use, CoreError):
        return None
    return days_to_refill(left, given.state.error_mm, given.use)


def _without_date(given: DecisionInputs, why: str) -> Advice:
    above = -given.state.depletion_mm
    if above > 0:
        return Advice("leave", None, None, f"{above:.0f} mm above full. No date: {why}.", why)
    return Advice("none", None, None, f"No date: {why}.", why)


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


def _by_days(given: DecisionInputs, days: DaysToRefill, rain: RainAhead | None) -> Advice:
    left = given.trigger_mm - given.state.depletion_mm
    start_by = max(0.0, (days.low if given.rules.cautious else days.mid) - given.rules.lead_days)
    if left <= 0:
        advised = _today(given, rain)
        return Advice("act", days, advised, _past(-left) + _left_over(advised), start_by_days=0.0)
    words = f"{left:.0f} mm left above refill, {_rate(given, days, left):.0f} mm going a day."
    if start_by <= ACT_WITHIN_DAYS:
        lead = f" Started now for {given.rules.lead_days:g} days of lead." if given.rules.lead_days else ""
        lead += " By the early date (10 %), as the rules ask." if given.rules.cautious and days.mid > 1 else ""
        return Advice("act", days, _today(given, rain), words + lead, start_by_days=start_by)
    # rain further ahead is in the date already
    advised = _set(given, given.trigger_mm, None)
    group: Group = "coming" if start_by < COMING_WITHIN_DAYS else "leave"
    if given.state.depletion_mm < -0.5:
        words = f"{-given.state.depletion_mm:.0f} mm above full; {_rate(given, days, left):.0f} mm going a day."
    return Advice(group, days, advised, words, start_by_days=start_by)


def _rate(given: DecisionInputs, days: DaysToRefill, left_mm: float) -> float:
    if given.course is None and isinstance(given.use, DailyUse):
        return given.use.mid_mm_d
    return left_mm / days.mid if days.mid > 0 else 0.0


def _past(over_mm: float) -> str:
    return "At the refill point." if over_mm < 0.5 else f"{over_mm:.0f} mm past the refill point."


def _left_over(advised: AdvisedSet) -> str:
    if advised.limited_by != "largest":
        return ""
    return f" The largest set leaves {advised.uncut_net_mm - advised.net_mm:.0f} mm net to bring."


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
    first, today = day_words(given.today + found.first_day), given.today
    words = f"From {first} use exceeds what the system can give by {found.shortfall_mm_d:.1f} mm/day"
    start = found.start_day
    if start is not None and start >= SHORTFALL_DAYS - 1:
        return _with(advice, Notice("capacity", f"{words}; what is stored bridges it."), shortfall=found)
    if start is None:
        tail = f"even started today, stress begins on {day_words(today + (found.stress_day or 0))}"
        words = f"{words}; {tail}, {found.short_mm:.0f} mm short at the worst."
    elif start == 0:
        words = f"{words}; start today, or stress begins."
    else:
        words = f"{words}; start by {day_words(today + start)}, or stress begins."
    notice = Notice("capacity", words)
    if start is not None and start > ACT_WITHIN_DAYS:
        return _with(advice, notice, shortfall=found)
    if advice.group == "act":
        return _with(advice, notice, shortfall=found)
    return _with(
        advice, notice, shortfall=found, group="act", advised=_today(given, rain), reason=words, start_by_days=0.0
    )


def _rained_on(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """Rain that is likely leaves room free, and may do the set's work."""
    if rain is None or advice.advised is None:
        return advice
    room = advice.advised.rules.rain_room_mm
    wanted = max(0.0, given.state.depletion_mm)
    past = given.state.depletion_mm - given.trigger_mm
    may_wait = past <= RAIN_WAIT_SHARE * given.state.marks.taw_mm and not given.rules.cautious
    enough = rain.chance_of(wanted) >= RAIN_TRUSTED
    if advice.group == "act" and may_wait and enough and wanted > 0 and (advice.shortfall is None):
        words = f"Hold: {rain.likely_mm:.0f} mm of rain is likely within {RAIN_DAYS} days, as much as the set brings."
        return _with(advice, Notice("rain", words), group="coming", reason=words)
    if room > 0.5 and advice.group == "act":
        entered = given.rules.rain_room_mm is not None
        why = "as entered" if entered else f"{rain.chance:.0%} chance of rain within {RAIN_DAYS} days"
        return _with(advice, Notice("rain", f"Rain room of {room:.0f} mm is kept free: {why}."))
    return advice


def _windowed(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """Dry windows hold water back, or bring it forward."""
    for window, dry_days in given.windows:
        asked = window_advice(window, given.today, dry_days, advice.days.mid if advice.days else 0.0)
        if not asked.words:
            continue
        if asked.action == "hold":
            words = f"Hold for {asked.words}."
            until = max(0.0, float(window.until + 1 - given.today))
            group: Group = "coming" if until < COMING_WITHIN_DAYS and not window.ends_season else "leave"
            return _with(advice, Notice("window", words), group=group, reason=words, start_by_days=until)
        last = day_words(given.today + max(0, asked.last_set_day))
        words = f"Last set by {last}: {asked.words}."
        if asked.action == "before" and asked.last_set_day <= ACT_WITHIN_DAYS and advice.group != "act":
            advice = _with(
                advice, Notice("window", words), group="act", advised=_today(given, rain), reason=words,
                start_by_days=0.0,
            )  # fmt: skip
        else:
            advice = _with(advice, Notice("window", words))
    return advice


def _finished(advice: Advice, given: DecisionInputs, rain: RainAhead | None) -> Advice:
    """The end of the season: stop when the crop can finish on what is stored."""
    season = given.season
    if season is None:
        return advice
    share = given.limits.wetted_fraction
    if season.finishes:
        words = (
            f"No more: the crop can finish on store. {season.need_mm * share:.0f} mm needed in {season.days} days, "
            f"{(season.stored_mm + season.rain_mm) * share:.0f} mm there."
        )
        return _with(advice, Notice("season", words), group="leave", advised=None, reason=words, start_by_days=None)
    if season.days <= SHORTFALL_DAYS or season.last_set_day <= COMING_WITHIN_DAYS:
        last = day_words(given.today + season.last_set_day)
        short = season.short_mm * share
        words = f"{short:.0f} mm net still to bring this season; a full profile is enough from {last}."
        return _with(advice, Notice("season", words))
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
    by = f" ({order.who})" if order.who else ""
    until = day_words(order.until)
    if order.action == "hold":
        words = f"Held until {until}{by}: {order.note}"
        return _with(advice, Notice("order", words), group="leave", reason=words, ordered="hold")
    words = f"Ordered until {until}{by}: {order.note}"
    advised = advice.advised
    if order.net_mm is not None and facts is not None:
        limits, system, rules = facts
        advised = advised_set(0.0, limits, system, replace(rules, fixed_dose_mm=order.net_mm))
    changes = {"group": "act", "advised": advised, "reason": words, "start_by_days": 0.0, "ordered": "water"}
    return _with(advice, Notice("order", words), **changes)


def _explained(advice: Advice, given: DecisionInputs) -> Advice:
    """The set's own notices, and the answers to why not sooner and why not less."""
    found = list(advice.notices)
    advised = advice.advised
    if advised is not None and advised.pulses is not None:
        one = advised.pulses
        words = (
            f"Give it as {one.count} pulses of {hours_words(one.on_h)} with {hours_words(one.pause_h)} between, "
            f"{hours_words(one.total_h)} in all: the soil takes {advised.rules.intake_mm_h:.0f} mm/h."
        )
        found.append(Notice("pulses", words))
    if advised is not None and advised.rules.deep_extra_mm > 1:
        found.append(
            Notice("amount", f"Dry layers lack {advised.rules.deep_extra_mm:.0f} mm that wet ones above full hide.")
        )
    if given.price:
        found.append(Notice("deficit", given.price))
    if given.rules.trigger != "root zone" and given.trigger is not None:
        found.append(Notice("trigger", f"Called for when {given.trigger.words}."))
    return replace(
        advice, notices=tuple(found), not_sooner=_not_sooner(advice, given), not_less=_not_less(advice, given)
    )


def _not_sooner(advice: Advice, given: DecisionInputs) -> str:
    binding = next((n.words for n in advice.notices if n.kind in ("order", "season", "window", "rain")), None)
    if advice.group == "act" or advice.days is None:
        return ""
    if binding is not None:
        return f"Not sooner: {binding[0].lower()}{binding[1:]}"
    when = day_words(given.today + int(advice.days.mid))
    by = "the forecast keeps" if given.course is not None and given.course.outlook.forecast_days else "its use keeps"
    return f"Not sooner: {by} it above refill until {when}; a set now would find {_room(given):.0f} mm of room only."


def _room(given: DecisionInputs) -> float:
    return max(0.0, given.state.depletion_mm) * given.limits.wetted_fraction


def _not_less(advice: Advice, given: DecisionInputs) -> str:
    advised = advice.advised
    if advised is None:
        return ""
    limits = {
        "smallest": f"Not less: the smallest practical set is {advised.net_mm:.0f} mm net.",
        "turn": f"Not less: the fastest turn puts on {advised.net_mm:.0f} mm net.",
        "largest": f"Not more: the largest practical set is {advised.net_mm:.0f} mm net.",
    }
    if advised.limited_by:
        return limits[advised.limited_by]
    daily = given.course.use.factor * given.course.means.week_mm_d[1] if given.course is not None else 0.0
    if advice.days is None or daily <= 0:
        return ""
    days = advised.net_mm / 2 / daily
    return f"Not less: half of it would bring the next set {days:.1f} days sooner, with the top wetted twice."
