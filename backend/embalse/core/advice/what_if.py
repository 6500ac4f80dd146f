"""A block with some entries changed, to see what follows."""

from collections.abc import Mapping
from dataclasses import replace

from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.errors import CoreError, require
from embalse.core.root_zone.block import Block
from embalse.core.soil.roots import RootGrowth
from embalse.core.sources import Source, Sourced

CHANGEABLE = (
    "root_depth_cm",
    "allowable_depletion_fraction",
    "wetted_fraction",
    "efficiency_fraction",
    "rate_mm_h",
    "min_set_mm",
    "max_set_mm",
    "rain_room_mm",
    "lead_days",
)
MAY_BE_NIL = ("rain_room_mm", "lead_days")


def what_if(block: Block, changes: Mapping[str, float]) -> Block:
    """The block with entries replaced; each replaced entry's source says "what if" and what stood before.

    Parameters
    ----------
    block : Block
    changes : mapping of entry name to value
        Names from ``CHANGEABLE``: depth [cm], fractions [-], rate [mm/h], sets [mm net].

    Returns
    -------
    Block

    Raises
    ------
    CoreError
        If a name cannot be changed, a value is out of range, or the block has no system to change.
    """
    for name, value in changes.items():
        require(name in CHANGEABLE, name, "cannot be changed here")
        _check(name, value)
        block = _SETTERS[name](block, name, value)
    return block


def _check(name: str, value: float) -> None:
    if name.endswith("_fraction"):
        require(0 < value <= 1, name, f"must be above 0 and at most 1, is {value:g}")
        require(name != "allowable_depletion_fraction" or value < 1, name, "must be below 1")
    elif name in MAY_BE_NIL:
        require(0 <= value < 200, name, f"must lie from 0 to below 200, is {value:g}")
    else:
        require(0 < value < 1000, name, f"must be more than 0 and below 1000, is {value:g}")


def _instead(before: float | None) -> Source:
    return Source("assumption", "what if", "nothing entered" if before is None else f"instead of {before:g}")


def _with_root_depth(block: Block, name: str, value: float) -> Block:
    before = block.roots.full_cm if block.roots else None
    rules = replace(block.rules, managed_depth_cm=None)  # the depth asked for is the one counted
    return replace(block, roots=RootGrowth(value), roots_source=_instead(before), rules=rules)


def _with_allowable(block: Block, name: str, value: float) -> Block:
    before = block.allowable.value if block.allowable else None
    horizons = tuple(replace(h, refill=None) for h in block.horizons)
    return replace(block, allowable=Sourced(value, _instead(before)), allowable_mm=None, horizons=horizons)


def _with_limit(block: Block, name: str, value: float) -> Block:
    sources = {**block.sources, name: _instead(getattr(block.limits, name))}
    return replace(block, limits=replace(block.limits, **{name: value}), sources=sources)


def _with_system(block: Block, name: str, value: float) -> Block:
    if block.system is None:
        raise CoreError(name, "the block has no irrigation system")
    sources = {**block.sources, name: _instead(getattr(block.system, name))}
    system: IrrigationSystem
    if name == "rate_mm_h":
        system = replace(block.system, rate_mm_h=value, rate_formula="what if")
    else:
        system = replace(block.system, efficiency_fraction=value)
    return replace(block, system=system, sources=sources)


def _with_rule(block: Block, name: str, value: float) -> Block:
    before = getattr(block.rules, name)
    rules = replace(block.rules, **{name: value}, source=_instead(before))  # type: ignore[arg-type]
    return replace(block, rules=rules)


_SETTERS = {
    "rain_room_mm": _with_rule,
    "lead_days": _with_rule,
    "root_depth_cm": _with_root_depth,
    "allowable_depletion_fraction": _with_allowable,
    "wetted_fraction": _with_limit,
    "min_set_mm": _with_limit,
    "max_set_mm": _with_limit,
    "efficiency_fraction": _with_system,
    "rate_mm_h": _with_system,
}
