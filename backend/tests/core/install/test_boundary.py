"""A block's outline."""

import pytest

from embalse.core.install.boundary import OutlineError, area_caution, area_ha, checked_ring
from embalse.core.wording import text


class TestOutline:
    SQUARE = [(-15.2, 38.4), (-15.19, 38.4), (-15.19, 38.41), (-15.2, 38.41)]

    def test_a_closed_ring_is_the_same_ring(self) -> None:
        assert checked_ring([*self.SQUARE, self.SQUARE[0]]) == self.SQUARE

    @pytest.mark.parametrize(
        ("ring", "reason"),
        [
            ([(0, 0), (1, 1)], "three corners"),
            ([(0, 0), (1, 1), (1, 0), (0, 1)], "side 1 crosses side 3"),
            ([(0, 0), (200, 0), (0, 1)], "degrees"),
            ([(0, 0), (1e-6, 0), (0, 1e-6)], "less than 10 m²"),
        ],
    )
    def test_what_is_no_outline_is_refused(self, ring: list[tuple[float, float]], reason: str) -> None:
        with pytest.raises(OutlineError, match=reason):
            area_ha(ring)

    def test_an_area_that_differs_is_pointed_out(self) -> None:
        assert area_caution(10.4, 10, 0.05) is None
        assert text(area_caution(12, 10, 0.05) or "") == "12.0 ha is entered, 20 % more than the 10.0 ha of the outline"
