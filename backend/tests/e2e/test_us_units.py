"""A reader of US units meets no metric word on any page, tab or dialog: in text, in a picture, read out or in a hint."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Page

from embalse.config import Settings
from tests.conftest import put
from tests.e2e.us_walk import DIALOGS, PAGES, walked

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]
US_FARM = {"embalse": 1, "farm": {"name": "Los Tarayes", "time_zone": "Europe/Madrid", "units": "us"}}


def test_no_page_says_a_metric_unit_to_a_reader_of_us_units(page: Page, demo: Settings, served: Serve) -> None:
    put(US_FARM)
    found = dict(walked(page, served(demo), PAGES))
    assert len(found) == sum(1 + len(tabs) for tabs in PAGES.values()) + sum(len(names) for names in DIALOGS.values())
    assert {where: lines for where, lines in found.items() if lines} == {}


def test_the_walk_would_see_a_metric_word(page: Page, demo: Settings, served: Serve) -> None:
    found = dict(walked(page, served(demo), {"block/vega": ()}))["block/vega"]
    assert any("mm" in line for line in found)
