"""Rounds by hand: the route, taking an entry once, asking again, conflicts, overdue rounds."""

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.config import Settings
from embalse.core.quality.manual_readings import days_overdue, plausible, walking_order, why_ask_again
from embalse.services.advice.advise import round_content
from embalse.services.document.export import farm_document
from embalse.services.intake import manual
from embalse.services.readings import faults
from embalse.services.schema.refused import DocumentErrors
from embalse.services.setup.fault_review import faults_content
from embalse.services.setup.stations import station_sheet
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import NotFound
from embalse.store.models import ImportJob, Reading
from tests.conftest import put

NOON = 1782900000
STATION: dict[str, Any] = {
    "key": "t",
    "read_every_days": 7,
    "sensors": [{"depth_cm": d, "type": "tensiometer", "raw_unit": "kPa"} for d in (30, 60)],
}


def entry(at: str = "2026-07-01T09:00+02:00", **given: Any) -> manual.HandEntry:
    readings = given.pop("readings", [{"sensor": "30", "value": 40}])
    return manual.HandEntry.model_validate({"key": "h-1", "station": "one/t", "at": at, "readings": readings, **given})


@pytest.fixture
def by_hand(farm: Settings, plain: dict[str, Any]) -> None:
    block = next(b for b in plain["blocks"] if b["key"] == "one")
    put({"embalse": 1, "blocks": [{**block, "stations": [STATION]}]})
    with transaction():
        farm_store.hold_clock(NOON)


def test_an_entry_sent_again_is_stored_once(by_hand: None) -> None:
    once = entry(
        readings=[{"sensor": "30", "value": 40}, {"sensor": "60", "value": 22}], note="gauge fogged", who="field hand"
    )
    first, again = manual.accept(once), manual.accept(once)
    assert (first.new, first.known) == (2, 0)
    assert (again.new, again.known, again.conflicts) == (0, 2, [])
    assert Reading.select().count() == 2
    log = [line for line in station_sheet("one/t").log if line.note == "gauge fogged"]
    assert len(log) == 1 and log[0].who == "field hand"
    job = ImportJob.get(ImportJob.file_name == "read by hand 2026-07-01")
    assert (job.readings_new, job.readings_known) == (2, 2)


def test_another_value_for_the_same_minute_is_a_conflict_and_changes_nothing(by_hand: None) -> None:
    manual.accept(entry())
    report = manual.accept(entry(key="h-2", readings=[{"sensor": "30", "value": 44}, {"sensor": "60", "value": 20}]))
    assert report.new == 1 and [(c.sensor, c.value) for c in report.conflicts] == [("30", 44)]
    assert "40 is stored" in report.conflicts[0].reason
    assert Reading.select().count() == 2


def test_what_looks_wrong_is_asked_again_and_kept_when_confirmed(by_hand: None) -> None:
    manual.accept(entry(at="2026-06-24T09:00+02:00", readings=[{"sensor": "30", "value": 12}]))
    report = manual.accept(entry(readings=[{"sensor": "30", "value": 78}]))
    assert report.new == 0 and report.asked[0].reason == "66 more than last time"
    kept = manual.accept(entry(readings=[{"sensor": "30", "value": 78, "confirmed": True}]))
    assert kept.new == 1 and kept.asked == []


@pytest.mark.parametrize(
    "given, path",
    [
        ({"readings": [{"sensor": "45", "value": 1}]}, "readings[0].sensor"),
        ({"readings": [{"sensor": "30", "value": 1}, {"sensor": "30", "value": 2}]}, "readings[1].sensor"),
        ({"readings": [{"sensor": "30", "value": -99}]}, "readings[0].value"),
        ({"readings": []}, "readings"),
        ({"at": "2026-07-02T09:00+02:00"}, "at"),
    ],
)
def test_what_cannot_be_is_refused_with_its_place(by_hand: None, given: dict[str, Any], path: str) -> None:
    before = Reading.select().count()
    with pytest.raises(DocumentErrors) as refused:
        manual.accept(entry(**given))
    assert [e.path for e in refused.value.errors] == [path]
    assert Reading.select().count() == before


def test_an_unknown_station_is_said(by_hand: None) -> None:
    with pytest.raises(NotFound):
        manual.accept(entry(station="one/none"))


def test_the_round_says_when_a_round_by_hand_is_overdue(by_hand: None) -> None:
    manual.accept(entry(at="2026-06-28T09:00+02:00"))
    assert all(line.station != "one/t" for line in round_content().to_see)
    station = next(s for s in manual.route().stations if s.ref == "one/t")
    assert station.days_overdue == 0 and station.sensors[0].last == 40 and station.sensors[1].last is None
    with transaction():
        farm_store.hold_clock(NOON + 6 * 86400)
    line = next(line for line in round_content().to_see if line.station == "one/t")
    assert line.by_hand and "overdue: read by hand every 7 days, last 9." in line.why
    assert manual.route().stations[0].days_overdue == pytest.approx(2.1, abs=0.2)


def test_weekly_readings_are_not_called_spikes(by_hand: None) -> None:
    for week, value in enumerate((20, 22, 60, 21, 23, 20, 22, 21)):
        day = f"2026-05-{1 + 3 * week:02d}T09:00+02:00"
        manual.accept(entry(at=day, key=f"w-{week}", readings=[{"sensor": "30", "value": value}]))
    faults.recheck(s.id for s in farm_store.sensors() if s.ref == "one/t/30")  # the whole series at once
    assert [
        f.fault for f in faults_content(["one"]).faults if f.sensor == "one/t/30" and f.fault not in ("gap", "late")
    ] == []


def test_how_often_is_exported(by_hand: None) -> None:
    block = next(b for b in farm_document()["blocks"] if b["key"] == "one")
    assert next(s for s in block["stations"] if s["key"] == "t")["read_every_days"] == 7


def test_without_rounds_every_station_is_listed(farm: Settings) -> None:
    found = manual.route()
    assert not found.asked_for and [s.ref for s in found.stations] != []


def test_the_demonstration_has_an_overdue_round(demo: Settings, demo_data: Path) -> None:
    route = manual.route()
    assert route.asked_for and [s.ref for s in route.stations] == ["tunel/t", "vega/a", "mesa/a"]
    assert route.stations[0].days_overdue > 1


@pytest.mark.published(source="common practice, no source: a tensiometer's water column breaks near 85 kPa")
def test_a_broken_column_is_asked_again() -> None:
    assert why_ask_again(90, None, plausible("tensiometer", "kPa")) != ""
    assert why_ask_again(90, None, plausible("granular matrix sensor", "kPa")) == ""
    assert why_ask_again(0.7, 0.3, plausible("capacitance sensor", "m3/m3")) != ""
    assert why_ask_again(1e5, 3.0, plausible("other", "count")) == ""


def test_half_a_day_is_let_pass() -> None:
    assert days_overdue(7.4, 7) == 0 and days_overdue(8, 7) == 1


def test_the_walk_goes_on_to_the_nearest() -> None:
    assert walking_order([(0, 40), (0.03, 40), None, (0.01, 40), (0.02, 40)]) == [0, 3, 4, 1, 2]


@given(st.lists(st.one_of(st.none(), st.tuples(st.floats(-5, 5), st.floats(-50, 50))), max_size=9))
def test_the_walk_passes_every_station_once(places: list[Any]) -> None:
    assert sorted(walking_order(places)) == list(range(len(places)))
