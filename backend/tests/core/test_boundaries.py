"""Numbers of practice, each met from both sides: to move one is to fail here."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.cautions import uneven_caution
from embalse.core.advice.season_end import drying_days, last_irrigation
from embalse.core.advice.soaking import NO_WATER
from embalse.core.advice.triggers import block_trigger
from embalse.core.delivery.capacity import capacity_shortfall
from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.infiltration import cycle_and_soak, intake_limit_mm_h
from embalse.core.delivery.irrigation_rules import BlockRules
from embalse.core.delivery.moving_systems import Pivot, pivot_timer_fraction
from embalse.core.errors import DeliveryError
from embalse.core.field.diagnoses import Weeks, diagnoses
from embalse.core.field.wetting import Water, Wetting
from embalse.core.field.wetting_events import wettings
from embalse.core.practice import practice_numbers
from embalse.core.quality.faults import still_in_doubt
from embalse.core.root_zone.root_zone import BlockState, LayerState, RootZoneMarks, StationState, block_state
from embalse.core.soil.layers import Layer
from tests.core.advice.test_decision import CALENDAR, advise, moment, with_rules
from tests.core.build import DAY, MOMENT, block, readings
from tests.core.field.test_wetting_events import HOUR, profile, steps

DAY_S = 86400.0
MARKS = RootZoneMarks(full_mm=180.0, refill_mm=120.0, wilting_mm=60.0, saturation_mm=240.0)


def analysed(theta: float, rain: float = 0.0, **rules: object) -> BlockAnalysis:
    given = replace(with_rules(**rules), calendar=CALENDAR, crop="tomato")
    return analyse(given, readings(theta, 0.0067), NO_WATER, moment(rain=rain))


@pytest.mark.parametrize(("past_share", "group"), [(0.09, "coming"), (0.11, "act")])
def test_a_block_waits_for_sure_rain_up_to_a_tenth_of_its_water_past_the_trigger(past_share: float, group: str) -> None:
    # 120 mm of available water in 60 cm, refill after 60 of them; rain of 300 mm does the work whatever is missing
    theta = 0.30 - (60 + past_share * 120) / 600
    assert analysed(theta, rain=300.0).advice.group == group


def test_rain_does_the_work_from_a_chance_of_seven_in_ten() -> None:
    waits = advise(theta=0.199, when=moment(rain=70.0, chance=0.7))
    acts = advise(theta=0.199, when=moment(rain=70.0, chance=0.6))
    assert (waits.group, acts.group) == ("coming", "act")


@pytest.mark.parametrize(("ahead", "days"), [(0, 1), (1, 2), (9, 10)])
def test_the_last_day_of_a_season_still_uses_water(ahead: int, days: int) -> None:
    found = analysed(0.25, last_day=DAY + ahead).inputs
    assert found is not None and found.season is not None and found.season.days == days


def test_a_season_over_yesterday_asks_nothing() -> None:
    found = analysed(0.25, last_day=DAY - 1).inputs
    assert found is not None and found.season is None


def test_store_that_is_just_enough_finishes_and_a_millimetre_less_does_not() -> None:
    assert last_irrigation([5.0] * 10, 0.0, 10.0, 60.0).finishes
    assert not last_irrigation([5.0] * 10, 0.0, 11.0, 60.0).finishes


def test_falling_behind_begins_above_a_tenth_of_a_millimetre_a_day() -> None:
    assert capacity_shortfall([7.09] * 3, 7.0, 0.0, 20.0) is None
    found = capacity_shortfall([7.11] * 3, 7.0, 0.0, 20.0)
    assert found is not None and found.first_day == 0


@pytest.mark.published(source="Keller & Bliesner (1990), Sprinkle and Trickle Irrigation, Table 5.4: slope classes")
@pytest.mark.parametrize(
    ("slope_pct", "same_as_pct"), [(5.0, 0.0), (5.01, 8.0), (8.0, 6.0), (8.01, 12.0), (12.0, 9.0), (12.01, 16.0)]
)
def test_slope_classes_end_where_the_table_ends_them(slope_pct: float, same_as_pct: float) -> None:
    here = intake_limit_mm_h("loam", slope_pct, False)
    assert here == intake_limit_mm_h("loam", same_as_pct, False)
    limits = [intake_limit_mm_h("loam", s, False) for s in (5.0, 8.0, 12.0, 12.01)]
    assert None not in limits and limits == sorted(limits, reverse=True) and len(set(limits)) == 4  # type: ignore[type-var]


def test_a_pulse_lasts_an_hour_at_most() -> None:
    two, three = cycle_and_soak(20.0, 10.0, 5.0), cycle_and_soak(20.1, 10.0, 5.0)
    assert two is not None and (two.count, two.on_h) == (2, 1.0)
    assert three is not None and three.count == 3 and three.on_h < 1.0


def test_a_rate_the_soil_takes_needs_no_pulses() -> None:
    assert cycle_and_soak(20.0, 5.0, 5.0) is None
    assert cycle_and_soak(20.0, 5.01, 5.0) is not None


@pytest.mark.parametrize(("hours", "with_it"), [(11, True), (12, True), (13, False)])
def test_water_begun_within_twelve_hours_after_a_wetting_came_with_it(hours: int, with_it: bool) -> None:
    theta = steps(6, {50: (0.06, 0.03, 0.0, 0.0)})
    (bare,) = wettings(profile(theta))
    begin = Water("set", bare.start_at - HOUR, bare.start_at + 2 * HOUR, 10.0)
    later = Water("set", bare.start_at + hours * HOUR, bare.start_at + (hours + 2) * HOUR, 10.0)
    (found,) = wettings(profile(theta), [begin, later])
    assert (later in found.from_what) is with_it


@pytest.mark.parametrize(("to_cm", "counted"), [(9.9, 0), (10.0, 1), (29.9, 1), (30.0, 2)])
def test_a_tension_trigger_counts_sensors_down_to_its_depth_and_that_depth_too(to_cm: float, counted: int) -> None:
    analysis = analyse(block(), readings(0.25), NO_WATER, MOMENT)
    assert analysis.state is not None
    layers = [LayerState(layer, 0.25, 0.01, filled_in=False) for layer in layers_of(analysis)]
    asked: list[float] = []

    def theta_at(layer: Layer, kpa: float) -> float:
        asked.append(kpa)
        return 0.20

    rules = BlockRules(trigger="upper tension", tension_kpa=60.0, tension_to_cm=to_cm)
    block_trigger(analysis.state, [(layers, 60.0)], rules, theta_at)
    assert len(asked) == counted


def layers_of(analysis: BlockAnalysis) -> list[Layer]:
    state = analysis.stations[0].state
    assert state is not None
    return [one.layer for one in state.layers]


@pytest.mark.parametrize(("fault", "days"), [("noise", 3), ("ripple", 14), ("rise", 30), ("drift", 12)])
def test_a_slow_fault_counts_for_its_days_and_no_longer(fault: str, days: int) -> None:
    now = 1000 * DAY_S
    assert still_in_doubt(fault, now - days * DAY_S, now)
    assert not still_in_doubt(fault, now - days * DAY_S - 1, now)


def test_a_spike_is_no_lasting_doubt() -> None:
    assert not still_in_doubt("spike", 0.0, 0.0)


def weeks(below_mm: list[float]) -> Weeks:
    analysis = analyse(block(), readings(0.25), NO_WATER, MOMENT)
    layers = layers_of(analysis)
    theta = np.full((len(layers), 24 * 14), 0.22)
    starts = [HOUR * 24 * (n + 1) for n in range(len(below_mm))]
    given = [Wetting(at, at + HOUR, (), 10.0, 60.0, mm, None) for at, mm in zip(starts, below_mm, strict=True)]
    return Weeks(theta, tuple(layers), tuple(given), 60.0)


@pytest.mark.parametrize(
    ("below_mm", "leaks"),
    [
        ([3.1, 3.1, 0.0, 0.0], True),
        ([3.1, 0.0, 0.0, 0.0], False),
        ([3.0, 3.0, 0.0, 0.0], False),
        ([3.1, 3.1, 0.0, 0.0, 0.0], False),
        ([9.0, 9.0], False),
    ],
)
def test_a_block_leaks_when_half_its_wettings_lose_more_than_three_millimetres(
    below_mm: list[float], leaks: bool
) -> None:
    assert ("leaking" in [d.kind for d in diagnoses(weeks(below_mm))]) is leaks


@pytest.mark.parametrize(("gross_mm", "fraction"), [(8.0, 1.0), (16.0, 0.5)])
def test_a_pivot_cannot_go_faster_than_its_fastest_turn(gross_mm: float, fraction: float) -> None:
    pivot = Pivot(400, 180, 18, depth_at_full_mm=8)
    assert pivot_timer_fraction(pivot, gross_mm) == pytest.approx(fraction)
    with pytest.raises(DeliveryError):
        pivot_timer_fraction(pivot, 7.99)


def test_a_set_says_the_timer_setting_that_gives_it() -> None:
    pivot = Pivot(400, 180, 18, depth_at_full_mm=8)
    given = replace(block(), system=IrrigationSystem("pivot", 2.0, 0.8, pivot=pivot))
    much = analyse(given, readings(0.20), NO_WATER, MOMENT).advice.advised
    assert much is not None and (much.limited_by, much.gross_mm) == ("", 37.5)
    assert much.timer_fraction == pytest.approx(8 / 37.5)


@pytest.mark.parametrize(("total", "factor"), [(1, 1.0), (2, 2**0.5), (4, 2.0)])
def test_the_error_grows_with_the_root_of_stations_wanted_over_stations_used(total: int, factor: float) -> None:
    one = (StationState(storage_mm=150.0, error_mm=5.0, layers=()), MARKS)
    found: BlockState = block_state([one], total)
    assert found.error_mm == pytest.approx(5.0 * factor)


def layer_states(top: float, below: tuple[float, float]) -> list[LayerState]:
    analysis = analyse(block(), readings(0.25), NO_WATER, MOMENT)
    return [
        LayerState(y, theta, 0.01, filled_in=False) for y, theta in zip(layers_of(analysis), (top, *below), strict=True)
    ]


@pytest.mark.parametrize(
    ("top", "below", "said"),
    [
        (0.2601, (0.19, 0.19), True),
        (0.2599, (0.19, 0.19), False),
        (0.29, (0.25, 0.19), True),
        (0.29, (0.25, 0.2001), False),
        (0.29, (0.2001, 0.2001), False),
    ],
)
def test_a_wet_top_over_a_dry_subsoil_is_named_from_four_fifths_over_half(
    top: float, below: tuple[float, float], said: bool
) -> None:
    assert (uneven_caution(layer_states(top, below)) is not None) is said


def test_the_top_gives_seven_tenths_of_the_uptake_while_it_dries() -> None:
    assert drying_days(20.9, [10.0] * 10) == 3
    assert drying_days(21.1, [10.0] * 10) == 4


def test_every_number_of_practice_has_unit_meaning_and_source() -> None:
    for number in practice_numbers().values():
        assert number.unit and number.meaning and number.source, number.name
