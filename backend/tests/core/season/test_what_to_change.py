"""What a season's account says to change: each number of it from both sides."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.season.water_account import Line, WaterAccount, water_account
from embalse.core.season.what_to_change import not_told, what_to_change, worst_month
from embalse.core.wording import Notice
from tests.core.season.test_water_account import DAYS, season

RECORD = season()
TOLD = water_account(RECORD)


def codes(told: WaterAccount) -> list[str]:
    return [n.code for n in what_to_change(told, RECORD)]


def test_a_season_that_went_well_has_nothing_to_change() -> None:
    calm = replace(TOLD, over_full_days=0, stress_days=0)
    assert what_to_change(calm, RECORD) == []


@pytest.mark.parametrize(("mm", "told"), [(52.0, False), (52.2, True)])
def test_water_below_counts_from_15_percent_beyond_its_error(mm: float, told: bool) -> None:
    found = codes(replace(TOLD, irrigation=Line(280.0, 14.0), below=Line(mm, 10.1)))
    assert ("season.below" in found) is told


@pytest.mark.parametrize(("days", "told"), [(4, False), (5, True)])
def test_stress_counts_from_five_days(days: int, told: bool) -> None:
    assert ("season.stress" in codes(replace(TOLD, stress_days=days))) is told


@pytest.mark.parametrize(("days", "of", "told"), [(4, 10, False), (5, 10, True), (12, 60, False), (13, 60, True)])
def test_too_wet_counts_from_five_days_and_a_fifth_of_them(days: int, of: int, told: bool) -> None:
    assert ("season.over_full" in codes(replace(TOLD, over_full_days=days, days=of))) is told


@pytest.mark.parametrize(("residual", "code"), [(50.0, "season.missing"), (-50.0, "season.too_much")])
def test_what_does_not_close_is_told_by_its_side(residual: float, code: str) -> None:
    assert code in codes(replace(TOLD, residual=Line(residual, 10.0), closes=False))


def test_what_the_account_could_not_tell_is_said() -> None:
    even = replace(TOLD, filled_days=30, seen_days=30)
    assert not_told(even, RECORD) == []
    by_probes = replace(RECORD, modelled=RECORD.wettings - 1)
    assert [n.code for n in not_told(even, by_probes)] == ["season.by_probes"]
    assert [n.code for n in not_told(replace(even, filled_days=31), RECORD)] == ["season.little_seen"]


def test_the_month_that_holds_most() -> None:
    values = np.zeros(DAYS)
    values[40:] = np.nan
    values[3], values[35] = 4.0, 5.0
    assert worst_month(20_607, values) == "July"  # from 2 June 2026
    stress = replace(TOLD, stress_days=9)
    storage = np.full(DAYS + 1, RECORD.full_mm)
    storage[:20] -= RECORD.raw_mm + 1
    dry = replace(RECORD, first_day=20_607, storage_mm=storage)
    assert what_to_change(stress, dry)[0] == Notice("season.stress", stress_days=9.0, month="June")
