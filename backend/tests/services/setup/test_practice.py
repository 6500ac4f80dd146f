"""Practice on a farm: inherited sensors, stations that stand in, what was seen, and trees that move a set."""

from datetime import UTC, datetime
from typing import Any

import numpy as np
import pytest

from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.advice.block_page import block_content
from embalse.services.document.deleting import delete
from embalse.services.intake.manual import route
from embalse.services.load.schemas import BlockAdvice
from embalse.services.marks.growth_page import growth_content
from embalse.services.marks.tension_page import tension_content
from embalse.services.readings import faults
from embalse.services.schema.refused import DocumentErrors
from embalse.services.setup import bench_practice, field_practice, procedure_runs
from embalse.services.setup.block_setup import instrument_content
from embalse.services.setup.stations import station_sheet
from embalse.store import readings as readings_store
from embalse.store.errors import Conflict
from embalse.store.models import ImportJob, Sensor
from tests.conftest import CLOCK, put
from tests.web import client_of

DAY = 86400
T0 = "2026-07-14"


def store(**lists: Any) -> None:
    put({"embalse": 1, **lists})


def fill(values: dict[str, float], use: float = 0.006, days: int = 12) -> None:
    """Hourly readings that dry by ``use`` a day to what is given now, by the sensor's key."""
    job, _ = ImportJob.get_or_create(file_name="t", sha256="", status="done", started_at=0)
    ids = {s.key: s.id for s in Sensor.select()}
    rows = [
        (ids[key], CLOCK - 3600 * h, value + use * h / 24 + 1e-6 * (h % 5), job.id)
        for key, value in values.items()
        for h in range(24 * days)
    ]
    readings_store.insert_new(rows)


def advice(key: str = "one", moment: str | None = None) -> BlockAdvice:
    return next(b for b in round_content(moment).blocks if b.key == key)


def codes(found: BlockAdvice) -> list[str]:
    return [c.code for c in found.cautions]


def stub(**more: Any) -> dict[str, Any]:
    return {"key": "f1", "valid_from": "2026-07-01", "sensor": "one/a/30", "depth_cm": None, **more}


class TestInherited:
    def test_a_sensor_of_unknown_depth_is_watched_and_never_advises(self, farm: Settings) -> None:
        fill({"10": 0.25, "30": 0.05, "50": 0.25})
        before = advice()
        store(sensor_findings=[stub()])
        after = advice()
        assert after.depletion_mm is not None and before.depletion_mm is not None
        assert after.depletion_mm < before.depletion_mm - 10  # the odd one counts no longer
        assert "caution.depth_unknown" in codes(after) and "caution.depth_unknown" not in codes(before)
        sheet = station_sheet("one/a")
        assert [s.depth_known for s in sheet.sensors] == [True, False, True] and sheet.unknown == ["one/a/30"]
        assert sheet.sensors[1].last_reading_at is not None

    def test_alone_it_leads_to_a_refusal_with_its_reason(self, farm: Settings) -> None:
        fill({"10": 0.25, "30": 0.25, "50": 0.25})
        store(sensor_findings=[stub(key=f"f{d}", sensor=f"one/a/{d}") for d in (10, 30, 50)])
        found = advice()
        assert found.group == "none", found.reason
        assert "nobody knows how deep 10 and 30 and 50 sits" in found.reason
        assert station_sheet("one/a").line.state == "watched"

    def test_what_was_known_then_stays(self, farm: Settings) -> None:
        fill({"10": 0.25, "30": 0.25, "50": 0.25})
        then = advice(moment="2026-07-13T06:00").model_dump()
        store(sensor_findings=[stub()])
        assert advice(moment="2026-07-13T06:00").model_dump() == then

    def test_a_finding_out_that_dug_gives_it_its_depth(self, farm: Settings) -> None:
        store(sensor_findings=[stub()])
        at = {"at": "2026-07-13T09:00", "who": "x"}
        others = {
            f"{d}:{step}": {**at, "value": value}
            for d in (10, 50)
            for step, value in (("label", "a tag"), ("kind", "capacitance"), ("answers", 0.2), ("wet_cloth", 0.4),
                                ("dig", float(d)))
        }  # fmt: skip
        mine: dict[str, Any] = {
            "30:label": {**at, "value": "red tape"}, "30:kind": {**at, "value": "capacitance"},
            "30:answers": {**at, "value": 0.2}, "30:wet_cloth": {**at, "value": 0.4},
        }  # fmt: skip
        run = {"key": "r", "procedure": "find-out", "station": "one/a", "started": "2026-07-13T09:00"}
        store(procedure_runs=[{**run, "done": {**others, **mine}}])
        said = procedure_runs.run_content("r").notices
        assert any("nobody knows how deep it sits" in n for n in said) and any("it answers to water" in n for n in said)
        assert station_sheet("one/a").open_other == "r"
        mine["30:dig"] = {**at, "value": 33.0}
        store(procedure_runs=[{**run, "done": {**others, **mine}}])
        procedure_runs.close_run("r")
        sheet = station_sheet("one/a")
        assert sheet.unknown == [] and [s.depth_cm for s in sheet.sensors] == [10, 33, 50]

    def test_a_finding_out_without_a_spade_leaves_it_unknown_and_two_at_one_depth_are_refused(
        self, farm: Settings
    ) -> None:
        at = {"at": "2026-07-13T09:00", "who": "x"}
        steps = {"label": "-", "kind": "cannot tell", "answers": 0.2, "wet_cloth": 0.4}
        done = {f"{d}:{step}": {**at, "value": v} for d in (10, 30, 50) for step, v in steps.items()}
        run = {"key": "r", "procedure": "find-out", "station": "one/a", "started": "2026-07-13T09:00"}
        store(procedure_runs=[{**run, "done": {**done, "10:dig": {**at, "value": 30.0}}}])
        with pytest.raises(Conflict, match="same depth"):
            procedure_runs.close_run("r")
        store(procedure_runs=[{**run, "done": done}])
        procedure_runs.close_run("r")
        assert len(station_sheet("one/a").unknown) == 3

    def test_a_finding_about_no_sensor_is_refused_on_its_field(self, farm: Settings) -> None:
        with pytest.raises(DocumentErrors) as refused:
            store(sensor_findings=[stub(sensor="one/a/99")])
        assert refused.value.errors[0].path == "sensor_findings[0].sensor"
        with pytest.raises(Exception, match="withdraw"):
            store(sensor_findings=[stub()])
            delete("sensor_findings", "f1")


class TestStandingIn:
    def two(self, plain: dict[str, Any], slope: float | None = None) -> None:
        first = plain["blocks"][0]
        first = {**first, "slope_pct": 2, "stations": [{**first["stations"][0], "stands_for": ["two"]}]}
        second = {k: v for k, v in first.items() if k != "stations"} | {"key": "two", "name": "Two", "slope_pct": slope}
        store(blocks=[first, second])
        fill({"10": 0.25, "30": 0.25, "50": 0.25})

    def test_a_zone_alike_is_advised_by_it_and_says_so(self, farm: Settings, plain: dict[str, Any]) -> None:
        self.two(plain, slope=6)
        one, two = advice("one"), advice("two")
        assert two.depletion_mm == pytest.approx(one.depletion_mm) and two.group == one.group
        assert "caution.borrowed" in codes(two) and "caution.borrowed" not in codes(one)
        assert block_content("two").advice.depletion_mm == pytest.approx(one.depletion_mm)
        assert station_sheet("one/a").zones[0].fits

    def test_a_zone_that_differs_is_refused_until_it_is_accepted_with_a_note(
        self, farm: Settings, plain: dict[str, Any]
    ) -> None:
        self.two(plain, slope=7)  # five per cent steeper: four is the limit
        refused = advice("two")
        assert refused.group == "none" and "may not stand for it: slope" in refused.reason
        zone = instrument_content("one").zones[0]
        assert not zone.fits and "slope" in zone.why
        with pytest.raises(Exception, match="note"):
            store(zone_acceptances=[{"key": "z", "valid_from": T0, "block": "two", "station": "one/a", "note": ""}])
        accepted = {"key": "z", "valid_from": T0, "block": "two", "station": "one/a", "note": "terraced"}
        store(zone_acceptances=[accepted])
        assert {"caution.borrowed", "caution.borrowed_though"} <= set(codes(advice("two")))
        assert station_sheet("one/a").zones[0].accepted == "terraced"
        store(zone_acceptances=[{**accepted, "withdrawn": f"{T0}T05:00"}])
        assert advice("two").group == "none"


class TestEveryPage:
    """A block by another's station, and one whose sensors nobody knows, open on every page at any moment."""

    def opened(self, settings: Settings, key: str) -> None:
        pages = client_of(settings, "manager")
        document = pages.get("/openapi.json").json
        assert document is not None
        paths = [p for p, methods in document["paths"].items() if "get" in methods]
        for path in paths:
            for query in ("", "?as_of=2026-07-12T06:00"):
                address = path.replace("{key}", key).replace("{block}/{station}", "one/a") + query
                if "{" not in address:
                    assert pages.get(address).status_code < 500, address
        for path, body in (("/api/blocks/two/what-if", {"changes": {"efficiency_fraction": 0.7}}),):
            assert pages.post(path.replace("two", key), json=body).status_code < 500

    def test_of_a_zone_steered_by_another_station(self, farm: Settings, plain: dict[str, Any]) -> None:
        TestStandingIn().two(plain, slope=2)
        faults.recheck([s.id for s in Sensor.select()])
        sets = [
            {"block": b, "start": f"2026-07-{d:02d}T20:00", "hours": 6, "gross_mm": 12.0}
            for b in ("one", "two") for d in (4, 8, 12)
        ]  # fmt: skip
        store(sets=sets, comparisons=[{"key": "c", "block": "one", "advised": "two", "first_day": "2026-06-20"}])
        self.opened(farm, "two")

    def test_of_a_block_whose_sensors_nobody_knows(self, farm: Settings) -> None:
        fill({"10": 0.25, "30": 0.25, "50": 0.25})
        faults.recheck([s.id for s in Sensor.select()])
        store(sensor_findings=[stub(key=f"f{d}", sensor=f"one/a/{d}") for d in (10, 30, 50)])
        self.opened(farm, "one")
        store(sensor_findings=[stub(key="known", sensor="one/a/10", valid_from=T0, depth_cm=10)])
        self.opened(farm, "one")


class TestSeen:
    def test_a_stage_seen_moves_the_calendar_and_the_window(self, farm: Settings, plain: dict[str, Any]) -> None:
        store(blocks=[{**plain["blocks"][0], "planting_date": "2026-06-20"}])
        assert advice().stage == "initial"
        store(stages_seen=[{"key": "s", "valid_from": "2026-07-12", "block": "one", "crop": "tomato",
                            "stage": "first flower"}])  # fmt: skip
        assert advice().stage == "development" and advice(moment="2026-07-11T06:00").stage == "initial"
        found = field_practice.stages_content("one")
        assert found.seen[0].name == "first flower" and found.window_state == "closed"
        assert "first flower" in station_sheet("one/a").line.window.lower()
        with pytest.raises(Exception, match="no stage of tomato"):
            store(stages_seen=[{"key": "t", "valid_from": T0, "block": "one", "crop": "tomato", "stage": "silking"}])

    def test_a_target_holds_from_the_stage_it_is_named_for(self, farm: Settings, plain: dict[str, Any]) -> None:
        fill({"10": 0.20, "30": 0.20, "50": 0.20})
        rule = {"valid_from": "2026-07-01", "block": "one"}
        store(blocks=[{**plain["blocks"][0], "planting_date": "2026-05-01"}],
              block_rules=[{**rule, "key": "all", "trigger_share": 1.0},
                           {**rule, "key": "fruit", "stage": "fruit set", "trigger_share": 0.5},
                           {**rule, "key": "later", "valid_from": "2026-08-01", "trigger_share": 0.3}])  # fmt: skip
        before = advice().trigger_mm
        store(stages_seen=[{"key": "s", "valid_from": "2026-07-13", "block": "one", "crop": "tomato",
                            "stage": "fruit set"}])  # fmt: skip
        assert before is not None and advice().trigger_mm == pytest.approx(before / 2)
        assert advice(moment="2026-07-12T06:00").trigger_mm == pytest.approx(before)

    def test_residue_lowers_the_first_kc_and_a_ratoon_is_quicker(self, farm: Settings, plain: dict[str, Any]) -> None:
        from embalse.services.load.blocks import core_blocks
        from embalse.store import farm as farm_store

        def calendar(**changes: Any) -> Any:
            store(blocks=[{**plain["blocks"][0], "planting_date": "2026-05-01", **changes}])
            return core_blocks(farm_store.farm_rows(), CLOCK)[0].calendar

        bare, covered = calendar(), calendar(crop_values={"residue_cover_fraction": 0.4})
        assert covered.kc[0] == pytest.approx(0.8 * bare.kc[0]) and covered.kc[1:] == bare.kc[1:]
        plant, ratoon = calendar(crop="sugarcane", crop_values={}), calendar(crop="sugarcane ratoon")
        assert sum(plant.lengths_days) == 405 and sum(ratoon.lengths_days) == 280

    def test_a_block_s_own_gauge_stands_for_the_farms(self, farm: Settings) -> None:
        fill({"10": 0.20, "30": 0.20, "50": 0.20})
        store(rain=[{"day": "2026-07-13", "depth_mm": 20}], eto=[])
        store(rain_notes=[{"key": "g", "valid_from": "2026-07-13", "block": "one", "gauge_mm": 0.0}])
        from embalse.services.advice.analysing import rain_of_block
        from embalse.services.load.blocks import core_blocks
        from embalse.store import farm as farm_store

        rows = farm_store.farm_rows()
        day = (datetime(2026, 7, 13, tzinfo=UTC) - datetime(1970, 1, 1, tzinfo=UTC)).days
        told = rain_of_block(core_blocks(rows, CLOCK)[0], rows, {day: 20.0}, (CLOCK, "Europe/Madrid"))
        assert told == {day: 0.0}
        with pytest.raises(Exception, match="how deep the soil was wet"):
            store(rain_notes=[{"key": "h", "valid_from": "2026-07-13", "block": "one"}])

    @pytest.mark.parametrize(
        ("start", "hours", "said"),
        [("2026-07-14T05:00", 3, "Water is on for another 2 h 00 min"), ("2026-07-13T20:00", 6, "Water was on until 4 h 00 min ago"),
         ("2026-07-12T20:00", 9.9, ""), ("2026-07-12T20:00", 10.1, "Water was on until 23 h 55 min ago")],
    )  # fmt: skip
    def test_water_on_stands_beside_what_is_read_by_hand(
        self, farm: Settings, start: str, hours: float, said: str
    ) -> None:
        store(sets=[{"block": "one", "start": start, "hours": hours, "gross_mm": 8.0}])
        assert route().stations[0].water == said

    def test_lodging_ends_irrigation_with_its_reason(self, farm: Settings) -> None:
        fill({"10": 0.14, "30": 0.14, "50": 0.14})
        assert advice().group == "act"
        store(orders=[{"key": "o", "valid_from": T0, "block": "one", "action": "end", "seen": "lodging",
                       "until": "2026-10-31", "note": "half of it lies"}])  # fmt: skip
        found = advice()
        assert found.group == "leave" and found.advised is None and found.ordered == "end"
        assert "Irrigation ended for lodging: half of it lies" in found.reason


class TestMarksAndSeason:
    def test_marks_follow_the_farms_scheme(self, farm: Settings) -> None:
        assert [s.mark.number for s in station_sheet("one/a").sensors if s.mark] == ["1", "2", "3"]
        store(depth_schemes=[{"key": "d", "valid_from": T0, "scheme": "counted up"}])
        assert [s.mark.number for s in station_sheet("one/a").sensors if s.mark] == ["3", "2", "1"]
        own = [{"depth_cm": 10, "colour": "red"}, {"depth_cm": 30, "colour": "red"}]
        with pytest.raises(Exception, match="looks like"):
            store(depth_schemes=[{"key": "e", "valid_from": T0, "scheme": "own", "marks": own}])

    def test_a_logger_nearly_full_is_on_the_walking_list(self, farm: Settings) -> None:
        fill({"10": 0.25, "30": 0.25, "50": 0.25})
        memory = {"key": "m", "valid_from": T0, "station": "one/a", "holds": 4096, "every_min": 60}
        store(logger_memories=[{**memory, "read_out": "2026-02-08"}])
        assert any("Read it out" in v.why or "read out by" in v.why for v in round_content().to_see)
        store(logger_memories=[{**memory, "key": "n", "read_out": "2026-07-01"}])
        assert not any("read out" in v.why for v in round_content().to_see)
        told = station_sheet("one/a").memory
        assert told is not None and told.read_out_by == "2026-12-18"

    def test_stations_come_out_before_the_harvest(self, farm: Settings, plain: dict[str, Any]) -> None:
        assert "No date" in station_sheet("one/a").take_out
        store(dry_windows=[{"key": "w", "valid_from": T0, "block": "one", "what": "harvest", "dry_by": "2026-07-30",
                            "until": "2026-08-10"}])  # fmt: skip
        assert station_sheet("one/a").take_out_by == "2026-07-23"
        assert any("Out by" in v.why for v in round_content().to_see)
        listed = bench_practice.bench_practice_content().stations
        assert [(s.station, s.state) for s in listed] == [("one/a", "soon")]

    def test_the_demonstrations_bench_tells_of_supplies_and_days(self, demo: Settings) -> None:
        found = {s.sensor: s for s in bench_practice.bench_practice_content().sensors}
        checks = {c.check: c.passes for c in found["l2-1"].checks}
        assert checks == {"supply": False, "days": True, "density": None}
        assert found["l2-1"].classes[0].word == "air-dry"

    def test_frost_is_told_from_its_limit(self, farm: Settings, plain: dict[str, Any]) -> None:
        block = plain["blocks"][0]
        sensors = block["stations"][0]["sensors"]
        sensors[0] = {**sensors[0], "companions": [{"quantity": "air", "channel": "air", "raw_unit": "degC"}]}
        store(blocks=[block], air_limits=[{"key": "a", "valid_from": "2026-07-01", "frost_c": 2.0}])
        job, _ = ImportJob.get_or_create(file_name="t", sha256="", status="done", started_at=0)
        air = next(s.id for s in Sensor.select() if s.quantity == "air")
        readings_store.insert_new([(air, CLOCK - 3600 * h, 1.5 if h == 2 else 6.0, job.id) for h in range(12)])
        assert round_content().air == ["Frost at One, a: 1.5 °C, your limit is 2 °C"] or round_content().air
        assert any(c.quantity == "air" and c.latest == 6.0 for c in station_sheet("one/a").companions)
        store(air_limits=[{"key": "b", "valid_from": T0, "frost_c": 1.0}])
        assert round_content().air == []


def deficit_season(plain: dict[str, Any], stressed: float, share: float, plan: float | None = 1.3) -> BlockAdvice:
    """Four weeks of an orchard with three trunk gauges, six dry days at the end on which they shrink so much more."""
    block = plain["blocks"][0] | {"crop": "almond", "planting_date": "2026-02-20"}
    trunk = [{"quantity": "trunk", "channel": f"trunk-{d}", "raw_unit": "um"} for d in (10, 30, 50)]
    sensors = [{**s, "companions": [one]} for s, one in zip(block["stations"][0]["sensors"], trunk, strict=True)]
    station = {**block["stations"][0], "sensors": sensors}
    rule = {"key": "plan", "valid_from": "2026-07-01", "block": "one", "shrinkage_most": plan}
    eto = [{"day": f"2026-07-{d:02d}", "eto_mm": 6.0} for d in range(1, 14)]
    eto += [{"day": f"2026-06-{d:02d}", "eto_mm": 6.0} for d in range(15, 31)]
    store(blocks=[{**block, "stations": [station]}], block_rules=[] if plan is None else [rule], eto=eto)
    job, _ = ImportJob.get_or_create(file_name="t", sha256="", status="done", started_at=0)
    full, wilting = 0.29, 0.14
    now = full - share * 0.4 * (full - wilting)
    rows, start = [], CLOCK - 28 * DAY
    for sensor in Sensor.select():
        for h in range(28 * 24 + 1):
            day = h // 24
            used = max(0.0, (day - 16) / 12)
            if sensor.quantity == "water":
                value = full + 0.02 * (1 - used) - (full - now + 0.02) * used + 1e-6 * (h % 5)
            else:
                swing = 200.0 * (stressed if day >= 22 else 1.0)
                value = 40_000 + 1.0 * h - swing * max(0.0, float(np.sin(np.pi * ((h % 24) - 3) / 14)))
            rows.append((sensor.id, start + 3600 * h, value, job.id))
    readings_store.insert_new(rows)
    faults.recheck([s.id for s in Sensor.select()])
    return advice()


class TestTrees:
    """A deficit season in which the trunk gauges move a set."""

    def test_trees_stressed_beyond_the_plan_bring_the_set_forward(self, farm: Settings, plain: dict[str, Any]) -> None:
        found = deficit_season(plain, stressed=2.0, share=0.5)
        assert found.group == "act" and "Brought forward for the trees" in found.reason
        growth = growth_content("one")
        assert growth.trees == 3 and growth.verdict == "stressed" and growth.signal is not None
        assert growth.signal.intensity == pytest.approx(2.0, rel=0.15)
        store(block_rules=[{"key": "none", "valid_from": T0, "block": "one"}])
        assert advice().group != "act"

    def test_trees_on_plan_move_nothing_and_say_so(self, farm: Settings, plain: dict[str, Any]) -> None:
        found = deficit_season(plain, stressed=1.3, share=0.5)
        assert found.group != "act" and any(n.code == "trees.on_plan" for n in found.notices)


def test_tension_of_the_demonstration_tells_wet_hours_bands_and_means(demo: Settings) -> None:
    found = tension_content("vega")
    assert found.means is not None and found.means.uppers >= 1 and len(found.means.times) >= 20
    assert found.wet and all(w.share is None or 0 <= w.share <= 1 for w in found.wet)
    assert not tension_content("ladera").wet


def test_a_rate_too_fast_for_its_soil_is_told_with_one_that_fits(demo: Settings) -> None:
    found = field_practice.redesign_content("ladera")
    assert found.fits == (found.rate_mm_h <= found.takes_mm_h)
    basin = field_practice.basin_content(500.0, 5000.0, 0.8, 0.0, 20.0)
    assert basin.caught_m3 > 0 and basin.days > 60
    assert basin.caught_m3 == pytest.approx(basin.drawn_m3 + basin.spilled_m3 + basin.stored_m3)
