"""Histories of the demonstration's stations: outlines, spots, batches, conditioning, installations, visits."""

import math
from collections.abc import Callable, Sequence
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from embalse.core.install.procedures import SensorPlace, Step, procedure, step_ids
from embalse.standins.demo_farm import Season, SimulatedStation
from embalse.standins.demo_stories import NODES_ACROSS, NODES_DOWN, PROBE_CALIBRATION, BlockStory

LON, LAT = -15.2, 38.4  # open sea: the valley is invented
M_PER_LON, M_PER_LAT = 87_355.0, 110_996.0
WHO, OTHER = "Inés", "Tomás"
Document = dict[str, Any]

SUPPLIES: list[Document] = [
    {
        "key": "pozo",
        "name": "north well",
        "flow_m3_h": 270.0,
        "hours_per_day": 20.0,
        "tariffs": [
            {"start": "00:00", "end": "08:00", "price": 0.06, "name": "night"},
            {"start": "08:00", "end": "00:00", "price": 0.11, "name": "day"},
        ],
    },
    {"key": "balsa", "name": "reservoir", "flow_m3_h": 900.0, "hours_per_day": 24.0, "tariffs": []},
    {"key": "rio", "name": "river pump", "flow_m3_h": 150.0, "hours_per_day": 22.0, "tariffs": []},
]

CORNERS_M: dict[str, list[tuple[float, float]]] = {
    "norte-1": [(0, 700), (590, 690), (610, 1000), (0, 995)],
    "norte-2": [(640, 690), (1130, 680), (1150, 1010), (640, 1000)],
    "ladera": [(1200, 560), (1500, 600), (1500, 1020), (1170, 1010), (1200, 700)],
    "olivar": [(0, 40), (640, 0), (700, 560), (60, 640)],
    "tunel": [(800, 300), (920, 300), (920, 400), (800, 400)],
    "bajo": [(740, -20), (1180, -40), (1200, 260), (960, 270), (740, 250)],
    "circulo": [
        (round(2150 + 391 * math.cos(math.tau * k / 36)), round(560 + 391 * math.sin(math.tau * k / 36)))
        for k in range(36)
    ],
    "mesa": [(80, 1060), (480, 1060), (480, 1285), (80, 1285)],
    "vega": [(1230, -60), (1700, -80), (1720, 500), (1240, 520)],
    "loma": [(560, 1060), (860, 1060), (860, 1300), (560, 1300)],
}
STATIONS_M: dict[str, tuple[float, float]] = {
    "norte-1/a": (180, 850),
    "norte-1/b": (430, 820),
    "norte-2/a": (880, 850),
    "ladera/a": (1330, 800),
    "olivar/a": (250, 330),
    "olivar/b": (460, 260),
    "tunel/a": (830, 350),
    "tunel/b": (890, 350),
    "tunel/t": (860, 336),
    "bajo/a": (820, 40),
    "bajo/b": (960, 110),
    "bajo/c": (1110, 200),
    "vega/a": (1470, 190),
    "circulo/a": (2290, 610),
    "mesa/a": (270, 1180),
    **{
        f"loma/n{n + 1:02d}": (585 + 50 * (n % NODES_ACROSS) + (7 * n) % 11 - 5,
                               1090 + 60 * (n // NODES_ACROSS) + (5 * n) % 13 - 6)
        for n in range(NODES_ACROSS * NODES_DOWN)
    },
}  # fmt: skip


def degrees(point: tuple[float, float]) -> list[float]:
    """A place of the demonstration [m] as longitude and latitude."""
    return [round(LON + point[0] / M_PER_LON, 6), round(LAT + point[1] / M_PER_LAT, 6)]


def outline(block: str) -> list[list[float]]:
    """Corners of a block [degrees]."""
    return [degrees(p) for p in CORNERS_M[block]]


def station_place(block: str, station: str) -> tuple[float, float]:
    """Longitude and latitude of a station [degrees]."""
    lon, lat = degrees(STATIONS_M[f"{block}/{station}"])
    return lon, lat


def sensor_type(block: BlockStory) -> str:
    """Type of a block's sensors."""
    if block.document["key"] == "mesa":
        return "tensiometer"
    if block.raw_unit == "kPa":
        return "granular matrix sensor"
    if block.raw_unit == "count":
        return "home-made capacitance sensor"
    return "capacitance sensor" if block.document["key"] == "ladera" else "profile probe"


def histories(season: Season) -> Document:
    """Devices, placements and every record of field and bench."""
    found: Document = {name: [] for name in ("devices", "placements", "procedure_runs", "visits")}
    for station in season.stations:
        _station(found, station)
    _replacement(found)
    _stock(found)
    _hand_gauges(found)
    found["batch_tests"] = [_batch("lote-1", 8, {0, 3, 6}, 11), _batch("lote-2", 10, set(range(10)) - {4}, 12)]
    found["devices"] += [_device(f"l1-{n + 1}", "home-made capacitance sensor", "lote-1", 1.5) for n in range(8)]
    found["channel_checks"] = [_channel_check()]
    found["uniformity_tests"] = [_cans()]
    found["spots"] = _spots()
    found["instrument_plans"] = [
        {"key": "norte-1", "choice": "profile-2", "seasons": 5.0, "note": "two probes, to see how uneven it is"},
        {"key": "olivar", "choice": "profile-2", "seasons": 5.0},
    ]
    return found


def _device(key: str, kind: str, batch: str, cost: float, shelf: str = "shed, shelf 2") -> Document:
    return {"key": key, "type": kind, "serial": key.upper(), "batch": batch, "cost": cost, "shelf": shelf,
            "bought_on": "2026-01-15"}  # fmt: skip


def _station(found: Document, station: SimulatedStation) -> None:
    block, story = station.block, station.story
    ref, kind = f"{block.document['key']}/{story.key}", sensor_type(block)
    since = f"{story.installed.isoformat()}T12:00"
    for number, depth in enumerate(story.depths_cm):
        if kind == "profile probe":
            device = f"pp-{ref.replace('/', '-')}"
        elif kind == "capacitance sensor":
            device = f"cs-{number + 1}"
        elif kind in ("granular matrix sensor", "tensiometer"):
            device = f"{'gm' if kind == 'granular matrix sensor' else 'te'}-{ref.replace('/', '-')}-{depth:g}"
        else:
            device = f"l2-{number + 1 + (5 if story.key == 'b' else 0)}"
        if not any(d["key"] == device for d in found["devices"]):
            batch, cost = {
                "profile probe": ("2025", 700.0),
                "capacitance sensor": ("2025-s", 120.0),
                "granular matrix sensor": ("2026-gm", 45.0),
                "tensiometer": ("2026-te", 100.0),
            }.get(kind, ("lote-2", 1.5))
            found["devices"].append(_device(device, kind, batch, cost, shelf=""))
        found["placements"].append({"sensor": f"{ref}/{depth:g}", "device": device, "since": since})
    names = {"profile probe": "profile", "granular matrix sensor": "hole", "tensiometer": "tensiometer"}
    name = "one-hole" if kind == "capacitance sensor" else names.get(kind, "pit")
    places = [SensorPlace(f"{d:g}", d) for d in story.depths_cm]
    channels = {f"{d:g}": f"{block.document['key']}-{story.key}-{d:g}" for d in story.depths_cm}
    started = datetime.combine(story.installed, datetime.min.time()).replace(hour=9)
    found["procedure_runs"].append(
        {
            **finished_run((f"install-{ref.replace('/', '-')}", name), places, started, _install_value(ref, channels)),
            "station": ref,
        }
    )
    found["visits"].append(
        {"key": f"first-{ref.replace('/', '-')}", "station": ref, "who": OTHER, "what": "visit",
         "at": f"{(story.installed + timedelta(1)).isoformat()}T08:00", "note": "readings arrive, flag stands"}
    )  # fmt: skip


Value = Callable[[Step, SensorPlace | None], dict[str, Any]]


def finished_run(
    named: tuple[str, str], places: Sequence[SensorPlace], started: datetime, value: Value, leave: int = 0
) -> Document:
    """A run of a procedure with all its required steps entered, but for the last ``leave``.

    ``named`` is the run's key and the procedure's name.
    """
    key, name = named
    ids = [one for one in step_ids(procedure(name), places) if one.step.required]
    done, at = {}, started
    for one in ids[: len(ids) - leave]:
        at += timedelta(minutes=(one.step.timer_min or 0) + 4)
        done[one.id] = {"at": at.isoformat(timespec="minutes"), "who": WHO, **value(one.step, one.sensor)}
    closed = None if leave else (at + timedelta(minutes=3)).isoformat(timespec="minutes")
    return {"key": key, "procedure": name, "started": started.isoformat(timespec="minutes"), "closed": closed,
            "done": done}  # fmt: skip


def _reading(step: Step) -> float:
    """A reading in air, or in the ground: kPa of a wet sensor, or % of a probe."""
    if step.high is not None and step.high <= 15:
        return 4.0
    return 2.0 if step.step == "read_before" else 24.0


def _install_value(ref: str, channels: dict[str, str]) -> Value:
    longitude, latitude = station_place(*ref.split("/"))

    by_step = {"bore": 105.0, "auger": 5.0}

    def value(step: Step, place: SensorPlace | None) -> dict[str, Any]:
        if step.entry == "place":
            return {"longitude": longitude, "latitude": latitude}
        if step.entry == "tick":
            return {}
        if place is not None and step.step in ("depth", "channel"):
            return {"value": float(place.depth_cm) if step.step == "depth" else channels[place.key]}
        if step.entry in ("text", "choice"):
            return {"value": step.options[0] if step.options else f"{ref}-{place.key}" if place else ref}
        return {"value": by_step.get(step.step, _reading(step))}

    return value


def _replacement(found: Document) -> None:
    old = next(d for d in found["devices"] if d["key"] == "cs-3")
    old |= {"shelf": "shed, to be thrown away", "note": "drifted dry from April on"}
    new = _device("cs-6", "capacitance sensor", "2025-s", 120.0, shelf="")
    found["devices"].append({**new, "calibrations": [PROBE_CALIBRATION]})
    placement = {"sensor": "ladera/a/45", "device": "cs-6", "since": "2026-05-12T10:30", "why": "the old one drifted"}
    found["placements"].append(placement)
    found["visits"].append(
        {"key": "replace-ladera-45", "station": "ladera/a", "at": "2026-05-12T10:30", "who": WHO, "what": "replacement",
         "note": "45 cm: cs-3 out, cs-6 in, same depth by ruler"}
    )  # fmt: skip
    found["visits"].append(
        {"key": "battery-norte-2", "station": "norte-2/a", "at": "2026-06-18T09:10", "who": OTHER, "what": "battery",
         "note": "changed at 3.4 V"}
    )  # fmt: skip


def _stock(found: Document) -> None:
    shelf = "shed, bucket 1"
    matrix = [_device(f"gm-{n}", "granular matrix sensor", "2026-gm", 45.0, shelf) for n in range(1, 9)]
    gauges = [_device(f"te-{n}", "tensiometer", "2026-te", 100.0, "shed, rack") for n in range(1, 4)]
    found["devices"] += matrix + gauges

    def cycle(dry_kpa: float, wet_kpa: float) -> Value:
        def value(step: Step, place: SensorPlace | None) -> dict[str, Any]:
            if step.entry != "number":
                return {}
            return {"value": dry_kpa if step.low and step.low > 100 else wet_kpa}

        return value

    for number, device in enumerate(matrix):
        started = datetime(2026, 3, 2, 18) if number < 6 else datetime(2026, 7, 11, 18)
        value = cycle(121.0 if number == 5 else 180.0 + number, 1.0 + number / 4)
        run = finished_run((f"cond-{device['key']}", "condition-a"), [], started, value, leave=6 if number > 5 else 0)
        found["procedure_runs"].append({**run, "device": device["key"]})
    for number, device in enumerate(gauges):
        value = cycle(0, 14.0 if number == 2 else 2.0)

        def service(step: Step, place: SensorPlace | None, other: Value = value) -> dict[str, Any]:
            return {"value": 82.0} if step.step == "pump" else other(step, place)

        run = finished_run((f"service-{device['key']}", "tensiometer-service"), [], datetime(2026, 3, 9, 9), service)
        found["procedure_runs"].append({**run, "device": device["key"]})


def _hand_gauges(found: Document) -> None:
    """The two tensiometers in the tunnel, from the rack, read by hand."""
    station, since = "tunel/t", "2026-04-28T12:00"
    for device, depth in (("te-1", 30), ("te-2", 50)):
        next(d for d in found["devices"] if d["key"] == device)["shelf"] = ""
        found["placements"].append({"sensor": f"{station}/{depth}", "device": device, "since": since})
    for key, at, what, note in (
        ("in-tunel-t", since, "installation", "two gauges by the door, filled and pumped"),
        ("fill-tunel-t", "2026-06-06T09:20", "service", "topped up with boiled water, cap tight"),
    ):
        visit = {"key": key, "station": station, "at": at, "who": OTHER, "what": what, "note": note}
        found["visits"].append(visit)


def _batch(name: str, count: int, good: set[int], seed: int) -> Document:
    random = np.random.default_rng(seed)
    prefix = "l1" if name == "lote-1" else "l2"
    sensors = []
    for number in range(count):
        scatter = 3.0 if number in good else 26.0
        air, water = 820 + random.normal(0, 8), 380 + random.normal(0, 8)
        repeats = [[round(float(middle + random.normal(0, scatter)), 1) for _ in range(5)] for middle in (air, water)]
        after = round(float(np.mean(repeats[1]) + random.normal(0, 3)), 1)
        sensors.append({"sensor": f"{prefix}-{number + 1}", "air": repeats[0], "water": repeats[1],
                        "after_days": after})  # fmt: skip
    note = "no regulator on most boards: sent back" if name == "lote-1" else "with regulator, 5 V supply"
    return {"key": name, "on": "2026-02-02" if name == "lote-1" else "2026-02-12", "who": WHO, "note": note,
            "sensors": sensors}  # fmt: skip


def _channel_check() -> Document:
    depths = (15, 30, 45, 60, 90)
    wired = {d: f"ladera-a-{d}" for d in depths} | {60: "ladera-a-90", 90: "ladera-a-60"}
    base = {f"ladera-a-{d}": 24.0 + d / 20 for d in depths}
    touches = []
    for depth in depths:
        after = {name: round(value + (9.5 if name == wired[depth] else 0.2), 2) for name, value in base.items()}
        touches.append({"sensor": f"{depth}", "before": base, "after": after})
    return {
        "key": "check-ladera-a", "station": "ladera/a", "at": "2026-02-20T16:40", "who": WHO, "swapped": True,
        "touches": touches, "channels": {f"{d}": f"ladera-a-{d}" for d in depths},
        "note": "60 and 90 cm were crossed at the logger",
    }  # fmt: skip


def _cans() -> Document:
    values = [22.0, 25.0, 27.0, 24.0, 30.0, 28.0, 26.0, 21.0, 29.0, 25.0, 27.0, 24.0, 20.0, 26.0, 28.0, 30.0]
    return {"key": "cans-ladera-2026", "system": "ladera", "kind": "cans", "values": values, "on": "2026-04-02",
            "who": OTHER, "note": "still morning, 4 x 4 grid"}  # fmt: skip


def _spots() -> list[Document]:
    good = {"level_ground": True, "no_runoff": True, "majority_soil": True, "average_yield": True, "full_stand": True,
            "no_wheel_track": True, "in_reach": True, "row_end_m": 90.0}  # fmt: skip
    drip = {**good, "emitter_cm": 8.0, "not_midway": True, "typical_plant": True}

    def spot(key: str, block: str, name: str, at: tuple[float, float], facts: Document, **more: Any) -> Document:
        longitude, latitude = degrees(at)
        return {"key": key, "block": block, "name": name, "longitude": longitude, "latitude": latitude, "facts": facts,
                **more}  # fmt: skip

    found = [
        spot("n1-west", "norte-1", "west, row 12", STATIONS_M["norte-1/a"], drip, row="12", inlet_m=60.0, chosen=True,
             station="a"),
        spot("n1-east", "norte-1", "east, row 31", STATIONS_M["norte-1/b"], {**drip, "emitter_cm": 9.0}, row="31",
             inlet_m=180.0, chosen=True, station="b"),
        spot("n1-gate", "norte-1", "by the gate", (30, 720), {**drip, "row_end_m": 12.0, "no_wheel_track": False}),
        spot("ol-new", "olivar", "middle, row 40", STATIONS_M["olivar/b"], drip, row="40", inlet_m=150.0, chosen=True,
             station="b"),
        spot("ol-hollow", "olivar", "by the old ditch", (600, 480), {**drip, "level_ground": False}),
    ]  # fmt: skip
    return found
