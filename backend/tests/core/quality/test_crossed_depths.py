"""Crossed wires: on simulated stations, and on hand-made fronts on both sides of every limit."""

from itertools import pairwise

import numpy as np
import pytest

from embalse.core.quality.crossed_depths import DepthSeries, arrivals, swap_suspicions
from embalse.core.simulate.sensing import SensorFaults, sensed_theta
from embalse.core.wording import Notice
from tests.core.quality.test_faults import season


class TestOnSimulatedStations:
    def series(self, station: int, seed: int) -> list[DepthSeries]:
        truth = season().stations[station].truth
        return [
            DepthSeries(f"{d:g}", d, sensed_theta(np.array(t), SensorFaults(), 100 * seed + int(d)))
            for d, t in truth.items()
        ]

    @pytest.mark.parametrize("seed", range(20))
    def test_no_healthy_station_is_suspected(self, seed: int) -> None:
        for station in range(len(season().stations)):
            assert swap_suspicions(self.series(station, seed)) == []

    @pytest.mark.parametrize("seed", range(5))
    def test_a_crossed_pair_is_found_within_three_wettings(self, seed: int) -> None:
        found = asked = 0
        for station in range(len(season().stations)):
            healthy = self.series(station, seed)
            for i, (upper, lower) in enumerate(pairwise(healthy)):
                reached = [a for a in arrivals(lower.theta) if any(0 < a - u <= 48 for u in arrivals(upper.theta))]
                if len(reached) < 3:
                    continue
                asked += 1
                crossed = list(healthy)
                crossed[i] = DepthSeries(upper.sensor, upper.depth_cm, lower.theta)
                crossed[i + 1] = DepthSeries(lower.sensor, lower.depth_cm, upper.theta)
                pairs = [{s.upper, s.lower} for s in swap_suspicions(crossed)]
                found += {upper.sensor, lower.sensor} in pairs
        assert asked >= 20 and found / asked >= 0.9


EVERY_H = 120


def fronts(
    count: int, delay_h: int = 0, rise: float = 0.04, hours: int = 2000, noise: float = 0.0, moves: float = 1.0
) -> np.ndarray:
    """θ that jumps by a rise every five days, ``delay_h`` after the water, and falls again in between."""
    theta = np.full(hours, 0.25)
    for number in range(count):
        start = 100 + EVERY_H * number + delay_h
        theta[start : start + EVERY_H] = 0.25 + rise * np.linspace(1, 0, EVERY_H)[: len(theta[start : start + EVERY_H])]
    ripple = 1e-4 * moves * np.sin(np.arange(hours))
    return theta + ripple + noise * np.random.default_rng(2).normal(0, 1, hours)


def pair(upper: np.ndarray, lower: np.ndarray) -> list[tuple[str, str, int, int]]:
    found = swap_suspicions([DepthSeries("20", 20.0, upper), DepthSeries("40", 40.0, lower)])
    return [(s.upper, s.lower, s.against, s.wettings) for s in found]


class TestArrivals:
    def test_a_front_is_found_at_its_hour(self) -> None:
        assert arrivals(fronts(3)) == [100, 220, 340]

    @pytest.mark.parametrize(("rise", "count"), [(0.0055, 0), (0.0066, 3)])
    def test_six_thousandths_in_four_hours(self, rise: float, count: int) -> None:
        assert len(arrivals(fronts(3, rise=rise))) == count

    @pytest.mark.parametrize(("noise", "count"), [(0.0004, 3), (0.006, 0)])
    def test_five_noises_are_wanted(self, noise: float, count: int) -> None:
        assert len(arrivals(fronts(3, rise=0.01, noise=noise))) == count

    @pytest.mark.parametrize(("apart_h", "count"), [(15, 1), (17, 2)])
    def test_half_a_day_of_quiet_makes_the_next_one_new(self, apart_h: int, count: int) -> None:
        theta = np.full(400, 0.25)
        for start in (100, 100 + apart_h):
            theta[start:] += 0.03
        assert len(arrivals(theta + 1e-5 * np.sin(np.arange(400)))) == count

    def test_too_little_to_look_at(self) -> None:
        assert arrivals(np.array([0.2, 0.3, 0.3, 0.3])) == []
        assert arrivals(np.full(50, np.nan)) == []


class TestPairs:
    def test_the_lower_sensor_that_answers_first_and_moves_more_is_crossed(self) -> None:
        assert pair(fronts(5, 6, 0.02), fronts(5, 0, 0.04)) == [("20", "40", 5, 5)]
        [found] = swap_suspicions(
            [DepthSeries("40", 40.0, fronts(5, 0, 0.04)), DepthSeries("20", 20.0, fronts(5, 6, 0.02))]
        )
        assert found.words == Notice("crossed.suspected", upper_cm=20.0, lower_cm=40.0, against=5, wettings=5)

    @pytest.mark.parametrize(("count", "crossed"), [(2, False), (3, True)])
    def test_three_wettings_must_speak_against_the_order(self, count: int, crossed: bool) -> None:
        assert bool(pair(fronts(count, 6, 0.02), fronts(count, 0, 0.04))) is crossed

    @pytest.mark.parametrize(("delay_h", "crossed"), [(0, False), (1, True)])
    def test_an_hour_earlier_is_enough_and_the_same_hour_is_not(self, delay_h: int, crossed: bool) -> None:
        assert bool(pair(fronts(4, delay_h, 0.02), fronts(4, 0, 0.04))) is crossed

    @staticmethod
    def mixed(right: int, higher: float) -> bool:
        """Four wettings the wrong way and so many the right way, the lower sensor's so many times as high."""
        upper, lower = np.full(3000, 0.25), np.full(3000, 0.25)
        for number in range(4 + right):
            first, second = (upper, lower) if number < right else (lower, upper)
            at = 100 + EVERY_H * number
            first[at:] += 0.012 * (1 if first is upper else higher)
            second[at + 6 :] += 0.012 * (1 if second is upper else higher)
        ripple = 1e-5 * np.sin(np.arange(3000))
        return bool(pair(upper + ripple, lower + ripple))

    @pytest.mark.parametrize(("right", "crossed"), [(1, True), (2, False)])
    def test_four_of_five_must(self, right: int, crossed: bool) -> None:
        assert self.mixed(right, 1.3) is crossed

    @pytest.mark.parametrize(("right", "crossed"), [(6, True), (7, False)])
    def test_two_of_five_where_it_moves_much_more(self, right: int, crossed: bool) -> None:
        assert self.mixed(right, 2.0) is crossed

    @pytest.mark.parametrize(("times", "crossed"), [(1.48, False), (1.52, True)])
    def test_half_as_much_again_is_much_more(self, times: float, crossed: bool) -> None:
        assert self.mixed(4, times) is crossed

    @pytest.mark.parametrize(("times", "crossed"), [(1.10, False), (1.22, True)])
    def test_it_moves_more_by_fifteen_percent(self, times: float, crossed: bool) -> None:
        assert bool(pair(fronts(4, 6, 0.04, moves=0), fronts(4, 0, 0.04 * times, moves=0))) is crossed

    @pytest.mark.parametrize(("delay_h", "against"), [(48, 4), (49, 8)])
    def test_beyond_two_days_they_are_two_wettings(self, delay_h: int, against: int) -> None:
        [(_, _, _, wettings)] = pair(fronts(4, delay_h, 0.02), fronts(4, 0, 0.04))
        assert wettings == against

    def test_an_upper_sensor_that_no_wetting_reaches_speaks_against_them_too(self) -> None:
        assert pair(fronts(0), fronts(4, 0, 0.04)) == [("20", "40", 4, 4)]


def station(*moves: float) -> list[DepthSeries]:
    """Depths every 10 cm whose fronts are so high [hundredths of m³/m³], later the smaller they are."""
    return [
        DepthSeries(f"{10 * (n + 1)}", 10.0 * (n + 1), fronts(6, round(40 / much), much / 100, moves=0))
        for n, much in enumerate(moves)
    ]


class TestExchanges:
    """The exchange that puts the whole station in order is named, not a neighbour of it."""

    @pytest.mark.parametrize(
        ("moves", "named"),
        [
            ((9, 2, 4, 3, 6), ("20", "50")),
            ((2, 6, 4, 9), ("10", "40")),
            ((9, 6, 3, 4), ("30", "40")),
            ((9, 6, 3.3, 3), None),
            ((9, 6, 4, 3), None),
            ((9, 6, 6, 3), None),
        ],
    )
    def test_the_pair(self, moves: tuple[float, ...], named: tuple[str, str] | None) -> None:
        assert [(s.upper, s.lower) for s in swap_suspicions(station(*moves))] == ([] if named is None else [named])

    @pytest.mark.parametrize(("left", "crossed"), [(0.49, True), (0.51, False)])
    def test_the_exchange_must_take_half_of_it_away(
        self, monkeypatch: pytest.MonkeyPatch, left: float, crossed: bool
    ) -> None:
        told = iter([1.0, left, 2.0, 3.0])
        monkeypatch.setattr("embalse.core.quality.crossed_depths._contradiction", lambda moves: next(told))
        assert bool(swap_suspicions(station(4, 6, 9))) is crossed

    @pytest.mark.parametrize(("next_best", "code"), [(0.14, "crossed.unsure"), (0.16, "crossed.suspected")])
    def test_it_is_clear_where_the_next_best_is_worse_by_so_much(
        self, monkeypatch: pytest.MonkeyPatch, next_best: float, code: str
    ) -> None:
        told = iter([1.0, 0.0, next_best, 3.0])
        monkeypatch.setattr("embalse.core.quality.crossed_depths._contradiction", lambda moves: next(told))
        [found] = swap_suspicions(station(4, 9, 6))
        assert found.words.code == code

    def test_depths_above_a_buried_line_are_not_compared(self) -> None:
        assert swap_suspicions(station(3, 9, 6, 4), from_below=True) == []
        assert [(s.upper, s.lower) for s in swap_suspicions(station(3, 9, 2, 4), from_below=True)] == [("30", "40")]

    @pytest.mark.parametrize(("moves", "code"), [((3, 6.4, 8), "crossed.suspected"), ((6, 7.2, 6.4), "crossed.unsure")])
    def test_where_another_exchange_does_as_well_the_station_is_named(
        self, moves: tuple[float, ...], code: str
    ) -> None:
        [found] = swap_suspicions(station(*moves))
        assert found.words.code == code

    def test_nothing_is_said_of_flat_series(self) -> None:
        flat = [DepthSeries(f"{d}", d, np.full(500, 0.25)) for d in (10, 20, 30)]
        assert swap_suspicions(flat) == [] and swap_suspicions([]) == []
