"""What sets bring, what would explain it, what else could; shorter against longer; who got less; published shares."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.audit.efficiency import shares
from embalse.core.audit.group import shares_of
from embalse.core.audit.received import Received, causes, learned, received
from embalse.core.audit.set_audit import SetAudit
from embalse.core.audit.style import OneSet, compared, exposed_fraction, exposed_of
from embalse.core.errors import CoreError

SET = SetAudit("right", 20.0, 16.0, 0.8, 60.0, 0.0, 4.0, None, 1)


def test_three_sets_that_tell_are_wanted_and_the_last_six_count() -> None:
    assert received([SET, SET]) is None
    assert received([SET, SET, replace(SET, verdict="cannot tell")]) is None
    assert received([SET, SET, replace(SET, floor=True)]) is None
    old = replace(SET, gained_mm=4.0)
    found = received([old, old, *[SET] * 6])
    assert found is not None and found.share == pytest.approx(0.8) and found.sets == 6
    assert found.differs and found.low < 0.8 < found.high


def test_what_passed_below_came_too() -> None:
    found = received([replace(SET, passed_mm=4.0)] * 3)
    assert found is not None and found.share == pytest.approx(1.0) and not found.differs


def test_the_band_grows_with_the_scatter_and_never_below_the_calibrations() -> None:
    even = received([SET] * 6)
    uneven = received([replace(SET, gained_mm=g) for g in (12.0, 20.0, 14.0, 18.0, 15.0, 17.0)])
    assert even is not None and uneven is not None
    assert uneven.high - uneven.low > even.high - even.low > 2 * 1.28 * 0.05 * 0.8


def test_efficiency_or_wetted_area_would_explain_it_where_they_can() -> None:
    less, more = Received(0.8, 0.74, 0.86, 6), Received(1.2, 1.1, 1.3, 6)
    assert learned(less, 0.9, 1.0).wetted is None
    told = learned(less, 0.9, 0.5)
    assert told.efficiency is not None and told.efficiency[0] == pytest.approx(0.72)
    assert told.wetted is not None and told.wetted[0] == pytest.approx(0.625)
    assert learned(more, 0.9, 0.5).efficiency is None  # 1.08 is no efficiency
    assert learned(Received(0.4, 0.3, 0.5, 6), 0.9, 0.5).wetted is None  # 1.25 is no share of the ground


@pytest.mark.published(source="common practice, no source: what is looked at first, by kind of system")
@pytest.mark.parametrize(
    ("system", "metered", "wetted", "first"),
    [
        ("drip", False, 0.5, "rate"),
        ("drip", True, 0.5, "wetted"),
        ("drip", True, 1.0, "calibration"),
        ("sprinkler", False, 1.0, "efficiency"),
        ("furrow", False, 1.0, "runoff"),
    ],
)
def test_causes_in_order(system: str, metered: bool, wetted: float, first: str) -> None:
    less = Received(0.7, 0.65, 0.75, 6)
    assert causes(less, ["too little"], system, metered, wetted)[0] == first
    assert causes(replace(less, high=1.0), ["right"], system, metered, wetted) == ()


def test_causes_of_leaks_and_of_runoff_where_more_than_half_are_so() -> None:
    assert causes(None, ["too much", "right"], "drip", False, 1.0) == ()
    assert causes(None, ["too much", "too much", "right"], "drip", False, 1.0) == ("marks", "depth", "watch")
    less = Received(0.6, 0.5, 0.7, 6)
    assert causes(less, ["too fast", "too fast", "right"], "drip", False, 1.0)[0] == "runoff"


@pytest.mark.published(source="ASAE EP408, NEH Part 652 ch. 9 definitions, as recalled; the figures are ours")
def test_application_and_storage_efficiency_by_their_definitions() -> None:
    # 3 in applied, 2.25 in stored of the 2.5 in lacking, 0.5 in below the roots
    found = shares(76.2, 57.15, 12.7, 63.5)
    assert found.application == pytest.approx(0.75) and found.storage == pytest.approx(0.9)
    assert found.percolation == pytest.approx(1 / 6) and found.missing == pytest.approx(1 / 12)
    assert found.application + found.percolation + found.missing == pytest.approx(1.0)
    assert shares(10.0, 12.0, 0.0, 11.0).storage == 1.0 and shares(10.0, 9.0, 0.0).storage is None
    with pytest.raises(CoreError):
        shares(0.0, 0.0, 0.0)


def ones(*depths: float, below: float = 0.0) -> list[OneSet]:
    return [OneSet(d, below, 40.0, 0.5, 3.0) for d in depths]


def test_shorter_and_longer_sets_by_the_same_water() -> None:
    told = compared([*ones(10, 10, 10), *ones(20, 20, 20, below=4.0)], exposed=0.5)
    assert told.shorter is not None and told.longer is not None
    assert (told.shorter.below_mm, told.longer.below_mm) == (0.0, pytest.approx(20.0))
    assert (told.shorter.starts, told.longer.starts) == (10.0, 5.0)
    assert (told.shorter.surface_mm, told.longer.surface_mm) == (45.0, 22.5)
    assert (told.shorter.work_h, told.shorter.short_h, told.shorter.reach_cm) == (5.0, 3.0, 40.0)


def test_a_light_set_loses_no_more_from_the_surface_than_it_brought() -> None:
    told = compared([*ones(2, 2, 2), *ones(20, 20, 20)], exposed=1.0)
    assert told.shorter is not None and told.shorter.surface_mm == pytest.approx(100.0)


@pytest.mark.parametrize(("longer", "why"), [(12.4, "alike"), (12.5, "")])
def test_sets_a_quarter_apart_can_be_compared(longer: float, why: str) -> None:
    assert compared([*ones(10, 10, 10), *ones(longer, longer, longer)], 0.5).why_not == why


def test_six_sets_are_wanted() -> None:
    assert compared(ones(10, 10, 20, 20, 20), 0.5).why_not == "few"


@pytest.mark.published(source="FAO-56 Eq. 75 (few = min(1 − fc, fw); fw (1 − 2/3 fc) under drip), as recalled")
def test_ground_that_is_wet_and_open_to_the_sun() -> None:
    assert exposed_fraction(0.5, 0.3, False) == 0.5 and exposed_fraction(0.9, 0.3, False) == 0.7
    assert exposed_fraction(0.6, 0.75, True) == pytest.approx(0.3)
    with pytest.raises(CoreError):
        exposed_fraction(1.2, 0.5, False)


@pytest.mark.parametrize(("gained", "less"), [(16.9, True), (17.1, False)])
def test_who_got_less_than_the_middle_of_the_group(gained: float, less: bool) -> None:
    full = replace(SET, gained_mm=20.0)
    told = shares_of([("a", full), ("b", full), ("c", replace(SET, gained_mm=gained))])
    assert told[0].block == "c" and told[0].less is less and not told[-1].less
    unsure = shares_of([("a", full), ("b", full), ("c", replace(SET, gained_mm=gained, error_mm=4.0))])
    assert not unsure[0].less


def test_a_group_of_two_is_not_compared() -> None:
    assert shares_of([("a", SET), ("b", SET), ("c", replace(SET, gained_mm=None))]) == ()


def test_so_few_sets_that_agree_by_chance_are_no_surer_than_usual() -> None:
    found = received([SET] * 3)
    assert found is not None
    # Student's t of two degrees at 90 %, 1.886, with a scatter of 5 %, beside 1.2816 × 5 % of the calibration
    assert found.share - found.low == pytest.approx(0.8 * np.hypot(1.886 * 0.05 / np.sqrt(3), 1.2816 * 0.05), abs=1e-3)


def test_one_burst_hose_teaches_no_efficiency() -> None:
    found = received([SET, SET, SET, replace(SET, gained_mm=5.0), SET, SET])
    assert found is not None and found.share == pytest.approx(0.8)


def test_more_than_half_of_the_last_six_make_a_cause_likely() -> None:
    leaks = ["too much"] * 9
    assert causes(None, [*leaks, *["right"] * 3], "drip", False, 1.0) == ()
    assert causes(None, [*["right"] * 9, *["too much"] * 4], "drip", False, 1.0)[0] == "marks"


@pytest.mark.parametrize(
    ("system", "stage", "exposed"),
    [
        ("sprinkler", "initial", 0.95),
        ("sprinkler", None, 0.5),
        ("drip", "mid", 0.4 * (1 - 0.6)),
        ("buried drip", "mid", 0),
    ],
)
def test_what_is_open_to_the_sun_by_system_and_stage(system: str, stage: str | None, exposed: float) -> None:
    wetted = 0.4 if "drip" in system else 1.0
    assert exposed_of(system, wetted, stage) == pytest.approx(exposed)
