"""A profile's hours and the wettings found in them: the shapes that detection, uptake and diagnoses share."""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.wording import Text

Floats = NDArray[np.float64]
Times = NDArray[np.int64]


@dataclass(frozen=True)
class ProfileHours:
    """Hourly water contents of a station: instants [s], θ [m³/m³] shape (layers, n), NaN where nothing is known.

    ``limits_cm`` are the layers' limits, shape (layers + 1,); ``root_depth_cm`` where the roots end [cm]. ``use_mm`` is
    the crop use of each hour [mm], shape (n,), where weather or a dry-down tells it.
    """

    at: Times
    theta: Floats
    depths_cm: tuple[float, ...]
    limits_cm: tuple[float, ...]
    root_depth_cm: float
    use_mm: Floats | None = None

    def millimetres(self, layer: int) -> float:
        """Water that one m³/m³ stands for in a layer [mm]."""
        return 10 * (self.limits_cm[layer + 1] - self.limits_cm[layer])

    def share_inside(self, layer: int) -> float:
        """Share of a layer that lies within the roots [-]."""
        top, bottom = self.limits_cm[layer], self.limits_cm[layer + 1]
        return min(1.0, max(0.0, (self.root_depth_cm - top) / (bottom - top)))

    def part(self, places: slice) -> "ProfileHours":
        """The same profile over some of its hours."""
        use = None if self.use_mm is None else self.use_mm[places]
        return replace(self, at=self.at[places], theta=self.theta[:, places], use_mm=use)


@dataclass(frozen=True)
class Water:
    """Water that came: a set or rain, start and end [s], depth [mm] in the soil the sensors stand in."""

    kind: Literal["set", "rain"]
    start_at: int
    end_at: int
    depth_mm: float


@dataclass(frozen=True)
class Arrival:
    """Water reaching a depth: instant of its first rise [s], θ before and at its peak [m³/m³], gain [mm]."""

    depth_cm: float
    at: int
    before: float
    peak: float
    gain_mm: float


@dataclass(frozen=True)
class Wetting:
    """One wetting of a profile.

    ``reach_cm`` is the deepest depth that answered, ``gain_mm`` the water gained in the roots, ``below_mm`` what went
    below them as far as the sensors there tell (None without one), ``front_cm_h`` the speed of the front [cm/h].
    ``from_what`` are the sets and rain it is put down to; empty when nothing logged explains it. ``between`` are the
    readings it came between [s, UTC] where hours went by without one: its start, its arrivals and its gain are then at
    best known to lie between them, and the gain is the least it was.
    """

    start_at: int
    end_at: int
    arrivals: tuple[Arrival, ...]
    gain_mm: float
    reach_cm: float
    below_mm: float | None
    front_cm_h: float | None
    from_what: tuple[Water, ...] = ()
    suspect: Text = ""
    between: tuple[int, int] | None = None

    @property
    def explained(self) -> bool:
        """Whether a set or rain was logged for it [no unit]."""
        return bool(self.from_what)
