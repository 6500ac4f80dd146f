"""No page, tab or dialog says a metric unit to a reader of US units, or a word that no catalogue has."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Page

from embalse.config import Settings
from embalse.services.document.export import farm_document
from embalse.store import people
from embalse.store.database import transaction
from embalse.store.gateways import gateways
from tests.conftest import put
from tests.e2e.us_walk import DIALOGS, PAGES, metric_words, own_phrases, unmarked_words, walked

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]
TRAIL = "people · Who changed what"  # names and values stand there as they were kept
US_FARM = {"embalse": 1, "farm": {"name": "Los Tarayes", "time_zone": "Europe/Madrid", "units": "us"}}


def test_no_page_says_a_metric_unit_or_a_word_outside_the_catalogues(page: Page, demo: Settings, served: Serve) -> None:
    put(US_FARM)
    named = [name for p in people.people() for name in (p.name, p.sign_in)] + [g.name for g in gateways()]
    own = sorted([*own_phrases(farm_document(with_photos=False)), *named], key=len, reverse=True)
    base = served(demo)
    with transaction():
        for person in people.people():
            people.change(person.id, {"language": "xx"})
    page.goto(base)
    page.get_by_role("link", name="«Round»").first.wait_for()
    stands = dict(walked(page, base, PAGES))
    found = {where: metric_words(lines) for where, lines in stands.items()}
    assert len(found) == sum(1 + len(tabs) for tabs in PAGES.values()) + sum(len(names) for names in DIALOGS.values())
    assert {where: lines for where, lines in found.items() if lines} == {}
    unmarked = [
        f"{where}: {line}" for where, lines in stands.items() if where != TRAIL for line in unmarked_words(lines, own)
    ]
    assert not unmarked, "\n".join(unmarked)


def test_the_walk_would_see_a_metric_word(page: Page, demo: Settings, served: Serve) -> None:
    found = dict(walked(page, served(demo), {"block/vega": ()}))["block/vega"]
    assert metric_words(found)
    assert len(unmarked_words(found, [])) > 20
