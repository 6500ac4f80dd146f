"""Zones drawn and kept: on the Round, in the plan, as a prescription; soil zones under the map; the farm from above."""

import json
from typing import Any

import numpy as np
import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services import times
from embalse.services.advice.advise import round_content
from embalse.services.document.export import farm_document as exported
from embalse.services.load import clock
from embalse.services.load.schemas import BlockAdvice
from embalse.services.planning.plan import plan_content
from embalse.services.schema.refused import DocumentErrors
from embalse.services.spatial.block_map import map_content
from embalse.services.spatial.block_zones import zones_content, zones_csv, zones_geojson
from embalse.services.spatial.drawn import keep_areas
from embalse.services.spatial.farm_map import farm_map_content
from embalse.services.spatial.nodes import nodes_content
from embalse.services.spatial.refurbishing import RefurbishIn, refurbish
from embalse.standins.demo_histories import degrees
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.errors import NotFound
from embalse.store.models import ImportJob
from tests.conftest import put

BEFORE = "2026-06-28T06:00"


def loma(moment: str | None = None) -> BlockAdvice:
    return round_content(moment, ["loma"], with_working=False).blocks[0]


def ring(west: float, south: float, east: float, north: float) -> list[list[float]]:
    corners = [(west, south), (east, south), (east, north), (west, north)]
    return [degrees(c) for c in (*corners, corners[0])]


def features(*zones: tuple[Any, dict[str, Any]]) -> str:
    return json.dumps({"type": "FeatureCollection", "features": [
        {"type": "Feature", "properties": told,
         "geometry": None if where is None else {"type": "Polygon", "coordinates": [ring(*where)]}}
        for where, told in zones
    ]})  # fmt: skip


POINT = '{"features": [{"geometry": {"type": "Point", "coordinates": [1, 2]}, "properties": {}}]}'
EAST = (730, 1060, 860, 1300)
HALVES = features((EAST, {"name": "shoulder", "shift": "shoulder"}), (None, {"name": "rest"}))


class TestOnTheRound:
    def test_each_zone_has_its_depletion_and_date(self, demo: Settings) -> None:
        block = loma()
        dry, wet = block.zones
        assert (dry.name, dry.shift, wet.name) == ("shoulder", "shoulder", "lower slope")
        assert dry.stations + wet.stations == block.stations_used and dry.area_ha + wet.area_ha == pytest.approx(7.2)
        assert dry.depletion_mm is not None and wet.depletion_mm is not None and block.depletion_mm is not None
        assert dry.depletion_mm > block.depletion_mm > wet.depletion_mm
        assert dry.gross_mm is not None and wet.gross_mm is not None and block.advised is not None
        assert dry.gross_mm > block.advised.gross_mm > wet.gross_mm
        assert dry.due_at is not None and wet.due_at is not None and dry.due_at < wet.due_at
        assert dry.set_time_min is not None and dry.set_time_min > (wet.set_time_min or 0)

    def test_what_was_not_drawn_yet_is_not_known_then(self, demo: Settings) -> None:
        assert loma(BEFORE).zones == []
        before = loma("2026-07-10T06:00").model_dump()
        strip = features(((560, 1060, 600, 1300), {"name": "strip"}), (None, {"name": "rest"}))
        keep_areas("loma", strip, "block_zones")
        assert loma("2026-07-10T06:00").model_dump() == before
        assert [z.name for z in loma().zones] == ["strip", "rest"]
        keep_areas("loma", features(), "block_zones")
        assert loma().zones == [], "none: one amount for all"

    def test_a_station_of_another_zone_steers_only_where_that_was_accepted(self, demo: Settings) -> None:
        corner = (850, 1060, 860, 1300)
        zones = [(corner, {"name": "corner", "station": "n01"}), (None, {"name": "rest"})]
        with pytest.raises(DocumentErrors) as refused:
            keep_areas("loma", features(*zones), "block_zones")
        assert refused.value.errors[0].path == "feature 1, accepted"
        keep_areas("loma", features((corner, {"name": "corner"}), zones[1]), "block_zones")
        assert loma().zones[0].why_not == "no station stands in it" and loma().zones[0].gross_mm is None
        accepted = {"name": "corner", "station": "n01", "accepted": "same soil, dug on both sides"}
        keep_areas("loma", features((corner, accepted), zones[1]), "block_zones")
        told = loma().zones[0]
        assert told.why_not == "" and told.stations == 1 and "same soil, dug on both sides" in told.by
        assert "stands in another zone" in told.by

    @pytest.mark.parametrize(
        ("zone", "path", "why"),
        [
            ((EAST, {"name": "a", "shift": "no such"}), "feature 1, shift", "no part 'no such'"),
            ((EAST, {"name": "a", "station": "zz", "accepted": "x"}), "feature 1, station", "no station 'zz'"),
            ((EAST, {"name": "a", "station": "n06", "accepted": "x"}), "feature 1, station", "stands in this zone"),
            (((900, 1060, 990, 1300), {"name": "a"}), "feature 1, outline", "lies outside the block"),
            ((None, {"name": "a"}), "file", "only one zone can be the rest"),
        ],
    )
    def test_what_is_wrong_is_told_by_its_feature(self, demo: Settings, zone: Any, path: str, why: str) -> None:
        before = loma().zones
        with pytest.raises(DocumentErrors) as refused:
            keep_areas("loma", features(zone, (None, {"name": "rest"})), "block_zones")
        error = refused.value.errors[0]
        assert error.path == path and why in error.reason
        assert loma().zones == before

    @pytest.mark.parametrize("text", ["{}", '{"features": [1]}', "nonsense", POINT])
    def test_what_is_no_geojson_of_polygons(self, demo: Settings, text: str) -> None:
        with pytest.raises(DocumentErrors, match=r"GeoJSON|polygon|corners"):
            keep_areas("loma", text, "block_zones")

    def test_no_such_block_and_one_without_an_outline(self, demo: Settings, farm: Settings) -> None:
        with pytest.raises(NotFound):
            keep_areas("nowhere", HALVES, "block_zones")
        with pytest.raises(DocumentErrors, match="no outline"):
            keep_areas("one", features((EAST, {"name": "a"}), (None, {"name": "b"})), "block_zones")

    def test_a_block_that_is_postponed_holds_its_zones_back(self, demo: Settings) -> None:
        put({"embalse": 1, "orders": [{"key": "o", "valid_from": "2026-07-14", "block": "loma", "action": "hold",
                                       "until": "2026-07-20", "note": "the line is being mended"}]})  # fmt: skip
        for zone in loma().zones:
            assert zone.why_not == "waits as the block does" and zone.depletion_mm is not None
            assert (zone.gross_mm, zone.due_at, zone.past) == (None, None, False)
        assert not [s for s in plan_content(days=10).sets if s.block == "loma"]


class TestInThePlan:
    def test_a_part_with_a_zone_of_its_own_gets_that_zones_water(self, demo: Settings) -> None:
        zones = {z.shift: z for z in loma().zones}
        made = [s for s in plan_content(days=10).sets if s.block == "loma"]
        assert made, "the block or a zone of it is due within ten days"
        first = {s.shift: s for s in reversed(made) if "+" not in s.key}
        for name, one in first.items():
            zone = zones[name]
            assert zone.gross_mm is not None and zone.set_time_min is not None
            assert one.gross_mm == pytest.approx(zone.gross_mm, rel=1e-6)
            assert one.volume_m3 == pytest.approx(zone.gross_mm * 10 * (3.1 if name == "shoulder" else 4.1), rel=0.02)
        assert "shoulder" in first, "the drier zone is due first"

    def test_without_zones_the_parts_are_alike(self, demo: Settings) -> None:
        keep_areas("loma", features(), "block_zones")
        made = [s for s in plan_content(days=10).sets if s.block == "loma" and "+" not in s.key]
        assert len({s.shift for s in made}) in (0, 2) and len({round(s.gross_mm, 6) for s in made}) <= 1


class TestAsPrescription:
    def test_the_drawn_zones_with_what_fills_them(self, demo: Settings) -> None:
        told = zones_content("loma")
        assert told.kept and told.why_not == "" and [z.name for z in told.zones] == ["shoulder", "lower slope"]
        assert told.shifts == ["lower lines", "shoulder"]
        dry = told.zones[0]
        assert dry.lacks_mm is not None and dry.gross_mm == pytest.approx(max(0, dry.lacks_mm) / 0.9)
        assert dry.difference_mm is not None and dry.difference_mm < 0
        assert len(told.cells) == len((map_content("loma").ground or pytest.fail("no map")).inside)
        drawn = json.loads(zones_geojson("loma"))["features"]
        assert drawn[0]["properties"]["shift"] == "shoulder"
        assert drawn[0]["geometry"]["coordinates"][0][0][0] == pytest.approx(ring(*EAST)[0])
        outer, hole = drawn[1]["geometry"]["coordinates"][0]
        assert len(outer) == 5 and hole[0] == hole[-1], "the rest is the block with the others left out"
        assert "shoulder" in zones_csv("loma").splitlines()[1]

    def test_the_command_line_keeps_and_tells(self, demo: Settings, tmp_path: Any) -> None:
        file = tmp_path / "zones.geojson"
        file.write_text(features(((560, 1060, 700, 1300), {"name": "west"}), (None, {"name": "rest"})))
        runner = CliRunner(env={"EMBALSE_DATA": demo.data})
        done = runner.invoke(main, ["zones", "loma", "--keep", str(file)])
        assert done.exit_code == 0 and "2 zones kept" in done.output and "west, 3.4 ha: lacks" in done.output

    def test_derived_zones_can_be_kept_as_they_come(self, demo: Settings) -> None:
        derived = zones_content("loma", BEFORE)
        text = zones_geojson("loma", BEFORE)
        assert keep_areas("loma", text, "block_zones").zones == len(derived.zones)
        kept = zones_content("loma")
        assert [z.share for z in kept.zones] == pytest.approx([z.share for z in derived.zones], abs=0.02)


class TestSoils:
    def test_soil_zones_lie_under_the_map(self, demo: Settings) -> None:
        keep_areas("loma", features((EAST, {"soil": "ladera"}), (None, {"soil": "bajo"})), "soil_zones")
        told = map_content("loma")
        assert [len(s.rings) for s in told.soils] == [1, 0] and told.soil_words
        assert told.ground is not None and all(abs(sum(w) - 1) < 0.02 for w, b in
                                               zip(told.ground.weights, told.ground.blank, strict=True) if not b)  # fmt: skip
        assert map_content("loma", BEFORE).soils == []

    def test_a_soil_nobody_described_is_refused(self, demo: Settings) -> None:
        with pytest.raises(DocumentErrors) as refused:
            keep_areas("loma", features((EAST, {"soil": "moon"}), (None, {"soil": "bajo"})), "soil_zones")
        assert refused.value.errors[0].path == "feature 1, soil" and "no soil 'moon'" in refused.value.errors[0].reason


class TestTheFarm:
    def test_every_block_lies_where_it_is(self, demo: Settings) -> None:
        told = farm_map_content()
        by_key = {b.key: b for b in told.blocks}
        assert set(by_key) == {r["key"] for r in exported()["blocks"]} and told.nowhere == []
        assert by_key["loma"].cells is not None and by_key["norte-1"].cells is None
        assert "invention" in by_key["norte-1"].why_not and by_key["norte-1"].nodes == 2
        west = min(c.x_m for c in by_key["loma"].outline)
        assert by_key["loma"].cells.west_m == pytest.approx(west, abs=8)
        assert max(b.cells.columns for b in told.blocks if b.cells) <= 25
        whole = map_content("loma", what="available")
        assert by_key["loma"].value == pytest.approx(whole.mean or 0.0, abs=0.001)
        east = max(c.x_m for c in by_key["circulo"].outline)
        assert east - west == pytest.approx(2541 - 560, rel=0.01)

    def test_a_past_farm_stays(self, demo: Settings) -> None:
        before = farm_map_content("2026-07-05T06:00", "depletion").model_dump()
        put({"embalse": 1, "sets": [{"block": "loma", "start": "2026-07-04T08:00", "hours": 3, "gross_mm": 9}]})
        assert farm_map_content("2026-07-05T06:00", "depletion").model_dump() == before


class TestCompanions:
    def test_temperature_and_salinity_are_mapped_where_nodes_tell_them(self, demo: Settings) -> None:
        part = next(b for b in exported()["blocks"] if b["key"] == "loma")
        for n, station in enumerate(part["stations"]):
            station["sensors"][0]["companions"] = [
                {"quantity": "temperature", "channel": f"t{n}", "raw_unit": "degC"},
                {"quantity": "salinity", "channel": f"e{n}", "raw_unit": "dS/m"},
            ]
        put({"embalse": 1, "blocks": [part]})
        rows = []
        now = clock.farm_now(clock.the_farm())
        job, _ = ImportJob.get_or_create(file_name="t", sha256="", status="done", started_at=0)
        for sensor in farm_store.sensors(companions=None):
            if sensor.quantity in ("temperature", "salinity") and sensor.ref.startswith("loma/"):
                n = int(sensor.channel[1:])
                warm, salt = 15 + 0.8 * (n % 6) + 0.1 * (n % 3), 1 + 0.3 * (n // 6) + 0.01 * n
                value = warm if sensor.quantity == "temperature" else salt
                rows.append((sensor.id, now - 3600, value, job.id))
        assert len(rows) == 48 and readings_store.insert_new(rows) == 48
        told = map_content("loma", what="temperature")
        assert told.unit == "°C" and told.ground is not None and told.days == []
        by_ref = {n.ref: n.value for n in told.nodes}
        assert by_ref["n01"] == 15.0 and by_ref["n06"] == pytest.approx(15 + 4 + 0.2)
        later = f"{times.local(now + 86_400, 'Europe/Madrid'):%Y-%m-%dT%H:%M}"
        assert map_content("loma", later, "temperature").mean is None, "a day old it says nothing of now"
        told = map_content("loma", what="salinity")
        assert told.unit == "dS/m" and told.ground is not None and "off by" in told.headline
        assert told.mean == pytest.approx(float(np.mean([1 + 0.3 * (n // 6) + 0.01 * n for n in range(24)])))


class TestRefurbishing:
    def test_many_nodes_are_begun_and_ticked_at_once(self, demo: Settings) -> None:
        told = refurbish("loma", RefurbishIn(nodes=["n01", "n02"], step="pull"))
        assert (told.begun, told.ticked) == (2, 2)
        lines = {n.station: n for n in nodes_content("loma").nodes}
        assert lines["loma/n01"].end_done == ["out"] and lines["loma/n01"].end_due == "cleaned"
        assert lines["loma/n03"].end_run is None and lines["loma/n03"].end_due is None
        again = refurbish("loma", RefurbishIn(nodes=["n01", "n03"], step="batteries"))
        assert (again.begun, again.ticked) == (1, 2)
        lines = {n.station: n for n in nodes_content("loma").nodes}
        assert lines["loma/n01"].end_done == ["out", "batteries"] and lines["loma/n03"].end_due == "out"
        assert nodes_content("loma", BEFORE).nodes[0].end_run is None

    def test_a_node_that_is_not_there_stops_all_of_it(self, demo: Settings) -> None:
        with pytest.raises(DocumentErrors, match="no node 'n99'"):
            refurbish("loma", RefurbishIn(nodes=["n01", "n99"], step="pull"))
        assert all(n.end_run is None for n in nodes_content("loma").nodes)
