"""One record of a set from whatever evidence there is."""

import pytest

from embalse.core.acting.what_ran import Evidence, Ran, Wanted, what_ran
from embalse.core.errors import CoreError

HOUR = 3600
WANTED = Wanted(0, 6 * HOUR, 100.0, 10.0)  # 600 m³, 6 mm


def ran(*found: Evidence, flow: float | None = None) -> Ran:
    told = what_ran(WANTED, found, flow)
    assert told is not None
    return told


def test_nothing_is_known_without_evidence() -> None:
    assert what_ran(WANTED, []) is None


def test_the_valves_log_is_believed_before_a_phone() -> None:
    found = ran(Evidence("phone", 600, 5 * HOUR), Evidence("controller", 120, 6 * HOUR + 60, volume_m3=598.0))
    assert (found.start_at, found.end_at, found.times_from) == (120, 6 * HOUR + 60, "controller")
    assert (found.volume_m3, found.volume_from, found.outcome) == (598.0, "measured", "done")
    assert found.gross_mm == pytest.approx(5.98)


def test_a_meter_read_by_hand_counts_before_flow_times_time() -> None:
    found = ran(Evidence("phone", 0, 6 * HOUR), Evidence("meter", volume_m3=480.0))
    assert (found.volume_m3, found.volume_from) == (480.0, "measured")
    assert [n.code for n in found.notices] == ["ran.less_flow"]


def test_hours_alone_are_enough_and_so_is_a_depth() -> None:
    hours = ran(Evidence("typed", hours=6.0))
    assert (hours.end_at, hours.volume_m3, hours.volume_from) == (6 * HOUR, 600.0, "flow × time")
    depth = ran(Evidence("typed", gross_mm=3.0))
    assert (depth.hours, depth.volume_m3, depth.outcome) == (3.0, 300.0, "cut short")


def test_the_measured_flow_stands_in_for_the_planned_one() -> None:
    assert ran(Evidence("phone", 0, 6 * HOUR), flow=90.0).volume_m3 == 540.0


@pytest.mark.parametrize(("end", "outcome"), [(5.4, "done"), (5.39, "cut short"), (0.0, "failed")])
def test_a_tenth_less_is_cut_short(end: float, outcome: str) -> None:
    assert ran(Evidence("phone", 0, round(end * HOUR))).outcome == outcome


@pytest.mark.parametrize(("water", "codes"), [(510.0, []), (509.0, ["ran.less_flow"])])
def test_fifteen_percent_less_water_in_its_hours_is_told(water: float, codes: list[str]) -> None:
    assert [n.code for n in ran(Evidence("controller", 0, 6 * HOUR, volume_m3=water)).notices] == codes


def test_without_pressure_no_water_is_counted() -> None:
    found = ran(Evidence("controller", 0, 6 * HOUR, no_pressure_at=2 * HOUR))
    assert (found.hours, found.volume_m3, found.outcome, found.no_pressure_at) == (2.0, 200.0, "cut short", 2 * HOUR)


def test_a_set_under_way_is_running_and_one_that_failed_is_told() -> None:
    assert ran(Evidence("phone", 60)).outcome == "running"
    assert ran(Evidence("controller", failed=True)).outcome == "failed"
    assert ran(Evidence("controller", failed=True), Evidence("phone", 0, 6 * HOUR)).outcome == "done"


def test_each_end_from_the_best_that_knows_it() -> None:
    found = ran(Evidence("switch", start_at=300), Evidence("phone", start_at=0), Evidence("typed", end_at=6 * HOUR))
    assert (found.start_at, found.end_at) == (300, 6 * HOUR)


@pytest.mark.parametrize(("other", "codes"), [(660.0, []), (668.0, ["ran.meters_apart"])])
def test_two_meters_more_than_a_tenth_apart_are_told(other: float, codes: list[str]) -> None:
    found = ran(Evidence("controller", 0, 6 * HOUR, volume_m3=600.0), Evidence("meter", volume_m3=other))
    assert [n.code for n in found.notices] == codes


def test_an_end_before_its_start_is_refused() -> None:
    with pytest.raises(CoreError, match="before the start"):
        what_ran(WANTED, [Evidence("phone", 100, 50)])


@pytest.mark.parametrize(("water", "outcome"), [(12.1, "done"), (11.9, "failed")])
def test_a_valve_that_opened_on_a_dry_line_did_not_water(water: float, outcome: str) -> None:
    """Below a fiftieth of what its flow gives in its time, by the meter: 600 m³ were planned."""
    found = ran(Evidence("controller", 0, 6 * HOUR, volume_m3=water))
    assert found.outcome == outcome and ("ran.no_water" in [n.code for n in found.notices]) == (outcome == "failed")


def test_a_set_stopped_after_minutes_had_water() -> None:
    few = ran(Evidence("phone", 0, 360), Evidence("meter", volume_m3=9.9))
    assert (few.outcome, [n.code for n in few.notices]) == ("cut short", [])
    assert ran(Evidence("phone", 0, 360)).outcome == "cut short"
