"""The same thing asked for several times at once happens once: what is checked is checked where it is changed."""

import threading
from collections.abc import Callable

import pytest

from embalse.config import Settings
from embalse.services.admin import people
from embalse.services.setup import procedure_runs
from embalse.store.database import database
from embalse.store.errors import Conflict, NotFound
from embalse.store.models import Reading, Sensor
from tests.services.setup.test_ground import TestChannelCheck, ids, readings


def at_once(times: int, call: Callable[[], object]) -> list[Exception | None]:
    """Call something in several threads that begin together; what each met."""
    begin, found = threading.Barrier(times), []

    def one() -> None:
        begin.wait()
        try:
            call()
            found.append(None)
        except Exception as met:
            found.append(met)
        finally:
            if not database.is_closed():
                database.close()

    threads = [threading.Thread(target=one) for _ in range(times)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return found


@pytest.mark.parametrize("run", range(3))
def test_a_swap_asked_for_twice_is_made_once(farm: Settings, run: int) -> None:
    sensor = ids()
    for key, value in (("10", 0.1), ("30", 0.3), ("50", 0.5)):
        readings(sensor[key], value)
    TestChannelCheck().check()
    database.close()
    met = at_once(4, lambda: procedure_runs.make_swaps("c"))
    assert met.count(None) == 1 and all(isinstance(m, Conflict) for m in met if m is not None)
    assert {s.key: s.channel for s in Sensor.select()} == {"10": "one-10", "30": "one-50", "50": "one-30"}
    for key, value in (("10", 0.1), ("30", 0.5), ("50", 0.3)):
        assert {round(r.value, 6) for r in Reading.select().where(Reading.sensor == sensor[key])} == {value}


def test_an_invitation_is_accepted_once(farm: Settings) -> None:
    people.make_demo_people([("owner", "Owner", "owner", True)])
    code = people.invite(people.NewPerson(sign_in="bo", name="Bo", role="viewer")).code
    database.close()
    words = iter([f"seven green herons {n}" for n in range(5)])
    met = at_once(5, lambda: people.accept_invitation(code, next(words)))
    assert met.count(None) == 1 and all(isinstance(m, NotFound) for m in met if m is not None)
