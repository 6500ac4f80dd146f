"""Faults as readings arrive: kept, never used, decided by people, and followed by the advice."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient

from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.advice.block_page import block_content
from embalse.services.intake.import_plan import ImportPlan, PlanColumn
from embalse.services.intake.imports import run_import
from embalse.services.setup import fault_review
from embalse.store.database import transaction
from embalse.store.errors import NotFound
from embalse.store.models import Dawn, FaultFound, Reading, Sensor
from tests.conftest import CLOCK, put
from tests.web import client_of

HOUR = 3600


Change = Callable[[np.ndarray], None]


def bring(path: Path, change: Change = lambda values: None, hours: int = 24 * 20, every: Change | None = None) -> None:
    """An hourly file of three sensors with noise, changed at 30 cm, through the import."""
    from datetime import UTC, datetime, timedelta

    random = np.random.default_rng(4)
    values = 0.26 - 0.00012 * np.arange(hours + 1)[:, None] + random.normal(0, 0.001, (hours + 1, 3))
    change(values[:, 1])
    if every is not None:
        every(values)
    first = datetime.fromtimestamp(CLOCK, UTC) - timedelta(hours=hours)
    lines = ["time,one-10,one-30,one-50"]
    for n, row in enumerate(values):
        lines.append(f"{first + timedelta(hours=n):%Y-%m-%d %H:%M}," + ",".join(f"{v:.5f}" for v in row))
    path.write_text("\n".join(lines) + "\n")
    columns = [PlanColumn(column=f"one-{d}", sensor=f"one/a/{d}", unit="m3/m3") for d in (10, 30, 50)]
    report = run_import(path, path.name, ImportPlan(time_zone="UTC", date_order="ymd", columns=columns))
    assert report.status == "done", report.message


def stick(values: np.ndarray) -> None:
    values[-60:] = values[-60]


def test_a_stuck_sensor_is_filled_in_named_and_to_be_seen(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "a.csv", stick)
    content = round_content()
    block = content.blocks[0]
    assert block.depletion_mm is not None
    assert any("30 cm filled in from its neighbours: stuck since" in note for note in block.not_trusted)
    assert [(v.station, v.sensor) for v in content.to_see] == [("one/a", "one/a/30")]
    assert content.sentence.endswith("1 station to visit.")
    page = block_content("one")
    trace = page.stations[0].traces[1]
    assert len(trace.flagged) == 60 and trace.theta[-1] is None and "stuck" in trace.faults[0]
    assert Reading.select().count() == 3 * (24 * 20 + 1)


def test_what_was_not_known_then_is_not_used_then(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "a.csv", stick)
    early = round_content("2026-07-12T12:00").blocks[0]
    assert not any("stuck" in note for note in early.not_trusted)
    late = round_content("2026-07-13T12:00").blocks[0]
    assert any("stuck" in note for note in late.not_trusted)


def test_a_spike_never_reaches_a_dawn_value(farm: Settings, tmp_path: Path) -> None:
    def spikes(values: np.ndarray) -> None:
        values[[-24 * 5 - 1, -24 * 3 - 1, -24 * 3]] += 0.2

    bring(tmp_path / "a.csv", spikes)
    sensor = Sensor.get(key="30").id
    values = [d.value for d in Dawn.select().where(Dawn.sensor == sensor).order_by(Dawn.day)]
    assert max(np.diff(values)) < 0.01
    assert {f.fault for f in FaultFound.select()} == {"spike"}


def test_overruling_uses_the_readings_at_once_and_can_be_taken_back(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "a.csv", stick)
    without = round_content().blocks[0].depletion_mm
    [fault] = fault_review.faults_content().faults
    fault_review.decide("fault", fault.id, "overruled", "weighed a sample: it is right", "Inés")
    used = round_content()
    assert used.blocks[0].depletion_mm != without and used.to_see == []
    assert not any("stuck" in note for note in used.blocks[0].not_trusted)
    page = fault_review.sensor_page("one/a/30")
    assert page.faults[0].verdict == "overruled" and page.faults[0].who == "Inés" and page.flagged == []
    fault_review.decide("fault", fault.id, "", "", "")
    assert round_content().blocks[0].depletion_mm == without
    with pytest.raises(NotFound):
        fault_review.decide("fault", 999, "accepted", "", "")


def test_a_decision_outlives_more_readings(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "a.csv", stick, hours=24 * 20)
    [fault] = fault_review.faults_content().faults
    fault_review.decide("fault", fault.id, "overruled", "right", "")
    bring(tmp_path / "b.csv", stick, hours=24 * 20)
    assert [f.verdict for f in fault_review.faults_content().faults] == ["overruled"]


def test_a_new_calibration_is_looked_at_again(farm: Settings, plain: dict[str, Any], tmp_path: Path) -> None:
    bring(tmp_path / "a.csv")
    assert fault_review.faults_content().faults == []
    sensors = plain["blocks"][0]["stations"][0]["sensors"]
    sensors[1] |= {"raw_unit": "m3/m3", "calibrations": [{"valid_from": "2026-01-01", "slope": 4.0, "intercept": 0.0}]}
    put(plain)
    assert {f.fault for f in fault_review.faults_content().faults} == {"range"}
    sensors[1]["calibrations"][0]["slope"] = 1.0
    put(plain)
    assert fault_review.faults_content().faults == []


def test_crossed_depths_are_suspected_from_the_readings(farm: Settings, tmp_path: Path) -> None:
    """Water arrives at 50 cm before 30 cm in every wetting, and moves it more."""

    def wetted(values: np.ndarray, lag: int, size: float) -> None:
        hours = np.arange(len(values))
        for start in range(48 + lag, len(values), 96):
            values += np.where(hours >= start, size * np.exp(-np.abs(hours - start) / 40), 0)

    def columns(values: np.ndarray) -> None:
        for index, (lag, size) in enumerate(((0, 0.05), (16, 0.02), (5, 0.04))):
            wetted(values[:, index], lag, size)

    bring(tmp_path / "a.csv", every=columns)
    [found] = fault_review.faults_content().suspicions
    assert (found.upper, found.lower) == ("30", "50") and "50 cm moves more than 30 cm" in found.words
    assert [v.why for v in round_content().to_see] == [found.words]
    fault_review.decide("suspicion", found.id, "overruled", "checked in the field", "Inés")
    assert round_content().to_see == []
    assert fault_review.sensor_page("one/a/50").suspicions[0].verdict == "overruled"


def test_the_api_decides_and_lists(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "a.csv", stick)
    client: FlaskClient = client_of(farm)
    [fault] = client.get("/api/faults").json["faults"]
    answer = client.post(f"/api/faults/{fault['id']}/verdict", json={"verdict": "accepted", "note": "dead", "who": "x"})
    assert answer.json["faults"][0]["verdict"] == "accepted"
    assert client.post(f"/api/faults/{fault['id']}/verdict", json={"verdict": "maybe"}).status_code == 422
    assert client.post("/api/faults/999/verdict", json={"verdict": "accepted"}).status_code == 404
    page = client.get("/api/stations/one/a/sensors/30?days=30").json
    assert page["unit"] == "%" and len(page["flagged"]) == 60 and page["values"][-1] is None
    assert client.get("/api/stations/one/a/sensors/31").status_code == 404


def scatter(values: np.ndarray) -> None:
    values[-24 * 8 :] += np.random.default_rng(9).normal(0, 0.015, 24 * 8)


def test_a_noisy_sensor_is_used_widens_the_answer_and_is_to_be_seen(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "a.csv")
    calm = round_content().blocks[0]
    with transaction():
        Reading.delete().execute()
    bring(tmp_path / "b.csv", scatter)
    content = round_content()
    noisy = content.blocks[0]
    assert noisy.depletion_mm is not None and calm.depletion_error_mm is not None
    assert noisy.depletion_error_mm is not None and noisy.depletion_error_mm > 1.05 * calm.depletion_error_mm
    [note] = [n for n in noisy.not_trusted if "noise since" in n]
    assert note.startswith("a, 30 cm: noise since") and "its error is widened" in note
    assert [(v.sensor, "noise" in v.why) for v in content.to_see] == [("one/a/30", True)]
    [fault] = [f for f in fault_review.faults_content().faults if f.fault == "noise"]
    assert not fault.kept_out
    fault_review.decide("fault", fault.id, "overruled", "a pump stands beside it", "tester")
    assert round_content().blocks[0].depletion_error_mm == calm.depletion_error_mm
    bring(tmp_path / "c.csv", scatter)
    assert [f.verdict for f in fault_review.faults_content().faults if f.fault == "noise"] == ["overruled"]


def test_a_noisy_sensor_was_not_doubted_before_it_could_be_known(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "b.csv", scatter)
    assert not any("noise" in n for n in round_content("2026-07-06T12:00").blocks[0].not_trusted)
    assert any("noise" in n for n in round_content("2026-07-10T12:00").blocks[0].not_trusted)


class TestAsKnownThen:
    """The demonstration's stuck sensor: it began at one in the morning of 10 July and was found two days later."""

    def test_before_it_was_found_there_was_none(self, demo: Settings) -> None:
        assert fault_review.faults_content(["norte-1"], 20, "2026-07-10T06:00").faults == []

    def test_then_it_had_lasted_as_long_as_it_had(self, demo: Settings) -> None:
        [then] = fault_review.faults_content(["norte-1"], 20, "2026-07-13T06:00").faults
        [now] = fault_review.faults_content(["norte-1"], 20).faults
        assert (then.start_at, now.end_at - then.end_at) == (now.start_at, 86400)
        assert now.readings - then.readings == 24 and "77 h" in then.reason and "101 h" in now.reason

    def test_the_advice_of_then_says_the_same(self, demo: Settings) -> None:
        said = " ".join(round_content("2026-07-13T06:00", ["norte-1"]).blocks[0].not_trusted)
        assert "for 77 h" in said

    def test_a_moment_that_cannot_be_read_is_refused(self, demo: Settings) -> None:
        with pytest.raises(ValueError, match="is not a date and time"):
            fault_review.faults_content(None, 20, "last week")


def test_one_of_three_stations_that_drifts_at_the_same_depth_is_named(
    farm: Settings, plain: dict[str, Any], tmp_path: Path
) -> None:
    from datetime import UTC, datetime, timedelta

    [station] = plain["blocks"][0]["stations"]
    plain["blocks"][0]["stations"] = [
        {**station, "key": key, "sensors": [{**station["sensors"][1], "channel": f"{key}-30"}]} for key in "abc"
    ]
    put(plain)
    hours = np.arange(24 * 80)
    saw = 0.28 - 0.03 * (hours % 120) / 120
    drifting = saw + 0.05 * np.clip(hours / (24 * 50) - 0.2, 0, 1)
    first = datetime.fromtimestamp(CLOCK, UTC) - timedelta(hours=len(hours))
    lines = [f"{first + timedelta(hours=int(h)):%Y-%m-%d %H:%M},{a:.4f},{b:.4f},{a:.4f}" for h, a, b in
             zip(hours, saw, drifting, strict=True)]  # fmt: skip
    path = tmp_path / "three.csv"
    path.write_text("time,a-30,b-30,c-30\n" + "\n".join(lines) + "\n")
    columns = [PlanColumn(column=f"{k}-30", sensor=f"one/{k}/30", unit="m3/m3") for k in "abc"]
    report = run_import(path, path.name, ImportPlan(time_zone="UTC", date_order="ymd", columns=columns))
    assert report.status == "done", report.message
    found = [f for f in fault_review.faults_content().faults if f.fault == "drift"]
    assert [f.sensor for f in found] == ["one/b/30"]
    assert "at the other stations in" in found[0].reason
