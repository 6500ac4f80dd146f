"""A last reading carried forward: by use, sets and rain, with a band that grows; never two times told."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.decision_inputs import block_water_use, used_since_mm
from embalse.core.advice.soaking import NO_WATER, GivenSet, GivenWater
from embalse.core.crop.dry_down import DawnStorage
from embalse.core.root_zone.block import Block, SensorReadings, Station
from embalse.core.root_zone.carrying import carry_forward, carry_limit_days
from embalse.core.root_zone.root_zone import LayerReading, root_zone_marks, station_state
from embalse.core.soil.layers import Layer
from embalse.core.wording import Notice
from tests.core.advice.test_decision import CALENDAR, moment
from tests.core.build import DAY, DEPTHS, MOMENT, NOW, block, codes, drying, station, values_of

LAYERS = tuple(Layer(d, d - 10, d + 10, 20.0, 0.30, 0.20, 0.10, 0.45) for d in (10.0, 30.0, 50.0))
MARKS = root_zone_marks(LAYERS, 60.0)


class TestStation:
    def test_use_goes_out_and_water_comes_in(self) -> None:
        given = station_state(LAYERS, [LayerReading(0.25, 0.01, age_days=3.0)] * 3)
        assert given.age_days == 3.0 and given.storage_mm == pytest.approx(150.0)
        found = carry_forward(given, MARKS, 12.0, 5.0)
        assert found.storage_mm == pytest.approx(143.0)
        assert found.carried is not None and vars(found.carried) == {"ago_days": 3.0, "used_mm": 12.0, "came_mm": 5.0}

    def test_the_band_grows_by_a_quarter_of_what_was_reckoned(self) -> None:
        given = station_state(LAYERS, [LayerReading(0.25, 0.01, age_days=3.0)] * 3)
        found = carry_forward(given, MARKS, 12.0, 8.0)
        assert found.error_mm == pytest.approx(float(np.sqrt(given.error_mm**2 + 3.0**2 + 2.0**2)))
        assert carry_forward(given, MARKS, 24.0, 8.0).error_mm > found.error_mm

    def test_it_stays_between_wilting_and_full(self) -> None:
        given = station_state(LAYERS, [LayerReading(0.25, 0.01, age_days=3.0)] * 3)
        assert carry_forward(given, MARKS, 500.0, 0.0).storage_mm == pytest.approx(MARKS.wilting_mm)
        assert carry_forward(given, MARKS, 0.0, 500.0).storage_mm == pytest.approx(MARKS.full_mm)
        wet = station_state(LAYERS, [LayerReading(0.34, 0.01, age_days=3.0)] * 3)
        assert carry_forward(wet, MARKS, 0.0, 50.0).storage_mm == pytest.approx(wet.storage_mm)

    def test_old_readings_count_as_missing_where_others_speak_for_now(self) -> None:
        old = LayerReading(0.15, 0.01, age_days=2.0, why_missing=Notice("missing.silent", ago_days=2.0))
        new = LayerReading(0.25, 0.01)
        found = station_state(LAYERS, [new, old, new])
        assert found.age_days == 0.0 and [s.filled_in for s in found.layers] == [False, True, False]
        assert found.layers[1].theta == pytest.approx(0.25)

    @pytest.mark.parametrize(("every", "limit"), [(None, 3.0), (7.0, 10.5), (2.0, 3.0)])
    def test_how_long(self, every: float | None, limit: float) -> None:
        assert carry_limit_days(every) == limit


def old(theta: float, age_days: float, use: float = 0.01) -> dict[str, SensorReadings]:
    """Three sensors read last so long ago; their dawns up to then fell by so much a day."""
    found = {}
    for depth in DEPTHS:
        given = drying(theta, use)
        found[f"a/{depth:g}"] = replace(
            given, latest_at=NOW - 86400 * age_days, dawn_days=given.dawn_days - round(age_days)
        )
    return found


def by_hand(every: float = 7.0, **more: object) -> Block:
    plain = station()
    sensors = tuple(replace(s, read_every_days=every) for s in plain.sensors)
    return replace(block((Station("a", "tubes", sensors),)), **more)  # type: ignore[arg-type]


def analysed(
    age_days: float, given: Block | None = None, water: GivenWater = NO_WATER, theta: float = 0.26
) -> BlockAnalysis:
    return analyse(given or by_hand(), old(theta, age_days), water, MOMENT)


class TestBlock:
    def test_a_weekly_round_has_advice_on_all_seven_days_and_an_error_that_grows(self) -> None:
        found = [analysed(age) for age in (0.0, 1.2, 2.0, 4.0, 6.0, 7.0)]
        assert all(a.state is not None and a.advice.days is not None for a in found)
        depletions = [a.state.depletion_mm for a in found if a.state]
        errors = [a.state.error_mm for a in found if a.state]
        assert depletions == sorted(depletions) and errors == sorted(errors) and errors[-1] > 1.4 * errors[0]
        # 6 mm a day goes out of 60 cm that lose 0.01 a day
        assert depletions[3] == pytest.approx(depletions[0] + 4 * 6.0, abs=0.5)

    def test_it_says_so(self) -> None:
        assert "caution.carried" not in codes(analysed(0.5).cautions)
        said = values_of(analysed(3.0).cautions, "caution.carried")
        assert said["ago_days"] == pytest.approx(3.0) and said["used_mm"] == pytest.approx(18.0, abs=0.5)

    def test_a_set_since_then_is_put_in_and_one_before_is_not(self) -> None:
        since = GivenWater(sets=(GivenSet(NOW - 2 * 86400, NOW - 2 * 86400 + 7200, 10.0),))
        before = GivenWater(sets=(GivenSet(NOW - 4 * 86400, NOW - 4 * 86400 + 7200, 10.0),))
        plain, with_set, without = (analysed(3.0, water=w).state for w in (NO_WATER, since, before))
        assert plain is not None and with_set is not None and without is not None
        # 10 mm gross, 0.8 of it stays, on half of the ground
        assert plain.depletion_mm - with_set.depletion_mm == pytest.approx(16.0)
        assert without.depletion_mm == pytest.approx(plain.depletion_mm)

    @pytest.mark.parametrize(("mm", "counts"), [(1.9, 0.0), (2.0, 2.0), (9.0, 9.0)])
    def test_rain_that_counts_is_put_in(self, mm: float, counts: float) -> None:
        rained = analysed(3.0, water=GivenWater(rain_mm={DAY - 1: mm, DAY - 5: 30.0})).state
        plain = analysed(3.0).state
        assert rained is not None and plain is not None
        assert plain.depletion_mm - rained.depletion_mm == pytest.approx(counts)

    def test_without_anything_that_tells_the_use_there_is_no_advice_and_why(self) -> None:
        flat = {k: replace(v, dawn_days=v.dawn_days[:0], dawn_raw=v.dawn_raw[:0]) for k, v in old(0.26, 3.0).items()}
        found = analyse(by_hand(), flat, NO_WATER, MOMENT)
        assert found.state is None and found.advice.group == "none"
        assert "missing.by_hand" in codes(found.advice.reason)

    def test_beyond_the_limit_there_is_no_advice(self) -> None:
        assert analysed(10.4).state is not None and analysed(10.6).state is None

    def test_a_logger_that_is_silent_is_carried_for_three_days_and_still_to_be_seen(self) -> None:
        silent = analyse(block(), old(0.26, 2.0), NO_WATER, MOMENT)
        assert silent.state is not None and all(r.kind == "silent" for r in silent.stations[0].readings)
        assert analyse(block(), old(0.26, 3.1), NO_WATER, MOMENT).state is None


class TestUse:
    def test_by_weather_day_by_day_with_parts_of_days(self) -> None:
        given, when = replace(block(), calendar=CALENDAR, crop="tomato"), moment()
        use = block_water_use(given, DawnStorage([], []), when)
        # 2 mm/day of ETo, Kc 1, on half of the ground: 4 mm a day in the wetted soil
        assert used_since_mm(given, use, when, NOW - 86400) == pytest.approx(4.0, rel=0.02)
        assert used_since_mm(given, use, when, NOW - 2.5 * 86400) == pytest.approx(10.0, rel=0.02)
        assert used_since_mm(given, use, when, NOW) == pytest.approx(0.0)
