"""How a block is to be irrigated: trigger, amount, lead time, leaching, windows and what a person has ordered."""

from dataclasses import dataclass
from typing import Final, Literal

from embalse.core.errors import CoreError, require, require_between
from embalse.core.sources import Source

TriggerKind = Literal["root zone", "any layer", "upper tension", "reading", "surface"]
TRIGGERS: Final[tuple[TriggerKind, ...]] = ("root zone", "any layer", "upper tension", "reading", "surface")
PRODUCT_DEFAULT: Final = Source("assumption", "default", "no rule is entered for this block")


@dataclass(frozen=True)
class SetLimits:
    """Share of the block's soil the system wets [-] and the smallest and largest practical set [mm net]."""

    wetted_fraction: float = 1.0
    min_set_mm: float | None = None
    max_set_mm: float | None = None


@dataclass(frozen=True)
class BlockRules:
    """Rules of a block; what is None is not asked for.

    ``trigger`` says what calls for water: the root zone's depletion, any one layer past its refill point, or the mean
    of the sensors down to ``tension_to_cm`` [cm] past ``tension_kpa`` [kPa]. ``cautious`` goes by the early date (10 %)
    in place of the middle one. ``lead_days`` is what the system or its rotation needs to come round [days].
    ``rain_room_mm`` is kept free for rain [mm net; None: as the forecast has it]. ``fill_share`` is the share of
    available water to fill up to [-]. ``fixed_dose_mm`` is a set dose [mm net]. Salinities in dS/m.
    ``reading_sensor`` shows ``reading_value`` in its raw unit when water is due; ``reading_drier`` says which way it
    goes where its unit does not. ``surface_days`` are the days between light sets that keep a surface moist [days].
    ``trigger_share`` of the depletion allowed calls for water [-]: less is shorter and more often. ``shrinkage_most``
    is how far trunks may shrink over full trees [-], ``trunk_growth_mm_d`` the growth planned for them [mm/day].
    ``follow_fruit`` lets fruit off its path move the date.
    ``managed_depth_cm`` is how deep sets are to refill the soil [cm]; None: as deep as the roots go.
    ``max_rate_mm_h`` is a measured intake limit [mm/h]. ``last_day`` is the day number on which the crop needs no more
    water, ``end_share`` the share of available water it may have used by then [-].
    """

    trigger: TriggerKind = "root zone"
    tension_kpa: float | None = None
    tension_to_cm: float | None = None
    cautious: bool = False
    lead_days: float = 0.0
    rain_room_mm: float | None = None
    fill_share: float = 1.0
    fixed_dose_mm: float | None = None
    ec_water_ds_m: float | None = None
    ec_soil_ds_m: float | None = None
    max_rate_mm_h: float | None = None
    managed_depth_cm: float | None = None
    last_day: int | None = None
    end_share: float | None = None
    reading_sensor: str | None = None
    reading_value: float | None = None
    reading_drier: Literal["higher", "lower"] | None = None
    surface_days: float | None = None
    trigger_share: float = 1.0
    shrinkage_most: float | None = None
    trunk_growth_mm_d: float | None = None
    follow_fruit: bool = False
    source: Source = PRODUCT_DEFAULT


@dataclass(frozen=True)
class DryWindow:
    """Days on which a block must be dry: from ``dry_by`` to ``until`` (day numbers), down to ``top_cm`` [cm].

    ``ends_season`` when no water follows it.
    """

    what: str
    dry_by: int
    until: int
    top_cm: float = 30.0
    ends_season: bool = False
    note: str = ""


@dataclass(frozen=True)
class Order:
    """What a person has ordered for a block until a day (number): hold, water with a net depth [mm] if given, or end.

    To end is to give no more water this season, for what was seen in the crop.
    """

    action: Literal["hold", "water", "end"]
    until: int
    note: str
    who: str = ""
    net_mm: float | None = None
    key: str = ""
    seen: str = ""


NO_RULES: Final = BlockRules()


def check_limits(limits: SetLimits) -> None:
    """Refuse a wetted fraction or set limits that make no sense (fraction [-], sets in mm).

    Raises
    ------
    CoreError
        Naming the field.
    """
    require(
        0 < limits.wetted_fraction <= 1,
        "wetted_fraction",
        f"must be above 0 and at most 1, is {limits.wetted_fraction:g}",
    )
    for name in ("min_set_mm", "max_set_mm"):
        value = getattr(limits, name)
        require(value is None or value > 0, name, "must be more than 0")
    if limits.min_set_mm is not None and limits.max_set_mm is not None:
        require(limits.min_set_mm <= limits.max_set_mm, "min_set_mm", "the smallest set is larger than the largest")


def check_rules(rules: BlockRules) -> None:
    """Refuse rules that make no sense (units as in ``BlockRules``).

    Raises
    ------
    CoreError
        Naming the field.
    """
    if rules.trigger not in TRIGGERS:
        raise CoreError("trigger", f"'{rules.trigger}' is none of: {', '.join(TRIGGERS)}")
    if rules.trigger == "upper tension":
        require(rules.tension_kpa is not None, "tension_kpa", "a trigger by tension needs its threshold")
        require(rules.tension_to_cm is not None, "tension_to_cm", "say down to which depth the sensors count")
    if rules.trigger == "reading":
        require(bool(rules.reading_sensor), "reading_sensor", "say which sensor's reading calls for water")
        require(rules.reading_value is not None, "reading_value", "say at which reading water is due")
    if rules.trigger == "surface":
        require(rules.surface_days is not None, "surface_days", "say every how many days the surface is wetted")
        require(rules.fixed_dose_mm is not None, "fixed_dose_mm", "a light set needs its depth")
    limits = (
        ("tension_kpa", 1, 1500, "kPa"), ("tension_to_cm", 1, 500, "cm"), ("lead_days", 0, 30, "days"),
        ("rain_room_mm", 0, 200, "mm"), ("fill_share", 0.1, 1, ""), ("fixed_dose_mm", 0.5, 300, "mm"),
        ("ec_water_ds_m", 0, 20, "dS/m"), ("ec_soil_ds_m", 0.1, 30, "dS/m"), ("max_rate_mm_h", 0.1, 500, "mm/h"),
        ("end_share", 0.05, 0.95, ""), ("managed_depth_cm", 5, 500, "cm"),
        ("surface_days", 0.25, 10, "days"), ("trigger_share", 0.2, 1, ""), ("shrinkage_most", 0.8, 4, ""),
        ("trunk_growth_mm_d", 0, 2, "mm/day"),
    )  # fmt: skip
    for name, low, high, unit in limits:
        value = getattr(rules, name)
        if value is not None:
            require_between(value, low, high, name, unit)


def check_window(window: DryWindow) -> None:
    """Refuse a window that ends before it begins or has no depth (day numbers, cm)."""
    require(window.until >= window.dry_by, "until", "must not be before the day it has to be dry by")
    require_between(window.top_cm, 1, 200, "top_cm", "cm")
