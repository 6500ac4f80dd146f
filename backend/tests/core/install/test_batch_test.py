"""Batch tests: which sensors pass, and what another pair of figures would say."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.install.batch_test import BatchError, BatchLimits, batch_test, best_batch
from embalse.core.wording import text

GOOD = ([820, 821, 822], [380, 381, 382])


NOISY = ([820, 870, 790], [380, 381, 382])


SHORT = ([620, 621, 622], [480, 481, 482])


class TestBatch:
    def test_each_sensor_gets_its_reasons(self) -> None:
        found = batch_test("b", {"good": GOOD, "noisy": NOISY, "short": SHORT})
        by_name = {s.sensor: s for s in found.sensors}
        assert by_name["good"].accepted and by_name["good"].reasons == ()
        assert "scatters in air" in text(by_name["noisy"].reasons[0])
        assert "span 140 is under 80 %" in text(by_name["short"].reasons[0])
        assert not found.accepted and text(found.words) == "1 of 3 pass; 50 % are wanted"

    def test_widest_span_with_least_scatter_wins(self) -> None:
        wide = batch_test("wide", {"1": GOOD, "2": GOOD})
        narrow = batch_test("narrow", {"1": SHORT, "2": SHORT})
        bad = batch_test("bad", {"1": NOISY, "2": NOISY})
        assert best_batch([narrow, wide, bad]) == "wide"
        assert best_batch([bad]) is None

    def test_a_sensor_that_drifted_in_water_is_refused(self) -> None:
        found = batch_test("b", {"1": GOOD, "2": GOOD}, None, {"1": 381.0, "2": 400.0})
        assert [s.accepted for s in found.sensors] == [True, False]
        assert "came back 19" in text(found.sensors[1].reasons[0])

    def test_too_few_repeats_are_named(self) -> None:
        with pytest.raises(BatchError) as refused:
            batch_test("b", {"1": ([820, 821], [380, 381, 382])})
        assert refused.value.field == "1.air" and "at least 3" in refused.value.reason

    def test_the_same_in_air_and_water_is_no_sensor(self) -> None:
        found = batch_test("b", {"1": ([500] * 3, [500] * 3)})
        assert not found.accepted and "the same in air and in water" in found.sensors[0].reasons[0]

    @given(st.floats(1.0, 60.0))
    def test_more_scatter_never_helps(self, factor: float) -> None:
        loose = ([821 + factor * (v - 821) for v in GOOD[0]], GOOD[1])
        limits = BatchLimits(sd_share=0.02)
        worse = batch_test("b", {"1": loose, "2": GOOD}, limits).sensors[0]
        assert not worse.accepted or batch_test("b", {"1": GOOD, "2": GOOD}, limits).sensors[0].accepted
        assert worse.accepted == (factor <= 0.02 * 440 + 1e-9) or worse.air.sd == pytest.approx(8.8, rel=0.01)
