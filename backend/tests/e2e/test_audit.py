"""The audit walked through in the browser: the block's page, a dose picked, the farm's list, a fault ticked off."""

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Browser, Page, expect

from embalse.config import Settings
from tests.e2e.conftest import accessibility_faults

pytestmark = pytest.mark.e2e


def test_from_the_rounds_line_to_a_corrected_dose(page: Page, demo: Settings, served: Callable[..., str]) -> None:
    url = served(demo)
    page.goto(url)
    page.get_by_role("link", name="Audit Sets of the last 7 days").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Audit of the farm's sets")
    assert accessibility_faults(page) == []
    page.get_by_role("region", name="Next sets").get_by_role("link", name="Norte 2").click()
    expect(page.get_by_text("Set of Mon 13 Jul: did not run")).to_be_visible()
    page.get_by_role("button", name="Sat 11 Jul 21:00").click()
    expect(page.get_by_text("Stored, of what was applied")).to_be_visible()
    assert accessibility_faults(page) == []
    page.get_by_role("button", name="Use").first.click()
    expect(page.get_by_text(re.compile(r"In force: × 0\.8\d since 14 Jul 2026\."))).to_be_visible()
    page.get_by_role("link", name="Today").click()
    expect(page.get_by_text("Correction by the audit")).to_be_visible()
    page.get_by_role("link", name="Audit", exact=True).click()
    page.get_by_role("button", name="Stop correcting").click()
    expect(page.get_by_text("In force:")).to_have_count(0)


def test_the_offer_stands_with_the_working(page: Page, demo: Settings, served: Callable[..., str]) -> None:
    page.goto(f"{served(demo)}/block/tunel/audit")
    expect(page.get_by_text("Not calibrated: no amounts.").first).to_be_visible()
    page.goto(page.url.replace("tunel/audit", "norte-2"))
    expect(page.get_by_role("link", name="Offered by the audit")).to_be_visible()
    expect(page.get_by_text("Not applied.")).to_be_visible()


def test_a_fault_is_ticked_off_on_the_phone_without_a_signal(
    browser_here: Browser, demo: Settings, served: Callable[..., str]
) -> None:
    url = served(demo)
    context = browser_here.new_context(viewport={"width": 390, "height": 844})
    page = context.new_page()
    page.goto(f"{url}/tonight")
    faults = page.get_by_role("region", name="Go and see")
    expect(faults.get_by_text("did not run")).to_be_visible()
    context.set_offline(True)
    faults.get_by_role("button", name="Seen …").first.click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Note").fill("tap shut at the gate")
    assert accessibility_faults(page) == []
    dialog.get_by_role("button", name="Closed", exact=True).click()
    expect(faults.get_by_text("Kept on this phone until there is a signal.")).to_be_visible()
    context.set_offline(False)
    expect(faults.get_by_text("Norte 2")).to_have_count(0)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.goto(f"{url}/block/norte-2/audit")
    expect(page.get_by_text("Too much").first).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    context.close()
