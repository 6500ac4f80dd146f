"""Zones of a block that were drawn and kept: whether they part it, and what each is short of by the stations in it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.crop.dry_down import DaysToRefill
from embalse.core.errors import CoreError, require
from embalse.core.planning.asking import HELD, LEAST_USE_MM_D, due_in_days
from embalse.core.robust import CONFIDENCE_Z
from embalse.core.spatial.block_map import Area, Grid, area_of, grid_in, in_area, in_outline
from embalse.core.wording import Notice

Floats = NDArray[np.float64]
OVERLAP: Final = 0.02  # of the block that two zones may share: lines drawn by hand cross (ours)
OUTSIDE: Final = 0.2  # of a zone that may lie outside the block: outlines are drawn by hand (ours)
SMALLEST: Final = 0.01  # of the block that a zone takes at least: less is a slip of the finger (ours)
FINE: Final = 120  # cells along the longer side by which zones are checked


class ZoneError(CoreError):
    """Zones that do not part a block."""


@dataclass(frozen=True)
class KeptZone:
    """A zone: its name, share of the block [-], the stations that tell its water, and which valve waters it.

    ``borrowed`` names the station of another zone that stands for it, ``accepted`` why that was accepted.
    """

    name: str
    share: float
    stations: tuple[str, ...]
    shift: str = ""
    borrowed: str = ""
    accepted: str = ""


@dataclass(frozen=True)
class BlockNow:
    """What a block's advice says of the whole of it.

    Depletion and trigger [mm in the wetted soil]; the set's net depth before and after its limits [mm over the block];
    days to refill; use [mm/day]; share wetted and share kept [-]; whether water is held back from it.
    """

    depletion_mm: float
    trigger_mm: float | None
    uncut_net_mm: float | None
    net_mm: float | None
    days: DaysToRefill | None
    use_mm_d: float
    wetted_fraction: float
    kept_fraction: float
    held: bool = False


HOLDING: Final = frozenset({"window", "soak", "trees"})
"""Kinds of notices by which water is held back from a block that is not to be watered today."""


def holds_back(group: str, ordered: str, codes: Sequence[str], finishes: bool) -> bool:
    """Whether a block's advice holds water back from its zones too: they must not be told to take what it may not.

    Parameters
    ----------
    group : str
        Of the advice; one that is to act today holds nothing back.
    ordered : str
        What a person ordered over it.
    codes : sequence of str
        Codes of its notices: water soaking in, a keep-dry window, rain that is to do the set's work.
    finishes : bool
        Whether the crop can finish the season on what is stored.

    Examples
    --------
    >>> holds_back("coming", "", ["soak.wait"], False), holds_back("coming", "", ["rain.room"], False)
    (True, False)
    """
    if group == "act":
        return False
    return ordered in ("hold", "end") or finishes or any(c in HELD or c.split(".")[0] in HOLDING for c in codes)


@dataclass(frozen=True)
class ZoneWater:
    """What a zone is short of [mm in the wetted soil] with its standard error, what to give [mm over it], and when.

    ``days`` are counted from now, below 0 where the zone is past its trigger. Without a reading all is None and
    ``why_not`` says so.
    """

    zone: KeptZone
    depletion_mm: float | None = None
    error_mm: float | None = None
    stations: int = 0
    net_mm: float | None = None
    gross_mm: float | None = None
    days: DaysToRefill | None = None
    why_not: Notice | None = None


def shares_of(corners_m: Floats, areas_m: Sequence[Area]) -> list[float]:
    """Share of a block that each of its zones takes [-]; a zone without rings is the rest of it.

    Parameters
    ----------
    corners_m : array, shape (n, 2)
        The block's outline [m].
    areas_m : sequence of areas
        The zones [m].
    """
    zones = area_of(grid_in(corners_m, FINE).places_m, areas_m)
    return [float((zones == n).mean()) for n in range(len(areas_m))]


def check_zones(corners_m: Floats, areas_m: Sequence[Area], names: Sequence[str]) -> None:
    """Refuse zones that do not part a block.

    Raises
    ------
    ZoneError
        With the zone: two that lie over each other, one that lies outside, one without ground, or two that are the
        rest.
    """
    grid = grid_in(corners_m, FINE)
    drawn = [n for n, area in enumerate(areas_m) if len(area)]
    require(len(areas_m) - len(drawn) < 2, "zones", Notice("kept_zones.two_rests"), ZoneError)
    inside = {n: in_area(grid.places_m, areas_m[n]) for n in drawn}
    for n in drawn:
        around = grid_in(np.vstack(areas_m[n]), FINE)
        alone = _all_cells(around)
        alone = alone[in_area(alone, areas_m[n])]
        outside = float((~in_outline(alone, corners_m)).mean()) if len(alone) else 1.0
        require(outside <= OUTSIDE, f"zones[{n}].outline",
                Notice("kept_zones.outside", name=names[n], outside_fraction=outside), ZoneError)  # fmt: skip
        for other in drawn:
            both = float((inside[n] & inside[other]).mean()) if other < n else 0.0
            require(both <= OVERLAP, f"zones[{n}].outline",
                    Notice("kept_zones.overlap", name=names[n], other=names[other]), ZoneError)  # fmt: skip
    for n, share in enumerate(shares_of(corners_m, areas_m)):
        require(share >= SMALLEST, f"zones[{n}].outline", Notice("kept_zones.no_ground", name=names[n]), ZoneError)


def _all_cells(grid: Grid) -> Floats:
    rows, columns = grid.inside.shape
    north, east = np.mgrid[0:rows, 0:columns] + 0.5
    found: Floats = np.column_stack([east.ravel(), north.ravel()]) * grid.cell_m + np.array(grid.origin_m)
    return found


def zone_waters(zones: Sequence[KeptZone], told: Mapping[str, tuple[float, float]], block: BlockNow) -> list[ZoneWater]:
    """What each zone is short of and when it is due: the block's advice, moved by what its stations differ by.

    Parameters
    ----------
    zones : sequence of KeptZone
    told : mapping of str to (float, float)
        Depletion [mm in the wetted soil] and standard error of every station that was read, by key.
    block : BlockNow

    Returns
    -------
    list of ZoneWater
        In the zones' order. The error is that of the mean of its stations: by what stations of one zone differ among
        each other (pooled over the zones), and by each one's own. All limits of the block's set hold for its zones.
    """
    scatter = _within(zones, told)
    return [_water(zone, [told[s] for s in zone.stations if s in told], block, scatter) for zone in zones]


def _within(zones: Sequence[KeptZone], told: Mapping[str, tuple[float, float]]) -> float:
    """Variance of stations within their zone [mm²], pooled; 0 where no zone has two."""
    squares, count = 0.0, 0
    for zone in zones:
        mine = np.array([told[s][0] for s in zone.stations if s in told])
        if len(mine) > 1:
            squares += float(((mine - mine.mean()) ** 2).sum())
            count += len(mine) - 1
    return squares / count if count else 0.0


def _water(zone: KeptZone, read: Sequence[tuple[float, float]], block: BlockNow, scatter: float) -> ZoneWater:
    if not read:
        return ZoneWater(zone, why_not=Notice("kept_zones.no_station" if not zone.stations else "kept_zones.unread"))
    depletion = float(np.mean([mm for mm, _ in read]))
    own = float(np.mean([error**2 for _, error in read]))
    error = float(np.sqrt(max(scatter, own) / len(read)))
    if block.held:
        return ZoneWater(zone, depletion, error, len(read), why_not=Notice("kept_zones.waits"))
    net = gross = None
    off = (depletion - block.depletion_mm) * block.wetted_fraction
    if block.net_mm is not None and block.uncut_net_mm is not None:
        cut = block.net_mm if block.net_mm < block.uncut_net_mm else np.inf
        net = float(min(max(0.0, block.uncut_net_mm + off), cut))
        gross = net / block.kept_fraction
    return ZoneWater(zone, depletion, error, len(read), net, gross, _days(depletion, error, block))


def _days(depletion_mm: float, error_mm: float, block: BlockNow) -> DaysToRefill | None:
    """The block's days moved by what the zone has more or less, with its own error beside the block's."""
    if block.days is None or block.use_mm_d < LEAST_USE_MM_D:
        return None
    moved = (depletion_mm - block.depletion_mm) / block.use_mm_d
    mid = due_in_days(block.days.mid, block.depletion_mm, block.trigger_mm, block.use_mm_d)
    more = CONFIDENCE_Z * error_mm / block.use_mm_d
    low = float(np.hypot(block.days.mid - block.days.low, more))
    high = float(np.hypot(block.days.high - block.days.mid, more))
    return DaysToRefill(mid - moved - low, mid - moved, mid - moved + high)
