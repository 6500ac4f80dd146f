"""Soil analyses and blocks from other people's files: mapped once, remembered, all of it or nothing."""

import json
from typing import Any

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.document.export import farm_document as exported
from embalse.services.intake.ground_tables import GroundTableIn, GroundTableOut, ground_table
from embalse.services.schema.refused import DocumentErrors
from tests.web import client_of

LAB = """Sample ID;From (cm);To (cm);Sand %;Clay %;OM %;BD
Low field;30;90;38,5;27;0,9;1,45
Low field;0;30;40;25;2,1;
Ridge;0;60;61%;14%;;
"""
SQUARE = [[-15.2, 38.4], [-15.197, 38.4], [-15.197, 38.402], [-15.2, 38.402], [-15.2, 38.4]]


def soils(text: str = LAB, store: bool = True, **mapping: str) -> GroundTableOut:
    return ground_table(GroundTableIn(kind="soils", text=text, mapping=mapping or None, store=store))


def collection(*told: dict[str, Any], ring: Any = SQUARE, kind: str = "Polygon") -> str:
    shape = {"type": kind, "coordinates": [ring] if kind == "Polygon" else [[ring]]}
    features = [{"type": "Feature", "properties": t, "geometry": shape} for t in told]
    return json.dumps({"type": "FeatureCollection", "features": features})


def blocks(text: str, store: bool = True, **mapping: str) -> GroundTableOut:
    return ground_table(GroundTableIn(kind="blocks", text=text, mapping=mapping or None, store=store))


def errors_of(call: Any) -> list[tuple[str, str]]:
    with pytest.raises(DocumentErrors) as refused:
        call()
    return [(e.path, e.reason) for e in refused.value.errors]


class TestSoils:
    def test_a_laboratorys_table_becomes_soils_with_horizons(self, farm: Settings) -> None:
        looked = soils(store=False)
        assert looked.mapping == {
            "soil": "Sample ID", "top_cm": "From (cm)", "bottom_cm": "To (cm)", "sand_fraction": "Sand %",
            "clay_fraction": "Clay %", "organic_matter_pct": "OM %", "bulk_density_g_cm3": "BD",
        }  # fmt: skip
        assert looked.keys == ["low-field", "ridge"] and not looked.stored and not looked.remembered
        assert "low-field" not in {s["key"] for s in exported()["soils"]}, "looking stores nothing"
        assert soils().created == 2
        low = next(s for s in exported()["soils"] if s["key"] == "low-field")
        assert [(h["top_cm"], h["sand_fraction"], h["bulk_density_g_cm3"]) for h in low["horizons"]] == [
            (0, 0.4, None), (30, 0.385, 1.45),
        ]  # fmt: skip
        assert low["horizons"][0]["organic_matter_pct"] == 2.1 and low["name"] == "Low field"

    def test_a_mapping_is_remembered_by_the_tables_head(self, farm: Settings) -> None:
        odd = LAB.replace("Sample ID", "Probe").replace("Sand %", "S").replace("Clay %", "C")
        assert "soil" not in soils(odd, store=False).mapping
        mapping = {"soil": "Probe", "top_cm": "From (cm)", "bottom_cm": "To (cm)", "sand_fraction": "S",
                   "clay_fraction": "C"}  # fmt: skip
        soils(odd, **mapping)
        again = soils(odd, store=False)
        assert again.remembered and again.mapping == mapping
        assert not soils(store=False).remembered, "another head"

    def test_everything_wrong_is_named_and_nothing_is_stored(self, farm: Settings) -> None:
        bad = LAB.replace("38,5", "wet").replace("Ridge;0", ";0")
        assert errors_of(lambda: soils(bad)) == [
            ("line 2, sand, %", "'wet' is no number"), ("line 4, soil", "is empty"), ("line 4, soil", "'' gives no name"),
        ]  # fmt: skip
        assert errors_of(lambda: soils(LAB.replace("From (cm)", "x"))) == [("mapping", "say which column is top, cm")]
        assert errors_of(lambda: soils(LAB, soil="nope"))[0][0] == "mapping"
        assert errors_of(lambda: soils("a,b\n"))[0] == ("file", "nothing is in it")
        gap = errors_of(lambda: soils(LAB.replace(";30;90", ";40;90")))
        assert gap and "soils[0]" in gap[0][0]
        assert "low-field" not in {s["key"] for s in exported()["soils"]}


class TestBlocks:
    def test_outlines_come_with_what_their_properties_say(self, farm: Settings) -> None:
        soil = exported()["soils"][0]["key"]
        told = blocks(collection({"Name": "Top corner", "Culture": "maize grain", "Soil type": soil, "Wetted": 60}))
        assert told.created == 1 and told.mapping["crop"] == "Culture"
        block = next(b for b in exported()["blocks"] if b["key"] == "top-corner")
        assert block["crop"] == "maize grain" and block["wetted_fraction"] == 0.6
        assert block["area_ha"] == pytest.approx(5.82, abs=0.05) and len(block["outline"]) == 5

    def test_a_block_that_is_here_gets_its_outline_and_keeps_the_rest(self, farm: Settings) -> None:
        before = next(b for b in exported()["blocks"] if b["key"] == "one")
        assert blocks(collection({"name": before["name"]}, kind="MultiPolygon")).changed == 1
        after = next(b for b in exported()["blocks"] if b["key"] == "one")
        assert after["outline"] is not None and after["crop"] == before["crop"]
        assert after["stations"] == before["stations"]

    def test_what_is_not_on_the_farm_is_named(self, farm: Settings) -> None:
        found = errors_of(lambda: blocks(collection({"name": "new", "soil": "moon"})))
        assert found[0][0] == "feature 1, soil" and "no soil 'moon'" in found[0][1]
        assert (
            "feature 1, crop",
            "is needed for a block that is not here yet: map it, or set the block up first",
        ) in found
        point = json.dumps({"features": [{"geometry": {"type": "Point", "coordinates": [1, 2]}, "properties": {}}]})
        assert errors_of(lambda: blocks(point)) == [("feature 1", "it is no polygon")]
        assert errors_of(lambda: blocks("nonsense"))[0][0] == "file"
        crossed = [[0, 0], [0.01, 0.01], [0.01, 0], [0, 0.01], [0, 0]]
        assert "crosses" in errors_of(lambda: blocks(collection({"name": "one"}, ring=crossed)))[0][1]


def test_the_command_line_and_the_page(farm: Settings, tmp_path: Any) -> None:
    file = tmp_path / "lab.csv"
    file.write_text(LAB)
    runner = CliRunner(env={"EMBALSE_DATA": farm.data})
    looked = runner.invoke(main, ["ground", "soils", str(file), "--look"])
    assert looked.exit_code == 0 and "2 soils: low-field, ridge" in looked.output
    assert "2 new, 0 changed" in runner.invoke(main, ["ground", "soils", str(file)]).output
    assert "0 new, 0 changed" in runner.invoke(main, ["ground", "soils", str(file), "--map", "soil=Sample ID",
        "--map", "top_cm=From (cm)", "--map", "bottom_cm=To (cm)", "--map", "sand_fraction=Sand %",
        "--map", "clay_fraction=Clay %", "--map", "organic_matter_pct=OM %", "--map", "bulk_density_g_cm3=BD"]).output  # fmt: skip
    told = client_of(farm).post("/api/ground", json={"kind": "soils", "text": LAB}).json
    assert told["remembered"] and told["columns"][3]["samples"] == ["38,5", "40", "61%"] and not told["stored"]


def test_a_viewer_looks_and_does_not_store(farm: Settings) -> None:
    pages = client_of(farm, "viewer")
    assert pages.post("/api/ground", json={"kind": "soils", "text": LAB}).status_code == 200
    assert pages.post("/api/ground", json={"kind": "soils", "text": LAB, "store": True}).status_code == 403
