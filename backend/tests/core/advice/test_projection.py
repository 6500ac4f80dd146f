"""The days ahead, drawn: what a root zone and each of its layers will hold."""

import pytest

from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.projection import (
    FAN_DAYS,
    TICK_DAYS,
    layer_water_mm,
    layers_ahead_mm,
    shown_days,
    storage_fan,
    storage_ticks_mm,
)
from embalse.core.advice.soaking import NO_WATER
from embalse.core.crop.dry_down import DaysToRefill
from embalse.core.soil.layers import Layer
from tests.core.build import MOMENT, block, readings


def layers(theta: float = 0.20) -> list[tuple[Layer, float]]:
    state = analyse(block(), readings(theta), NO_WATER, MOMENT).stations[0].state
    assert state is not None
    return [(one.layer, theta) for one in state.layers]


def inside(found: list[tuple[Layer, float]]) -> list[float]:
    return [layer_water_mm(layer, theta) for layer, theta in found]


def test_without_weather_the_present_use_goes_on_to_the_wilting_point_and_no_further() -> None:
    found = analyse(block(), readings(0.20, 0.01), NO_WATER, MOMENT)
    assert found.inputs is not None and found.use is not None and found.state is not None
    fan = storage_fan(found.inputs, found.use)
    assert [step.days for step in fan] == [float(n) for n in range(FAN_DAYS + 1)]
    assert fan[0].mid_mm == pytest.approx(found.state.marks.full_mm - found.state.depletion_mm)
    assert fan[3].mid_mm == pytest.approx(fan[0].mid_mm - 3 * found.use.mid_mm_d)
    assert fan[3].low_mm <= fan[3].mid_mm <= fan[3].high_mm
    dry = analyse(block(), readings(0.11, 0.02), NO_WATER, MOMENT)
    assert dry.inputs is not None and dry.use is not None
    assert storage_fan(dry.inputs, dry.use)[-1].low_mm == pytest.approx(dry.inputs.state.marks.wilting_mm)


def test_ticks_go_down_day_by_day() -> None:
    found = analyse(block(), readings(0.25, 0.006), NO_WATER, MOMENT)
    assert found.inputs is not None and found.use is not None
    ticks = storage_ticks_mm(found.inputs, found.use)
    assert len(ticks) <= TICK_DAYS and ticks == sorted(ticks, reverse=True)
    assert ticks[0] < found.inputs.state.marks.full_mm - found.inputs.state.depletion_mm + 1e-9


@pytest.mark.parametrize(("mid", "shown"), [(0.2, 1.0), (1.0, 1.0), (3.4, 3.4), (7.0, 7.0), (9.0, 7.0)])
def test_a_picture_reaches_from_a_day_to_a_week(mid: float, shown: float) -> None:
    assert shown_days(DaysToRefill(mid, mid, mid)) == shown


def test_what_the_root_zone_loses_the_layers_lose_from_above_first() -> None:
    now = inside(layers())
    (day,) = layers_ahead_mm(layers(), [10.0], 60.0)
    lost = [a - b for a, b in zip(now, day, strict=True)]
    assert sum(lost) == pytest.approx(10.0) and lost == sorted(lost, reverse=True) and min(lost) >= 0


def test_the_seen_shares_are_gone_by_where_they_are_given() -> None:
    now = inside(layers())
    (day,) = layers_ahead_mm(layers(), [10.0], 60.0, [0.0] * (len(now) - 1) + [1.0])
    assert [a - b for a, b in zip(now, day, strict=True)] == pytest.approx([0.0] * (len(now) - 1) + [10.0])


def test_no_layer_gives_more_than_it_has() -> None:
    (day,) = layers_ahead_mm(layers(), [500.0], 60.0)
    assert day == pytest.approx([0.0] * len(day))
    now = inside(layers(0.13))
    (next_day,) = layers_ahead_mm(layers(0.13), [sum(now) - 1.0], 60.0)
    assert sum(next_day) == pytest.approx(1.0) and min(next_day) >= 0


def test_a_gain_fills_from_the_top_to_full_and_stops_there() -> None:
    start = layers(0.25)
    now, full = inside(start), [layer_water_mm(layer, layer.theta_full) for layer, _ in start]
    first_room = full[0] - now[0]
    (part,) = layers_ahead_mm(start, [-first_room / 2], 60.0)
    assert part[0] == pytest.approx(now[0] + first_room / 2) and part[1:] == pytest.approx(now[1:])
    (more,) = layers_ahead_mm(start, [-first_room - 3.0], 60.0)
    assert more[0] == pytest.approx(full[0]) and more[1] == pytest.approx(now[1] + 3.0)
    (much,) = layers_ahead_mm(start, [-1000.0], 60.0)
    assert much == pytest.approx(full)


def test_days_follow_one_another() -> None:
    one, two = layers_ahead_mm(layers(), [6.0, 4.0], 60.0)
    assert sum(one) - sum(two) == pytest.approx(4.0)
