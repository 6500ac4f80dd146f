"""What calls for water, told as a depletion of the root zone whatever the school."""

import math
import statistics
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from embalse.core.advice.due_date import Due
from embalse.core.delivery.irrigation_rules import BlockRules
from embalse.core.root_zone.root_zone import BlockState, LayerState
from embalse.core.soil.layers import Layer
from embalse.core.wording import Notice

QUARTER_SHARES = (0.4, 0.3, 0.2, 0.1)
"""Share of the uptake from each quarter of the root depth, from the top (common practice, no source)."""


@dataclass(frozen=True)
class Trigger:
    """Depletion of the root zone at which water is called for [mm], and the rule it follows from."""

    depletion_mm: float
    rule: Notice


def usual_uptake_share(top_cm: float, bottom_cm: float, root_depth_cm: float) -> float:
    """Share of the uptake a layer gives when nothing better is known [-]: 40, 30, 20 and 10 % by quarters.

    Examples
    --------
    >>> round(usual_uptake_share(0, 30, 60), 3)
    0.7
    """
    quarter = root_depth_cm / 4
    found = 0.0
    for number, share in enumerate(QUARTER_SHARES):
        inside = min(bottom_cm, (number + 1) * quarter) - max(top_cm, number * quarter)
        found += share * max(0.0, inside) / quarter
    return found


def _share_rule(rules: BlockRules) -> Notice:
    if rules.trigger_share >= 1:
        return Notice("rule.root_zone")
    return Notice("rule.share", share_fraction=rules.trigger_share)


def _due_trigger(state: BlockState, due: tuple[Due, float | None], refill: Trigger) -> Trigger:
    """The depletion the root zone will have when the block is due [mm]; the usual one where that cannot be told."""
    found, use = due
    if found.days is None:
        return Trigger(refill.depletion_mm, Notice("rule.instead", instead=refill.rule, why=found.why_not))
    if found.days.mid <= 0:
        return Trigger(state.depletion_mm, found.rule)
    if use is None:
        return Trigger(refill.depletion_mm, Notice("rule.instead", instead=refill.rule, why=Notice("due.no_use")))
    return Trigger(state.depletion_mm + found.days.mid * use, found.rule)


def block_trigger(
    state: BlockState,
    stations: Sequence[tuple[Sequence[LayerState], float]],
    rules: BlockRules,
    theta_at: Callable[[Layer, float], float | None],
    due: tuple[Due, float | None] | None = None,
) -> Trigger:
    """The depletion that calls for water under a block's rule.

    A layer past its own mark is told as the depletion the root zone will have when that layer gets there, by the share
    the layer has in the uptake.

    Parameters
    ----------
    state : BlockState
        Depletion and marks of the block [mm].
    stations : sequence of (sequence of LayerState, float)
        States of the layers, and root depth [cm], by station.
    rules : BlockRules
    theta_at : callable
        Water content of a layer [m³/m³] at a tension [kPa], None where the soil there is not described.
    due : (Due, float), optional
        When the block is due by a reading or by days, with its use [mm/day] where that is known.

    Returns
    -------
    Trigger
    """
    refill = Trigger(rules.trigger_share * state.marks.allowable_mm, _share_rule(rules))
    if due is not None:
        return _due_trigger(state, due, refill)
    if rules.trigger == "any layer":
        left = [_first_layer_mm(layers, depth) for layers, depth in stations]
        return Trigger(state.depletion_mm + statistics.fmean(left), Notice("rule.any_layer"))
    if rules.trigger == "upper tension" and rules.tension_kpa is not None and rules.tension_to_cm is not None:
        kpa, to_cm = rules.tension_kpa, rules.tension_to_cm
        upper = [_upper_mm(layers, depth, to_cm, lambda layer: theta_at(layer, kpa)) for layers, depth in stations]
        known = [value for value in upper if value is not None]
        if known:
            rule = Notice("rule.upper_tension", to_cm=to_cm, trigger_kpa=kpa)
            return Trigger(state.depletion_mm + statistics.fmean(known), rule)
        return Trigger(refill.depletion_mm, Notice("rule.no_upper_sensor", to_cm=to_cm, instead=refill.rule))
    return refill


def _first_layer_mm(layers: Sequence[LayerState], root_depth_cm: float) -> float:
    """Water the root zone still gives before the first layer reaches its refill point [mm]; negative when past."""
    found = math.inf
    for one in (s for s in layers if s.layer.rooted_cm > 0):
        share = usual_uptake_share(one.layer.top_cm, one.layer.bottom_cm, root_depth_cm)
        left = one.layer.water_mm(one.theta - one.layer.theta_refill)
        found = min(found, left / max(share, 0.02))
    return found


def _upper_mm(
    layers: Sequence[LayerState], root_depth_cm: float, to_cm: float, theta_at: Callable[[Layer], float | None]
) -> float | None:
    upper = [s for s in layers if s.layer.rooted_cm > 0 and s.layer.depth_cm <= to_cm]
    marks = [theta_at(s.layer) for s in upper]
    pairs = [(s, mark) for s, mark in zip(upper, marks, strict=True) if mark is not None]
    if not pairs:
        return None
    left = sum(s.layer.water_mm(s.theta - mark) for s, mark in pairs)
    share = sum(usual_uptake_share(s.layer.top_cm, s.layer.bottom_cm, root_depth_cm) for s, _ in pairs)
    return left / max(share, 0.02)
