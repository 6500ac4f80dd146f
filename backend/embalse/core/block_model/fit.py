"""The model of a block fitted to its own probes: the likeliest soil and demand, and how sure each of them is."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import STEPS_A_DAY
from embalse.core.block_model.parameters import REF_SD, Prior
from embalse.core.block_model.record import DAWN_STEP, Record
from embalse.core.block_model.windows import RECENT_DAYS, WINDOW_DAYS, Windows, half_days_of, predicted, windows_of

Floats = NDArray[np.float64]
FEWEST_WINDOWS: Final = 4  # windows a fit is made from (ours)
DIFFERENCE: Final = 0.05  # standard deviations by which an unknown is moved for its slope
WIDENED: Final = 1.4  # by which misses count as larger: windows overlap (measured beforehand on other seasons)
CAUCHY: Final = 2.0  # misses in noises beyond which they weigh less and less
COLD: Final = ((2.5, 3), (1.0, 6))
"""From the prior: how much larger misses are first taken to be, so that all of them pull, and rounds of each."""
WARM: Final = ((1.0, 4),)  # from the fit before
SETTLED: Final = 1e-3  # share of the cost by which a round must gain to go on
LINE: Final = (1.0, 0.5, 0.25, 0.1)  # parts of a move that are tried
SAMPLE_SD: Final = 1.5  # by which the posterior is widened: overlapping windows say the same thing twice (ours)
WET_PLACE, START_SDS = 0.9, 2.5  # share of the dawns that were drier, and how far from the prior a start may lie
WET_MM: Final = 1.0  # mm given from which a window is no longer a dry one (ours)
MOST_SD: Final = 4.0  # standard deviations no unknown goes beyond


@dataclass(frozen=True, eq=False)
class Fitted:
    """The likeliest unknowns in standard deviations from the prior's middle, and how sure each is.

    ``lower`` is the lower Cholesky factor of their covariance, shape (unknowns, unknowns); ``cost`` is the least,
    ``windows`` how many windows it was made from. ``misses`` are model less reading at the dawns after each window of
    the last four weeks as long as no water came, shape (days, layers, windows) [m³/m³], NaN where nothing is known.
    """

    x: Floats
    lower: Floats
    cost: float
    windows: int
    misses: Floats


def fit(
    prior: Prior, record: Record, until_day: int, before: Floats | None = None, half_days: bool = False
) -> Fitted | None:
    """Fit the unknowns to all windows over before the dawn of a day number.

    From dawn to dawn it answers for dates and for water below the roots. With ``half_days`` the dusks count too: day
    against night tells the layers apart, so that it answers for uptake by layer.

    Parameters
    ----------
    prior : Prior
    record : Record
    until_day : int
        Day number whose dawn is the last thing known.
    before : array, shape (unknowns,), optional
        The fit of some days before, to start from.
    half_days : bool

    Returns
    -------
    Fitted or None
        None with fewer than four windows, or where the facts give no finite answer.

    References
    ----------
    .. [1] Gauss-Newton on the log posterior with Cauchy weights (Huber & Ronchetti 2009, ch. 7, from memory), which are
       let in by and by from a cold start (graduated non-convexity, Blake & Zisserman 1987, from memory).
    """
    found = windows_of(record, until_day)
    if found is None or len(found.steps) < FEWEST_WINDOWS:
        return None
    held = [found]
    if half_days:
        halves = half_days_of(record, until_day)
        held += [] if halves is None else [halves]
    count = prior.names.count
    x = _from_readings(prior, record) if before is None else before.copy()
    normal, cost = np.eye(count), np.inf
    for wide, rounds in COLD if before is None else WARM:
        for _ in range(rounds):
            moved = np.concatenate([np.zeros((count, 1)), DIFFERENCE * np.eye(count)], axis=1)
            white = _white(prior, record, held, x[:, None] + moved) / wide
            base, slopes = white[:, 0], (white[:, 1:] - white[:, :1]) / DIFFERENCE
            weights = 1 / (1 + (base / CAUCHY) ** 2)
            cost = _cost(base, x)
            if not np.isfinite(white).all():
                return None
            normal = slopes.T @ (weights[:, None] * slopes) + np.eye(count)
            move = np.asarray(np.linalg.solve(normal, -(slopes.T @ (weights * base)) - x))
            x, gained = _line((prior, record, held, wide), x, move, cost)
            if gained < SETTLED * max(cost, 1.0):
                break
    misses = _dry_misses(record, found, predicted(prior, record, found, x[:, None])[..., 0], until_day)
    covariance = np.linalg.inv(normal)
    lower = np.linalg.cholesky((covariance + covariance.T) / 2)
    return Fitted(x, np.asarray(lower), cost, len(found.steps), misses)


def _from_readings(prior: Prior, record: Record) -> Floats:
    """Where a fit from nothing starts: at the prior, each layer no slower to drain than at the wettest it was read.

    From a reference far above what was ever read no layer drains at all, and nothing tells which way to go.
    """
    x = np.zeros(prior.names.count)
    dawns = record.theta[DAWN_STEP::STEPS_A_DAY]
    for layer, place in enumerate(range(*prior.names.layer("ref").indices(len(x)))):
        read = dawns[np.isfinite(dawns[:, layer]), layer]
        if len(read):
            wet = float(np.quantile(read, WET_PLACE))
            x[place] = np.clip((wet - prior.ground.ref[layer]) / REF_SD, -START_SDS, 0.0)
    return x


def _dry_misses(record: Record, found: Windows, values: Floats, until_day: int) -> Floats:
    """Model less reading in the windows of the last weeks as long as no water came."""
    lately = found.steps >= record.dawn(until_day - RECENT_DAYS)
    steps = found.steps[lately]
    given = np.concatenate([[0.0], np.cumsum(record.sets_mm + record.rain_mm)])
    ends = np.minimum(steps + STEPS_A_DAY * np.arange(1, WINDOW_DAYS + 1)[:, None], len(given) - 1)
    dry = given[ends] - given[steps] < WET_MM
    misses = values[:, :, lately] - found.read[:, :, lately]
    return np.where(dry[:, None, :], misses, np.nan)


def _white(prior: Prior, record: Record, held: Sequence[Windows], x: Floats) -> Floats:
    """Independent misses of all windows, shape (all, vectors), nought where nothing was read."""
    parts = []
    for found in held:
        values = predicted(prior, record, found, x)
        known = np.isfinite(found.read)[..., None]
        misses = np.where(known, values - np.where(known, found.read[..., None], 0.0), 0.0).transpose(1, 2, 0, 3)
        parts.append((found.whitener @ misses).reshape(-1, x.shape[1]) / WIDENED)
    return np.concatenate(parts)


def _cost(white: Floats, x: Floats) -> float:
    return float(0.5 * CAUCHY**2 * np.log1p((white / CAUCHY) ** 2).sum() + 0.5 * (x**2).sum())


def _line(
    held: tuple[Prior, Record, Sequence[Windows], float], x: Floats, move: Floats, cost: float
) -> tuple[Floats, float]:
    """The best of a few lengths of a move, or none, and what it gained."""
    tries = np.clip(np.stack([x + part * move for part in LINE], axis=1), -MOST_SD, MOST_SD)
    white = _white(*held[:3], tries) / held[3]
    costs = [_cost(white[:, n], tries[:, n]) for n in range(len(LINE))]
    best = int(np.argmin(costs))
    return (tries[:, best], cost - costs[best]) if costs[best] < cost else (x, 0.0)


def samples(found: Fitted, count: int) -> Floats:
    """Vectors of unknowns drawn from the posterior, shape (unknowns, count): the same ones each time."""
    generator = np.random.default_rng(20)
    drawn = found.x[:, None] + SAMPLE_SD * (found.lower @ generator.standard_normal((len(found.x), count)))
    return np.clip(drawn, -MOST_SD, MOST_SD)
