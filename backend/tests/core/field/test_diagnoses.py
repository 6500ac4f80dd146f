"""Each finding of four weeks on both sides of what decides it; series made by hand, so that the answer is known."""

from typing import Any

import numpy as np
import pytest

from embalse.core.field.diagnoses import Diagnosis, Weeks, diagnoses
from embalse.core.field.wetting import Wetting
from embalse.core.soil.layers import Layer
from embalse.core.wording import Notice
from tests.core.build import values_of

DAY_H = 24
LAYERS = tuple(Layer(d, d - 10, d + 10, 20.0, 0.30, 0.20, 0.10, 0.45) for d in (10.0, 30.0, 50.0))
BELOW = Layer(80.0, 60.0, 100.0, 0.0, 0.30, 0.20, 0.10, 0.45)


def wetting(day: int, reach: float = 50.0, gain: float = 20.0, below: float | None = 0.0) -> Wetting:
    at = 86400 * day
    return Wetting(at, at + 86400, (), gain, reach, below, None)


def weeks(shares: Any, wettings: tuple[Wetting, ...] = (), expected: tuple[float, ...] = (), days: int = 28) -> Weeks:
    """A station whose layers stand at shares of available water: one a layer, or a series a layer."""
    rows = [np.broadcast_to(np.asarray(one, dtype=float), (days * DAY_H,)) for one in shares]
    return Weeks(0.10 + 0.20 * np.array(rows), LAYERS, wettings, 60.0, expected)


def kinds(found: list[Diagnosis]) -> list[str]:
    return [one.kind for one in found]


def only(found: list[Diagnosis], kind: str) -> Diagnosis:
    return next(one for one in found if one.kind == kind)


CALM = (0.7, 0.7, 0.7)


def test_nothing_is_said_of_less_than_a_week_or_without_roots() -> None:
    assert diagnoses(weeks(CALM, days=7)) and diagnoses(weeks(CALM, days=6)) == []
    bare = Weeks(np.full((1, 28 * DAY_H), 0.25), (BELOW,), (), 60.0)
    assert diagnoses(bare) == []


class TestLeaking:
    def leaks(self, *below: float | None) -> list[Diagnosis]:
        return diagnoses(weeks(CALM, tuple(wetting(n + 1, below=mm) for n, mm in enumerate(below))))

    def test_three_wettings_with_a_figure_are_needed(self) -> None:
        assert "leaking" not in kinds(self.leaks(9.0, 9.0))
        assert "leaking" not in kinds(self.leaks(9.0, 9.0, None))
        assert "leaking" in kinds(self.leaks(9.0, 9.0, 9.0))

    def test_a_loss_counts_from_more_than_three_millimetres(self) -> None:
        assert "leaking" not in kinds(self.leaks(3.0, 3.0, 3.0))
        assert "leaking" in kinds(self.leaks(3.01, 3.01, 3.01))

    def test_half_of_the_wettings_make_it(self) -> None:
        assert "leaking" in kinds(self.leaks(8.0, 8.0, 0.0, 0.0))
        assert "leaking" not in kinds(self.leaks(8.0, 8.0, 0.0, 0.0, 0.0))

    def test_the_figures_are_of_those_that_lost_water(self) -> None:
        found = only(self.leaks(8.0, 6.0, 0.5, 1.0), "leaking")
        assert found.words["total_mm"] == 14.0
        depth = values_of(found.evidence, "evidence.leak_depth")
        assert (depth["total_mm"], depth["each_mm"]) == (14.0, 7.0)
        count = values_of(found.evidence, "evidence.leak_count")
        assert (count["leaked"], count["known"], count["in_days"], count["roots_cm"]) == (2, 4, 28, 60.0)


class TestSealed:
    def sealed(self, gains: tuple[float, ...], expected: tuple[float, ...], reach: float = 10.0) -> list[Diagnosis]:
        given = tuple(wetting(n + 1, reach, gain) for n, gain in enumerate(gains))
        return diagnoses(weeks(CALM, given, expected))

    def test_two_sets_that_bring_too_little_and_go_nowhere(self) -> None:
        assert "sealed" in kinds(self.sealed((5.0, 5.0), (10.0, 10.0)))
        assert "sealed" not in kinds(self.sealed((5.0,), (10.0,)))

    def test_three_quarters_seen_is_enough(self) -> None:
        assert "sealed" not in kinds(self.sealed((7.5, 7.5), (10.0, 10.0)))
        assert "sealed" in kinds(self.sealed((7.4, 7.4), (10.0, 10.0)))

    def test_a_front_past_two_thirds_of_the_roots_went_in(self) -> None:
        assert "sealed" in kinds(self.sealed((5.0, 5.0), (10.0, 10.0), reach=38.0))
        assert "sealed" not in kinds(self.sealed((5.0, 5.0), (10.0, 10.0), reach=39.0))

    def test_sets_of_four_millimetres_or_unknown_ones_say_nothing(self) -> None:
        assert "sealed" not in kinds(self.sealed((1.0, 1.0), (4.0, 4.0)))
        assert "sealed" in kinds(self.sealed((1.0, 1.0), (4.1, 4.1)))
        assert "sealed" not in kinds(self.sealed((1.0, 1.0), (float("nan"), float("nan"))))

    def test_half_of_the_known_ones_must(self) -> None:
        assert "sealed" in kinds(self.sealed((5.0, 5.0, 10.0, 10.0), (10.0,) * 4))
        assert "sealed" not in kinds(self.sealed((5.0, 5.0, 10.0, 10.0, 10.0), (10.0,) * 5))

    def test_what_is_told_are_the_means_of_those(self) -> None:
        found = only(self.sealed((5.0, 3.0, 10.0), (10.0, 12.0, 10.0)), "sealed")
        told = values_of(found.evidence, "evidence.runoff_gain")
        assert (told["sets"], told["gain_mm"], told["expected_mm"]) == (2, 4.0, 11.0)


class TestNotReaching:
    def falling(self, per_day: float, days: int = 28, wettings: tuple[Wetting, ...] = ()) -> list[Diagnosis]:
        hours = np.arange(days * DAY_H) / DAY_H
        return diagnoses(weeks((0.7, 0.7, 0.7 - per_day * hours), wettings, days=days))

    def test_the_deep_layers_fall_by_more_than_four_thousandths_a_day(self) -> None:
        assert "not reaching" in kinds(self.falling(0.0041))
        assert "not reaching" not in kinds(self.falling(0.0039))

    def test_two_weeks_are_needed(self) -> None:
        assert "not reaching" in kinds(self.falling(0.01, days=14))
        assert "not reaching" not in kinds(self.falling(0.01, days=13))

    def test_a_third_of_the_wettings_may_reach_it(self) -> None:
        shallow, deep = wetting(2, reach=30.0), wetting(3, reach=50.0)
        assert "not reaching" in kinds(self.falling(0.01, wettings=(shallow, shallow, deep)))
        assert "not reaching" not in kinds(self.falling(0.01, wettings=(shallow, deep)))

    def test_what_is_told(self) -> None:
        found = only(
            self.falling(0.01, wettings=(wetting(2, 10.0), wetting(4, 30.0), wetting(6, 30.0))), "not reaching"
        )
        assert found.words["below_cm"] == 40.0 and found.words["usual_cm"] == 30.0
        told = values_of(found.evidence, "evidence.drying")
        assert told["fall_fraction"] == pytest.approx(0.01) and told["in_days"] == 28
        reached = values_of(found.evidence, "evidence.reached")
        assert (reached["reached"], reached["wettings"], reached["depth_cm"]) == (0, 3, 40.0)


class TestTooWet:
    def wet(self, share_of_hours: float, lower: float = 1.0, level: float = 0.96) -> list[Diagnosis]:
        hours = 28 * DAY_H
        upper = np.where(np.arange(hours) < share_of_hours * hours, level, 0.5)
        below = np.where(np.arange(hours) < lower * hours, 0.96, 0.5)
        return diagnoses(weeks((upper, below, below)))

    def test_seven_tenths_of_the_hours(self) -> None:
        assert "too wet" in kinds(self.wet(0.71)) and "too wet" not in kinds(self.wet(0.69))

    def test_nineteen_twentieths_of_what_can_be_used_is_wet(self) -> None:
        assert "too wet" in kinds(self.wet(1.0, level=0.951))
        assert "too wet" not in kinds(self.wet(1.0, level=0.949))

    def test_the_lower_layers_are_wet_nine_tenths_of_the_time(self) -> None:
        assert "too wet" in kinds(self.wet(0.8, lower=0.91)) and "too wet" not in kinds(self.wet(0.8, lower=0.89))

    def test_what_is_told(self) -> None:
        told = values_of(only(self.wet(0.75, lower=1.0), "too wet").evidence, "evidence.wet_time")
        assert told["upper_fraction"] == pytest.approx(0.75) and told["lower_fraction"] == 1.0


class TestTooDry:
    def dry(self, hours_past: int, level: float = 0.4, upper: int = 1) -> list[Diagnosis]:
        series = np.full(28 * DAY_H, 0.7)
        series[-hours_past or len(series) :] = level
        return diagnoses(weeks((series if upper else 0.7, 0.7, 0.7)))

    def test_three_days_of_the_last_week_past_refill(self) -> None:
        assert "too dry" in kinds(self.dry(73)) and "too dry" not in kinds(self.dry(71))

    def test_at_refill_is_not_past_it(self) -> None:
        assert "too dry" not in kinds(self.dry(168, level=0.501)) and "too dry" in kinds(self.dry(168, level=0.499))

    def test_only_the_last_week_counts(self) -> None:
        series = np.full(28 * DAY_H, 0.4)
        series[-7 * DAY_H :] = 0.7
        assert "too dry" not in kinds(diagnoses(weeks((series, 0.7, 0.7))))
        assert only(self.dry(96), "too dry").evidence == (Notice("evidence.past_refill", past=4),)


def test_unlike_stations_are_said_after_the_graver_findings() -> None:
    how = Notice("evidence.swing", low_fraction=0.1, high_fraction=0.9)
    leaking = tuple(wetting(n + 1, below=9.0) for n in range(3))
    assert kinds(diagnoses(weeks(CALM, leaking), how)) == ["leaking", "uneven"]
    assert only(diagnoses(weeks(CALM), how), "uneven").evidence == (how,)


SWINGING = np.tile(np.linspace(0.9, 0.55, 4 * DAY_H), 7)
QUIET = tuple(wetting(2 + 4 * n, below=0.0) for n in range(6))
GIVEN = (20.0,) * 6


def verdict(
    upper: object = SWINGING, lower: object = 0.7, given: tuple[Wetting, ...] = QUIET, expected: tuple[float, ...] = GIVEN,
    days: int = 28, doubts: tuple[Notice, ...] = (),
) -> Diagnosis:  # fmt: skip
    upper = upper[: days * DAY_H] if isinstance(upper, np.ndarray) else upper
    [found] = diagnoses(weeks((upper, lower, lower), given, expected, days), None, doubts)
    return found


def untold(found: Diagnosis) -> list[str]:
    return [one.code for one in found.evidence if one.code.startswith("untold")]


class TestVerdict:
    """Well run is said where every claim of it was tested and held."""

    def test_well_run_with_what_it_rests_on(self) -> None:
        found = verdict()
        assert (found.kind, untold(found)) == ("well run", [])
        told = values_of(found.evidence, "evidence.swing")
        assert told["low_fraction"] == pytest.approx(0.585, abs=0.01)
        assert told["high_fraction"] == pytest.approx(0.865, abs=0.01)
        assert values_of(found.evidence, "evidence.leaks") == {"leaked": 0, "known": 6}

    def test_a_loss_now_and_then_is_told_beside_it(self) -> None:
        some = (*QUIET[:5], wetting(22, below=4.0))
        assert values_of(verdict(given=some).evidence, "evidence.leaks") == {"leaked": 1, "known": 6}

    def test_a_doubted_sensor_keeps_it_back(self) -> None:
        doubt = Notice("untold.missing", depth_cm=30.0, why=Notice("missing.not_calibrated", unit="count"))
        found = verdict(doubts=(doubt,))
        assert found.kind == "not told" and found.evidence[0] == doubt and found.words == Notice("diagnosis.not_told")

    @pytest.mark.parametrize(("known", "codes"), [(3, []), (2, ["untold.leaks"])])
    def test_three_wettings_must_tell_what_passed(self, known: int, codes: list[str]) -> None:
        given = tuple(wetting(2 + 4 * n, below=0.0 if n < known else None) for n in range(6))
        assert untold(verdict(given=given)) == codes

    @pytest.mark.parametrize(("depths", "codes"), [((20.0, 20.0), []), ((20.0, float("nan")), ["untold.runoff"])])
    def test_two_sets_of_known_depth_must_have_been_seen(self, depths: tuple[float, ...], codes: list[str]) -> None:
        assert untold(verdict(expected=depths)) == codes

    @pytest.mark.parametrize(("days", "codes"), [(14, []), (13, ["untold.reach"])])
    def test_two_weeks_tell_whether_water_reaches_the_lower_roots(self, days: int, codes: list[str]) -> None:
        assert untold(verdict(days=days)) == codes

    @pytest.mark.parametrize(("share", "codes"), [(0.81, []), (0.79, ["untold.readings"])])
    def test_four_fifths_of_the_hours_must_be_known(self, share: float, codes: list[str]) -> None:
        hours = 28 * DAY_H
        lower = np.where(np.arange(hours) < hours * (1 - 1.5 * (1 - share)), 0.7, np.nan)
        assert untold(verdict(lower=lower)) == codes

    @pytest.mark.parametrize(("level", "codes"), [(0.501, []), (0.499, ["untold.swing"])])
    def test_the_upper_depths_stay_above_refill(self, level: float, codes: list[str]) -> None:
        low = np.where(np.arange(28 * DAY_H) % (4 * DAY_H) < 1.5 * DAY_H, level, 0.8)
        assert untold(verdict(upper=low)) == codes

    @pytest.mark.parametrize(("level", "codes"), [(1.09, []), (1.11, ["untold.swing"])])
    def test_and_below_a_tenth_over_full(self, level: float, codes: list[str]) -> None:
        wet = np.where(np.arange(28 * DAY_H) % (4 * DAY_H) < 1.5 * DAY_H, level, 0.8)
        assert untold(verdict(upper=wet)) == codes

    @pytest.mark.parametrize(("swing", "codes"), [(0.27, []), (0.30, ["untold.lower"])])
    def test_the_lower_depths_move_less_than_the_upper_ones(self, swing: float, codes: list[str]) -> None:
        lower = np.where(np.arange(28 * DAY_H) % (4 * DAY_H) < 2 * DAY_H, 0.6 + swing, 0.6)
        assert untold(verdict(lower=lower)) == codes

    def test_without_any_reading_nothing_could_be_tested(self) -> None:
        found = verdict(upper=np.nan, lower=np.nan)
        assert found.words == Notice("diagnosis.nothing_told") and "untold.readings" in untold(found)
        assert all(one.code.startswith("untold") for one in found.evidence)
