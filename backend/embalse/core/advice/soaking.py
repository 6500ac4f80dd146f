"""Water that was given and is not yet in the soil: what is on its way, and until when to wait and read again."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from embalse.core.crop.dry_down import DawnStorage
from embalse.core.weather.wetting_rain import wets_the_soil
from embalse.core.wording import Notice

UNSEEN_SHARE: Final = 0.25
"""Share of a set [-] not yet seen at the probes from which it is waited for (ours): less is within its error."""
STILL_RISING_THETA: Final = 0.003
"""Rise of a sensor over three hours [m³/m³] that is a front still going down: half of what makes a wetting (ours)."""
FRONT_SEEN_H: Final = 2.0
"""Hours after a set within which no probe need have answered yet (ours)."""
SETS_APART_SHARE: Final = 0.5
"""Share of the time between two sets [-] that may be waited (ours): daily water is never held until the next."""


@dataclass(frozen=True)
class GivenSet:
    """A block's last set: from when to when [s, UTC], gross depth over the block [mm].

    It may still run. ``since_before_h`` are the hours between the set before and this one; infinite without one.
    """

    start_at: float
    end_at: float
    gross_mm: float
    since_before_h: float = math.inf


@dataclass(frozen=True)
class GivenWater:
    """Water of the last weeks: days it came on (numbers, dawn to dawn), a block's sets in order, rain [mm] by day."""

    wet_days: frozenset[int] = frozenset()
    sets: tuple[GivenSet, ...] = ()
    rain_mm: Mapping[int, float] = field(default_factory=dict)

    @property
    def last_set(self) -> GivenSet | None:
        """The set that ended last, or still runs."""
        return max(self.sets, key=lambda one: one.end_at, default=None)

    def since(self, at: float, dawn_offset_s: float, into_soil: float) -> float:
        """What came since an instant [s, UTC] in the wetted soil [mm]; a millimetre of a set brings ``into_soil``."""
        sets = sum(one.gross_mm for one in self.sets if one.start_at >= at)
        noon = dawn_offset_s + 6 * 3600
        rain = sum(mm for day, mm in self.rain_mm.items() if 86400 * day + noon >= at and wets_the_soil(mm))
        return into_soil * sets + rain


NO_WATER = GivenWater()


@dataclass(frozen=True)
class Soaking:
    """A set whose water is still on its way: hours to wait [h], whether it runs, and what is to come [mm, wetted soil].

    ``on_way_mm`` is None where it cannot be told.
    """

    wait_h: float
    running: bool
    on_way_mm: float | None


@dataclass(frozen=True)
class Seen:
    """What the probes have seen of a set: gain [mm, wetted soil], and by how much any of them still rises [m³/m³].

    None where it is not known.
    """

    gain_mm: float | None
    rising_theta: float | None = None


def soaking(last: GivenSet | None, now: float, soaks_h: float, net_mm: float | None, seen: Seen) -> Soaking | None:
    """Whether to wait for a set's water, None where it has soaked in or was seen to arrive.

    Parameters
    ----------
    last : GivenSet or None
    now : float
        Instant asked for [s, UTC].
    soaks_h : float
        Hours a set takes to soak in, by soil [h].
    net_mm : float or None
        What the set brings into the wetted soil [mm].
    seen : Seen
        What the probes have seen of it so far. Where none of them rises any more, two hours after its end, nothing is
        on its way: it has arrived, or it was lost.

    Examples
    --------
    >>> soaking(GivenSet(0, 7200, 10.0), 14400, 12, 8.0, Seen(2.0, 0.01))
    Soaking(wait_h=10.0, running=False, on_way_mm=6.0)
    """
    if last is None:
        return None
    left_h = (last.end_at - now) / 3600 + min(soaks_h, SETS_APART_SHARE * last.since_before_h)
    if left_h <= 0:
        return None
    at_rest = seen.rising_theta is not None and seen.rising_theta < STILL_RISING_THETA
    if at_rest and now - last.end_at > 3600 * FRONT_SEEN_H:
        return None
    coming = None if net_mm is None or seen.gain_mm is None else max(0.0, net_mm - max(0.0, seen.gain_mm))
    if coming is not None and net_mm is not None and coming < UNSEEN_SHARE * net_mm:
        return None
    return Soaking(left_h, now < last.end_at, coming)


def seen_since(
    start_at: float, storage_mm: float, dawns: DawnStorage, dawn_offset_s: float, use: tuple[float, float]
) -> float | None:
    """Water gained in the root zone since the last dawn before a set began [mm], crop use since then added back.

    Parameters
    ----------
    start_at : float
        When the set began [s, UTC].
    storage_mm : float
        Storage now [mm].
    dawns : DawnStorage
    dawn_offset_s : float
        Turns a day number into the instant of its dawn [s].
    use : (float, float)
        The instant asked for [s, UTC], and crop use [mm/day].
    """
    now, use_mm_d = use
    before = [
        (86400.0 * day + dawn_offset_s, value)
        for day, value in zip(dawns.days, dawns.storage_mm, strict=True)
        if 86400.0 * day + dawn_offset_s <= start_at and math.isfinite(value)
    ]
    if not before or start_at - before[-1][0] > 2 * 86400:
        return None
    at, level = before[-1]
    return storage_mm - level + use_mm_d * (now - at) / 86400


def soaking_caution(found: Soaking) -> Notice:
    """That a reading now is too early, and how long to wait [h]."""
    return Notice("caution.set_running" if found.running else "caution.soaking", wait_h=found.wait_h)
