"""Uniformity: what is no test is refused."""

import pytest

from embalse.core.delivery.uniformity import UniformityError, uniformity


def test_uniformity_refuses_what_is_no_test() -> None:
    for catches, reason in (([1, 2, 3], "at least 4"), ([1, 2, 3, -1], "negative"), ([0, 0, 0, 0], "all are 0")):
        with pytest.raises(UniformityError, match=reason):
            uniformity(catches)
