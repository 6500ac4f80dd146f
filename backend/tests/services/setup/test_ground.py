"""Stations from planned to removed, the bench, the export, and what a cut or a mistake leaves behind."""

import base64
import hashlib
import json
from typing import Any

import pytest

from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.document import deleting
from embalse.services.document.export import farm_document
from embalse.services.document.farm_document import RECORD_LISTS, FarmDocument, parse_document
from embalse.services.schema.refused import DocumentErrors
from embalse.services.setup import procedure_runs, register
from embalse.services.setup.block_setup import block_setup, instrument_content, siting_content
from embalse.services.setup.stations import station_sheet, stations_content
from embalse.store import readings as readings_store
from embalse.store.database import database, open_database
from embalse.store.errors import Conflict, NotFound
from embalse.store.models import Dawn, ImportJob, Reading, Sensor
from tests.conftest import CLOCK, put

DAY = 86400


def store(**lists: Any) -> None:
    put({"embalse": 1, **lists})


def readings(sensor: int, value: float, days: int = 20, step: int = 3600) -> None:
    job, _ = ImportJob.get_or_create(file_name="t", sha256="", status="done", started_at=0)
    rows = [
        (sensor, CLOCK - DAY * days + n * step, value + 1e-9 * (n % 7), job.id) for n in range(days * DAY // step + 1)
    ]
    readings_store.insert_new(rows)


def ids() -> dict[str, int]:
    return {s.key: s.id for s in Sensor.select()}


def entries(run: procedure_runs.RunContent, **changed: Any) -> dict[str, Any]:
    done: dict[str, Any] = {}
    for one in run.steps:
        entry: dict[str, Any] = {"at": "2026-07-01T09:00", "who": "x"}
        if one.step.entry == "place":
            entry |= {"longitude": -15.2, "latitude": 38.4}
        elif one.step.step == "depth":
            entry["value"] = one.depth_cm
        elif one.step.entry == "number":
            entry["value"] = one.step.low or (0.1 if one.step.step == "read_before" else 1.0)
        elif one.step.entry == "choice":
            entry["value"] = one.step.options[0]
        elif one.step.entry == "text":
            entry["value"] = f"SM{one.depth_cm:g}" if one.depth_cm else "tag"
        done[one.id] = entry
    return {**done, **{k.replace("_", ":"): {**done[k.replace("_", ":")], **v} for k, v in changed.items()}}


def installed(**changed: Any) -> procedure_runs.RunContent:
    part: dict[str, Any] = {
        "key": "i1",
        "procedure": "pit",
        "station": "one/a",
        "started": "2026-07-01T08:00",
        "done": {},
    }
    store(procedure_runs=[part])
    part["done"] = entries(procedure_runs.run_content("i1"), **changed)
    store(procedure_runs=[part])
    return procedure_runs.run_content("i1")


class TestInstalling:
    def test_it_can_be_left_and_taken_up_again(self, farm: Settings) -> None:
        part = {"key": "i1", "procedure": "pit", "station": "one/a", "started": "2026-07-01T08:00", "done": {}}
        store(procedure_runs=[part])
        assert stations_content().stations[0].state == "installing"
        assert procedure_runs.run_content("i1").next_id == "services"
        store(procedure_runs=[{**part, "done": {"services": {"at": "2026-07-01T08:01"}}}])
        again = procedure_runs.run_content("i1")
        assert again.next_id == "day" and again.steps[0].outcome == "done" and again.verdict == "open"

    def test_it_does_not_close_with_a_depth_unmeasured(self, farm: Settings) -> None:
        installed()
        body = json.loads(json.dumps(procedure_runs.run_content("i1").run))
        del body["done"]["30:depth"]
        store(procedure_runs=[body])
        with pytest.raises(Conflict, match="the depth of the 30 cm sensor is not measured"):
            procedure_runs.close_run("i1")
        assert station_sheet("one/a").installed is None

    def test_it_does_not_close_with_a_channel_shared(self, farm: Settings) -> None:
        installed(**{"30_channel": {"value": "SM10"}})
        with pytest.raises(Conflict, match="channel 'sm10' is given to 30 cm and 10 cm"):
            procedure_runs.close_run("i1")

    def test_closing_carries_depth_channel_place_and_day_over(self, farm: Settings) -> None:
        before = installed(**{"30_depth": {"value": 27.0}})
        assert before.notices == ["measured 27 cm where 30 cm was planned"]
        procedure_runs.close_run("i1")
        sheet = station_sheet("one/a")
        assert [s.depth_cm for s in sheet.sensors] == [10, 27, 50]
        assert [s.channel for s in sheet.sensors] == ["SM10", "SM30", "SM50"]
        assert sheet.line.longitude == -15.2 and sheet.installed == "2026-07-14T06:00+02:00"
        with pytest.raises(Conflict, match="closed already"):
            procedure_runs.close_run("i1")

    def test_a_failed_value_closes_only_when_meant(self, farm: Settings) -> None:
        part = {"key": "c1", "procedure": "condition-d", "device": "m1", "started": "2026-07-01T08:00"}
        store(devices=[{"key": "m1", "type": "granular matrix sensor"}])
        done = {"soak1": {"at": "2026-07-01T20:00"}, "read_wet_ready": {"at": "2026-07-02T08:00", "value": 22.0}}
        store(procedure_runs=[{**part, "done": done}])
        with pytest.raises(Conflict, match="outside its limits"):
            procedure_runs.close_run("c1")
        assert procedure_runs.close_run("c1", even_failed=True).verdict == "not ready"
        assert register.bench_content().devices[0].state == "rejected"

    def test_what_is_no_step_or_no_number_is_named(self, farm: Settings) -> None:
        part = {"key": "i1", "procedure": "pit", "station": "one/a", "started": "2026-07-01T08:00"}
        for done, path in (
            ({"dig": {"at": "2026-07-01T08:00"}}, "procedure_runs[0].done"),
            ({"10:depth": {"at": "2026-07-01T08:00", "value": "deep"}}, "procedure_runs[0].done.10:depth.value"),
        ):
            text = json.dumps({"embalse": 1, "procedure_runs": [{**part, "done": done}]})
            with pytest.raises(DocumentErrors) as refused:
                parse_document(text)
            assert refused.value.errors[0].path == path

    def test_a_record_of_nothing_is_refused_by_its_path(self, farm: Settings) -> None:
        with pytest.raises(DocumentErrors) as refused:
            store(visits=[{"key": "v", "station": "one/z", "at": "2026-07-01T08:00", "what": "visit"}])
        assert refused.value.errors[0].path == "visits[0].station"


class TestSettling:
    def install(self, days_ago: int) -> None:
        block = {"key": "one", "area_ha": 10, "crop": "tomato", "soil": "loam"}
        sensors = [{"depth_cm": d} for d in (10, 30, 50)]
        at = f"2026-07-{14 - days_ago:02d}T06:00"
        store(blocks=[{**block, "stations": [{"key": "a", "installed": at, "sensors": sensors}]}])

    def test_a_new_station_gives_no_advice_and_says_why(self, farm: Settings) -> None:
        for sensor in ids().values():
            readings(sensor, 0.2)
        assert round_content().blocks[0].depletion_mm is not None
        self.install(5)
        block = round_content().blocks[0]
        assert block.group == "none" and "or 9 days" in block.reason
        assert stations_content().stations[0].state == "settling"

    def test_it_settles_after_its_days(self, farm: Settings) -> None:
        for sensor in ids().values():
            readings(sensor, 0.2)
        self.install(13)
        assert round_content().blocks[0].group == "none"
        assert stations_content().stations[0].state == "settling"
        at = "2026-06-30T05:00"
        block = {"key": "one", "area_ha": 10, "crop": "tomato", "soil": "loam"}
        sensors = [{"depth_cm": d} for d in (10, 30, 50)]
        store(blocks=[{**block, "stations": [{"key": "a", "installed": at, "sensors": sensors}]}])
        assert round_content().blocks[0].depletion_mm is not None
        assert stations_content().stations[0].state == "in use"

    def test_before_it_went_in_it_says_nothing(self, farm: Settings) -> None:
        for sensor in ids().values():
            readings(sensor, 0.2)
        self.install(5)
        assert "not in the ground yet" in round_content("2026-07-05T06:00").blocks[0].reason


class TestReplacing:
    def test_history_stays_with_the_depth_and_calibration_with_the_device(self, farm: Settings) -> None:
        for sensor in ids().values():
            readings(sensor, 0.2, days=60)
        calibration = {"valid_from": "2026-01-01", "slope": 1.0, "intercept": 0.05, "rmse_theta": 0.01}
        store(
            devices=[
                {"key": "old", "type": "capacitance sensor"},
                {"key": "new", "type": "capacitance sensor", "calibrations": [calibration]},
            ],
            placements=[
                {"sensor": "one/a/30", "device": "old", "since": "2026-05-01T08:00"},
                {"sensor": "one/a/30", "device": "new", "since": "2026-06-01T08:00", "why": "drifted"},
            ],
        )
        sheet = station_sheet("one/a")
        assert sheet.sensors[1].device == "new" and sheet.sensors[1].past_devices == ["old"]
        before, after = round_content("2026-05-28T06:00").blocks[0], round_content().blocks[0]
        assert before.depletion_mm is not None and after.depletion_mm is not None
        assert before.depletion_mm - after.depletion_mm == pytest.approx(0.05 * 200, abs=0.01)
        devices = {d.key: d for d in register.bench_content().devices}
        assert devices["old"].state == "in store" and devices["new"].where == "one/a/30"

    def test_an_uncalibrated_device_ends_the_old_ones_calibration(self, farm: Settings, plain: dict[str, Any]) -> None:
        sensors = plain["blocks"][0]["stations"][0]["sensors"]
        for sensor in sensors:
            sensor |= {
                "raw_unit": "count",
                "calibrations": [{"valid_from": "2026-01-01", "slope": 0.001, "intercept": 0}],
            }
        put(plain)
        for sensor_id in ids().values():
            readings(sensor_id, 200.0, days=60)
        assert round_content().blocks[0].depletion_mm is not None
        store(
            devices=[{"key": k, "type": "capacitance sensor"} for k in ("old", "new")],
            placements=[
                {"sensor": "one/a/10", "device": "old", "since": "2026-05-01T08:00"},
                {"sensor": "one/a/10", "device": "new", "since": "2026-06-01T08:00"},
            ],
        )
        assert "10 cm: not calibrated" in round_content().blocks[0].reason
        assert round_content("2026-05-28T06:00").blocks[0].depletion_mm is not None

    def test_one_device_is_in_one_place(self, farm: Settings) -> None:
        store(
            devices=[{"key": "d", "type": "tensiometer"}],
            blocks=[{"key": "two", "area_ha": 1, "crop": "tomato", "soil": "loam",
                     "stations": [{"key": "a", "sensors": [{"depth_cm": 20}]}]}],
            placements=[{"sensor": "one/a/10", "device": "d", "since": "2026-06-01T08:00"}],
        )  # fmt: skip
        with pytest.raises(DocumentErrors, match="is at one/a/10 then"):
            store(placements=[{"sensor": "two/a/20", "device": "d", "since": "2026-06-02T08:00"}])

    def test_removal_takes_everything_out_and_keeps_the_past(self, farm: Settings) -> None:
        for sensor in ids().values():
            readings(sensor, 0.2)
        store(
            devices=[{"key": "d", "type": "tensiometer"}],
            placements=[{"sensor": "one/a/10", "device": "d", "since": "2026-06-01T08:00"}],
            procedure_runs=[{"key": "r", "procedure": "remove", "station": "one/a", "started": "2026-07-14T05:00"}],
        )
        body = procedure_runs.run_content("r").run
        store(procedure_runs=[{**body, "done": entries(procedure_runs.run_content("r"))}])
        procedure_runs.close_run("r")
        assert station_sheet("one/a").line.state == "removed"
        assert register.bench_content().devices[0].state == "in store"
        assert round_content().blocks[0].reason == "No advice because the block has no station."
        assert round_content("2026-07-13T06:00").blocks[0].depletion_mm is not None


class TestChannelCheck:
    def check(self) -> None:
        base = {f"one-{d}": 20.0 for d in (10, 30, 50)}
        wired = {"10": "one-10", "30": "one-50", "50": "one-30"}
        touches = [
            {"sensor": s, "before": base, "after": {c: v + (9 if c == wired[s] else 0.1) for c, v in base.items()}}
            for s in wired
        ]
        store(channel_checks=[{"key": "c", "station": "one/a", "at": "2026-07-14T05:00", "touches": touches}])

    def test_the_swap_exchanges_channels_and_readings(self, farm: Settings) -> None:
        sensor = ids()
        for key, value in (("10", 0.1), ("30", 0.3), ("50", 0.5)):
            readings(sensor[key], value)
        self.check()
        found = procedure_runs.channel_check_content("c")
        assert [(s.one, s.other) for s in found.swaps] == [("30", "50")]
        procedure_runs.make_swaps("c")
        after = {s.key: s.channel for s in Sensor.select()}
        assert after == {"10": "one-10", "30": "one-50", "50": "one-30"}
        for key, value in (("10", 0.1), ("30", 0.5), ("50", 0.3)):
            assert {round(r.value, 6) for r in Reading.select().where(Reading.sensor == sensor[key])} == {value}
        for key, value in (("30", 0.5), ("50", 0.3)):
            assert {round(d.value, 6) for d in Dawn.select().where(Dawn.sensor == sensor[key])} == {value}
        again = procedure_runs.channel_check_content("c")
        assert again.swapped and again.swaps == [] and [t.agrees for t in again.touches] == [True, False, False]
        with pytest.raises(Conflict, match="nothing to swap"):
            procedure_runs.make_swaps("c")

    def test_readings_can_be_left_as_they_are(self, farm: Settings) -> None:
        sensor = ids()
        readings(sensor["30"], 0.3)
        self.check()
        procedure_runs.make_swaps("c", with_readings=False)
        assert {round(r.value, 6) for r in Reading.select().where(Reading.sensor == sensor["30"])} == {0.3}


class TestUndo:
    def test_a_deleted_record_comes_back_whole(self, farm: Settings) -> None:
        store(spots=[{"key": "s", "block": "one", "name": "here", "facts": {"edge_m": 60.0}}])
        deleting.delete("spots", "s")
        assert siting_content("one").spots == []
        deleting.restore("spots", "s")
        assert siting_content("one").spots[0].facts == {"edge_m": 60.0}
        with pytest.raises(NotFound):
            deleting.delete("spots", "nothing")
        with pytest.raises(NotFound):
            deleting.delete("blocks", "one")

    def test_a_device_in_the_ground_is_not_deleted(self, farm: Settings) -> None:
        store(
            devices=[{"key": "d", "type": "tensiometer"}, {"key": "e", "type": "tensiometer"}],
            placements=[{"sensor": "one/a/10", "device": "d", "since": "2026-06-01T08:00"}],
        )
        with pytest.raises(Conflict, match="take it out first"):
            deleting.delete("devices", "d")
        deleting.delete("devices", "e")
        assert [d.key for d in register.bench_content().devices] == ["d"]
        deleting.restore("devices", "e")
        assert [d.key for d in register.bench_content().devices] == ["d", "e"]


class TestSetUp:
    def test_a_layer_that_stops_roots_cuts_the_root_zone(self, farm: Settings, plain: dict[str, Any]) -> None:
        for sensor in ids().values():
            readings(sensor, 0.2)
        deep = round_content().blocks[0]
        plain["soils"][0]["horizons"] = [
            {"top_cm": 0, "bottom_cm": 40, "texture": "loam", "organic_matter_pct": 2.5},
            {"top_cm": 40, "bottom_cm": 120, "texture": "loam", "organic_matter_pct": 2.5, "restricts_roots": True},
        ]
        put(plain)
        cut = round_content().blocks[0]
        assert (deep.root_depth_cm, cut.root_depth_cm) == (60, 40)
        assert "where a layer stops roots" in cut.working[0].source.detail

    def test_the_crop_says_what_was_changed_from_what(self, farm: Settings) -> None:
        store(blocks=[{"key": "one", "area_ha": 10, "crop": "tomato", "soil": "loam", "crop_values": {"kc_mid": 1.0}}])
        values = {v.name: v for v in block_setup("one").crop.values}
        assert values["kc_mid"].changed and "changed from 1.15" in values["kc_mid"].source.detail
        assert values["root_depth_cm"].changed and values["root_depth_cm"].library_value == 70
        assert not values["allowable_depletion_fraction"].changed
        assert values["tension_low_kpa"].value == 10

    def test_an_outline_gives_the_distance_to_the_edge(self, farm: Settings) -> None:
        ring = [[-15.2, 38.4], [-15.19, 38.4], [-15.19, 38.41], [-15.2, 38.41]]
        store(
            blocks=[{"key": "one", "area_ha": 10, "crop": "tomato", "soil": "loam", "outline": ring}],
            spots=[{"key": "s", "block": "one", "name": "edge", "longitude": -15.1999, "latitude": 38.405}],
        )
        spot = siting_content("one").spots[0]
        assert spot.edge_from_outline_m == pytest.approx(8.7, abs=0.1) and spot.word == "not here"
        caution = block_setup("one").outline
        assert caution is not None and caution.caution is not None and "less than the" in caution.caution

    def test_a_plan_keeps_its_own_costs(self, farm: Settings) -> None:
        store(
            instrument_plans=[
                {"key": "one", "choice": "profile", "seasons": 2.0, "costs": {"profile probe": {"buy": 1.0}}}
            ]
        )
        content = instrument_content("one")
        assert content.chosen == "profile" and content.seasons == 2
        assert next(c for c in content.costs if c.kind == "profile probe").source == "entered"

    @pytest.mark.parametrize(
        ("lists", "path"),
        [
            ({"systems": [{"key": "p", "kind": "pivot", "efficiency_fraction": 0.8}]}, "systems[0].pivot"),
            ({"systems": [{"key": "p", "kind": "pivot", "efficiency_fraction": 0.8, "pivot": {"length_m": 100,
              "flow_m3_h": 10, "turn_h": 10, "first_excluded_m": 120}}]}, "systems[0].pivot.first_excluded_m"),
            ({"siting_limits": [{"key": "edge", "low": 20.0}]}, "siting_limits[0].reason"),
            ({"siting_limits": [{"key": "x", "low": 20.0, "reason": "r"}]}, "siting_limits[0].key"),
            ({"batch_tests": [{"key": "b", "on": "2026-01-01", "sensors": [{"sensor": "s", "air": [1.0],
              "water": [2.0]}]}]},
             "batch_tests[0].sensors[0].air"),
            ({"spots": [{"key": "s", "block": "one", "name": "n", "facts": {"edge_m": True}}]},
             "spots[0].facts.edge_m"),
            ({"uniformity_tests": [{"key": "u", "system": "drip", "kind": "cans", "values": [1.0, 2.0],
              "on": "2026-01-01"}]},
             "uniformity_tests[0].values"),
            ({"instrument_plans": [{"key": "one", "choice": "magic"}]}, "instrument_plans[0].choice"),
        ],
    )  # fmt: skip
    def test_bad_input_is_named_on_its_field(self, farm: Settings, lists: dict[str, Any], path: str) -> None:
        with pytest.raises(DocumentErrors) as refused:
            parse_document(json.dumps({"embalse": 1, **lists}))
        assert refused.value.errors[0].path == path


def test_the_export_makes_the_same_farm_again(demo: Settings, tmp_path: Any) -> None:
    picture = b"\xff\xd8\xff picture"
    key = hashlib.sha256(picture).hexdigest()
    store(photos=[{"key": key, "media_type": "image/jpeg", "data": base64.b64encode(picture).decode()}])
    store(
        set_choices=[
            {"key": "c", "valid_from": "2026-07-14", "block": "norte-2", "what": "dose", "value": 0.9, "useful": 0.9,
             "note": "by the water of six sets"}
        ],
        audit_rules=[{"key": "a", "valid_from": "2026-07-14", "block": "norte-2", "mode": "applied"}],
        plantings=[{"key": "p", "valid_from": "2026-11-10", "block": "mesa", "crop": "onion dry"}],
        harvests=[{"key": "h", "valid_from": "2026-07-29", "block": "mesa", "ends": True, "yield_t_ha": 9.5}],
        zone_acceptances=[{"key": "z", "valid_from": "2026-07-14", "block": "norte-2", "station": "norte-1/a", "note": "x"}],
        air_limits=[{"key": "air", "valid_from": "2026-07-14", "frost_c": 1.0}],
        payload_maps=[{"key": "m", "gateway": "hill", "topic": "a/+", "readings": [
            {"channel": "{1} 10", "value": "v", "at": "t"}]}],
        soil_zones=[{"key": "s", "valid_from": "2026-07-14", "block": "loma", "zones": [{"soil": "bajo"}]}],
        set_visits=[
            {"key": "v", "block": "norte-2", "fault": "did not run", "start": "2026-07-13T21:00",
             "at": "2026-07-14T05:30", "found": "closed"}
        ],
    )  # fmt: skip
    document = farm_document()
    assert all(document[kind] for kind in RECORD_LISTS if kind not in ("siting_limits", "orders", "armings"))
    database.close()
    open_database(tmp_path / "other.db")
    report = put(document)
    assert sum(report.changed.values()) == 0
    assert farm_document() == document
    again = put(document)
    assert sum(again.created.values()) == sum(again.changed.values()) == 0


def test_every_station_of_the_demonstration_has_its_history(demo: Settings) -> None:
    everything = stations_content().stations
    assert [s.ref for s in everything if s.state == "watched"] == ["olivar/v"]
    lines = [s for s in everything if s.state != "watched"]
    assert {s.state for s in lines} == {"in use", "settling"} and len(lines) == 39
    for line in lines:
        sheet = station_sheet(line.ref)
        assert sheet.installed and all(s.device for s in sheet.sensors) and len(sheet.log) >= 2
        assert all(procedure_runs.run_content(key).verdict == "ready" for key in sheet.runs)
    assert any(procedure_runs.channel_check_content(k).swapped for k in station_sheet("ladera/a").checks)
    found = register.bench_content()
    assert {b.key: b.accepted for b in found.batches} == {"lote-1": False, "lote-2": True}
    assert found.best_batch == "lote-2"


def test_the_document_lists_every_kind_of_record() -> None:
    assert set(RECORD_LISTS) <= set(FarmDocument.model_fields)
