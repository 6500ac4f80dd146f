"""The effect of temperature, found in the daily ripple or not claimed."""

import numpy as np
import pytest

from embalse.core.sensors.temperature_effect import warmth_effect
from embalse.core.wording import text


def ripple(per_degree: float, days: int = 20) -> tuple[np.ndarray, np.ndarray]:
    hours = np.arange(days * 24)
    random = np.random.default_rng(1)
    warm = 22 + 2.5 * np.sin(2 * np.pi * hours / 24) + random.normal(0, 0.1, len(hours))
    raw = 600 - 0.2 * hours / 24 + per_degree * (warm - 22) + random.normal(0, 0.8, len(hours))
    return raw, warm


def test_the_temperature_effect_is_found_in_the_ripple() -> None:
    raw, warm = ripple(1.7)
    found = warmth_effect(raw, warm, np.ones(len(raw), dtype=bool))
    assert found.per_degree == pytest.approx(1.7, abs=0.1) and found.error is not None and found.error < 0.155


@pytest.mark.parametrize(
    ("per_degree", "days", "still", "why"),
    [(0.0, 20, False, "not sure enough"), (1.7, 3, False, "days dry"), (1.7, 20, True, "swings")],
)
def test_no_effect_is_claimed_without_evidence(per_degree: float, days: int, still: bool, why: str) -> None:
    raw, warm = ripple(per_degree, days)
    found = warmth_effect(raw, np.full(len(raw), 22.0) if still else warm, np.ones(len(raw), dtype=bool))
    assert found.per_degree is None and why in text(found.words)
