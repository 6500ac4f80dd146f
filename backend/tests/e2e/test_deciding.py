"""Deciding in the real interface: reasons, wettings, demand, rules, an order over the advice."""

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from embalse.config import Settings
from tests.e2e.conftest import accessibility_faults

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]


def test_a_manager_sees_what_binds_each_block(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(served(demo))
    pivot = page.get_by_test_id("round-row").filter(has_text="Círculo")
    expect(pivot).to_contain_text("start today")
    expect(pivot).to_contain_text("Falling behind")
    expect(pivot).to_contain_text(re.compile(r"one turn at \d+ %"))
    garlic = page.get_by_test_id("round-row").filter(has_text="Mesa")
    expect(garlic).to_contain_text("16 mm net still to give this season")
    pivot.hover()
    working = page.get_by_role("complementary", name="Working of Círculo")
    expect(working).to_contain_text("Root zone goes down by")
    expect(working).to_contain_text("Lead time of the system")
    working.get_by_label("Where Days to refill comes from").click()
    expect(working).to_contain_text("its width comes from weather")


def test_the_block_page_tells_wettings_demand_and_what_they_mean(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(f"{served(demo)}/block/norte-2")
    expect(page.get_by_role("region", name="What the weeks say")).to_contain_text("Leaking.")
    page.get_by_role("tab", name="Wettings").click()
    first = page.get_by_role("tabpanel").get_by_role("listitem").first
    expect(first).to_contain_text("Sat 11 Jul")
    expect(first).to_contain_text("went below the roots")
    page.get_by_role("tab", name="Demand").click()
    expect(page.get_by_role("tabpanel")).to_contain_text("Actual use ÷ calculated")
    expect(page.get_by_role("tabpanel")).to_contain_text("made-up weather service: 11 members")
    assert accessibility_faults(page) == []
    page.get_by_role("region", name="Ladder").get_by_role("button", name="as a table").click()
    table = page.get_by_role("dialog")
    expect(table.get_by_role("columnheader", name="root zone mm")).to_be_visible()
    with page.expect_download() as saved:
        table.get_by_role("button", name="Save as CSV").click()
    assert saved.value.suggested_filename == "norte-2-probe-water-over-time.csv"


def test_the_section_looks_ahead_and_the_ladder_comes_nearer(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(f"{served(demo)}/block/olivar")
    ahead = page.get_by_label("look ahead")
    expect(page.get_by_role("region", name="Section")).to_contain_text("dashed: Tue 21 Jul if left alone")
    ahead.fill("2")
    expect(page.get_by_role("region", name="Section")).to_contain_text("dashed: Thu 16 Jul if left alone")
    page.get_by_role("button", name="nearer").click()
    page.get_by_role("button", name="all of it").click()
    expect(page.get_by_role("button", name="all of it")).to_have_count(0)


def test_an_order_over_the_advice_stands_on_the_round(page: Page, demo: Settings, served: Serve) -> None:
    base = served(demo)
    page.goto(base)
    page.get_by_test_id("round-row").filter(has_text="Norte 1").hover()
    page.get_by_role("button", name="Postpone or override").click()
    page.get_by_label("Until the end of").fill("2026-07-15")
    page.get_by_label("Why").fill("the filter is being cleaned")
    page.get_by_role("button", name="Save override").click()
    row = page.get_by_test_id("round-row").filter(has_text="Norte 1")
    expect(row).to_contain_text("postponed")
    expect(row).to_contain_text("the filter is being cleaned")
    page.goto(f"{base}/block/norte-1")
    page.get_by_role("tab", name="Rules").click()
    page.get_by_role("tabpanel").get_by_role("button", name="Withdraw").click()
    expect(page.get_by_role("tabpanel")).to_contain_text("No other rule is entered")
    page.get_by_role("button", name="Change the rules").click()
    page.get_by_label("Fill to, share of available water, %").fill("80")
    page.get_by_label("Why").fill("vigour")
    page.get_by_role("button", name="Use from this day").click()
    expect(page.get_by_role("tabpanel")).to_contain_text("fill to 80 % of available water")
    page.get_by_role("tab", name="Working").click()
    expect(page.get_by_role("complementary", name="Working")).to_contain_text("Left unfilled, by the target")
