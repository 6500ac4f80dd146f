"""What would narrow a date: the widest of what is not known, from how wide on, and never past the refill point."""

from dataclasses import replace

import pytest

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.advice.narrowing import Openness, openness, what_narrows
from embalse.core.practice import practice
from embalse.core.wording import Notice
from tests.core.advice.situations import cases


def a_block(past_refill: bool = False) -> BlockAnalysis:
    """A block with a date, and water left above its refill point unless it is past it."""
    return next(
        found
        for _, found in cases()
        if found.inputs
        and found.state
        and found.use
        and found.advice.days
        and found.inputs.trigger_mm > 0
        and (found.inputs.trigger_mm <= found.state.depletion_mm) == past_refill
    )


def test_each_is_told_by_what_it_moves_the_date_by() -> None:
    found = openness(30, (4, 5, 6.25), 5, 15)
    assert (found.full_point, found.sensors) == (3, 1)
    assert found.use == pytest.approx(30 * (1 / 4 - 1 / 6.25) / 2 / 1.28)
    assert openness(-3, (4, 5, 6), 5, 0).use == 0  # nothing is left: the use opens nothing
    assert openness(10, (-1, 5, 6), 0, 0).use == pytest.approx(10 * (2 - 1 / 6) / 2 / 1.28)  # a tenth of the middle


@pytest.mark.parametrize(
    ("open_by", "widest"),
    [
        (Openness(3, 2, 1), ("full_point", 3)),
        (Openness(1, 2, 1.5), ("sensors", 2)),
        (Openness(1, 1.5, 4), ("use", 4)),
        (Openness(2, 2, 2), ("full_point", 2)),
    ],
)
def test_the_widest_is_named(open_by: Openness, widest: tuple[str, float]) -> None:
    assert open_by.widest() == widest


def test_it_is_said_from_a_day_and_a_half_on() -> None:
    analysis = a_block()
    assert analysis.state is not None and analysis.use is not None and analysis.inputs is not None
    edge = practice("narrow_from_days")
    assert edge == 1.5
    sure = replace(analysis.use, low_mm_d=analysis.use.mid_mm_d, high_mm_d=analysis.use.mid_mm_d)
    for days, said in ((edge * 0.999, None), (edge * 1.001, Notice("narrow.sensors"))):
        state = replace(analysis.state, error_mm=days * analysis.use.mid_mm_d)
        by_hand = replace(analysis.block, allowable_mm=None, horizons=())  # no texture that could be off
        assert what_narrows(replace(analysis, state=state, use=sure, block=by_hand)) == said


def test_nothing_narrows_a_date_that_has_come_or_is_none() -> None:
    analysis = a_block()
    assert analysis.state is not None and analysis.inputs is not None
    open_wide = replace(analysis, state=replace(analysis.state, error_mm=500.0))
    assert what_narrows(open_wide) == Notice("narrow.sensors")
    past = a_block(past_refill=True)
    assert past.state is not None
    assert what_narrows(replace(past, state=replace(past.state, error_mm=500.0))) is None
    assert what_narrows(replace(open_wide, advice=replace(analysis.advice, days=None))) is None
    assert what_narrows(replace(open_wide, use=None)) is None
    assert what_narrows(replace(open_wide, state=None)) is None


def test_a_full_point_by_texture_opens_it_until_the_field_has_spoken() -> None:
    analysis = a_block()
    assert analysis.state is not None and analysis.use is not None
    slow = replace(analysis.use, low_mm_d=1.0, mid_mm_d=1.0, high_mm_d=1.0)
    spoken = replace(analysis, state=replace(analysis.state, error_mm=0.1), use=slow)
    assert what_narrows(spoken) is None  # a person set its full point
    by_texture = tuple(replace(h, full=None) for h in analysis.block.horizons)
    assert what_narrows(replace(spoken, block=replace(spoken.block, horizons=by_texture))) == Notice(
        "narrow.full_point"
    )


def test_the_use_is_named_where_dry_dawns_give_it_and_not_where_the_weather_does() -> None:
    analysis = a_block()
    assert analysis.state is not None and analysis.use is not None and analysis.water_use is not None
    vague = replace(analysis.use, low_mm_d=0.1, steps=4)
    sure = replace(analysis, state=replace(analysis.state, error_mm=0.1), use=vague)
    by_dawns = replace(sure, water_use=replace(analysis.water_use, course=None))
    assert what_narrows(by_dawns) == Notice("narrow.use", dawns=5)
    assert analysis.water_use.course is not None
    assert what_narrows(sure) is None
