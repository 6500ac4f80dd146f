"""What a season's account says to change next year."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.season.water_account import SeasonRecord, WaterAccount
from embalse.core.wording import Notice

MUCH_BELOW_SHARE: Final = 0.15  # of the irrigation below the roots, worth a change (ours, as the audit's)
MANY_DAYS: Final = 5  # days of stress, or over full, that are worth a change (ours: a working week)
OVER_FULL_SHARE: Final = 0.2  # of a season's days above full that roots feel (ours)
MONTHS: Final = (
    "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
    "December",
)  # fmt: skip


def what_to_change(told: WaterAccount, record: SeasonRecord) -> list[Notice]:
    """What to change, the gravest first, each with its figure.

    Water below the roots counts where it is more than 15 % of the irrigation beyond its error; stress from five days
    past the readily available water; too wet from five days, and a fifth of all days, above full.
    """
    found = []
    if (
        told.below is not None
        and record.below_mm is not None
        and told.below.mm - told.below.error_mm > MUCH_BELOW_SHARE * told.irrigation.mm
    ):
        worst = worst_month(record.first_day, record.below_mm)
        found.append(Notice("season.below", below_mm=told.below.mm, given_mm=told.irrigation.mm, month=worst))
    if told.stress_days >= MANY_DAYS:
        stressed = (record.full_mm - record.storage_mm[:-1] > record.raw_mm).astype(float)
        worst = worst_month(record.first_day, stressed)
        found.append(Notice("season.stress", stress_days=float(told.stress_days), month=worst))
    if told.over_full_days >= MANY_DAYS and told.over_full_days > OVER_FULL_SHARE * told.days:
        found.append(Notice("season.over_full", full_days=float(told.over_full_days)))
    if not told.closes:
        code = "season.missing" if told.residual.mm > 0 else "season.too_much"
        found.append(Notice(code, off_mm=abs(told.residual.mm), error_mm=told.residual.error_mm))
    return found


def not_told(told: WaterAccount, record: SeasonRecord) -> list[Notice]:
    """What the account itself could not tell."""
    found = []
    if record.below_mm is not None and record.modelled < record.wettings:
        found.append(Notice("season.by_probes", by_probes=record.wettings - record.modelled, of=record.wettings))
    if told.filled_days > told.seen_days:
        found.append(Notice("season.little_seen", seen=told.seen_days, of=told.days))
    return found


def worst_month(first_day: int, values: NDArray[np.float64]) -> str:
    """The month that holds most of some daily values, shape (n,), from a day number (since 1970-01-01).

    Examples
    --------
    >>> worst_month(0, np.array([0.0] * 31 + [2.0, 3.0]))
    'February'
    """
    days = np.datetime64(0, "D") + first_day + np.arange(len(values))
    months = days.astype("datetime64[M]").astype(int) % 12
    return MONTHS[int(np.bincount(months, weights=np.nan_to_num(values), minlength=12).argmax())]
