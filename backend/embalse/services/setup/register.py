"""The bench: the register, batches held against their limits, runs on devices, what lies where."""

import json
from typing import Any, Literal

from pydantic import BaseModel

from embalse.core.install.batch_test import BatchTest, batch_test, best_batch
from embalse.core.install.procedures import procedure
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load import clock
from embalse.services.reader import Words, say, say_all
from embalse.services.schema.records import BatchTestPart, ProcedureRunPart
from embalse.services.setup.procedure_runs import state_of
from embalse.store import devices as device_store
from embalse.store import records as record_store
from embalse.store.rows import DeviceRow, PlacementRow


class DeviceLine(BaseModel):
    """A device of the register."""

    key: str
    type: str
    serial: str
    batch: str
    cost: float | None
    bought_on: str | None
    shelf: str
    note: str
    state: Literal["in the ground", "rejected", "on the bench", "ready", "in store"]
    where: str
    calibrations: int
    history: list[str]


class TestedOut(BaseModel):
    """A sensor's repeats and verdict."""

    __test__ = False

    sensor: str
    air_mean: float
    air_sd: float
    air_cv: float
    water_mean: float
    water_sd: float
    water_cv: float
    span: float
    repeats: int
    accepted: bool
    reasons: list[Words]
    after_days: float | None


class BatchOut(BaseModel):
    """A batch and its verdict."""

    key: str
    on: str
    who: str
    note: str
    sensors: list[TestedOut]
    median_span: float
    pooled_sd: float
    span_over_scatter: float | None
    between_cv: float
    accepted: bool
    words: Words
    sd_share: float
    span_share: float
    pass_share: float


class RunLine(BaseModel):
    """A run on a device."""

    key: str
    procedure: str
    title: Words
    device: str
    verdict: str
    closed: bool
    words: Words
    started: str


class BenchContent(BaseModel):
    """Everything on the Bench page."""

    devices: list[DeviceLine]
    batches: list[BatchOut]
    best_batch: str | None
    runs: list[RunLine]
    stock: dict[str, int]


def bench_content() -> BenchContent:
    """The bench as it stands; raises Conflict when no farm is set up."""
    clock.the_farm()
    tests = [(part, _tested(part)) for part in _batch_parts()]
    runs = _runs()
    rejected = {s.sensor for _, t in tests for s in t.sensors if not s.accepted}
    rejected |= {s.sensor for _, t in tests if not t.accepted for s in t.sensors}
    devices = device_store.devices()
    placed: dict[int, list[PlacementRow]] = {}
    for placement in device_store.placements():
        placed.setdefault(placement.device_id, []).append(placement)
    calibrations: dict[int, int] = {}
    for row in device_store.calibrations():
        calibrations[row.sensor_id] = calibrations.get(row.sensor_id, 0) + 1
    lines = [_device(d, placed.get(d.id, []), (rejected, runs), calibrations.get(d.id, 0)) for d in devices]
    stock: dict[str, int] = {}
    for line in lines:
        if line.state in ("in store", "ready"):
            stock[line.type] = stock.get(line.type, 0) + 1
    return BenchContent(
        devices=lines,
        batches=[_batch(part, test) for part, test in tests],
        best_batch=best_batch([t for _, t in tests]),
        runs=runs,
        stock=stock,
    )


def _batch_parts() -> list[BatchTestPart]:
    return [BatchTestPart.model_validate(json.loads(r.body)) for r in record_store.records("batch_tests")]


def _tested(part: BatchTestPart) -> BatchTest:
    after = {s.sensor: s.after_days for s in part.sensors if s.after_days is not None}
    return batch_test(part.key, part.readings(), part.limits(), after)


def _batch(part: BatchTestPart, test: BatchTest) -> BatchOut:
    after = {s.sensor: s.after_days for s in part.sensors}
    limits = part.limits()
    return BatchOut(
        key=part.key,
        on=part.on.isoformat(),
        who=part.who,
        note=part.note,
        sensors=[
            TestedOut(
                sensor=s.sensor,
                air_mean=s.air.mean,
                air_sd=s.air.sd,
                air_cv=s.air.cv,
                water_mean=s.water.mean,
                water_sd=s.water.sd,
                water_cv=s.water.cv,
                span=s.span,
                repeats=min(s.air.count, s.water.count),
                accepted=s.accepted,
                reasons=say_all(s.reasons),
                after_days=after[s.sensor],
            )
            for s in test.sensors
        ],
        median_span=test.median_span,
        pooled_sd=test.pooled_sd,
        span_over_scatter=None if test.pooled_sd == 0 else test.span_over_scatter,
        between_cv=test.between_cv,
        accepted=test.accepted,
        words=say(test.words),
        sd_share=limits.sd_share,
        span_share=limits.span_share,
        pass_share=limits.pass_share,
    )


def _runs() -> list[RunLine]:
    found = []
    for row in record_store.records("procedure_runs"):
        body: dict[str, Any] = json.loads(row.body)
        if body["device"] is None:
            continue
        part = ProcedureRunPart.model_validate(body)
        state = state_of(part)
        left = sum(s.outcome == "open" and s.step.required for s in state.steps)
        words = say(Notice("run.steps_left", left=left) if state.verdict == "open" else state.failures)
        found.append(
            RunLine(
                key=row.key,
                procedure=part.procedure,
                title=procedure(part.procedure).title,
                device=part.device or "",
                verdict=state.verdict,
                closed=part.closed is not None,
                words=words,
                started=body["started"],
            )
        )
    return found


def _device(
    row: DeviceRow, placed: list[PlacementRow], basis: tuple[set[str], list[RunLine]], calibrations: int
) -> DeviceLine:
    rejected, runs = basis
    zone = clock.the_farm().time_zone
    mine = [r for r in runs if r.device == row.key]
    present = next((p for p in reversed(placed) if p.until is None), None)
    conditioned = [r for r in mine if procedure(r.procedure).kind == "condition"]
    state: Literal["in the ground", "rejected", "on the bench", "ready", "in store"] = "in store"
    if present:
        state = "in the ground"
    elif row.key in rejected or any(r.verdict == "not ready" and r.closed for r in mine[-1:]):
        state = "rejected"
    elif any(not r.closed for r in mine):
        state = "on the bench"
    elif conditioned and conditioned[-1].verdict == "ready":
        state = "ready"
    history = [
        f"{times.local(p.since, zone).date().isoformat()} into {p.sensor_ref}"
        + (f", out {times.local(p.until, zone).date().isoformat()}" if p.until else "")
        + (f" ({p.why})" if p.why else "")
        for p in placed
    ]
    history += [f"{r.started[:10]} {r.title}: {r.verdict if r.closed else 'under way'}" for r in mine]
    return DeviceLine(
        key=row.key,
        type=row.type,
        serial=row.serial,
        batch=row.batch,
        cost=row.cost,
        bought_on=row.bought_on,
        shelf=row.shelf,
        note=row.note,
        state=state,
        where=present.sensor_ref if present else row.shelf,
        calibrations=calibrations,
        history=sorted(history),
    )
