"""The basal coefficient of a crop day by day: what it transpires beside what bare ground evaporates."""

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.crop.stages import CropCalendar

Floats = NDArray[np.float64]
BASAL_LESS: Final = 0.05  # Kc less Kcb under cover (FAO-56, ch. 7: Kcb mid = Kc mid − 0.05)
BASAL_BARE: Final = 0.15  # Kcb of a crop that has just come up (FAO-56 Table 17)
ALWAYS_GREEN: Final = 0.25  # by how much Kc may rise from its start to its middle in a crop that stays green (ours)
CUT_KCB, CUT_LEVEL_DAYS, REGROWN_DAYS, REGROWN_KCB = 0.4, 4, 16, 1.1
"""After a cutting: Kc of short stubble for some days, then in a straight line to full cover (FAO-56 Tables 11, 12)."""


def basal_coefficients(calendar: CropCalendar, days: NDArray[np.int64], cuts: Sequence[int] = ()) -> Floats:
    """Kcb [-] of day numbers, shape of ``days``; 0 before the crop is there.

    Parameters
    ----------
    calendar : CropCalendar
    days : array of int
    cuts : sequence of int
        Day numbers of cuttings.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, chapter 7, Table 17 and Tables 11 and 12.
    """
    ini, mid, _ = calendar.kc
    green = ini - BASAL_LESS if mid - ini <= ALWAYS_GREEN else min(ini, BASAL_BARE)
    kc = np.nan_to_num(calendar.kc_on(days), nan=0.0)
    # the same course as Kc's, from the basal start to the basal middle
    share = np.clip((kc - ini) / (mid - ini), 0.0, 1.0) if mid > ini else np.ones(len(days))
    rising = days < calendar.first_day + sum(calendar.lengths_days[:3])
    basal = np.where(rising, green + share * (mid - BASAL_LESS - green), np.maximum(0.1, kc - BASAL_LESS))
    basal = np.where(days < calendar.first_day, 0.0, basal)
    for cut in sorted(cuts):
        since = days - cut
        regrowth = np.interp(since, [CUT_LEVEL_DAYS, REGROWN_DAYS], [CUT_KCB, REGROWN_KCB])
        basal = np.where(since >= 0, np.minimum(regrowth, REGROWN_KCB), basal)
    return np.asarray(basal)
