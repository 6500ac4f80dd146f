"""Access tubes: what cannot be pulled is refused."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.install.access_tubes import tube_cuts


def test_tubes_refuse_what_cannot_be_pulled() -> None:
    with pytest.raises(CoreError, match="stick out"):
        tube_cuts([30.0], stick_out_cm=10.0)
    with pytest.raises(CoreError, match="same depth"):
        tube_cuts([30.0, 30.0])
