"""Practice in the browser: an inherited sensor, four in one hole by phone, and trees that move a set."""

import re
from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from embalse.config import Settings
from tests.conftest import put
from tests.e2e.conftest import accessibility_faults
from tests.services.setup.test_practice import deficit_season, fill

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]
PHONE = {"width": 390, "height": 844}


STEPS = re.compile(r"^\d+ of \d+ steps")


def walk(page: Page, answers: dict[str, str]) -> list[str]:
    """Do every step there is, skip what is optional; returns what the packing steps said."""
    said: list[str] = []
    for _ in range(90):
        expect(
            page.get_by_role("heading", name="All entered").or_(page.get_by_role("form", name="This step"))
        ).to_be_visible()
        if page.get_by_role("heading", name="All entered").count():
            return said
        card = page.get_by_role("form", name="This step")
        title = card.get_by_role("heading").inner_text()
        if card.get_by_role("button", name="Skip").count():
            card.get_by_role("button", name="Skip").click()
            continue
        done = page.get_by_text(STEPS).inner_text()
        if "packed with the rod" in title:
            said.append(card.get_by_text(re.compile("^pack up")).inner_text())
        enter(page, answers, title)
        expect(page.get_by_text(STEPS)).not_to_have_text(done)
    raise AssertionError("the run has no end")


def enter(page: Page, answers: dict[str, str], title: str) -> None:
    """A value, a choice, a position or a tick."""
    card = page.get_by_role("form", name="This step")
    value = card.get_by_label(re.compile("^(Value|Written there)"))
    if card.get_by_label("or longitude").count():
        card.get_by_label("or longitude").fill("-15.2")
        card.get_by_label("latitude").fill("38.4")
        card.get_by_role("button", name="Save position").click()
    elif card.get_by_role("radio").count():
        card.get_by_role("radio").first.check()
        card.get_by_role("button", name="Save").click()
    elif value.count():
        depth = card.locator("p").first.inner_text().split(" ")[0]
        value.fill(next(v for k, v in answers.items() if k in title).replace("DEPTH", depth))
        card.get_by_role("button", name="Save").click()
    else:
        card.get_by_role("button", name="Done").click()


def test_an_inherited_sensor_leads_to_a_refusal_with_its_reasons(page: Page, farm: Settings, served: Serve) -> None:
    fill({"10": 0.2, "30": 0.2, "50": 0.2})
    findings = [
        {"key": f"f{d}", "valid_from": "2026-07-01", "sensor": f"one/a/{d}", "depth_cm": None} for d in (10, 30, 50)
    ]
    put({"embalse": 1, "sensor_findings": findings})
    page.set_viewport_size(PHONE)  # type: ignore[arg-type]
    base = served(farm)
    page.goto(f"{base}/stations/one/a")
    expect(page.get_by_text("watched only, its depth is not known")).to_be_visible()
    page.get_by_role("button", name="Find out about it").click()
    answers = {"What stands on it": "red tape", "What it reads now": "0.2", "half an hour after": "0.4"}
    walk(page, answers)
    expect(page.get_by_role("heading", name="All entered")).to_be_visible()
    expect(page.get_by_text(re.compile("nobody knows how deep it sits")).first).to_be_visible()
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_text(re.compile("Closed"))).to_be_visible()
    assert accessibility_faults(page) == []
    page.goto(base)
    row = page.get_by_test_id("round-row")
    expect(row).to_contain_text("nobody knows how deep 10 and 30 and 50 sits")
    expect(row).to_contain_text("dig beside it")


def test_four_sensors_go_into_one_hole_by_phone(
    page: Page, farm: Settings, plain: dict[str, Any], served: Serve
) -> None:
    sensors = [{"depth_cm": d, "type": "granular matrix sensor", "raw_unit": "kPa"} for d in (15, 30, 60, 90)]
    put(
        {
            "embalse": 1,
            "blocks": [{**plain["blocks"][0], "stations": [{"key": "h", "name": "one hole", "sensors": sensors}]}],
        }
    )
    page.set_viewport_size(PHONE)  # type: ignore[arg-type]
    page.goto(f"{served(farm)}/stations/one/h")
    page.get_by_label("How it is installed").select_option("one-hole")
    page.get_by_role("button", name="Install it").click()
    answers = {
        "Width of the auger": "5", "before it goes in": "4", "Depth by ruler": "DEPTH", "before it is covered": "5",
        "Tag at the sensor's end": "tag DEPTH", "same tag": "tag DEPTH", "Channel": "ch-DEPTH",
        "when the hole is closed": "6",
    }  # fmt: skip
    seen_marks = walk(page, answers)
    assert seen_marks == [
        "pack up to the mark at 60 cm: the next sensor sits there.", "pack up to the mark at 30 cm: the next sensor sits there.",
        "pack up to the mark at 15 cm: the next sensor sits there.", "pack up to the surface.",
    ]  # fmt: skip
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_text(re.compile(r"Closed\. All values within"))).to_be_visible()
    page.goto(page.url.split("/run/")[0] + "/stations/one/h")
    expect(page.get_by_role("img", name=re.compile("The hole: 15 cm 1, 1 knot; 30 cm 2"))).to_be_visible()


def test_a_plan_for_trees_moves_a_set(page: Page, farm: Settings, plain: dict[str, Any], served: Serve) -> None:
    deficit_season(plain, stressed=2.0, share=0.5, plan=None)
    base = served(farm)
    page.goto(base)
    row = page.get_by_test_id("round-row")
    expect(page.get_by_role("region", name="Act today")).to_have_count(0)
    page.goto(f"{base}/block/one")
    page.get_by_role("tab", name="Rules").click()
    page.get_by_role("button", name="Change the rules").click()
    page.get_by_label("Trunks may shrink, times full trees").fill("1.3")
    page.get_by_label("Why", exact=True).fill("deficit until hull split")
    page.get_by_role("button", name="Use from this day").click()
    expect(page.get_by_text(re.compile("Brought forward for the trees")).first).to_be_visible()
    page.goto(base)
    expect(page.get_by_role("region", name="Act today")).to_be_visible()
    expect(row).to_contain_text("Brought forward for the trees: trunks shrink 2.0")
    page.goto(f"{base}/block/one/growth")
    trees = page.get_by_role("region", name="Trees against the plan")
    expect(trees).to_contain_text("The plan allows 1.30")
    assert accessibility_faults(page) == []
