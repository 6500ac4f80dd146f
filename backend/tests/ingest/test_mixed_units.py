"""A column in percent with shares in it: each is refused with its line; a sensor out of the soil is not taken for one."""

import pytest

from embalse.ingest.mixed_units import MixedUnits
from embalse.ingest.reader import Batch, Target

COLUMN = Target(1, "vwc", 7, "%")
OTHER = Target(2, "kpa", 8, "kPa")


def batch(values: list[float], first_line: int = 2, sensor_id: int = 7) -> Batch:
    lines = list(range(first_line, first_line + len(values)))
    return Batch([(sensor_id, 3600 * line, value, 1) for line, value in zip(lines, values, strict=True)], lines)


def test_a_share_among_percent_is_refused_with_its_line_and_the_rest_goes_on() -> None:
    one = batch([31.0, 30.8, 0.306, 30.5])
    MixedUnits([COLUMN, OTHER]).sift(one)
    assert [r[2] for r in one.readings] == [31.0, 30.8, 30.5] and one.lines == [2, 3, 5]
    [refused] = one.refusals
    assert (refused.line, refused.column, refused.text) == (4, "vwc", "0.306")
    assert refused.reason == "0.306 among percent looks like 30.6 % written as a share (m³/m³)"


@pytest.mark.parametrize(("value", "refused"), [(0.20, True), (0.19, False), (0.40, True), (0.41, False)])
def test_only_what_is_like_the_column_times_a_hundredth(value: float, refused: bool) -> None:
    one = batch([30.0, 30.0, 30.0, value])
    MixedUnits([COLUMN]).sift(one)
    assert bool(one.refusals) is refused


def test_a_sensor_out_of_the_soil_reads_next_to_nothing() -> None:
    one = batch([2.5, 2.5, 0.019, 0.0, -0.3])
    MixedUnits([COLUMN]).sift(one)
    assert one.refusals == [] and len(one.readings) == 5


def test_what_is_known_of_earlier_batches_counts() -> None:
    mixed = MixedUnits([COLUMN])
    mixed.sift(batch([31.0, 30.8]))
    later = batch([0.31, 0.30], 90)
    mixed.sift(later)
    assert later.readings == [] and [r.line for r in later.refusals] == [90, 91]


def test_shares_first_and_percent_later_cannot_be_sorted_out_and_are_said() -> None:
    mixed = MixedUnits([COLUMN])
    mixed.sift(batch([0.31, 0.30]))
    assert mixed.mixed_from_the_start() == ""
    mixed.sift(batch([30.0, 29.0], 90))
    assert "column 'vwc'" in mixed.mixed_from_the_start() and "line 2 has 0.31" in mixed.mixed_from_the_start()


def test_other_units_and_columns_are_left_alone() -> None:
    one = batch([31.0, 0.31], sensor_id=8)
    mixed = MixedUnits([COLUMN, OTHER])
    mixed.sift(one)
    assert len(one.readings) == 2 and mixed.mixed_from_the_start() == ""
