"""An inherited sensor: alive or dead, on which wire, how deep."""

import pytest

from embalse.core.install.inherited import NONE, OTHER, Found, answers_to_water, found_verdict
from embalse.core.install.procedures import Done, SensorPlace, found_sensors, procedure, run_state


def codes(found: Found) -> list[str]:
    return [n.code for n in found_verdict(found).notices]


@pytest.mark.parametrize(
    ("unit", "before", "wet", "answers"),
    [
        ("kPa", 60.0, 58.0, True), ("kPa", 60.0, 58.1, False), ("kPa", 60.0, 70.0, False),
        ("m3/m3", 0.20, 0.2041, True), ("m3/m3", 0.20, 0.203, False), ("m3/m3", 0.20, 0.10, False),
        ("count", 500.0, 490.0, True), ("count", 500.0, 510.0, True), ("count", 500.0, 491.0, False),
    ],
)  # fmt: skip
def test_it_answers_when_it_moves_towards_wet_beyond_its_own_scatter(
    unit: str, before: float, wet: float, answers: bool
) -> None:
    assert answers_to_water(Found(unit, before, wet)) is answers


def test_without_a_depth_it_never_advises_however_well_it_answers() -> None:
    alive = found_verdict(Found("kPa", 60.0, 5.0))
    assert alive.answers and not alive.may_advise and "found.no_depth" in [n.code for n in alive.notices]
    assert found_verdict(Found("kPa", 60.0, 5.0, dug_cm=30.0)).may_advise
    assert not found_verdict(Found("kPa", 60.0, 60.0, dug_cm=30.0)).may_advise


def test_each_trial_says_what_it_found() -> None:
    assert codes(Found("kPa")) == ["found.not_tried", "found.no_depth"]
    assert "found.other_channel" in codes(Found("kPa", 60.0, 5.0, OTHER, 30.0))
    assert "found.no_channel" in codes(Found("kPa", 60.0, 5.0, NONE, 30.0))


@pytest.mark.parametrize(("beside", "apart"), [(26.0, False), (26.1, True)])
def test_a_sample_beside_it_shows_whether_it_can_be_believed(beside: float, apart: bool) -> None:
    found = codes(Found("m3/m3", 0.20, 0.30, "", 30.0, beside))
    assert ("found.apart" in found) is apart


def test_a_run_tells_of_each_sensor_it_tried() -> None:
    places = (SensorPlace("x", 30.0, "kPa"), SensorPlace("y", 60.0, "kPa"))
    done = {"x:answers": Done(60.0), "x:wet_cloth": Done(4.0), "x:dig": Done(42.0), "y:answers": Done(199.0)}
    state = run_state(procedure("find-out"), places, done)
    told = {place.key: verdict for place, verdict in found_sensors(state.steps)}
    assert told["x"].may_advise and told["x"].depth_cm == 42 and not told["y"].may_advise
