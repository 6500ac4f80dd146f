"""A morning's plan approved in the browser, its night through the controller with one fault, and the Round after it."""

import re
import shutil
from collections.abc import Callable, Iterator
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from playwright.sync_api import Page, expect

from embalse.config import Settings
from embalse.standins.valve_process import KEY, ask_valves, start_valves
from embalse.store import controllers as store
from tests.e2e.conftest import accessibility_faults

pytestmark = pytest.mark.e2e
LOST = datetime(2026, 7, 15, 2, 10, tzinfo=ZoneInfo("Europe/Madrid"))


@pytest.fixture
def valves(demo: Settings, demo_data: Path) -> Iterator[tuple[str, str]]:
    shutil.copytree(demo_data / "demo", demo.data_dir / "demo")
    process = start_valves(demo.data_dir / "demo")
    assert process is not None
    row = next(r for r in store.controllers() if r.key == KEY)
    yield row.url, row.token
    process.terminate()
    process.wait()


def test_from_the_mornings_plan_to_the_next_round(
    page: Page, served: Callable[..., str], demo: Settings, valves: tuple[str, str]
) -> None:
    ask_valves(*valves, "PUT", "/standin/faults", {"faults": {"pressure_lost_at": LOST.timestamp()}})
    url = served(demo)
    page.goto(f"{url}/plan")
    page.get_by_text("No other plan stresses the crops less.").wait_for()
    moved = page.get_by_role("button", name=re.compile("^Norte 1.*proposed"))
    moved.focus()
    for _ in range(24):
        moved.press("ArrowLeft")
    expect(page.get_by_role("alert").first).to_contain_text("north well")
    expect(page.get_by_role("button", name="Approve tonight: 8 sets")).to_be_disabled()
    page.get_by_text("Undo the move").click()
    page.get_by_role("button", name="Approve tonight: 8 sets").click()
    expect(page.get_by_role("button", name=re.compile("^Norte 1.*approved"))).to_be_visible()
    expect(page.get_by_role("button", name="Approve tonight: 8 sets")).to_have_count(0)
    page.get_by_text("Arm …").click()
    page.get_by_label("I have read this and told the people on the farm.").check()
    page.get_by_role("button", name="Arm", exact=True).click()
    expect(page.get_by_text("north well is armed.")).to_be_visible()
    assert accessibility_faults(page) == []
    page.goto(f"{url}/tonight")
    expect(page.get_by_text("valve B-east, gate by the ditch, north well").first).to_be_visible()
    page.get_by_role("button", name="1 day").click()
    expect(page.get_by_text("Wed 15 Jul").first).to_be_visible(timeout=90_000)
    page.get_by_role("button", name="1 day").click()
    expect(page.get_by_text("Thu 16 Jul").first).to_be_visible(timeout=90_000)
    page.goto(f"{url}/?as_of=2026-07-15T14:30")
    expect(page.get_by_text(r"Norte 1").first).to_be_visible()
    last = page.get_by_label("Sets", exact=True)
    expect(last).to_contain_text("no pressure from 02:10")
    expect(last).to_contain_text("mm short")
    page.goto(f"{url}/tonight?as_of=2026-07-15T14:30")
    expect(page.get_by_text("cut short:").first).to_be_visible()
    assert accessibility_faults(page) == []
