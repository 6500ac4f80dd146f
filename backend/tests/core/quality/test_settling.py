"""When sensors count as settled: by days, or once the last wettings agree."""

import numpy as np
import pytest

from embalse.core.quality.settling import SettlingRule, settling, wet_ends
from embalse.core.wording import Notice

DAY = 86400.0
RULE = SettlingRule(days=14.0, wettings=2, rise_theta=0.02, agree_theta=0.02)


def dawns(*ends: float, base: float = 0.20) -> np.ndarray:
    """A dawn at the base, one at each wetting's end, and a dry one after."""
    return np.array([base, *(v for end in ends for v in (end, base))])


def test_a_wetting_ends_at_its_highest_dawn() -> None:
    assert wet_ends([0.20, 0.25, 0.27, 0.26, 0.22, 0.28, 0.24], 0.02) == [0.27, 0.28]
    assert wet_ends([0.20, 0.25, 0.255, 0.26, 0.22], 0.02) == [0.26]


@pytest.mark.parametrize(("rise", "ends"), [(0.0199, []), (0.0201, [0.2201])])
def test_a_rise_counts_from_its_limit(rise: float, ends: list[float]) -> None:
    assert wet_ends([0.20, 0.20 + rise, 0.20], 0.02) == pytest.approx(ends)


def test_dawns_without_a_value_are_passed_over() -> None:
    assert wet_ends([0.20, float("nan"), 0.25, float("nan"), 0.21], 0.02) == [0.25]
    assert wet_ends([], 0.02) == []


@pytest.mark.parametrize(("days", "settled"), [(13.99, False), (14.0, True)])
def test_by_days(days: float, settled: bool) -> None:
    found = settling(0.0, days * DAY, [dawns()], RULE)
    assert found.settled is settled
    if settled:
        assert found.said == Notice("settling.by_days", in_days=14.0)
    else:
        assert found.said.code == "settling.waiting" and found.said["left_days"] == pytest.approx(0.01)
        assert found.said["wettings"] == 2


@pytest.mark.parametrize(("second", "settled"), [(0.3199, True), (0.3201, False)])
def test_two_wettings_that_end_alike(second: float, settled: bool) -> None:
    assert settling(0.0, 5 * DAY, [dawns(0.30, second)], RULE).settled is settled


def test_only_the_last_wettings_are_held_together() -> None:
    assert settling(0.0, 5 * DAY, [dawns(0.40, 0.30, 0.31)], RULE).settled
    assert not settling(0.0, 5 * DAY, [dawns(0.30, 0.31, 0.40)], RULE).settled


def test_one_wetting_is_too_few() -> None:
    assert not settling(0.0, 5 * DAY, [dawns(0.30)], RULE).settled


def test_half_of_those_that_saw_enough_must_agree() -> None:
    agrees, apart, dry = dawns(0.30, 0.31), dawns(0.30, 0.40), dawns(0.30)
    assert settling(0.0, 5 * DAY, [agrees, apart], RULE).settled
    assert not settling(0.0, 5 * DAY, [agrees, apart, apart], RULE).settled
    assert settling(0.0, 5 * DAY, [agrees, apart, dry, dry], RULE).settled
    assert not settling(0.0, 5 * DAY, [], RULE).settled


def test_the_rule_of_practice_is_used_without_another() -> None:
    rule = SettlingRule()
    found = settling(0.0, DAY, [dawns(*[0.30] * rule.wettings)])
    assert found.said == Notice("settling.by_wettings", wettings=rule.wettings, agree_theta=rule.agree_theta)


class TestSettling:
    DAY = 86400.0

    def test_days_alone_settle(self) -> None:
        assert settling(0, 14 * self.DAY, [np.empty(0)]).settled
        young = settling(0, 3 * self.DAY, [np.empty(0)])
        assert not young.settled and young.said["left_days"] == 11

    def test_two_wettings_that_agree_settle_sooner(self) -> None:
        agreeing = np.array([0.20, 0.30, 0.27, 0.24, 0.31, 0.28])
        differing = np.array([0.20, 0.26, 0.24, 0.22, 0.33, 0.30])
        assert settling(0, 6 * self.DAY, [agreeing]).settled
        assert not settling(0, 6 * self.DAY, [differing]).settled
        assert settling(0, 6 * self.DAY, [agreeing, differing]).settled
        assert not settling(0, 6 * self.DAY, [agreeing, differing, differing]).settled

    def test_a_rise_over_two_dawns_is_one_wetting(self) -> None:
        assert wet_ends([0.20, 0.24, 0.29, 0.291, 0.27, np.nan, 0.25, 0.30], 0.015) == [0.291, 0.30]

    def test_the_rule_can_be_set(self) -> None:
        assert settling(0, 5 * self.DAY, [], SettlingRule(days=5)).settled
