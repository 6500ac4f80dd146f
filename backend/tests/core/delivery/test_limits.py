"""What delivery refuses, met from both sides of every limit, and what it works out at and beside its edges."""

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest

from embalse.core.delivery.capacity import capacity_shortfall, net_capacity
from embalse.core.delivery.delivery import (
    Emitters,
    IrrigationSystem,
    Supply,
    application_rate_mm_h,
    gross_mm,
    set_time_h,
    volume_m3,
)
from embalse.core.delivery.infiltration import cycle_and_soak, wait_before_reading_h
from embalse.core.delivery.irrigation_rules import (
    BlockRules,
    DryWindow,
    SetLimits,
    check_limits,
    check_rules,
    check_window,
)
from embalse.core.delivery.leaching import applied_share, leaching_requirement
from embalse.core.delivery.moving_systems import (
    Furrows,
    Pivot,
    end_rate_mm_h,
    flow_m3_h,
    furrow_rate_mm_h,
    furrow_sets,
    pivot_area_ha,
    pivot_depth_mm,
    pivot_rate_mm_h,
)
from embalse.core.delivery.set_amount import SetRules, advised_set
from embalse.core.delivery.uniformity import efficiency_from_uniformity, uniformity
from embalse.core.delivery.wetted_fraction import WettedPattern, wetted_fraction
from embalse.core.errors import CoreError

PIVOT = Pivot(400, 180, 18)
FURROWS = Furrows(2.0, 40, 1.5, 300.0, 0.1)
DRIP = IrrigationSystem("drip", 2.0, 0.8)
LIMITS = [
    ("tension_kpa", 1.0, 1500.0),
    ("tension_to_cm", 1.0, 500.0),
    ("lead_days", 0.0, 30.0),
    ("rain_room_mm", 0.0, 200.0),
    ("fill_share", 0.1, 1.0),
    ("fixed_dose_mm", 0.5, 300.0),
    ("ec_water_ds_m", 0.0, 20.0),
    ("ec_soil_ds_m", 0.1, 30.0),
    ("max_rate_mm_h", 0.1, 500.0),
    ("end_share", 0.05, 0.95),
]


def refuses(field: str, call: Callable[[], Any]) -> None:
    with pytest.raises(CoreError) as refused:
        call()
    assert refused.value.field == field


@pytest.mark.parametrize(("name", "low", "high"), LIMITS)
def test_each_rule_has_its_limits(name: str, low: float, high: float) -> None:
    for value in (low, high):
        check_rules(BlockRules(**{name: value}))
    for value in (low - 0.01, high + 0.01):
        refuses(name, lambda value=value: check_rules(BlockRules(**{name: value})))  # type: ignore[misc]


def test_a_window_may_be_one_day_and_no_less() -> None:
    check_window(DryWindow("cutting", 10, 10, 1.0))
    check_window(DryWindow("cutting", 10, 12, 200.0))
    refuses("until", lambda: check_window(DryWindow("cutting", 10, 9)))
    for depth in (0.9, 200.1):
        refuses("top_cm", lambda depth=depth: check_window(DryWindow("cutting", 10, 12, depth)))  # type: ignore[misc]


def test_limits_of_a_set_hold_together() -> None:
    for limits in (SetLimits(1.0), SetLimits(0.01, 0.1, 0.1), SetLimits(0.5, 5.0, 5.0)):
        check_limits(limits)
    refuses("wetted_fraction", lambda: check_limits(SetLimits(0.0)))
    refuses("wetted_fraction", lambda: check_limits(SetLimits(1.01)))
    refuses("min_set_mm", lambda: check_limits(SetLimits(0.5, 0.0)))
    refuses("max_set_mm", lambda: check_limits(SetLimits(0.5, None, 0.0)))
    refuses("min_set_mm", lambda: check_limits(SetLimits(0.5, 5.1, 5.0)))


@pytest.mark.parametrize(
    ("name", "broken"),
    [(n, v) for n in ("flow_l_h", "spacing_m", "line_spacing_m", "per_point") for v in (0.0, -1.0)],
)
def test_outlets_need_flow_and_spacings(name: str, broken: float) -> None:
    refuses(name, lambda: application_rate_mm_h(replace(Emitters(1.6, 0.5, 1.5), **{name: broken})))
    small = replace(Emitters(1.6, 0.5, 1.5), **{name: 0.01})
    assert application_rate_mm_h(small) > 0


def test_gross_is_net_over_an_efficiency_up_to_one() -> None:
    assert gross_mm(10.0, 1.0) == 10.0 and gross_mm(10.0, 0.01) == pytest.approx(1000.0)
    for wrong in (0.0, 1.001, -0.1):
        refuses("efficiency_fraction", lambda wrong=wrong: gross_mm(10.0, wrong))  # type: ignore[misc]
    assert volume_m3(12.0, 3.0) == 360.0 and set_time_h(30.0, 0.5) == 60.0
    refuses("rate_mm_h", lambda: set_time_h(30.0, 0.0))


def test_a_pivot_needs_what_its_depth_follows_from() -> None:
    assert pivot_area_ha(PIVOT) == pytest.approx(math.pi * 400**2 / 1e4)
    assert pivot_depth_mm(PIVOT) == pytest.approx(180 * 18 / (10 * pivot_area_ha(PIVOT)))
    assert pivot_rate_mm_h(PIVOT) == pytest.approx(pivot_depth_mm(PIVOT) / 18)
    ring = replace(PIVOT, first_excluded_m=50.0, end_excluded_m=20.0)
    assert pivot_area_ha(ring) == pytest.approx(math.pi * (380**2 - 50**2) / 1e4)
    assert pivot_depth_mm(replace(PIVOT, depth_at_full_mm=0.1, flow_m3_h=0.0)) == 0.1
    for name in ("turn_h", "flow_m3_h"):
        refuses(name, lambda name=name: pivot_depth_mm(replace(PIVOT, **{name: 0.0})))  # type: ignore[misc]
        assert pivot_depth_mm(replace(PIVOT, **{name: 0.5})) > 0
    refuses("depth_at_full_mm", lambda: pivot_depth_mm(replace(PIVOT, depth_at_full_mm=0.0)))
    refuses("wetted_width_m", lambda: end_rate_mm_h(PIVOT, 0.0))
    assert end_rate_mm_h(PIVOT, 10.0) == pytest.approx(4 / math.pi * 2 * 1000 * 180 / 4000)
    assert end_rate_mm_h(PIVOT, 0.5) == pytest.approx(20 * end_rate_mm_h(PIVOT, 10.0))
    shorter = replace(PIVOT, end_excluded_m=80.0)
    assert end_rate_mm_h(shorter, 10.0) == pytest.approx(4 / math.pi * 2 * 1000 * 180 / 3200)


@pytest.mark.parametrize("name", ["inflow_l_s", "count", "spacing_m", "length_m"])
def test_furrows_need_all_their_numbers(name: str) -> None:
    refuses(name, lambda: furrow_rate_mm_h(replace(FURROWS, **{name: 0})))
    assert furrow_rate_mm_h(replace(FURROWS, **{name: 1})) > 0


@pytest.mark.parametrize(
    ("spacing_m", "length_m", "refused"), [(0.1, 0.99, True), (0.1, 1.0, False), (1e-200, 1e-200, True)]
)
def test_a_furrow_waters_some_ground(spacing_m: float, length_m: float, refused: bool) -> None:
    furrows = replace(FURROWS, spacing_m=spacing_m, length_m=length_m)
    if refused:
        refuses("length_m", lambda: furrow_rate_mm_h(furrows))
    else:
        assert furrow_rate_mm_h(furrows) > 0


def test_tailwater_is_a_share_below_one() -> None:
    assert furrow_rate_mm_h(FURROWS) == pytest.approx(3600 * 2 / 450)
    assert furrow_rate_mm_h(replace(FURROWS, tailwater_fraction=0.0)) == furrow_rate_mm_h(FURROWS)
    for wrong in (-0.01, 1.0):
        refuses("tailwater_fraction", lambda wrong=wrong: furrow_rate_mm_h(replace(FURROWS, tailwater_fraction=wrong)))  # type: ignore[misc]


@pytest.mark.parametrize(("area_ha", "sets"), [(0.1, 1), (1.8, 1), (1.83, 1), (1.85, 2), (3.6, 2), (3.7, 3)])
def test_a_block_takes_whole_sets_of_furrows_and_a_fiftieth_over_is_none(area_ha: float, sets: int) -> None:
    assert furrow_sets(FURROWS, area_ha) == sets


def test_an_area_of_nothing_takes_no_furrows() -> None:
    refuses("area_ha", lambda: furrow_sets(FURROWS, 0.0))
    assert flow_m3_h(2.0, 3.0) == 60.0


def test_capacity_is_held_to_the_hours_and_the_flow_of_the_supply() -> None:
    assert net_capacity(DRIP, 10.0, None).net_mm_d == pytest.approx(2.0 * 24 * 0.8)
    assert net_capacity(DRIP, 10.0, Supply("w", None, 10.0)).net_mm_d == pytest.approx(2.0 * 10 * 0.8)
    assert net_capacity(DRIP, 10.0, Supply("w", 100.0, None)).net_mm_d == pytest.approx(100 * 24 / 100 * 0.8)
    exact = net_capacity(DRIP, 10.0, Supply("w", 200.0, 10.0))
    assert exact.net_mm_d == pytest.approx(16.0) and exact.how.code == "capacity_how.rate"
    less = net_capacity(DRIP, 10.0, Supply("w", 199.0, 10.0))
    assert less.how.code == "capacity_how.flow" and less.how.values["flow_m3_h"] == 199.0
    parts = net_capacity(IrrigationSystem("furrow", 16.0, 0.5, furrows=FURROWS), 3.6, None)
    assert parts.net_mm_d == pytest.approx(16 * 24 / 2 * 0.5) and parts.how.values["sets"] == 2
    assert net_capacity(IrrigationSystem("furrow", 16.0, 0.5, furrows=FURROWS), 1.8, None).how.values["sets"] is None


def test_a_spell_beyond_capacity_is_told_day_by_day() -> None:
    found = capacity_shortfall([4.0, 9.0, 8.0, 4.0, 9.0], 7.0, 10.0, 13.0)
    assert found is not None
    assert (found.first_day, found.last_day, found.shortfall_mm_d) == (1, 2, 1.5)
    assert (found.start_day, found.stress_day, found.short_mm) == (0, None, 0.0)
    late = capacity_shortfall([4.0, 9.0, 8.0, 4.0, 9.0], 7.0, 10.0, 12.9)
    assert late is not None and late.start_day == 0 and late.stress_day is None
    short = capacity_shortfall([9.0, 9.0], 7.0, 10.0, 13.0)
    assert short is not None and (short.start_day, short.stress_day, short.short_mm) == (None, 1, 1.0)
    just = capacity_shortfall([9.0, 9.0], 7.0, 10.0, 14.0)
    assert just is not None and (just.start_day, just.stress_day) == (0, None)


@pytest.mark.parametrize("place", [0, 1, 2])
def test_pulses_need_depth_rate_and_intake(place: int) -> None:
    given = [20.0, 10.0, 5.0]
    given[place] = 0.0
    refuses(("gross_mm", "rate_mm_h", "limit_mm_h")[place], lambda: cycle_and_soak(*given))
    given[place] = 0.5
    cycle_and_soak(*given)


def test_pulses_give_all_the_depth_with_the_pauses_the_soil_needs() -> None:
    found = cycle_and_soak(30.0, 12.0, 4.0)
    assert found is not None and found.count == 3
    assert found.count * found.on_h * 12.0 == pytest.approx(30.0)
    assert found.pause_h == pytest.approx(found.on_h * 2)
    assert found.total_h == pytest.approx(3 * found.on_h + 2 * found.pause_h)
    assert [wait_before_reading_h(t) for t in ("sand", "sandy loam", "loam", "clay", "?")] == [6, 8, 12, 24, 12]


def test_salt_asks_for_its_share_until_it_is_too_much() -> None:
    assert leaching_requirement(0.0, 1.0) == 0.0
    assert leaching_requirement(2.4, 1.0) == pytest.approx(2.4 / 2.6)
    refuses("ec_water_ds_m", lambda: leaching_requirement(2.5, 1.0))
    refuses("ec_water_ds_m", lambda: leaching_requirement(-0.1, 1.0))
    refuses("ec_soil_ds_m", lambda: leaching_requirement(1.0, 0.0))
    assert applied_share(1.0, 0.0) == 1.0 and applied_share(0.9, 0.3) == pytest.approx(0.7)
    refuses("efficiency_fraction", lambda: applied_share(0.0, 0.1))
    refuses("efficiency_fraction", lambda: applied_share(1.1, 0.1))
    refuses("leaching_fraction", lambda: applied_share(0.9, 1.0))
    refuses("leaching_fraction", lambda: applied_share(0.9, -0.1))


def test_a_set_is_cut_at_its_limits_and_not_beside_them() -> None:
    limits = SetLimits(0.5, 6.0, 20.0)
    cuts = [advised_set(d, limits, DRIP) for d in (11.9, 12.0, 40.0, 40.1)]
    assert [(c.limited_by, round(c.net_mm, 6)) for c in cuts] == [
        ("smallest", 6.0), ("", 6.0), ("", 20.0), ("largest", 20.0),
    ]  # fmt: skip
    rules = SetRules(deep_extra_mm=4.0, below_full_mm=6.0, rain_room_mm=3.0)
    assert advised_set(40.0, SetLimits(0.5), DRIP, rules).net_mm == pytest.approx((40 + 4 - 6) * 0.5 - 3)
    turn = IrrigationSystem("pivot", 8 / 18, 1.0, pivot=replace(PIVOT, depth_at_full_mm=8.0))
    assert [advised_set(d, SetLimits(1.0), turn).limited_by for d in (7.9, 8.0, 8.1)] == ["turn", "", ""]


def test_evenness_counts_the_driest_quarter() -> None:
    found = uniformity([10.0, 0.0, 12.0, 9.0, 11.0, 14.0, 13.0, 8.0])
    assert found.mean == pytest.approx(77 / 8) and found.low_quarter_mean == pytest.approx(4.0)
    assert found.du_low_quarter == pytest.approx(4.0 / (77 / 8))
    assert uniformity([1.0] * 4).christiansen_cu == 1.0
    refuses("catches", lambda: uniformity([1.0] * 3))
    refuses("catches", lambda: uniformity([0.0] * 4))
    refuses("catches[1]", lambda: uniformity([1.0, -0.1, 1.0, 1.0]))
    assert efficiency_from_uniformity(0.8, 0.9) == pytest.approx(0.72)


def test_close_emitters_wet_a_strip_and_far_ones_discs() -> None:
    strip = wetted_fraction(WettedPattern(1.0, 0.8, 1, 4.0))
    discs = wetted_fraction(WettedPattern(1.0, 0.81, 1, 4.0))
    assert strip == pytest.approx(0.25) and discs == pytest.approx(math.pi / 4 / 0.81 / 4)
    assert wetted_fraction(WettedPattern(3.0, 0.5, 2, 4.0)) == 1.0
    for name in ("bulb_m", "emitter_spacing_m", "lines_per_row", "row_spacing_m"):
        refuses(name, lambda name=name: wetted_fraction(replace(WettedPattern(1.0, 0.8, 1, 4.0), **{name: 0.0})))  # type: ignore[misc]
