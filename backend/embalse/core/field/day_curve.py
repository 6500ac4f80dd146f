"""How a day's crop use is spread over its hours."""

import numpy as np
from numpy.typing import NDArray


def hourly_share(hour: int) -> float:
    """Share of a day's ETo that falls in an hour [-]: a half sine from 6 to 20 h; the 24 shares add up to 1."""
    if not 6 <= hour < 20:
        return 0.0
    edges = np.cos(np.pi * (np.array([hour, hour + 1]) - 6) / 14)
    return float((edges[0] - edges[1]) / 2)


def hourly_use_mm(local_s: NDArray[np.int64], by_day_mm: dict[int, float]) -> NDArray[np.float64]:
    """Crop use of each hour [mm], shape of ``local_s`` (farm-local seconds), from its day's; NaN where not known."""
    shares = np.array([hourly_share(hour) for hour in range(24)])
    days, hours = local_s // 86400, local_s // 3600 % 24
    return np.asarray(np.array([by_day_mm.get(int(day), np.nan) for day in days]) * shares[hours])
