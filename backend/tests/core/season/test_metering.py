"""Water by a meter's readings."""

import pytest

from embalse.core.season.metering import MeterReading, agrees, metered

READ = [MeterReading(10, 100.0), MeterReading(50, 140.0), MeterReading(90, 190.0)]


@pytest.mark.parametrize(
    ("span", "m3"), [((10, 90), 90.0), ((11, 90), 50.0), ((10, 89), 40.0), ((0, 1000), 90.0)]
)  # fmt: skip
def test_from_the_first_reading_inside_to_the_last(span: tuple[int, int], m3: float) -> None:
    found = metered(list(reversed(READ)), *span)
    assert found is not None and found.m3 == m3 and found.fell_at == ()


def test_one_reading_tells_no_water() -> None:
    assert metered(READ, 40, 60) is None and metered([], 0, 9) is None


def test_a_meter_that_fell_is_told_and_that_step_not_counted() -> None:
    found = metered([*READ, MeterReading(120, 5.0), MeterReading(150, 30.0)], 0, 200)
    assert found is not None and found.fell_at == (120,) and found.m3 == 90.0 + 25.0


def test_a_meter_that_was_changed_counts_from_there() -> None:
    found = metered([*READ, MeterReading(120, 500.0, new_meter=True), MeterReading(150, 530.0)], 0, 200)
    assert found is not None and found.fell_at == () and found.m3 == 90.0 + 30.0


@pytest.mark.parametrize(("logged", "right"), [(94.9, False), (95.0, True), (105.0, True), (105.1, False)])
def test_within_a_meters_error_they_agree(logged: float, right: bool) -> None:
    assert agrees(logged, 100.0) == right
