"""Places that are always dry or always wet, and the one that stands best for the mean."""

import numpy as np
import pytest

from embalse.core.spatial.rank_stability import (
    FEWEST_DAYS,
    KEPT_SHARE,
    NotStable,
    best_for_mean,
    error_by_one,
    standings,
    worst_for_mean,
)

DAYS = 40
COURSE = 100 - 25 * ((np.arange(DAYS) % 8) / 8)


def nodes(*differences: float, noise: float = 0.3, days: int = DAYS) -> np.ndarray:
    random = np.random.default_rng(4)
    made = COURSE[:days, None] + np.array(differences) + random.normal(0, noise, (days, len(differences)))
    return np.asarray(made)


SIX = nodes(-12, 0.2, 3, -2, 14, -3.2)


def test_a_place_that_always_lies_apart_is_named() -> None:
    found = standings(SIX, 8.0)
    assert [one.lasting for one in found] == ["dry", "", "", "", "wet", ""]
    assert found[0].difference == pytest.approx(-12, abs=0.3) and found[0].rank == 0.0 and found[4].rank == 1.0


@pytest.mark.parametrize(("doubt", "named"), [(11.5, "dry"), (12.5, "")])
def test_it_must_beat_the_doubt(doubt: float, named: str) -> None:
    assert standings(SIX, doubt)[0].lasting == named


def test_it_must_last_through_wettings_and_dry_downs() -> None:
    flips = SIX.copy()
    wetter = np.flatnonzero(np.diff(COURSE, prepend=COURSE[0]) > 0)
    flips[wetter, 0] = flips[wetter].mean(axis=1) + 30
    found = standings(flips, 5.0)[0]
    assert found.difference < -5 and found.lasting == ""


@pytest.mark.parametrize(("share", "named"), [(KEPT_SHARE, "wet"), (KEPT_SHARE - 0.06, "")])
def test_nine_days_in_ten(share: float, named: str) -> None:
    values = nodes(20, 0, 0, 0, 0, 0, noise=0.0, days=DAYS)
    drying = np.flatnonzero(np.diff(COURSE, prepend=COURSE[0]) <= 0)
    other = drying[: int((1 - share) * len(drying))]
    values[other, 0] -= 40
    assert standings(values, 5.0)[0].lasting == named


@pytest.mark.published(
    source="Vachaud et al. (1985), Soil Sci. Soc. Am. J. 49:822-828, eq. 1-3: mean relative differences; from memory, worked by hand"
)
def test_mean_relative_differences_by_hand() -> None:
    """Days of mean 100 and 80; a node of 110 and 84 has relative differences 0.10 and 0.05, mean 0.075."""
    week = np.tile(np.array([[110.0, 96, 97, 98, 99], [84.0, 79, 79, 79, 79]]), (8, 1))
    off = week - week.mean(axis=1)[:, None]
    assert (off[:2, 0] / week.mean(axis=1)[:2]) == pytest.approx([0.10, 0.05])
    found = standings(week, 1.0)[0]
    assert found.difference == pytest.approx((10 + 4) / 2) and found.spread == pytest.approx(
        np.std([10, 4] * 8, ddof=1)
    )


def test_the_best_and_the_worst_for_the_mean() -> None:
    found = standings(SIX, 1.0)
    assert best_for_mean(found).place == 1 and worst_for_mean(found).place == 4
    assert error_by_one(SIX, 1) < 1 < error_by_one(SIX, 4) == pytest.approx(14, abs=1)
    wanders = SIX.copy()
    wanders[:, 1] += np.where(np.arange(DAYS) % 2, 6, -6)
    assert best_for_mean(standings(wanders, 1.0)).place == 3, "near the mean but never there"


@pytest.mark.parametrize(("days", "told"), [(FEWEST_DAYS - 1, False), (FEWEST_DAYS, True)])
def test_fifteen_days_on_which_all_were_read(days: int, told: bool) -> None:
    values = SIX.copy()
    values[days:, 2] = np.nan
    if told:
        assert len(standings(values, 1.0)) == 6
        return
    with pytest.raises(NotStable, match="needed"):
        standings(values, 1.0)


def test_four_nodes_are_too_few() -> None:
    with pytest.raises(NotStable, match="invention"):
        standings(SIX[:, :4], 1.0)
