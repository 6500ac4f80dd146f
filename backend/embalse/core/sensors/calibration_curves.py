"""Curves from a raw value to water content: their values, and how they move with their coefficients."""

from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

Model = Literal["shift", "linear", "quadratic", "power", "refractive"]
CURVES: tuple[Model, ...] = get_args(Model)
# coefficients of each curve
COEFFICIENTS: dict[str, int] = {"shift": 1, "linear": 2, "power": 2, "refractive": 2, "quadratic": 3}
Floats = NDArray[np.float64]


def curve_theta(model: str, coefficients: Floats, raw: Floats) -> Floats:
    """Water content [m³/m³] of raw values, shape of ``raw``; NaN where a curve has none.

    linear: a + b·raw; quadratic: a + b·raw + c·raw²; power: exp(a)·raw^b; refractive: a + b·√raw, for permittivity;
    shift: a + the factory's value.

    References
    ----------
    .. [1] The form a + b·√ε: Ledieu et al. (1986), J. Hydrol. 88:319-328.
    """
    if model == "shift":
        return np.asarray(raw + coefficients[0])
    with np.errstate(invalid="ignore", divide="ignore"):
        if model == "power":
            return np.asarray(np.where(raw > 0, np.exp(coefficients[0]) * np.abs(raw) ** coefficients[1], np.nan))
        if model == "refractive":
            return np.asarray(coefficients[0] + coefficients[1] * np.sqrt(raw))
    return np.asarray(np.polynomial.polynomial.polyval(raw, coefficients))


def curve_jacobian(model: str, coefficients: Floats, raw: Floats) -> Floats:
    """Change of water content [m³/m³] with each coefficient, shape (len(raw), coefficients)."""
    if model == "shift":
        return np.ones((len(raw), 1))
    if model == "power":
        value = curve_theta(model, coefficients, raw)
        return np.stack([value, value * np.log(raw)], axis=1)
    if model == "refractive":
        return np.stack([np.ones(len(raw)), np.sqrt(np.maximum(raw, 0))], axis=1)
    return np.asarray(np.polynomial.polynomial.polyvander(raw, COEFFICIENTS[model] - 1))


def topp_theta(permittivity: Floats) -> Floats:
    """Water content [m³/m³] of mineral soil at a permittivity [-].

    References
    ----------
    .. [1] Topp, Davis & Annan (1980), Water Resour. Res. 16:574-582.

    Examples
    --------
    >>> topp_theta(np.array([10.0, 30.0])).round(4).tolist()
    [0.1883, 0.4441]
    """
    return np.asarray(np.polynomial.polynomial.polyval(permittivity, (-0.053, 0.0292, -5.5e-4, 4.3e-6)))


def refractive_theta(permittivity: Floats) -> Floats:
    """Water content [m³/m³] at a permittivity [-] by the square-root form with its published coefficients.

    References
    ----------
    .. [1] Ledieu et al. (1986), J. Hydrol. 88:319-328 (coefficients from memory).
    """
    return curve_theta("refractive", np.array([-0.1758, 0.1138]), np.asarray(permittivity, dtype=float))
