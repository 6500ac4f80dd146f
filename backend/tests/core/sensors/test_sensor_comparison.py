"""A sensor held against weighed samples."""

import numpy as np
import pytest

from embalse.core.sensors.sensor_comparison import agreements


def test_a_sensor_against_weighed_samples_by_soil() -> None:
    weighed = np.array([0.15, 0.20, 0.25, 0.30] * 2)
    off = np.array([0.05] * 4 + [0.03, -0.03, 0.03, -0.03])
    found = agreements(weighed + off, weighed, ["loam"] * 4 + ["clay"] * 4, "tins")
    assert [a.soil for a in found] == ["", "loam", "clay"]
    assert found[1].bias_theta == pytest.approx(0.05) and found[1].words.code == "agreement.shift"
    assert found[2].bias_theta == pytest.approx(0, abs=1e-12) and found[2].words.code == "agreement.scattered"
