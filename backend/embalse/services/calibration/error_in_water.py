"""What an error of water content means in a block's root zone, and how many samples it wants."""

from embalse.core.errors import CoreError
from embalse.core.root_zone.block import Block
from embalse.core.sensors.sampling_plan import MeantInWater, meant_in_water, sampling_plan
from embalse.core.soil.layers import Layer
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.store import farm as farm_store
from embalse.store.errors import NotFound


class SampleStepOut(Content):
    """A round of sampling."""

    when: Words
    depths_cm: list[float]
    each: int


class SamplingPlanContent(Content):
    """A field sampling plan of a block, with the stations and depths to sample beside."""

    block: str
    name: str
    within_mm: float
    samples: int
    expected_mm: float
    words: Words
    steps: list[SampleStepOut]
    stations: list[str]
    depths_cm: list[float]
    cautions: list[Words]


SAMPLING_CAUTIONS = (
    "ask about buried cables and pipes before you auger",
    "sample a hand's breadth from the sensor, never at it: the hole would steer its water",
    "oven at 105 °C: gloves, a tray, no plastic; let tins cool before weighing",
)


def meaning_for(block_key: str, own_theta: float, shared_theta: float) -> MeantInWater | None:
    """What errors of a calibration [m³/m³] mean in a block's root zone, None where its layers are not known."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    try:
        rows = farm_store.farm_rows([block_key])
    except NotFound:
        return None
    analysis = analyse_blocks(farm, rows, core_blocks(rows, now), now)[0]
    layers = next((s.layers for s in analysis.stations if s.layers), ())
    if not layers:
        return None
    mm = [10 * layer.rooted_cm for layer in layers if layer.rooted_cm > 0]
    return meant_in_water(own_theta, shared_theta, mm, analysis.use.mid_mm_d if analysis.use else None)


def plan_content(block_key: str, within_mm: float) -> SamplingPlanContent:
    """A field sampling plan for a block; raises NotFound, and CoreError when none can be made."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    rows = farm_store.farm_rows([block_key])
    block: Block = core_blocks(rows, now)[0]
    analysis = analyse_blocks(farm, rows, [block], now)[0]
    layers: tuple[Layer, ...] = next((s.layers for s in analysis.stations if s.layers), ())
    used = [layer for layer in layers if layer.rooted_cm > 0]
    if not used:
        raise CoreError("block", "no station's layers are known yet, so there is nothing to plan for")
    depths = [layer.depth_cm for layer in used]
    plan = sampling_plan(depths, 10 * sum(layer.rooted_cm for layer in used), within_mm)
    return SamplingPlanContent(
        block=block.key,
        name=block.name,
        within_mm=within_mm,
        samples=plan.samples,
        expected_mm=plan.expected_mm,
        words=say(plan.words),
        steps=[SampleStepOut(when=s.when, depths_cm=list(s.depths_cm), each=s.each) for s in plan.steps],
        stations=[s.name for s in block.stations],
        depths_cm=depths,
        cautions=list(SAMPLING_CAUTIONS),
    )
