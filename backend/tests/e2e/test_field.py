"""Readings that come in and are trusted: the round by hand without a signal, a fault overruled, a logger's token, the clock."""

import json
import re
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.setup.procedure_runs import run_content
from embalse.services.spatial.nodes import nodes_content
from embalse.services.spatial.refurbishing import RefurbishIn, refurbish
from embalse.store import records as record_store
from embalse.store.models import ImportJob, Reading
from tests.e2e.conftest import accessibility_faults

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]


def press(page: Page, text: str) -> None:
    pad = page.get_by_role("group", name="Number pad")
    for key in text:
        pad.get_by_role("button", name=key, exact=True).click()


def test_a_round_by_hand_without_a_signal_is_sent_once_when_there_is_one(
    browser_here: Browser, demo: Settings, served: Serve
) -> None:
    context = browser_here.new_context(viewport={"width": 390, "height": 844})
    page = context.new_page()
    base = served(demo)
    page.goto(f"{base}/handheld")
    expect(page.get_by_text("This page opens without a signal too.")).to_be_visible()
    context.set_offline(True)
    page.reload()
    expect(page.get_by_role("heading", level=1)).to_have_text("3 stations to read by hand, one overdue.")
    press(page, "96")
    page.get_by_role("button", name="Save readings").click()
    expect(page.get_by_role("alert")).to_contain_text("96 kPa is outside 0 to 85.")
    for _ in "96":
        page.get_by_role("button", name="Delete the last figure").click()
    press(page, "58")
    page.get_by_label("Value at 50 cm in kPa").click()
    press(page, "41.5")
    page.get_by_role("button", name="Save readings").click()
    expect(page.get_by_text("One station waits on this phone for a signal.")).to_be_visible()
    assert accessibility_faults(page) == []
    page.reload()
    expect(page.get_by_text("One station waits on this phone for a signal.")).to_be_visible()
    context.set_offline(False)
    expect(page.get_by_text("One station waits")).to_have_count(0)
    expect(page.get_by_role("heading", level=1)).to_have_text("3 stations to read by hand.")
    page.reload()
    expect(page.get_by_text("last 41.5, 14 Jul")).to_be_visible()
    job = ImportJob.get(ImportJob.file_name == "read by hand 2026-07-14")
    # four of Vega and two of Mesa that morning and these two; a page left while it sent may have sent before: that changes nothing
    assert job.readings_new == 8
    assert Reading.select().where(Reading.job == job.id).count() == 8
    assert all(not line.by_hand for line in round_content().to_see)
    context.close()


def test_how_often_a_station_is_read_is_set_on_its_page(page: Page, demo: Settings, served: Serve) -> None:
    base = served(demo)
    page.goto(f"{base}/stations/ladera/a")
    page.get_by_text("Read by hand", exact=True).click()
    page.get_by_label("Days between rounds, empty for none").fill("3")
    page.get_by_role("button", name="Save", exact=True).click()
    page.get_by_role("link", name="go to the round by hand").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("4 stations to read by hand, one overdue.")


def test_a_fault_is_overruled_with_a_note_and_its_readings_count_again(
    page: Page, demo: Settings, served: Serve
) -> None:
    page.goto(served(demo))
    listed = page.get_by_role("region", name="Visit")
    listed.get_by_role("link", name="Norte 1, probe B").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Sensor at 50 cm")
    stuck = page.get_by_role("listitem").filter(has_text="the same value")
    stuck.get_by_role("button", name="use the readings").click()
    stuck.get_by_label("Why the readings are right").fill("checked with a second probe")
    stuck.get_by_role("button", name="Use the readings").click()
    expect(stuck).to_contain_text("checked with a second probe")
    page.get_by_role("link", name="Round").click()
    expect(page.get_by_role("region", name="Visit")).not_to_contain_text("Norte 1, probe B")


def test_a_loggers_token_is_shown_once_and_revoked(page: Page, demo: Settings, served: Serve) -> None:
    page.goto(f"{served(demo)}/stations")
    loggers = page.get_by_role("region", name="Loggers that send")
    loggers.get_by_label("Name of a new logger").fill("Gate One")
    loggers.get_by_role("button", name="Make its token").click()
    expect(loggers.locator("[aria-invalid=true]")).to_have_count(1)
    loggers.get_by_label("Name of a new logger").fill("gate-1")
    loggers.get_by_role("button", name="Make its token").click()
    expect(loggers.get_by_role("status")).to_contain_text("shown this once")
    page.reload()
    expect(loggers.get_by_role("status")).to_have_count(0)
    row = loggers.get_by_role("listitem").filter(has_text="gate-1")
    expect(row).to_contain_text("not heard yet")
    row.get_by_role("button", name="revoke").click()
    expect(row).to_contain_text("revoked")


def test_the_demonstration_goes_on_by_an_hour(page: Page, demo: Settings, demo_data: Path, served: Serve) -> None:
    shutil.copytree(demo_data / "demo", demo.data_dir / "demo")
    page.goto(served(demo))
    page.get_by_role("button", name="1 h", exact=True).click()
    expect(page.get_by_text("Tue 14 Jul, 07:00")).to_be_visible(timeout=60_000)
    assert page.get_by_role("alert").count() == 0
    latest = [b.last_reading_at for b in round_content().blocks]
    assert latest.count("2026-07-14T07:00+02:00") >= 3


def test_a_day_without_a_signal(browser_here: Browser, demo: Settings, served: Serve) -> None:
    """Round, tonight, installation steps and growth open without a network; what is entered goes once there is one."""
    context = browser_here.new_context(viewport={"width": 390, "height": 844})
    page = context.new_page()
    refurbish("loma", RefurbishIn(nodes=["n01"]))
    run = next(n.end_run for n in nodes_content("loma").nodes if n.end_run)
    base = served(demo)
    page.goto(base)
    page.locator("html[data-kept=yes]").wait_for(state="attached", timeout=60_000)
    page.goto(f"{base}/run/{run}")
    expect(page.get_by_text("0 of ")).to_be_visible()
    context.set_offline(True)
    page.goto(base)
    expect(page.get_by_role("heading", level=1)).to_contain_text("need water today")
    expect(page.get_by_text("No signal.")).to_be_visible()
    assert accessibility_faults(page) == []
    page.goto(f"{base}/tonight")
    expect(page.get_by_text("did not run").first).to_be_visible()
    page.goto(f"{base}/visits")
    expect(page.get_by_role("heading", level=1)).to_have_text("Visits")
    expect(page.get_by_text("are the two wires crossed?")).to_be_visible()
    page.goto(f"{base}/stations/norte-1/a")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Norte 1")
    page.goto(f"{base}/run/{run}")
    before = run_content(run)
    left = [s for s in before.steps if s.outcome == "open"]
    assert left and left[0].step.entry == "tick", "the next step is a mere tick"
    page.get_by_role("button", name="Done", exact=True).click()
    expect(page.get_by_text("One entry waits on this device for a signal.")).to_be_visible()
    page.reload()
    expect(page.get_by_text(f"{len(before.steps) - len(left) + 1} of {len(before.steps)} steps")).to_be_visible()
    page.goto(f"{base}/block/vega/growth/enter")
    for key in "1234":
        page.get_by_role("button", name=key, exact=True).click()
    page.get_by_role("button", name=re.compile("^Save 1 of")).click()
    expect(page.get_by_text("2 entries wait on this device for a signal.")).to_be_visible()
    assert len([s for s in run_content(run).steps if s.outcome == "open"]) == len(left), "nothing is sent yet"
    context.set_offline(False)
    expect(page.get_by_text("wait on this device")).to_have_count(0)
    expect(page.get_by_text("No signal.")).to_have_count(0)
    assert len([s for s in run_content(run).steps if s.outcome == "open"]) == len(left) - 1
    found = [json.loads(r.body) for r in record_store.records("growth_days", "vega")]
    assert any(d["at"].startswith("2026-07-14") and 1234.0 in d["lengths_mm"].values() for d in found)
    context.close()
