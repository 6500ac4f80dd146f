"""Small grounds, records and true soils for the tests of a block's model."""

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import STEPS_A_DAY, Forcing, Soil, advance, started
from embalse.core.block_model.ground import Ground, ground_of
from embalse.core.block_model.parameters import Prior
from embalse.core.block_model.record import Record, sun_share
from embalse.core.block_model.windows import forcing_of, spread_soil
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.soil import FineEarth

Floats = NDArray[np.float64]
DEPTHS = (10.0, 25.0, 45.0, 70.0)
LOAM = Horizon(0, 200, FineEarth(0.40, 0.20))


def loam_ground(depths: tuple[float, ...] = DEPTHS) -> Ground:
    return ground_of(depths, [LOAM], None, 60.0)


def loam_prior(depths: tuple[float, ...] = DEPTHS) -> Prior:
    ground = loam_ground(depths)
    return Prior(ground, 1.0, np.full(ground.count, 0.40))


def empty_record(
    days: int, layers: int = len(DEPTHS), kcb: float = 0.9, eto: float = 5.0, roots: float = 60.0
) -> Record:
    steps = days * STEPS_A_DAY
    return Record(
        first_day=1000,
        theta=np.full((steps + 1, layers), np.nan),
        eto_mm=np.full(days, eto),
        kcb=np.full(days, kcb),
        roots_cm=np.full(days, roots),
        sets_mm=np.zeros(steps),
        rain_mm=np.zeros(steps),
        ends=steps,
    )


def grown_record(prior: Prior, x: Floats, days: int, set_mm: float = 30.0, every: int = 7) -> Record:
    """A season that a soil with known unknowns would have written: a set every week at dawn."""
    record = empty_record(days, prior.ground.count)
    for day in range(1, days, every):
        record.sets_mm[day * STEPS_A_DAY + 2] = set_mm
    steps = np.array([0], dtype=np.int64)
    soil = spread_soil(prior, record, x[:, None], steps)
    forcing = forcing_of(prior, record, x[:, None], steps, days * STEPS_A_DAY)
    columns = started(prior.ground.ref[:, None])
    record.theta[0] = columns.theta[:, 0]
    for step in range(days * STEPS_A_DAY):
        advance(columns, soil, forcing, step)
        record.theta[step + 1] = columns.theta[:, 0]
    return record


def dry_forcing(steps: int, columns: int = 1, demand_mm_d: float = 0.0, bare_mm_d: float = 0.0) -> Forcing:
    shares = np.tile(sun_share(), steps // STEPS_A_DAY + 1)[:steps, None] * np.ones(columns)
    nothing = np.zeros((steps, columns))
    return Forcing(demand_mm_d * shares, bare_mm_d * shares, nothing, nothing.copy())


def one_layer(**changes: float) -> Soil:
    """A soil of one layer of 200 mm in one column, with the law's numbers in round figures."""
    values = dict(ref=0.30, residual=0.05, exponent=10.0, wilting=0.12, threshold=0.20, saturation=0.45, through=100.0)
    values.update(changes)

    def of(name: str) -> Floats:
        return np.array([[values[name]]])

    return Soil(
        thickness_mm=np.array([[200.0]]),
        apart_cm=np.empty((0, 1)),
        ref=of("ref"),
        residual=of("residual"),
        exponent=of("exponent"),
        wilting=of("wilting"),
        threshold=of("threshold"),
        saturation=of("saturation"),
        through_mm=of("through"),
        shares=np.ones((1, 1)),
        exchange_cm2_d=np.zeros(1),
    )
