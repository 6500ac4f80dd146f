"""The demonstration's block of nodes against the truth it was made with, and refusals where a map would be invention."""

import csv
import io
import json

import numpy as np
import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.document.export import farm_document as exported
from embalse.services.spatial.block_map import map_content
from embalse.services.spatial.open_formats import cell_middles, cell_values, cells_csv, map_geojson
from embalse.standins.demo_stories import CLOGGED, NODES_ACROSS, NODES_DOWN, SEEP, node_water
from tests.conftest import put
from tests.web import pages_of

COUNT = NODES_ACROSS * NODES_DOWN


def test_the_map_tells_what_the_field_was_made_with(demo: Settings) -> None:
    told = map_content("loma")
    assert told.ground is not None and told.why_not == "" and len(told.nodes) == COUNT
    assert told.ground.error < 0.8 * told.ground.mean_error and told.ground.error < told.ground.nearest_error
    assert f"n{CLOGGED + 1:02d}" not in told.ground.of, "a clogged line is not the ground's"
    values = cell_values(told, told.ground)
    east = cell_middles(told.ground)[:, 0]
    smooth = [node_water(n) for n in range(COUNT) if n not in (CLOGGED, SEEP)]
    at_nodes = [n.value for k, n in enumerate(told.nodes) if k not in (CLOGGED, SEEP)]
    assert np.corrcoef(smooth, at_nodes)[0, 1] < -0.9, "more water, less depletion"
    assert np.corrcoef(east, np.nan_to_num(values, nan=float(np.nanmean(values))))[0, 1] > 0.6
    assert all(abs(sum(row) - 1) < 0.02 for row in told.ground.weights)


def test_the_clogged_line_and_the_seep_are_named(demo: Settings) -> None:
    told = map_content("loma")
    lasting = {n.ref: n.lasting for n in told.nodes}
    assert lasting[f"n{CLOGGED + 1:02d}"] == "dry" and lasting[f"n{SEEP + 1:02d}"] == "wet"
    assert told.stands[0].startswith(f"node {CLOGGED + 1} always lies") and "clogged line" in told.stands[0]
    assert "stands best for the block's mean" in told.stands[-2]
    assert told.next_node is not None and "ring" in told.next_node.words


def test_a_season_of_dawns_for_the_slider(demo: Settings) -> None:
    told = map_content("loma")
    assert len(told.days) > 40 and all(len(d.values) == COUNT for d in told.days)
    last = [v for v in told.days[-1].values if v is not None]
    assert np.mean(last) == pytest.approx(told.mean or 0.0, abs=0.5)
    shares = map_content("loma", what="available").days[-1].values
    drier = np.argmax(told.days[-1].values)
    assert int(drier) == int(np.argmin(np.array(shares, dtype=float))) == CLOGGED


def test_a_past_map_stays(demo: Settings) -> None:
    before = map_content("loma", "2026-07-06T06:00").model_dump()
    put({"embalse": 1, "sets": [{"block": "loma", "start": "2026-07-05T08:00", "hours": 3, "gross_mm": 9}]})
    part = next(b for b in exported()["blocks"] if b["key"] == "loma")
    part["stations"] = [{**s, "longitude": -15.1} if s["key"] == "n01" else s for s in part["stations"]]
    put({"embalse": 1, "blocks": [part]})
    assert map_content("loma", "2026-07-06T06:00").model_dump() == before
    assert map_content("loma").nodes[0].longitude == -15.1


@pytest.mark.parametrize(
    ("block", "why"),
    [("norte-1", "only 2 nodes told the same thing; a map needs 5"), ("mesa", "only"), ("tunel", "0 nodes")],
)
def test_few_nodes_are_told_that_a_map_would_be_invention(demo: Settings, block: str, why: str) -> None:
    told = map_content(block)
    assert told.ground is None and why in told.why_not and "invention" in told.why_not
    assert told.next_node is None and told.headline == ""


def test_quantities_that_no_node_tells_are_no_map(demo: Settings) -> None:
    for what in ("temperature", "salinity", "index"):
        told = map_content("loma", what=what)  # type: ignore[arg-type]
        assert told.ground is None and "only 0 nodes" in told.why_not and told.days == []


def test_open_formats_say_the_same(demo: Settings) -> None:
    told = map_content("loma")
    assert told.ground is not None
    drawn = json.loads(map_geojson(told))
    kinds = [f["properties"]["kind"] for f in drawn["features"]]
    blank = sum(told.ground.blank)
    assert kinds.count("node") == COUNT and kinds.count("cell") == len(told.ground.inside) - blank
    assert kinds.count("contour") >= 3
    rows = list(csv.DictReader(io.StringIO(cells_csv(told))))
    assert len(rows) == kinds.count("cell")
    cell = next(f for f in drawn["features"] if f["properties"]["kind"] == "cell")
    assert float(rows[0]["value"]) == cell["properties"]["value"]
    ring = np.array(cell["geometry"]["coordinates"][0])
    assert ring[0].tolist() == ring[-1].tolist()
    assert float(rows[0]["longitude"]) == pytest.approx(ring[:4, 0].mean(), abs=1e-5)
    refused = json.loads(map_geojson(map_content("norte-1")))
    assert {f["properties"]["kind"] for f in refused["features"]} == {"node"} and refused["properties"]["why_not"]


def test_the_command_line_draws_or_fails_with_a_sentence(demo: Settings) -> None:
    runner = CliRunner(env={"EMBALSE_DATA": demo.data})
    done = runner.invoke(main, ["map", "loma", "--geojson"])
    assert done.exit_code == 0 and json.loads(done.output)["type"] == "FeatureCollection"
    assert "Told by its neighbours" in runner.invoke(main, ["map", "loma"]).output
    assert runner.invoke(main, ["map", "loma", "--csv"]).output.startswith("x [m],y [m]")
    refused = runner.invoke(main, ["map", "norte-1", "--geojson"])
    assert refused.exit_code == 1 and "invention" in refused.output
    assert runner.invoke(main, ["map", "nowhere"]).exit_code != 0


def test_the_page_asks_for_it(demo: Settings) -> None:
    from embalse.app import create_app

    pages = pages_of(create_app(demo))
    assert pages.get("/api/blocks/loma/map?what=available").json["what"] == "available"
    assert pages.get("/api/blocks/loma/map.geojson").mimetype == "application/geo+json"
    assert pages.get("/api/blocks/loma/map.csv").status_code == 200
    assert pages.get("/api/blocks/loma/map?what=gold").status_code == 422
