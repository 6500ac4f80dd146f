"""No page, tab or dialog says a metric unit to a reader of US units, or a word that no catalogue has."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Page

from embalse.config import Settings
from embalse.services.document.export import farm_document
from tests.conftest import put
from tests.e2e.us_walk import DIALOGS, PAGES, metric_words, own_words, unmarked_words, walked

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]
US_FARM = {"embalse": 1, "farm": {"name": "Los Tarayes", "time_zone": "Europe/Madrid", "units": "us"}}


READ_MARKED = """async () => {
  const {csrf_token} = await (await fetch('/api/session')).json();
  await fetch('/api/session', {method: 'PATCH', body: JSON.stringify({language: 'xx'}),
    headers: {'content-type': 'application/json', 'x-csrf-token': csrf_token}});
  localStorage.setItem('embalse.language', 'xx');
}"""


def test_no_page_says_a_metric_unit_or_a_word_outside_the_catalogues(page: Page, demo: Settings, served: Serve) -> None:
    put(US_FARM)
    own = own_words(farm_document(with_photos=False)) | frozenset(
        {"Demo", "owner", "manager", "agronomist", "field", "hand"}
    )
    base = served(demo)
    page.goto(base)
    page.evaluate(READ_MARKED)
    stands = dict(walked(page, base, PAGES))
    found = {where: metric_words(lines) for where, lines in stands.items()}
    assert len(found) == sum(1 + len(tabs) for tabs in PAGES.values()) + sum(len(names) for names in DIALOGS.values())
    assert {where: lines for where, lines in found.items() if lines} == {}
    unmarked = {where: unmarked_words(lines, own) for where, lines in stands.items()}
    assert {where: lines for where, lines in unmarked.items() if lines} == {}


def test_the_walk_would_see_a_metric_word(page: Page, demo: Settings, served: Serve) -> None:
    found = dict(walked(page, served(demo), {"block/vega": ()}))["block/vega"]
    assert metric_words(found)
    assert len(unmarked_words(found, frozenset())) > 20
