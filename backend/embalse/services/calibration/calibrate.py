"""Calibration from a table of samples, without a database: weigh, fit, compare, or say why not."""

import csv
import io
from collections.abc import Sequence
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from embalse.core.errors import CoreError
from embalse.core.sensors.calibration_fit import Choice, Fit, choice, coefficient_covariance, pooling
from embalse.core.sensors.gravimetric_samples import WeighedSample, sample_water
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say, say_all
from embalse.services.schema.refused import DocumentErrors, PathError

LARGEST_TABLE = 5_000_000
FRACTION = Annotated[float, Field(ge=0, lt=0.9)]


class SampleRow(BaseModel):
    """A row of the table: raw readings beside, and either the masses or the water content itself."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True, defer_build=True)

    raw: list[float] = Field(min_length=1)
    tare_g: float | None = None
    wet_g: float | None = None
    dry_g: float | None = None
    ring_volume_cm3: float | None = None
    bulk_density_g_cm3: float | None = None
    stones_fraction: FRACTION = 0.0
    oven_c: float | None = None
    oven_h: float | None = None
    theta: Annotated[float, Field(ge=0, le=0.7)] | None = None
    soil: str = ""
    depth_cm: float | None = None

    @field_validator("raw", mode="before")
    @classmethod
    def _several(cls, text: Any) -> Any:
        return text.replace("|", " ").split() if isinstance(text, str) else text


class SampleOut(Content):
    """A sample with its water content [m³/m³], bulk density, the mean of its readings, and what to look at again."""

    line: int
    raw: float
    theta: float
    theta_mass: float | None
    bulk_density_g_cm3: float | None
    soil: str
    depth_cm: float | None
    cautions: list[Words]


class FitOut(Content):
    """A candidate curve with its errors [m³/m³]; null where it is refused."""

    model: str
    coefficients: list[float]
    n: int
    rmse_theta: float | None
    bias_theta: float | None
    left_out_rmse_theta: float | None
    raw_low: float
    raw_high: float
    refused: Words


class ApartOut(Content):
    """The curve of one soil or depth alone: its candidates, the one to use and a part for the farm document."""

    group: str
    soil: str
    depth_cm: float | None
    samples: int
    fits: list[FitOut]
    best: str | None
    words: Words
    calibration: dict[str, Any] | None


class CalibrateContent(Content):
    """Samples, candidates, the one to use, whether one curve may serve all groups, and a part for the farm document.

    ``calibration`` wants a ``valid_from`` to be one; null where no curve may be used. ``apart`` has a curve for each
    soil and depth where one may not serve all.
    """

    samples: list[SampleOut]
    fits: list[FitOut]
    best: str | None
    words: Words
    may_pool: bool
    pooling: str
    calibration: dict[str, Any] | None
    apart: list[ApartOut]


def calibrate(text: str) -> CalibrateContent:
    """Fit a calibration to a CSV table of samples.

    Raises
    ------
    DocumentErrors
        With line and column of everything wrong.
    """
    samples = _samples(text)
    raw = np.array([s.raw for s in samples])
    theta = np.array([s.theta for s in samples])
    found = choice(raw, theta)
    groups = [_group(s) for s in samples]
    pooled = pooling(raw, theta, groups)
    return CalibrateContent(
        samples=samples,
        fits=[fit_out(one) for one in found.fits],
        best=found.best.model if found.best else None,
        words=say(found.words),
        may_pool=pooled.may_pool,
        pooling=say(pooled.words),
        calibration=_part(found, raw),
        apart=[] if pooled.may_pool else [_apart(name, samples) for name in dict.fromkeys(groups)],
    )


def _group(sample: SampleOut) -> str:
    depth = "" if sample.depth_cm is None else f"{sample.depth_cm:g} cm"
    return " ".join(part for part in (sample.soil, depth) if part)


def _apart(group: str, samples: Sequence[SampleOut]) -> ApartOut:
    own = [s for s in samples if _group(s) == group]
    raw = np.array([s.raw for s in own])
    found = choice(raw, np.array([s.theta for s in own]))
    return ApartOut(
        group=group,
        soil=own[0].soil,
        depth_cm=own[0].depth_cm,
        samples=len(own),
        fits=[fit_out(one) for one in found.fits],
        best=found.best.model if found.best else None,
        words=say(found.words),
        calibration=_part(found, raw),
    )


def _part(found: Choice, raw: NDArray[np.float64]) -> dict[str, Any] | None:
    if found.best is None:
        return None
    rmse = round(min(found.best.left_out_rmse_theta, 0.2), 4)
    return {"curve": curve_part(found.best, raw), "rmse_theta": rmse}


def curve_part(one: Fit, raw: NDArray[np.float64], sheet: str = "") -> dict[str, Any]:
    """A fit as the curve of a calibration in a farm document."""
    return {
        "model": one.model,
        "coefficients": list(one.coefficients),
        "covariance": coefficient_covariance(one, raw).tolist(),
        "raw_low": one.raw_range[0],
        "raw_high": one.raw_range[1],
        "sheet": sheet,
    }


def fit_out(one: Fit) -> FitOut:
    """A candidate as it is sent out."""
    errors = [None if np.isnan(v) else float(v) for v in (one.rmse_theta, one.bias_theta, one.left_out_rmse_theta)]
    return FitOut(
        model=one.model, coefficients=list(one.coefficients), n=one.n, rmse_theta=errors[0], bias_theta=errors[1],
        left_out_rmse_theta=errors[2], raw_low=one.raw_range[0], raw_high=one.raw_range[1], refused=say(one.refused),
    )  # fmt: skip


def _samples(text: str) -> list[SampleOut]:
    reader = csv.DictReader(io.StringIO(text.lstrip("\ufeff")))
    errors: list[PathError] = []
    samples: list[SampleOut] = []
    for cells in reader:
        line = reader.line_num
        given = {str(name).strip(): cell for name, cell in cells.items() if cell not in (None, "")}
        try:
            samples.append(_sample(line, SampleRow.model_validate(given)))
        except ValidationError as wrong:
            errors += [
                PathError(path=f"line {line}, {e['loc'][0] if e['loc'] else 'row'}", reason=e["msg"])
                for e in wrong.errors()
            ]
        except CoreError as refusal:
            errors.append(PathError(path=f"line {line}, {refusal.field}", reason=say(refusal.reason)))
    if not samples and not errors:
        errors.append(
            PathError(path="file", reason="there is no sample; the first line names the columns: raw, tare_g, …")
        )
    if errors:
        raise DocumentErrors(errors)
    return samples


def _sample(line: int, row: SampleRow) -> SampleOut:
    weighed = None
    theta = row.theta
    if theta is None:
        if row.tare_g is None or row.wet_g is None or row.dry_g is None:
            raise CoreError("tare_g", "give tare_g, wet_g and dry_g, or theta")
        weighed = sample_water(
            WeighedSample(row.tare_g, row.wet_g, row.dry_g, row.ring_volume_cm3, row.bulk_density_g_cm3,
                          row.stones_fraction, row.oven_c, row.oven_h)
        )  # fmt: skip
        theta = weighed.theta
    return SampleOut(
        line=line,
        raw=float(np.mean(row.raw)),
        theta=round(theta, 5),
        theta_mass=None if weighed is None else round(weighed.theta_mass, 5),
        bulk_density_g_cm3=None if weighed is None else round(weighed.bulk_density_g_cm3, 4),
        soil=row.soil,
        depth_cm=row.depth_cm,
        cautions=[] if weighed is None else say_all(weighed.cautions),
    )
