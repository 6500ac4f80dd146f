"""What was just entered, taken back: the farm is as it was, and the trail says both."""

import copy
from typing import Any

import pytest

from embalse.config import Settings
from embalse.services.document.export import farm_document as exported
from embalse.services.document.taking_back import take_back
from embalse.store.changes import Actor, acting, last_id
from embalse.store.errors import Conflict
from embalse.store.known_then import as_known, known_since
from tests.conftest import PLAIN_FARM, put
from tests.web import client_of

ANA = Actor("Ana", "manager")
RUN = {"key": "r", "procedure": "pit", "station": "one/a", "started": "2026-07-10T09:00"}
MARK = {"key": "m", "block": "one", "mark": "refill", "how": "fraction", "value": 0.5, "note": "why",
        "valid_from": "2026-07-01"}  # fmt: skip
SOIL = {"key": "sand", "horizons": [{"top_cm": 0, "bottom_cm": 60, "texture": "sand"}]}


def block(**values: Any) -> dict[str, Any]:
    return {"blocks": [{**copy.deepcopy(PLAIN_FARM["blocks"][0]), **values}]}


def nobody(_: list[str]) -> None:
    """Everything may be changed."""


def told(without: tuple[str, ...] = ()) -> dict[str, Any]:
    return {name: value for name, value in exported().items() if name not in ("exported", *without)}


ENTERED: dict[str, dict[str, Any]] = {
    "a set": {"sets": [{"block": "one", "start": "2026-07-10T21:00", "hours": 5, "gross_mm": 18}]},
    "a day's weather": {"rain": [{"day": "2026-07-09", "depth_mm": 12}], "eto": [{"day": "2026-07-09", "eto_mm": 6}]},
    "a block's values": block(area_ha=12, root_depth_cm=80, allowable_depletion_fraction=0.5),
    "another crop": block(crop="almond"),
    "a station's name": block(stations=[{**PLAIN_FARM["blocks"][0]["stations"][0], "name": "by the gate"}]),
    "horizons": {"soils": [{"key": "loam", "horizons": [{"top_cm": 0, "bottom_cm": 40, "texture": "loam"},
                                                        {"top_cm": 40, "bottom_cm": 120, "texture": "clay"}]}]},
    "a soil of its own": {"soils": [SOIL]},
    "a block of its own": {"soils": [SOIL], **block(key="two", name="Two", soil="sand",
                           stations=[{"key": "a", "sensors": [{"depth_cm": 20, "channel": "two-20"}]}])},
    "a supply and its system": {"supplies": [{"key": "well", "name": "Well", "flow_m3_h": 40}],
                                "systems": [{"key": "drip", "kind": "drip", "efficiency_fraction": 0.8,
                                             "rate_mm_h": 3.0}]},
    "the farm's name": {"farm": {"name": "Other", "time_zone": "Europe/Madrid", "units": "us"}},
    "a device": {"devices": [{"key": "cs-1", "type": "capacitance sensor"}]},
    "steps": {"procedure_runs": [RUN]},
}  # fmt: skip


@pytest.mark.parametrize("entered", ENTERED.values(), ids=ENTERED.keys())
def test_the_farm_is_as_it_was(farm: Settings, entered: dict[str, Any]) -> None:
    before = told()
    with acting(ANA):
        report = put({"embalse": 1, **entered})
        assert report.lines is not None
        assert told() != before
        first, last = report.lines
        assert take_back(first, last, nobody) == last - first + 1
    assert told() == before
    assert last_id() > last  # the trail keeps what was entered, and says that it was taken back


def test_what_was_picked_is_withdrawn_and_stays_on_record(farm: Settings) -> None:
    with acting(ANA):
        report = put({"embalse": 1, "mark_choices": [MARK]})
        assert report.lines is not None
        take_back(*report.lines, nobody)
    [left] = exported()["mark_choices"]
    assert left["value"] == 0.5 and left["withdrawn"] == "2026-07-14T06:00:00+02:00"


def test_a_withdrawal_is_taken_back_too(farm: Settings) -> None:
    put({"embalse": 1, "mark_choices": [MARK]})
    before = told()
    with acting(ANA):
        report = put({"embalse": 1, "mark_choices": [{**MARK, "withdrawn": "2026-07-14T05:00:00+02:00"}]})
        assert report.lines is not None
        take_back(*report.lines, nobody)
    assert told() == before


def test_an_answer_about_the_time_between_still_has_what_was_taken_back(farm: Settings) -> None:
    since = known_since()
    assert since is not None
    entered = {"soils": [SOIL], **block(key="two", name="Two", soil="sand", area_ha=7)}
    entered["blocks"][0]["stations"][0]["sensors"] = [{"depth_cm": 20, "channel": "two-20"}]
    with acting(Actor("Ana", "manager", at=since + 100)):
        report = put({"embalse": 1, **entered})
    assert report.lines is not None
    during = told()
    with acting(Actor("Ana", "manager", at=since + 300)):
        take_back(*report.lines, nobody)
        put({"embalse": 1, **block(key="three", name="Three", stations=[])})  # takes the number that was free
    for at, there in ((since + 50, ["one"]), (since + 200, ["one", "two"]), (since + 400, ["one", "three"])):
        with as_known(at):
            assert [b["key"] for b in exported()["blocks"]] == there
            if at == since + 200:
                assert told() == during


class TestRefused:
    def test_what_somebody_else_entered(self, farm: Settings) -> None:
        with acting(ANA):
            report = put({"embalse": 1, **block(area_ha=12)})
        assert report.lines is not None
        with acting(Actor("Bo", "manager")), pytest.raises(Conflict, match="yourself"):
            take_back(*report.lines, nobody)

    def test_what_was_changed_since_and_a_second_time(self, farm: Settings) -> None:
        with acting(ANA):
            first = put({"embalse": 1, **block(area_ha=12)}).lines
            second = put({"embalse": 1, **block(area_ha=13)}).lines
            assert first is not None and second is not None
            with pytest.raises(Conflict, match="changed since"):
                take_back(*first, nobody)
            take_back(*second, nobody)
            assert exported()["blocks"][0]["area_ha"] == 12
            with pytest.raises(Conflict, match="changed since"):
                take_back(*second, nobody)

    def test_what_something_hangs_on_and_then_nothing_is(self, farm: Settings) -> None:
        with acting(ANA):
            made = put({"embalse": 1, "soils": [SOIL], "rain": [{"day": "2026-07-09", "depth_mm": 12}]}).lines
            put({"embalse": 1, **block(key="two", name="Two", soil="sand", stations=[])})
            assert made is not None
            before = told()
            with pytest.raises(Conflict, match="used by now"):
                take_back(*made, nobody)
        assert told() == before

    def test_what_a_record_is_about(self, farm: Settings) -> None:
        soil = {"soils": [SOIL]}
        with acting(ANA):
            made = put({"embalse": 1, **soil, **block(key="two", name="Two", soil="sand", stations=[])}).lines
            put({"embalse": 1, "mark_choices": [{**MARK, "block": "two"}]})
            assert made is not None
            with pytest.raises(Conflict, match="used by now"):
                take_back(*made, nobody)

    def test_kinds_one_may_not_change(self, farm: Settings) -> None:
        asked: list[list[str]] = []

        def refuse(kinds: list[str]) -> None:
            asked.append(kinds)
            raise PermissionError

        with acting(ANA):
            made = put({"embalse": 1, "rain": [{"day": "2026-07-09", "depth_mm": 12}]}).lines
            assert made is not None
            with pytest.raises(PermissionError):
                take_back(*made, refuse)
        assert asked == [["rain"]] and len(exported()["rain"]) == 1

    @pytest.mark.parametrize(
        "entered",
        [
            {"farm": {"name": "Test farm", "time_zone": "Europe/Lisbon", "units": "metric"}},
            {"devices": [{"key": "cs-1", "type": "capacitance sensor"}],
             "placements": [{"device": "cs-1", "sensor": "one/a/10", "since": "2026-07-01T08:00"}]},
        ],
        ids=["the clock of the farm", "a device in its place"],
    )  # fmt: skip
    def test_what_has_its_own_way_back_is_not_offered(self, farm: Settings, entered: dict[str, Any]) -> None:
        with acting(ANA):
            report = put({"embalse": 1, **entered})
            assert report.lines is None
            with pytest.raises(Conflict):
                take_back(last_id(), last_id(), nobody)

    def test_nothing_written_is_nothing_to_take_back(self, farm: Settings, plain: dict[str, Any]) -> None:
        assert put(plain).lines is None


def test_through_the_door(farm: Settings) -> None:
    door = client_of(farm)
    sent = {"embalse": 1, "rain": [{"day": "2026-07-09", "depth_mm": 12}]}
    lines = door.post("/api/farm", json=sent).json["lines"]
    assert door.post("/api/farm/take-back", json={"first": lines["first"]}).status_code == 422
    assert door.post("/api/farm/take-back", json=lines).json == {"count": 1}
    assert exported()["rain"] == []
    assert [c["what"] for c in door.get("/api/changes?who=Tester").json["changes"]][:2] == ["deleted", "created"]
    again = door.post("/api/farm/take-back", json=lines)
    assert again.status_code == 409 and "changed since" in again.json["errors"][0]["reason"]
    assert door.post("/api/farm", json={"embalse": 1}).json["lines"] is None
    logged = door.post("/api/blocks/one/sets", json={"start": "2026-07-10T21:00", "hours": 5, "gross_mm": 18}).json
    assert door.post("/api/farm/take-back", json=logged["lines"]).json == {"count": 1}


def test_a_hand_may_not_take_back_what_a_hand_may_not_enter(farm: Settings) -> None:
    door = client_of(farm, "field hand")
    assert door.post("/api/farm/take-back", json={"first": 1, "last": 3}).status_code == 409  # none of theirs
