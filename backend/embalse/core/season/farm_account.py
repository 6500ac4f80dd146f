"""The water account of several blocks together, in m³."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from embalse.core.season.water_account import M3_PER_MM_HA, Line


@dataclass(frozen=True)
class BlockLines:
    """Lines of one block's account [mm over the block], and its area [ha]; ``below`` is None where nothing tells it."""

    area_ha: float
    irrigation: Line
    lost_on_way: Line
    counted_rain: Line
    use: Line
    below: Line | None
    store_change: Line


@dataclass(frozen=True)
class Volume:
    """A line of the sum with its error, one standard deviation [m³]."""

    m3: float
    error_m3: float


@dataclass(frozen=True)
class FarmAccount:
    """The water of several blocks [m³].

    ``below`` is of the blocks whose probes tell it, ``telling_ha`` together; ``below_fraction`` is the part of those
    blocks' irrigation that it is [-]. Both are None where no block tells it.
    """

    area_ha: float
    irrigation: Volume
    lost_on_way: Volume
    counted_rain: Volume
    use: Volume
    below: Volume | None
    telling_ha: float
    below_fraction: float | None
    store_change: Volume
    residual: Volume


def together(blocks: Sequence[BlockLines]) -> FarmAccount | None:
    """Add up blocks' accounts; None where there is none.

    Errors join as independent from block to block, but for the rain's, which one gauge gives to all: those add up.
    """
    if not blocks:
        return None
    irrigation = _sum((b.area_ha, b.irrigation) for b in blocks)
    lost = _sum((b.area_ha, b.lost_on_way) for b in blocks)
    fell = _sum((b.area_ha, b.counted_rain) for b in blocks)
    rain = Volume(fell.m3, sum(M3_PER_MM_HA * b.area_ha * b.counted_rain.error_mm for b in blocks))
    use = _sum((b.area_ha, b.use) for b in blocks)
    change = _sum((b.area_ha, b.store_change) for b in blocks)
    telling = [(b.area_ha, b.irrigation.mm, b.below) for b in blocks if b.below is not None]
    below = _sum((area, line) for area, _, line in telling) if telling else None
    given = sum(M3_PER_MM_HA * area * mm for area, mm, _ in telling)
    outs = [lost, use, change, *([below] if below else [])]
    return FarmAccount(
        area_ha=sum(b.area_ha for b in blocks),
        irrigation=irrigation,
        lost_on_way=lost,
        counted_rain=rain,
        use=use,
        below=below,
        telling_ha=sum(area for area, _, _ in telling),
        below_fraction=below.m3 / given if below is not None and given > 0 else None,
        store_change=change,
        residual=Volume(
            irrigation.m3 + rain.m3 - sum(v.m3 for v in outs),
            math.hypot(*(v.error_m3 for v in (irrigation, rain, *outs))),
        ),
    )


def _sum(lines: Iterable[tuple[float, Line]]) -> Volume:
    found = [(M3_PER_MM_HA * area * line.mm, M3_PER_MM_HA * area * line.error_mm) for area, line in lines]
    return Volume(sum(m3 for m3, _ in found), math.hypot(*(error for _, error in found)))
