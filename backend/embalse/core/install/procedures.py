"""Guided procedures: their steps, what has been done, what is missing, and the verdict."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Literal, TypeVar

from embalse.core.errors import CoreError
from embalse.core.install.inherited import Found, FoundVerdict, found_verdict
from embalse.core.practice import practice
from embalse.core.tables import table_rows
from embalse.core.wording import Notice, Text

Value = TypeVar("Value", float, str)
Scope = Literal["start", "each", "each-end", "end", "once"]
Entry = Literal["tick", "number", "text", "choice", "place", "photo"]
Kind = Literal["install", "condition", "service", "prepare", "find", "end"]


@dataclass(frozen=True)
class Step:
    """A step: what to do, why, the caution, the value wanted with its limits in ``unit``, a timer [min].

    A choice is one of ``options``.
    """

    step: str
    scope: Scope
    entry: Entry
    title: str
    why: str
    caution: str
    unit: str
    low: float | None
    high: float | None
    timer_min: float | None
    required: bool
    source: str
    options: tuple[str, ...] = ()


@dataclass(frozen=True)
class Procedure:
    """A procedure: what it is for, on a station or a device, and its steps in order."""

    procedure: str
    title: str
    about: str
    subject: Literal["station", "device"]
    kind: Kind
    source: str
    steps: tuple[Step, ...]


@dataclass(frozen=True)
class SensorPlace:
    """A sensor a station procedure runs over: key, planned depth [cm], and the unit its reading is told in."""

    key: str
    depth_cm: float
    raw_unit: str = ""


@dataclass(frozen=True)
class Done:
    """What was entered at a step: the value (None for a tick, text for a tag), when [s, UTC], by whom."""

    value: float | str | None = None
    at: float | None = None
    who: str = ""


@dataclass(frozen=True)
class StepState:
    """A step of a run, for one sensor or for the whole: its id, what was entered, and how that stands."""

    id: str
    step: Step
    sensor: SensorPlace | None
    done: Done | None
    outcome: Literal["open", "done", "passed", "failed"]
    words: Text = ""


@dataclass(frozen=True)
class RunState:
    """A run of a procedure: every step, what keeps it from closing, what failed, and the verdict word."""

    steps: tuple[StepState, ...]
    next_id: str | None
    gaps: tuple[Notice, ...]
    failures: tuple[Notice, ...]
    notices: tuple[Notice, ...]
    verdict: Literal["open", "ready", "not ready"]


class UnknownProcedure(CoreError):
    """A name that is no procedure."""


def _number(text: str) -> float | None:
    return float(text) if text else None


@cache
def procedures() -> dict[str, Procedure]:
    """Every procedure by name; limits of a step are in its own unit, timers in minutes."""
    steps: dict[str, list[Step]] = {}
    for row in table_rows("procedure_steps.csv"):
        steps.setdefault(row["procedure"], []).append(
            Step(
                row["step"],
                row["scope"],
                row["entry"],
                row["title"],
                row["why"],
                row["caution"],
                row["unit"],
                _number(row["low"]),
                _number(row["high"]),
                _number(row["timer_min"]),
                bool(row["required"]),
                row["source"],
                tuple(row["options"].split("|")) if row["options"] else (),
            )
        )
    return {
        row["procedure"]: Procedure(
            row["procedure"],
            row["title"],
            row["about"],
            row["subject"],
            row["kind"],
            row["source"],
            tuple(steps[row["procedure"]]),
        )
        for row in table_rows("procedures.csv")
    }


def procedure(name: str) -> Procedure:
    """A procedure by name; units are those of its steps.

    Raises
    ------
    UnknownProcedure
        If there is none of that name.
    """
    found = procedures().get(name)
    if found is None:
        raise UnknownProcedure("procedure", f"'{name}' is no procedure; use one of: {', '.join(procedures())}")
    return found


@dataclass(frozen=True)
class StepAt:
    """A step of a run: its id, the step, and the sensor it is done at, None for the whole station."""

    id: str
    step: Step
    sensor: SensorPlace | None


def step_ids(chosen: Procedure, sensors: Sequence[SensorPlace]) -> list[StepAt]:
    """Ids of the steps in the order they are done: start, each sensor (the deepest first), each at the end, end.

    Depths are in cm; the id of a sensor's step is ``sensor:step``.
    """
    deepest_first = sorted(sensors, key=lambda s: -s.depth_cm)
    found = [StepAt(s.step, s, None) for s in chosen.steps if s.scope in ("start", "once")]
    for sensor in deepest_first:
        found += [StepAt(f"{sensor.key}:{s.step}", s, sensor) for s in chosen.steps if s.scope == "each"]
    ends: list[Step] = [s for s in chosen.steps if s.scope in ("end", "each-end")]
    for step in ends:
        if step.scope == "end":
            found.append(StepAt(step.step, step, None))
        else:
            found += [StepAt(f"{sensor.key}:{step.step}", step, sensor) for sensor in deepest_first]
    return found


def run_state(chosen: Procedure, sensors: Sequence[SensorPlace], done: Mapping[str, Done]) -> RunState:
    """How a run stands.

    Parameters
    ----------
    chosen : Procedure
    sensors : sequence of SensorPlace
        Sensors of the station with their planned depths [cm]; empty for a device.
    done : mapping of step id to Done

    Returns
    -------
    RunState
        ``gaps`` keep it from closing: steps not done, a depth not measured, two sensors on one channel. A value outside
        its limits is a failure: the verdict is then "not ready".
    """
    at = step_ids(chosen, sensors)
    states = [_step_state(one.id, _in_its_unit(one), one.sensor, done.get(one.id)) for one in at]
    states = [_packed(_still_air(s, done), sensors) for s in states]
    missing = [s for s in states if s.outcome == "open" and s.step.required]
    gaps = [Notice("run.open", step=_name(s)) for s in missing if s.step.step != "depth"]
    gaps = [_depth_gap(s) for s in missing if s.step.step == "depth"] + gaps
    gaps = _shared(states, "channel", "channel") + _shared(states, "tag", "tag") + gaps
    failures = [Notice("run.failed", step=_name(s), why=s.words) for s in states if s.outcome == "failed"]
    verdict: Literal["open", "ready", "not ready"] = "open" if gaps else "not ready" if failures else "ready"
    return RunState(
        tuple(states),
        next((s.id for s in states if s.outcome == "open" and s.step.required), None),
        tuple(gaps),
        tuple(failures),
        (*_depth_notices(states), *_found_notices(chosen, states)),
        verdict,
    )


def _depth_gap(state: StepState) -> Notice:
    return Notice("run.no_depth", depth_cm=state.sensor.depth_cm if state.sensor else None)


def _name(state: StepState) -> Text:
    if state.sensor is None:
        return state.step.title
    return Notice("run.at_depth", depth_cm=state.sensor.depth_cm, step=state.step.title)


def _step_state(id_: str, step: Step, sensor: SensorPlace | None, done: Done | None) -> StepState:
    if done is None or (step.entry in ("number", "text", "choice") and done.value in (None, "")):
        return StepState(id_, step, sensor, None, "open")
    if step.entry == "choice" and done.value not in step.options:
        return StepState(id_, step, sensor, None, "open")
    if step.entry != "number" or (step.low is None and step.high is None):
        return StepState(id_, step, sensor, done, "done")
    value = float(done.value or 0)
    if step.low is not None and value < step.low:
        return StepState(id_, step, sensor, done, "failed", _wanted("run.too_low", step, value, step.low))
    if step.high is not None and value > step.high:
        return StepState(id_, step, sensor, done, "failed", _wanted("run.too_high", step, value, step.high))
    return StepState(id_, step, sensor, done, "passed")


_ENDINGS = {"cm": "_cm", "kPa": "_kpa", "mm": "_mm", "°C": "_c"}
"""Endings of value names by a step's unit, so that it is said in the reader's units."""


def _in_its_unit(at: StepAt) -> Step:
    """A step's reading in the unit of its sensor; a tension sensor goes in wet, whatever hole it goes into."""
    step, sensor = at.step, at.sensor
    if sensor is None or step.unit != "raw" or not sensor.raw_unit:
        return step
    wet = step.step in ("read_before", "read_placed") and sensor.raw_unit == "kPa"
    return replace(step, unit=sensor.raw_unit, high=practice("matrix_ready_kpa") if wet else step.high)


def _still_air(state: StepState, done: Mapping[str, Done]) -> StepState:
    """A sensor that reads in the ground as it did in air has no soil at it."""
    if state.step.step != "read_placed" or state.outcome != "done" or state.sensor is None or state.done is None:
        return state
    before = done.get(f"{state.sensor.key}:read_before")
    if before is None or before.value is None or state.done.value is None or state.step.unit in ("kPa", "ohm", "kohm"):
        return state
    air, placed = float(before.value), float(state.done.value)
    if abs(placed - air) > practice("still_air_share") * abs(air):
        return state
    return replace(state, outcome="failed", words=Notice("run.still_air", seen=placed))


def _packed(state: StepState, sensors: Sequence[SensorPlace]) -> StepState:
    """Up to which mark of the rod the soil over a sensor is packed: the next sensor's depth, else the surface."""
    if state.step.step != "packed" or state.sensor is None:
        return state
    above = [s.depth_cm for s in sensors if s.depth_cm < state.sensor.depth_cm]
    words = Notice("run.pack_to", next_cm=max(above)) if above else Notice("run.pack_to_top")
    return replace(state, words=words)


def _wanted(code: str, step: Step, value: float, limit: float) -> Notice:
    ending = _ENDINGS.get(step.unit, "")
    values = {f"seen{ending}": value, f"limit{ending}": limit}
    return Notice(f"{code}{ending}", **values, unit="" if ending else step.unit)


def _shared(states: Sequence[StepState], step: str, word: str) -> list[Notice]:
    holders: dict[str, list[Notice]] = {}
    for state in states:
        if state.step.step == step and state.done is not None and state.sensor is not None:
            holders.setdefault(str(state.done.value).strip().lower(), []).append(
                Notice("at.bare_depth", depth_cm=state.sensor.depth_cm)
            )
    return [
        Notice("run.shared", what=word, value=value, sensors=tuple(who))
        for value, who in holders.items()
        if len(who) > 1
    ]


def _depth_notices(states: Sequence[StepState]) -> list[Notice]:
    found, tolerance = [], practice("depth_tolerance_cm")
    for state in states:
        if state.step.step == "depth" and state.sensor and state.done and state.done.value is not None:
            measured = float(state.done.value)
            if abs(measured - state.sensor.depth_cm) > tolerance:
                found.append(Notice("run.depth_differs", measured_cm=measured, planned_cm=state.sensor.depth_cm))
    return found


def _found_notices(chosen: Procedure, states: Sequence[StepState]) -> list[Notice]:
    if chosen.kind != "find":
        return []
    return [
        Notice("run.at_depth", depth_cm=sensor.depth_cm, step=note)
        for sensor, verdict in found_sensors(states)
        for note in verdict.notices
    ]


def found_sensors(states: Sequence[StepState]) -> list[tuple[SensorPlace, FoundVerdict]]:
    """What a finding-out told of each sensor (depths in cm), of those something was entered for."""
    told: dict[str, dict[str, float | str | None]] = {}
    places: dict[str, SensorPlace] = {}
    for state in states:
        if state.sensor is not None and state.done is not None:
            told.setdefault(state.sensor.key, {})[state.step.step] = state.done.value
            places[state.sensor.key] = state.sensor
    return [(places[key], found_verdict(_found(places[key], values))) for key, values in told.items()]


def _found(place: SensorPlace, values: Mapping[str, float | str | None]) -> Found:
    def number(step: str) -> float | None:
        value = values.get(step)
        return None if value is None else float(value)

    tap = str(values.get("tap") or "")
    unit = place.raw_unit
    return Found(unit, number("answers"), number("wet_cloth"), tap, number("dig"), number("compare"))


def measured_depths_cm(states: Sequence[StepState]) -> dict[str, float]:
    """Depths measured in a run by sensor key [cm]."""
    return _values(states, "depth", float)


def entered_channels(states: Sequence[StepState]) -> dict[str, str]:
    """Channels entered in a run by sensor key."""
    return _values(states, "channel", str)


def _values(states: Sequence[StepState], step: str, make: type[Value]) -> dict[str, Value]:
    return {
        s.sensor.key: make(s.done.value)
        for s in states
        if s.step.step == step and s.sensor is not None and s.done is not None and s.done.value is not None
    }
