"""No page, tab or dialog says a metric unit to a reader of US units or a word no catalogue has, or shuts anybody out."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Page

from embalse.config import Settings
from embalse.services.document.export import farm_document
from embalse.store import people
from embalse.store.database import transaction
from embalse.store.gateways import gateways
from tests.conftest import put
from tests.e2e.conftest import accessibility_faults
from tests.e2e.us_walk import DIALOGS, PAGES, PLACES, metric_words, own_phrases, unmarked_words, walked

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]
TRAIL = "people · Who changed what"  # names and values stand there as they were kept
US_FARM = {"embalse": 1, "farm": {"name": "Los Tarayes", "time_zone": "Europe/Madrid", "units": "us"}}


def shut_out(page: Page, where: str) -> list[str]:
    """Whom what stands there shuts out: by axe, and by its width where it must fit without scrolling sideways.

    390 px is a phone held upright; 640 by 400 is a screen of 1280 by 800 at 200 % (WCAG 2.2, 1.4.4 and 1.4.10). A dialog
    is looked at as wide as it was opened.
    """
    found = accessibility_faults(page)
    if where not in PLACES:
        return found
    for width, height in ((640, 400), (390, 844)):
        page.set_viewport_size({"width": width, "height": height})
        wide = page.evaluate("document.documentElement.scrollWidth")
        found += [f"{wide} px wide at {width}"] if wide > width else []
    if where in PAGES:
        found += accessibility_faults(page)
    page.set_viewport_size({"width": 1280, "height": 800})
    return found


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
    wrong: dict[str, list[str]] = {}
    stands = dict(walked(page, base, PAGES, lambda where: wrong.update({where: shut_out(page, where)})))
    assert wrong.keys() == stands.keys()
    assert {where: faults for where, faults in wrong.items() if faults} == {}
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
