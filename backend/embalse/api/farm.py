"""The farm: what it is, and bringing it to a document."""

from flask import Response
from flask_openapi3 import APIBlueprint

from embalse.api.answers import FAULTS, answer
from embalse.api.schemas import (
    ApplyOut,
    BlockName,
    ChoicesOut,
    CropOut,
    FarmOut,
    LinesIn,
    SampleFileOut,
    SensorOut,
    SensorsOut,
    TakenBackOut,
    TroubleOut,
)
from embalse.api.signing import check_kinds, somebody
from embalse.core.crop.crop_library import lacks
from embalse.core.soil.layers import usual_depths_cm
from embalse.core.tables import crops, texture_centres
from embalse.core.wording import Notice
from embalse.services import helpers, times
from embalse.services.advice import season
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.document.taking_back import take_back
from embalse.services.intake.import_plan import USUAL_UNIT
from embalse.services.intake.sample_file import IS_SAMPLE
from embalse.services.load import clock
from embalse.services.reader import say
from embalse.store import farm as store
from embalse.store import imports
from embalse.store.rows import SensorRow

farm_api = APIBlueprint("farm", __name__, url_prefix="/api")


@farm_api.get("/farm", responses={"200": FarmOut, **FAULTS}, operation_id="farm")
def farm() -> Response:
    """The farm, its clock and its blocks."""
    known = store.farm()
    if known is None:
        unknown = {"set_up": False, "clock_held": False, "units": "metric", "farm_units": "metric", "sensors": 0}
        return answer(FarmOut.model_validate({**unknown, "name": "", "time_zone": "", "now": "", "blocks": []}))
    rows = store.farm_rows()
    soils = {id_: key for id_, key, _ in store.soils()}
    return answer(
        FarmOut(
            set_up=True,
            name=known.name,
            time_zone=known.time_zone,
            units="us" if (somebody().units or known.units) == "us" else "metric",
            farm_units="us" if known.units == "us" else "metric",
            now=times.iso(clock.farm_now(known), known.time_zone) or "",
            clock_held=known.clock_at is not None,
            blocks=[
                BlockName(key=b.key, name=b.name, crop=b.crop, area_ha=b.area_ha, soil=soils[b.soil_id])
                for b in rows.blocks
            ],
            sensors=sum(len(group) for group in rows.sensors.values()),
            troubles=[
                TroubleOut(what=t.what, since=times.iso(t.since, known.time_zone) or "", why=t.why)
                for t in helpers.troubles()
            ],
            samples=[SampleFileOut(id=id_, file_name=name) for id_, name in imports.with_message(IS_SAMPLE)],
        )
    )


@farm_api.post("/farm", responses={"200": ApplyOut, **FAULTS}, operation_id="applyFarm")
def apply_farm(body: FarmDocument) -> Response:
    """Create or update what a farm document names."""
    report = apply_document(body, check_kinds)
    return answer(ApplyOut.of(report))


@farm_api.post("/farm/take-back", responses={"200": TakenBackOut, **FAULTS}, operation_id="takeBackEntry")
def take_back_entry(body: LinesIn) -> Response:
    """Take back what was just entered, as long as nothing was built on it."""
    return answer(TakenBackOut(count=take_back(body.first, body.last, check_kinds)))


@farm_api.get("/sensors", responses={"200": SensorsOut, **FAULTS}, operation_id="sensors")
def sensors() -> Response:
    """All sensors, for mapping columns."""
    rows = store.farm_rows()
    blocks = {b.id: b for b in rows.blocks}
    found, beside = [], []
    for block_id, stations in rows.stations.items():
        for station in stations:
            for sensor in rows.sensors.get(station.id, []):
                label = say(
                    Notice("label.sensor", block=blocks[block_id].name, station=station.name, depth_cm=sensor.depth_cm)
                )
                found.append(
                    SensorOut(
                        ref=sensor.ref,
                        label=label,
                        depth_cm=sensor.depth_cm,
                        raw_unit=sensor.raw_unit,
                        channel=sensor.channel,
                    )
                )
                beside += _companions(sensor, rows.companions.get(sensor.id, []), label)
    return answer(SensorsOut(sensors=found + beside))


COMPANION_WORDS = {
    "temperature": "soil temperature", "salinity": "soil salinity", "trunk": "trunk gauge", "air": "air temperature",
    "leaf-wetness": "leaf wetness", "water-on": "water on",
}  # fmt: skip


def _companions(sensor: SensorRow, there: list[SensorRow], label: str) -> list[SensorOut]:
    """What else is, or could be, measured at a sensor's depth."""
    known = {c.quantity: c for c in there}
    return [
        SensorOut(
            ref=f"{sensor.ref}.{quantity}",
            label=f"{label}, {COMPANION_WORDS[quantity]}",
            depth_cm=sensor.depth_cm,
            raw_unit=known[quantity].raw_unit if quantity in known else unit,
            channel=known[quantity].channel if quantity in known else "",
        )
        for quantity, unit in USUAL_UNIT.items()
    ]


@farm_api.get("/choices", responses={"200": ChoicesOut, **FAULTS}, operation_id="choices")
def choices() -> Response:
    """Texture classes and crops the set-up form offers."""
    listed = [
        CropOut(
            crop=c.crop,
            root_depth_cm=c.root_depth_min_cm,
            allowable_depletion_fraction=c.depletion_fraction,
            sensor_depths_cm=usual_depths_cm(c.root_depth_min_cm),
            lacks=lacks(c.crop),
        )
        for c in crops().values()
    ]
    return answer(ChoicesOut(textures=list(texture_centres()), crops=listed))


@farm_api.get("/season", responses={"200": season.SeasonContent, **FAULTS}, operation_id="season")
def season_ribbon() -> Response:
    """Sets and rain by day."""
    return answer(season.season_content())
