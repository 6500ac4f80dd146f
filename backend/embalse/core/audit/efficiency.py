"""Where applied water went, as published shares: application and storage efficiency, percolation, what is missing."""

from dataclasses import dataclass

from embalse.core.errors import require


@dataclass(frozen=True)
class Shares:
    """Shares [-] of the water applied, and of the water that was wanted; ``storage`` is None where no need is known.

    ``application`` + ``percolation`` + ``missing`` are 1 where no more was seen than was applied.
    """

    application: float
    percolation: float
    missing: float
    storage: float | None


def shares(applied_mm: float, stored_mm: float, below_mm: float, wanted_mm: float | None = None) -> Shares:
    """Where the water of a set went, as shares.

    Parameters
    ----------
    applied_mm : float
        Mean depth applied [mm], more than 0.
    stored_mm : float
        Mean depth stored in the root zone [mm], the crop's use during the set included.
    below_mm : float
        Mean depth that went below it [mm].
    wanted_mm : float, optional
        What the root zone lacked before the set [mm].

    Returns
    -------
    Shares

    Raises
    ------
    CoreError
        If a depth is negative, or nothing was applied.

    References
    ----------
    .. [1] ASAE EP408 / ASABE soil and water terms and USDA-NRCS NEH Part 652, chapter 9, as recalled: application
       efficiency is water stored in the root zone over water applied, storage (requirement) efficiency over water
       needed; deep percolation and runoff ratios are over water applied.

    Examples
    --------
    >>> found = shares(75.0, 55.0, 15.0, 60.0)
    >>> round(found.application, 2), found.percolation, round(found.storage, 2)
    (0.73, 0.2, 0.92)
    """
    require(applied_mm > 0, "applied_mm", "must be more than 0")
    for name, value in (("stored_mm", stored_mm), ("below_mm", below_mm), ("wanted_mm", wanted_mm or 0.0)):
        require(value >= 0, name, "must not be negative")
    missing = max(0.0, applied_mm - stored_mm - below_mm)
    storage = min(1.0, stored_mm / wanted_mm) if wanted_mm else None
    return Shares(stored_mm / applied_mm, below_mm / applied_mm, missing / applied_mm, storage)
