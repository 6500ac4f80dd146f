"""Nodes of a block at the season's end: begun for many at once, ticked for many at once, each by its own procedure."""

import json
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from embalse.core.install.season_end import NodeEnd, node_end
from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.schema.records import DonePart, ProcedureRunPart
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.changes import actor
from embalse.store.rows import StationRow

Ticked = Literal["off", "batteries", "pull", "clean", "store", "fill"]
EACH = frozenset({"pull", "clean", "store"})
"""Steps every sensor of a node has for itself."""


class RefurbishIn(BaseModel):
    """Nodes (keys of stations) and the step that was done on all of them; without one their procedure is begun only."""

    model_config = ConfigDict(extra="forbid")
    nodes: list[str] = Field(min_length=1, max_length=500)
    step: Ticked | None = None


class Refurbished(Content):
    """How many procedures were begun, and on how many nodes the step is entered now."""

    begun: int
    ticked: int


def end_of(block: str, station: StationRow, sensors: list[str], now: int) -> tuple[str | None, NodeEnd | None]:
    """The procedure that takes a node out, and what it has been through by an instant; None where nobody began."""
    part = _latest(f"{block}/{station.key}", now)
    zone = clock.the_farm().time_zone
    gone = station.removed_at is not None and station.removed_at <= now
    if part is None:
        return (None, node_end(sensors, (), True, False)) if gone else (None, None)
    closed = None if part.closed is None else times.epoch(part.closed, zone)
    back = closed is not None and closed <= now and not gone and station.installed_at is not None and (
        closed < station.installed_at <= now
    )  # fmt: skip
    done = {step for step, one in part.done.items() if times.epoch(one.at, zone) <= now}
    return part.key, node_end(sensors, done, gone, back)


def refurbish(block: str, body: RefurbishIn) -> Refurbished:
    """Begin taking nodes out, or enter one step for all of them; all of it or nothing.

    Raises
    ------
    NotFound
        If there is no such block.
    DocumentErrors
        With the node that is not there.
    """
    rows = farm_store.farm_rows([block])
    stations = {s.key: s for s in rows.stations.get(rows.blocks[0].id, [])}
    unknown = [n for n in body.nodes if n not in stations]
    if unknown:
        raise DocumentErrors([PathError(path="nodes", reason=f"there is no node '{n}' here") for n in unknown])
    farm = clock.the_farm()
    at = times.local(clock.farm_now(farm), farm.time_zone)
    found, begun, ticked = [], 0, 0
    for key in dict.fromkeys(body.nodes):
        part = _latest(f"{block}/{key}", clock.farm_now(farm))
        if part is None or part.closed is not None:
            run = f"remove-{block[:20]}-{key[:20]}-{at:%Y%m%d%H%M}"
            part = ProcedureRunPart(key=run, procedure="remove", station=f"{block}/{key}", started=at)
            begun += 1
        if body.step is not None:
            sensors = [s.key for s in rows.sensors.get(stations[key].id, [])]
            ids = [f"{s}:{body.step}" for s in sensors] if body.step in EACH else [body.step]
            new = {i: DonePart(at=at, who=actor().who) for i in ids if i not in part.done}
            part = part.model_copy(update={"done": {**part.done, **new}})
            ticked += 1
        found.append(part)
    apply_document(FarmDocument(embalse=1, procedure_runs=found))
    return Refurbished(begun=begun, ticked=ticked)


def _latest(ref: str, now: int) -> ProcedureRunPart | None:
    """The last procedure begun by an instant that takes a station out."""
    zone = clock.the_farm().time_zone
    parts = [ProcedureRunPart.model_validate(json.loads(r.body)) for r in record_store.records("procedure_runs", ref)]
    mine = [p for p in parts if p.procedure == "remove" and times.epoch(p.started, zone) <= now]
    return max(mine, key=lambda p: times.epoch(p.started, zone), default=None)
