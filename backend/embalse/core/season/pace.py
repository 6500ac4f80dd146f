"""Where a season's allowed water will end at the pace of the last weeks."""

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import require
from embalse.core.robust import CONFIDENCE_Z

PACE_WEEKS: Final = 4  # weeks the pace is taken from (ours: as the season has become)
SPREAD_WEEKS: Final = 8  # weeks its scatter is taken from (ours)


@dataclass(frozen=True)
class Pace:
    """Share of the allowed volume used so far, and at the end of the season with its 10 and 90 % [-]."""

    used_share: float
    end_share: float
    low_share: float
    high_share: float


def season_pace(weekly_m3: Sequence[float], used_m3: float, allowed_m3: float, weeks_left: float) -> Pace:
    """Carry the last weeks on to the end of the season.

    Parameters
    ----------
    weekly_m3 : sequence of float
        Water of past weeks [m³], the newest last, two at least.
    used_m3, allowed_m3 : float
        Used so far and allowed for the season [m³].
    weeks_left : float
        Weeks to the end of the season.

    Raises
    ------
    CoreError
        If nothing is allowed, or fewer than two weeks are known.

    Examples
    --------
    >>> season_pace([100.0, 100.0, 100.0, 100.0], 600.0, 1000.0, 3.0).end_share
    0.9
    """
    require(allowed_m3 > 0, "allowed_m3", "must be more than 0")
    require(len(weekly_m3) >= 2, "weekly_m3", "two weeks at least")
    weeks = max(0.0, weeks_left)
    pace = statistics.fmean(weekly_m3[-PACE_WEEKS:])
    spread = statistics.stdev(weekly_m3[-SPREAD_WEEKS:])
    kept = min(PACE_WEEKS, len(weekly_m3))
    error = CONFIDENCE_Z * spread * math.hypot(math.sqrt(weeks), weeks / math.sqrt(kept))
    end = used_m3 + pace * weeks
    low = max(used_m3, end - error)
    return Pace(used_m3 / allowed_m3, end / allowed_m3, low / allowed_m3, (end + error) / allowed_m3)
