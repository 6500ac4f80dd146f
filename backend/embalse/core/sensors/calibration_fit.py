"""Calibrations fitted to weighed samples: candidate curves, compared by the error of samples left out."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CalibrationError, require
from embalse.core.robust import sd_from_deviations
from embalse.core.sensors.calibration_curves import COEFFICIENTS, Model, curve_jacobian, curve_theta
from embalse.core.wording import Notice, Text

MODELS: tuple[Model, ...] = ("linear", "power", "quadratic")
LEVEL_THETA = 0.02  # m³/m³ apart from which two samples are two levels of moisture (ours)
# levels of moisture each curve needs: one more than its coefficients at least (ours)
FEWEST_LEVELS: dict[Model, int] = {"shift": 1, "linear": 3, "power": 3, "refractive": 3, "quadratic": 5}
NARROWEST_THETA = 0.08  # m³/m³ samples must span for a slope (ours)
WORTH_A_COEFFICIENT = 0.95  # times the error a curve with one coefficient more must come below (ours)
PERMUTATIONS = 999  # shuffles for the chance of a gain; their step is 0.001
FEWEST_TO_JUDGE = 6  # samples from which leaving one out tells something (ours)
FAR_OFF_SDS, LEAST_SCATTER_THETA = 3.5, 0.004
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Fit:
    """A fitted curve θ = f(raw): its coefficients, errors [m³/m³] and the range it was fitted in.

    The curves are those of ``curve_theta``.
    ``refused`` says why it may not be used, "" when it may.
    """

    model: Model
    coefficients: tuple[float, ...]
    n: int
    rmse_theta: float
    bias_theta: float
    left_out_rmse_theta: float
    raw_range: tuple[float, float]
    refused: Text = ""

    @property
    def shared_error_theta(self) -> float:
        """Error of the curve itself at the middle of its samples [m³/m³], which all its readings share: rmse / √n."""
        return self.rmse_theta / math.sqrt(self.n)


@dataclass(frozen=True)
class Choice:
    """The fits of all candidates, and the one to use: None when every one is refused, with the reason."""

    fits: tuple[Fit, ...]
    best: Fit | None
    words: Notice


def fit(model: Model, raw: Floats, theta: Floats) -> Fit:
    """One curve fitted to samples by least squares.

    Parameters
    ----------
    model : Model
    raw, theta : array, shape (n,)
        Raw readings and weighed water contents [m³/m³]; for a shift, ``raw`` are the factory's water contents.

    Raises
    ------
    CalibrationError
        If there are no samples, shapes differ, or values are not finite.
    """
    require(len(raw) == len(theta) > 0, "samples", "at least one sample with a reading is wanted", CalibrationError)
    finite = bool(np.isfinite(raw).all() and np.isfinite(theta).all())
    require(finite, "samples", "readings and water contents must be numbers", CalibrationError)
    span = (float(np.min(raw)), float(np.max(raw)))
    refused = _refused(model, raw, theta)
    if refused:
        return Fit(model, (), len(raw), np.nan, np.nan, np.nan, span, refused)
    coefficients = _coefficients(model, raw, theta)
    errors = curve_theta(model, coefficients, raw) - theta
    left_out = left_out_theta(model, raw, theta)
    return Fit(
        model,
        tuple(coefficients.tolist()),
        len(raw),
        float(np.sqrt(np.sum(errors**2) / max(1, len(raw) - COEFFICIENTS[model]))),
        float(np.mean(errors)),
        float(np.sqrt(np.mean(left_out**2))) if len(left_out) else np.nan,
        span,
        "" if _monotone(model, coefficients, span) else Notice("fit.not_monotone"),
    )


def _refused(model: Model, raw: Floats, theta: Floats) -> Text:
    levels = moisture_levels(theta)
    if levels < FEWEST_LEVELS[model]:
        wanted = FEWEST_LEVELS[model]
        return Notice("fit.few_levels", levels=levels, model=model, wanted=wanted, apart_theta=LEVEL_THETA)
    if model != "shift" and float(np.ptp(theta)) < NARROWEST_THETA:
        return Notice("fit.narrow", span_theta=float(np.ptp(theta)), wanted_theta=NARROWEST_THETA)
    if model == "refractive" and np.any(raw < 0):
        return Notice("fit.root_negative")
    if model == "power" and (np.any(raw <= 0) or np.any(theta <= 0)):
        return Notice("fit.power_positive")
    if model != "shift" and float(np.ptp(raw)) == 0:
        return Notice("fit.all_same")
    return ""


def moisture_levels(theta: Floats) -> int:
    """How many moisture levels samples stand for: groups at least 0.02 m³/m³ apart."""
    levels, last = 0, -np.inf
    for value in np.sort(theta).tolist():
        if value - last >= LEVEL_THETA:
            levels, last = levels + 1, value
    return levels


def _coefficients(model: Model, raw: Floats, theta: Floats) -> Floats:
    if model == "shift":
        return np.array([float(np.mean(theta - raw))])
    if model == "power":
        return _power(raw, theta)
    if model == "refractive":
        return np.asarray(np.polynomial.polynomial.polyfit(np.sqrt(raw), theta, 1))
    scale = max(1.0, float(np.max(np.abs(raw))))
    found = np.polynomial.polynomial.polyfit(raw / scale, theta, COEFFICIENTS[model] - 1)
    return np.asarray(found / scale ** np.arange(len(found)))


def _power(raw: Floats, theta: Floats) -> Floats:
    """Least squares in θ itself by Gauss–Newton, begun from the straight line of the logarithms."""
    design = np.stack([np.ones(len(raw)), np.log(raw)], axis=1)
    found = np.linalg.lstsq(design, np.log(theta), rcond=None)[0]
    for _ in range(25):
        value = np.exp(design @ found)
        step = np.linalg.lstsq(value[:, None] * design, theta - value, rcond=None)[0]
        found = found + step
        if np.max(np.abs(step)) < 1e-12:
            break
    return np.asarray(found)


def left_out_theta(model: Model, raw: Floats, theta: Floats) -> Floats:
    """Error [m³/m³] of each sample by the curve fitted to the others, shape (n,); empty where they are too few."""
    if len(raw) <= COEFFICIENTS[model]:
        return np.empty(0)
    errors = []
    for index in range(len(raw)):
        others = np.arange(len(raw)) != index
        coefficients = _coefficients(model, raw[others], theta[others])
        errors.append(float(curve_theta(model, coefficients, raw[index : index + 1])[0] - theta[index]))
    return np.array(errors)


def far_off(model: Model, raw: Floats, theta: Floats) -> NDArray[np.bool_]:
    """Samples that the curve of the others misses by far more than it misses the rest, shape (n,).

    None is named among fewer than six. The scatter is the median absolute deviation of the errors, as a standard
    deviation, and at least 0.004 m³/m³ (a convention, no source).
    """
    missed = left_out_theta(model, raw, theta) if len(theta) >= FEWEST_TO_JUDGE else np.empty(0)
    if not len(missed):
        return np.zeros(len(theta), dtype=bool)
    off = np.abs(missed - np.median(missed))
    return np.asarray(off > FAR_OFF_SDS * max(float(sd_from_deviations(off)), LEAST_SCATTER_THETA))


def _monotone(model: Model, coefficients: Floats, span: tuple[float, float]) -> bool:
    if model == "shift":
        return True
    steps = np.diff(curve_theta(model, coefficients, np.linspace(*span, 50)))
    return bool(np.all(steps > 0) or np.all(steps < 0))


def choice(raw: Floats, theta: Floats, models: Sequence[Model] = MODELS) -> Choice:
    """The candidates fitted, and the one whose left-out error is least (all errors in m³/m³).

    A curve with one coefficient more is taken only when it lowers the left-out error by a twentieth. The share of
    variance explained is never looked at: it rises with every coefficient.
    """
    fits = tuple(fit(model, raw, theta) for model in models)
    best: Fit | None = None
    for one in sorted(fits, key=lambda f: COEFFICIENTS[f.model]):
        if one.refused or not np.isfinite(one.left_out_rmse_theta):
            continue
        more = best is not None and COEFFICIENTS[one.model] > COEFFICIENTS[best.model]
        share = WORTH_A_COEFFICIENT if more else 1.0
        if best is None or one.left_out_rmse_theta < share * best.left_out_rmse_theta:
            best = one
    if best is None:
        return Choice(
            fits,
            None,
            Notice(
                "fit.none",
                fits=tuple(
                    Notice("fit.refused", model=f.model, why=f.refused or Notice("fit.none_left")) for f in fits
                ),
            ),
        )
    words = Notice("fit.chosen", model=best.model, left_out_theta=best.left_out_rmse_theta, samples=best.n)
    return Choice(fits, best, words)


def prediction_error_theta(fitted: Fit, raw: Floats, theta: Floats, at: Floats) -> Floats:
    """Standard error of a water content read by a fit [m³/m³], wider away from the middle of its samples.

    Parameters
    ----------
    fitted : Fit
        A fit that is not refused.
    raw, theta : array, shape (n,)
        The samples it was fitted to.
    at : array, shape (m,)
        Raw values.

    References
    ----------
    .. [1] Draper & Smith (1998), Applied Regression Analysis, 3rd ed., ch. 1 and 5: s·√(1 + x(XᵀX)⁻¹xᵀ).
    """
    design, scale = _scaled(fitted, raw)
    asked = curve_jacobian(fitted.model, np.array(fitted.coefficients), at) / scale
    leverage = np.einsum("ij,jk,ik->i", asked, np.linalg.pinv(design.T @ design), asked)
    return np.asarray(fitted.rmse_theta * np.sqrt(1 + np.maximum(0, leverage)))


def coefficient_covariance(fitted: Fit, raw: Floats) -> Floats:
    """Covariance of a fit's coefficients, shape (k, k), from the samples' raw values; in squares of their units.

    References
    ----------
    .. [1] Draper & Smith (1998), Applied Regression Analysis, 3rd ed., ch. 5: s²(XᵀX)⁻¹.
    """
    design, scale = _scaled(fitted, raw)
    inner = np.linalg.pinv(design.T @ design)
    return np.asarray(fitted.rmse_theta**2 * inner / np.outer(scale, scale))


def _scaled(fitted: Fit, raw: Floats) -> tuple[Floats, Floats]:
    """Design of a fit with columns of like size, and what each was divided by."""
    design = curve_jacobian(fitted.model, np.array(fitted.coefficients), raw)
    scale = np.maximum(np.max(np.abs(design), axis=0), 1e-300)
    return design / scale, scale


@dataclass(frozen=True)
class Pooling:
    """Whether one curve may serve several soils or depths; ``chance`` [-] is how likely such a gain is without any."""

    may_pool: bool
    chance: float
    words: Notice


def pooling(raw: Floats, theta: Floats, groups: Sequence[str], seed: int = 1) -> Pooling:
    """Whether straight lines by group are better than one line by more than chance.

    The gain in squared error by separate lines is held against 999 random ways of dealing the samples to the groups.
    Groups of fewer than three samples are left to the common line.

    Parameters
    ----------
    raw, theta : array, shape (n,)
        Raw readings, water contents [m³/m³].
    groups : sequence of str, shape (n,)
        Soil or depth of each sample.
    seed : int
    """
    labels = np.array(groups)
    names = [name for name in dict.fromkeys(groups) if np.sum(labels == name) >= 3]
    if len(names) < 2:
        return Pooling(True, 1.0, Notice("pooling.few_groups"))
    kept = np.isin(labels, names)
    raw, theta, labels = raw[kept], theta[kept], labels[kept]
    found = _separate_error(raw, theta, labels, names)
    random = np.random.default_rng(seed)
    others = [_separate_error(raw, theta, random.permutation(labels), names) for _ in range(PERMUTATIONS)]
    chance = (1 + sum(other <= found for other in others)) / (PERMUTATIONS + 1)
    may = chance > 0.05
    words = Notice("pooling.one" if may else "pooling.apart", names=", ".join(names), chance_fraction=chance)
    return Pooling(may, chance, words)


def _separate_error(raw: Floats, theta: Floats, labels: NDArray[np.str_], names: Sequence[str]) -> float:
    total = 0.0
    for name in names:
        x, y = raw[labels == name], theta[labels == name]
        design = np.stack([np.ones(len(x)), x / max(1.0, float(np.max(np.abs(raw))))], axis=1)
        residual = y - design @ np.linalg.lstsq(design, y, rcond=None)[0]
        total += float(residual @ residual)
    return total
