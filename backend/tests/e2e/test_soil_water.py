"""Calibrating and setting marks in the real interface."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from embalse.config import Settings
from tests.e2e.conftest import accessibility_faults

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]


def test_tins_become_a_calibration_that_can_be_taken_back(page: Page, demo: Settings, served: Serve) -> None:
    base = served(demo)
    page.goto(f"{base}/bench?tab=calibration")
    page.get_by_role("link", name="Ladera, beside the sensors").click()
    expect(page.get_by_text("far from the curve the other samples make")).to_be_visible()
    before = page.get_by_role("region", name="Curves").get_by_role("row").nth(1)
    expect(before).to_contain_text("2.5 %")
    page.get_by_role("button", name="leave out row 11", exact=True).click()
    expect(page.get_by_text("Kept, not used.")).to_be_visible()
    expect(before).not_to_contain_text("2.5 %")
    assert accessibility_faults(page) == []
    page.get_by_role("button", name="Compare before and after").click()
    expect(page.get_by_role("img", name="The trace before and after, water content in percent")).to_be_visible()
    page.get_by_role("button", name="Use from this day").click()
    expect(page.get_by_text("In use. You can take it back")).to_be_visible()
    page.goto(f"{base}/bench?tab=calibration")
    versions = page.get_by_role("region", name="Calibrations")
    newest = versions.get_by_role("listitem").first
    expect(newest).to_contain_text("from 14 Jul 2026: in force")
    newest.get_by_role("button", name="take back").click()
    expect(versions.get_by_text("from 14 Jul 2026: withdrawn")).to_be_visible()
    assert accessibility_faults(page) == []


def test_a_mark_is_picked_from_its_evidence_and_the_round_follows(page: Page, demo: Settings, served: Serve) -> None:
    base = served(demo)
    page.goto(f"{base}/block/norte-1")
    about = page.get_by_role("region", name="About this block")
    expect(about.get_by_text("the field suggests moving full")).to_be_visible()
    about.get_by_role("link", name="see the evidence").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Norte 1: marks")
    expect(page.get_by_role("img", name="drain-downs by night")).to_be_visible()
    assert accessibility_faults(page) == []
    page.get_by_role("button", name="pick allowable depletion for refill").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name="Use from this day").click()
    expect(dialog.get_by_text("say why")).to_be_visible()
    dialog.get_by_label("Why").fill("the table, until the field says more")
    dialog.get_by_role("button", name="Use from this day").click()
    expect(dialog).to_have_count(0)
    expect(page.get_by_role("region", name="Picked")).to_contain_text("the table, until the field says more")
    page.goto(f"{base}/block/norte-1")
    page.get_by_label("Where Allowable depletion, share of available water comes from").click()
    expect(page.get_by_text("picked on the Marks page")).to_be_visible()


def test_tension_growth_and_index_are_there_to_be_read(page: Page, demo: Settings, served: Serve) -> None:
    base = served(demo)
    page.goto(f"{base}/block/bajo/tension")
    expect(page.get_by_role("region", name="Table")).to_contain_text("Refill now stands at 60 kPa")
    expect(page.get_by_text("laboratory points", exact=False).first).to_be_visible()
    assert accessibility_faults(page) == []
    page.goto(f"{base}/block/vega/growth")
    expect(page.get_by_text("Growth fell to half its peak at a depletion of")).to_be_visible()
    assert accessibility_faults(page) == []
    page.goto(f"{base}/block/tunel")
    index = page.get_by_role("region", name="Index")
    expect(index).to_contain_text("neither amount nor date follows from it")
    expect(index.get_by_text("moist", exact=True).first).to_be_visible()
    assert accessibility_faults(page) == []
    page.goto(f"{base}/bench/plan/tunel")
    expect(page.get_by_role("heading", name="Lab sheet")).to_be_visible()
    assert accessibility_faults(page) == []


def test_stems_are_measured_on_the_phone(page: Page, demo: Settings, served: Serve) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{served(demo)}/block/vega/growth/enter")
    for digit in "436":
        page.get_by_role("button", name=digit, exact=True).click()
    page.get_by_role("button", name="Next plant").click()
    page.reload()
    expect(page.get_by_label("length of plant 1")).to_contain_text("436")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert accessibility_faults(page) == []
    page.get_by_role("button", name="Save 1 of 20").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Vega: growth")
