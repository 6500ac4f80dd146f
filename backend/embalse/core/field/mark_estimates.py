"""What each way of finding a mark says, with its evidence and how sure it is."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.crop.growth import GrowthThreshold
from embalse.core.field.drain_down import FEWEST_EVENTS, MEANING, FieldFullPoint
from embalse.core.field.uptake_slowdown import SlowDown
from embalse.core.practice import practice
from embalse.core.soil.horizon_marks import Horizon, MarkEntry, texture_notice
from embalse.core.soil.layers import Layer
from embalse.core.soil.mark_choices import How, Mark
from embalse.core.soil.retention import RetentionCurve, class_curve
from embalse.core.soil.soil import WILTING_TENSION_KPA, bulk_theta, saxton_rawls, texture_class
from embalse.core.sources import Source
from embalse.core.tables import table_rows
from embalse.core.wording import Notice, Text

Confidence = Literal["good", "fair", "poor", "none"]
TABLE_19: Final = "FAO-56 Table 19"
FEWEST_SEEN_DAYS: Final = 30  # days of readings before the lowest seen says anything (ours)
MOSTLY_THROUGH: Final = 0.4  # share of wettings [-] that leave a draining profile above which full stays (ours)
LEAST_OFFER_MM: Final = 3.0  # mm of root zone a mark must move by to be offered: below it is the probes' error (ours)
KEPT_SHARE: Final = practice("offer_keeps_share")
LEAST_OFFER_SHARE: Final = 0.02  # share of the mark's water [-], as above for deep root zones (ours)
EQUATION_ERROR_THETA: Final = 0.03
"""Standard error of a water content from texture alone [m³/m³] (common practice, no source)."""


@dataclass(frozen=True)
class Estimate:
    """One estimator's answer for a mark, or why it has none.

    ``how`` says what ``value`` is (see ``MarkChoice``); ``low`` and ``high`` bound it; ``meaning`` names its
    definition, because two full points may both be right and differ.
    """

    mark: Mark
    estimator: str
    how: How
    value: float | None
    low: float | None
    high: float | None
    confidence: Confidence
    evidence: Text
    source: Source
    meaning: Text = ""
    stage: str = ""


def texture_estimates(horizon: Horizon) -> list[Estimate]:
    """Full and wilting point of a horizon from its texture [m³/m³, whole soil]: equation, table, class average.

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578.
    .. [2] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Table 19.
    .. [3] Carsel & Parrish (1988), Water Resour. Res. 24:755-769.
    """
    water = saxton_rawls(horizon.earth)
    stones = horizon.stones_fraction
    equation = Source("equation", f"Saxton & Rawls 2006, {water.texture}", texture_notice(horizon))
    found = []
    marks: tuple[tuple[Mark, float, float], ...] = (
        ("full", water.theta_full, water.full_tension_kpa), ("wilting", water.theta_wilting, WILTING_TENSION_KPA)
    )  # fmt: skip
    for mark, theta, kpa in marks:
        value = bulk_theta(theta, stones)
        words = Notice("evidence.texture", error_theta=EQUATION_ERROR_THETA)
        found.append(
            Estimate(
                mark, "texture equation", "theta", value, value - EQUATION_ERROR_THETA, value + EQUATION_ERROR_THETA,
                "poor", words, equation, Notice("meaning.at_tension", at_kpa=kpa),
            )
        )  # fmt: skip
    found += _table_estimates(horizon)
    average = class_curve(horizon.earth.sand_fraction, horizon.earth.clay_fraction, stones)
    return found + curve_estimates(average, "class average")


def _table_estimates(horizon: Horizon) -> list[Estimate]:
    texture = texture_class(horizon.earth.sand_fraction, horizon.earth.clay_fraction)
    row = next((r for r in table_rows("fao56_table19.csv") if r["texture"] == texture), None)
    marks: tuple[Mark, ...] = ("full", "wilting")
    source = Source("table", TABLE_19, Notice("source.water_table", texture=texture))
    if row is None:
        none = Notice("evidence.no_row", texture=texture)
        return [Estimate(m, "table", "theta", None, None, None, "none", none, source) for m in marks]
    found = []
    for mark in marks:
        low, high = (bulk_theta(float(row[f"{mark}_{side}"]), horizon.stones_fraction) for side in ("low", "high"))
        words = Notice("evidence.table_range", low_theta=low, high_theta=high)
        found.append(
            Estimate(
                mark, "table", "theta", (low + high) / 2, low, high, "poor", words, source, "typical water content"
            )
        )
    return found


def curve_estimates(curve: RetentionCurve, estimator: str) -> list[Estimate]:
    """Full and wilting point read off a retention curve [m³/m³, whole soil]."""
    marks: tuple[tuple[Mark, float], ...] = (("full", curve.full_kpa), ("wilting", WILTING_TENSION_KPA))
    confidence: Confidence = "fair" if curve.kind in ("points", "pairs") else "poor"
    found = []
    for mark, kpa in marks:
        value = float(curve.theta(kpa))
        words: Text = Notice("evidence.curve", error_theta=curve.theta_error, curve=curve.source.detail)
        beyond = curve.points and kpa > 1.5 * max(p[0] for p in curve.points)
        if beyond:
            words = (Notice("evidence.beyond_points"), words)
        found.append(
            Estimate(
                mark, estimator, "theta", value, value - curve.theta_error, value + curve.theta_error,
                "poor" if beyond else confidence, words, curve.source, Notice("meaning.at_tension", at_kpa=kpa),
            )
        )  # fmt: skip
    return found


def entered_estimates(horizon: Horizon, laboratory: Mapping[Mark, tuple[float, Text]]) -> list[Estimate]:
    """Full and wilting point that people gave [m³/m³]: in set-up, and from a laboratory with where it is written."""
    found = []
    marks: tuple[tuple[Mark, MarkEntry | None], ...] = (("full", horizon.full), ("wilting", horizon.wilting))
    for mark, entry in marks:
        if entry is not None:
            source = Source("entry", "set-up", entry.reason)
            found.append(
                Estimate(mark, "set-up", "theta", entry.theta, None, None, "fair", entry.reason, source, "as entered")
            )
        value, words = laboratory.get(mark, (None, Notice("evidence.no_laboratory")))
        source = Source("entry", "laboratory", words)
        sure: Confidence = "none" if value is None else "good"
        found.append(
            Estimate(mark, "laboratory", "theta", value, None, None, sure, words, source, "as the laboratory says")
        )
    return found


def drain_down_estimate(found: FieldFullPoint) -> Estimate:
    """The field's own full point of a layer [m³/m³]."""
    source = Source("reading", "drain-down of the field", found.words)
    low, high = found.quartiles or (None, None)
    sure = found.confidence
    return Estimate("full", "drain-down", "theta", found.theta, low, high, sure, found.words, source, MEANING)


def lowest_seen(dawns: Sequence[NDArray[np.float64]]) -> Estimate:
    """The driest a layer was ever seen [m³/m³]: its wilting point can only lie lower.

    Parameters
    ----------
    dawns : sequence of array, each shape (n,)
        Dawn water contents of each station's sensor there [m³/m³], NaN where missing.
    """
    values = np.concatenate([d[np.isfinite(d)] for d in dawns]) if len(dawns) else np.empty(0)
    source = Source("reading", "lowest seen", Notice("source.dawns", dawns=len(values)))
    if len(values) < FEWEST_SEEN_DAYS:
        words = Notice("evidence.few_dawns", dawns=len(values), wanted=FEWEST_SEEN_DAYS)
        return Estimate("wilting", "lowest seen", "theta", None, None, None, "none", words, source)
    driest = float(np.quantile(values, 0.01))
    words = Notice("evidence.driest", dawns=len(values))
    return Estimate(
        "wilting", "lowest seen", "theta", driest, None, driest, "poor", words, source, "an upper limit, no more"
    )


def depletion_estimate(fraction: float, taw_mm: float, source: Source, stage: str = "") -> Estimate:
    """The refill point by the share of available water that may be used [-] (FAO-56 ch. 8)."""
    words = Notice("evidence.allowable", fraction=fraction, taw_mm=taw_mm, allowed_mm=fraction * taw_mm)
    return Estimate(
        "refill", "allowable depletion", "fraction", fraction, None, None, "fair", words, source,
        "share of available water that may be used", stage,
    )  # fmt: skip


P_AT_MM_D: Final = 5.0
"""Crop use [mm/day] at which tables give the share that may be used: FAO-56 Table 22."""


def adjusted_fraction(fraction: float, etc_mm_d: float) -> float:
    """The share that may be used [-], adjusted for crop use [mm/day].

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Table 22: p + 0.04 (5 − ETc), 0.1 to 0.8.

    Examples
    --------
    >>> round(adjusted_fraction(0.55, 3), 2), round(adjusted_fraction(0.20, 8), 2)
    (0.63, 0.1)
    """
    return min(0.8, max(0.1, fraction + 0.04 * (P_AT_MM_D - etc_mm_d)))


def tension_estimate(
    band_kpa: tuple[float, float] | None, layers: Sequence[tuple[Layer, RetentionCurve]], source: Source
) -> Estimate:
    """The refill point by a tension threshold: what it leaves in the root zone.

    Parameters
    ----------
    band_kpa : (float, float) or None
        Irrigate from, irrigate by [kPa]; None when neither a table nor a person gives one.
    layers : sequence of (Layer, RetentionCurve)
        Layers the roots reach, with the curve of their soil.
    """
    name = "tension threshold"
    if band_kpa is None:
        words = Notice("evidence.no_threshold")
        return Estimate("refill", name, "tension", None, None, None, "none", words, source)
    low, high = band_kpa
    middle = (low + high) / 2
    full = sum(layer.water_mm(layer.theta_full) for layer, _ in layers)
    left = sum(layer.water_mm(float(curve.theta(middle))) for layer, curve in layers)
    band = {"low_kpa": low, "high_kpa": high, "middle_kpa": middle, "used_mm": full - left}
    words = Notice("evidence.threshold" if left < full else "evidence.threshold_wet", **band)
    return Estimate(
        "refill", name, "tension", middle, low, high, "fair" if left < full else "poor", words, source,
        "tension at which to irrigate",
    )  # fmt: skip


def slow_down_estimate(found: SlowDown) -> Estimate:
    """The refill point where uptake slows [mm of depletion in the root zone]."""
    low, high = found.interval_mm or (None, None)
    source = Source("reading", "use over demand, day by day", found.words)
    confidence: Confidence = "none"
    if found.depletion_mm is not None and low is not None and high is not None:
        narrow = high - low <= 0.25 * max(found.depletion_mm, 1.0)
        confidence = "good" if narrow else "fair"
    return Estimate(
        "refill", "uptake slow-down", "depletion", found.depletion_mm, low, high, confidence, found.words, source,
        "depletion from which the crop takes up less than the weather asks for",
    )  # fmt: skip


def growth_estimate(found: GrowthThreshold, share: float) -> Estimate:
    """The refill point where growth falls to a share of its peak [mm of depletion in the root zone]."""
    low = high = None
    confidence: Confidence = "none"
    if found.reading is not None and found.error is not None:
        low, high = found.reading - 1.645 * found.error, found.reading + 1.645 * found.error
        confidence = "poor" if found.contradicted else "good" if found.confirmed >= 1 else "fair"
    source = Source("reading", "stems measured against the probe", found.words)
    return Estimate(
        "refill", "growth", "depletion", found.reading, low, high, confidence, found.words, source,
        Notice("meaning.growth", share_fraction=share),
    )  # fmt: skip


def offer_notice(now_mm: float, field_mm: float, events: int, overfull: int = 0) -> tuple[Notice, bool] | None:
    """What to say when the field's full point [mm in the root zone] has left the one in force; None when it has not.

    ``overfull`` is the number of wettings that went through the profile and left it draining two days later. Where they
    are the rule the soil never comes to rest, so that moving full up would only write the excess down as water that is
    held: then it is said, and not offered (second value False).

    Examples
    --------
    >>> offered, may_be_picked = offer_notice(200, 206, 5)
    >>> offered.code, offered["by_mm"], may_be_picked
    ('offer.up', 6, True)
    """
    moved = field_mm - now_mm
    if abs(moved) < max(LEAST_OFFER_MM, LEAST_OFFER_SHARE * now_mm):
        return None
    if moved > 0 and overfull >= FEWEST_EVENTS and overfull > MOSTLY_THROUGH * events:
        return Notice("offer.too_much_water", above_mm=moved, events=overfull), False
    return Notice("offer.up" if moved > 0 else "offer.down", by_mm=abs(moved), events=events), True


@dataclass(frozen=True)
class FullPointOffer:
    """What the field suggests of the full point: the layers, by their place, it could be picked for, and where to.

    ``thetas`` are the full points offered [m³/m³], by the layers' places; maybe none.
    """

    words: Notice
    thetas: Mapping[int, float]

    @property
    def layers(self) -> tuple[int, ...]:
        """Places of the layers it could be picked for."""
        return tuple(self.thetas)


def full_point_offer(
    layers: Sequence[Layer], found: Sequence[FieldFullPoint], refill_stays: bool = False
) -> FullPointOffer | None:
    """What drain-downs of the layers the roots reach would move, where they agree; None when nothing.

    What it does to the depletion that is allowed before watering is said with it. Where that would fall by more than
    half, or the full point come to stand at the refill point, it is said and not offered.

    Parameters
    ----------
    layers : sequence of Layer
    found : sequence of FieldFullPoint
        What the drain-downs say of each layer, of all stations together.
    refill_stays : bool
        Whether the refill point was set by hand and stays where it is; else it moves along by its share.
    """
    below = any(layer.rooted_cm <= 0 for layer in layers)
    told = [
        (place, layer, one, theta)
        for place, (layer, one) in enumerate(zip(layers, found, strict=True))
        if layer.rooted_cm > 0 and (theta := _moves_to(layer.theta_full, one, below)) is not None
    ]
    if not told:
        return None
    now_mm = sum(layer.water_mm(layer.theta_full) for _, layer, _, _ in told)
    field_mm = sum(layer.water_mm(theta) for _, layer, _, theta in told)
    lowest = told[-1][2]
    said = offer_notice(now_mm, field_mm, min(one.accepted for _, _, one, _ in told), lowest.overfull)
    if said is None:
        return None
    moved = {place: theta for place, _, _, theta in told}
    allowed = [_allowed_mm(layer, layer.theta_full, refill_stays) for layer in layers]
    then = [_allowed_mm(y, moved.get(n, y.theta_full), refill_stays) for n, y in enumerate(layers)]
    words = Notice(said[0].code, **said[0].values, allowed_mm=sum(allowed), then_mm=max(0.0, sum(then)))
    if said[1] and sum(then) < KEPT_SHARE * sum(allowed):
        return FullPointOffer(Notice("offer.breaks_refill", **words.values), {})
    return FullPointOffer(words, moved if said[1] else {})


def _moves_to(theta_full: float, found: FieldFullPoint, below: bool) -> float | None:
    """Where what the field shows may move a full point [m³/m³], None where it may not.

    Up, by any wettings that agree: the soil held at least that much two days later, with the crop drinking. Down only
    by several that raised a sensor below the roots (``below``: there is one), since one that stopped among them may
    have left the layer short; and no further than to what the layer would have held without the crop.
    """
    if found.theta is None:
        return None
    if found.theta > theta_full:
        return found.theta if found.agree else None
    unused = found.without_use
    if not below or unused is None or found.confidence == "poor" or found.deep < FEWEST_EVENTS:
        return None
    return unused if unused < theta_full else None


def _allowed_mm(layer: Layer, theta_full: float, refill_stays: bool) -> float:
    """Depletion allowed in a layer with a full point [mm], its refill point kept or moved along by its share."""
    if layer.rooted_cm <= 0:
        return 0.0
    if refill_stays:
        return layer.water_mm(theta_full - layer.theta_refill)
    share = (layer.theta_full - layer.theta_refill) / (layer.theta_full - layer.theta_wilting)
    return layer.water_mm(share * (theta_full - layer.theta_wilting))
