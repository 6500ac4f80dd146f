"""From the raw value a sensor gave to a water content with its error."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CalibrationError, require
from embalse.core.sensors.calibration_curves import COEFFICIENTS, curve_jacobian, curve_theta, topp_theta
from embalse.core.sensors.matrix_sensor import KOHM_OF, tension_kpa
from embalse.core.sensors.tensiometer import cup_tension_kpa
from embalse.core.soil.retention import RetentionCurve
from embalse.core.sources import Source
from embalse.core.wording import Notice, Text

RawUnit = Literal[
    "m3/m3",
    "%",
    "count",
    "mV",
    "permittivity",
    "kPa",
    "ohm",
    "kohm",
    "degC",
    "degF",
    "dS/m",
    "uS/cm",
    "mm",
    "um",
    "Hz",
    "kHz",
    "us",
    "min",
    "on",
]
RAW_UNITS: tuple[RawUnit, ...] = get_args(RawUnit)
TENSION_UNITS = frozenset({"kPa", "ohm", "kohm"})
UNITS_OF: dict[str, frozenset[str]] = {
    "water": frozenset({"m3/m3", "%", "count", "mV", "permittivity", "Hz", "kHz", "us"}) | TENSION_UNITS,
    "temperature": frozenset({"degC", "degF"}),
    "salinity": frozenset({"dS/m", "uS/cm"}),
    "trunk": frozenset({"mm", "um"}),
    "air": frozenset({"degC", "degF"}),
    "leaf-wetness": frozenset({"%", "count", "mV", "min"}),
    "water-on": frozenset({"on", "count", "mV", "kPa"}),
}
WATER_CONTENT_UNITS = frozenset({"m3/m3", "%"})
UNSTATED_ERROR_THETA = 0.03  # m³/m³, a maker's curve in an unknown soil (common practice, no source)
HIGHEST_THETA = 0.60  # m³/m³ that mineral soil can hold at saturation, with room (common practice, no source)
LEAST_TENSION_ERROR_KPA = 2.0  # kPa a gauge can be read to at best (common practice, no source)
TENSION_ERROR_SHARE = 0.10
"""Error of a tension reading: 2 kPa or a tenth of it (common practice, no source)."""
BEYOND_SHARE = 0.10  # share of the calibrated span [-] a reading may lie outside it without a word (ours)
MODELS_HELD = frozenset({"shift", "linear", "quadratic", "power", "refractive", "topp", "tension"})
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class TensionChain:
    """How a tension sensor's values become water: its unit, the soil's curve, and the gauge's height [cm]."""

    raw_unit: str
    curve: RetentionCurve
    gauge_above_cm: float = 0.0

    def kpa(self, raw: Floats, temperature_c: Floats | None) -> Floats:
        """Tension at the sensor [kPa] of raw values, at soil temperatures [°C] (NaN or None: 24 °C)."""
        return sensor_tension_kpa(self.raw_unit, raw, temperature_c, self.gauge_above_cm)


def sensor_tension_kpa(raw_unit: str, raw: Floats, temperature_c: Floats | None, gauge_above_cm: float = 0.0) -> Floats:
    """Tension [kPa] of what a tension sensor gave: a resistance, or a gauge some cm above its cup; shape of ``raw``."""
    if raw_unit in KOHM_OF:
        there = np.full(np.shape(raw), np.nan) if temperature_c is None else temperature_c
        return tension_kpa(np.asarray(raw, dtype=float) * KOHM_OF[raw_unit], there)
    return cup_tension_kpa(raw, gauge_above_cm) if gauge_above_cm else np.asarray(raw, dtype=float)


@dataclass(frozen=True)
class Calibration:
    """θ as a curve of the raw value, in force from an instant [s, UTC].

    ``rmse_theta`` is the error of a reading [m³/m³] and ``covariance`` that of the coefficients, which every sensor
    under the same calibration (``name``) shares. ``raw_range`` is the range it was fitted in. A raw value is first
    brought to ``reference_c`` [°C] by ``per_degree`` raw units. ``ends`` marks the instant at which another sensor
    took the place and no calibration is known for it. ``not_for`` names soils it is not meant for.
    """

    valid_from: float
    model: str = "linear"
    coefficients: tuple[float, ...] = (0.0, 1.0)
    rmse_theta: float | None = None
    note: Text = ""
    ends: bool = False
    covariance: tuple[tuple[float, ...], ...] = ()
    raw_range: tuple[float, float] | None = None
    per_degree: float = 0.0
    reference_c: float = 20.0
    chain: TensionChain | None = None
    name: str = ""
    not_for: tuple[str, ...] = ()

    def at_reference(self, raw: Floats, temperature_c: Floats | None = None) -> Floats:
        """Raw values as they would be at the reference temperature; where none was measured, as they are."""
        values = np.asarray(raw, dtype=float)
        if self.per_degree == 0 or temperature_c is None:
            return values
        return values - self.per_degree * np.where(np.isnan(temperature_c), 0.0, temperature_c - self.reference_c)

    def theta(self, raw: Floats, temperature_c: Floats | None = None) -> Floats:
        """Water content [m³/m³] of raw values, shape of ``raw``; NaN where the curve gives none."""
        if self.model == "linear" and self.per_degree == 0:  # most sensors, thousands of times a Round
            return self.coefficients[0] + self.coefficients[1] * raw
        if self.chain is not None:
            return self.chain.curve.theta(self.chain.kpa(np.asarray(raw, dtype=float), temperature_c))
        values = self.at_reference(raw, temperature_c)
        if self.model == "topp":
            return topp_theta(values)
        return curve_theta(self.model, np.array(self.coefficients), values)

    @property
    def error_theta(self) -> float:
        """Standard error of a reading [m³/m³]; 0.03 where none was stated (common practice, no source)."""
        return UNSTATED_ERROR_THETA if self.rmse_theta is None else self.rmse_theta

    def errors_theta(self, raw: float, temperature_c: float | None = None) -> tuple[float, float]:
        """Errors of one reading [m³/m³]: its own, and the one it shares with others under the same calibration."""
        if self.chain is not None:
            there = None if temperature_c is None else np.array([temperature_c])
            kpa = float(self.chain.kpa(np.array([raw]), there)[0])
            off = max(LEAST_TENSION_ERROR_KPA, TENSION_ERROR_SHARE * kpa)
            ends = self.chain.curve.theta(np.array([max(kpa - off, 0.0), kpa + off]))
            return float(ends[0] - ends[1]) / 2, self.chain.curve.theta_error
        if not self.covariance:
            return self.error_theta, 0.0
        slopes = curve_jacobian(self.model, np.array(self.coefficients), np.array([raw]))
        variance = float((slopes @ np.array(self.covariance) @ slopes.T)[0, 0])
        return self.error_theta, float(np.sqrt(max(0.0, variance)))

    def beyond(self, raw: float) -> Notice | None:
        """That a raw value lies outside what the calibration was fitted to; None when it does not."""
        if self.raw_range is None:
            return None
        low, high = self.raw_range
        slack = BEYOND_SHARE * (high - low)
        if low - slack <= raw <= high + slack:
            return None
        return Notice("doubt.beyond", raw=raw, low=low, high=high)


def linear(
    valid_from: float, slope: float, intercept: float, rmse_theta: float | None = None, note: Text = ""
) -> Calibration:
    """A straight line θ = ``intercept`` + ``slope`` × raw with its error [m³/m³], from an instant [s, UTC]."""
    return Calibration(valid_from, "linear", (intercept, slope), rmse_theta, note)


ALWAYS = float("-inf")


@cache
def finished_unit_calibration(raw_unit: str) -> Calibration | None:
    """What turns the unit itself into water content [m³/m³] without a calibration of one's own; None for raw signals.

    Parameters
    ----------
    raw_unit : str
        Unit of the stored values: one of ``RAW_UNITS``.

    References
    ----------
    .. [1] Permittivity: Topp, Davis & Annan (1980), Water Resour. Res. 16:574-582.
    """
    if raw_unit == "m3/m3":
        return linear(ALWAYS, 1.0, 0.0, None, "water content as the logger gave it")
    if raw_unit == "%":
        return linear(ALWAYS, 0.01, 0.0, None, "water content as the logger gave it, percent / 100")
    if raw_unit == "permittivity":
        return Calibration(ALWAYS, "topp", (), None, "Topp, Davis & Annan 1980, mineral soil", raw_range=(3.0, 40.0))
    return None


def calibration_at(calibrations: Sequence[Calibration], raw_unit: str, instant: float) -> Calibration | None:
    """The calibration in force at an instant [s, UTC]: the latest that started by then.

    Returns
    -------
    Calibration or None
        None when the sensor gives raw signals and none has been entered: such a reading is an index, not water.
    """
    if not calibrations:
        return finished_unit_calibration(raw_unit)
    started = [c for c in calibrations if c.valid_from <= instant]
    if started:
        newest = max(started, key=lambda c: c.valid_from)
        return finished_unit_calibration(raw_unit) if newest.ends else newest
    return finished_unit_calibration(raw_unit)


def wants_temperature(calibrations: Sequence[Calibration], raw_unit: str) -> bool:
    """Whether a sensor's water content depends on the soil temperature beside it (``raw_unit`` as stored)."""
    return raw_unit in KOHM_OF or any(c.per_degree for c in calibrations)


def check_calibration(calibration: Calibration) -> None:
    """Refuse a calibration that cannot give water contents.

    Raises
    ------
    CalibrationError
        If the model is not known, its coefficients are not as many as it has, a straight line has no slope, or the
        error is not between 0 and 0.2 m³/m³.
    """
    model = calibration.model
    require(model in MODELS_HELD - {"tension"}, "model", f"'{model}' is no curve", CalibrationError)
    wanted = COEFFICIENTS.get(model, 0)
    count = len(calibration.coefficients)
    require(count == wanted, "coefficients", f"a {model} curve has {wanted}, not {count}", CalibrationError)
    if model == "linear":
        flat = "a slope of 0 gives the same water content for every reading"
        require(calibration.coefficients[1] != 0, "slope", flat, CalibrationError)
    if calibration.covariance:
        square = len(calibration.covariance) == count and all(len(row) == count for row in calibration.covariance)
        require(square, "covariance", f"must be {count} by {count}", CalibrationError)
    if calibration.rmse_theta is not None:
        require(
            0 <= calibration.rmse_theta <= 0.2,
            "rmse_theta",
            Notice("error.range_theta", low_theta=0.0, high_theta=0.2),
            CalibrationError,
        )


def curve_words(model: str, coefficients: Sequence[float]) -> str:
    """A curve as it would be written down; coefficients in the raw unit's own terms.

    Examples
    --------
    >>> curve_words("linear", (1.2, -0.0016))
    'θ = 1.2 − 0.0016 × raw'
    """
    first = f"{coefficients[0]:.6g}".replace("-", "−") if coefficients else ""
    if model == "linear":
        return f"θ = {first}{_signed(coefficients[1])} × raw"
    if model == "quadratic":
        return f"θ = {first}{_signed(coefficients[1])} × raw{_signed(coefficients[2])} × raw²"
    if model == "power":
        return f"θ = {np.exp(coefficients[0]):.6g} × raw^{coefficients[1]:.6g}"
    if model == "refractive":
        return f"θ = {first}{_signed(coefficients[1])} × √raw"
    if model == "shift":
        return f"θ = {first} + the factory's value"
    return "θ by Topp, Davis & Annan 1980"


def _signed(value: float) -> str:
    return f" {'−' if value < 0 else '+'} {abs(value):.6g}"


def calibration_source(calibration: Calibration) -> Source:
    """Where a water content came from, its error [m³/m³] included."""
    error = Notice("calibration.error_assumed", error_theta=UNSTATED_ERROR_THETA)
    if calibration.rmse_theta is not None:
        error = Notice("calibration.error", error_theta=calibration.rmse_theta)
    if calibration.chain is not None:
        curve = calibration.chain.curve
        how = Notice("calibration.by_tension", curve=curve.source.detail, note=calibration.note)
        return Source(curve.source.kind, Notice("calibration.tension_title", curve=curve.source.title), how)
    if calibration.valid_from == ALWAYS and calibration.model == "topp":
        return Source("equation", calibration.note, error)
    if calibration.valid_from == ALWAYS:
        return Source("assumption", "the logger's own water content", (calibration.note, error))
    parts: list[Text] = [curve_words(calibration.model, calibration.coefficients)]
    if calibration.per_degree:
        warm = {"reference_c": calibration.reference_c, "per_degree": calibration.per_degree}
        parts.append(Notice("calibration.warmth", **warm))
    return Source("entry", "calibration", (*parts, error, *([calibration.note] if calibration.note else [])))


def implausible_theta(theta: float) -> Notice | None:
    """Why a water content [m³/m³] cannot be soil, or None.

    References
    ----------
    .. [1] Dorigo et al. (2013), Vadose Zone J. 12(3): flags C01 (below 0) and C02 (above 60 % by volume).
    """
    if math.isnan(theta):
        return Notice("impossible.none")
    if theta < 0:
        return Notice("impossible.below", theta=theta)
    if theta > HIGHEST_THETA:
        return Notice("impossible.above", theta=theta)
    return None
