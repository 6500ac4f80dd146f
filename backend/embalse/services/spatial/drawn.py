"""Zones and soil zones of a block taken from GeoJSON: drawn by hand, derived here, or from another system."""

import json
import re
from collections.abc import Mapping
from typing import Any, Final, Literal

from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import parse_document
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.changes import actor

LARGEST: Final = 2_000_000
Kind = Literal["block_zones", "soil_zones"]


class AreasKept(Content):
    """What became of areas that were sent: how many hold from now on."""

    zones: int
    key: str


def keep_areas(block: str, text: str, kind: Kind) -> AreasKept:
    """Keep zones or soil zones of a block from today on, in place of those before; without any there are none.

    Parameters
    ----------
    block : str
        Key of a block.
    text : str
        A GeoJSON FeatureCollection of polygons. Properties of a zone: ``name`` and, where wanted, ``shift``,
        ``station`` with ``accepted``; a feature without a geometry is the rest of the block. Of a soil zone: ``soil``,
        the key or the name of a soil of the farm.
    kind : str
        Zones or soil zones.

    Raises
    ------
    NotFound
        If there is no such block.
    DocumentErrors
        With the feature of everything wrong.
    """
    farm_store.farm_rows([block])
    if len(text) > LARGEST:
        raise DocumentErrors([PathError(path="file", reason="more than 2 million characters")])
    farm = clock.the_farm()
    now = times.local(clock.farm_now(farm), farm.time_zone)
    soils = {name.lower(): key for _, key, name in farm_store.soils()}
    zones = [_zone(n, feature, soils, kind) for n, feature in enumerate(_features(text), start=1)]
    taken = {r.key for r in record_store.records(kind)}
    stem = f"{kind[:-1].replace('_', '-')}-{block[:24]}"
    key = next(k for k in (f"{stem}-{n}" for n in range(1, 10**6)) if k not in taken)
    part = {"key": key, "block": block, "valid_from": now.date().isoformat(), "entered": now.isoformat(),
            "who": actor().who, "zones": zones}  # fmt: skip
    try:
        apply_document(parse_document(json.dumps({"embalse": 1, kind: [part]})))
    except DocumentErrors as refused:
        raise DocumentErrors([_by_feature(kind, e) for e in refused.errors]) from refused
    return AreasKept(zones=len(zones), key=key)


def _by_feature(kind: Kind, error: PathError) -> PathError:
    """An error on the document's path as one on the feature it came from."""
    found = re.match(rf"{kind}\[0\]\.zones\[(\d+)\]\.?(.*)$", error.path)
    if not found:
        return PathError(path="file", reason=error.reason)
    where, field = f"feature {int(found[1]) + 1}", found[2]
    return PathError(path=f"{where}, {field}" if field else where, reason=error.reason)


def _features(text: str) -> list[Mapping[str, Any]]:
    try:
        found = json.loads(text.lstrip("\ufeff"))["features"]
        return [{"geometry": f["geometry"], "properties": dict(f["properties"] or {})} for f in found]
    except (ValueError, KeyError, TypeError) as wrong:
        reason = "it is no GeoJSON FeatureCollection of polygons"
        raise DocumentErrors([PathError(path="file", reason=reason)]) from wrong


def _zone(number: int, feature: Mapping[str, Any], soils: Mapping[str, str], kind: Kind) -> dict[str, Any]:
    told = feature["properties"]
    found: dict[str, Any] = {"rings": _rings(number, feature["geometry"])}
    if kind == "soil_zones":
        soil = str(told.get("soil", ""))
        key = soils.get(soil.lower(), soil)
        if key not in soils.values():
            reason = f"there is no soil '{soil}' on this farm; it has {', '.join(sorted(soils.values()))}"
            raise DocumentErrors([PathError(path=f"feature {number}, soil", reason=reason)])
        return {**found, "soil": key}
    found["name"] = str(told.get("name") or f"zone {number}")
    return found | {name: str(told[name]) for name in ("shift", "station", "accepted") if told.get(name)}


def _rings(number: int, geometry: Any) -> list[list[list[float]]]:
    """Rings of a polygon or several, each open."""
    if geometry is None:
        return []
    try:
        kind, drawn = geometry["type"], geometry["coordinates"]
        polygons = {"Polygon": [drawn], "MultiPolygon": drawn}[kind]
        rings = [[[float(c[0]), float(c[1])] for c in ring] for polygon in polygons for ring in polygon]
    except (KeyError, TypeError, ValueError, IndexError) as wrong:
        raise DocumentErrors([PathError(path=f"feature {number}", reason="it is no polygon")]) from wrong
    if not rings:
        raise DocumentErrors([PathError(path=f"feature {number}", reason="it has no corners")])
    return [ring[:-1] if len(ring) > 1 and ring[0] == ring[-1] else ring for ring in rings]
