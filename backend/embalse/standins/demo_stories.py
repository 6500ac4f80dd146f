"""The stories of the demonstration farm: its soils, systems, blocks and stations, and how each block is watered."""

import math
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from embalse.core.simulate.sensing import SensorFaults

SOILS: list[dict[str, Any]] = [
    {
        "key": "norte",
        "name": "gravelly sandy loam",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 45, "texture": "sandy loam", "organic_matter_pct": 1.6, "stones_fraction": 0.12},
            {
                "top_cm": 45,
                "bottom_cm": 150,
                "texture": "sandy loam",
                "organic_matter_pct": 0.6,
                "stones_fraction": 0.18,
            },
        ],
    },
    {
        "key": "ladera",
        "name": "loam over clay",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 40, "texture": "loam", "organic_matter_pct": 1.8},
            {"top_cm": 40, "bottom_cm": 150, "sand_fraction": 0.28, "clay_fraction": 0.42, "organic_matter_pct": 0.7},
        ],
    },
    {
        "key": "olivar",
        "name": "stony clay loam",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 150, "texture": "clay loam", "organic_matter_pct": 1.2, "stones_fraction": 0.2}
        ],
    },
    {
        "key": "tunel",
        "name": "loam, organic",
        "horizons": [{"top_cm": 0, "bottom_cm": 150, "texture": "loam", "organic_matter_pct": 4.0}],
    },
    {
        "key": "bajo",
        "name": "clay loam, bottom land",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 42, "texture": "clay loam", "organic_matter_pct": 1.9},
            {"top_cm": 42, "bottom_cm": 150, "texture": "clay loam", "organic_matter_pct": 0.8},
        ],
    },
    {
        "key": "vega",
        "name": "silty clay",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 30, "texture": "silty clay", "organic_matter_pct": 2.2},
            {"top_cm": 30, "bottom_cm": 150, "texture": "silty clay", "organic_matter_pct": 0.9},
        ],
    },
    {
        "key": "circulo",
        "name": "silt loam, deep",
        "horizons": [{"top_cm": 0, "bottom_cm": 150, "texture": "silt loam", "organic_matter_pct": 1.4}],
    },
    {
        "key": "mesa",
        "name": "sandy loam, terrace",
        "horizons": [{"top_cm": 0, "bottom_cm": 150, "texture": "sandy loam", "organic_matter_pct": 1.2}],
    },
]

SYSTEMS: list[dict[str, Any]] = [
    {"key": "norte-1", "name": "double-line drip", "kind": "drip", "efficiency_fraction": 0.9, "flow_l_h": 2.3,
     "spacing_m": 0.5, "line_spacing_m": 6.5, "per_point": 2},
    {"key": "norte-2", "name": "single-line drip", "kind": "drip", "efficiency_fraction": 0.9, "flow_l_h": 3.8,
     "spacing_m": 0.6, "line_spacing_m": 4.5},
    {"key": "ladera", "name": "micro-sprinkler", "kind": "micro", "efficiency_fraction": 0.85, "flow_l_h": 105,
     "spacing_m": 3.0, "line_spacing_m": 6.0},
    {"key": "olivar", "name": "single-line drip", "kind": "drip", "efficiency_fraction": 0.9, "flow_l_h": 3.5,
     "spacing_m": 0.6, "line_spacing_m": 3.75},
    {"key": "tunel", "name": "drip tape", "kind": "drip", "efficiency_fraction": 0.92, "flow_l_h": 1.0,
     "spacing_m": 0.3, "line_spacing_m": 1.0},
    {"key": "bajo", "name": "buried drip", "kind": "drip", "efficiency_fraction": 0.92, "flow_l_h": 1.1,
     "spacing_m": 0.3, "line_spacing_m": 1.5},
    {"key": "vega", "name": "furrows", "kind": "furrow", "efficiency_fraction": 0.65,
     "furrows": {"inflow_l_s": 1.2, "count": 80, "spacing_m": 0.75, "length_m": 280.0, "tailwater_fraction": 0.1}},
    {"key": "circulo", "name": "centre pivot", "kind": "pivot", "efficiency_fraction": 0.85,
     "pivot": {"length_m": 391.0, "flow_m3_h": 150.0, "turn_h": 15.0}},
    {"key": "mesa", "name": "solid set", "kind": "sprinkler", "efficiency_fraction": 0.78, "flow_l_h": 1150,
     "spacing_m": 12.0, "line_spacing_m": 15.0},
    {"key": "loma", "name": "drip tape on the hill", "kind": "drip", "efficiency_fraction": 0.9, "flow_l_h": 1.0,
     "spacing_m": 0.3, "line_spacing_m": 1.4},
]  # fmt: skip

PROBE_CALIBRATION = {"valid_from": "2026-02-20", "slope": 0.0108, "intercept": -0.012, "rmse_theta": 0.015,
                     "note": "five weighed and dried samples in February"}  # fmt: skip


@dataclass(frozen=True)
class StationStory:
    """A station of the demonstration: sensors [cm], how its water differs, what its sensors do wrong."""

    key: str
    name: str
    depths_cm: tuple[float, ...]
    water_factor: float = 1.0
    faults: SensorFaults = field(default_factory=SensorFaults)
    gap: tuple[date, date] | None = None
    installed: date = date(2026, 2, 20)
    stuck: tuple[float, date] | None = None
    crossed: bool = False
    bottom_cm: float | None = None


@dataclass(frozen=True)
class BlockStory:
    """A block of the demonstration and how its manager waters it.

    ``copies`` is the block whose sets are run here too; otherwise a set starts when depletion passes ``start_at`` of
    what is allowed and refills ``refill`` of it, not more often than every ``every`` days, and not after ``until``.
    """

    document: dict[str, Any]
    stations: tuple[StationStory, ...]
    kc_by_month: tuple[float, ...]
    intake_mm_h: float = 60.0
    copies: str = ""
    start_at: float = 1.0
    refill: float = 1.0
    every: int = 1
    logger: str = "comma"
    raw_unit: str = "%"
    calibrated: bool = True
    by_hand: bool = False
    until: date = date(2099, 1, 1)


PAIR = (25.0, 60.0)
NODES_ACROSS, NODES_DOWN = 6, 4
CLOGGED, SEEP = 9, 22
"""Nodes of Loma, by number: one on a clogged line, one below a seep."""


def node_water(number: int) -> float:
    """Water that reaches a node of Loma over the block's [-]: pressure falls down the lines and up the hill."""
    across, down = number % NODES_ACROSS, number // NODES_ACROSS
    smooth = 1.06 - 0.024 * across - 0.018 * down + 0.02 * math.cos(0.9 * across - 0.7 * down)
    return smooth * {CLOGGED: 0.7, SEEP: 1.22}.get(number, 1.0)


NODES = tuple(
    StationStory(f"n{n + 1:02d}", f"node {n + 1}", (10.0, 30.0), water_factor=round(node_water(n), 4),
                 installed=date(2026, 5, 28))
    for n in range(NODES_ACROSS * NODES_DOWN)
)  # fmt: skip
PROFILE = (10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 80.0, 100.0)
BLOCKS: tuple[BlockStory, ...] = (
    BlockStory(
        {"key": "norte-1", "name": "Norte 1", "area_ha": 18, "crop": "almond", "soil": "norte",
         "planting_date": "2026-02-20",
         "system": "norte-1", "supply": "pozo",
         "root_depth_cm": 90, "allowable_depletion_fraction": 0.45, "wetted_fraction": 0.6, "min_set_mm": 8,
         "max_set_mm": 40},
        (StationStory("a", "probe A", PROFILE),
         StationStory("b", "probe B", PROFILE, water_factor=0.995, stuck=(50.0, date(2026, 7, 9)))),
        (0.3, 0.4, 0.45, 0.55, 0.7, 0.85, 0.9, 0.9, 0.8, 0.6, 0.4, 0.3),
        start_at=0.85, logger="semicolon",
    ),
    BlockStory(
        {"key": "norte-2", "name": "Norte 2", "area_ha": 16, "crop": "almond", "variety": "third leaf", "soil": "norte",
         "planting_date": "2026-02-20", "crop_values": {"kc_ini": 0.2, "kc_mid": 0.32, "kc_end": 0.25},
         "system": "norte-2", "supply": "pozo", "root_depth_cm": 70,
         "allowable_depletion_fraction": 0.45, "wetted_fraction": 0.4,
         "min_set_mm": 6, "max_set_mm": 30},
        (StationStory("a", "probe", PROFILE),),
        (0.2, 0.2, 0.2, 0.22, 0.25, 0.28, 0.3, 0.3, 0.28, 0.25, 0.2, 0.2),
        copies="norte-1", logger="comma", raw_unit="m3/m3",
    ),
    BlockStory(
        {"key": "ladera", "name": "Ladera", "area_ha": 14, "crop": "pistachio", "soil": "ladera", "system": "ladera",
         "supply": "balsa", "slope_pct": 9, "planting_date": "2026-04-01",
         "root_depth_cm": 95, "allowable_depletion_fraction": 0.4, "wetted_fraction": 0.7, "min_set_mm": 10,
         "max_set_mm": 35},
        (StationStory("a", "station east", (15.0, 30.0, 45.0, 60.0, 90.0), faults=SensorFaults(spike_share=0.0012)),),
        (0.3, 0.3, 0.4, 0.5, 0.7, 0.9, 1.0, 1.0, 0.8, 0.5, 0.4, 0.3),
        intake_mm_h=4.2, start_at=0.6, refill=1.0, every=4, logger="tab",
    ),
    BlockStory(
        {"key": "olivar", "name": "Olivar", "area_ha": 36, "crop": "olive", "variety": "hedgerow", "soil": "olivar",
         "planting_date": "2026-03-01",
         "system": "olivar", "supply": "balsa", "root_depth_cm": 90,
         "allowable_depletion_fraction": 0.5, "wetted_fraction": 0.45,
         "min_set_mm": 6, "max_set_mm": 30},
        (StationStory("a", "probe", (10.0, 20.0, 30.0, 40.0, 60.0, 80.0, 100.0),
                      faults=SensorFaults(missing_share=0.002), gap=(date(2026, 6, 3), date(2026, 6, 7))),
         StationStory("b", "new probe", (10.0, 20.0, 30.0, 40.0, 60.0, 80.0, 100.0), installed=date(2026, 7, 11))),
        (0.4, 0.4, 0.45, 0.5, 0.5, 0.45, 0.4, 0.4, 0.5, 0.5, 0.45, 0.4),
        start_at=0.85, refill=0.75, every=3, logger="comma",
    ),
    BlockStory(
        {"key": "tunel", "name": "Túnel", "area_ha": 1.2, "crop": "sweet pepper", "soil": "tunel", "system": "tunel",
         "root_depth_cm": 50, "allowable_depletion_fraction": 0.3, "wetted_fraction": 0.6, "min_set_mm": 2,
         "max_set_mm": 15},
        (StationStory("a", "bench row", (10.0, 30.0, 50.0)), StationStory("b", "far row", (10.0, 30.0, 50.0))),
        (0.6, 0.6, 0.6, 0.7, 0.8, 0.95, 1.0, 1.0, 0.9, 0.7, 0.6, 0.6),
        start_at=0.7, every=1, logger="comma", raw_unit="count", calibrated=False,
    ),
    BlockStory(
        {"key": "bajo", "name": "Bajo", "area_ha": 22, "crop": "tomato", "variety": "processing", "soil": "bajo",
         "system": "bajo", "supply": "pozo", "planting_date": "2026-04-20", "root_depth_cm": 70,
         "allowable_depletion_fraction": 0.4, "wetted_fraction": 0.7, "min_set_mm": 5, "max_set_mm": 25},
        (StationStory("a", "pair by the road", PAIR, installed=date(2026, 4, 28)),
         StationStory("b", "pair in the middle", PAIR, installed=date(2026, 4, 28)),
         StationStory("c", "pair by the ditch", PAIR, water_factor=1.01, installed=date(2026, 4, 28), crossed=True)),
        (0.2, 0.2, 0.2, 0.35, 0.7, 1.0, 1.1, 1.0, 0.7, 0.3, 0.2, 0.2),
        start_at=0.45, refill=1.0, every=2, logger="comma", raw_unit="kPa", calibrated=False,
    ),
    BlockStory(
        {"key": "vega", "name": "Vega", "area_ha": 27, "crop": "sunflower", "soil": "vega", "system": "vega",
         "supply": "balsa", "planting_date": "2026-04-18", "root_depth_cm": 90, "allowable_depletion_fraction": 0.45,
         "wetted_fraction": 1.0, "min_set_mm": 40, "max_set_mm": 100},
        (StationStory("a", "furrow 60", (20.0, 40.0, 60.0, 90.0), installed=date(2026, 5, 4)),),
        (0.2, 0.2, 0.2, 0.35, 0.75, 1.05, 1.1, 0.6, 0.3, 0.2, 0.2, 0.2),
        intake_mm_h=30.0, start_at=1.3, refill=1.05, every=5, raw_unit="kPa", calibrated=False, by_hand=True,
    ),
    BlockStory(
        {"key": "circulo", "name": "Círculo", "area_ha": 48, "crop": "alfalfa", "variety": "fourth cut",
         "soil": "circulo", "system": "circulo", "supply": "rio", "planting_date": "2026-06-25",
         "crop_values": {"initial_days": 4, "development_days": 8, "mid_days": 12, "late_days": 6, "kc_ini": 0.5,
                         "kc_mid": 1.15, "kc_end": 1.1},
         "root_depth_cm": 110, "allowable_depletion_fraction": 0.5, "wetted_fraction": 1.0, "min_set_mm": 6,
         "max_set_mm": 16},
        (StationStory("a", "probe, third span", tuple(float(d) for d in range(10, 130, 10))),),
        (0.5, 0.6, 0.7, 0.85, 0.9, 0.95, 1.05, 1.0, 0.9, 0.7, 0.5, 0.5),
        intake_mm_h=40.0, start_at=0.35, refill=1.0, every=3, logger="comma", raw_unit="m3/m3",
    ),
    BlockStory(
        {"key": "mesa", "name": "Mesa", "area_ha": 9, "crop": "garlic", "soil": "mesa", "system": "mesa",
         "supply": "balsa", "planting_date": "2025-11-10",
         "crop_values": {"initial_days": 60, "development_days": 90, "mid_days": 70, "late_days": 40, "kc_ini": 0.7,
                         "kc_mid": 1.0, "kc_end": 0.6},
         "root_depth_cm": 40, "allowable_depletion_fraction": 0.35, "wetted_fraction": 1.0, "min_set_mm": 8,
         "max_set_mm": 25},
        (StationStory("a", "two tensiometers", (15.0, 30.0), installed=date(2026, 3, 10), bottom_cm=45.0),),
        (0.7, 0.8, 0.95, 1.0, 1.0, 0.9, 0.65, 0.5, 0.2, 0.2, 0.2, 0.7),
        start_at=0.9, refill=1.0, every=2, raw_unit="kPa", calibrated=False, by_hand=True, until=date(2026, 7, 9),
    ),
    BlockStory(
        {"key": "loma", "name": "Loma", "area_ha": 7.2, "crop": "onion dry", "soil": "bajo", "system": "loma",
         "supply": "balsa", "planting_date": "2026-04-05", "root_depth_cm": 40, "allowable_depletion_fraction": 0.35,
         "wetted_fraction": 0.8, "min_set_mm": 4, "max_set_mm": 18},
        NODES,
        (0.5, 0.5, 0.5, 0.6, 0.85, 1.0, 1.0, 0.8, 0.5, 0.5, 0.5, 0.5),
        start_at=0.7, refill=1.0, every=2, logger="comma", raw_unit="m3/m3",
    ),
)  # fmt: skip
