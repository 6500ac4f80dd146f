"""Zones of the demonstration's block of nodes: what each gets adds up, and is read by others."""

import csv
import io
import json

import numpy as np
import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.document.export import farm_document as exported
from embalse.services.spatial.block_zones import zones_content, zones_csv, zones_geojson
from tests.conftest import put

MOMENT = "2026-06-28T06:00"  # before its zones were drawn


def test_zones_lie_apart_and_their_water_adds_up(demo: Settings) -> None:
    told = zones_content("loma", MOMENT)
    assert told.why_not == "" and 2 <= len(told.zones) <= 4
    assert sum(z.share for z in told.zones) == pytest.approx(1) and all(z.share >= 0.1 for z in told.zones)
    assert sum(z.area_ha for z in told.zones) == pytest.approx(7.2)
    assert told.uniform_mm == max(z.gross_mm for z in told.zones)
    assert told.by_zone_mm == pytest.approx(sum(z.share * z.gross_mm for z in told.zones))
    assert told.saved_mm is not None and told.saved_mm > 0 and "less over the block" in told.words
    lasting = [z.difference_mm for z in told.zones]
    assert max(lasting) - min(lasting) > 4
    drier = min(told.zones, key=lambda z: z.difference_mm)
    assert drier.lacks_mm == max(z.lacks_mm for z in told.zones)


def test_few_nodes_have_one_amount_for_all(demo: Settings) -> None:
    told = zones_content("norte-1")
    assert told.zones == [] and "invention" in told.why_not and told.saved_mm is None
    assert json.loads(zones_geojson("norte-1"))["features"] == []


def test_other_systems_can_read_them(demo: Settings) -> None:
    told = zones_content("loma", MOMENT)
    drawn = json.loads(zones_geojson("loma", MOMENT))
    assert [f["properties"]["number"] for f in drawn["features"]] == [z.number for z in told.zones]
    for feature in drawn["features"]:
        for polygon in feature["geometry"]["coordinates"]:
            ring = np.array(polygon[0])
            assert np.allclose(ring[0], ring[-1]) and len(ring) > 4
    rows = list(csv.DictReader(io.StringIO(zones_csv("loma", MOMENT))))
    assert [float(r["fills it, gross [mm]"]) for r in rows] == [round(z.gross_mm, 1) for z in told.zones]


def test_a_pivot_is_told_its_speed_by_sector(demo: Settings) -> None:
    document = exported()
    pivot = next(s for s in document["systems"] if s["kind"] == "pivot")
    block = next(b for b in document["blocks"] if b["key"] == "loma")
    put({"embalse": 1, "blocks": [{**block, "stations": [], "system": pivot["key"]}]})
    sectors = zones_content("loma", "2026-07-14T06:00").sectors
    assert len(sectors) == 12 and sectors[0].from_deg == 0 and sectors[-1].to_deg == 360
    wetted = [s for s in sectors if s.gross_mm]
    assert wetted and all(s.speed is not None and 0 < s.speed <= 1 for s in wetted)
    assert all(s.speed is None for s in sectors if not s.gross_mm)


def test_the_command_line_gives_the_prescription(demo: Settings) -> None:
    runner = CliRunner(env={"EMBALSE_DATA": demo.data})
    drawn = runner.invoke(main, ["zones", "loma", "--at", MOMENT, "--geojson"])
    assert drawn.exit_code == 0 and len(json.loads(drawn.output)["features"]) >= 2
    assert "zone 1" in runner.invoke(main, ["zones", "loma", "--at", MOMENT]).output
    refused = runner.invoke(main, ["zones", "norte-1"])
    assert refused.exit_code == 1 and "invention" in refused.output
