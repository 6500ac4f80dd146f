"""What people tell of sets: on the phone, at a desk, once or often."""

import json
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from embalse.config import Settings
from embalse.services.acting.doing import ToldIn, told
from embalse.services.acting.lines import LineIn, accept_lines
from embalse.services.acting.seen import it_was_a_set
from embalse.services.acting.tonight import NightSetOut, tonight_content
from embalse.services.advice.profile_page import profile_content
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument, parse_document
from embalse.services.schema.refused import DocumentErrors
from embalse.services.schema.water import PlannedSetPart, SetEventPart
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.database import transaction
from embalse.store.errors import NotFound
from tests.services.acting.conftest import EVENING

KEY = "ladera-tonight"


@pytest.fixture
def approved(demo: Settings) -> str:
    """A set by hand of 6 h from the evening on; the clock stands eight hours later."""
    part = PlannedSetPart(
        key=KEY, block="ladera", supply="balsa", start=EVENING, end=EVENING + timedelta(hours=6), flow_m3_h=840.0,
        net_mm=30.0, gross_mm=36.0, events=[SetEventPart(at=EVENING - timedelta(hours=8), state="approved", by="Inés")],
    )  # fmt: skip
    apply_document(FarmDocument(embalse=1, planned_sets=[part]))
    with transaction():
        farm_store.hold_clock(int((EVENING + timedelta(hours=8)).timestamp()))
    return KEY


def say(what: str, after_h: float = 0.0, **more: Any) -> str:
    entry = ToldIn(key=what.replace(" ", "-"), planned=KEY, what=what, at=EVENING + timedelta(hours=after_h), **more)  # type: ignore[arg-type]
    [out] = told([entry])
    return out.state if out.kept else out.reason


def on_record() -> list[tuple[str, float, float]]:
    start = int(EVENING.timestamp())
    found = readings_store.sets("ladera", start - 3600, start + 36000)
    return [
        (
            datetime.fromtimestamp(s.start_at, EVENING.tzinfo).strftime("%H:%M"),
            round((s.end_at - s.start_at) / 3600, 2),
            round(s.gross_mm, 1),
        )
        for s in found
    ]


def night() -> NightSetOut:
    content = tonight_content()
    return next(s for s in content.done + content.sets if s.key == KEY)


def test_started_and_stopped_on_the_phone(approved: str) -> None:
    assert say("start", 0.25) == "running" and on_record() == []
    assert say("stop", 6.25) == "done" and on_record() == [("20:45", 6.0, 36.0)]
    assert say("start", 0.25) == "done" and say("stop", 6.25) == "done"
    assert on_record() == [("20:45", 6.0, 36.0)] and night().evidence == ["phone"]


def test_stopped_early_is_cut_short_and_says_how_much_is_missing(approved: str) -> None:
    say("start")
    assert say("stop", 3.0) == "cut short" and on_record() == [("20:30", 3.0, 18.0)]
    assert (
        night().short_mm == pytest.approx(15.0)
        and "Ladera 3 h 00 min of 6 h 00 min, 15 mm short" in tonight_content().last_night
    )


def test_hours_alone_or_a_depth_alone_are_enough(approved: str) -> None:
    assert say("ran", 8.0, hours=5.5) == "done"
    assert on_record() == [("20:30", 5.5, 33.0)]
    assert say("ran", 8.0, gross_mm=12.0) == "cut short" and on_record()[0][2] == 12.0


def test_it_ran_as_planned_with_one_tap(approved: str) -> None:
    assert night().unsure and say("ran", 8.0) == "done" and on_record() == [("20:30", 6.0, 36.0)] and not night().unsure


def test_it_did_not_run_and_then_somebody_knows_better(approved: str) -> None:
    assert say("did not run", 8.0, note="pump was off") == "failed" and on_record() == []
    assert "Ladera did not run: pump was off" in tonight_content().last_night
    assert say("start") == "running" and say("stop", 6.0) == "done" and on_record() == [("20:30", 6.0, 36.0)]


def test_a_meter_read_before_and_after_tells_the_water(approved: str) -> None:
    say("start")
    say("stop", 6.0)
    assert say("meter", 8.0, meter_before_m3=1000.0, meter_after_m3=5200.0) == "done"
    assert night().water_from == "measured" and on_record() == [("20:30", 6.0, 30.0)]
    assert "less water than planned" in night().note


def test_a_meter_that_turned_over_is_refused_with_the_reason(approved: str) -> None:
    assert "must not be below" in say("meter", 8.0, meter_before_m3=99990.0, meter_after_m3=120.0)
    assert on_record() == [] and night().evidence == []


def test_the_future_and_sets_nobody_knows_are_refused_and_leave_the_rest(approved: str) -> None:
    entries = [
        ToldIn(key="a", planned=KEY, what="start", at=EVENING + timedelta(hours=9)),
        ToldIn(key="b", planned="nobody-knows", what="start", at=EVENING),
        ToldIn(key="c", planned=KEY, what="start", at=EVENING),
    ]
    assert [(o.kept, o.planned) for o in told(entries)] == [(False, KEY), (False, "nobody-knows"), (True, KEY)]
    assert "phone's clock" in told(entries)[0].reason


def test_as_of_before_it_was_told_it_is_not_known(approved: str) -> None:
    say("start")
    say("stop", 6.0)
    past = tonight_content((EVENING + timedelta(hours=7)).isoformat())
    found = next(s for s in past.done + past.sets if s.key == KEY)
    assert found.ran_hours is None and found.state == "approved"


@pytest.mark.parametrize(
    ("part", "why"),
    [
        ({}, "say when it ran"),
        ({"start": "2026-07-14T21:00", "end": "2026-07-14T20:00"}, "before the start"),
        ({"meter_before_m3": 10.0, "meter_after_m3": 9.0}, "turn over"),
        ({"hours": 0.0}, "greater than 0"),
    ],
)
def test_evidence_that_says_nothing_or_cannot_be_is_refused_on_its_field(part: dict[str, Any], why: str) -> None:
    whole = {"embalse": 1, "set_evidence": [{"key": "e", "block": "ladera", "kind": "typed"} | part]}
    with pytest.raises(DocumentErrors) as refused:
        parse_document(json.dumps(whole))
    assert why in refused.value.errors[0].reason and refused.value.errors[0].path.startswith("set_evidence[0].")


def test_a_wetting_nobody_logged_becomes_a_set_with_one_tap(demo: Settings) -> None:
    start = int(datetime(2026, 7, 8, 19, tzinfo=UTC).timestamp())
    rows = farm_store.farm_rows(["olivar"])
    farm_store.set_deleted("set", {"block_id": rows.blocks[0].id, "start_at": start}, start)
    unseen = [w for w in profile_content("olivar", None, 14).wettings if not w.explained]
    part = it_was_a_set("olivar", unseen[0].start_at)
    assert abs(part.start.timestamp() - start) < 4 * 3600
    assert part.gross_mm == pytest.approx(16.7, rel=0.35) and part.hours == pytest.approx(10.7, rel=0.35)
    after = [w for w in profile_content("olivar", None, 14).wettings if w.start_at == unseen[0].start_at]
    assert after[0].explained
    with pytest.raises(NotFound, match="without a source"):
        it_was_a_set("olivar", unseen[0].start_at)


def line(hours: float, pressure: bool | None = None, meter: float | None = None, supply: str = "balsa") -> LineIn:
    at = int((EVENING + timedelta(hours=hours)).timestamp())
    return LineIn(supply=supply, at=at, pressure=pressure, meter_m3=meter)


def test_a_pressure_switch_and_a_meter_tell_a_set_by_hand(approved: str) -> None:
    said = [line(-0.5, False, 100.0), line(0.5, True, 100.0), line(3.0, True, 2200.0), line(5.5, False, 4300.0)]
    assert (accept_lines(said).new, accept_lines(said).new) == (4, 0)
    assert on_record() == [("21:00", 5.0, 30.0)] and night().water_from == "measured" and night().state == "cut short"


def test_a_phone_and_a_switch_together_go_by_the_switch(approved: str) -> None:
    say("start")
    say("stop", 6.0)
    accept_lines([line(-0.5, False), line(0.25, True), line(2.0, True), line(4.0, True), line(6.0, False)])
    assert on_record()[0][:2] == ("20:45", 5.75) and night().evidence == ["phone", "switch"]


def test_a_line_of_nobody_or_of_the_future_is_refused_by_itself_and_the_others_are_kept(approved: str) -> None:
    said = [line(-0.5, False), line(0, True, supply="nowhere"), line(0.5, True), line(3, True), line(6, False)]
    found = accept_lines([*said, line(8.26, True), line(8.24, True)])
    assert (found.new, found.known, found.refused) == (5, 0, 2)
    assert [(r.index, r.channel, r.reason) for r in found.refusals] == [
        (1, "nowhere", "no supply of this gateway has this name"),
        (5, "balsa", "the time is in the future"),
    ]
    assert on_record()[0][0] == "21:00"


def test_a_gateway_tells_of_the_supplies_of_its_own_stations_only(approved: str) -> None:
    rows = farm_store.farm_rows()
    by_supply = {rows.supplies[b.supply_id].key: b for b in rows.blocks if b.supply_id is not None}
    station = {key: f"{b.key}/{rows.stations[b.id][0].key}" for key, b in by_supply.items() if key in ("balsa", "pozo")}
    assert accept_lines([line(0, True)], [station["pozo"]]).refused == 1
    assert accept_lines([line(0, True)], [station["balsa"]]).new == 1


@pytest.mark.parametrize(("begins_h", "seen"), [(-1.9, True), (-2.1, False)])
def test_a_line_is_looked_at_from_two_hours_before_a_set(approved: str, begins_h: float, seen: bool) -> None:
    """People start early; before that the water was another's."""
    accept_lines([line(begins_h, True), line(begins_h + 0.05, False)])
    assert (night().evidence == ["switch"]) == seen


@pytest.mark.parametrize(("at_h", "seen"), [(8.9, True), (9.1, False)])
def test_and_until_three_hours_after_it(approved: str, at_h: float, seen: bool) -> None:
    with transaction():
        farm_store.hold_clock(int((EVENING + timedelta(hours=12)).timestamp()))
    accept_lines([line(at_h - 0.05, True), line(at_h, False)])
    assert (night().evidence == ["switch"]) == seen
