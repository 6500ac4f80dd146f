import json
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from embalse.config import Settings
from tests.e2e.conftest import accessibility_faults

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]


def test_the_round_says_what_to_do_today(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(served(demo))
    expect(page.get_by_role("heading", level=1)).to_have_text(re.compile(r"^4 blocks need water today, Vega first\."))
    rows = page.get_by_test_id("round-row")
    expect(rows).to_have_count(10)
    expect(rows.nth(0)).to_contain_text("Vega")
    expect(rows.nth(0)).to_contain_text("57 mm net, 17 sets of 4 h 15 min, 72 h 15 min in all")
    expect(rows.nth(4)).to_contain_text("Ladera")
    expect(rows.nth(4)).to_contain_text("until 16:05, then read again")
    expect(rows.nth(4)).to_contain_text("35 mm net in 8 pulses of 55 min")
    expect(rows.nth(9)).to_contain_text("not calibrated: no amounts (raw count shows wetter or drier only)")
    expect(rows.nth(9).get_by_role("img")).to_have_count(0)
    rows.filter(has_text="Norte 1").hover()
    working = page.get_by_role("complementary", name="Working of Norte 1")
    expect(working).to_contain_text("Set time")
    working.get_by_label("Where Full point, 0 to 90 cm comes from").click()
    expect(working).to_contain_text("Saxton & Rawls 2006, sandy loam")
    assert accessibility_faults(page) == []


def test_keys_move_and_open(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(served(demo))
    expect(page.get_by_test_id("round-row")).to_have_count(10)
    page.keyboard.press("j")
    page.keyboard.press("j")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_have_text("Bajo")
    page.keyboard.press("j")
    expect(page.get_by_role("heading", level=1)).to_have_text("Vega")
    page.keyboard.press("?")
    expect(page.get_by_label("Keys and signs")).to_contain_text("next, previous block")
    page.keyboard.press("Escape")
    page.keyboard.press("g")
    page.keyboard.press("r")
    expect(page.get_by_test_id("round-row")).to_have_count(10)


def test_a_block_shows_its_profile_and_answers_what_if(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(f"{served(demo)}/block/norte-1")
    expect(page.get_by_role("img", name=re.compile("Water by layer"))).to_contain_text("root front 90 cm")
    expect(page.get_by_role("img", name=re.compile("Water over time"))).to_contain_text("watch only")
    assert accessibility_faults(page) == []
    working = page.get_by_role("complementary", name="Working")
    before = working.locator("li", has_text="Gross over the block").inner_text()
    working.get_by_role("button", name="Change Efficiency").click()
    page.get_by_label("What if Efficiency were").fill("0.75")
    page.keyboard.press("Enter")
    expect(working.get_by_role("heading")).to_have_text("Working · what if")
    gross = working.locator("li", has_text="Gross over the block")
    expect(gross.locator("s")).to_have_text(re.search(r"\d+ mm", before).group())  # type: ignore[union-attr]
    net = float(re.search(r"(\d+) mm", working.locator("li", has_text="Net over the block").inner_text()).group(1))  # type: ignore[union-attr]
    then = float(re.findall(r"(\d+) mm", gross.inner_text())[-1])
    assert then == pytest.approx(net / 0.75, abs=1)
    working.get_by_role("button", name="Change Efficiency").click()
    page.get_by_label("What if Efficiency were").fill("7")
    page.keyboard.press("Enter")
    expect(working).to_contain_text("must be above 0 and at most 1")
    working.get_by_role("button", name="as now").click()
    expect(working.get_by_role("heading")).to_have_text("Working")


def test_a_set_is_logged_on_screen(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(f"{served(demo)}/block/ladera")
    page.get_by_role("button", name="Log a set").click()
    expect(page.get_by_role("heading", name="Log a set")).to_be_visible()
    page.get_by_label("Started, farm time").fill("2026-07-14T01:00")
    page.get_by_label("Ran for, hours").fill("0")
    page.get_by_label("Gross depth, mm").fill("12")
    page.get_by_role("button", name="Save set").click()
    expect(page.get_by_role("dialog")).to_contain_text("greater than 0")
    page.get_by_label("Ran for, hours").fill("2")
    page.get_by_role("button", name="Save set").click()
    expect(page.get_by_role("heading", name="Log a set")).to_have_count(0)


def test_the_ribbon_shows_a_past_morning(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(served(demo))
    ribbon = page.get_by_label("See the farm as of a past day")
    ribbon.focus()
    for _ in range(3):
        page.keyboard.press("ArrowLeft")
    expect(page.get_by_text("Sat 11 Jul, 06:00")).to_be_visible()
    expect(page.get_by_text("as known then")).to_be_visible()
    page.get_by_role("link", name="Block").click()
    expect(page.get_by_text("Sat 11 Jul, 06:00")).to_be_visible()
    page.get_by_role("button", name="Back to now").click()
    expect(page.get_by_text("Tue 14 Jul, 06:00")).to_be_visible()


def test_the_round_reads_well_on_a_phone(page: Page, demo: Settings, served: Serve) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(served(demo))
    expect(page.get_by_test_id("round-row")).to_have_count(10)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert accessibility_faults(page) == []
    page.get_by_role("link", name="Ladera", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Ladera")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


def test_from_an_empty_farm_to_advice(page: Page, empty: Settings, served: Serve, tmp_path: Path) -> None:
    """The whole way a new user goes: describe a block on screen, bring a file, read the Round."""
    base = served(empty)
    page.goto(base)
    expect(page.get_by_role("heading", level=1)).to_contain_text("Start by describing one")
    page.get_by_role("link", name="Set up a block").click()
    page.get_by_label("Name of the farm").fill("Las Eras")
    page.get_by_label("Time zone").fill("UTC")
    for label, text in {
        "Area, ha": "4.5",
        "Crop": "almond",
        "Flow of one emitter, L/h": "2",
        "Between emitters, m": "0.5",
        "Between lines, m": "3",
        "Root depth, cm": "60",
        "Sensor depths, cm": "10 30 50",
    }.items():
        page.get_by_label(label).fill(text)
    page.get_by_label("Name", exact=True).fill("Hoya Baja")
    expect(page.get_by_text("FAO-56 Table 22: 40 %")).to_be_visible()
    page.get_by_role("button", name="Save block").click()
    expect(page.get_by_role("alert")).to_contain_text("Nothing was saved")
    expect(page.get_by_text("drip wets a part of the ground: give its share")).to_be_visible()
    page.get_by_label("Wetted area, %").fill("50")
    assert accessibility_faults(page) == []
    page.get_by_role("button", name="Save block").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Hoya Baja is set up.")
    page.get_by_role("link", name="Import a logger file").click()
    page.get_by_label("Choose a file").set_input_files(_recent_file(tmp_path))
    expect(page.get_by_role("heading", name="What each column is")).to_be_visible()
    for depth in (10, 30, 50):
        choice = page.get_by_label(f"Sensor of d{depth}")
        choice.click()
        choice.fill(f"{depth} cm")
        page.get_by_role("option", name=f"Hoya Baja, probe, {depth} cm", exact=True).click()
    assert accessibility_faults(page) == []
    page.get_by_role("button", name="Import the file").click()
    expect(page.get_by_role("status")).to_contain_text("723 new readings stored.")
    expect(page.get_by_role("table", name="What changed")).to_contain_text("no advice → act today")
    page.get_by_role("link", name="See the Round").click()
    row = page.get_by_test_id("round-row")
    expect(row).to_contain_text("Hoya Baja")
    expect(row).to_contain_text(re.compile(r"\d+ mm net, \d+ h \d\d min"))


def _recent_file(tmp_path: Path, spoil: bool = False) -> Path:
    from datetime import UTC, datetime, timedelta

    now = datetime.now(UTC).replace(minute=0, second=0, microsecond=0)
    lines = ["time;d10;d30;d50"]
    for hour in range(241):
        moment = now - timedelta(hours=240 - hour)
        value = f"{27 - 0.03 * hour:.2f}".replace(".", ",")
        lines.append(f"{moment:%d/%m/%Y %H:%M};{value};{value};{value}")
    if spoil:
        lines[10] = lines[10].replace(",", "?", 1)
    path = tmp_path / "hoya.csv"
    path.write_text("\n".join(lines) + "\n")
    return path


def test_a_file_with_a_bad_cell_is_reported_and_nothing_is_lost(
    page: Page, farm: Settings, served: Serve, logger_file: Callable[..., Path]
) -> None:
    path = logger_file()
    path.write_text(path.read_text().replace("0.26", "damp", 1))
    page.goto(f"{served(farm)}/import")
    page.get_by_label("Choose a file").set_input_files(path)
    page.get_by_role("button", name="Import the file").click()
    expect(page.get_by_role("status")).to_contain_text("1 row or cell was refused, so nothing was stored.")
    expect(page.get_by_role("status")).to_contain_text(re.compile(r"line \d+ · one-10: not a number"))
    page.get_by_role("button", name="Import the rest without the refused").click()
    expect(page.get_by_role("status")).to_contain_text("722 new readings stored.")
    page.get_by_label("Pages").get_by_role("link", name="Import").click()


def test_a_letter_is_no_logger_file(page: Page, farm: Settings, served: Serve, tmp_path: Path) -> None:
    path = tmp_path / "letter.csv"
    path.write_text("Dear neighbour,\nit rained.\n")
    page.goto(f"{served(farm)}/import")
    page.get_by_label("Choose a file").set_input_files(path)
    expect(page.get_by_role("alert")).to_contain_text("no line has a date and time")


def test_inches_for_who_thinks_in_inches(page: Page, demo: Settings, served: Serve) -> None:
    from tests.conftest import put

    put({"embalse": 1, "farm": {"name": "Los Tarayes", "time_zone": "Europe/Madrid", "units": "us"}})
    base = served(demo)
    page.goto(base)
    expect(page.get_by_test_id("round-row").nth(4)).to_contain_text("1.38 in net")
    page.goto(f"{base}/block/norte-1")
    expect(page.get_by_role("img", name=re.compile("Water by layer"))).to_contain_text("root front 35 in")
    body = page.inner_text("main")
    assert not re.search(r"\d mm\b", body), json.dumps(re.findall(r".{30}\d mm\b", body))


def test_a_block_without_advice_says_what_to_do(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(f"{served(demo)}/block/tunel")
    expect(page.get_by_role("heading", level=1)).to_have_text("Túnel")
    expect(page.get_by_text("not calibrated: no amounts (raw count shows wetter or drier only)").first).to_be_visible()
    expect(page.get_by_text("No root-zone storage to draw.")).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("Water by layer"))).to_contain_text("no reading")
    assert accessibility_faults(page) == []


def test_the_other_station_and_a_longer_span(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(f"{served(demo)}/block/norte-1")
    page.get_by_role("tab", name="probe B").click()
    expect(page.get_by_role("tab", name="probe B")).to_have_attribute("aria-selected", "true")
    ladder = page.get_by_role("img", name=re.compile("Water over time"))
    before = ladder.locator("path").nth(1).get_attribute("d")
    page.get_by_role("button", name="150 days").click()
    expect(page.get_by_role("button", name="150 days")).to_have_attribute("aria-pressed", "true")
    expect(ladder.locator("path").nth(1)).not_to_have_attribute("d", before or "")
    ladder.hover(position={"x": 200, "y": 150})
    expect(ladder).to_contain_text(re.compile(r"then \d+ mm"))


def test_what_to_check_is_said_before_the_set(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(served(demo))
    row = page.get_by_test_id("round-row").nth(0)
    expect(row).to_contain_text("Check: furrow 60, 90 cm: at the dry end of its range")
    waits = page.get_by_test_id("round-row").filter(has_text="Ladera")
    waits.hover()
    working = page.get_by_role("complementary", name="Working of Ladera")
    expect(working).to_contain_text("the last set is still soaking in: read again in 10 h 05 min")
    expect(working).to_contain_text("station east: wet on top, dry from 22 cm down")


def test_an_import_read_twice_says_so(page: Page, demo: Settings, demo_data: Path, served: Serve) -> None:
    page.goto(f"{served(demo)}/import")
    expect(page.get_by_role("table")).to_contain_text("olivar.csv")
    expect(page.get_by_role("table")).not_to_contain_text("read by hand")
    page.get_by_label("Choose a file").set_input_files(demo_data / "demo" / "ladera.tsv")
    expect(page.get_by_text("Mapped by the saved mapping 'Ladera logger'.")).to_be_visible()
    expect(page.get_by_label("Times are in")).to_have_value("UTC+01:00")
    page.get_by_role("button", name="Import the file").click()
    expect(page.get_by_role("status")).to_contain_text("0 new readings stored.")
    expect(page.get_by_role("status")).to_contain_text("16,230 readings already there")
    page.reload()
    row = page.get_by_role("row").filter(has_text="norte-2.csv")
    row.get_by_role("button", name="undo").click()
    row.get_by_role("button", name="take 25,968 readings out").click()
    expect(row).to_contain_text("undone: 25968 readings taken out")
    page.get_by_role("link", name="Round").click()
    expect(page.get_by_test_id("round-row").filter(has_text="Norte 2")).to_contain_text("no readings yet")


def test_an_unknown_page_and_block_say_so(page: Page, browser_here: Browser, demo: Settings, served: Serve) -> None:
    base = served(demo)
    page.goto(f"{base}/nowhere")
    expect(page.get_by_role("main")).to_contain_text("There is no such page")
    context = browser_here.new_context()
    other = context.new_page()
    other.goto(f"{base}/block/atlantis")
    expect(other.get_by_role("main")).to_contain_text("there is no block 'atlantis'")
    context.close()
