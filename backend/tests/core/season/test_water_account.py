"""The water account: what comes in goes somewhere, and what does not is said with its error."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.errors import CoreError
from embalse.core.season.plantings import Harvest, Planting, begins_with, check_plantings, planting_on
from embalse.core.season.water_account import NoAccount, SeasonRecord, daily_use_mm, stress_factor, water_account

DAYS = 60
FULL, TAW, RAW = 180.0, 100.0, 50.0


def season(use: float = 4.0, every: int = 6, gross: float = 28.0, kept: float = 0.9, leak: float = 1.2) -> SeasonRecord:
    """A season that balances by construction: each sixth day a set, of which a little goes below."""
    irrigation = np.array([gross if d % every == 0 else 0.0 for d in range(DAYS)])
    rain = np.array([9.0 if d in (20, 41) else 0.5 if d == 30 else 0.0 for d in range(DAYS)])
    counted = np.where(rain > 2, rain, 0.0)
    below = np.where(irrigation > 0, leak, 0.0)
    storage = [FULL]
    for d in range(DAYS):
        storage.append(storage[-1] + kept * irrigation[d] + counted[d] - use - below[d])
    wet = (irrigation > 0) | (rain > 2)
    return SeasonRecord(
        100, irrigation, rain, counted, np.full(DAYS, 1.25 * use), np.array(storage), wet, below,
        int((irrigation > 0).sum()), kept, FULL, TAW, RAW, int((irrigation > 0).sum()),
    )  # fmt: skip


class TestAccount:
    def test_a_season_that_balances_closes_to_a_millimetre(self) -> None:
        told = water_account(season())
        assert abs(told.residual.mm) < 1e-9 and told.closes and told.days == DAYS
        assert told.use.mm == pytest.approx(4.0 * DAYS) and told.below is not None
        assert told.below.mm == pytest.approx(1.2 * 10) and told.lost_on_way.mm == pytest.approx(0.1 * 280)
        assert told.fao_use_mm == pytest.approx(5.0 * DAYS) and told.rain_mm == pytest.approx(18.5)

    def test_days_with_water_are_filled_by_what_was_seen_around_them(self) -> None:
        use, seen = daily_use_mm(season())
        assert use == pytest.approx(np.full(DAYS, 4.0)) and seen.sum() == 29

    def test_two_days_after_a_leak_may_still_drain_and_are_not_seen(self) -> None:
        _, without = daily_use_mm(season(leak=0.9))
        _, leaking = daily_use_mm(season(leak=1.1))
        assert without.sum() > leaking.sum() and not leaking[1] and not leaking[2] and leaking[3]

    def test_what_ran_off_is_left_over(self) -> None:
        balanced = season()
        told = water_account(replace(balanced, irrigation_mm=balanced.irrigation_mm * 2))
        assert told.residual.mm == pytest.approx(0.9 * 280) and not told.closes

    @pytest.mark.parametrize(("more", "closes"), [(1.15, True), (1.17, False)])
    def test_it_closes_within_its_error_nine_times_in_ten(self, more: float, closes: bool) -> None:
        balanced = season()
        assert water_account(replace(balanced, irrigation_mm=balanced.irrigation_mm * more)).closes is closes

    def test_days_of_stress_and_over_full_are_counted_from_their_marks(self) -> None:
        dry = replace(season(), storage_mm=np.linspace(FULL + 5, FULL - 70, DAYS + 1), wet=np.zeros(DAYS, dtype=bool))
        told = water_account(dry)
        assert told.over_full_days == int((dry.storage_mm[:-1] > FULL).sum())
        assert told.stress_days == int((dry.storage_mm[:-1] < FULL - RAW).sum()) and told.use_share < 1
        assert told.stress_mm > 0

    @pytest.mark.published(source="Allen et al. (1998), FAO-56 Eq. 84")
    @pytest.mark.parametrize(("depletion", "ks"), [(50.0, 1.0), (60.0, 0.8), (75.0, 0.5), (100.0, 0.0), (-5.0, 1.0)])
    def test_stress_by_depletion(self, depletion: float, ks: float) -> None:
        found = stress_factor(replace(season(), storage_mm=np.full(DAYS + 1, FULL - depletion)))
        assert found[0] == pytest.approx(ks)

    @pytest.mark.parametrize(("days", "told"), [(9, False), (10, True)])
    def test_ten_days_of_use_make_an_account(self, days: int, told: bool) -> None:
        record = season()
        wet = np.ones(DAYS, dtype=bool)
        wet[np.flatnonzero(~record.wet)[10:][:days]] = False
        record = replace(record, wet=wet, below_mm=None)
        if told:
            assert water_account(record).seen_days == days
        else:
            with pytest.raises(NoAccount):
                water_account(record)

    def test_probes_alone_tell_half_as_surely_as_the_model(self) -> None:
        told = [water_account(replace(season(leak=12.0), modelled=n)).below for n in (10, 5, 0)]
        assert [round(b.error_mm / b.mm, 2) for b in told if b] == [0.35, pytest.approx(0.425, abs=0.006), 0.5]

    def test_without_a_sensor_below_the_roots_nothing_is_told_of_them(self) -> None:
        told = water_account(replace(season(), below_mm=None))
        assert told.below is None and told.residual.mm == pytest.approx(12.0, abs=3)


class TestPlantings:
    MAIZE = Planting("m", "maize grain", 100, harvests=(Harvest(220, "harvest", 11.0, True),))
    HAY = Planting("h", "alfalfa", 300, harvests=(Harvest(340, "cutting", 4.0), Harvest(370, "cutting", 3.5)))

    @pytest.mark.parametrize(
        ("day", "crop"), [(99, None), (100, "m"), (220, "m"), (221, None), (299, None), (300, "h"), (500, "h")]
    )
    def test_one_after_another_with_bare_ground_between(self, day: int, crop: str | None) -> None:
        found = planting_on([self.HAY, self.MAIZE], day)
        assert (found.key if found else None) == crop

    def test_the_next_planting_ends_the_one_nobody_ended(self) -> None:
        found = planting_on([replace(self.MAIZE, harvests=()), self.HAY], 310)
        assert found is not None and found.key == "h"

    @pytest.mark.parametrize(("day", "start"), [(339, 300), (340, 340), (369, 340), (370, 370)])
    def test_a_cut_crop_starts_again_on_the_day_it_was_cut(self, day: int, start: int) -> None:
        assert self.HAY.starts_on(day) == start and self.HAY.yield_t_ha == pytest.approx(7.5)

    def test_plantings_on_one_day_and_early_harvests_are_refused(self) -> None:
        with pytest.raises(CoreError):
            check_plantings([self.MAIZE, replace(self.HAY, first_day=100)], [])
        with pytest.raises(CoreError):
            check_plantings([self.HAY], [Harvest(self.HAY.first_day - 1, "cutting")])
        check_plantings([self.HAY], [Harvest(self.HAY.first_day, "cutting")])

    def test_trees_leaf_out(self) -> None:
        assert begins_with("grape wine") == "leaf-out" and begins_with("maize grain") == "planting"
