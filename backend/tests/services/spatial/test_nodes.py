"""Nodes added from a table or GeoJSON, with every bad row named, and how they are heard."""

import json
from pathlib import Path

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.document.export import farm_document as exported
from embalse.services.schema.refused import DocumentErrors
from embalse.services.spatial.nodes import add_nodes, nodes_content
from embalse.store.errors import NotFound

TABLE = """node,longitude,latitude,depths_cm,device,installed
North east,-15.201,38.401,10;30,nd-7,2026-07-01
Low corner,-15.203,38.399,20,,
"""


def stations() -> dict[str, dict[str, object]]:
    [block] = [b for b in exported()["blocks"] if b["key"] == "one"]
    return {s["key"]: s for s in block["stations"]}


def test_a_table_becomes_stations_with_places_depths_and_devices(farm: Settings) -> None:
    told = add_nodes("one", TABLE)
    assert (told.nodes, told.created, told.changed) == (2, 2, 0)
    found = stations()
    assert set(found) == {"a", "north-east", "low-corner"}, "the station that was there stays"
    north = found["north-east"]
    assert (north["name"], north["longitude"], north["installed"]) == (
        "North east",
        -15.201,
        "2026-07-01T12:00:00+02:00",
    )
    assert [(s["depth_cm"], s["channel"]) for s in north["sensors"]] == [(10, "nd-7 10"), (30, "nd-7 30")]  # type: ignore[attr-defined]
    again = add_nodes("one", TABLE)
    assert (again.created, again.changed, again.unchanged) == (0, 0, 2)
    moved = add_nodes("one", TABLE.replace("-15.203", "-15.204"))
    assert moved.changed == 1 and stations()["low-corner"]["longitude"] == -15.204


@pytest.mark.parametrize("apart", [";", "\t"])
def test_tables_are_read_however_they_are_apart(farm: Settings, apart: str) -> None:
    text = "\ufeff" + TABLE.replace(";", " ").replace(",", apart).replace("10 30", "10 30")
    assert add_nodes("one", text).created == 2 and "north-east" in stations()


def test_geojson_points_are_read_too(farm: Settings) -> None:
    def point(name: str, *place: float, **more: object) -> dict[str, object]:
        return {"type": "Feature", "geometry": {"type": "Point", "coordinates": place},
                "properties": {"node": name, **more}}  # fmt: skip

    text = json.dumps({"type": "FeatureCollection", "features": [
        point("p1", -15.2, 38.4, depths_cm=[10, 30]), point("p2", -15.21, 38.41, depths_cm="25")]})  # fmt: skip
    assert add_nodes("one", text).created == 2
    assert [s["depth_cm"] for s in stations()["p1"]["sensors"]] == [10, 30]  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (TABLE.replace("38.401", "north"), "line 2, latitude: 'north' is no number"),
        (TABLE.replace("-15.203", "-215"), "line 3, longitude"),
        (TABLE.replace("10;30", ""), "line 2, depths_cm: give one depth"),
        (TABLE.replace("Low corner", "north EAST"), "line 3, node: 'north EAST' is given twice"),
        (TABLE.replace("North east", "  "), "line 2, node: a node needs a name"),
        (TABLE.replace("10;30", "10;10"), "line 2"),
        ("node,longitude,latitude,depths_cm\n", "there is no node"),
        ('{"type": "FeatureCollection"}', "no GeoJSON FeatureCollection"),
        ('{"features": [{"geometry": {"type": "Polygon", "coordinates": [[1, 2]]}, "properties": {}}]}', "no point"),
        ("{not json", "no GeoJSON"),
        ("a" * 2_000_001, "2 million"),
    ],
)
def test_what_is_wrong_is_named_by_its_row_and_nothing_is_stored(farm: Settings, text: str, said: str) -> None:
    with pytest.raises(DocumentErrors) as refused:
        add_nodes("one", text)
    assert any(said in f"{e.path}: {e.reason}" for e in refused.value.errors), refused.value.errors
    assert set(stations()) == {"a"}


def test_all_that_is_wrong_is_told_at_once(farm: Settings) -> None:
    with pytest.raises(DocumentErrors) as refused:
        add_nodes("one", TABLE.replace("38.401", "x").replace("38.399", "y"))
    assert [e.path for e in refused.value.errors] == ["line 2, latitude", "line 3, latitude"]
    with pytest.raises(NotFound):
        add_nodes("nowhere", TABLE)


def test_how_each_is_heard_the_longest_silent_first(demo: Settings) -> None:
    told = nodes_content("loma").nodes
    assert len(told) == 24 and [n.last_heard for n in told] == sorted(n.last_heard or "" for n in told)
    assert all(not n.missed for n in told)
    silent = nodes_content("olivar", "2026-06-06T06:00").nodes
    assert max(n.missed or 0 for n in silent) > 48, "the gap of early June"


def test_the_command_line_adds_and_lists(farm: Settings, tmp_path: Path) -> None:
    (tmp_path / "nodes.csv").write_text(TABLE)
    runner = CliRunner(env={"EMBALSE_DATA": farm.data})
    done = runner.invoke(main, ["nodes", "one", str(tmp_path / "nodes.csv")])
    assert "2 nodes: 2 new" in done.output and "Low corner: last heard never" in done.output
    assert len(json.loads(runner.invoke(main, ["nodes", "one", "--json"]).output)["nodes"]) == 3
    (tmp_path / "bad.csv").write_text(TABLE.replace("38.401", "x"))
    refused = runner.invoke(main, ["nodes", "one", str(tmp_path / "bad.csv")])
    assert refused.exit_code != 0 and "line 2, latitude" in refused.output
