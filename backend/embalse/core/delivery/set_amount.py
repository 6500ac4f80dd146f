"""How much to put on, and for how long."""

from dataclasses import dataclass
from typing import Final, Literal

from embalse.core.delivery.delivery import IrrigationSystem, gross_mm, set_time_h
from embalse.core.delivery.infiltration import FROM_ABOVE, Pulses, cycle_and_soak
from embalse.core.delivery.irrigation_rules import SetLimits, check_limits
from embalse.core.delivery.leaching import applied_share
from embalse.core.delivery.moving_systems import pivot_depth_mm, pivot_timer_fraction
from embalse.core.errors import require

PULSED: Final = FROM_ABOVE - {"pivot"}


@dataclass(frozen=True)
class SetRules:
    """What changes a set beside the depletion.

    ``deep_extra_mm`` is water missing in dry layers that wetter ones above full do not make good, ``below_full_mm``
    what is left unfilled on purpose, ``on_way_mm`` what the last set still brings [mm in the wetted soil];
    ``rain_room_mm`` what is kept free for rain and ``fixed_dose_mm`` a set dose [mm net over the block];
    ``leaching_fraction`` [-]; ``intake_mm_h`` the largest rate the soil takes from above [mm/h]; ``dose`` is what the
    audit of earlier sets has the net depth multiplied by [-].
    """

    deep_extra_mm: float = 0.0
    below_full_mm: float = 0.0
    rain_room_mm: float = 0.0
    fixed_dose_mm: float | None = None
    leaching_fraction: float = 0.0
    intake_mm_h: float | None = None
    on_way_mm: float = 0.0
    dose: float = 1.0


PLAIN: Final = SetRules()


@dataclass(frozen=True)
class AdvisedSet:
    """A set: depletion it starts from in the wetted soil, net and gross over the block [mm], set time [h].

    ``uncut_net_mm`` is the net depth before the practical limits; ``limited_by`` names the limit that changed it: the
    smallest or largest practical set, or a pivot's fastest turn. ``timer_fraction`` is a pivot's setting [-],
    ``kept_fraction`` the share of the gross depth that stays for the crop [-], ``pulses`` how to give it slowly.
    """

    start_depletion_mm: float
    uncut_net_mm: float
    net_mm: float
    gross_mm: float
    set_time_h: float | None
    limited_by: Literal["", "smallest", "largest", "turn"] = ""
    timer_fraction: float | None = None
    kept_fraction: float = 1.0
    pulses: Pulses | None = None
    rules: SetRules = PLAIN


def advised_set(
    start_depletion_mm: float, limits: SetLimits, system: IrrigationSystem | None, rules: SetRules = PLAIN
) -> AdvisedSet:
    """The set that brings the root zone to full, or to its target, within the practical limits.

    Parameters
    ----------
    start_depletion_mm : float
        Depletion in the wetted soil when the set starts [mm].
    limits : SetLimits
        Wetted fraction [-] and smallest and largest set [mm net over the block].
    system : IrrigationSystem or None
        Without a system the net depth is given, gross equals net and there is no set time.
    rules : SetRules

    Returns
    -------
    AdvisedSet
        Depths over the whole block [mm] and set time [h].

    Raises
    ------
    CoreError
        If a limit, the efficiency or the rate is out of range.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652: gross = net / efficiency.
    .. [2] Ayers & Westcot (1985), FAO-29: gross = net / (1 − LR), the larger of the two losses.

    Examples
    --------
    >>> advised_set(30.0, SetLimits(0.5), None, SetRules(rain_room_mm=5.0)).net_mm
    10.0
    """
    check_limits(limits)
    require(rules.rain_room_mm >= 0, "rain_room_mm", "must not be negative")
    missing = start_depletion_mm + rules.deep_extra_mm - rules.below_full_mm - rules.on_way_mm
    wanted = max(0.0, missing) * limits.wetted_fraction
    plain = max(0.0, wanted - rules.rain_room_mm) if rules.fixed_dose_mm is None else rules.fixed_dose_mm
    require(rules.dose > 0, "dose", "must be more than 0")
    uncut = plain * rules.dose
    net, limited = uncut, ""
    if limits.min_set_mm is not None and net < limits.min_set_mm:
        net, limited = limits.min_set_mm, "smallest"
    if limits.max_set_mm is not None and net > limits.max_set_mm:
        net, limited = limits.max_set_mm, "largest"
    kept = applied_share(system.efficiency_fraction, rules.leaching_fraction) if system else 1.0
    if system is not None and system.pivot is not None:
        fastest = pivot_depth_mm(system.pivot) * kept
        if net < fastest:
            net, limited = fastest, "turn"
    gross = gross_mm(net, kept)
    hours = set_time_h(gross, system.rate_mm_h) if system else None
    timer = pivot_timer_fraction(system.pivot, gross) if system is not None and system.pivot is not None else None
    return AdvisedSet(
        start_depletion_mm, uncut, net, gross, hours, limited, timer, kept,  # type: ignore[arg-type]
        _pulses(gross, limits, system, rules), rules,
    )  # fmt: skip


def _pulses(gross: float, limits: SetLimits, system: IrrigationSystem | None, rules: SetRules) -> Pulses | None:
    """Pulses where water falls faster on the wetted ground than the soil takes it."""
    if system is None or system.kind not in PULSED or rules.intake_mm_h is None or gross <= 0:
        return None
    share = limits.wetted_fraction
    return cycle_and_soak(gross / share, system.rate_mm_h / share, rules.intake_mm_h)
