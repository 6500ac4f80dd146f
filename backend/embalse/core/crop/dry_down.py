"""How fast the root zone goes down, from dawn to dawn."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from embalse.core.errors import CoreError
from embalse.core.robust import CONFIDENCE_Z, pooled_slope
from embalse.core.wording import Notice, Text

WINDOW_DAYS = 14  # days looked back for the slope: the crop changes over longer (common practice, no source)
FEWEST_STEPS = 3  # falls from dawn to dawn that make a slope
SETTLED_DAWNS = 4  # dawns of the running spell from which it alone gives the slope (ours)
RISE_MM = 1.0  # mm from dawn to dawn that end a dry spell without a record of water: above the probes' noise (ours)


class NoTrend(CoreError):
    """Dawn values that show no dry-down to measure."""


@dataclass(frozen=True)
class DailyUse:
    """Water going out of the root zone [mm/day] with its low and high, from ``steps`` dawn-to-dawn steps."""

    mid_mm_d: float
    low_mm_d: float
    high_mm_d: float
    steps: int
    first_day: int
    last_day: int
    current: bool
    said: Text = ""

    @property
    def how(self) -> Text:
        """Which dawns were used; the steps are days."""
        if self.said:
            return self.said
        if self.current:
            return Notice("use_how.current", dawns=self.steps + 1)
        return Notice("use_how.spells", window_days=WINDOW_DAYS, steps=self.steps)


def dry_spells(days: Sequence[int], storage_mm: Sequence[float], wet_days: frozenset[int]) -> list[list[int]]:
    """Runs of consecutive dawns between which no water came in.

    Parameters
    ----------
    days : sequence of int, shape (n,)
        Day numbers of the dawn values, increasing.
    storage_mm : sequence of float, shape (n,)
        Root-zone storage at those dawns [mm].
    wet_days : frozenset of int
        Day numbers on which a set or rain was logged between that day's dawn and the next.

    Returns
    -------
    list of list of int
        Indices into ``days``, one list a spell of two dawns or more. A rise of more than 1 mm ends a spell even when
        nothing was logged.
    """
    spells: list[list[int]] = [[]]
    for index, day in enumerate(days):
        if spells[-1]:
            before = spells[-1][-1]
            dry = day == days[before] + 1 and days[before] not in wet_days
            if not dry or storage_mm[index] - storage_mm[before] > RISE_MM:
                spells.append([])
        spells[-1].append(index)
    return [spell for spell in spells if len(spell) > 1]


@dataclass(frozen=True)
class DawnStorage:
    """Root-zone storage at dawn [mm] by day number, increasing, and what it is read against.

    ``wet_days`` are day numbers on which a set ran or rain fell between that dawn and the next; ``full_mm`` is the
    full point of the root zone.
    """

    days: Sequence[int]
    storage_mm: Sequence[float]
    wet_days: frozenset[int] = frozenset()
    full_mm: float = math.inf


def daily_use(dawns: DawnStorage) -> DailyUse:
    """Use of water from dawn to dawn, by the slope of the last dry-down.

    Dawns above the full point are left out: what goes from there drains as well as being used. The current dry spell
    is used alone when it has four dawns or more; otherwise the pairwise slopes of all spells in the window are pooled.
    The limits are those of Sen for the 10 and 90 % quantiles.

    Parameters
    ----------
    dawns : DawnStorage
        Storage [mm] at dawn; only the last 14 days count.

    Returns
    -------
    DailyUse
        Use, positive when the root zone goes down [mm/day].

    Raises
    ------
    NoTrend
        If fewer than three dry dawn-to-dawn steps exist, or the water does not go down.

    References
    ----------
    .. [1] Sen (1968), J. Am. Stat. Assoc. 63:1379-1389.
    """
    days, storage_mm = list(dawns.days), dawns.storage_mm
    spells = clean_spells(dawns)
    current = len(spells[-1]) >= SETTLED_DAWNS and days[spells[-1][-1]] == days[-1]
    chosen = [spells[-1]] if current else spells
    slope = pooled_slope(days, storage_mm, chosen)
    if -slope.mid <= 0:
        raise NoTrend("dawns", Notice("no_trend.not_down"))
    return DailyUse(
        mid_mm_d=-slope.mid,
        low_mm_d=max(0.0, -slope.high),
        high_mm_d=-slope.low,
        steps=sum(len(spell) - 1 for spell in chosen),
        first_day=days[chosen[0][0]],
        last_day=days[chosen[-1][-1]],
        current=current,
    )


def clean_spells(dawns: DawnStorage, window_days: int = WINDOW_DAYS) -> list[list[int]]:
    """Dry spells below full to measure use in, as places in ``days``.

    Raises NoTrend when fewer than three dry steps exist in the window [days].
    """
    days, storage_mm = list(dawns.days), dawns.storage_mm
    newest = days[-1] if days else 0
    spells = [
        [i for i in spell if days[i] > newest - window_days and storage_mm[i] <= dawns.full_mm]
        for spell in dry_spells(days, storage_mm, dawns.wet_days)
    ]
    spells = [spell for spell in spells if len(spell) > 1]
    steps = sum(len(spell) - 1 for spell in spells)
    if days and min(s for d, s in zip(days, storage_mm, strict=True) if d > newest - window_days) > dawns.full_mm:
        raise NoTrend("dawns", Notice("no_trend.above_full"))
    if steps < FEWEST_STEPS:
        found = {"steps": steps, "window_days": window_days, "wanted": FEWEST_STEPS}
        raise NoTrend("dawns", Notice("no_trend.few_days", **found))
    return spells


@dataclass(frozen=True)
class DaysToRefill:
    """Days until the refill point: mid, 10 % (low) and 90 % (high); ``high`` is infinite when use may be nil."""

    low: float
    mid: float
    high: float


def days_to_refill(left_mm: float, error_mm: float, use: DailyUse) -> DaysToRefill:
    """Time until the water left above the refill point is used.

    Parameters
    ----------
    left_mm : float
        Allowable depletion minus depletion [mm]; negative when already past refill.
    error_mm : float
        Standard error of ``left_mm`` [mm].
    use : DailyUse
        Use [mm/day].

    Returns
    -------
    DaysToRefill
        Days, never negative. Errors of water and of use are joined as independent, each side with its own slope limit.

    Examples
    --------
    >>> days_to_refill(42.0, 0.0, DailyUse(6.5, 6.5, 6.5, 5, 0, 5, True)).mid.__round__(2)
    6.46
    """
    mid = left_mm / use.mid_mm_d
    margin = CONFIDENCE_Z * error_mm
    early = mid - math.hypot(margin / use.mid_mm_d, mid - left_mm / use.high_mm_d)
    if use.low_mm_d <= 0:
        late = math.inf if left_mm + margin > 0 else 0.0
    else:
        late = mid + math.hypot(margin / use.mid_mm_d, left_mm / use.low_mm_d - mid)
    return DaysToRefill(max(0.0, early), max(0.0, mid), max(0.0, late))
