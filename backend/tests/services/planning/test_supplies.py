"""What a supply has left: hours that ran, water promised and used this season; places on and off the grid; held sets."""

from datetime import date, datetime, timedelta

import pytest

from embalse.config import Settings
from embalse.services import times
from embalse.services.planning import groups
from embalse.services.planning.approving import ApproveIn, ChangeIn, DraftIn, PlaceIn, approve, change, check
from embalse.services.planning.plan import PlanContent, plan_content
from embalse.services.planning.planned import planned_sets
from embalse.services.planning.supplies import PlanDays, SupplySide, Taken, lane_of, plan_days
from embalse.services.schema.water import WaterRulesPart
from embalse.services.setup import overrides
from embalse.store import farm as farm_store
from embalse.store.errors import Conflict
from tests.conftest import put

ZONE = "Europe/Madrid"
NOW = times.epoch(datetime.fromisoformat("2026-07-14T06:00"), ZONE)
SEASON = {"volume_m3": 500_000, "first": "2026-03-01", "last": "2026-10-31"}


@pytest.fixture
def span(demo: Settings) -> PlanDays:
    return plan_days(NOW, 2, ZONE, 30)


def side(**rules: object) -> SupplySide:
    row = next(s for s in farm_store.farm_rows().supplies.values() if s.key == "pozo")
    part = WaterRulesPart(
        key="r", valid_from=date(2026, 3, 1), entered=None, supply="pozo", kind="other", flow_m3_h=270, **rules
    )  # type: ignore[arg-type]
    return SupplySide(row, part)


def test_water_of_the_season_is_less_what_ran_and_what_is_promised(span: PlanDays) -> None:
    rows = farm_store.farm_rows()
    free = lane_of(side(season=SEASON), span, [], rows).volume_m3
    promised = [Taken("pozo", NOW + 3600, NOW + 11 * 3600, 100.0), Taken("balsa", NOW, NOW + 3600, 500.0)]
    assert free is not None and free < 500_000
    assert lane_of(side(season=SEASON), span, promised, rows).volume_m3 == pytest.approx(free - 1000.0)
    put({"embalse": 1, "sets": [{"block": "norte-1", "start": "2026-07-14T01:00", "hours": 2, "gross_mm": 5.0}]})
    assert lane_of(side(season=SEASON), span, [], farm_store.farm_rows()).volume_m3 == pytest.approx(free - 900.0)


def test_hours_that_ran_since_midnight_are_no_more_there_today(span: PlanDays) -> None:
    rows = farm_store.farm_rows()
    before = lane_of(side(hours_per_day=20), span, [], rows).budgets[0]
    assert (before.first, before.end, before.hours) == (0, 36, 20.0)
    sets = [
        {"block": "norte-1", "start": "2026-07-13T22:00", "hours": 5, "gross_mm": 5.0},
        {"block": "bajo", "start": "2026-07-14T02:00", "hours": 2, "gross_mm": 5.0},
    ]
    put({"embalse": 1, "sets": sets})
    # from midnight to three, and on to four beside it: four hours, not five
    assert lane_of(side(hours_per_day=20), span, [], farm_store.farm_rows()).budgets[0].hours == pytest.approx(16.0)


@pytest.mark.parametrize(
    ("after_min", "minutes", "placed"),
    [(60, 60, (2, 2)), (60, 61, (2, 3)), (70, 60, (2, 2)), (74, 45, (2, 2)), (76, 45, (3, 1)), (5, 5, (0, 1))],
)
def test_a_set_between_two_steps_takes_the_nearest_ones(
    span: PlanDays, after_min: int, minutes: int, placed: tuple[int, int]
) -> None:
    assert span.placed(span.start_at + 60 * after_min, minutes) == placed


@pytest.fixture
def approved(demo: Settings) -> PlanContent:
    plan = plan_content(days=2, quick=True)
    [one] = [s for s in plan.sets if s.block == "norte-1" and s.state == "proposed"]
    return approve(
        ApproveIn(plan=plan.id, days=2, sets=[PlaceIn(key=one.key, start=datetime.fromisoformat(one.start))])
    )


def held(plan: PlanContent) -> PlaceIn:
    [one] = [s for s in plan.sets if s.block == "norte-1"]
    return PlaceIn(key=one.key, start=datetime.fromisoformat(one.start))


def test_a_set_that_is_approved_is_not_approved_again(approved: PlanContent) -> None:
    with pytest.raises(Conflict, match="approved already"):
        approve(ApproveIn(plan=approved.id, days=2, sets=[held(approved)]))
    assert len([p for p in planned_sets(ZONE) if p.part.block == "norte-1" and p.live]) == 1


def test_an_approved_set_is_not_moved_into_a_keep_dry_period(approved: PlanContent) -> None:
    overrides.add_window(
        "norte-1",
        overrides.WindowIn(what="spraying", dry_by=date(2026, 7, 16), until=date(2026, 7, 17), top_cm=30.0),
    )
    plan = plan_content(days=3, quick=True)
    one = held(plan)
    late = PlaceIn(key=one.key, start=one.start + timedelta(hours=30))
    told = check(DraftIn(plan=plan.id, sets=[late]))
    assert [b.key for b in told.breaks] == [one.key]
    with pytest.raises(Conflict):
        change(one.key, ChangeIn(start=late.start))


def test_a_group_laid_on_a_whole_block_is_not_asked_for_again(demo: Settings) -> None:
    group = {"key": "g", "name": "Almonds", "blocks": ["norte-1"], "start": "21:00", "gross_mm": 21.0}
    put({"embalse": 1, "set_groups": [group]})
    assert groups.lay(groups.LayIn(group="g", day=date(2026, 7, 14), approve=True)).kept
    after = plan_content(days=2, quick=True)
    assert [s.state for s in after.sets if s.block == "norte-1"] == ["approved"]
