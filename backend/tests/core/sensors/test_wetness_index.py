"""The index of what is not calibrated: words, trend, and the samples that would tell most."""

import numpy as np
import pytest

from embalse.core.errors import CalibrationError
from embalse.core.sensors.wetness_index import index_trend, index_word, samples_wanted, wetness_index
from embalse.core.wording import text


@pytest.mark.published(source="common practice, no source: span divided in 5 classes; a wet cloth reads class 4 of 5")
def test_index_words() -> None:
    assert [index_word(i) for i in (0.05, 0.3, 0.5, 0.7, 0.95)] == ["air-dry", "dry", "moist", "wet", "as in water"]
    cloth = float(wetness_index(np.array([490.0]), 820, 380)[0])
    assert index_word(cloth) == "wet"
    with pytest.raises(CalibrationError):
        wetness_index(np.array([1.0]), 5, 5)


def test_the_three_samples_span_what_was_seen_and_one_may_be_now() -> None:
    seen = np.linspace(500, 600, 200)
    wanted = samples_wanted(seen, 551.0)
    assert [text(w.when) == "now" for w in wanted] == [False, True, False]
    assert wanted[0].raw < 515 and wanted[2].raw > 585
    assert samples_wanted(seen[:10], 505.0) == [] and samples_wanted(np.full(50, 3.0), 3.0) == []
    assert (
        text(index_trend([0.5, 0.47, 0.44])) == "drier by 0.03 a day"
        and text(index_trend([0.5, 0.5])) == "too few days for a trend"
    )
