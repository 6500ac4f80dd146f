"""What a decision on a block is taken from: its water, the weather ahead, its system and its rules, put together."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np

from embalse.core.advice.decision import DecisionInputs
from embalse.core.advice.due_date import Due
from embalse.core.advice.season_end import LastIrrigation, drying_days, last_irrigation
from embalse.core.advice.triggers import block_trigger, usual_uptake_share
from embalse.core.crop.crop_library import covers_unknown_ground
from embalse.core.crop.crop_use_factor import LOWEST_OPEN_RATIO, LOWEST_RATIO, crop_use
from embalse.core.crop.depletion_forecast import Course, at_time_of_day, course
from embalse.core.crop.dry_down import DailyUse, DawnStorage, NoTrend, daily_use
from embalse.core.crop.stages import CropCalendar
from embalse.core.crop.tree_signal import TreePlan, TreeVerdict, against_plan
from embalse.core.crop.yield_response import cycle_use_share, yield_loss_fraction, yield_response_factor
from embalse.core.delivery.capacity import Capacity, net_capacity
from embalse.core.delivery.infiltration import SOIL_OF_TEXTURE, intake_limit_mm_h
from embalse.core.delivery.irrigation_rules import DryWindow
from embalse.core.delivery.leaching import leaching_requirement, salt_threshold_ds_m
from embalse.core.delivery.moving_systems import furrow_sets
from embalse.core.delivery.set_amount import PULSED, SetRules
from embalse.core.errors import CoreError
from embalse.core.field.mark_estimates import adjusted_fraction
from embalse.core.root_zone.block import Block, Moment
from embalse.core.root_zone.root_zone import BlockState, LayerState
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.layers import Layer
from embalse.core.soil.soil import texture_class
from embalse.core.tables import crop_defaults
from embalse.core.weather.weather_outlook import Outlook
from embalse.core.wording import Notice, Text

HEAVINESS: Final = ("coarse", "light", "medium", "heavy")
WEEK: Final = 7  # days a mean of coming use is told for
# share of yield lost [-] from which a price in yield is told; less is within its error (ours)
PRICE_FROM: Final = 0.005


@dataclass(frozen=True)
class WaterUse:
    """How the water goes down: use as observed, or why not, and the course of the days ahead where weather is known.

    ``due`` is when the block is due where its rule is a reading or days since water.
    """

    use: DailyUse | CoreError
    course: Course | None
    why_no_weather: Text = ""
    due: Due | None = None


def block_water_use(block: Block, dawns: DawnStorage, moment: Moment, stress_from_mm: float = math.inf) -> WaterUse:
    """The course by weather and crop where both are known, else use from dawn to dawn [mm/day].

    ``stress_from_mm`` is the depletion from which the crop may take up less for want of water [mm].
    """
    outlook, calendar = moment.outlook, block.calendar
    if outlook is None:
        return WaterUse(_slope(dawns), None, Notice("no_weather.none"))
    if calendar is None:
        return WaterUse(_slope(dawns), None, Notice("no_weather.crop"))
    share = block.limits.wetted_fraction
    expected = _expected(outlook, calendar, share)
    lowest = LOWEST_OPEN_RATIO if covers_unknown_ground(block.crop) else LOWEST_RATIO
    factor = crop_use(dawns, expected, stress_from_mm, lowest)
    found = course(outlook, calendar, factor, share)
    if found is None:
        return WaterUse(_slope(dawns), None, Notice("no_weather.not_planted"))
    since_dawn = (moment.now - 86400 * moment.day - moment.dawn_offset_s) / 86400
    return WaterUse(_ahead(found), at_time_of_day(found, since_dawn) if since_dawn else found)


def _slope(dawns: DawnStorage) -> DailyUse | CoreError:
    try:
        return daily_use(dawns)
    except NoTrend as refusal:
        return refusal


@lru_cache(maxsize=256)
def _expected(outlook: Outlook, calendar: CropCalendar, share: float) -> dict[int, float]:
    """Kc × ETo ÷ wetted share of the past days [mm], worked out once for all blocks of a calendar and share."""
    days = np.array(list(outlook.past), dtype=np.int64)
    kc = calendar.kc_on(days)
    pairs = zip(days.tolist(), kc.tolist(), outlook.past.values(), strict=True)
    return {d: k * past.eto_mm / share for d, k, past in pairs if not math.isnan(k)}


def _ahead(found: Course) -> DailyUse:
    """Mean use of the coming week by weather with its 10 and 90 % [mm/day], in the place of the slope."""
    use, share = found.use, found.wetted_fraction
    low, mid, high = (mm / share for mm in found.means.week_mm_d)
    down, up = (math.hypot(f - use.factor, use.factor * (w - mid) / mid) for f, w in ((use.low, low), (use.high, high)))
    how = Notice("use_how.weather", factor=use.factor, how=use.how)
    day = found.outlook.first_day
    lowest, highest = max(0.0, (use.factor - down) * mid), (use.factor + up) * mid
    return DailyUse(use.factor * mid, lowest, highest, use.steps, day, day, False, how)


def used_since_mm(block: Block, water_use: WaterUse, moment: Moment, at: float) -> float | None:
    """Crop use since an instant [s, UTC] in the wetted soil [mm]: by weather day by day, else by the slope; or None."""
    if isinstance(water_use.use, CoreError):
        return None
    span = (moment.now - at) / 86400
    course, calendar = water_use.course, block.calendar
    if course is None or calendar is None:
        return span * water_use.use.mid_mm_d
    expected = _expected(course.outlook, calendar, block.limits.wetted_fraction)
    used = 0.0
    for day in range(math.floor((at - moment.dawn_offset_s) / 86400), moment.day + 1):
        begin = 86400.0 * day + moment.dawn_offset_s
        part = (min(moment.now, begin + 86400) - max(at, begin)) / 86400
        mm = expected.get(day, water_use.use.mid_mm_d / max(course.use.factor, 1e-9))
        used += max(0.0, part) * mm * course.use.factor
    return used


def filling_need_mm(states: Sequence[LayerState]) -> float:
    """Water that must come in at the top to bring every layer to full, layer by layer [mm].

    Water above full in a layer goes on down and makes good what lies below it, not what lies above it.
    """
    carried = need = 0.0
    for state in (s for s in states if s.layer.rooted_cm > 0):
        missing = state.layer.water_mm(state.layer.theta_full - state.theta)
        if missing < 0:
            carried -= missing
            continue
        filled = min(carried, missing)
        carried -= filled
        need += missing - filled
    return need


def decision_inputs(
    block: Block,
    state: BlockState,
    stations: Sequence[tuple[Sequence[LayerState], float]],
    water_use: WaterUse,
    moment: Moment,
) -> DecisionInputs:
    """Everything a decision is taken from.

    Parameters
    ----------
    block : Block
    state : BlockState
        Root zone of the block [mm].
    stations : sequence of (sequence of LayerState, float)
        States of the layers and root depth [cm], by usable station.
    water_use : WaterUse
    moment : Moment

    Raises
    ------
    CoreError
        If the water is too salt for the crop under the block's rules.
    """
    rules = block.rules

    def theta_at(layer: Layer, kpa: float) -> float | None:
        there = next((h for h in block.horizons if h.top_cm <= layer.depth_cm <= h.bottom_cm), None)
        return None if there is None else float(there.curve.theta(kpa))

    mid = None if isinstance(water_use.use, CoreError) else water_use.use.mid_mm_d
    trigger = block_trigger(state, stations, rules, theta_at, None if water_use.due is None else (water_use.due, mid))
    need = sum(filling_need_mm(layers) for layers, _ in stations) / len(stations)
    leaching = 0.0
    if rules.ec_water_ds_m is not None:
        bears = rules.ec_soil_ds_m if rules.ec_soil_ds_m is not None else salt_threshold_ds_m(block.crop)
        if bears is None:
            raise CoreError("ec_soil_ds_m", Notice("error.salt_unknown"))
        leaching = leaching_requirement(rules.ec_water_ds_m, bears)
    intake = rules.max_rate_mm_h or soil_intake_mm_h(block.horizons, block.slope_pct)
    return DecisionInputs(
        state=state,
        use=water_use.use,
        limits=block.limits,
        system=block.system,
        today=moment.day,
        rules=rules,
        course=water_use.course,
        trigger=trigger,
        capacity=_capacity(block, intake),
        windows=tuple((w, _dry_days(w, stations, water_use)) for w in block.windows if w.until >= moment.day),
        orders=block.orders,
        season=_season(block, state, water_use, moment.day),
        set_rules=SetRules(
            deep_extra_mm=max(0.0, need - max(0.0, state.depletion_mm)) if state.depletion_mm > 0 else 0.0,
            below_full_mm=(1 - rules.fill_share) * state.marks.taw_mm,
            leaching_fraction=leaching,
            intake_mm_h=intake,
            dose=block.dose,
        ),
        price=_price(block, state, trigger.depletion_mm, water_use),
        clock_h=moment.clock_h,
        parts=_parts(block),
        trees=_trees(block, moment.day),
    )


def _trees(block: Block, today: int) -> TreeVerdict | None:
    if block.trees is None:
        return None
    most, fruit = block.rules.shrinkage_most, block.rules.follow_fruit
    plan = TreePlan(most, block.rules.trunk_growth_mm_d, fruit) if most is not None or fruit else None
    return against_plan(block.trees, plan, today)


def _parts(block: Block) -> int:
    furrows = None if block.system is None else block.system.furrows
    return furrow_sets(furrows, block.area_ha) if furrows is not None and block.area_ha > 0 else 1


def _capacity(block: Block, intake_mm_h: float | None) -> Capacity | None:
    """What the system can give a day; from above no faster than the soil takes it on the ground that is wetted."""
    system = block.system
    if system is None:
        return None
    limited = system.kind in PULSED and intake_mm_h is not None
    takes = intake_mm_h * block.limits.wetted_fraction if limited and intake_mm_h is not None else None
    return net_capacity(system, block.area_ha, block.supply, takes)


def soil_intake_mm_h(horizons: Sequence[Horizon], slope_pct: float) -> float | None:
    """Largest rate the topsoil takes from above [mm/h], with what lies beneath and the slope [%]; None if unknown."""
    textures = tuple(texture_class(h.earth.sand_fraction, h.earth.clay_fraction) for h in horizons if h.top_cm < 100)
    return _intake(textures, slope_pct) if textures else None


@lru_cache(maxsize=256)
def _intake(textures: tuple[str, ...], slope_pct: float) -> float | None:
    heavy = [HEAVINESS.index(SOIL_OF_TEXTURE.get(t, "medium")) for t in textures]
    return intake_limit_mm_h(textures[0], slope_pct, any(h > heavy[0] for h in heavy[1:]))


def _daily(water_use: WaterUse, days: int) -> list[float]:
    """Crop use of the days ahead in the soil the sensors stand in [mm], carried on at the last week's mean."""
    if water_use.course is None:
        return [water_use.use.mid_mm_d] * days if isinstance(water_use.use, DailyUse) else []
    values: list[float] = water_use.course.daily_mm(days).tolist()
    values[0] *= water_use.course.today_share
    return values


def _dry_days(window: DryWindow, stations: Sequence[tuple[Sequence[LayerState], float]], water_use: WaterUse) -> int:
    """Days the top takes from full to its refill point [days], the mean of the stations."""
    use = _daily(water_use, WEEK * 3)
    found = []
    for layers, depth in stations:
        tops = [s.layer for s in layers if s.layer.rooted_cm > 0 and s.layer.top_cm < window.top_cm]
        water = sum(10 * (min(y.bottom_cm, window.top_cm) - y.top_cm) * (y.theta_full - y.theta_refill) for y in tops)
        found.append(drying_days(water, use, usual_uptake_share(0, min(depth, window.top_cm), depth)))
    return round(sum(found) / len(found))


def _season(block: Block, state: BlockState, water_use: WaterUse, today: int) -> LastIrrigation | None:
    """The end of the season where a person has entered it and weather is known."""
    last = block.rules.last_day
    if last is None or last < today or water_use.course is None or block.calendar is None:
        return None
    days = last - today + 1
    use = _daily(water_use, days)
    later = np.arange(today + len(use), last + 1)
    eto = float(water_use.course.outlook.eto_mm[:, -1].mean())
    use += (water_use.course.use.factor * block.calendar.kc_on(later) * eto / block.limits.wetted_fraction).tolist()
    rain = float(np.median(water_use.course.rain_mm[:, :days].sum(axis=1)))
    share = block.rules.end_share
    allowed = state.marks.allowable_mm if share is None else share * state.marks.taw_mm
    return last_irrigation(use, rain, state.worst_mm, allowed)


def _price(block: Block, state: BlockState, trigger_mm: float, water_use: WaterUse) -> Notice | None:
    """What waiting for the trigger costs in crop use and yield; None when it costs nothing or is unknown."""
    defaults = crop_defaults(block.crop)
    if defaults is None or water_use.course is None:
        return None
    etc = water_use.course.use.factor * water_use.course.means.week_mm_d[1]
    taw = state.marks.taw_mm
    raw = adjusted_fraction(defaults.depletion_fraction, etc) * taw
    share = cycle_use_share(taw, raw, trigger_mm)
    if 1 - share < PRICE_FROM:
        return None
    ky = yield_response_factor(defaults.crop)
    stress = {"raw_mm": raw, "taw_mm": taw}
    if ky is None:
        return Notice("deficit.use", use_fraction=1 - share, **stress)
    return Notice("deficit.yield", loss_fraction=yield_loss_fraction(ky, share), ky=ky, **stress)
