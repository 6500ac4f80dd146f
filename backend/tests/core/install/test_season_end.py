"""What a node has been through at the season's end."""

from embalse.core.install.season_end import node_end

SENSORS = ["d10", "d30"]


def test_each_sensor_must_have_it() -> None:
    half = node_end(SENSORS, {"d10:pull", "d30:pull", "d10:clean", "d10:test_wet", "d30:test_wet"}, False, False)
    assert half.done == ("out", "tested") and half.due == "cleaned"
    whole = node_end(SENSORS, {f"{s}:{k}" for s in SENSORS for k in ("pull", "clean", "test_wet")}, False, False)
    assert whole.due == "batteries"


def test_out_is_known_from_the_station_too() -> None:
    assert node_end(SENSORS, (), True, False).done == ("out",)
    assert node_end(SENSORS, (), False, False).due == "out"


def test_back_in_the_ground_nothing_is_due() -> None:
    assert node_end(SENSORS, {"batteries"}, False, True).due is None
    assert node_end(SENSORS, {"batteries"}, False, True).done == ("out", "batteries", "back")
