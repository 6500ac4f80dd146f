"""What is not to be trusted, or to be looked at, before acting on a block's advice."""

from collections.abc import Sequence

from embalse.core.delivery.delivery import Supply
from embalse.core.delivery.moving_systems import flow_m3_h
from embalse.core.delivery.set_parts import areas_needed
from embalse.core.practice import practice
from embalse.core.root_zone.root_zone import LayerState
from embalse.core.wording import Notice

WET_SHARE = practice("wet_top_share")
DRY_PART = practice("dry_below_part")


def uneven_caution(layers: Sequence[LayerState]) -> Notice | None:
    """A wet top over a dry subsoil: more water on top may not get down.

    Said when the uppermost layer holds at least 80 % of its available water while at least half of the root zone
    below it is past its refill point (shares [-] and depths [cm]; common practice, no source).

    Parameters
    ----------
    layers : sequence of LayerState
        States of the layers the roots reach, from the surface down.
    """
    used = [state for state in layers if state.layer.rooted_cm > 0]
    if len(used) < 2 or used[0].layer.share_available(used[0].theta) < WET_SHARE:
        return None
    below = used[1:]
    dry = [state for state in below if state.theta < state.layer.theta_refill]
    if sum(s.layer.rooted_cm for s in dry) < DRY_PART * sum(s.layer.rooted_cm for s in below):
        return None
    return Notice("caution.dry_below", from_cm=dry[0].layer.top_cm)


def supply_cautions(supply: Supply | None, rate_mm_h: float, area_ha: float, set_time_h: float | None) -> list[Notice]:
    """What a block asks of its supply beyond what that gives.

    Parameters
    ----------
    supply : Supply or None
        Flow limit [m³/h] and hours a day [h].
    rate_mm_h : float
        Application rate over what runs at once [mm/h].
    area_ha : float
        Area that runs at once [ha].
    set_time_h : float or None
        Advised set time [h].
    """
    if supply is None:
        return []
    found = []
    asked = flow_m3_h(rate_mm_h, area_ha)
    parts = areas_needed(asked, supply.flow_m3_h)
    if parts > 1:
        each = {"each_h": set_time_h, "total_h": None if set_time_h is None else parts * set_time_h}
        flows = {"needs_m3_h": asked, "gives_m3_h": supply.flow_m3_h}
        found.append(Notice("caution.supply_flow", supply=supply.name, **flows, parts=parts, **each))
    if supply.hours_per_day is not None and set_time_h is not None and set_time_h > supply.hours_per_day:
        found.append(Notice("caution.supply_hours", supply=supply.name, runs_h=supply.hours_per_day))
    return found
