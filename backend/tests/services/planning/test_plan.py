"""The plan of a farm: what its supplies give is never overdrawn, waiting and keep-dry periods hold, the rest is told."""

import json
from collections.abc import Callable
from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.planning.plan import PlanContent, plan_content
from embalse.services.planning.supplies import plan_days
from embalse.services.setup import overrides
from embalse.store import farm as farm_store
from tests.services.advice.test_deciding import import_and_advise

MADE: list[PlanContent] = []


@pytest.fixture
def plan(demo: Settings) -> PlanContent:
    """The demonstration's plan of three days, made once: it is the same for every test that only reads it."""
    if not MADE:
        MADE.append(plan_content(days=3))
    return MADE[0]


def at(text: str) -> datetime:
    return datetime.fromisoformat(text)


def test_no_supply_gives_more_than_it_has(plan: PlanContent) -> None:
    supplies = {s.key: s for s in farm_store.supplies()}
    assert {s.supply for s in plan.sets} == {"pozo", "rio", "balsa"}
    for key, supply in supplies.items():
        mine = [s for s in plan.sets if s.supply == key and at(s.end) > at(plan.start)]
        for one in mine:
            running = [s for s in mine if at(s.start) <= at(one.start) < at(s.end)]
            assert supply.flow_m3_h is None or sum(s.flow_m3_h for s in running) <= supply.flow_m3_h + 1e-6


def test_a_block_its_supply_cannot_water_at_once_is_watered_in_parts(plan: PlanContent) -> None:
    first, second, *_ = parts = [s for s in plan.sets if s.block == "bajo"]
    advised = next(b for b in round_content().blocks if b.key == "bajo").advised
    assert advised is not None
    assert {first.shift, second.shift} == {"west half", "east half"} and at(first.end) <= at(second.start)
    assert {first.valve, second.valve} == {"B-west", "B-east"} and all(s.parts == 2 for s in parts)
    assert first.volume_m3 + second.volume_m3 == pytest.approx(advised.volume_m3)


def test_a_block_that_uses_up_its_set_within_the_days_gets_the_next_one(plan: PlanContent) -> None:
    parts = [s for s in plan.sets if s.block == "bajo"]
    assert [s.key for s in parts if "+1" in s.key] and len(parts) == 4
    advised = next(b for b in round_content().blocks if b.key == "bajo")
    assert advised.advised is not None and advised.use_mm_d is not None
    days = advised.advised.net_mm / (advised.use_mm_d.mid * advised.wetted_fraction)
    assert at(parts[2].start) - at(parts[0].start) >= timedelta(days=days - 1.1)


def test_a_turn_longer_than_the_pump_runs_is_split_over_days(plan: PlanContent) -> None:
    parts = [s for s in plan_content(days=5).sets if s.block == "circulo"]
    running, *parts = parts
    assert (running.state, running.end[:16]) == ("running", "2026-07-15T09:12")
    assert len(parts) == 2 and all(s.parts == 3 for s in parts)
    assert all(s.hours <= 22 and s.net_mm == parts[0].net_mm for s in parts)
    assert all(at(a.end) <= at(b.start) for a, b in pairwise([running, *parts]))


def test_water_runs_only_within_the_turns_of_a_canal(plan: PlanContent) -> None:
    longer = plan_content(days=7)
    [river] = [lane for lane in longer.lanes if lane.supply == "rio"]
    assert [(a[:16], b[:16]) for a, b in river.closed] == [("2026-07-17T18:00", "2026-07-19T06:00")]
    mine = [s for s in longer.sets if s.supply == "rio"]
    assert mine and not any(at(s.start) < at(b) and at(s.end) > at(a) for s in mine for a, b in river.closed)


def test_sets_by_hand_begin_and_end_when_somebody_is_there(plan: PlanContent) -> None:
    there = [(at(a), at(b)) for person in plan.people for a, b in person.there]
    by_hand = [s for s in plan.sets if s.by_hand and s.state == "proposed" and s.block in ("ladera", "vega")]
    assert by_hand
    for one in by_hand:
        for moment in (at(one.start), at(one.end)):
            near = [(a, b) for a, b in there if a <= moment <= b]
            assert near, (one.name, moment)


def test_water_that_still_soaks_in_is_waited_for(plan: PlanContent) -> None:
    ladera = next(b for b in round_content().blocks if b.key == "ladera")
    one = next(s for s in plan.sets if s.block == "ladera" and s.state == "proposed")
    assert ladera.wait_until_at is not None and at(one.start) >= at(ladera.wait_until_at)


def test_the_night_is_cheaper_where_no_crop_minds(plan: PlanContent) -> None:
    [one] = [s for s in plan.sets if s.block == "norte-1"]
    cubic_metre_kwh = 9.80665 * 1000 * (62 + 2.4e5 / 9806.65) / 0.66 / 3.6e6
    price = one.cost / one.volume_m3 / cubic_metre_kwh
    assert 0.09 <= price < 0.15 and one.late_h == 0


def test_furrows_are_watered_a_day_of_sets_at_a_stretch_and_what_does_not_fit_is_named(plan: PlanContent) -> None:
    vega = [s for s in plan.sets if s.block == "vega"]
    assert all(s.parts == 4 and s.hours <= 24 for s in vega) and len(vega) == 2
    unfit = {u.block: (u.supply, u.left, u.parts) for u in plan.unfit}
    assert unfit == {"vega": ("balsa", 2, 4), "circulo": ("rio", 1, 3)}
    lacks = {u.block: u.lacks for u in plan.unfit}
    assert "reservoir is taken by sets that are more urgent: it needs 18 h 05 min at a stretch" in lacks["vega"]
    assert "mm past its trigger" in lacks["vega"] and lacks["circulo"] == "river pump has no hours left that it may run"
    assert "no place for 3 sets." in plan.words
    longer = plan_content(days=7)
    assert "vega" not in {u.block for u in longer.unfit} and [s.part for s in longer.sets if s.block == "vega"][:4] == [
        1,
        2,
        3,
        4,
    ]


def test_only_half_a_day_past_the_trigger_is_told_as_late(plan: PlanContent) -> None:
    late = sum(s.late for s in plan.sets)
    assert all(s.late == (s.late_h >= 12) for s in plan.sets)
    assert 0 < late < sum(s.late_h > 0 for s in plan.sets) and f"{late} later than the crop asks" in plan.words


def test_the_quick_plan_is_there_at_once_and_holds_the_same_limits(demo: Settings) -> None:
    quick = plan_content(days=3, quick=True)
    assert not quick.proven and quick.ways_out == [] and {s.block for s in quick.sets} >= {"bajo", "circulo"}


def test_lanes_tell_when_water_is_dear(plan: PlanContent) -> None:
    [well] = [lane for lane in plan.lanes if lane.supply == "pozo"]
    assert [(a[11:16], b[11:16]) for a, b in well.dear] == [("10:00", "22:00")] * 3
    assert (well.flow_m3_h, well.runs_h) == (270.0, 20.0)
    assert [lane.dear for lane in plan.lanes if lane.supply == "rio"] == [[]] and well.left_m3 is not None


def test_a_block_that_is_held_is_left_out_and_one_ordered_comes_in(demo: Settings) -> None:
    body = overrides.OrderIn(action="hold", until="2026-07-18", note="pump is out")  # type: ignore[arg-type]
    overrides.give_order("mesa", body)
    found = plan_content(days=1)
    assert "mesa" not in {s.block for s in found.sets} | {u.block for u in found.unfit}
    assert [(h.block, "pump is out" in h.why) for h in found.held] == [("mesa", True)]


def test_a_block_that_must_stay_dry_gets_no_water_until_it_is_over(demo: Settings) -> None:
    body = {"what": "spraying", "dry_by": "2026-07-13", "until": "2026-07-15", "top_cm": 30}
    overrides.add_window("bajo", overrides.WindowIn.model_validate(body))
    parts = [s for s in plan_content(days=3).sets if s.block == "bajo" and s.state == "proposed"]
    assert parts and all(s.start >= "2026-07-16T00:00" for s in parts)
    assert [s for s in plan_content(days=1).sets if s.block == "bajo" and s.state == "proposed"] == []


def test_the_plan_of_a_past_morning_is_as_the_advice_of_then(demo: Settings) -> None:
    past = plan_content("2026-07-01T06:00", 2)
    assert past.as_of.startswith("2026-07-01T06:00")
    assert all(at(s.start) >= at(past.as_of) for s in past.sets if s.state == "proposed")
    assert all(at(s.end) <= at(past.as_of) + timedelta(days=2) for s in past.sets)


def test_on_the_command_line(demo: Settings) -> None:
    env = {"EMBALSE_DATA": str(demo.data)}
    said = CliRunner().invoke(main, ["plan", "--json", "--days", "3"], env=env)
    content: dict[str, Any] = json.loads(said.output)
    assert {"sets", "unfit", "ways_out"} <= set(content) and {"running", "proposed"} == {
        s["state"] for s in content["sets"]
    }
    told = CliRunner().invoke(main, ["plan"], env=env).output
    assert "Bajo, east half" in told and "does not fit: Vega" in told
    assert CliRunner().invoke(main, ["plan", "--days", "11"], env=env).exit_code == 2


def test_a_block_without_a_supply_says_so(farm: Settings, logger_file: Callable[..., Path]) -> None:
    assert import_and_advise(logger_file).advised is not None
    found = plan_content(days=10)
    assert found.sets == [] and [(u.block, u.supply) for u in found.unfit] == [("one", "")]
    assert "no supply is entered" in found.unfit[0].lacks


@pytest.mark.parametrize(("day", "steps"), [("2026-10-25", 50), ("2026-03-29", 46), ("2026-07-14", 48)])
def test_a_night_on_which_clocks_change_has_another_number_of_steps(day: str, steps: int) -> None:
    start = int(datetime.fromisoformat(f"{day}T00:00").replace(tzinfo=ZoneInfo("Europe/Madrid")).timestamp())
    span = plan_days(start, 2, "Europe/Madrid", 30)
    assert int((span.grid.day_of() == 0).sum()) == steps
    assert (span.grid.days is None) == (steps == 48)
