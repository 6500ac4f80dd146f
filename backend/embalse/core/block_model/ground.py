"""What a profile's soil is taken to be before its probes have spoken: by texture, a layer for each probe."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import SLOW_MM_D
from embalse.core.errors import require
from embalse.core.root_zone.block import Station
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.layers import layer_limits_cm
from embalse.core.soil.soil import SoilWater, bulk_theta, saxton_rawls

Floats = NDArray[np.float64]
RISE_STEPS: Final = 3  # steps of three hours after a set's begin in which its water reaches the nearest probe (ours)


@dataclass(frozen=True, eq=False)
class Ground:
    """The layers probes stand for and what their texture says, from the surface down; every array of shape (layers,).

    ``limits_cm`` has one more; water contents are of the whole soil [m³/m³]. ``full`` is the field capacity of the
    texture, ``ref`` the water content at which it lets 2 mm a day through, ``steepness`` by what power of the water
    content that rises there [-], ``ks_mm_h`` the saturated conductivity. ``entry`` is the place of the layer sets enter
    by.
    """

    depths_cm: tuple[float, ...]
    limits_cm: Floats
    full: Floats
    ref: Floats
    wilting: Floats
    saturation: Floats
    ks_mm_h: Floats
    steepness: Floats
    entry: int = 0

    @property
    def thickness_mm(self) -> Floats:
        """Thickness of each layer [mm], shape (layers,)."""
        return 10.0 * np.diff(self.limits_cm)

    @property
    def count(self) -> int:
        """How many layers there are."""
        return len(self.depths_cm)


def modelled_stations(stations: Sequence[Station]) -> list[Station]:
    """The stations one profile is made of: those with the same depths as most others, the deeper such where even."""
    counts = Counter(tuple(s.depth_cm for s in station.sensors) for station in stations if station.sensors)
    if not counts:
        return []
    depths = max(counts, key=lambda one: (counts[one], len(one)))
    return [s for s in stations if tuple(x.depth_cm for x in s.sensors) == depths]


def ground_of(
    depths_cm: Sequence[float], horizons: Sequence[Horizon], bottom_cm: float | None = None, roots_cm: float = 0.0
) -> Ground:
    """The ground of a profile from the textures of its horizons, whatever marks people have set.

    Parameters
    ----------
    depths_cm : sequence of float, shape (layers,)
        Depths of the probes [cm], increasing.
    horizons : sequence of Horizon
        Soil from the surface down.
    bottom_cm : float, optional
        Lower limit of the last layer [cm].
    roots_cm : float
        Deepest the roots ever go [cm]: the last layer reaches to there.

    Raises
    ------
    LayerError
        If the depths make no layers.
    CoreError
        If there is no soil or a texture makes none.

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578, Eq. 17: K = Ks (θ/θs)^(3 + 2/λ).
    """
    require(len(horizons) > 0, "horizons", "a profile needs its soil described")
    limits = layer_limits_cm(list(depths_cm), bottom_cm)
    limits[-1] = max(limits[-1], roots_cm)
    rows = []
    for top, bottom in pairwise(limits):
        parts = _parts(horizons, top, bottom)
        rows.append([sum(share * values[n] for share, values in parts) for n in range(len(parts[0][1]))])
    full, ref, wilting, saturation, ks, steepness = np.array(rows).T
    return Ground(tuple(depths_cm), np.array(limits), full, ref, wilting, saturation, ks, steepness)


def _parts(horizons: Sequence[Horizon], top_cm: float, bottom_cm: float) -> list[tuple[float, tuple[float, ...]]]:
    """Shares of a layer [-] by horizon with what its texture says; the last horizon goes on downward."""
    found = []
    for number, horizon in enumerate(horizons):
        below = bottom_cm if number == len(horizons) - 1 else horizon.bottom_cm
        within = min(bottom_cm, below) - max(top_cm, horizon.top_cm)
        if within > 0:
            found.append((within, _values(horizon)))
    whole = sum(within for within, _ in found)
    require(whole > 0, "horizons", "the described soil does not reach the probes")
    return [(within / whole, values) for within, values in found]


def _values(horizon: Horizon) -> tuple[float, ...]:
    water: SoilWater = saxton_rawls(horizon.earth)
    stones = horizon.stones_fraction
    steepness = 3 + 2 / water.pore_size_index
    share = min(1.0, SLOW_MM_D / 24 / water.ks_mm_h) ** (1 / steepness)
    return (
        bulk_theta(water.theta_full, stones),
        bulk_theta(water.theta_saturation * share, stones),
        bulk_theta(water.theta_wilting, stones),
        bulk_theta(water.theta_saturation, stones),
        water.ks_mm_h,
        steepness,
    )


def entry_layer(theta: Floats, sets_mm: Floats) -> int:
    """The place of the layer a buried line waters: the one that rises most within nine hours of a set's begin.

    Parameters
    ----------
    theta : array, shape (steps + 1, layers)
        Water contents at every third hour [m³/m³].
    sets_mm : array, shape (steps,)
        What sets brought in each step [mm].

    Returns
    -------
    int
        The top layer where no set tells.
    """
    begins = np.flatnonzero((sets_mm > 0) & ~np.concatenate([[False], sets_mm[:-1] > 0]))
    begins = begins[begins + RISE_STEPS < len(theta)]
    rises = theta[begins + RISE_STEPS] - theta[begins]
    known = np.isfinite(rises)
    if not known.any():
        return 0
    counts = np.maximum(known.sum(axis=0), 1)
    return int(np.argmax(np.where(known, rises, 0.0).sum(axis=0) / counts))
