"""Several blocks' accounts added up: volumes, errors, and blocks that do not tell what went below."""

import math
from dataclasses import replace

import pytest

from embalse.core.season.farm_account import BlockLines, together
from embalse.core.season.plantings import Harvest, Planting, last_day_of
from embalse.core.season.water_account import Line

BLOCK = BlockLines(2.0, Line(400, 20), Line(40, 20), Line(50, 5), Line(350, 18), Line(45, 9), Line(15, 4))


class TestTogether:
    def test_one_block_is_its_own_account_in_volume(self) -> None:
        told = together([BLOCK])
        assert told is not None and told.area_ha == 2.0
        assert told.irrigation.m3 == pytest.approx(8000) and told.irrigation.error_m3 == pytest.approx(400)
        assert told.residual.m3 == pytest.approx(20 * (400 - 40 + 50 - 350 - 45 - 15))
        assert told.residual.error_m3 == pytest.approx(20 * math.hypot(20, 20, 5, 18, 9, 4))
        assert told.below_fraction == pytest.approx(45 / 400)

    def test_a_large_block_weighs_by_its_ground(self) -> None:
        told = together([BLOCK, replace(BLOCK, area_ha=6.0, irrigation=Line(200, 10))])
        assert told is not None and told.irrigation.m3 == pytest.approx(8000 + 12000)

    def test_one_gauge_errs_for_all_of_them(self) -> None:
        told = together([BLOCK, BLOCK])
        assert told is not None
        assert told.counted_rain.error_m3 == pytest.approx(2 * 20 * 5)
        assert told.irrigation.error_m3 == pytest.approx(math.sqrt(2) * 400)

    def test_the_part_below_is_of_the_blocks_that_tell_it(self) -> None:
        told = together([BLOCK, replace(BLOCK, area_ha=5.0, below=None)])
        assert told is not None and told.below is not None
        assert told.telling_ha == 2.0 and told.area_ha == 7.0
        assert told.below.m3 == pytest.approx(900) and told.below_fraction == pytest.approx(45 / 400)
        silent = together([replace(BLOCK, below=None)])
        assert silent is not None and silent.below is None and silent.below_fraction is None
        assert silent.residual.m3 == pytest.approx(20 * (400 - 40 + 50 - 350 - 15))

    def test_without_irrigation_no_part_of_it_is_told(self) -> None:
        told = together([replace(BLOCK, irrigation=Line(0, 0))])
        assert told is not None and told.below is not None and told.below_fraction is None

    def test_nothing_adds_up_to_nothing(self) -> None:
        assert together([]) is None


class TestLastDay:
    MAIZE = Planting("m", "maize grain", 100, harvests=(Harvest(220, "harvest", 11.0, True),))

    @pytest.mark.parametrize(("next_day", "last"), [(219, 218), (220, 219), (221, 220), (222, 220)])
    def test_a_planting_stands_to_its_harvest_or_the_eve_of_the_next(self, next_day: int, last: int) -> None:
        assert last_day_of([Planting("n", "wheat", next_day), self.MAIZE], self.MAIZE) == last

    def test_the_last_one_stands_until_it_is_ended(self) -> None:
        standing = replace(self.MAIZE, harvests=(Harvest(150, "cutting", 3.0),))
        assert last_day_of([standing], standing) is None and last_day_of([self.MAIZE], self.MAIZE) == 220
