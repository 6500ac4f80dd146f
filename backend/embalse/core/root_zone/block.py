"""A block as the arithmetic sees it: soil, roots, system, stations, sensors and what they read."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from embalse.core.crop.stages import CropCalendar
from embalse.core.crop.tree_signal import TreeEvidence
from embalse.core.delivery.delivery import IrrigationSystem, Supply
from embalse.core.delivery.irrigation_rules import NO_RULES, BlockRules, DryWindow, Order, SetLimits
from embalse.core.sensors.calibration import Calibration
from embalse.core.soil.horizon_marks import Horizon, root_limit_cm
from embalse.core.soil.roots import RootGrowth, root_depth_cm
from embalse.core.sources import Source, Sourced
from embalse.core.weather.weather_outlook import Outlook
from embalse.core.wording import Text

NO_DAYS: NDArray[np.int64] = np.empty(0, dtype=np.int64)  # no day numbers
NO_VALUES: NDArray[np.float64] = np.empty(0)  # no raw values


@dataclass(frozen=True)
class Sensor:
    """A sensor: key, depth [cm], unit of its raw values, dated calibrations.

    ``since`` is the instant [s, UTC] it went into the ground where it is now; None when nobody wrote it down.
    ``read_every_days`` is set where it is read by hand: the days between rounds [days]. ``gauge_above_cm`` is how far
    a tensiometer's gauge stands above its cup [cm]; ``kind`` is the instrument's, by which its useful range is known.
    """

    key: str
    depth_cm: float
    raw_unit: str
    calibrations: tuple[Calibration, ...] = ()
    since: float | None = None
    read_every_days: float | None = None
    gauge_above_cm: float = 0.0
    kind: str = ""


@dataclass(frozen=True)
class Station:
    """Sensors in one place, from the surface down; ``bottom_cm`` is the lower limit of the last layer if set.

    ``settle_days`` replaces the days of practice after which its sensors count as settled [days].
    ``borrowed_from`` names the block it stands in where it stands for another, ``accepted`` why
    it may though they differ; ``unknown`` are sensors whose
    depth nobody knows: they are watched and never advise.
    """

    key: str
    name: str
    sensors: tuple[Sensor, ...]
    bottom_cm: float | None = None
    settle_days: float | None = None
    borrowed_from: str = ""
    accepted: str = ""
    unknown: tuple[str, ...] = ()


@dataclass(frozen=True)
class Block:
    """A block: area [ha], soil, roots, allowable fraction [-], limits, system, stations, and where entries come from.

    ``roots`` and ``allowable`` are None when neither a person nor a table gives them. ``allowable_mm`` is the depletion
    allowed in the root zone [mm] where a person set it so; ``stage`` is the crop's, None where not known. ``dose`` is
    what sets are multiplied by for what their audit found [-]. ``calendar`` gives Kc, ``crop`` the crop's name in the
    tables, ``bare`` that nothing grows since its harvest, ``slope_pct`` the slope of the ground [%]. ``trees`` is what
    trunks and fruit say, ``no_station`` why no station of another block may stand for it.
    """

    key: str
    name: str
    area_ha: float
    horizons: tuple[Horizon, ...]
    roots: RootGrowth | None
    roots_source: Source
    allowable: Sourced | None
    limits: SetLimits
    system: IrrigationSystem | None
    stations: tuple[Station, ...]
    sources: dict[str, Source] = field(default_factory=dict)
    supply: Supply | None = None
    allowable_mm: Sourced | None = None
    stage: str | None = None
    calendar: CropCalendar | None = None
    crop: str = ""
    bare: bool = False
    slope_pct: float = 0.0
    rules: BlockRules = NO_RULES
    windows: tuple[DryWindow, ...] = ()
    orders: tuple[Order, ...] = ()
    dose: float = 1.0
    trees: TreeEvidence | None = None
    no_station: Text = ""

    def roots_cm(self, day: int) -> float | None:
        """How deep its roots are on a day number [cm], no deeper than where a layer stops them; None if not known."""
        if self.roots is None:
            return None
        depth, limit = root_depth_cm(self.roots, day), root_limit_cm(self.horizons)
        return depth if limit is None else min(depth, limit)

    def managed_cm(self, day: int) -> float | None:
        """How deep sets are to refill the soil on a day number [cm]: as deep as the roots where nothing else is set."""
        roots, managed = self.roots_cm(day), self.rules.managed_depth_cm
        return roots if roots is None or managed is None else min(roots, managed)


@dataclass(frozen=True)
class SensorReadings:
    """Raw readings of a sensor: the latest (median of its last hours) with its instant [s, UTC], and dawn values.

    ``dawn_days`` are day numbers, increasing; ``dawn_raw`` has the same shape, in the sensor's raw unit. ``fault`` says
    why the latest reading is not to be used, when it is not; ``doubts`` what speaks against a sensor that is used, and
    ``doubt_theta`` how much that may be wrong by [m³/m³]. ``latest_c`` and ``dawn_c`` are the soil temperature beside
    it [°C], where it matters and is measured. ``earlier_raw`` is the median of the three hours before the latest ones,
    where it was asked for. ``last_raw``, ``low_raw`` and ``high_raw`` are the last, lowest and highest value of
    the hours that ``latest_raw`` is the median of; None where it stands alone.
    """

    latest_at: float | None = None
    latest_raw: float | None = None
    dawn_days: NDArray[np.int64] = field(default_factory=lambda: NO_DAYS)
    dawn_raw: NDArray[np.float64] = field(default_factory=lambda: NO_VALUES)
    fault: Text | None = None
    doubts: tuple[Text, ...] = ()
    doubt_theta: float = 0.0
    latest_c: float | None = None
    dawn_c: NDArray[np.float64] | None = None
    earlier_raw: float | None = None
    last_raw: float | None = None
    low_raw: float | None = None
    high_raw: float | None = None


@dataclass(frozen=True)
class Moment:
    """The instant advice is for [s, UTC], its day number, and how many seconds UTC dawn values lag their day's start.

    ``dawn_offset_s`` turns a day number into the instant of its dawn: ``86400 * day + dawn_offset_s``. ``outlook`` is
    the weather known then, None where there is none; ``clock_h`` the farm's hour of the day then [h].
    """

    now: float
    day: int
    dawn_offset_s: float = 0.0
    outlook: Outlook | None = None
    clock_h: float | None = None
