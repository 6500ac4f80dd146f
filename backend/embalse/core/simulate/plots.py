"""Single plots with their truth: one soil, one crop, one programme of watering, always from a seed."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from embalse.core.field.day_curve import hourly_share
from embalse.core.simulate.column import ColumnSpec, SoilColumns
from embalse.core.simulate.sensing import SensorFaults, sensed_theta
from embalse.core.simulate.weather import weather
from embalse.core.soil.horizon_marks import Horizon, horizon_marks
from embalse.core.soil.soil import FineEarth

Array = NDArray[np.float64]
TEXTURES: dict[str, tuple[float, float]] = {
    "sandy loam": (0.65, 0.10), "loam": (0.40, 0.20), "silt loam": (0.20, 0.15), "clay loam": (0.30, 0.35),
}  # fmt: skip
COLUMN_CM = 150.0  # cm simulated
HOURS = 24  # hours a day
SET_H, SET_MM_H = 20, 8.0


@dataclass(frozen=True)
class PlotPlan:
    """What is grown how: texture, root depth [cm], crop coefficient [-], sensor depths [cm], days.

    Water is given when the depletion has passed ``start_share`` of the available water, ``fill`` times the depletion
    (above 1 it goes below the roots); every ``deep_every`` set is twice that. ``dry_out_days`` leaves the end dry.
    ``kc_by_day`` replaces ``kc`` day by day; ``month`` is whose weather it is; it rains only ``with_rain``.
    ``ordered_mm`` are sets given on the evenings of days, whatever the depletion.
    """

    texture: str = "loam"
    root_depth_cm: float = 60.0
    kc: float = 1.0
    depths_cm: tuple[float, ...] = (10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 80.0)
    days: int = 120
    start_share: float = 0.4
    fill: float = 1.0
    deep_every: int = 3
    dry_out_days: int = 0
    faults: SensorFaults = field(default_factory=SensorFaults)
    kc_by_day: tuple[float, ...] = ()
    month: int = 7
    with_rain: bool = False
    ordered_mm: dict[int, float] = field(default_factory=dict)


@dataclass(frozen=True)
class PlotSeason:
    """A plot's hours [s, from day 0], truth and readings by depth [m³/m³], sets [s], and daily truths of the roots.

    ``theta_full`` and ``theta_wilting`` are those the column was made with, by depth; ``depletion_mm``, ``uptake_mm``
    and ``eto_mm`` have one value a day, at its dawn and over it. ``short_mm`` is the depletion at each hour,
    ``below_mm`` what went below the roots in it, ``given_mm`` the depth of each set, ``runoff_mm`` what
    of each hour's water ran off.
    """

    plan: PlotPlan
    times: NDArray[np.int64]
    truth: dict[float, Array]
    sensed: dict[float, Array]
    theta_full: dict[float, float]
    theta_wilting: dict[float, float]
    sets: list[tuple[int, int]]
    eto_mm: Array
    rain_mm: Array
    uptake_mm: Array
    depletion_mm: Array
    taw_mm: float
    short_mm: Array
    below_mm: Array
    given_mm: tuple[float, ...]
    runoff_mm: Array


class Manager:
    """Who waters a plot: starts sets in the evening and lets them run at 8 mm an hour.

    ``truth`` are the water contents so far [m³/m³], hour by hour and depth by depth; depths in mm.
    """

    def __init__(self, plan: PlotPlan, taw_mm: float) -> None:
        self.plan, self.taw_mm = plan, taw_mm
        self.sets: list[tuple[int, int]] = []
        self.given_mm: list[float] = []
        self.truth: dict[float, list[float]] = {d: [] for d in plan.depths_cm}
        self._left = 0.0
        self._number = 0

    def water_mm(self, hour: int, short_mm: float) -> float:
        """Water given in an hour at a depletion [mm]."""
        day, clock = divmod(hour, HOURS)
        if clock == SET_H and self._left <= 0:
            self._begin(hour, self.wanted_mm(day, short_mm))
        now = min(self._left, SET_MM_H)
        self._left -= now
        return now

    def wanted_mm(self, day: int, short_mm: float) -> float:
        """Water of the set that begins on a day's evening at a depletion, 0 for none [mm]."""
        plan = self.plan
        if day in plan.ordered_mm:
            return plan.ordered_mm[day]
        if day >= plan.days - plan.dry_out_days or short_mm <= plan.start_share * self.taw_mm:
            return 0.0
        self._number += 1
        deep = plan.deep_every and self._number % plan.deep_every == 0
        return short_mm * plan.fill * (2.0 if deep else 1.0)

    def _begin(self, hour: int, depth_mm: float) -> None:
        if depth_mm <= 0:
            return
        self._left = depth_mm
        self.given_mm.append(depth_mm)
        self.sets.append((hour * 3600, (hour + max(1, int(np.ceil(depth_mm / SET_MM_H)))) * 3600))


def plot_season(plan: PlotPlan, seed: int, managed_by: Callable[[PlotPlan, float], "Manager"] = Manager) -> PlotSeason:
    """A season of a plot; the same seed and manager give the same one (units as in ``PlotSeason``)."""
    sand, clay = TEXTURES[plan.texture]
    random = np.random.default_rng(seed)
    spread = random.normal(0, 0.02, 2)
    horizon = Horizon(0, 200, FineEarth(sand + float(spread[0]), clay + float(spread[1]), 1.5))
    column = SoilColumns([ColumnSpec((horizon_marks(horizon),), COLUMN_CM, plan.root_depth_cm, 25.0)])
    sky = weather(np.full(plan.days, plan.month), seed)
    rain = sky.rain_mm if plan.with_rain else np.zeros(plan.days)
    kc = plan.kc_by_day or (plan.kc,) * plan.days
    roots = np.array([plan.root_depth_cm])
    inside = np.clip((plan.root_depth_cm - column.centres_cm) / 5.0 + 0.5, 0, 1)
    taw = float(((column.full - column.wilting) * inside).sum() * column.thickness_mm)
    uptake, depletion = np.zeros(plan.days), np.zeros(plan.days)
    manager = managed_by(plan, taw)
    truth = manager.truth
    short_mm, below, runoff = (np.zeros(plan.days * HOURS) for _ in range(3))
    deep = ((1 - inside) * column.thickness_mm)[None, :]
    for hour in range(plan.days * HOURS):
        day, clock = divmod(hour, HOURS)
        for depth in plan.depths_cm:
            truth[depth].append(float(column.at_depth(depth)[0]))
        short = float(column.depletion_mm(roots)[0])
        short_mm[hour] = short
        if clock == 5:
            depletion[day] = short
        supply = manager.water_mm(hour, short)
        supply += float(rain[day]) / 4 if 13 <= clock < 17 else 0.0
        demand = np.array([hourly_share(clock) * float(sky.eto_mm_d[day]) * kc[day]])
        before = float((column.theta * deep).sum())
        flows = column.hour(np.array([supply]), demand)
        below[hour] = float((column.theta * deep).sum()) - before + float(flows.drainage_mm[0])
        uptake[day] += float(flows.uptake_mm[0])
        runoff[hour] = float(flows.runoff_mm[0])
    at = {d: int(np.argmin(np.abs(column.centres_cm - d))) for d in plan.depths_cm}
    full, wilting = float(column.full[0, 0]), float(column.wilting[0, 0])
    values = {d: np.array(v) for d, v in truth.items()}
    return PlotSeason(
        plan,
        3600 * np.arange(plan.days * HOURS, dtype=np.int64),
        values,
        {d: sensed_theta(v, plan.faults, seed * 1000 + at[d]) for d, v in values.items()},
        dict.fromkeys(plan.depths_cm, full),
        dict.fromkeys(plan.depths_cm, wilting),
        manager.sets,
        sky.eto_mm_d,
        rain,
        uptake,
        depletion,
        taw,
        short_mm,
        below,
        tuple(manager.given_mm),
        runoff,
    )
