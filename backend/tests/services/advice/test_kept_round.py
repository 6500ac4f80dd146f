"""The kept Round is the one made anew, whatever changed in between and in whatever order."""

import random
from collections.abc import Callable, Iterator
from typing import Any

import pytest

from embalse.config import Settings
from embalse.core.wording import METRIC
from embalse.services.advice import kept_round
from embalse.services.advice.advise import round_content
from embalse.services.advice.kept_round import round_json
from embalse.services.reader import reading_as
from embalse.services.readings import judging
from embalse.store import farm as farm_store
from embalse.store.database import database, transaction
from tests.conftest import put

PAST = "2026-07-05T06:00"


def advance(seconds: int) -> None:
    farm = farm_store.farm()
    assert farm is not None and farm.clock_at is not None
    with transaction():
        farm_store.hold_clock(farm.clock_at + seconds)


def overrule(number: int) -> None:
    with transaction():
        database.execute_sql("UPDATE fault SET verdict = ? WHERE id = 3", (("", "overruled")[number % 2],))


def take_readings(number: int) -> None:
    with transaction():
        database.execute_sql("DELETE FROM reading WHERE sensor_id = ? AND ts % 7 = 0", (1 + number % 40,))


CHANGES: list[Callable[[int], Any]] = [
    lambda n: put({"embalse": 1, "rain": [{"day": "2026-07-12", "depth_mm": n % 40}]}),
    lambda n: put({"embalse": 1, "eto": [{"day": "2026-07-11", "eto_mm": 2 + n % 7}]}),
    lambda n: put(
        {
            "embalse": 1,
            "sets": [{"block": "mesa", "start": f"2026-07-{1 + n % 12:02}T05:00", "hours": 2, "gross_mm": 5}],
        }
    ),
    lambda _: advance(3600),
    overrule,
    take_readings,
]


@pytest.mark.parametrize("seed", range(20))
def test_it_equals_the_one_made_anew_after_any_order_of_changes(demo: Settings, seed: int) -> None:
    chance = random.Random(seed)
    for number in range(3):
        chance.choice(CHANGES)(chance.randrange(1000))
        moment = PAST if number == 1 else None
        assert round_json(moment, with_working=False) == round_content(moment, None, False).model_dump_json()


def test_it_is_not_made_twice_while_nothing_changes(demo: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    first = round_json()
    monkeypatch.setattr(kept_round, "round_content", lambda *_: pytest.fail("made again"))
    assert round_json() == first


def test_each_reader_has_their_own_units(demo: Settings) -> None:
    metric = round_json()
    with reading_as("us"):
        assert round_json() != metric
    assert round_json() == metric and METRIC.units == "metric"


def test_no_more_than_some_are_kept(demo: Settings) -> None:
    for day in range(1, 5):
        round_json(f"2026-07-{day:02}T06:00", with_working=False)
    assert len(kept_round._kept) <= kept_round.KEPT


class TestLately:
    """While a keeper is at work, readings may be in the Round a little later; what a person entered may not."""

    @pytest.fixture(autouse=True)
    def keeper(self) -> Iterator[None]:
        judging.kept_up_by("test")
        yield
        judging.no_longer_kept_up_by("test")

    def test_readings_leave_the_round_of_half_a_minute_ago(self, demo: Settings) -> None:
        first = round_json()
        take_readings(3)
        assert round_json() == first
        kept_round.renew()
        assert round_json() == round_content().model_dump_json()

    @pytest.mark.parametrize(("seconds", "same"), [(kept_round.LATELY_S, True), (kept_round.LATELY_S + 1, False)])
    def test_it_is_never_older(self, demo: Settings, seconds: int, same: bool) -> None:
        first = round_json()
        take_readings(3)
        advance(seconds)
        assert (round_json() == first) is same

    @pytest.mark.parametrize("number", range(3))
    def test_what_a_person_enters_is_in_it_at_once(self, demo: Settings, number: int) -> None:
        round_json(with_working=False)
        CHANGES[number](7)
        assert round_json(with_working=False) == round_content(None, None, False).model_dump_json()

    def test_a_past_moment_is_always_made_from_what_is_there(self, demo: Settings) -> None:
        round_json(PAST)
        take_readings(3)
        assert round_json(PAST) == round_content(PAST).model_dump_json()

    def test_without_a_keeper_it_is_made_at_once(self, demo: Settings) -> None:
        round_json()
        judging.no_longer_kept_up_by("test")
        take_readings(3)
        assert round_json() == round_content().model_dump_json()
