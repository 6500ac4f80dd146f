"""A newcomer's first hour, step by step: how much there is to enter and to press before the first advice."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Locator, Page, expect

from embalse.config import Settings

pytestmark = pytest.mark.e2e
Serve = Callable[..., str]
MOST_ENTRIES, MOST_CLICKS = 17, 20  # half of the 34 and 40 it once took


class Hand:
    """Enters and presses, and counts both."""

    def __init__(self, page: Page) -> None:
        self.page, self.entries, self.clicks = page, 0, 0

    def enter(self, label: str, text: str) -> None:
        self.page.get_by_label(label, exact=True).first.fill(text)
        self.entries += 1

    def press(self, what: Locator) -> None:
        what.click()
        self.clicks += 1


def test_from_the_owners_link_to_advice_and_back(page: Page, empty: Settings, served: Serve) -> None:
    hand = Hand(page)
    page.goto(f"{served(empty, None, first_code='four-brown-hens')}/first#four-brown-hens")
    hand.enter("Your name", "Ana Prueba")
    hand.enter("Name to sign in with", "ana")
    hand.enter("Password", "a very long password")
    hand.press(page.get_by_role("button", name="Make the owner"))
    hand.press(page.get_by_role("link", name="Set up a block"))
    for label, text in {
        "Name of the farm": "Las Eras", "Name": "Hoya", "Crop": "almond", "Area, ha": "4", "Wetted area, %": "40",
        "Flow of one emitter, L/h": "2", "Between emitters, m": "0.75", "Between lines, m": "3",
        "Sensor depths, cm, from the top": "10 30 60 90",
    }.items():  # fmt: skip
        hand.enter(label, text)
    hand.press(page.get_by_role("button", name="Save block"))
    hand.press(page.get_by_role("link", name="Import a logger file"))
    hand.press(page.get_by_role("button", name="Try with invented readings"))
    hand.press(page.get_by_role("button", name="Import the file"))
    expect(page.get_by_text("The advice changed for 1 block")).to_be_visible()
    hand.press(page.get_by_role("link", name="See the Round"))
    expect(page.get_by_test_id("round-row")).to_contain_text("mm net")
    assert hand.entries <= MOST_ENTRIES
    assert hand.clicks <= MOST_CLICKS
    invented = page.get_by_role("alert").filter(has_text="Invented readings are in")
    expect(invented).to_contain_text("sample-hoya.csv")
    page.get_by_role("link", name="Hoya", exact=True).click()
    expect(invented).to_be_visible()
    page.get_by_role("button", name="Take them out").click()
    expect(invented).to_have_count(0)
    page.get_by_label("Pages").get_by_role("link", name="Round").click()
    expect(page.get_by_role("heading", name="Bring in readings")).to_be_visible()


def test_a_save_is_taken_back_in_one_press(page: Page, farm: Settings, served: Serve) -> None:
    page.goto(f"{served(farm)}/setup/one")
    page.get_by_label("Area, ha").fill("77")
    page.get_by_role("button", name="Save").first.click()
    just_now = page.get_by_role("region", name="Just now")
    expect(just_now).to_contain_text("Saved.")
    just_now.get_by_role("button", name="Undo").click()
    expect(just_now).to_contain_text("Taken back.")
    page.reload()
    expect(page.get_by_label("Area, ha")).to_have_value("10")
