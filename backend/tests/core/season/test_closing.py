"""The steps of closing a season, each from where it is not due to where it is done."""

from dataclasses import replace

import pytest

from embalse.core.practice import practice
from embalse.core.season.closing import ClosingStep, SeasonEnd, StationEnd, closing_steps, next_step

GROUND = StationEnd("one/a", "middle", stays=False, out_by=120, out_on=None)
TREE = StationEnd("two/a", "tree 9", stays=True, out_by=None, out_on=None)
END = SeasonEnd(
    stays=False, cut=False, harvest_day=127, ended_day=None, finishes=False, short_mm=22.0, stations=(GROUND,),
    next_day=None, today=90,
)  # fmt: skip


def step(end: SeasonEnd, code: str) -> ClosingStep:
    return next(s for s in closing_steps(end) if s.code == code)


def stand(end: SeasonEnd) -> dict[str, str]:
    return {s.code: s.state for s in closing_steps(end)}


def test_weeks_before_the_harvest_all_is_for_later() -> None:
    assert stand(END) == dict.fromkeys(("water", "out", "clean", "harvest", "next"), "later")
    assert next_step(closing_steps(END)) is None


def test_water_stops_when_the_crop_can_finish() -> None:
    assert step(replace(END, finishes=True), "water").state == "now"
    assert step(END, "water").words["short_mm"] == 22.0
    assert step(replace(END, short_mm=None), "water").words.code == "closing.end_unknown"
    assert step(replace(END, ended_day=100, today=101), "water").state == "done"
    assert step(replace(END, stays=True, ended_day=100, today=101), "water").state == "later"


def test_stations_come_out_from_two_weeks_before_their_day() -> None:
    warn = round(practice("out_warn_days"))
    assert step(replace(END, today=120 - warn - 1), "out").state == "later"
    assert step(replace(END, today=120 - warn), "out").state == "now"
    assert step(replace(END, stations=()), "out").state == "not needed"
    assert step(replace(END, stations=(TREE,)), "out").state == "not needed"
    assert step(replace(END, stations=(replace(GROUND, out_on=118),)), "out").state == "done"
    late = step(replace(END, ended_day=127, today=128), "out")
    assert late.state == "now" and late.words.code == "closing.out_late"
    unknown = replace(END, stations=(replace(GROUND, out_by=None),), harvest_day=None)
    assert step(unknown, "out").words.code == "closing.out_unknown"


def test_one_that_stays_keeps_nobody_from_being_done() -> None:
    out = replace(GROUND, out_on=118, run="closed", put_by=2, thrown_out=1)
    found = replace(END, stations=(out, TREE))
    assert step(found, "out").state == "not needed" and step(found, "clean").state == "done"
    assert step(found, "clean").words.values == {"put_by": 2, "to_repair": 0, "thrown_out": 1}


@pytest.mark.parametrize(("run", "state"), [("none", "now"), ("open", "now"), ("closed", "done")])
def test_what_is_out_is_cleaned_before_it_is_done(run: str, state: str) -> None:
    out = replace(GROUND, out_on=118, run=run)  # type: ignore[arg-type]
    assert step(replace(END, stations=(out,)), "clean").state == state


@pytest.mark.parametrize(("today", "state"), [(126, "later"), (127, "now")])
def test_the_harvest_and_what_comes_next_are_asked_for_on_its_day(today: int, state: str) -> None:
    found = stand(replace(END, today=today))
    assert found["harvest"] == state and found["next"] == state


def test_a_crop_that_is_cut_has_no_harvest() -> None:
    found = stand(replace(END, cut=True, stays=True, stations=(TREE,), today=200))
    assert found["harvest"] == "not needed" and found["next"] == "later"


def test_a_closed_season_has_nothing_left_to_do() -> None:
    out = replace(GROUND, out_on=118, run="closed", put_by=3)
    done = replace(END, ended_day=127, today=140, stations=(out,), next_day=300)
    assert set(stand(done).values()) == {"done"}
    first = next_step(closing_steps(replace(done, next_day=None)))
    assert first is not None and first.code == "next"
