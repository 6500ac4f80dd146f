"""The flow of a block's sets, and whose water a shared meter counted."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.acting.line_watch import LineReading, Spell, longest_spell
from embalse.core.acting.measured_flow import RunFlow, measured_flow
from embalse.core.acting.shared_meter import Open, volumes_m3
from embalse.core.errors import CoreError

HOUR = 3600


def runs(*flows: float, bar: float | None = None, hours: float = 4.0) -> list[RunFlow]:
    return [RunFlow(n * 86400, hours, flow * hours, bar) for n, flow in enumerate(flows)]


@pytest.mark.parametrize(("flows", "told"), [((50.0, 52.0), None), ((50.0, 52.0, 51.0), 51.0)])
def test_three_sets_tell_a_flow(flows: tuple[float, ...], told: float | None) -> None:
    found = measured_flow(runs(*flows))
    assert (found.flow_m3_h if found else None) == told


def test_the_last_five_count_and_one_odd_set_does_not_move_it() -> None:
    found = measured_flow(runs(10.0, 10.0, 50.0, 51.0, 52.0, 50.0, 5.0))
    assert found is not None and (found.flow_m3_h, found.sets) == (50.0, 5)
    assert found.spread_m3_h == pytest.approx(1.4826)


@pytest.mark.parametrize(("hours", "told"), [(0.5, True), (0.49, False)])
def test_filling_the_line_is_no_set(hours: float, told: bool) -> None:
    assert (measured_flow(runs(50.0, 50.0, 50.0, hours=hours)) is not None) is told


@pytest.mark.parametrize(
    ("last", "bar", "trend"),
    [(94.5, 2.0, None), (88.0, 2.0, "clogging"), (112.0, 2.0, "leak"), (88.0, None, None)],
)
def test_a_tenth_less_at_steady_pressure_is_clogging_and_more_a_leak(
    last: float, bar: float | None, trend: str
) -> None:
    found = measured_flow(runs(*np.linspace(100.0, last, 6).tolist(), bar=bar))
    assert found is not None and found.trend == trend


def test_a_falling_pressure_is_no_clogging_and_five_sets_are_no_trend() -> None:
    falling = [RunFlow(n * 86400, 4.0, 4 * (100.0 - 3 * n), 2.0 - 0.1 * n) for n in range(6)]
    assert getattr(measured_flow(falling), "trend", "") is None
    assert getattr(measured_flow(runs(*np.linspace(100.0, 80.0, 5).tolist(), bar=2.0)), "trend", "") is None


def test_sets_that_cannot_be_are_refused() -> None:
    with pytest.raises(CoreError, match="hours"):
        measured_flow([RunFlow(0, 0.0, 1.0)])
    with pytest.raises(CoreError, match="volume"):
        measured_flow([RunFlow(0, 1.0, -1.0)])


def test_a_meter_shared_by_two_valves() -> None:
    meter = [(0, 100.0), (HOUR, 160.0), (2 * HOUR, 260.0)]
    found = volumes_m3(meter, [Open("a", 0, 2 * HOUR, 60.0), Open("b", HOUR, 2 * HOUR, 40.0)])
    assert found == {"a": 120.0, "b": 40.0}


def test_what_the_meter_does_not_cover_is_not_told() -> None:
    meter = [(HOUR, 0.0), (2 * HOUR, 60.0)]
    assert volumes_m3(meter, [Open("early", 0, HOUR, 60.0), Open("in", HOUR, 2 * HOUR, 60.0)]) == {
        "early": None,
        "in": 60.0,
    }
    assert volumes_m3([], [Open("a", 0, HOUR, 60.0)]) == {"a": None}


def test_a_meter_that_runs_backwards_is_refused() -> None:
    with pytest.raises(CoreError, match="backwards"):
        volumes_m3([(0, 10.0), (60, 9.0)], [])


@given(st.lists(st.tuples(st.integers(0, 50), st.integers(1, 50), st.floats(1, 90)), min_size=1, max_size=6))
def test_no_water_is_made_or_lost(spans: list[tuple[int, int, float]]) -> None:
    opened = [Open(str(n), 60 * a, 60 * (a + length), flow) for n, (a, length, flow) in enumerate(spans)]
    meter = [(60 * m, 3.0 * m) for m in range(102)]
    total = sum(v or 0.0 for v in volumes_m3(meter, opened).values())
    minutes = {m for o in opened for m in range(o.start_at // 60, o.end_at // 60)}
    assert total == pytest.approx(3.0 * len(minutes), abs=1e-3)


class TestLine:
    def spell(self, *said: tuple[float, bool | None, float | None]) -> Spell | None:
        return longest_spell([LineReading(round(h * HOUR), p, m) for h, p, m in said], 0, 24 * HOUR)

    def test_pressure_that_came_and_went(self) -> None:
        found = self.spell(
            (0, False, None), (1, True, None), (3, True, None), (4, False, None), (6, True, None), (6.5, False, None)
        )
        assert found == Spell(HOUR, 4 * HOUR)

    def test_a_meter_that_moves_tells_the_same_without_a_switch(self) -> None:
        assert self.spell((0, None, 5.0), (1, None, 5.0), (2, None, 65.0), (3, None, 125.0), (4, None, 125.0)) == Spell(
            HOUR, 3 * HOUR
        )

    @pytest.mark.parametrize(("crawl", "runs"), [(0.5, True), (0.49, False)])
    def test_a_meter_that_crawls_is_no_set(self, crawl: float, runs: bool) -> None:
        assert (self.spell((0, None, 5.0), (1, None, 5.0 + crawl), (2, None, 5.0 + crawl)) is not None) is runs

    @pytest.mark.parametrize(("hole", "end"), [(3.0, 8.0), (3.1, None)])
    def test_after_three_hours_of_silence_it_is_not_known_when_it_ended(self, hole: float, end: float | None) -> None:
        found = self.spell((0, False, None), (1, True, None), (3, True, None), (5, True, None), (5 + hole, False, None))
        assert found is not None and found.end_at == (None if end is None else round(end * HOUR))

    def test_an_end_outside_what_was_said_is_open_and_silence_is_nothing(self) -> None:
        assert self.spell((1, True, None), (2, True, None)) == Spell(None, None)
        assert self.spell((1, False, None)) is None and self.spell() is None


@pytest.mark.parametrize(("falls", "trend"), [(0.0951, None), (0.0954, "clogging")])
def test_a_trend_is_told_from_a_tenth_of_the_middle_flow(falls: float, trend: str | None) -> None:
    found = measured_flow(runs(*np.linspace(100.0, 100.0 * (1 - falls), 6).tolist(), bar=2.0))
    assert found is not None and found.trend == trend


@pytest.mark.parametrize(("off", "trend"), [(0.099, "clogging"), (0.101, None)])
def test_a_pressure_within_a_twentieth_either_way_is_steady(off: float, trend: str | None) -> None:
    told = runs(*np.linspace(100.0, 80.0, 6).tolist(), bar=2.0)
    wavy = [replace(r, pressure_bar=2.0 + (off if n % 2 else -off)) for n, r in enumerate(told)]
    found = measured_flow(wavy)
    assert found is not None and found.trend == trend
