"""Between the stations: the map of a block, as a page, as GeoJSON and as a table."""

from typing import Annotated

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import Field

from embalse.api.answers import FAULTS, answer, as_table, checked_moment
from embalse.api.schemas import AsOfQuery, BlockPath, In
from embalse.core.spatial.node_error import What
from embalse.services.spatial.block_map import MapContent, map_content
from embalse.services.spatial.block_zones import ZonesContent, zones_content, zones_csv, zones_geojson
from embalse.services.spatial.drawn import LARGEST as LARGEST_AREAS
from embalse.services.spatial.drawn import AreasKept, Kind, keep_areas
from embalse.services.spatial.farm_map import FarmMapContent, farm_map_content
from embalse.services.spatial.nodes import LARGEST, NodesAdded, NodesContent, add_nodes, nodes_content
from embalse.services.spatial.open_formats import cells_csv, map_geojson
from embalse.services.spatial.refurbishing import Refurbished, RefurbishIn, refurbish

spatial_api = APIBlueprint("spatial", __name__, url_prefix="/api")


class NodesIn(In):
    """Nodes as CSV or GeoJSON text."""

    text: Annotated[str, Field(min_length=1, max_length=LARGEST)]


class AreasIn(In):
    """Zones or soil zones as GeoJSON text."""

    kind: Kind = "block_zones"
    text: Annotated[str, Field(min_length=1, max_length=LARGEST_AREAS)]


class MapQuery(AsOfQuery):
    """A moment, and what is mapped."""

    what: What = "depletion"


class FarmMapQuery(AsOfQuery):
    """A moment, and what is mapped."""

    what: What = "available"


@spatial_api.get("/map", responses={"200": FarmMapContent, **FAULTS}, operation_id="farmMap")
def from_above(query: FarmMapQuery) -> Response:
    """The farm from above: every block with what its nodes tell, drawn between them where that is no invention."""
    return answer(farm_map_content(checked_moment(query.as_of), query.what))


@spatial_api.get("/blocks/<key>/map", responses={"200": MapContent, **FAULTS}, operation_id="blockMap")
def between(path: BlockPath, query: MapQuery) -> Response:
    """A block between its stations: its map with the doubt, or why there is none."""
    return answer(map_content(path.key, checked_moment(query.as_of), query.what))


@spatial_api.get("/blocks/<key>/map.geojson", responses={"200": None, **FAULTS}, operation_id="blockMapGeojson")
def drawn(path: BlockPath, query: MapQuery) -> Response:
    """Nodes, cells and contours as GeoJSON."""
    text = map_geojson(map_content(path.key, checked_moment(query.as_of), query.what))
    return Response(text, mimetype="application/geo+json")


@spatial_api.get("/blocks/<key>/map.csv", responses={"200": None, **FAULTS}, operation_id="blockMapCells")
def cells(path: BlockPath, query: MapQuery) -> Response:
    """Cells of the map as a table."""
    found = cells_csv(map_content(path.key, checked_moment(query.as_of), query.what))
    return as_table(found, f"map-{path.key}.csv")


@spatial_api.get("/blocks/<key>/zones", responses={"200": ZonesContent, **FAULTS}, operation_id="blockZones")
def parted(path: BlockPath, query: AsOfQuery) -> Response:
    """Zones of a block that lie apart for good, and what to give where; or why there is one amount for all."""
    return answer(zones_content(path.key, checked_moment(query.as_of)))


@spatial_api.get("/blocks/<key>/zones.geojson", responses={"200": None, **FAULTS}, operation_id="blockZonesGeojson")
def parted_drawn(path: BlockPath, query: AsOfQuery) -> Response:
    """Zones with their amounts as GeoJSON, which another system can read."""
    return Response(zones_geojson(path.key, checked_moment(query.as_of)), mimetype="application/geo+json")


@spatial_api.get("/blocks/<key>/zones.csv", responses={"200": None, **FAULTS}, operation_id="blockZonesTable")
def parted_table(path: BlockPath, query: AsOfQuery) -> Response:
    """Zones with their amounts as a table."""
    return as_table(zones_csv(path.key, checked_moment(query.as_of)), f"zones-{path.key}.csv")


@spatial_api.get("/blocks/<key>/nodes", responses={"200": NodesContent, **FAULTS}, operation_id="blockNodes")
def listed(path: BlockPath, query: AsOfQuery) -> Response:
    """Nodes of a block: when each was last heard, what it missed, its gateway's battery and signal."""
    return answer(nodes_content(path.key, checked_moment(query.as_of)))


@spatial_api.post("/blocks/<key>/nodes", responses={"200": NodesAdded, **FAULTS}, operation_id="addNodes")
def added(path: BlockPath, body: NodesIn) -> Response:
    """Add nodes to a block from a table or GeoJSON; all of it or nothing."""
    return answer(add_nodes(path.key, body.text))


@spatial_api.post("/blocks/<key>/zones", responses={"200": AreasKept, **FAULTS}, operation_id="keepZones")
def areas_kept(path: BlockPath, body: AreasIn) -> Response:
    """Keep zones or soil zones of a block from today on, from GeoJSON; all of it or nothing."""
    return answer(keep_areas(path.key, body.text, body.kind))


@spatial_api.post("/blocks/<key>/nodes/season-end", responses={"200": Refurbished, **FAULTS}, operation_id="refurbish")
def refurbished(path: BlockPath, body: RefurbishIn) -> Response:
    """Begin taking nodes out at the season's end, or enter one step for many of them."""
    return answer(refurbish(path.key, body))
