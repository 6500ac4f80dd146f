"""Verdicts on both sides of each limit, and what a station saw of a set."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.audit.seen import seen_of, watch
from embalse.core.audit.set_audit import (
    SLOPE_ERROR,
    SeenAt,
    SetAudit,
    SetFacts,
    alone,
    audit,
    came_as_logged,
    with_model,
)
from embalse.core.errors import CoreError
from embalse.core.field.wetting import ProfileHours
from embalse.core.field.wetting_events import wettings

FACTS = SetFacts(6.0, 6.0, 20.0)
HOUR = 3600


def verdict(*seen: SeenAt, facts: SetFacts = FACTS) -> str:
    return audit(facts, seen).verdict


def seen(gained: float, below: float | None = 0.0, station: str = "a", **more: object) -> SeenAt:
    return SeenAt(station, True, gained, reach_cm=60.0, below_mm=below, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("gained", "told"), [(17.0, "right"), (16.9, "too little"), (23.0, "right"), (23.1, "too much")]
)
def test_within_three_twentieths_a_set_is_right(gained: float, told: str) -> None:
    assert verdict(seen(gained)) == told


@pytest.mark.parametrize(("gained", "told"), [(3.0, "right"), (2.9, "too little")])
def test_small_sets_are_told_to_two_millimetres(gained: float, told: str) -> None:
    assert verdict(seen(gained), facts=SetFacts(1.0, 1.0, 4.4)) == ("too little" if gained < 2.95 else told)


@pytest.mark.parametrize(("below", "told"), [(3.0, "right"), (3.1, "too much"), (None, "right")])
def test_water_below_the_roots(below: float | None, told: str) -> None:
    assert verdict(seen(20.0, below)) == told


def test_a_leak_within_its_error_is_not_told() -> None:
    assert (
        verdict(seen(20.0, 5.0, below_error_mm=2.1)) == "right"
        and verdict(seen(20.0, 5.0, below_error_mm=1.9)) == "too much"
    )


@pytest.mark.parametrize(("gained", "told"), [(13.4, "right"), (13.3, "too little")])
def test_a_third_less_is_never_right_whatever_the_error(gained: float, told: str) -> None:
    assert verdict(seen(gained, error_mm=9.0)) == told


@pytest.mark.parametrize(("gives", "told"), [(5.0, "too little"), (5.1, "too fast")])
def test_water_that_is_missing_where_the_rate_beats_the_soil(gives: float, told: str) -> None:
    facts = SetFacts(6.0, 6.0, 20.0, takes_mm_h=5.0, gives_mm_h=gives)
    found = audit(facts, [seen(10.0)])
    assert found.verdict == told and found.missing_mm == 10.0


def test_what_had_passed_by_then_is_not_missing() -> None:
    assert verdict(seen(14.0, 2.5, passed_mm=5.0)) == "right"


def test_some_stations_dry_is_not_all_of_the_block_and_none_wet_is_too_little() -> None:
    dry = SeenAt("b", False)
    found = audit(FACTS, [seen(20.0), dry])
    assert found.verdict == "not all of the block" and found.why[0]["dry"] == ("b",)
    assert verdict(dry) == "too little"


@pytest.mark.parametrize(("rain", "told"), [(10.0, "right"), (10.1, "cannot tell")])
def test_rain_beside_it_of_half_as_much(rain: float, told: str) -> None:
    assert verdict(seen(20.0), facts=SetFacts(6.0, 6.0, 20.0, rain_mm=rain)) == told


def test_what_cannot_be_told_says_why() -> None:
    assert [n.code for n in audit(FACTS, []).why] == ["audit.not_read"]
    assert [n.code for n in audit(SetFacts(6.0, 6.0, 20.0, has_probes=False), []).why] == ["audit.no_probe"]
    assert verdict(seen(5.0, least=True)) == "cannot tell"
    assert verdict(seen(5.0), facts=SetFacts(6.0, 0.0, 20.0)) == "did not run"


def test_the_spread_between_stations_is_in_the_error() -> None:
    found = audit(FACTS, [seen(16.0), seen(24.0, station="b")])
    assert found.spread_mm == pytest.approx(5.657, abs=1e-3) and found.error_mm == pytest.approx(4.0)


@pytest.mark.parametrize("facts", [SetFacts(1.0, -1.0, 5.0), SetFacts(1.0, 1.0, 0.0)])
def test_sets_that_cannot_be_are_refused(facts: SetFacts) -> None:
    with pytest.raises(CoreError):
        audit(facts, [seen(5.0)])


def profile(gain: float = 0.05, use: float = 0.0) -> ProfileHours:
    """Two layers of 20 cm in the roots and one below; the upper two rise at hour 48."""
    hours = np.arange(120)
    risen = np.where(hours > 48, gain, 0.0)
    theta = np.array([0.20 + risen, 0.20 + np.where(hours > 52, gain / 2, 0.0), np.full(120, 0.22)])
    falls = np.maximum(0, hours - 48) * use / 400.0
    return ProfileHours(
        hours * HOUR, theta - np.where(hours > 48, falls, 0.0) * np.array([[1.0], [1.0], [0.0]]), (10.0, 30.0, 50.0),
        (0.0, 20.0, 40.0, 60.0), 40.0, np.full(120, use),
    )  # fmt: skip


def test_a_station_gains_what_its_layers_rose_by() -> None:
    rises = profile()
    found = seen_of(watch("a", rises, wettings(rises)), (48 * HOUR, 54 * HOUR))
    assert found is not None and found.answered and found.reach_cm == 30.0
    assert found.gained_mm == pytest.approx(0.05 * 200 + 0.025 * 200) and found.passed_mm == 0.0


def test_the_crops_use_meanwhile_is_added_back() -> None:
    used = profile(use=0.2)
    found = seen_of(watch("a", used, wettings(used)), (48 * HOUR, 54 * HOUR))
    assert found is not None and found.gained_mm == pytest.approx(15.0, abs=0.6)


def test_nothing_that_rose_is_told_and_too_little_read_is_none() -> None:
    still = profile(gain=0.0)
    found = seen_of(watch("a", still, []), (48 * HOUR, 54 * HOUR))
    assert found is not None and not found.answered and found.gained_mm == 0.0
    assert seen_of(watch("a", still, []), (500 * HOUR, 506 * HOUR)) is None


def test_a_gain_that_is_the_least_it_was_is_never_too_little_and_may_be_right() -> None:
    for flag, code in (({"use_unknown": True}, "audit.least_use"), ({"at_end": True}, "audit.least_end")):
        found = audit(FACTS, [seen(10.0, **flag)])
        assert (found.verdict, found.why[0].code, found.floor) == ("cannot tell", code, True)
        assert verdict(seen(20.0, **flag)) == "right" and verdict(seen(20.0, 9.0, **flag)) == "too much"


@pytest.mark.parametrize(("known", "unknown"), [(84, False), (60, True)])
def test_use_that_is_not_known_makes_a_gain_the_least(known: int, unknown: bool) -> None:
    one = profile()
    use = np.where(np.arange(120) < known, 0.2, np.nan)
    seen_so = seen_of(watch("a", replace(one, use_mm=use), wettings(one)), (48 * HOUR, 54 * HOUR))
    assert seen_so is not None and seen_so.use_unknown is unknown


@pytest.mark.parametrize(("hour", "at_end"), [(46, True), (40, False)])
def test_a_sensor_at_its_end_before_a_set_makes_its_gain_the_least(hour: int, at_end: bool) -> None:
    one = profile()
    found = replace(watch("a", one, wettings(one)), at_end=np.arange(120) == hour)
    told = seen_of(found, (48 * HOUR, 54 * HOUR))
    assert told is not None and told.at_end is at_end


def test_a_moving_system_is_looked_at_when_it_passes() -> None:
    one = profile()
    turn = (20 * HOUR, 80 * HOUR)
    still = seen_of(watch("a", one, wettings(one)), turn)
    moving = seen_of(watch("a", one, wettings(one), moving=True), turn)
    assert still is not None and moving is not None
    assert moving.gained_mm == pytest.approx(15.0, abs=2.0) and moving.arrived_h[0] == (
        10.0,
        pytest.approx(29.0, abs=1),
    )


@pytest.mark.parametrize(("ran", "told"), [(5.4, "right"), (5.39, "too little")])
def test_a_set_that_was_cut_short_is_too_little(ran: float, told: str) -> None:
    assert verdict(seen(20.0), facts=SetFacts(6.0, ran, 20.0)) == told


def test_a_part_no_system_and_no_calibration_cannot_be_told() -> None:
    assert audit(SetFacts(6.0, 6.0, 20.0, part="east"), [seen(20.0)]).why[0].code == "audit.part"
    assert audit(SetFacts(6.0, 6.0, None), [seen(20.0)]).why[0].code == "audit.no_system"
    assert audit(SetFacts(6.0, 6.0, 20.0, calibrated=False), []).why[0].code == "audit.uncalibrated"


@pytest.mark.parametrize(("after_h", "gained"), [(16, 15.0), (28, 10.0)])
def test_water_that_comes_down_within_a_day_is_gained(after_h: int, gained: float) -> None:
    one = profile()
    late = one.theta.copy()
    late[1] = 0.20 + np.where(np.arange(120) > 54 + after_h, 0.025, 0.0)
    found = seen_of(watch("a", replace(one, theta=late), wettings(one)), (48 * HOUR, 54 * HOUR))
    assert found is not None and found.gained_mm == pytest.approx(gained, abs=2.0)


@pytest.mark.parametrize(("every", "told"), [(4, True), (2, False)])
def test_seven_tenths_of_the_hours_must_be_known(every: int, told: bool) -> None:
    one = profile()
    theta = one.theta.copy()
    theta[:, ::every] = np.nan
    found = seen_of(watch("a", replace(one, theta=theta), []), (48 * HOUR, 54 * HOUR))
    assert (found is not None) is told


@pytest.mark.parametrize(("early_h", "answered"), [(12, True), (13, False)])
def test_a_wetting_within_half_a_day_of_the_log_is_the_sets(early_h: int, answered: bool) -> None:
    one = profile()
    [wetting] = wettings(one)
    shifted = replace(wetting, start_at=(48 - early_h) * HOUR, from_what=())
    found = seen_of(watch("a", one, [shifted]), (48 * HOUR, 54 * HOUR))
    assert found is not None and found.answered is answered


def test_a_leak_is_no_surer_than_what_lies_between_two_sensors() -> None:
    one = profile()
    found = seen_of(watch("a", one, wettings(one)), (48 * HOUR, 54 * HOUR))
    assert found is not None and found.below_error_mm >= 1.0


@pytest.mark.parametrize(("missing", "came"), [(3.0, True), (3.01, False)])
def test_the_models_leak_is_told_where_the_logged_water_came(missing: float, came: bool) -> None:
    told = SetAudit("right", 20.0, 17.0, 1.0, 60.0, 5.0, missing, None, 1)
    assert came_as_logged(told) is came
    one = seen(17.0, 5.0, wetting_at=7, below_error_mm=1.0)
    [better] = with_model(told, [one], {"a": {7: 9.0}})
    assert better.below_mm == (9.0 if came else 5.0) and better.below_error_mm == pytest.approx(
        SLOPE_ERROR * better.below_mm
    )
    assert with_model(told, [one], {"a": {8: 9.0}}) == [one] and with_model(told, [one], {"b": {7: 9.0}}) == [one]


@pytest.mark.parametrize(("area", "part"), [(4.74, True), (4.75, False), (None, False)])
def test_a_set_of_less_than_its_block(area: float | None, part: bool) -> None:
    assert alone(area, 5.0) is part
