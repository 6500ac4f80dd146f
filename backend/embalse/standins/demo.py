"""Making the demonstration: the simulated season goes in through the same doors as a user's data."""

import csv
import json
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from embalse.core.access.roles import Role
from embalse.ingest.layout import inspect_file
from embalse.services.admin.people import make_demo_people
from embalse.services.advice.model_keeping import keep_models_now
from embalse.services.advice.mornings import keep_mornings
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import parse_document
from embalse.services.intake.import_plan import ImportPlan, signature
from embalse.services.intake.imports import run_import
from embalse.standins.advance import make_gateways
from embalse.standins.demo_by_hand import (
    GAUGE_ABOVE_SOIL_CM,
    HAND_BLOCK,
    HAND_STATION,
    read_by_hand,
    read_every_morning,
)
from embalse.standins.demo_deciding import deciding_parts
from embalse.standins.demo_farm import END, Season, simulate
from embalse.standins.demo_histories import SUPPLIES, histories, outline, sensor_type, station_place
from embalse.standins.demo_planning import last_nights, water_parts
from embalse.standins.demo_practice import STUB, STUB_BLOCK, practice_parts
from embalse.standins.demo_soil_water import soil_water_parts, write_trunk_file
from embalse.standins.demo_stories import BLOCKS, PROBE_CALIBRATION, SOILS, SYSTEMS, BlockStory
from embalse.standins.logger_files import column_name, write_logger_file
from embalse.standins.valve_process import enter_valves
from embalse.store import farm as farm_store
from embalse.store import imports as import_store
from embalse.store.changes import Actor, acting
from embalse.store.database import open_database, transaction
from embalse.store.errors import Conflict

NAME = "Los Tarayes"
PEOPLE: list[tuple[str, str, Role, bool]] = [
    ("owner", "Demo owner", "owner", False),
    ("manager", "Demo manager", "manager", True),
    ("agronomist", "Demo agronomist", "agronomist", False),
    ("hand", "Demo field hand", "field hand", False),
]
OWNER = Actor("Demo owner", "owner", at=int(datetime(2026, 3, 2, 8, tzinfo=UTC).timestamp()))
AGRONOMIST = Actor("Demo agronomist", "agronomist", at=int(datetime(2026, 3, 2, 9, tzinfo=UTC).timestamp()))
MANAGER = Actor("Demo manager", "manager", at=int(datetime(2026, 7, 14, 3, 40, tzinfo=UTC).timestamp()))
TIME_ZONE = "Europe/Madrid"
WHO_PLANS = "Demo manager"


def ensure_demo(data: Path, database: Path, reset: bool, say: Callable[[str], None]) -> bool:
    """Make the demonstration farm unless it is there; returns whether it was made.

    A database is made under another name and takes its place only when it is whole.

    Raises
    ------
    Conflict
        If the folder holds a farm that is not the demonstration; it is never replaced.
    """
    if database.exists():
        open_database(database)
        farm = farm_store.farm()
        if farm is not None and farm.clock_at is None:
            raise Conflict("database", f"{data} holds a farm of your own; set EMBALSE_DATA to another folder")
        if farm is not None and not reset:
            return False
    folder = data / "demo"
    folder.mkdir(parents=True, exist_ok=True)
    unfinished = database.with_suffix(".making")
    for old in (unfinished, *_companions(unfinished)):
        old.unlink(missing_ok=True)
    say("Simulating the season of a made-up farm …")
    season = simulate()
    open_database(unfinished)
    _fill(season, folder, say)
    _write_truth(folder / "truth.csv", season)
    open_database(unfinished)
    for old in (database, *_companions(database)):
        old.unlink(missing_ok=True)
    _settle(unfinished, database)
    return True


def _companions(path: Path) -> list[Path]:
    return [path.with_name(path.name + ending) for ending in ("-wal", "-shm")]


def _settle(unfinished: Path, database: Path) -> None:
    import contextlib
    import sqlite3

    with contextlib.closing(sqlite3.connect(unfinished)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    unfinished.rename(database)
    open_database(database)


def _fill(season: Season, folder: Path, say: Callable[[str], None]) -> None:
    document = folder / "farm.json"
    document.write_text(json.dumps(farm_document(season), ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
    with acting(OWNER):
        make_demo_people(PEOPLE)
    with acting(AGRONOMIST):
        applied = apply_document(parse_document(document.read_bytes()))
    say(f"Setting up: {applied.sentence()}.")
    with transaction():
        farm_store.hold_clock(int(END.timestamp()))
    for block in (b for b in BLOCKS if not b.by_hand):
        _import(*write_logger_file(folder, block, season), f"{block.document['name']} logger", say)
    _import(*write_trunk_file(folder, season), "Olivar trunk gauge", say)
    with transaction():
        import_store.date_files(AGRONOMIST.at or 0)
    for known, part in last_nights(season):
        with acting(Actor(WHO_PLANS, "manager", at=int(known.timestamp()))):
            apply_document(parse_document(json.dumps(part)))
    with acting(MANAGER):
        make_gateways(folder)
        enter_valves(folder)
    say(f"Read by hand: {read_by_hand(season) + read_every_morning(season)} readings.")
    say(f"Kept the answers of {keep_mornings()} mornings.")
    say(f"Fitted the models of {keep_models_now()} blocks to their own probes.")


def _import(path: Path, plan: ImportPlan, profile: str, say: Callable[[str], None]) -> None:
    with acting(MANAGER):
        report = run_import(path, path.name, plan)
    if report.status != "done":
        raise RuntimeError(f"{path.name}: {report.message} {report.refusals[:3]}")
    with transaction():
        import_store.save_profile(profile, signature(inspect_file(path)), plan.model_dump(mode="json"))
    say(f"Imported {path.name}: {report.readings_new} readings.")


def farm_document(season: Season) -> dict[str, Any]:
    """The demonstration as a farm document."""
    return {
        "embalse": 1,
        "farm": {"name": NAME, "time_zone": TIME_ZONE, "units": "metric"},
        "soils": SOILS,
        "supplies": SUPPLIES,
        "systems": SYSTEMS,
        "blocks": [_block(b, season) for b in BLOCKS],
        **histories(season),
        **soil_water_parts(season),
        **deciding_parts(),
        **water_parts(season),
        **_practice(season),
        "sets": season.sets,
        "rain": season.rain,
    }


def _practice(season: Season) -> dict[str, Any]:
    """What people in the field told, with the runs of the bench and the stations before its own."""
    parts = practice_parts()
    return {**parts, "procedure_runs": [*histories(season)["procedure_runs"], *parts["procedure_runs"]]}


def _block(block: BlockStory, season: Season) -> dict[str, Any]:
    stations = []
    for simulated in (s for s in season.stations if s.block is block):
        kind = sensor_type(block)
        sensors = []
        for depth in simulated.story.depths_cm:
            sensor: dict[str, Any] = {
                "depth_cm": depth,
                "type": kind,
                "channel": column_name(block, simulated, depth),
                "raw_unit": block.raw_unit,
            }
            if kind == "tensiometer":
                sensor["gauge_above_cm"] = depth + GAUGE_ABOVE_SOIL_CM
            if block.raw_unit == "%" and block.calibrated:
                sensor["calibrations"] = [PROBE_CALIBRATION]
            sensors.append(sensor)
        story = simulated.story
        longitude, latitude = station_place(block.document["key"], story.key)
        stations.append(
            {
                "key": story.key,
                "name": story.name,
                "longitude": longitude,
                "latitude": latitude,
                "installed": f"{story.installed.isoformat()}T12:00",
                "read_every_days": 1 if block.by_hand else None,
                "bottom_cm": story.bottom_cm,
                "sensors": sensors,
            }
        )
    stations += [HAND_STATION] if block.document["key"] == HAND_BLOCK else []
    stations += [STUB] if block.document["key"] == STUB_BLOCK else []
    return {**block.document, "outline": outline(block.document["key"]), "stations": stations}


def _write_truth(path: Path, season: Season) -> None:
    """True depletion, drainage and runoff of every station and hour, kept beside the readings for tests [mm]."""
    names = [f"{s.block.document['key']}/{s.story.key}" for s in season.stations]
    with path.open("w", newline="", encoding="utf-8") as stream:
        table = csv.writer(stream)
        table.writerow(["ts", "station", "depletion_mm", "drained_mm", "runoff_mm"])
        for index, second in enumerate(season.hours):
            for number, name in enumerate(names):
                values = (
                    season.depletion_mm[index, number],
                    season.drained_mm[index, number],
                    season.runoff_mm[index, number],
                )
                table.writerow([second, name, *(f"{value:.3f}" for value in values)])
