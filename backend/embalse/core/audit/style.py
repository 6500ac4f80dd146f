"""Shorter and more often against longer and rarer, from a block's own sets."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from embalse.core.errors import require, require_between

FEWEST: Final = 3  # sets of each kind (ours)
APART: Final = 1.25  # times the shorter ones' depth from which sets are of two kinds (ours)
PER_MM: Final = 100.0  # mm of water over the block that everything is told by
SKIN_MM: Final = 9.0
"""Water a bare wetted surface loses soon after each wetting [mm]: readily evaporable water of medium soils, FAO-56
(Allen et al. 1998) Table 19, as recalled (8 to 11 in loams, 2 to 7 in sands)."""
DRIP_SHADE: Final = 2 / 3  # of the shaded ground's share that shelters what drip wets, FAO-56 ch. 7, as recalled [-]


DRIPS: Final = frozenset({"drip", "micro"})
SHADED: Final = {"initial": 0.05, "development": 0.45, "mid": 0.9, "late": 0.5}
"""Share of the ground a crop shades by stage [-]: middles of FAO-56 (Allen et al. 1998) Table 21, as recalled."""
UNKNOWN_SHADE: Final = 0.5  # of the ground, taken to be shaded where the stage is not known (ours)


@dataclass(frozen=True)
class OneSet:
    """A set of a block: net [mm over the block], water below the roots [mm, None: not told], reach [cm], times.

    ``alone_h`` is how long a person was busy with it [h], ``short_h`` for how many hours before it the crop was short
    of water [h, None: not told].
    """

    net_mm: float
    below_mm: float | None
    reach_cm: float | None
    alone_h: float = 0.0
    short_h: float | None = None


@dataclass(frozen=True)
class Style:
    """Sets of one kind: how many, their mean depth [mm], and what 100 mm given so costs.

    ``below_mm`` below the roots, ``surface_mm`` evaporated from the wetted surface, ``work_h`` of people, ``starts`` of
    the system; ``reach_cm`` their middle reach; ``short_h`` hours short of water before a set; None: not told.
    """

    sets: int
    net_mm: float
    below_mm: float | None
    reach_cm: float | None
    surface_mm: float
    work_h: float
    starts: float
    short_h: float | None


@dataclass(frozen=True)
class Comparison:
    """Shorter sets beside longer ones; ``why_not`` where they cannot be compared: too few sets, or all alike."""

    shorter: Style | None
    longer: Style | None
    why_not: Literal["", "few", "alike"] = ""


def exposed_fraction(wetted_fraction: float, shaded_fraction: float, under_drip: bool) -> float:
    """Share of the ground that is wetted and open to the sun [-].

    Raises
    ------
    CoreError
        If a share is not between 0 and 1.

    References
    ----------
    .. [1] Allen et al. (1998), FAO-56, Eq. 75 and the text on drip under the canopy, as recalled.

    Examples
    --------
    >>> exposed_fraction(1.0, 0.8, False), round(exposed_fraction(0.4, 0.8, True), 3)
    (0.2, 0.187)
    """
    for name, value in (("wetted_fraction", wetted_fraction), ("shaded_fraction", shaded_fraction)):
        require_between(value, 0, 1, name)
    sheltered = wetted_fraction * (1 - DRIP_SHADE * shaded_fraction) if under_drip else wetted_fraction
    return round(min(1 - shaded_fraction, sheltered), 12) if not under_drip else sheltered


def exposed_of(system: str, wetted_fraction: float, stage: str | None) -> float:
    """The same by kind of system and stage of the crop [-]; a line in the ground wets no surface.

    Examples
    --------
    >>> exposed_of("buried drip", 0.4, "mid"), round(exposed_of("sprinkler", 1.0, "mid"), 2)
    (0.0, 0.1)
    """
    if system == "buried drip":
        return 0.0
    return exposed_fraction(wetted_fraction, SHADED.get(stage or "", UNKNOWN_SHADE), system in DRIPS)


def compared(sets: Sequence[OneSet], exposed: float) -> Comparison:
    """Hold the shorter half of a block's sets against its longer half.

    Parameters
    ----------
    sets : sequence of OneSet
    exposed : float
        Share of the ground that is wetted and open to the sun [-].

    Returns
    -------
    Comparison
        With what is missing: six sets, or two kinds a quarter apart.

    Raises
    ------
    CoreError
        If a set brought nothing.
    """
    for one in sets:
        require(one.net_mm > 0, "net_mm", "must be more than 0")
    if len(sets) < 2 * FEWEST:
        return Comparison(None, None, "few")
    ordered = sorted(sets, key=lambda s: s.net_mm)
    half = len(ordered) // 2
    short, long = ordered[:half], ordered[-half:]
    if np.mean([s.net_mm for s in long]) < APART * np.mean([s.net_mm for s in short]):
        return Comparison(None, None, "alike")
    return Comparison(_style(short, exposed), _style(long, exposed))


def _style(sets: Sequence[OneSet], exposed: float) -> Style:
    water = sum(s.net_mm for s in sets)
    share = PER_MM / water
    told = [s for s in sets if s.below_mm is not None]
    below = PER_MM * sum(s.below_mm or 0.0 for s in told) / sum(s.net_mm for s in told) if told else None
    reaches = [s.reach_cm for s in sets if s.reach_cm is not None]
    shorts = [s.short_h for s in sets if s.short_h is not None]
    # a light set cannot lose more from the surface than it brought
    surface = sum(min(s.net_mm, SKIN_MM * exposed) for s in sets) * share
    return Style(
        len(sets),
        water / len(sets),
        below,
        float(np.median(reaches)) if reaches else None,
        surface,
        sum(s.alone_h for s in sets) * share,
        len(sets) * share,
        float(np.mean(shorts)) if shorts else None,
    )
