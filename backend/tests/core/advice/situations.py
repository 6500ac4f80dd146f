"""Situations a block can be in: every rule, system and kind of weather, from wet to dry, and all that is said of them.

``python -m tests.core.advice.situations`` writes the record anew: do it only for a change that is meant, and read what
differs.
"""

from collections.abc import Iterator
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import numpy as np

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.forecast_skill import Call, outcome, skill
from embalse.core.advice.projection import layers_ahead_mm, storage_fan, storage_ticks_mm
from embalse.core.advice.ranking import day_notices, urgency, visit_order, visit_reasons
from embalse.core.advice.soaking import NO_WATER, GivenSet, GivenWater
from embalse.core.advice.what_if import what_if
from embalse.core.crop.stages import CropCalendar
from embalse.core.delivery.capacity import capacity_shortfall, net_capacity
from embalse.core.delivery.delivery import IrrigationSystem, Supply
from embalse.core.delivery.infiltration import cycle_and_soak, intake_limit_mm_h, wait_before_reading_h
from embalse.core.delivery.irrigation_rules import BlockRules, DryWindow, Order, SetLimits
from embalse.core.delivery.leaching import applied_share, leaching_requirement
from embalse.core.delivery.moving_systems import (
    Furrows,
    Pivot,
    end_rate_mm_h,
    furrow_rate_mm_h,
    furrow_sets,
    pivot_area_ha,
    pivot_depth_mm,
    pivot_rate_mm_h,
)
from embalse.core.delivery.set_amount import SetRules, advised_set
from embalse.core.delivery.uniformity import efficiency_from_uniformity, uniformity
from embalse.core.root_zone.block import Block, Moment, SensorReadings
from embalse.core.weather.weather_outlook import Forecast, PastDay, outlook
from embalse.core.wording import sentences, text
from tests.core.build import DAY, DEPTHS, MOMENT, block, drying, station
from tests.core.record import plain, write

LAST_SET = GivenSet(MOMENT.now - 26 * 3600, MOMENT.now - 20 * 3600, 20.0)
RECORD = Path(__file__).with_name("record.json")
CALENDAR = CropCalendar(DAY - 60, (10, 10, 200, 10), (0.4, 1.0, 0.5), "test")
PIVOT = Pivot(400, 180, 18, depth_at_full_mm=8)
FURROWS = Furrows(2.0, 40, 1.5, 300.0, 0.1)
THETAS = (0.31, 0.24, 0.199)


def weather(eto: float, rain: float, chance: float, grows: float = 0.0) -> Moment:
    """A morning with ten days of forecast by ten members, some of which bring rain on the second day."""
    past = {d: PastDay(3.0 + 0.1 * (d % 3), "given") for d in range(DAY - 30, DAY)}
    members = np.zeros((10, 10))
    members[: round(10 * chance), 1] = rain
    days = eto + grows * np.arange(10)[None, :] + 0.1 * np.arange(10)[:, None]
    return replace(MOMENT, outlook=outlook(past, Forecast(0.0, DAY, days, members, "made up"), DAY))


SKIES = {"mild": weather(2.0, 0.0, 1.0), "hot": weather(5.0, 0.0, 1.0, 0.4), "rain": weather(3.0, 12.0, 0.6),
         "much rain": weather(3.0, 90.0, 0.8)}  # fmt: skip


def blocks() -> Iterator[tuple[str, Block]]:
    """Every way a block can be set up, with its name."""
    plain = replace(block(), calendar=CALENDAR, crop="tomato")
    yield "plain", plain
    for name, rules in {
        "cautious": BlockRules(cautious=True, lead_days=2.0),
        "lead": BlockRules(lead_days=3.0),
        "any layer": BlockRules(trigger="any layer"),
        "tension": BlockRules(trigger="upper tension", tension_kpa=60.0, tension_to_cm=30.0),
        "no upper sensor": BlockRules(trigger="upper tension", tension_kpa=60.0, tension_to_cm=5.0),
        "rain room": BlockRules(rain_room_mm=5.0),
        "filled to 0.8": BlockRules(fill_share=0.8),
        "dose": BlockRules(fixed_dose_mm=12.0),
        "salt": BlockRules(ec_water_ds_m=2.0, ec_soil_ds_m=1.5),
        "little salt": BlockRules(ec_water_ds_m=0.3, ec_soil_ds_m=2.5),
        "ends soon": BlockRules(last_day=DAY + 4),
        "ends later": BlockRules(last_day=DAY + 13, end_share=0.4),
        "ends last": BlockRules(last_day=DAY + 40, end_share=0.6),
    }.items():
        yield name, replace(plain, rules=rules)
    for name, system in {
        "pivot": IrrigationSystem("pivot", 8 / 18, 0.85, pivot=PIVOT),
        "furrow": IrrigationSystem("furrow", furrow_rate_mm_h(FURROWS), 0.6, furrows=FURROWS),
        "fast sprinkler": IrrigationSystem("sprinkler", 14.0, 0.75),
        "slow drip": IrrigationSystem("drip", 0.12, 0.9),
    }.items():
        yield name, replace(plain, system=system, slope_pct=6.0)
    yield "well", replace(plain, supply=Supply("well", 60.0, 10.0))
    yield (
        "measured intake",
        replace(plain, system=IrrigationSystem("micro", 6.0, 0.9), rules=BlockRules(max_rate_mm_h=3)),
    )
    yield "limits", replace(plain, limits=SetLimits(0.5, 8.0, 20.0))
    yield "tight allowance", replace(block(allowable=0.25), calendar=CALENDAR, crop="tomato")
    yield "wide allowance", replace(block(allowable=0.8), calendar=CALENDAR, crop="tomato")
    for name, window in {
        "cutting soon": DryWindow("cutting", DAY + 2, DAY + 5, 20.0),
        "cutting later": DryWindow("cutting", DAY + 9, DAY + 12, 20.0),
        "harvest": DryWindow("harvest", DAY + 3, DAY + 8, 30.0, ends_season=True),
    }.items():
        yield name, replace(plain, windows=(window,))
    for name, order in {
        "held": Order("hold", DAY + 2, "the pump is being mended", "Ana"),
        "ordered": Order("water", DAY, "hot wind tomorrow", net_mm=7.0),
        "ordered as advised": Order("water", DAY, "hot wind tomorrow"),
        "order over": Order("hold", DAY - 1, "yesterday"),
    }.items():
        yield name, replace(plain, orders=(order,))
    yield "two stations", replace(plain, stations=(station("a"), station("b")))
    yield "no weather of the crop", block()


def readings_of(name: str, theta: float) -> dict[str, SensorReadings]:
    """Sensors that dry to a water content: drier with depth by a little, one unlike or missing where the name asks."""
    found = {f"a/{d:g}": drying(theta - 0.002 * n, 0.011 - 0.001 * n) for n, d in enumerate(DEPTHS)}
    if name == "two stations":
        found |= {f"b/{d:g}": drying(theta + 0.03, 0.009) for d in DEPTHS}
    return found


def cases() -> Iterator[tuple[str, BlockAnalysis]]:
    """Every situation, analysed."""
    for name, given in blocks():
        for sky, moment in SKIES.items():
            for theta in THETAS:
                found = analyse(given, readings_of(name, theta), GivenWater(frozenset({DAY - 6}), (LAST_SET,)), moment)
                yield f"{name}, {sky}, {theta}", found
    plain = replace(block(), calendar=CALENDAR, crop="tomato")
    full = readings_of("plain", 0.22)
    for name, part in {
        "middle missing": {k: v for k, v in full.items() if k != "a/30"},
        "top missing": {k: v for k, v in full.items() if k != "a/10"},
        "none": {},
        "stale": {k: drying(0.22, age_h=30.0) for k in full},
        "no dawns": {k: SensorReadings(MOMENT.now, 0.22) for k in full},
        "wet over dry": full | {"a/10": drying(0.30, 0.001), "a/30": drying(0.16), "a/50": drying(0.16)},
    }.items():
        yield (
            name,
            analyse(
                plain,
                part,
                GivenWater(sets=(GivenSet(MOMENT.now - 9 * 3600, MOMENT.now - 5 * 3600, 20.0),)),
                SKIES["hot"],
            ),
        )
    for changes in ({"efficiency_fraction": 0.4}, {"root_depth_cm": 40.0}, {"lead_days": 2.0}, {"rain_room_mm": 3.0}):
        changed = what_if(plain, changes)
        yield f"what if {changes}", analyse(changed, full, NO_WATER, SKIES["hot"])


def told(name: str, found: BlockAnalysis) -> dict[str, Any]:
    """Everything said of a block; what is drawn of it for the plain ones only."""
    advice = found.advice
    answer: dict[str, Any] = {
        "group": advice.group,
        "reason": sentences(advice.reason),
        "notices": [[n.kind, text(n)] for n in advice.notices],
        "cautions": [text(c) for c in found.cautions],
        "why_no_date": text(advice.why_no_date) if advice.why_no_date else "",
        "not": [text(advice.not_sooner) if advice.not_sooner else "", text(advice.not_less) if advice.not_less else ""],
        "days": advice.days,
        "start_by": advice.start_by_days,
        "set": advice.advised and asdict(advice.advised),
        "state": found.state,
        "use": found.use,
        "lines": {
            line.key: line.value if line.low is None else [line.low, line.value, line.high] for line in found.lines
        },
        "urgency": urgency(found),
    }
    if name.startswith("plain") and found.inputs is not None and found.use is not None:
        answer["ticks"] = storage_ticks_mm(found.inputs, found.use)
        answer["fan"] = storage_fan(found.inputs, found.use)
        states = found.stations[0].state
        if states is not None:
            layers = [(s.layer, s.theta) for s in states.layers]
            answer["ahead"] = layers_ahead_mm(layers, [12.0, -20.0, 9.0, 30.0, 60.0], found.root_depth_cm or 60.0)
    return answer


def arithmetic() -> dict[str, Any]:
    """The smaller rules, each with some numbers."""
    calls = [Call(DAY - n, 2.0, 4.0 + 0.1 * n, 6.0, 30.0, 5.0) for n in range(12)]
    dawns = {DAY - 20 + n: 10.0 + 2.5 * n - (20.0 if n > 16 else 0.0) for n in range(30)}
    outcomes = [outcome(call, dawns, frozenset({DAY - 3})) for call in calls]
    drip = IrrigationSystem("drip", 2.0, 0.9)
    analysed = [found for _, found in list(cases())[::37]]
    return {
        "skill": [outcomes, skill(outcomes)],
        "capacity": [net_capacity(s, area, supply) for s in (drip, IrrigationSystem("furrow", 3.0, 0.6, furrows=FURROWS))
                     for area in (4.0, 10.0) for supply in (None, Supply("w", 60.0, 10.0), Supply("w", None, 8.0))],
        "shortfall": [capacity_shortfall(use, capacity, 10.0, 25.0) for capacity in (2.0, 5.0, 7.0)
                      for use in ([4.0] * 6, [6.0, 9.0, 9.0, 6.0, 5.0], [8.0, 4.0, 9.0, 9.0, 9.0])],
        "sets": [advised_set(d, SetLimits(w, low, high), s, r) for d in (0.0, 9.0, 40.0, 90.0)
                 for w, low, high in ((0.5, None, None), (1.0, 6.0, 30.0))
                 for s in (None, drip, IrrigationSystem("pivot", 8 / 18, 0.85, pivot=PIVOT),
                           IrrigationSystem("sprinkler", 12.0, 0.8))
                 for r in (SetRules(), SetRules(4.0, 6.0, 3.0, None, 0.2, 5.0), SetRules(fixed_dose_mm=9.0))],
        "pulses": [cycle_and_soak(g, r, i) for g in (4.0, 20.0, 45.0) for r in (6.0, 12.0) for i in (3.0, 6.0, 9.0)],
        "intake": [intake_limit_mm_h(t, s, c) for t in ("sand", "sandy loam", "loam", "clay loam", "clay", "?")
                   for s in (0.0, 5.0, 5.1, 8.0, 8.1, 12.0, 12.1, 20.0) for c in (False, True)],
        "wait": [wait_before_reading_h(t) for t in ("sand", "sandy loam", "loam", "clay loam", "clay", "?")],
        "leaching": [[leaching_requirement(w, s), applied_share(0.8, leaching_requirement(w, s))]
                     for w in (0.3, 1.0, 2.0) for s in (1.5, 3.0)],
        "pivot": [f(p) for p in (PIVOT, Pivot(400, 180, 18), Pivot(300, 90, 24, 30.0, 20.0))
                  for f in (pivot_area_ha, pivot_depth_mm, pivot_rate_mm_h)] + [end_rate_mm_h(PIVOT, 15.0)],
        "furrows": [[furrow_rate_mm_h(f), furrow_sets(f, a)] for f in (FURROWS, Furrows(1.2, 20, 0.9, 180.0))
                    for a in (0.5, 2.0, 9.0)],
        "evenness": [uniformity(c) for c in ([22, 25, 27, 24], [10, 0, 12, 9, 11, 14, 13, 8, 10.5])],
        "efficiency": [efficiency_from_uniformity(0.8, k) for k in (1.0, 0.9)],
        "visits": visit_order(visit_reasons(analysed)),
        "day": [[text(n) for n in day_notices(b, c, v)] for c in (0, 1, 3) for v in (0, 1, 2)
                for b in ([], [("A", "act")], [("A", "act"), ("B", "leave"), ("C", "none")],
                          [(n, "coming") for n in "ABC"], [(n, "act") for n in "ABCDE"])],
    }  # fmt: skip


def record() -> dict[str, Any]:
    """Everything said of every situation."""
    said = {name: plain(told(name, found)) for name, found in cases()}
    return {"situations": said, "arithmetic": plain(arithmetic())}


if __name__ == "__main__":
    write(RECORD, record())
