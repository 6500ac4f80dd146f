"""From the raw value a sensor gave to a water content with its error."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Literal, get_args

from embalse.core.errors import CalibrationError, require
from embalse.core.sources import Source

RawUnit = Literal["m3/m3", "%", "count", "mV", "kPa", "ohm", "kohm", "degC", "degF", "dS/m", "uS/cm"]
RAW_UNITS: tuple[RawUnit, ...] = get_args(RawUnit)
UNITS_OF: dict[str, frozenset[str]] = {
    "water": frozenset({"m3/m3", "%", "count", "mV", "kPa", "ohm", "kohm"}),
    "temperature": frozenset({"degC", "degF"}),
    "salinity": frozenset({"dS/m", "uS/cm"}),
}
WATER_CONTENT_UNITS = frozenset({"m3/m3", "%"})
UNSTATED_ERROR_THETA = 0.03
HIGHEST_THETA = 0.60


@dataclass(frozen=True)
class LinearCalibration:
    """θ = ``intercept`` + ``slope`` × raw, in force from an instant [s, UTC]; ``rmse_theta`` is its error [m³/m³].

    ``ends`` marks the instant at which another sensor took the place and no calibration is known for it.
    """

    valid_from: float
    slope: float
    intercept: float
    rmse_theta: float | None = None
    note: str = ""
    ends: bool = False

    def theta(self, raw: float) -> float:
        """Water content [m³/m³] of a raw value."""
        return self.intercept + self.slope * raw

    @property
    def error_theta(self) -> float:
        """Standard error [m³/m³]; 0.03 where none was stated (common practice, no source)."""
        return UNSTATED_ERROR_THETA if self.rmse_theta is None else self.rmse_theta


@cache
def finished_unit_calibration(raw_unit: str) -> LinearCalibration | None:
    """The identity for sensors that already give water content, None for raw signals.

    Parameters
    ----------
    raw_unit : str
        Unit of the stored values: one of ``RAW_UNITS``.
    """
    if raw_unit == "m3/m3":
        return LinearCalibration(float("-inf"), 1.0, 0.0, None, "water content as the logger gave it")
    if raw_unit == "%":
        return LinearCalibration(float("-inf"), 0.01, 0.0, None, "water content as the logger gave it, percent / 100")
    return None


def calibration_at(
    calibrations: Sequence[LinearCalibration], raw_unit: str, instant: float
) -> LinearCalibration | None:
    """The calibration in force at an instant [s, UTC]: the latest that started by then.

    Returns
    -------
    LinearCalibration or None
        None when the sensor gives raw signals and none has been entered: such a reading is an index, not water.
    """
    if not calibrations:
        return finished_unit_calibration(raw_unit)
    started = [c for c in calibrations if c.valid_from <= instant]
    if started:
        newest = max(started, key=lambda c: c.valid_from)
        return finished_unit_calibration(raw_unit) if newest.ends else newest
    return finished_unit_calibration(raw_unit)


def check_calibration(calibration: LinearCalibration) -> None:
    """Refuse a calibration that cannot give water contents.

    Raises
    ------
    CalibrationError
        If the slope is 0 or the error is not between 0 and 0.2 m³/m³.
    """
    require(
        calibration.slope != 0, "slope", "a slope of 0 gives the same water content for every reading", CalibrationError
    )
    if calibration.rmse_theta is not None:
        require(0 <= calibration.rmse_theta <= 0.2, "rmse_theta", "must lie between 0 and 0.2 m³/m³", CalibrationError)


def calibration_source(calibration: LinearCalibration) -> Source:
    """Where a water content came from, in words; its error in m³/m³ is part of them."""
    error = "error not stated, 0.03 m³/m³ assumed (common practice, no source)"
    if calibration.rmse_theta is not None:
        error = f"error {calibration.rmse_theta:g} m³/m³"
    if calibration.valid_from == float("-inf"):
        return Source("assumption", "the logger's own water content", f"{calibration.note}; {error}")
    line = f"θ = {calibration.intercept:g} + {calibration.slope:g} × raw"
    return Source("entry", "calibration", f"{line}; {error}" + (f"; {calibration.note}" if calibration.note else ""))


def implausible_theta(theta: float) -> str | None:
    """Why a water content [m³/m³] cannot be soil, or None.

    References
    ----------
    .. [1] Dorigo et al. (2013), Vadose Zone J. 12(3): flags C01 (below 0) and C02 (above 60 % by volume).
    """
    if theta < 0:
        return f"{theta:.2f} m³/m³ is below zero"
    if theta > HIGHEST_THETA:
        return f"{theta:.2f} m³/m³ is more than soil holds"
    return None
