"""Nodes in number: added from a table or GeoJSON, and listed with how each is heard."""

import csv
import io
import json
import re
from collections.abc import Iterator, Mapping
from typing import Any, Final

from pydantic import ValidationError

from embalse.core.install.season_end import SeasonEndStep
from embalse.core.quality.collections import Collected, collected
from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.export import land_parts
from embalse.services.document.farm_document import parse_document
from embalse.services.intake.telemetry import gateways
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.ground import StationPart
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.services.spatial.refurbishing import end_of
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store

LARGEST: Final = 2_000_000
MOST_NODES: Final = 500
HEARD_DAYS: Final = 7
PACE_DAYS: Final = 30
DAY_S: Final = 86400
COLUMNS: Final = ("node", "longitude", "latitude", "depths_cm", "device", "raw_unit", "installed")


class NodesAdded(Content):
    """What became of a table of nodes."""

    nodes: int
    created: int
    changed: int
    unchanged: int


class NodeLine(Content):
    """A node in the list: last heard, collections of the last week it missed, and what its gateway said of itself.

    ``every_min`` is how often it reads, by its own readings; ``end_run`` and ``end_done`` say what it has been through
    at the season's end, ``end_due`` what comes next.
    """

    station: str
    name: str
    longitude: float | None
    latitude: float | None
    depths_cm: list[float]
    last_heard: str | None
    every_min: int | None
    expected: int | None
    missed: int | None
    gateway: str
    battery_v: float | None
    battery_low: bool
    signal_dbm: float | None
    out: bool
    end_run: str | None
    end_done: list[SeasonEndStep]
    end_due: SeasonEndStep | None


class NodesContent(Content):
    """The nodes of a block, those that were heard longest ago first."""

    key: str
    name: str
    as_of: str
    nodes: list[NodeLine]


def add_nodes(block: str, text: str) -> NodesAdded:
    """Add nodes to a block, or change those that are there, from CSV or GeoJSON text; all of it or nothing.

    Parameters
    ----------
    block : str
        Key of a block.
    text : str
        CSV with the columns node, longitude, latitude, depths_cm (several apart by ``;``) and, where wanted, device,
        raw_unit, installed; or a GeoJSON FeatureCollection of points with the same among their properties. The
        column of a logger's file is the device's name and the depth.

    Raises
    ------
    NotFound
        If there is no such block.
    DocumentErrors
        With the line and column, or the feature, of everything wrong.
    """
    rows = farm_store.farm_rows([block])
    if len(text) > LARGEST:
        raise DocumentErrors([PathError(path="file", reason="more than 2 million characters")])
    told = list(_features(text) if text.lstrip().startswith("{") else _lines(text))
    if not told:
        raise DocumentErrors([PathError(path="file", reason=f"there is no node; columns are {', '.join(COLUMNS)}")])
    if len(told) > MOST_NODES:
        raise DocumentErrors([PathError(path="file", reason=f"more than {MOST_NODES} nodes at once")])
    errors: list[PathError] = []
    stations, keys = [], set()
    for where, cells in told:
        found = _station(where, cells, errors)
        if found is None:
            continue
        if found["key"] in keys:
            errors.append(PathError(path=f"{where}, node", reason=f"'{cells['node']}' is given twice"))
        keys.add(found["key"])
        stations.append(found)
    if errors:
        raise DocumentErrors(errors)
    part = land_parts(rows, [block])["blocks"][0]
    body = {"embalse": 1, "blocks": [{**part, "stations": stations}]}
    report = apply_document(parse_document(json.dumps(body)))
    counts = (report.created.get("stations", 0), report.changed.get("stations", 0), report.unchanged.get("stations", 0))
    return NodesAdded(nodes=len(stations), created=counts[0], changed=counts[1], unchanged=counts[2])


def _lines(text: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
    try:
        reader = csv.DictReader(io.StringIO(text.lstrip("\ufeff"), newline=""), delimiter=_delimiter(text))
        for cells in reader:
            yield f"line {reader.line_num}", {str(n).strip().lower(): (c or "").strip() for n, c in cells.items()
                                              if isinstance(c, str | None)}  # fmt: skip
    except csv.Error as wrong:
        raise DocumentErrors([PathError(path="file", reason=f"it cannot be read as a table: {wrong}")]) from wrong


def _delimiter(text: str) -> str:
    """What stands most between the names of the first line."""
    first = text.lstrip("\ufeff").split("\n", 1)[0]
    return max((",", "\t", ";"), key=first.count)


def _features(text: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
    try:
        found = json.loads(text)["features"]
        listed = [(f["geometry"]["coordinates"], f["geometry"]["type"], dict(f["properties"] or {})) for f in found]
    except (ValueError, KeyError, TypeError) as wrong:
        reason = "it is no GeoJSON FeatureCollection of points"
        raise DocumentErrors([PathError(path="file", reason=reason)]) from wrong
    for n, (place, kind, properties) in enumerate(listed, start=1):
        if kind != "Point" or len(place) < 2:
            raise DocumentErrors([PathError(path=f"feature {n}", reason="it is no point")])
        depths = properties.get("depths_cm", "")
        told = ";".join(str(d) for d in depths) if isinstance(depths, list) else str(depths)
        cells = {name: str(v) for name, v in properties.items()}
        yield f"feature {n}", {**cells, "longitude": str(place[0]), "latitude": str(place[1]), "depths_cm": told}


def _station(where: str, cells: Mapping[str, Any], errors: list[PathError]) -> dict[str, Any] | None:
    before = len(errors)

    def number(name: str, text: str) -> float:
        try:
            return float(text.replace(",", "."))
        except ValueError:
            errors.append(PathError(path=f"{where}, {name}", reason=f"'{text}' is no number"))
            return 0.0

    name = cells.get("node", "")
    key = re.sub(r"[^a-z0-9._-]+", "-", name.lower()).strip("-._")[:40]
    if not key:
        errors.append(PathError(path=f"{where}, node", reason="a node needs a name"))
    depths = [number("depths_cm", d) for d in re.split(r"[;\s]+", cells.get("depths_cm", "")) if d]
    if not depths:
        errors.append(PathError(path=f"{where}, depths_cm", reason="give one depth at least, in cm"))
    place = {axis: number(axis, cells.get(axis, "")) for axis in ("longitude", "latitude")}
    if len(errors) > before:
        return None
    device, unit = cells.get("device", ""), cells.get("raw_unit", "") or "m3/m3"
    sensors = [
        {"depth_cm": d, "raw_unit": unit, "channel": f"{device} {d:g}".strip() if device else f"{key} {d:g}"}
        for d in depths
    ]
    installed = cells.get("installed", "")
    station = {"key": key, "name": name, **place, "sensors": sensors}
    if installed:
        station["installed"] = installed if "T" in installed else f"{installed}T12:00"
    try:
        StationPart.model_validate_json(json.dumps(station))
    except ValidationError as wrong:
        errors.extend(
            PathError(path=f"{where}, {'.'.join(str(p) for p in e['loc']) or 'row'}", reason=e["msg"])
            for e in wrong.errors()
        )
        return None
    return station


@as_known_then
def nodes_content(key: str, moment: str | None = None) -> NodesContent:
    """The nodes of a block as heard by a farm-local moment; raises NotFound, Conflict, ValueError."""
    farm = clock.the_farm()
    now, zone = clock.as_of(farm, moment), farm.time_zone
    rows = farm_store.farm_rows([key])
    block = rows.blocks[0]
    latest = readings_store.latest(block.id, now)
    listening = [] if moment is not None else [g for g in gateways() if not g.revoked]  # what they say is of now
    found = []
    for station in rows.stations.get(block.id, []):
        sensors = rows.sensors.get(station.id, [])
        heard = max((latest[s.id].at for s in sensors if s.id in latest), default=None)
        ref = f"{key}/{station.key}"
        told = _collected(sensors[0].id, now) if sensors else None
        run, end = end_of(key, station, [s.key for s in sensors], now)
        gateway = next((g for g in listening if not g.stations or ref in g.stations), None)
        found.append(
            NodeLine(
                station=ref,
                name=station.name,
                longitude=station.longitude,
                latitude=station.latitude,
                depths_cm=[s.depth_cm for s in sensors],
                last_heard=times.iso(heard, zone),
                every_min=told.every_min if told else None,
                expected=told.expected if told else None,
                missed=told.missed if told else None,
                gateway=gateway.name if gateway else "",
                battery_v=gateway.battery_v if gateway else None,
                battery_low=bool(gateway and gateway.battery_low),
                signal_dbm=gateway.signal_dbm if gateway else None,
                out=station.removed_at is not None and station.removed_at <= now,
                end_run=run,
                end_done=list(end.done) if end else [],
                end_due=end.due if end else None,
            )
        )
    found.sort(key=lambda one: one.last_heard or "")
    return NodesContent(key=key, name=block.name, as_of=times.iso(now, zone) or "", nodes=found)


def _collected(sensor_id: int, now: int) -> Collected | None:
    """Readings of the last week that never came; how often it reads is told by the last month."""
    at, _ = readings_store.between(sensor_id, now - PACE_DAYS * DAY_S, now)
    return collected(at, now - HEARD_DAYS * DAY_S, now)
