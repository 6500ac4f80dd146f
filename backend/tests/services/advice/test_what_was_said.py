"""What was said on past mornings stays, and stands beside what would be said now with what came between."""

from embalse.config import Settings
from embalse.services import times
from embalse.services.advice.mornings import keep_morning
from embalse.services.advice.what_was_said import said_then
from embalse.services.load import clock
from tests.conftest import put


def test_each_morning_of_the_demonstration_was_kept_as_it_was_given(demo: Settings) -> None:
    found = said_then("norte-1")
    assert len(found.mornings) == 14 and not any(m.differs for m in found.mornings)
    assert all(m.causes == [] for m in found.mornings) and found.mornings[0].day == "2026-07-14"
    assert any(m.then.group == "act" and m.then.net_mm for m in found.mornings)


def test_a_set_logged_late_is_named_as_what_made_the_difference(demo: Settings) -> None:
    before = said_then("norte-1").mornings
    put({"embalse": 1, "sets": [{"block": "norte-1", "start": "2026-07-12T20:00", "hours": 9, "gross_mm": 25.0}]})
    rule = {
        "key": "r",
        "valid_from": "2026-07-01",
        "entered": "2026-07-01T00:00",
        "block": "norte-1",
        "trigger_share": 0.4,
    }
    put({"embalse": 1, "block_rules": [rule]})
    after = said_then("norte-1").mornings
    assert [m.then for m in after] == [m.then for m in before]
    changed = [m for m in after if m.differs]
    assert changed and any(c == "block rules (1)" for c in changed[0].causes)


def test_a_morning_kept_is_not_given_anew(demo: Settings) -> None:
    farm = clock.the_farm()
    day = times.local_day(clock.farm_now(farm), farm.time_zone)
    before = said_then("norte-1").mornings[0].then
    put({"embalse": 1, "orders": [{"key": "o", "valid_from": "2026-07-14", "entered": "2026-07-14T01:00",
                                   "block": "norte-1", "action": "hold", "until": "2026-07-20", "note": "spraying"}]})  # fmt: skip
    keep_morning(day)
    again = said_then("norte-1").mornings[0]
    assert again.then == before and again.now.group == "leave" and again.differs
