"""Ends of an instrument's range: at them a value is "at least", widens to one side, and carries no decision to stop."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.decision import decide
from embalse.core.advice.season_end import last_irrigation
from embalse.core.delivery.irrigation_rules import BlockRules
from embalse.core.root_zone.block import Moment, Sensor, SensorReadings, Station
from embalse.core.root_zone.root_zone import LayerReading, block_state, root_zone_marks, station_state
from embalse.core.root_zone.sensor_water import dawn_theta, layer_reading
from embalse.core.sensors.calibration import ALWAYS, Calibration, TensionChain
from embalse.core.sensors.useful_range import End, beyond_ends, end_of, useful_ranges
from embalse.core.soil.layers import Layer
from tests.core.advice.test_decision import CALENDAR, NONE, moment
from tests.core.advice.test_decision_limits import inputs
from tests.core.build import DAY, DEPTHS, MOMENT, NOW, block, codes, horizon


@pytest.mark.parametrize(
    ("kind", "unit", "raw", "end"),
    [
        ("tensiometer", "kPa", 79.9, ""), ("tensiometer", "kPa", 80.0, "dry"), ("tensiometer", "kPa", 0.0, ""),
        ("granular matrix sensor", "kPa", 198.9, ""), ("granular matrix sensor", "kPa", 199.0, "dry"),
        ("granular matrix sensor", "kPa", 10.0, ""), ("granular matrix sensor", "kPa", 9.9, "wet"),
        ("granular matrix sensor", "kohm", 0.5, "wet"), ("granular matrix sensor", "kohm", 3.0, ""),
        ("granular matrix sensor", "kohm", 60.0, "dry"), ("granular matrix sensor", "ohm", 3000.0, ""),
        ("capacitance probe", "m3/m3", 0.01, ""), ("other", "kPa", 500.0, ""),
    ],
)  # fmt: skip
def test_where_an_instrument_ends(kind: str, unit: str, raw: float, end: End) -> None:
    assert end_of(kind, unit, raw) == end


def test_every_range_has_its_source_and_warm_soil_moves_a_resistance() -> None:
    assert all(r.source and (r.dry_kpa or 0) > (r.wet_kpa or 0) for r in useful_ranges().values())
    raw = np.array([27.0, 27.0])
    ends = beyond_ends("granular matrix sensor", "kohm", raw, np.array([10.0, 40.0]))
    assert ends.tolist() == [1.0, 0.0] or ends.tolist() == [0.0, 1.0]


def tensiometer(depth: float) -> Sensor:
    chain = TensionChain("kPa", horizon().curve)
    return Sensor(
        f"a/{depth:g}", depth, "kPa", (Calibration(ALWAYS, "tension", (), None, "", chain=chain),), kind="tensiometer"
    )


def at(*raw: float, dawns: tuple[float, ...] = ()) -> dict[str, SensorReadings]:
    """Readings of three tensiometers, the dawns all alike."""
    days = np.arange(DAY - len(dawns) + 1, DAY + 1)
    return {f"a/{d:g}": SensorReadings(NOW, value, days, np.array(dawns)) for d, value in zip(DEPTHS, raw, strict=True)}


def analysed(*raw: float, dawns: tuple[float, ...] = (), when: Moment | None = None, **rules: object) -> BlockAnalysis:
    given = replace(
        block((Station("a", "tubes", tuple(tensiometer(d) for d in DEPTHS)),)),
        calendar=CALENDAR, crop="garlic", rules=BlockRules(**rules),  # type: ignore[arg-type]
    )  # fmt: skip
    return analyse(given, at(*raw, dawns=dawns), NONE, when or moment())


def test_a_reading_at_the_end_says_so_and_its_dawns_make_no_trend() -> None:
    sensor = tensiometer(10.0)
    assert layer_reading(sensor, SensorReadings(NOW, 80.0), NOW).end == "dry"
    assert layer_reading(sensor, SensorReadings(NOW, 79.0), NOW).end == ""
    dawns = SensorReadings(NOW, 80.0, np.arange(DAY - 2, DAY + 1), np.array([60.0, 79.0, 80.0]))
    assert np.isnan(dawn_theta(sensor, dawns, MOMENT)).tolist() == [False, False, True]


LAYERS = tuple(Layer(d, d - 10, d + 10, 20.0, 0.30, 0.20, 0.10, 0.45) for d in DEPTHS)


def test_what_it_cannot_tell_widens_to_one_side() -> None:
    ends: tuple[End, ...] = ("dry", "", "wet")
    state = station_state(LAYERS, [LayerReading(0.18, 0.01, end=end) for end in ends])
    assert state.may_be_drier_mm == pytest.approx(16.0) and state.may_be_wetter_mm == pytest.approx(54.0)
    marks = root_zone_marks(LAYERS, 60.0)
    plain = station_state(LAYERS, [LayerReading(0.18, 0.01)] * 3)
    assert plain.may_be_drier_mm == plain.may_be_wetter_mm == 0.0 and plain.error_mm == state.error_mm
    both = block_state([(state, marks), (plain, marks)], 2)
    assert both.may_be_drier_mm == pytest.approx(8.0) and both.worst_mm == pytest.approx(both.depletion_mm + 8.0)


def test_below_wilting_there_is_nothing_left_to_lose() -> None:
    state = station_state(LAYERS, [LayerReading(0.09, 0.01, end="dry")] * 3)
    assert state.may_be_drier_mm == 0.0


@pytest.mark.parametrize(("drier", "group", "low"), [(0.0, "leave", None), (39.0, "coming", 0.0), (41.0, "act", 0.0)])
def test_a_block_that_may_be_past_its_trigger_is_for_today(drier: float, group: str, low: float | None) -> None:
    given = inputs(40.0)
    found = decide(replace(given, state=replace(given.state, may_be_drier_mm=drier)))
    assert found.group == group and found.days is not None
    if low is not None:
        assert found.days.low == low
    assert ("reason.may_be_past" in codes(found.reason)) is (group == "act")
    if group == "act":
        assert found.reason[0]["use_mm_d"] == pytest.approx(2.0), "the use is not nothing because the date is now"


def test_the_date_lies_between_what_is_read_and_the_worst() -> None:
    given = inputs(40.0)
    found = decide(replace(given, state=replace(given.state, may_be_drier_mm=20.0)))
    assert found.days is not None and found.days.mid == pytest.approx((10.0 + 5.0) / 2)
    assert found.days.high > 10.0 and found.days.low < 5.0


def test_a_season_is_not_ended_on_a_store_that_may_not_be_there() -> None:
    sure = analysed(60.0, 60.0, 60.0, last_day=DAY + 4, end_share=0.9)
    end = analysed(80.0, 80.0, 80.0, last_day=DAY + 4, end_share=0.9)
    assert sure.inputs is not None and sure.inputs.season is not None and sure.inputs.season.finishes
    assert end.inputs is not None and end.inputs.season is not None and not end.inputs.season.finishes
    assert end.advice.group == "act" and end.advice.advised is not None
    assert codes(end.cautions).count("caution.dry_end") == 3 and "caution.dry_end" not in codes(sure.cautions)
    assert last_irrigation([4.0] * 5, 0.0, 0.0, 30.0).finishes


def test_demand_does_not_sink_to_nothing_because_the_sensors_stand_still() -> None:
    still = analysed(80.0, 80.0, 80.0, dawns=(40.0, 50.0, 60.0, 70.0, 80.0, 80.0, 80.0))
    assert still.dawns is not None and len(still.dawns.storage_mm) <= 4
    assert still.use is not None and still.use.mid_mm_d > 1.0


def test_the_working_says_at_least_and_shows_the_wider_side() -> None:
    line = next(x for x in analysed(80.0, 80.0, 80.0).lines if x.key == "depletion_mm")
    sure = next(x for x in analysed(70.0, 70.0, 70.0).lines if x.key == "depletion_mm")
    assert line.label == "Depletion in the wetted soil, at least" and sure.label == "Depletion in the wetted soil"
    assert line.high is not None and line.low is not None and line.value is not None
    assert line.high - line.value > line.value - line.low
