"""The bench beyond the batch test: checks of single sensors, numbers to program into a reader, cells, season's end."""

import json
from collections.abc import Mapping

from pydantic import BaseModel, Field

from embalse.core.crop.landscape import SOURCE, landscape_coefficient
from embalse.core.install.access_tubes import DEPTH_SETS, TubeCut, tube_parts
from embalse.core.install.batch_test import BatchTest, batch_test
from embalse.core.install.bench_checks import BenchReading, PowerBudget, battery_life, bench_checks
from embalse.core.install.take_out import take_out
from embalse.core.sensors.wetness_index import class_limits
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.harvest import harvest_day
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.schema.practice import BenchReadingPart
from embalse.services.schema.records import BatchTestPart, ProcedureRunPart
from embalse.store import farm as farm_store
from embalse.store import records as record_store


class BenchCheckOut(Content):
    """A check of a sensor: what was found, whether it passes (null: not tried), and the words."""

    check: str
    passes: bool | None
    words: Words


class ClassOut(Content):
    """A class of the index with the raw numbers it lies between, the drier end first."""

    word: str
    from_raw: float
    to_raw: float


class SensorChecksOut(Content):
    """A sensor of the bench with its checks, and its classes to program into a reader."""

    sensor: str
    batch: str
    span: float
    checks: list[BenchCheckOut]
    classes: list[ClassOut]


class StationOutOut(Content):
    """A station and when it comes out."""

    station: str
    name: str
    state: str
    by: str | None
    words: Words


class RefurbishOut(Content):
    """A sensor that came out, and what is to become of it."""

    sensor: str
    station: str
    what: str
    on: str | None


class BenchPracticeContent(Content):
    """Checks of single sensors and the season's end."""

    sensors: list[SensorChecksOut]
    stations: list[StationOutOut]
    refurbish: list[RefurbishOut]


def bench_practice_content() -> BenchPracticeContent:
    """Checks, raw limits of the classes, and what comes out when; raises Conflict when no farm is set up."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    return BenchPracticeContent(
        sensors=_sensors(),
        stations=_stations(now, farm.time_zone),
        refurbish=_refurbish(farm.time_zone),
    )


def _sensors() -> list[SensorChecksOut]:
    readings: dict[str, list[BenchReading]] = {}
    for row in record_store.records("bench_readings"):
        part = BenchReadingPart.model_validate(json.loads(row.body))
        mean = sum(part.readings) / len(part.readings)
        day = times.day_number(part.on)
        one = BenchReading(part.medium, mean, part.supply_v, day, part.bulk_density_g_cm3, part.theta)
        readings.setdefault(part.sensor, []).append(one)
    tested = {s.sensor: (s, t.batch) for t in _batches() for s in t.sensors}
    found = []
    for name, (test, batch) in tested.items():
        if test.span <= 0:
            continue
        checks = bench_checks(readings.get(name, []), test.span)
        classes = class_limits(test.air.mean, test.water.mean)
        found.append(
            SensorChecksOut(
                sensor=name,
                batch=batch,
                span=test.span,
                checks=[BenchCheckOut(check=c.check, passes=c.passes, words=say(c.words)) for c in checks],
                classes=[ClassOut(word=w, from_raw=a, to_raw=b) for w, a, b in classes],
            )
        )
    return found


def _batches() -> list[BatchTest]:
    parts = [BatchTestPart.model_validate(json.loads(r.body)) for r in record_store.records("batch_tests")]
    return [batch_test(p.key, p.readings(), p.limits()) for p in parts]


def _stations(now: int, zone: str) -> list[StationOutOut]:
    rows = farm_store.farm_rows()
    found = []
    for block in core_blocks(rows, now):
        told = take_out(block.crop, harvest_day(block), times.local_day(now, zone))
        for station in block.stations:
            found.append(
                StationOutOut(
                    station=f"{block.key}/{station.key}",
                    name=f"{block.name}, {station.name}",
                    state=told.state,
                    by=None if told.day is None else times.day_of(told.day).isoformat(),
                    words=say(told.words),
                )
            )
    return sorted(found, key=lambda s: (s.by is None, s.by or "", s.name))


def _refurbish(zone: str) -> list[RefurbishOut]:
    """What was written when sensors were pulled, the newest first."""
    found = []
    for row in record_store.records("procedure_runs"):
        part = ProcedureRunPart.model_validate(json.loads(row.body))
        if part.procedure != "remove":
            continue
        for id_, done in part.done.items():
            if id_.endswith(":worth"):
                at = times.epoch(done.at, zone)
                sensor = f"{part.station}/{id_.split(':')[0]}"
                on = times.day_of(times.local_day(at, zone)).isoformat()
                found.append(RefurbishOut(sensor=sensor, station=part.station or "", what=str(done.value), on=on))
    return sorted(found, key=lambda r: r.on or "", reverse=True)


class PowerOut(BaseModel):
    """How long a logger's cells last [days], null where the sun makes good what is drawn."""

    days: float | None
    draw_mah_d: float
    asleep_fraction: float


def power_content(values: Mapping[str, float]) -> PowerOut:
    """Battery life from sleep, interval and cells (units in the names); raises CoreError naming the field."""
    found = battery_life(PowerBudget(**values))
    return PowerOut(days=found.days, draw_mah_d=found.draw_mah_d, asleep_fraction=found.asleep_share)


class TubePartOut(BaseModel):
    """A part for the tubes."""

    part: str
    amount: float
    unit: str
    price: float
    cost: float


class DepthSetOut(BaseModel):
    """A set of depths in use [cm]."""

    name: str
    depths_cm: list[float]


def depth_sets() -> list[DepthSetOut]:
    """Sets of depths to choose from."""
    return [DepthSetOut(name=name, depths_cm=list(depths)) for name, depths in DEPTH_SETS.items()]


def parts_of(cuts: list[TubeCut], prices: Mapping[str, float]) -> list[TubePartOut]:
    """Parts and cost of a set of tubes; raises CoreError."""
    return [TubePartOut(**vars(part)) for part in tube_parts(cuts, prices)]


class LandscapeOut(BaseModel):
    """A landscape coefficient with its range, and where it is from."""

    mid: float
    low: float
    high: float
    source: str = Field(description="where the factors are from")


def landscape_content(species: str, density: str, microclimate: str) -> LandscapeOut:
    """Kc of a planting that is no field; raises CoreError naming the factor."""
    found = landscape_coefficient(species, density, microclimate)
    return LandscapeOut(mid=found.mid, low=found.low, high=found.high, source=SOURCE)
