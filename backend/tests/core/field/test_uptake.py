"""Uptake by layer: of made profiles that lose by day, by night, or both, to the hundredth of a millimetre."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from embalse.core.errors import CoreError
from embalse.core.field.uptake import uptake
from embalse.core.field.wetting import ProfileHours, Wetting
from embalse.core.wording import Notice

HOUR, DAY = 3600, 86400
SEEN = 31 / 35
"""The marks at six and twenty o'clock are means of three hours: a loss that begins sharply is seen a little short."""
DEPTHS, LIMITS = (10.0, 30.0, 50.0), (0.0, 20.0, 40.0, 60.0)


def profile(by_day: Sequence[float], by_night: Sequence[float] = (0.0, 0.0, 0.0), days: int = 20) -> ProfileHours:
    """θ that falls by so much from six to twenty o'clock, and so much in each hour besides [m³/m³], by layer."""
    hours = np.arange(days * 24 + 8)
    of_day = hours % 24
    roots = np.cumsum((of_day > 6) & (of_day <= 20)) / 14
    theta = np.stack([0.35 - d * roots - n * hours for d, n in zip(by_day, by_night, strict=True)])
    return ProfileHours(hours.astype(np.int64) * HOUR, theta, DEPTHS, LIMITS, 60.0)


def wetting(at: int) -> Wetting:
    return Wetting(at, at + DAY, (), 10.0, 30.0, 0.0, None)


def test_what_goes_by_day_is_uptake_in_millimetres_of_the_layer() -> None:
    found = uptake(profile((0.004, 0.002, 0.0)))
    assert [y.mm_d for y in found.layers] == pytest.approx([0.8 * SEEN, 0.4 * SEEN, 0.0], abs=0.001)
    assert [y.share for y in found.layers] == pytest.approx([2 / 3, 1 / 3, 0.0], abs=0.01)
    assert found.days == 14 and found.root_depth_cm == 40.0 and found.why_not == ""


def test_what_goes_by_night_too_is_drainage() -> None:
    even = uptake(profile((0.0, 0.0, 0.0), (0.0001, 0.0001, 0.0001)))
    assert [y.mm_d for y in even.layers] == pytest.approx([0.0] * 3, abs=0.01) and even.root_depth_cm is None
    both = uptake(profile((0.004, 0.0, 0.0), (0.0001, 0.0, 0.0)))
    assert both.layers[0].mm_d == pytest.approx(0.8 * SEEN, abs=0.001)


@pytest.mark.parametrize(("days", "known"), [(4, False), (5, True)])
def test_four_whole_days_with_the_evening_before_are_needed(days: int, known: bool) -> None:
    found = uptake(profile((0.004, 0.002, 0.0), days=days))
    assert (found.why_not == "") is known
    if not known:
        assert found.why_not == Notice("uptake.few_days", days=found.days, window_days=14, wanted=4)
        assert found.days == 3


def test_a_day_with_a_wetting_and_the_day_after_are_left_out() -> None:
    given = profile((0.004, 0.002, 0.0), days=20)
    whole = uptake(given).days
    assert uptake(given, (wetting(12 * DAY + 12 * HOUR),)).days == whole - 2
    # the night after a day belongs to it, up to six
    assert uptake(given, (wetting(12 * DAY + 5 * HOUR),)).days == whole - 3
    assert uptake(given, (wetting(12 * DAY + 7 * HOUR),)).days == whole - 2


def test_only_the_last_days_are_looked_at() -> None:
    given = profile((0.004, 0.002, 0.0), days=20)
    assert uptake(given, last_days=6).days == 6
    early = given.theta.copy()
    early[:, : 24 * 10] += 0.05
    assert uptake(replace(given, theta=early), last_days=6).layers[0].mm_d == pytest.approx(0.8 * SEEN, abs=0.001)


def noisy(share: float, seed: int = 3) -> list[bool]:
    """Whether each layer is active when the second takes a share of what the first takes, with little noise."""
    random = np.random.default_rng(seed)
    given = profile((0.004, 0.004 * share, 0.0))
    return [
        y.active for y in uptake(replace(given, theta=given.theta + random.normal(0, 1e-6, given.theta.shape))).layers
    ]


def test_three_percent_of_the_whole_is_drinking() -> None:
    assert noisy(0.035)[:2] == [True, True]
    assert noisy(0.027)[:2] == [True, False]


def test_less_than_two_errors_is_not() -> None:
    given = profile((0.004, 0.002, 0.0))
    days = given.at // DAY
    swing = np.where(days % 2 == 0, 0.06, -0.06) * ((given.at % DAY) / DAY)
    rough = given.theta.copy()
    rough[1] += swing
    found = uptake(replace(given, theta=rough))
    assert not found.layers[1].active and found.layers[1].mm_d < 2 * found.layers[1].error_mm_d


def test_roots_end_where_a_layer_and_the_one_above_it_are_quiet() -> None:
    assert uptake(profile((0.004, 0.0, 0.002))).root_depth_cm == 60.0
    four = ProfileHours(
        *(getattr(profile((0.004, 0.0, 0.0)), name) for name in ("at",)),
        np.vstack([profile((0.004, 0.0, 0.0)).theta, profile((0.0, 0.0, 0.004)).theta[2:]]),
        (10.0, 30.0, 50.0, 80.0), (0.0, 20.0, 40.0, 60.0, 100.0), 100.0,
    )  # fmt: skip
    assert uptake(four).root_depth_cm == 20.0


def test_a_missing_mark_of_the_day_leaves_the_day_out() -> None:
    given = profile((0.004, 0.002, 0.0), days=20)
    holes = given.theta.copy()
    at_dusk = 15 * 24 + 20
    holes[1, at_dusk - 1 : at_dusk + 2] = np.nan
    assert uptake(replace(given, theta=holes)).days == 12  # it is the evening before of the next
    holes[1, at_dusk] = given.theta[1, at_dusk]
    assert uptake(replace(given, theta=holes)).days == 14


def test_nothing_to_look_at() -> None:
    given = profile((0.004, 0.002, 0.0))
    assert uptake(replace(given, at=given.at[:0], theta=given.theta[:, :0])).why_not == "no readings"
    with pytest.raises(CoreError, match="at least one layer"):
        uptake(replace(given, theta=given.theta[:0]))
