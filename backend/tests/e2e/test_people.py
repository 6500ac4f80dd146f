"""Signing in as people do: the first owner, an invitation, a role that may only look."""

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Browser, Page, expect

from embalse.config import Settings
from tests.e2e.conftest import accessibility_faults

pytestmark = pytest.mark.e2e
GOOD = "three brown hens"


def test_from_the_first_owner_to_a_viewer_who_may_only_look(
    page: Page, browser_here: Browser, served: Callable[..., str], farm: Settings
) -> None:
    url = served(farm, None, "the-code")
    page.goto(f"{url}/first#the-code")
    page.get_by_role("heading", level=1).wait_for()
    assert accessibility_faults(page) == []
    page.get_by_label("Your name").fill("Ana")
    page.get_by_label("Name to sign in with").fill("ana")
    page.get_by_label("Password").fill(GOOD)
    page.get_by_role("button", name="Make the owner and sign in").click()
    page.get_by_role("link", name="Ana").click()
    page.get_by_role("tab", name="People of the farm").click()
    page.get_by_label("Name", exact=True).fill("Bo")
    page.get_by_label("Signs in as").fill("bo")
    page.get_by_label("Role", exact=True).select_option("viewer")
    page.get_by_role("button", name="Invite").click()
    link = page.get_by_text("/invitation#").inner_text()
    assert accessibility_faults(page) == []

    context = browser_here.new_context(viewport={"width": 1280, "height": 800})
    other = context.new_page()
    other.goto(link)
    other.get_by_label("Password").fill(GOOD)
    other.get_by_role("button", name="Set password and sign in").click()
    other.get_by_role("link", name="Bo").wait_for()
    other.goto(f"{url}/block/one")
    other.get_by_role("heading", name="One").wait_for()
    assert other.get_by_role("button", name="Log a set").count() == 0
    page.goto(f"{url}/block/one")
    page.get_by_role("button", name="Log a set").wait_for()

    other.goto(f"{url}/people")
    other.get_by_role("button", name="Sign out on this device").click()
    other.get_by_role("heading", name="Sign in").wait_for()
    other.get_by_label("Name you sign in with").fill("bo")
    other.get_by_label("Password").fill(GOOD)
    other.get_by_role("button", name="Sign in").click()
    other.get_by_role("link", name="Bo").wait_for()

    page.goto(f"{url}/people?tab=people")
    row = page.locator("li", has_text="Bo")
    row.get_by_role("button", name="has left").click()
    row.get_by_text("left", exact=True).wait_for()
    other.goto(f"{url}/block/one")
    other.get_by_role("heading", name="Sign in").wait_for()
    page.get_by_role("tab", name="Who changed what").click()
    page.get_by_text("bo person changed").first.wait_for()
    context.close()


def test_the_demonstration_says_who_it_signed_in(page: Page, served: Callable[..., str], demo: Settings) -> None:
    page.goto(served(demo, None))
    who = page.get_by_role("link", name="Demo manager")
    expect(who).to_have_attribute("title", re.compile("signs its manager in automatically"))
    who.click()
    page.get_by_text("This is the demonstration").wait_for()
    page.get_by_role("tab", name="Who changed what").click()
    page.get_by_text("tunel/t readings by hand stored").first.wait_for()
    assert accessibility_faults(page) == []
