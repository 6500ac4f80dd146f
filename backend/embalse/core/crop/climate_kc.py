"""Crop coefficients in the farm's own climate: the tables' are for a wind of 2 m/s and an air of 45 % at its driest."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

from embalse.core.crop.stages import CropCalendar
from embalse.core.tables import crop_defaults, table_rows
from embalse.core.wording import Notice, Text

TABLE_WIND_M_S: Final = 2.0
TABLE_RH_MIN_PCT: Final = 45.0
END_FROM: Final = 0.45  # Kc at the end from which it follows the climate [-] (FAO-56, Eq. 65)
FEWEST_DAYS: Final = 10  # days of wind and humidity a stage's climate is told from (ours: a third of a mid season)
LAST_DAYS: Final = 30  # days before today that stand for a stage not yet begun (ours)
WIND_M_S: Final = (1.0, 6.0)  # within which the formula holds (FAO-56, Eq. 62)
RH_MIN_PCT: Final = (20.0, 80.0)
HEIGHT_M: Final = (0.1, 10.0)


@dataclass(frozen=True)
class DayClimate:
    """A day's number, mean wind 2 m above the ground [m/s] and lowest relative humidity [%]."""

    day: int
    wind_2m_m_s: float
    rh_min_pct: float


def climate_kc(kc: float, wind_2m_m_s: float, rh_min_pct: float, height_m: float) -> float:
    """A coefficient of the table in another climate [-].

    Parameters
    ----------
    kc : float
        Of the table, mid season or end [-].
    wind_2m_m_s, rh_min_pct : float
        Means of the stage; held between 1 and 6 m/s and between 20 and 80 %, within which the formula holds.
    height_m : float
        Of the crop, held between 0.1 and 10 m.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eq. 62 (mid season) and Eq. 65 (end).

    Examples
    --------
    >>> round(climate_kc(1.20, 1.3, 75, 2.0), 2), round(climate_kc(1.20, 4.6, 44, 2.0), 2)
    (1.07, 1.3)
    """
    wind, dry, height = _within(wind_2m_m_s, WIND_M_S), _within(rh_min_pct, RH_MIN_PCT), _within(height_m, HEIGHT_M)
    tall: float = (height / 3) ** 0.3
    return kc + (0.04 * (wind - TABLE_WIND_M_S) - 0.004 * (dry - TABLE_RH_MIN_PCT)) * tall


def _within(value: float, limits: tuple[float, float]) -> float:
    return min(max(value, limits[0]), limits[1])


def crop_height_m(crop: str) -> float | None:
    """Height of a library crop's plants at their highest [m], None where the tables do not have it."""
    found = crop_defaults(crop)
    rows = table_rows("fao56_heights.csv")
    return None if found is None else next((float(r["height_m"]) for r in rows if r["crop"] == found.crop), None)


def climate_days(calendar: CropCalendar, today: int) -> tuple[tuple[int, int], tuple[int, int]]:
    """First and last day numbers that tell the climate of a calendar's mid season and of its end.

    Those of the stage before ``today``; of a stage not ten days old, the 30 days before today.
    """
    initial, development, mid, _ = calendar.lengths_days
    starts = calendar.first_day + round(initial + development), calendar.first_day + round(initial + development + mid)
    ends = starts[1] - 1, round(calendar.last_day)
    spans = [
        (start, min(end, today - 1)) if today - start >= FEWEST_DAYS else (today - LAST_DAYS, today - 1)
        for start, end in zip(starts, ends, strict=True)
    ]
    return spans[0], spans[1]


def in_climate(
    calendar: CropCalendar, height_m: float, days: Sequence[DayClimate], today: int, from_table: tuple[bool, bool]
) -> CropCalendar:
    """A calendar with its Kc of mid season and end in the climate of its days.

    Parameters
    ----------
    calendar : CropCalendar
    height_m : float
        Of the crop at its highest [m].
    days : sequence of DayClimate
        Days with wind and humidity, any order.
    today : int
        Day number.
    from_table : (bool, bool)
        Whether Kc of mid season and of the end are the table's: what a person entered is left as it is.

    Returns
    -------
    CropCalendar
        The same where fewer than ten days tell a stage's climate, or Kc at the end is below 0.45 (Eq. 65).
    """
    kc = list(calendar.kc)
    told: Text | None = None
    for place, span, table in zip((1, 2), climate_days(calendar, today), from_table, strict=True):
        inside = [d for d in days if span[0] <= d.day <= span[1]]
        if not table or len(inside) < FEWEST_DAYS or (place == 2 and kc[2] < END_FROM):
            continue
        wind = sum(d.wind_2m_m_s for d in inside) / len(inside)
        dry = sum(d.rh_min_pct for d in inside) / len(inside)
        kc[place] = climate_kc(kc[place], wind, dry, height_m)
        values = {"wind_m_s": wind, "rh_min_pct": dry, "days": len(inside)}
        told = told or Notice("source.climate", told=calendar.source, kc_mid=kc[1], **values)
    if told is None:
        return calendar
    return replace(calendar, kc=(kc[0], kc[1], kc[2]), source=told)
