"""Soil columns in thin layers: intake, Darcy-like redistribution, uptake by roots and drainage."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require
from embalse.core.soil.horizon_marks import HorizonMarks, over_depth

THICKNESS_CM = 5.0  # cm of one layer of the simulated soil
SUBSTEPS = 6  # steps an hour
LARGEST_FALL = 0.1  # share of a layer's free water [-] that may leave it in a step, for stability
LARGEST_LEVELLING = 0.5  # share of the way to level [-] in a step, for stability
FULL_POINT_CONDUCTIVITY_MM_H = 0.05  # mm/h of conductivity taken for the full point of the simulated soil (ours)
DRIEST_SHARE = 0.5  # share of wilting water [-] that never leaves
MM_PER_KPA = 101.97  # mm of water column
Array = NDArray[np.float64]


@dataclass(frozen=True)
class ColumnSpec:
    """A column: its soil, root depth [cm], the largest intake [mm/h] and how fast roots thin out with depth [-]."""

    horizons: tuple[HorizonMarks, ...]
    depth_cm: float
    root_depth_cm: float
    intake_mm_h: float
    root_thinning: float = 2.0


@dataclass(frozen=True)
class Flows:
    """Water that moved in an hour, by column [mm]: in at the top, run off, taken up, drained below."""

    intake_mm: Array
    runoff_mm: Array
    uptake_mm: Array
    drainage_mm: Array


class SoilColumns:
    """Several columns stepped together; water contents are whole-soil [m³/m³], shape (columns, layers).

    Water moves between layers by the upstream conductivity times the gradient of tension and gravity. Tension follows
    the Saxton & Rawls (2006) curve; conductivity is a power of the effective saturation that passes through their Ks
    and through 0.05 mm/h at the full point, because a soil at its full point still drains about a millimetre a day.
    Steps of ten minutes are kept stable by two limits: suction moves at most half of what would level two layers, and
    gravity takes at most a tenth of a layer's free water. Every drop is booked, so that in − out equals the change in
    store to rounding.
    """

    def __init__(self, specs: Sequence[ColumnSpec]) -> None:
        require(len(specs) > 0, "specs", "at least one column is needed")
        layers = round(min(s.depth_cm for s in specs) / THICKNESS_CM)
        self.centres_cm = THICKNESS_CM * (np.arange(layers) + 0.5)
        self.thickness_mm = 10 * THICKNESS_CM
        tables = [self._table(spec, layers) for spec in specs]
        self.wilting, self.full, self.saturation, self.ks, self.slope = (
            np.array([table[name] for table in tables]) for name in range(5)
        )
        self.intake_limit = np.array([s.intake_mm_h for s in specs])
        self.roots = np.array([self._roots(spec) for spec in specs])
        self.residual = DRIEST_SHARE * self.wilting
        at_full = (self.full - self.residual) / (self.saturation - self.residual)
        self.power = np.log(FULL_POINT_CONDUCTIVITY_MM_H / self.ks) / np.log(at_full)
        self.theta: Array = self.full.copy()

    @staticmethod
    def _table(spec: ColumnSpec, layers: int) -> Array:
        rows = []
        for index in range(layers):
            parts = over_depth(spec.horizons, index * THICKNESS_CM, (index + 1) * THICKNESS_CM)
            rows.append(
                [
                    sum(h.theta_wilting * share for h, share in parts),
                    sum(h.theta_full * share for h, share in parts),
                    sum(h.theta_saturation * share for h, share in parts),
                    sum(h.water.ks_mm_h * share for h, share in parts),
                    sum(h.water.pore_size_index * share for h, share in parts),
                ]
            )
        return np.array(rows).T

    def _roots(self, spec: ColumnSpec) -> Array:
        inside = np.clip((spec.root_depth_cm - self.centres_cm) / THICKNESS_CM + 0.5, 0, 1)
        weight = inside * np.exp(-spec.root_thinning * self.centres_cm / spec.root_depth_cm)
        return np.asarray(weight / weight.sum())

    def storage_mm(self) -> Array:
        """Water in each whole column [mm], shape (columns,)."""
        return np.asarray(self.theta.sum(axis=1) * self.thickness_mm)

    def depletion_mm(self, root_depth_cm: Array) -> Array:
        """Depletion [mm] of each column's soil above a root depth [cm]; negative above the full point."""
        share = np.clip((root_depth_cm[:, None] - self.centres_cm) / THICKNESS_CM + 0.5, 0, 1)
        return np.asarray(((self.full - self.theta) * share).sum(axis=1) * self.thickness_mm)

    def at_depth(self, depth_cm: float) -> Array:
        """Water content [m³/m³] that a sensor at a depth [cm] is surrounded by, shape (columns,)."""
        near = np.abs(self.centres_cm - depth_cm) <= THICKNESS_CM / 2 + 1e-9
        return np.asarray(self.theta[:, near].mean(axis=1))

    def hour(self, supply_mm: Array, demand_mm: Array) -> Flows:
        """Advance an hour with water offered at the surface and crop demand [mm], both shape (columns,)."""
        zeros = np.zeros(len(self.theta))
        intake, drained = zeros.copy(), zeros.copy()
        uptake = self._take_up(demand_mm)
        offered = np.minimum(supply_mm, self.intake_limit)
        runoff = supply_mm - offered
        for _ in range(SUBSTEPS):
            entered = self._enter(offered / SUBSTEPS)
            intake += entered
            runoff += offered / SUBSTEPS - entered
            drained += self._redistribute(1 / SUBSTEPS)
        return Flows(intake, runoff, uptake, drained)

    def _take_up(self, demand_mm: Array) -> Array:
        share = (self.theta - self.wilting) / (self.full - self.wilting)
        stress = np.clip(share / 0.5, 0, 1)
        active = self.roots * stress
        scale = demand_mm / np.maximum(active.sum(axis=1), 0.5)
        wanted = active * scale[:, None]
        taken = np.minimum(wanted, np.maximum(self.theta - self.wilting, 0) * self.thickness_mm)
        self.theta -= taken / self.thickness_mm
        return np.asarray(taken.sum(axis=1))

    def _enter(self, water_mm: Array) -> Array:
        room = np.maximum(self.saturation[:, 0] - self.theta[:, 0], 0) * self.thickness_mm
        entered = np.minimum(water_mm, room)
        self.theta[:, 0] += entered / self.thickness_mm
        return np.asarray(entered)

    def _redistribute(self, hours: float) -> Array:
        wet = np.clip((self.theta - self.residual) / (self.saturation - self.residual), 1e-3, 1)
        conductivity = self.ks * wet**self.power
        tension = 33.0 * MM_PER_KPA * np.clip(self.theta / self.full, 0.05, None) ** (-1 / self.slope)
        capacity = self.slope * self.theta / tension
        free = np.maximum(self.theta - self.residual, 0) * self.thickness_mm * LARGEST_FALL
        room = np.maximum(self.saturation - self.theta, 0) * self.thickness_mm * 0.5
        fall = np.minimum(conductivity * hours, free)
        pull = tension[:, 1:] - tension[:, :-1]
        source = np.where(pull > 0, conductivity[:, :-1], conductivity[:, 1:])
        levelled = np.abs(pull) * self.thickness_mm / (1 / capacity[:, :-1] + 1 / capacity[:, 1:])
        drawn = np.minimum(source * np.abs(pull) / self.thickness_mm * hours, LARGEST_LEVELLING * levelled)
        moved = np.sign(pull) * drawn + fall[:, :-1]
        down = np.minimum(np.maximum(moved, 0), room[:, 1:])
        up = np.minimum(np.maximum(-moved, 0), room[:, :-1])
        net = (down - up) / self.thickness_mm
        out = fall[:, -1]
        self.theta[:, :-1] -= net
        self.theta[:, 1:] += net
        self.theta[:, -1] -= out / self.thickness_mm
        return np.asarray(out)
