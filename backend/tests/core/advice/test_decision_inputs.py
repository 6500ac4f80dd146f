"""What a decision is taken from: the soil's intake, the days a top takes to dry, the filling of layers, the price."""

from dataclasses import replace

import pytest

from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.decision_inputs import filling_need_mm, soil_intake_mm_h
from embalse.core.delivery.infiltration import intake_limit_mm_h
from embalse.core.delivery.irrigation_rules import BlockRules, DryWindow
from embalse.core.root_zone.root_zone import LayerState
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.layers import Layer
from embalse.core.soil.soil import FineEarth
from tests.core.advice.test_decision import CALENDAR, NONE, moment
from tests.core.build import DAY, block, readings, station

SAND, LOAM, CLAY = FineEarth(0.92, 0.03), FineEarth(0.4, 0.2), FineEarth(0.2, 0.6)


def intake(*earths: FineEarth, tops: tuple[float, ...] = (0.0, 40.0, 80.0), slope: float = 0.0) -> float | None:
    return soil_intake_mm_h([Horizon(top, top + 40, earth) for top, earth in zip(tops, earths, strict=False)], slope)


def test_a_heavier_subsoil_takes_the_topsoils_intake_down() -> None:
    assert intake(SAND, CLAY) == intake_limit_mm_h("sand", 0.0, True)
    assert intake(SAND, SAND) == intake_limit_mm_h("sand", 0.0, False)
    assert intake(SAND, SAND, CLAY) == intake(SAND, CLAY)
    assert intake(CLAY, SAND) == intake_limit_mm_h("clay", 0.0, False)
    assert intake(LOAM, LOAM) != intake(LOAM, CLAY)


def test_what_lies_below_a_metre_counts_not() -> None:
    assert intake(SAND, CLAY, tops=(0.0, 99.0)) == intake(SAND, CLAY)
    assert intake(SAND, CLAY, tops=(0.0, 100.0)) == intake(SAND, SAND)
    assert soil_intake_mm_h([], 0.0) is None


def state(top: float, bottom: float, theta: float, rooted: float | None = None) -> LayerState:
    thick = bottom - top
    layer = Layer((top + bottom) / 2, top, bottom, thick if rooted is None else rooted, 0.30, 0.20, 0.10, 0.45)
    return LayerState(layer, theta, 0.01, False)


def test_water_above_full_makes_good_what_lies_below_it_only() -> None:
    assert filling_need_mm([state(0, 20, 0.25), state(20, 40, 0.25)]) == pytest.approx(20.0)
    assert filling_need_mm([state(0, 20, 0.32), state(20, 40, 0.25)]) == pytest.approx(6.0)
    assert filling_need_mm([state(0, 20, 0.25), state(20, 40, 0.32)]) == pytest.approx(10.0)
    assert filling_need_mm([state(0, 20, 0.40), state(20, 40, 0.25), state(40, 60, 0.25)]) == pytest.approx(0.0)
    assert filling_need_mm([state(0, 20, 0.25), state(20, 40, 0.10, rooted=0.0)]) == pytest.approx(10.0)


def windows(*stations: str, theta_full: float = 0.30) -> int:
    """Days the top 30 cm take to dry, where the crop uses 4 mm a day in the wetted half."""
    given = replace(
        block(tuple(station(key) for key in stations)),
        calendar=CALENDAR,
        crop="tomato",
        windows=(DryWindow("harvest", DAY + 20, DAY + 25, 30.0),),
    )
    found = analyse(given, readings(0.25, 0.0067, stations), NONE, moment()).inputs
    assert found is not None
    [(_, dry_days)] = found.windows
    return dry_days


def test_the_top_dries_by_its_share_of_the_use_and_stations_are_averaged() -> None:
    # 30 cm from full to refill hold 30 mm; they give seven tenths of 4 mm a day, less from dawn on
    assert windows("a") == 11 and windows("a", "b") == 11


@pytest.mark.parametrize(("end_share", "allowed"), [(None, 60.0), (0.8, 96.0)])
def test_the_store_that_may_be_left_empty_at_the_end(end_share: float | None, allowed: float) -> None:
    given = replace(block(), calendar=CALENDAR, crop="tomato", rules=BlockRules(last_day=DAY + 9, end_share=end_share))
    found = analyse(given, readings(0.25, 0.0067), NONE, moment()).inputs
    assert found is not None and found.season is not None
    assert found.season.days == 10 and found.season.need_mm == pytest.approx(40.0, rel=0.06)
    assert found.season.stored_mm == pytest.approx(allowed - 30.0)
