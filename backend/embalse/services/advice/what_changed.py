"""What new readings changed in the advice of the blocks they belong to."""

from collections.abc import Sequence
from dataclasses import dataclass

from embalse.services.advice.advise import round_content
from embalse.services.load.schemas import BlockAdvice


@dataclass(frozen=True)
class BlockChange:
    """A block's advice before and after; depths in mm, null where there is none."""

    key: str
    name: str
    group_before: str
    group_after: str
    depletion_before_mm: float | None
    depletion_after_mm: float | None
    net_before_mm: float | None
    net_after_mm: float | None


def advice_of(keys: Sequence[str]) -> list[BlockAdvice]:
    """The advice of some blocks now."""
    return round_content(None, list(keys), with_working=False).blocks if keys else []


def changes(before: Sequence[BlockAdvice], after: Sequence[BlockAdvice]) -> list[BlockChange]:
    """Blocks whose group, depletion or advised set is another than before, in the order of the Round."""
    earlier = {b.key: b for b in before}
    found = [_change(earlier[b.key], b) for b in after if b.key in earlier]
    return [c for c in found if _differs(c)]


def _change(before: BlockAdvice, after: BlockAdvice) -> BlockChange:
    return BlockChange(
        key=after.key,
        name=after.name,
        group_before=before.group,
        group_after=after.group,
        depletion_before_mm=before.depletion_mm,
        depletion_after_mm=after.depletion_mm,
        net_before_mm=before.advised.net_mm if before.advised else None,
        net_after_mm=after.advised.net_mm if after.advised else None,
    )


def _differs(change: BlockChange) -> bool:
    return (
        change.group_before != change.group_after
        or change.depletion_before_mm != change.depletion_after_mm
        or change.net_before_mm != change.net_after_mm
    )
