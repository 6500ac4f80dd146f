"""From nothing to an installed, settled station; the bench; a crossed pair; all on the real screen."""

import json
import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from embalse.config import Settings
from tests.e2e.conftest import accessibility_faults
from tests.e2e.test_pages import _recent_file

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]


def described(page: Page, base: str) -> None:
    """A farm with one block, made on screen."""
    page.goto(f"{base}/setup/new")
    for label, text in {
        "Name of the farm": "Las Eras",
        "Time zone": "UTC",
        "Area, ha": "4.5",
        "Crop": "almond",
        "Flow of one emitter, L/h": "2",
        "Between emitters, m": "0.5",
        "Between lines, m": "3",
        "Wetted area, %": "50",
        "Root depth, cm": "60",
        "Sensor depths, cm": "10 30 50",
    }.items():
        page.get_by_label(label).fill(text)
    page.get_by_label("Name", exact=True).fill("Hoya")
    page.get_by_role("button", name="Save block").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Hoya is set up.")


def step_through(page: Page) -> None:
    """Goes through every open step of a procedure as a person would."""
    card = page.get_by_role("form", name="This step")
    for _ in range(80):
        if page.get_by_role("region", name="Close").count():
            return
        title = card.get_by_role("heading").inner_text()
        before = card.inner_text()
        if card.get_by_role("button", name="Take the position here").count():
            card.get_by_label("or longitude").fill("-15.2")
            card.get_by_label("latitude").fill("38.4")
            card.get_by_role("button", name="Save position").click()
        elif card.get_by_role("button", name="Done", exact=True).count():
            card.get_by_role("button", name="Done", exact=True).click()
        else:
            depth = re.match(r"(\d+) cm", before)
            value = "24"
            if "Depth by ruler" in title and depth:
                value = depth.group(1)
            elif "Tag" in title or "tag" in title or "Channel" in title:
                value = f"d{depth.group(1)}" if depth else "tag 1"
            card.get_by_label(re.compile("^(Value|Written there)")).fill(value)
            card.get_by_role("button", name="Save").click()
        page.wait_for_function(
            "before => document.querySelector('form[aria-label=\"This step\"]')?.innerText !== before", arg=before
        )
    raise AssertionError("the procedure does not end")


def test_from_nothing_to_a_settled_station(page: Page, empty: Settings, served: Serve, tmp_path: Path) -> None:
    base = served(empty)
    described(page, base)
    page.get_by_label("Pages").get_by_role("link", name="Stations").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Stations: 1 planned")
    page.get_by_role("link", name=re.compile("Hoya, probe")).click()
    page.get_by_label("How it is installed").select_option("pit")
    page.get_by_role("button", name="Install it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Spot sensor in a pit wall")
    expect(page.get_by_text("Ask for buried services before you dig")).to_be_visible()
    assert accessibility_faults(page) == []
    step_through(page)
    expect(page.get_by_role("heading", name="All entered")).to_be_visible()
    weeks_ago = datetime.now(UTC) - timedelta(days=20)
    page.get_by_label("Finished, if not just now").fill(f"{weeks_ago:%Y-%m-%dT%H:%M}")
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_role("status")).to_contain_text("Closed. All values within their limits.")
    page.get_by_label("Pages").get_by_role("link", name="Import").click()
    page.get_by_label("Choose a file").set_input_files(_recent_file(tmp_path))
    expect(page.get_by_text(re.compile("column names|sensor's channel|Mapped"))).to_be_visible()
    page.get_by_role("button", name="Import the file").click()
    expect(page.get_by_role("status")).to_contain_text("723 new readings stored.")
    page.get_by_label("Pages").get_by_role("link", name="Stations").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Stations: 1 in use")
    page.get_by_label("Pages").get_by_role("link", name="Round").click()
    expect(page.get_by_test_id("round-row")).to_contain_text(re.compile(r"\d+ mm net"))


def test_an_installation_is_left_and_taken_up_on_a_phone(page: Page, empty: Settings, served: Serve) -> None:
    base = served(empty)
    described(page, base)
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{base}/stations/hoya/probe")
    page.get_by_role("button", name="Install it").click()
    for count in (1, 2):
        page.get_by_role("button", name="Done", exact=True).click()
        expect(page.get_by_text(re.compile(rf"^{count} of \d+ steps"))).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    button = page.get_by_role("button", name="Take the position here").bounding_box()
    assert button is not None and button["height"] >= 44
    page.goto(f"{base}/stations")
    expect(page.get_by_role("heading", level=1)).to_have_text("Stations: 1 being installed")
    page.get_by_role("link", name=re.compile("Hoya, probe")).click()
    page.get_by_role("link", name="Go on installing").click()
    expect(page.get_by_text(re.compile(r"^2 of \d+ steps"))).to_be_visible()
    card = page.get_by_role("form", name="This step")
    card.get_by_label("or longitude").fill("200")
    card.get_by_label("latitude").fill("38")
    card.get_by_role("button", name="Save position").click()
    expect(card.get_by_role("alert")).to_have_text("That is not on the globe.")
    assert accessibility_faults(page) == []


def test_a_crossed_pair_is_found_and_swapped(page: Page, farm: Settings, served: Serve) -> None:
    page.goto(f"{served(farm)}/stations/one/a")
    page.get_by_role("link", name="Channel check").click()
    wired = {10: "one-10", 30: "one-50", 50: "one-30"}
    for channel in wired.values():
        page.get_by_label(f"{channel} before").fill("20")
        for depth, moved in wired.items():
            page.get_by_label(f"{channel} with {depth} cm touched").fill("31" if moved == channel else "20.2")
    assert accessibility_faults(page) == []
    page.get_by_role("button", name="See which moved").click()
    expect(page.get_by_role("heading", name="30 cm and 50 cm: the wires are crossed")).to_be_visible()
    page.get_by_role("button", name="Swap channels and readings").click()
    expect(page.get_by_text("Channels swapped.")).to_be_visible()
    page.get_by_role("link", name="One, a").click()
    expect(page.get_by_role("region", name="Sensors").get_by_role("row").nth(2)).to_contain_text("one-50")
    log = page.get_by_role("region", name="History")
    expect(log).to_contain_text("channel check: swap made")
    log.get_by_role("button", name="delete").click()
    expect(log).not_to_contain_text("channel check")
    page.get_by_role("button", name="Undo").click()
    expect(log).to_contain_text("channel check: swap made")


def test_a_batch_is_judged_and_a_sensor_conditioned(page: Page, farm: Settings, served: Serve) -> None:
    page.goto(f"{served(farm)}/bench")
    expect(page.get_by_role("heading", level=1)).to_contain_text("The bench is empty")
    page.get_by_label("Type").select_option("granular matrix sensor")
    page.get_by_label("Name", exact=True).fill("gm")
    page.get_by_label("How many").fill("2")
    page.get_by_role("textbox", name="Batch").fill("spring")
    page.get_by_role("button", name="Add sensors").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Sensors: 2 in stock")
    page.get_by_role("tab", name="Batches").click()
    page.get_by_role("textbox", name="Batch").fill("spring")
    page.get_by_role("button", name="set up a line for each of its 2 sensors").click()
    entry = page.get_by_label(re.compile("One sensor a line"))
    entry.fill("gm-1: 820 821 / 380 381 382\ngm-2: 820 890 760 / 380 381 382")
    page.get_by_role("button", name="Test the batch").click()
    expect(page.get_by_role("alert")).to_contain_text("sensors[0].air: needs at least 3 repeats, has 2")
    entry.fill("gm-1: 820 821 822 / 380 381 382 / 381\ngm-2: 820 890 760 / 380 381 382")
    page.get_by_role("button", name="Test the batch").click()
    batch = page.get_by_role("region", name="Batch spring")
    expect(batch).to_contain_text("spring: kept")
    expect(batch).to_contain_text("✕ gm-2: scatters in air")
    assert accessibility_faults(page) == []
    page.get_by_role("tab", name="Conditioning and service").click()
    page.get_by_label("Procedure").select_option("condition-b")
    page.get_by_label("gm-1").check()
    page.get_by_role("button", name="Start").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("One short and one long soak")
    page.get_by_role("button", name="Start timer").click()
    expect(page.get_by_role("timer")).to_have_text(re.compile(r"29:\d\d|30:00"))
    page.reload()
    expect(page.get_by_role("timer")).to_have_text(re.compile(r"29:\d\d|30:00"))
    for _ in range(4):
        title = page.get_by_role("form", name="This step").get_by_role("heading").inner_text()
        page.get_by_role("button", name="Done", exact=True).click()
        expect(page.get_by_role("form", name="This step").get_by_role("heading")).not_to_have_text(title)
    page.get_by_label("Value, kPa").fill("0")
    page.get_by_role("button", name="Save").click()
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_role("status")).to_contain_text("All values within their limits.")
    page.get_by_role("link", name="gm-1").first.click()
    page.get_by_role("tab", name="Register").click()
    expect(page.get_by_role("row", name=re.compile("^gm-1"))).to_contain_text("ready")


def test_a_blocks_set_up_is_changed_tab_by_tab(page: Page, farm: Settings, served: Serve, tmp_path: Path) -> None:
    page.goto(f"{served(farm)}/setup/one")
    ring = [[-15.2, 38.4], [-15.196, 38.4], [-15.196, 38.403], [-15.2, 38.403], [-15.2, 38.4]]
    outline = tmp_path / "one.geojson"
    outline.write_text(json.dumps({"type": "Feature", "geometry": {"type": "Polygon", "coordinates": [ring]}}))
    page.get_by_label("GeoJSON file").set_input_files(outline)
    expect(page.get_by_role("tabpanel").get_by_role("status").first).to_contain_text("encloses 11.6 ha")
    expect(page.get_by_text("10.0 ha is entered")).to_be_visible()
    page.get_by_role("button", name="use it as the area").click()
    page.get_by_role("button", name="Save block").click()
    expect(page.get_by_text("Saved.")).to_be_visible()
    assert accessibility_faults(page) == []
    page.get_by_role("tab", name="Soil").click()
    page.get_by_label("Sand, %").fill("30")
    page.get_by_label("Clay, %").fill("90")
    expect(page.get_by_text(re.compile("add up to 120 %")).first).to_be_visible()
    page.get_by_label("Clay, %").fill("35")
    expect(page.get_by_role("cell", name="clay loam")).to_be_visible()
    page.get_by_role("button", name="Save soil").click()
    expect(page.get_by_text("Saved.")).to_be_visible()
    page.get_by_role("tab", name="System and supply").click()
    page.get_by_label("System", exact=True).select_option("pivot")
    expect(page.get_by_text(re.compile("Not enough yet"))).to_be_visible()
    for label, text in {"Length, m": "190", "Flow, m³/h": "60", "Hours a turn at 100 %": "12"}.items():
        page.get_by_label(label, exact=True).fill(text)
    expect(page.get_by_role("region", name="What follows")).to_contain_text("a turn at 100 %")
    page.get_by_role("button", name="Save system").click()
    expect(page.get_by_text("Saved.")).to_be_visible()
    assert accessibility_faults(page) == []
    page.get_by_role("tab", name="Crop").click()
    page.get_by_label("Kc, mid season, this block").fill("5")
    page.get_by_role("button", name="Save crop").click()
    expect(page.get_by_text("must lie between 0 and 2")).to_be_visible()
    page.get_by_label("Kc, mid season, this block").fill("1.05")
    page.get_by_role("button", name="Save crop").click()
    expect(page.get_by_role("row", name=re.compile("Kc, mid season"))).to_contain_text("changed from 1.15")
    page.get_by_role("tab", name="Uniformity").click()
    page.get_by_label(re.compile("^Catches")).fill("22 25 27 24 30 28 26 21 29 25 27 24 20 26 28 30")
    result = page.get_by_role("region", name="Evenness")
    expect(result).to_contain_text("84.5 %")
    expect(result).to_contain_text("90.7 %")
    page.get_by_role("button", name="Save and set the efficiency").click()
    expect(result).to_contain_text("now 84.5 %")


def test_spots_are_judged_and_become_a_station(page: Page, demo: Settings, served: Serve) -> None:
    base = served(demo)
    page.goto(f"{base}/stations/siting/norte-2")
    page.get_by_role("button", name="Spot without a place").click()
    spot = page.get_by_role("region", name=re.compile("^Spot"))
    expect(spot.get_by_role("heading")).to_have_text("spot 1: not looked at")
    spot.get_by_label("Distance to the nearest edge of the block").fill("20")
    spot.get_by_label("Distance from the emitter").click()
    expect(spot.get_by_role("heading")).to_have_text("spot 1: not here")
    expect(spot).to_contain_text("this refuses the spot")
    page.get_by_text("The rules and their limits").click()
    page.get_by_role("button", name="change").first.click()
    page.get_by_label("At least, m").fill("15")
    page.get_by_role("button", name="Save for this farm").click()
    expect(page.get_by_role("group").filter(has_text="The rules")).to_contain_text("at least 1 character")
    page.get_by_label("Reason").fill("the block is narrow")
    page.get_by_role("button", name="Save for this farm").click()
    expect(spot.get_by_role("heading")).to_have_text("spot 1: good")
    spot.get_by_label("chosen").check()
    spot.get_by_role("button", name="Plan a station here").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name=re.compile("^take")).click()
    dialog.get_by_role("button", name="Save station").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Norte 2, spot 1")
    expect(page.get_by_text("planned, not in the ground")).to_be_visible()
    page.goto(f"{base}/stations/siting/norte-2")
    expect(page.get_by_text("station “spot-1” stands here")).to_be_visible()
