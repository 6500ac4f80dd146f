"""Water below the roots for the Round, from the demonstration farm."""

import json

import pytest

from embalse.services.advice import kept_round
from embalse.services.advice.losses import losses_content
from embalse.services.advice.profile_page import profile_content

MORNING = "2026-07-14T06:00"


@pytest.mark.usefixtures("demo")
class TestLosses:
    def test_the_block_that_leaks_is_named_and_agrees_with_its_page(self) -> None:
        found = {one.key: one for one in losses_content(MORNING).blocks}
        leaking = found["norte-2"]
        assert leaking.worth_saying and 8 < leaking.below_mm < 40
        assert leaking.below_mm == pytest.approx(0.4 * leaking.strip_mm)
        page = [w for w in profile_content("norte-2", MORNING).wettings if w.below_mm is not None]
        assert leaking.strip_mm == pytest.approx(sum(w.below_mm or 0 for w in page[-leaking.known :]), rel=0.15)
        assert [key for key, one in found.items() if one.worth_saying] == ["norte-2"]
        assert "tunel" not in found

    def test_it_is_kept_until_something_changes(self) -> None:
        kept_round.forget()
        first = kept_round.losses_json(MORNING)
        assert kept_round.losses_json(MORNING) is first
        assert json.loads(first)["days"] == 7
        kept_round.forget()
        assert kept_round.losses_json(MORNING) == first
