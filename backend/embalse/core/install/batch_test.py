"""Batch acceptance of capacitance sensors: repeats in air and in water."""

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from embalse.core.errors import CoreError, require
from embalse.core.practice import practice
from embalse.core.wording import Notice, Text


@dataclass(frozen=True)
class Repeats:
    """Mean, standard deviation and coefficient of variation [-] of repeated readings in one medium, in raw units."""

    count: int
    mean: float
    sd: float
    cv: float


@dataclass(frozen=True)
class SensorTest:
    """A sensor's repeats in air and in water, its span, and the verdict with reasons."""

    sensor: str
    air: Repeats
    water: Repeats
    span: float
    accepted: bool
    reasons: tuple[Text, ...]


@dataclass(frozen=True)
class BatchTest:
    """A batch: its sensors, median span, pooled standard deviation, span over scatter [-], and whether it is kept."""

    batch: str
    sensors: tuple[SensorTest, ...]
    median_span: float
    pooled_sd: float
    span_over_scatter: float
    between_cv: float
    accepted: bool
    words: Text


@dataclass(frozen=True)
class BatchLimits:
    """Limits a batch is held to: scatter as a share of span, span as a share of the median, passing share [-]."""

    sd_share: float = practice("batch_sd_share")
    span_share: float = practice("batch_span_share")
    pass_share: float = practice("batch_pass_share")
    repeats: int = int(practice("batch_repeats"))


class BatchError(CoreError):
    """Readings that make no batch test."""


def repeats(readings: Sequence[float], field: str, fewest: int = int(practice("batch_repeats"))) -> Repeats:
    """Mean, sample standard deviation and CV of repeated readings, in the unit of the readings.

    Raises
    ------
    BatchError
        If there are fewer readings than ``fewest``.
    """
    require(len(readings) >= fewest, field, f"needs at least {fewest} repeats, has {len(readings)}", BatchError)
    mean = statistics.fmean(readings)
    sd = statistics.stdev(readings) if len(readings) > 1 else 0.0
    return Repeats(len(readings), mean, sd, sd / abs(mean) if mean else 0.0)


Readings = Mapping[str, tuple[Sequence[float], Sequence[float]]]


def batch_test(
    batch: str, readings: Readings, limits: BatchLimits | None = None, after_days: Mapping[str, float] | None = None
) -> BatchTest:
    """Accept or reject a batch and each of its sensors.

    Parameters
    ----------
    batch : str
        Name of the batch.
    readings : mapping of sensor to (air readings, water readings)
        Raw units; at least three repeats in each medium.
    limits : BatchLimits, optional
        Defaults are the numbers of practice.
    after_days : mapping of sensor to float, optional
        Readings in water after days in it (raw units): the drift check, where it was done.

    Returns
    -------
    BatchTest
        Span is the distance between the means in air and in water; the batch is kept when its sensors span something
        and enough of them pass.

    Raises
    ------
    BatchError
        If there is no sensor, or repeats are missing.
    """
    held = limits or BatchLimits()
    require(len(readings) > 0, "sensors", "a batch needs at least one sensor", BatchError)
    pairs = {
        name: (repeats(air, f"{name}.air", held.repeats), repeats(water, f"{name}.water", held.repeats))
        for name, (air, water) in readings.items()
    }
    spans = {name: abs(water.mean - air.mean) for name, (air, water) in pairs.items()}
    middle = statistics.median(spans.values())
    tests = tuple(_drifted(_sensor_test(name, pairs[name], middle, held), after_days or {}) for name in pairs)
    scatter = (statistics.fmean([t.air.sd**2 + t.water.sd**2 for t in tests]) / 2) ** 0.5
    passed = sum(t.accepted for t in tests)
    accepted = middle > 0 and passed >= held.pass_share * len(tests)
    return BatchTest(
        batch=batch,
        sensors=tests,
        median_span=middle,
        pooled_sd=scatter,
        span_over_scatter=middle / scatter if scatter > 0 else float("inf"),
        between_cv=_between_cv([t.water.mean for t in tests]),
        accepted=accepted,
        words=Notice("batch.pass", passed=passed, tests=len(tests), wanted_share=None if accepted else held.pass_share),
    )


def _between_cv(means: Sequence[float]) -> float:
    mean = statistics.fmean(means)
    return statistics.stdev(means) / abs(mean) if len(means) > 1 and mean else 0.0


def _sensor_test(name: str, pair: tuple[Repeats, Repeats], middle: float, limits: BatchLimits) -> SensorTest:
    air, water = pair
    span = abs(water.mean - air.mean)
    reasons: list[Text] = []
    if span <= 0:
        reasons.append("reads the same in air and in water")
    elif span < limits.span_share * middle:
        reasons.append(Notice("batch.span", span=span, least_share=limits.span_share, middle=middle))
    for medium, one in (("air", air), ("water", water)):
        if span > 0 and one.sd > limits.sd_share * span:
            reasons.append(
                Notice("batch.scatters", medium=medium, seen_share=one.sd / span, allowed_share=limits.sd_share)
            )
    return SensorTest(name, air, water, span, not reasons, tuple(reasons))


def _drifted(test: SensorTest, after_days: Mapping[str, float]) -> SensorTest:
    reason = drift_reason(test, after_days[test.sensor]) if test.sensor in after_days else None
    return replace(test, accepted=False, reasons=(*test.reasons, reason)) if reason else test


def best_batch(tests: Sequence[BatchTest]) -> str | None:
    """Name of the kept batch with the widest span for its scatter (both in raw units); None when none is kept."""
    kept = [t for t in tests if t.accepted]
    return max(kept, key=lambda t: (t.span_over_scatter, t.median_span)).batch if kept else None


def drift_reason(test: SensorTest, after: float, share: float | None = None) -> Notice | None:
    """Why a sensor fails the drift check after days in water (raw units), or None.

    ``share`` is the largest allowed difference from its water reading as a share of its span [-].
    """
    allowed = practice("drift_share") if share is None else share
    moved = abs(after - test.water.mean)
    if test.span > 0 and moved <= allowed * test.span:
        return None
    return Notice("batch.drifted", moved=moved, allowed_share=allowed)
