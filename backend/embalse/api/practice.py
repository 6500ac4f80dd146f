"""Practice of the field: bench checks, cells, tubes' parts, landscape, basins, stages, rates, and two ways compared."""

from typing import Annotated, Literal

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import Field

from embalse.api.answers import FAULTS, answer, checked_moment
from embalse.api.schemas import AsOfQuery, BlockPath, In
from embalse.services.audit import two_ways
from embalse.services.schema.base import Number
from embalse.services.setup import bench_practice, field_practice

practice_api = APIBlueprint("practice", __name__, url_prefix="/api")
Level = Literal["very low", "low", "moderate", "high"]
AtLeastNil = Annotated[Number, Field(ge=0, le=1e9)]
Above = Annotated[Number, Field(gt=0, le=1e9)]


class PowerIn(In):
    """A logger's draw and its cells."""

    sleep_ua: AtLeastNil
    awake_ma: Above
    awake_s: Above
    every_min: Annotated[Number, Field(gt=0, le=1440)]
    capacity_mah: Above
    charged_mah_d: AtLeastNil = 0.0


class LandscapeIn(In):
    """Species, density and microclimate of a planting."""

    species: Level
    density: Literal["low", "moderate", "high"] = "moderate"
    microclimate: Literal["low", "moderate", "high"] = "moderate"


class BasinIn(In):
    """A basin that catches rain, and what is asked of it a week."""

    holds_m3: Above
    catchment_m2: AtLeastNil
    runoff_fraction: Annotated[Number, Field(ge=0, le=1)] = 0.8
    surface_m2: AtLeastNil = 0.0
    weekly_m3: AtLeastNil


@practice_api.get(
    "/bench/practice", responses={"200": bench_practice.BenchPracticeContent, **FAULTS}, operation_id="benchPractice"
)
def bench() -> Response:
    """Checks of single sensors, class limits in raw numbers, what comes out of the ground when."""
    return answer(bench_practice.bench_practice_content())


@practice_api.post("/bench/power", responses={"200": bench_practice.PowerOut, **FAULTS}, operation_id="power")
def power(body: PowerIn) -> Response:
    """How long a logger's cells last; nothing is stored."""
    return answer(bench_practice.power_content(body.model_dump()))


@practice_api.post("/landscape", responses={"200": bench_practice.LandscapeOut, **FAULTS}, operation_id="landscape")
def landscape(body: LandscapeIn) -> Response:
    """A landscape coefficient; nothing is stored."""
    return answer(bench_practice.landscape_content(body.species, body.density, body.microclimate))


@practice_api.post("/rain-basin", responses={"200": field_practice.BasinOut, **FAULTS}, operation_id="rainBasin")
def basin(body: BasinIn) -> Response:
    """What a rain basin would have given by the weather on record; nothing is stored."""
    return answer(
        field_practice.basin_content(
            body.holds_m3, body.catchment_m2, body.runoff_fraction, body.surface_m2, body.weekly_m3
        )
    )


@practice_api.get(
    "/blocks/<key>/stages", responses={"200": field_practice.StagesContent, **FAULTS}, operation_id="stages"
)
def stages(path: BlockPath, query: AsOfQuery) -> Response:
    """Names of a block's stages and what was seen of them."""
    return answer(field_practice.stages_content(path.key, checked_moment(query.as_of)))


@practice_api.get(
    "/blocks/<key>/redesign", responses={"200": field_practice.RedesignContent, **FAULTS}, operation_id="redesign"
)
def redesign(path: BlockPath) -> Response:
    """Which rate of sprinkling fits the block's soil and slope."""
    return answer(field_practice.redesign_content(path.key))


@practice_api.get("/comparisons", responses={"200": two_ways.ComparisonsContent, **FAULTS}, operation_id="comparisons")
def comparisons(query: AsOfQuery) -> Response:
    """Two blocks watered in two ways, week by week."""
    return answer(two_ways.comparisons_content(checked_moment(query.as_of)))
