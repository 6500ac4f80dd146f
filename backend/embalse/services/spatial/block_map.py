"""A block between its stations: the map of a quantity at a moment, its doubt, and the places that keep their rank."""

import json
import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from embalse.core.advice.block_analysis import StationAnalysis, dawn_storage_mm
from embalse.core.errors import CoreError
from embalse.core.root_zone.block import SensorReadings
from embalse.core.spatial.block_map import LONG_SIDE, Area, BlockMap, around, block_map, next_place
from embalse.core.spatial.kriging import FEWEST_IN_SOIL, Plane, nearest_left_out, plane_through
from embalse.core.spatial.node_error import LEAST, What, node_error
from embalse.core.spatial.rank_stability import Standing, best_for_mean, error_by_one, standings, worst_for_mean
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.field_series import Field as FieldSeries
from embalse.services.advice.field_series import field_at
from embalse.services.advice.index_mode import index_content
from embalse.services.load.kept_zones import areas_on, block_zones, soil_zones
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.services.readings.observations import moment_of, sensor_readings
from embalse.services.schema.zones import AreaPart
from embalse.store import devices as device_store
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.rows import StationRow

Floats = NDArray[np.float64]
LOOKED_BACK_DAYS: Final = 150
MOST_NAMED: Final = 6
FRESH_S: Final = 86400  # age from which on a temperature or a salinity is no longer drawn (ours)
UNITS: Final[dict[What, str]] = {
    "depletion": "mm", "available": "", "index": "", "temperature": "°C", "salinity": "dS/m",
}  # fmt: skip
ERROR_WORDS: Final = {
    "depletion": ("map.error", "error_mm", "mean_mm"),
    "available": ("map.error_share", "error_fraction", "mean_fraction"),
}  # fmt: skip


class NodeOut(Content):
    """A node: its place [m east and north of the map's middle], its value, and how it stands to the block over time."""

    ref: str
    name: str
    longitude: float
    latitude: float
    x_m: float
    y_m: float
    value: float | None
    error: float | None
    rank: int | None = Field(description="1 is the driest of the nodes that were read")
    difference_mm: float | None = Field(description="mean difference from the block's water, more is wetter")
    lasting: Literal["", "dry", "wet"]


class LagOut(Content):
    """A class of distances [m] with half the mean squared difference of its pairs."""

    distance_m: float
    semivariance: float
    pairs: int


class GroundOut(Content):
    """The map: square cells from the lower left corner, row by row to the north; those inside have weights and doubt.

    A cell's value is the sum of its weights times the nodes' values, in the order of ``of``. Blank cells are not drawn.
    """

    cell_m: float
    rows: int
    columns: int
    west_m: float
    south_m: float
    inside: list[int]
    of: list[str]
    weights: list[list[float]]
    doubt: list[float]
    blank: list[bool]
    error: float
    mean_error: float
    nearest_error: float
    sill: float
    range_m: float
    nugget: float
    chance: float
    lags: list[LagOut]


class MapDayOut(Content):
    """Values of the nodes at a dawn, in the order of the nodes; null where not read."""

    day: str
    values: list[float | None]


class NextNodeOut(Content):
    """Where a node more would teach most."""

    x_m: float
    y_m: float
    longitude: float
    latitude: float
    words: Words


class CornerOut(Content):
    """A corner of the block's outline [m]."""

    x_m: float
    y_m: float


class PlaneOut(Content):
    """The plane the metres lie on: its middle [°], and metres to a degree east and north."""

    longitude: float
    latitude: float
    east_m: float
    north_m: float


class AreaOut(Content):
    """A zone or a soil on the map: its name and its rings [m]; without rings it is the rest of the block."""

    name: str
    rings: list[list[CornerOut]]


class MapContent(Content):
    """A block between its stations at a farm-local moment."""

    key: str
    name: str
    as_of: str
    what: What
    unit: str
    mean: float | None
    headline: str
    why_not: Words
    nodes: list[NodeOut]
    outline: list[CornerOut]
    zones: list[AreaOut]
    soils: list[AreaOut]
    soil_words: str = Field(description="whether soil zones have means of their own, and why not")
    plane: PlaneOut
    ground: GroundOut | None
    days: list[MapDayOut]
    stands: list[str]
    why_no_stands: str
    next_node: NextNodeOut | None


@dataclass(frozen=True)
class Node:
    """A node as the map takes it; its place [m], value, and what it may differ from its neighbours by for itself."""

    station: StationRow
    analysis: StationAnalysis
    xy_m: tuple[float, float]
    value: float | None
    error: float | None


@dataclass(frozen=True)
class Between:
    """A block between its stations: nodes, those that told a value, the map or why there is none, and what lasts."""

    field: FieldSeries
    nodes: list[Node]
    told: list[Node]
    outline: Floats
    plane: Plane
    found: BlockMap | None
    why_not: str
    dawns: tuple[list[int], Floats]
    stood: list[Standing]
    why_no_stands: str
    doubt_mm: float

    @property
    def as_of(self) -> str:
        """The moment, farm-local."""
        return times.iso(self.field.now, self.field.zone) or ""


@dataclass(frozen=True)
class Mapped:
    """A block's nodes at a moment, and the map that is drawn from those that told a value, or why there is none."""

    field: FieldSeries
    nodes: list[Node]
    told: list[Node]
    outline: Floats
    plane: Plane
    soils: list[Area]
    found: BlockMap | None
    why_not: str


def mapped(key: str, moment: str | None, what: What, back_days: int, long_side: int = LONG_SIDE) -> Mapped:
    """A block's nodes at a farm-local moment and their map; raises as :func:`map_content` does."""
    field = field_at(key, moment, back_days)
    nodes, outline, plane, unplaced = _nodes(field, what, moment)
    told = [n for n in nodes if n.value is not None]
    drawn = soil_zones(key, field.rows, (field.now, field.zone))
    soils = areas_on(plane, drawn.zones) if drawn is not None else []
    found, why = _mapped(told, (outline, soils), unplaced, long_side)
    return Mapped(field, nodes, told, outline, plane, soils, found, why)


def between(key: str, moment: str | None, what: What) -> Between:
    """A block between its stations at a farm-local moment; raises as :func:`map_content` does."""
    here = mapped(key, moment, what, LOOKED_BACK_DAYS)
    field, nodes, told, outline, plane = here.field, here.nodes, here.told, here.outline, here.plane
    found, why, soils = here.found, here.why_not, here.soils
    dawns = _dawns(field, nodes)
    doubt = _doubt_mm(field, nodes, (outline, soils), found if what == "depletion" else None)
    stood, why_no_stands = _stands(dawns, doubt)
    return Between(field, nodes, told, outline, plane, found, why, dawns, stood, why_no_stands, doubt)


@as_known_then
def map_content(key: str, moment: str | None = None, what: What = "depletion") -> MapContent:
    """The map of a block at a farm-local moment; ``why_not`` says why there is none.

    Raises
    ------
    Conflict
        If no farm is set up.
    NotFound
        If there is no such block.
    ValueError
        If the moment cannot be read.
    """
    told = between(key, moment, what)
    found, plane = told.found, told.plane
    at = (told.field.now, told.field.zone)
    zones, soils = block_zones(key, told.field.rows, at), soil_zones(key, told.field.rows, at)
    return MapContent(
        key=key,
        name=told.field.row.name,
        as_of=told.as_of,
        what=what,
        unit=UNITS[what],
        mean=float(np.mean([n.value for n in told.told])) if told.told else None,
        headline=_headline(found, what),
        why_not=told.why_not,
        nodes=_nodes_out(told.nodes, told.stood),
        outline=_ring(told.outline),
        zones=_areas(plane, zones.zones, [z.name for z in zones.zones]) if zones else [],
        soils=_areas(plane, soils.zones, [_soil_name(z.soil) for z in soils.zones]) if soils else [],
        soil_words=_soil_words(told, soils is not None),
        plane=PlaneOut(
            longitude=plane.middle[0], latitude=plane.middle[1], east_m=plane.scale[0], north_m=plane.scale[1]
        ),
        ground=_ground(found, told.told) if found else None,
        days=_days(told.field, told.nodes, told.dawns, what),
        stands=_stand_words(told.nodes, told.stood, told.dawns),
        why_no_stands=told.why_no_stands,
        next_node=_next(found, told.nodes, plane) if found else None,
    )


def _ring(corners: Floats) -> list[CornerOut]:
    return [CornerOut(x_m=round(float(x), 2), y_m=round(float(y), 2)) for x, y in corners]


def _areas(plane: Plane, parts: Sequence[AreaPart], names: Sequence[str]) -> list[AreaOut]:
    return [
        AreaOut(name=name, rings=[_ring(r) for r in rings])
        for name, rings in zip(names, areas_on(plane, parts), strict=True)
    ]


def _soil_name(key: str) -> str:
    return next((name for _, k, name in farm_store.soils() if k == key), key)


def _soil_words(told: Between, drawn: bool) -> str:
    if not drawn or told.found is None:
        return ""
    code = "map.by_soil" if told.found.fitted.by_soil else "map.soils_alike"
    return say(Notice(code, wanted=FEWEST_IN_SOIL))


def _nodes(field: FieldSeries, what: What, moment: str | None) -> tuple[list[Node], Floats, Plane, int]:
    """Nodes with a place, the outline [m], the plane both lie on, and how many nodes have no place."""
    block = field.rows.blocks[0]
    rows = {f"{block.key}/{s.key}": s for s in field.rows.stations.get(block.id, [])}
    mine = [(rows[f"{block.key}/{a.station.key}"], a) for a in field.analysis.stations
            if f"{block.key}/{a.station.key}" in rows]  # fmt: skip
    placed = [(s, a) for s, a in mine if s.longitude is not None and s.latitude is not None]
    if not placed:
        return [], np.empty((0, 2)), plane_through([(0.0, 0.0)]), len(mine)
    corners = json.loads(farm_store.land(block.key)[block.key].outline) or []
    places = [(float(s.longitude or 0), float(s.latitude or 0)) for s, _ in placed] + [(c[0], c[1]) for c in corners]
    plane = plane_through(places)
    metres = plane.metres(places)
    values = _values(field, [a for _, a in placed], what, moment)
    xy = metres[: len(placed)]
    nodes = [
        Node(s, a, (float(p[0]), float(p[1])), *(values.get(a.station.key) or (None, None)))
        for (s, a), p in zip(placed, xy, strict=True)
    ]
    outline = metres[len(placed) :] if len(corners) > 2 else around(xy)
    return nodes, outline, plane, len(mine) - len(placed)


def _values(
    field: FieldSeries, stations: Sequence[StationAnalysis], what: What, moment: str | None
) -> Mapping[str, tuple[float, float]]:
    """Value of the stations that tell it, and what sensors of a kind differ by, by key."""
    share = field.block.limits.wetted_fraction
    found: dict[str, tuple[float, float]] = {}
    if what in ("temperature", "salinity"):
        return _companions(field, stations, what)
    if what == "index":
        index: dict[str, list[float]] = {}
        for sensor in index_content(field.row.key, moment).sensors:
            if sensor.index is not None:
                index.setdefault(sensor.sensor.split("/")[1], []).append(sensor.index)
        return {key: (statistics.fmean(told), LEAST[what]) for key, told in index.items()}
    for one in stations:
        if one.state is None or one.marks is None:
            continue
        short = one.marks.full_mm - one.state.storage_mm
        value = share * short if what == "depletion" else 1 - short / max(one.marks.taw_mm, 1e-9)
        rooted = [layer.rooted_cm for layer in one.layers if layer.rooted_cm > 0]
        found[one.station.key] = (value, node_error(what, rooted, one.marks.taw_mm, share))
    return found


def _companions(
    field: FieldSeries, stations: Sequence[StationAnalysis], what: Literal["temperature", "salinity"]
) -> Mapping[str, tuple[float, float]]:
    """Mean of what a node's sensors of a kind told within the last day: what is older says nothing of now."""
    block = field.rows.blocks[0]
    latest = readings_store.latest(block.id, field.now)
    ids = {s.key: s.id for s in field.rows.stations.get(block.id, [])}
    found = {}
    for one in stations:
        beside = [
            latest[told.id].raw
            for sensor in field.rows.sensors.get(ids.get(one.station.key, -1), [])
            for told in field.rows.companions.get(sensor.id, [])
            if told.quantity == what and told.id in latest and latest[told.id].at > field.now - FRESH_S
        ]
        if beside:
            found[one.station.key] = (statistics.fmean(beside), LEAST[what])
    return found


def _mapped(
    told: Sequence[Node], on: tuple[Floats, Sequence[Area]], unplaced: int, long_side: int = LONG_SIDE
) -> tuple[BlockMap | None, str]:
    if not told and unplaced:
        return None, say(Notice("map.no_place", nodes=unplaced))
    xy = np.array([n.xy_m for n in told]).reshape(-1, 2)
    values, errors = (np.array([v or 0.0 for v in column]) for column in
                      ([n.value for n in told], [n.error for n in told]))  # fmt: skip
    try:
        return block_map(xy, (values, errors), on[0], long_side, on[1]), ""
    except CoreError as refusal:
        return None, say(refusal.reason)


def _doubt_mm(
    field: FieldSeries, nodes: Sequence[Node], on: tuple[Floats, Sequence[Area]], found: BlockMap | None
) -> float:
    """What a place must beat to be named [mm]: the map's error left out, where there is one, and a node's own."""
    values = _values(field, [n.analysis for n in nodes], "depletion", None)
    own = float(np.median([error for _, error in values.values()])) if values else 0.0
    if found is None:
        told = [(n, values[n.analysis.station.key]) for n in nodes if n.analysis.station.key in values]
        found, _ = _mapped([replace(n, value=v, error=e) for n, (v, e) in told], on, 0)
    return max(own, found.fitted.error) if found else own


def _headline(found: BlockMap | None, what: What) -> str:
    if found is None:
        return ""
    code, error, mean = ERROR_WORDS.get(what, ("map.error_number", "error", "mean"))
    return say(Notice(code, **{error: found.fitted.error, mean: found.fitted.mean_error}))


def _dawns(field: FieldSeries, nodes: Sequence[Node]) -> tuple[list[int], Floats]:
    """Day numbers and each node's depletion over the block at each dawn [mm], shape (days, nodes), NaN where unread."""
    span = (times.local_day(field.start, field.zone), times.local_day(field.now, field.zone))
    read: dict[str, SensorReadings] = sensor_readings(field.rows, [field.block], span, (field.now, field.zone))
    moment = moment_of(field.farm, field.now)
    share = field.block.limits.wetted_fraction
    columns = []
    for node in nodes:
        one = node.analysis
        told = dawn_storage_mm(one, read, moment) if one.layers and one.marks else {}
        full = one.marks.full_mm if one.marks else 0.0
        columns.append({day: share * (full - mm) for day, mm in told.items() if span[0] <= day <= span[1]})
    days = sorted(set().union(*columns)) if columns else []
    return days, np.array([[c.get(d, np.nan) for c in columns] for d in days]).reshape(len(days), len(nodes))


def _stands(dawns: tuple[list[int], Floats], doubt: float) -> tuple[list[Standing], str]:
    try:
        return standings(-dawns[1], doubt), ""
    except CoreError as refusal:
        return [], say(refusal.reason)


def _nodes_out(nodes: Sequence[Node], stood: Sequence[Standing]) -> list[NodeOut]:
    order = sorted((n.value for n in nodes if n.value is not None), reverse=True)
    return [
        NodeOut(
            ref=f"{n.analysis.station.key}",
            name=n.station.name,
            longitude=n.station.longitude or 0.0,
            latitude=n.station.latitude or 0.0,
            x_m=round(n.xy_m[0], 2),
            y_m=round(n.xy_m[1], 2),
            value=None if n.value is None else round(n.value, 3),
            error=None if n.error is None else round(n.error, 3),
            rank=None if n.value is None else order.index(n.value) + 1,
            difference_mm=round(stood[place].difference, 2) if stood else None,
            lasting=stood[place].lasting if stood else "",
        )
        for place, n in enumerate(nodes)
    ]


def _ground(found: BlockMap, told: Sequence[Node]) -> GroundOut:
    fitted, grid = found.fitted, found.grid
    near = nearest_left_out(fitted.xy_m, fitted.values)
    return GroundOut(
        cell_m=grid.cell_m,
        rows=grid.inside.shape[0],
        columns=grid.inside.shape[1],
        west_m=grid.origin_m[0],
        south_m=grid.origin_m[1],
        inside=np.flatnonzero(grid.inside.ravel()).tolist(),
        of=[told[place].station.key for place in found.used.tolist()],
        weights=np.round(found.weights, 3).tolist(),
        doubt=np.round(found.doubt, 3).tolist(),
        blank=found.blank.tolist(),
        error=fitted.error,
        mean_error=fitted.mean_error,
        nearest_error=float(np.sqrt(np.mean(near**2))),
        sill=fitted.likeness.sill,
        range_m=fitted.likeness.range_m,
        nugget=fitted.likeness.nugget,
        chance=fitted.likeness.chance,
        lags=[LagOut(**vars(lag)) for lag in fitted.likeness.lags],
    )


def _days(field: FieldSeries, nodes: Sequence[Node], dawns: tuple[list[int], Floats], what: What) -> list[MapDayOut]:
    """The season's dawns, of what hangs on water alone."""
    if what not in ("depletion", "available"):
        return []
    share = field.block.limits.wetted_fraction
    taw = np.array([share * n.analysis.marks.taw_mm if n.analysis.marks else np.nan for n in nodes])
    days, table = dawns
    shown = table if what == "depletion" else 1 - table / taw
    return [
        MapDayOut(
            day=times.day_of(day).isoformat(), values=[None if np.isnan(v) else round(float(v), 3) for v in shown[row]]
        )
        for row, day in enumerate(days)
    ]


def _stand_words(nodes: Sequence[Node], stood: Sequence[Standing], dawns: tuple[list[int], Floats]) -> list[str]:
    if not stood:
        return []
    lasting = sorted((s for s in stood if s.lasting), key=lambda s: -abs(s.difference))[:MOST_NAMED]
    found = [Notice(f"map.{s.lasting}", name=nodes[s.place].station.name, off_mm=abs(s.difference)) for s in lasting]
    for code, one in (("map.best", best_for_mean(list(stood))), ("map.worst", worst_for_mean(list(stood)))):
        off = error_by_one(dawns[1], one.place)
        found.append(Notice(code, name=nodes[one.place].station.name, off_mm=off))
    return [say(one) for one in found]


def _next(found: BlockMap, nodes: Sequence[Node], plane: Plane) -> NextNodeOut:
    place, gain = next_place(found, np.array([n.xy_m for n in nodes]))
    costs = [d.cost for d in device_store.devices() if d.cost is not None]
    longitude, latitude = plane.degrees(place)
    words = say(Notice("map.next", gain_fraction=gain, cost=round(statistics.median(costs)) if costs else None))
    return NextNodeOut(
        x_m=round(float(place[0]), 1),
        y_m=round(float(place[1]), 1),
        longitude=round(longitude, 6),
        latitude=round(latitude, 6),
        words=words,
    )
