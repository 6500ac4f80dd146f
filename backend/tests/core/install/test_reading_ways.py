"""By hand, logger or radio, own work or hired: what each costs over the seasons."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.install.access_tubes import DEPTH_SETS, tube_cuts, tube_parts
from embalse.core.install.instruments import PlanBasis, instrument_choices, reading_ways

BASIS = PlanBasis(60, 120, seasons=3, labour_per_h=20, visits=20)
PAIRS = next(c for c in instrument_choices(BASIS) if c.choice == "pairs")


def test_each_way_is_added_up() -> None:
    ways = {(w.reading, w.by): w for w in reading_ways(PAIRS, BASIS)}
    assert len(ways) == 6
    # six sensors at 45 + 10 and 20 min each; a meter of 250; 2 min a sensor and visit
    hand = ways["hand", "own"]
    assert hand.first_year - hand.later_years == pytest.approx(6 * (55 + 20 / 60 * 20) + 250)
    assert hand.later_years == pytest.approx(6 * 2 / 60 * 20 * 20)
    radio = ways["telemetry", "hired"]
    assert radio.later_years == pytest.approx(3 * (100 + 500))
    assert radio.first_year - radio.later_years == pytest.approx(6 * 55 + 3 * 640 + 3 * 150)
    assert all(w.total == pytest.approx(w.first_year + 2 * w.later_years) for w in ways.values())
    assert all(w.duties and w.convenience for w in ways.values())


def test_own_prices_take_the_place_of_the_examples() -> None:
    dear = {(w.reading, w.by): w for w in reading_ways(PAIRS, BASIS, {"hired service": {"yearly_fee": 900.0}})}
    assert dear["hand", "hired"].later_years == pytest.approx(3 * 900)


def test_tubes_have_their_parts_and_cost() -> None:
    cuts = tube_cuts(DEPTH_SETS["6, 18, 30 and 42 in: middles of one-foot layers"])
    parts = {p.part: p for p in tube_parts(cuts, {"tube": 2.0})}
    # 12, 24, 36 and 48 in of tube, a centimetre lost at each cut
    assert parts["tube"].amount == pytest.approx((120 * 2.54 + 4) / 100) and parts["cap"].amount == 4
    assert parts["tube"].cost == pytest.approx(2 * (120 * 2.54 + 4) / 100)
    with pytest.raises(CoreError, match="is no part"):
        tube_parts(cuts, {"rope": 1.0})


@pytest.mark.parametrize("name", list(DEPTH_SETS))
def test_every_set_of_depths_can_be_cut(name: str) -> None:
    assert len(tube_cuts(DEPTH_SETS[name])) == len(DEPTH_SETS[name])
