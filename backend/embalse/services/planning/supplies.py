"""What each supply can give over the days of a plan: rules in force, turns, prices, and what is used already."""

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.delivery.water_cost import Tariff, price_m3
from embalse.core.planning.asking import at_night
from embalse.core.planning.water_side import Grid, HourBudget, SupplyLane
from embalse.services import times
from embalse.services.load.in_force import in_force
from embalse.services.load.water_rules import water_rules_at
from embalse.services.schema.water import WEEK, BlockShiftsPart, PricePart, WaterRulesPart, WorkHoursPart, minutes_of
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.rows import FarmRows, SupplyRow

DAY_S, DAY_H, WEEK_DAYS = 86400, 24.0, 7
LONGEST_S: Final = 10 * DAY_S  # a set lasts no longer: as the document has it
Flags = NDArray[np.bool_]


@dataclass(frozen=True)
class PlanDays:
    """The grid of a plan, the instant [s, UTC] it begins at, and the farm's zone."""

    grid: Grid
    start_at: int
    zone: str

    def at(self, step: int) -> int:
        """Instant of a step's beginning [s, UTC]."""
        return self.start_at + 60 * self.grid.step_min * step

    def step_of(self, at: float) -> int:
        """The step an instant lies in, below 0 before the plan."""
        return int((at - self.start_at) // (60 * self.grid.step_min))

    def placed(self, at: float, minutes: int) -> tuple[int, int]:
        """The step a set begins at and how many it takes: whole ones from a step on, the nearest ones between two."""
        step_s = 60 * self.grid.step_min
        if (at - self.start_at) % step_s == 0:
            return self.step_of(at), max(1, -(-minutes // self.grid.step_min))
        begin = round((at - self.start_at) / step_s)
        return begin, max(1, round((at + 60 * minutes - self.start_at) / step_s) - begin)

    def instants(self) -> NDArray[np.int64]:
        """Beginning of every step [s, UTC]."""
        return self.start_at + 60 * self.grid.step_min * np.arange(self.grid.steps)

    def covered(self, start_at: float, end_at: float) -> Flags:
        """Steps that lie wholly between two instants."""
        begin = self.instants()
        return (begin >= start_at) & (begin + 60 * self.grid.step_min <= end_at)

    def touched(self, start_at: float, end_at: float) -> Flags:
        """Steps that lie, even in part, between two instants."""
        begin = self.instants()
        return (begin < end_at) & (begin + 60 * self.grid.step_min > start_at)


def plan_days(now: int, days: int, zone: str, step_min: int) -> PlanDays:
    """The days of a plan from the next whole step after now on."""
    step_s = 60 * step_min
    start = -(-now // step_s) * step_s
    first = int(times.wall_seconds([start], zone)[0]) % DAY_S // step_s
    steps = days * DAY_S // step_s
    on = times.wall_seconds(start + step_s * np.arange(steps), zone) // DAY_S
    usual = (first + np.arange(steps)) // (DAY_S // step_s)
    changed = bool(np.any(on - on[0] != usual))
    return PlanDays(Grid(step_min, steps, first, tuple(on.tolist()) if changed else None), start, zone)


@dataclass(frozen=True)
class SupplySide:
    """A supply with the rules in force for it."""

    row: SupplyRow
    rules: WaterRulesPart | None = None

    @property
    def flow_m3_h(self) -> float | None:
        """Greatest flow [m³/h], None where not known or not limited."""
        own = self.rules.flow_m3_h if self.rules else None
        return own if own is not None else self.row.flow_m3_h

    @property
    def runs_h(self) -> float | None:
        """Hours a day it runs; None where it may run all day."""
        hours = self.rules.hours_per_day if self.rules and self.rules.hours_per_day else self.row.hours_per_day
        return None if hours is None or hours >= DAY_H else hours

    @property
    def kwh_m3(self) -> float | None:
        """Energy of a cubic metre [kWh/m³], None where not known."""
        return self.rules.energy.energy_kwh_m3() if self.rules and self.rules.energy else None

    @property
    def tariffs(self) -> list[Tariff]:
        """Its prices: those of the rules in force, else the supply's own."""
        if self.rules and self.rules.tariffs:
            return [t.tariff() for t in self.rules.tariffs]
        own = [
            PricePart.model_validate({n: t[n] for n in ("start", "end", "price")}) for t in json.loads(self.row.tariffs)
        ]
        return [t.tariff() for t in own]


def supply_sides(rows: FarmRows, now: int, zone: str) -> dict[str, SupplySide]:
    """Every supply by its key with the rules that hold for it at an instant [s, UTC]."""
    rules = water_rules_at(now, zone)
    return {supply.key: SupplySide(supply, rules.get(supply.key)) for supply in rows.supplies.values()}


def block_shifts(block: str, now: int, zone: str) -> BlockShiftsPart | None:
    """How a block is watered in parts, as it holds at an instant [s, UTC]; None where nothing is entered."""
    bodies = [json.loads(r.body) for r in record_store.records("block_shifts", block)]
    held = in_force(bodies, (now, zone))
    return BlockShiftsPart.model_validate(held[-1]) if held else None


def work_hours(now: int, zone: str) -> list[WorkHoursPart]:
    """Hours of everybody who starts and stops sets by hand, as they hold at an instant [s, UTC]."""
    held = in_force([json.loads(r.body) for r in record_store.records("work_hours")], (now, zone))
    latest = {body["person"]: WorkHoursPart.model_validate(body) for body in held}
    return list(latest.values())


def clock_of(instants: NDArray[np.int64], zone: str) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Minute of the day, weekday (0 Monday) and date (100 × month + day) of instants."""
    seconds = times.wall_seconds(instants, zone)
    minute, day = seconds % DAY_S // 60, seconds // DAY_S
    dates = {n: times.day_of(n) for n in np.unique(day).tolist()}
    weekday = np.array([dates[n].weekday() for n in day.tolist()], dtype=np.int64)
    date = np.array([100 * dates[n].month + dates[n].day for n in day.tolist()], dtype=np.int64)
    return minute, weekday, date


def attended(people: Sequence[WorkHoursPart], span: PlanDays) -> Flags | None:
    """At which ends of steps (shape (steps + 1,)) somebody is on the farm; None where no hours are entered."""
    if not people:
        return None
    at = span.start_at + 60 * span.grid.step_min * np.arange(span.grid.steps + 1)
    minute, weekday, date = clock_of(at, span.zone)
    there = np.zeros(len(at), dtype=bool)
    for person in people:
        for part in person.hours:
            days = frozenset(WEEK.index(d) for d in part.days)
            hours = Tariff(minutes_of(part.start), minutes_of(part.end), 0.0, weekdays=days)
            there |= hours.holds(minute, weekday, date) | (hours.holds((minute - 1) % 1440, weekday, date))
    return there


def night(span: PlanDays) -> Flags:
    """Steps of the night."""
    minute, _, _ = clock_of(span.instants(), span.zone)
    return at_night(minute)


@dataclass(frozen=True)
class Taken:
    """Water that is promised on a supply: from when to when [s, UTC], and its flow [m³/h]."""

    supply: str
    start_at: int
    end_at: int
    flow_m3_h: float


def lane_of(side: SupplySide, span: PlanDays, taken: Iterable[Taken], rows: FarmRows) -> SupplyLane:
    """A supply over the steps of a plan: its flow less what is promised, its prices, hours and water left."""
    steps = span.grid.steps
    most = np.inf if side.flow_m3_h is None else side.flow_m3_h
    flow = np.full(steps, most)
    rules = side.rules
    if rules and rules.turns:
        flow[:] = 0.0
        for turn in rules.turns:
            inside = span.covered(times.epoch(turn.start, span.zone), times.epoch(turn.end, span.zone))
            flow[inside] = turn.flow_m3_h or most
    already = np.zeros(steps, dtype=bool)
    mine = [t for t in taken if t.supply == side.row.key]
    for one in mine:
        runs = span.touched(one.start_at, one.end_at)
        already |= runs
        flow[runs] = np.maximum(0.0, flow[runs] - one.flow_m3_h)
    price = price_m3(side.tariffs, side.kwh_m3, clock_of(span.instants(), span.zone))
    lane = SupplyLane(side.row.key, flow, price, side.runs_h, already=already if already.any() else None)
    if rules and rules.least_flow_m3_h > 0:
        lane = replace(lane, least_m3_h=rules.least_flow_m3_h)
    budgets = [] if side.runs_h is None else [_today(side, span, rows, side.runs_h)]
    if rules and rules.hours_per_week is not None:
        budgets += _weeks(side, span, rows, rules.hours_per_week)
    lane = replace(lane, budgets=tuple(budgets))
    if rules and rules.season is not None:
        promised = sum(t.flow_m3_h * (t.end_at - t.start_at) / 3600 for t in mine)
        lane = replace(lane, volume_m3=max(0.0, (season_left_m3(side, rows, span) or 0.0) - promised))
    return lane


def _today(side: SupplySide, span: PlanDays, rows: FarmRows, hours: float) -> HourBudget:
    """Hours left of the plan's first day: what ran since midnight is taken off."""
    midnight = times.instant_of(times.local_day(span.start_at, span.zone), 0, span.zone)
    end = int((span.grid.day_of() == 0).sum())
    return HourBudget(0, end, max(0.0, hours - _ran_hours(side, rows, midnight, span.start_at)))


def _weeks(side: SupplySide, span: PlanDays, rows: FarmRows, hours: float) -> Iterable[HourBudget]:
    """Hours of each week, Monday to Sunday, the plan touches; what ran since Monday is taken off the first."""
    first = times.local(span.start_at, span.zone)
    monday = times.instant_of(times.day_number(first.date() - timedelta(days=first.weekday())), 0, span.zone)
    ran = _ran_hours(side, rows, monday, span.start_at)
    begin, at = 0, times.day_number(times.local(monday, span.zone).date())
    while begin < span.grid.steps:
        at += WEEK_DAYS
        end = min(span.grid.steps, max(begin + 1, span.step_of(times.instant_of(at, 0, span.zone))))
        yield HourBudget(begin, end, max(0.0, hours - ran))
        begin, ran = end, 0.0


def _sets_of(side: SupplySide, rows: FarmRows, start_at: int, end_at: int) -> list[tuple[int, int, float]]:
    """Sets logged at a supply's blocks in a span: start, end [s, UTC] and water [m³]."""
    area_ha = {b.key: b.area_ha for b in rows.blocks if b.supply_id == side.row.id}
    logged = readings_store.sets(None, start_at - LONGEST_S, end_at)
    mine = (s for s in logged if s.block_key in area_ha and s.end_at > start_at)
    return [(s.start_at, s.end_at, s.gross_mm * 10 * area_ha[s.block_key]) for s in mine]


def water_of_supply(side: SupplySide, span: tuple[int, int]) -> float:
    """Water of the sets logged at a supply's blocks that began in a span [m³, s UTC]."""
    rows = farm_store.farm_rows()
    start, end = span
    return sum(water for begun, _, water in _sets_of(side, rows, start, end) if start <= begun < end)


def _ran_hours(side: SupplySide, rows: FarmRows, start_at: int, end_at: int) -> float:
    total, until = 0.0, start_at
    for begin, end, _ in sorted(_sets_of(side, rows, start_at, end_at)):
        total += max(0, min(end, end_at) - max(begin, until))
        until = max(until, min(end, end_at))
    return total / 3600


def season_left_m3(side: SupplySide, rows: FarmRows, span: PlanDays) -> float | None:
    """Water a supply may still give this season [m³]; None where no volume is allowed for it, or not now."""
    season = side.rules.season if side.rules else None
    if season is None:
        return None
    first = times.instant_of(times.day_number(season.first), 0, span.zone)
    used = sum(water for _, _, water in _sets_of(side, rows, first, span.start_at))
    return season.volume_m3 - used
