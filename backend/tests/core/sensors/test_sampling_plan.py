"""How many samples an error wants, and what an error means."""

import math

import pytest

from embalse.core.sensors.sampling_plan import PlanError, meant_in_water, sampling_plan


def test_a_narrower_error_wants_more_tins_and_too_many_are_refused() -> None:
    wide, narrow = sampling_plan((10, 30, 50), 600.0, 10.0), sampling_plan((10, 30, 50), 600.0, 4.0)
    assert narrow.samples > wide.samples and narrow.expected_mm <= 4.0
    assert wide.samples == sum(len(s.depths_cm) * s.each for s in wide.steps)
    with pytest.raises(PlanError, match="wider"):
        sampling_plan((10, 30), 1000.0, 0.5)


def test_what_an_error_means_in_days() -> None:
    meant = meant_in_water(0.02, 0.01, (150.0, 250.0, 200.0), 5.0)
    assert meant.error_mm == pytest.approx(math.hypot(0.02 * math.sqrt(150**2 + 250**2 + 200**2), 6.0))
    assert meant.days == pytest.approx(meant.error_mm / 5) and meant_in_water(0.02, 0.01, (1.0,), None).days is None
