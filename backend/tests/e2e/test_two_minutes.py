"""A morning of 40 blocks is read in two minutes: what must be done stands first, whole, and in few words."""

import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from embalse.config import Settings
from embalse.ingest.layout import inspect_file
from embalse.services.intake.import_plan import plan_by_names
from embalse.services.intake.imports import run_import
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from tests.conftest import CLOCK, put

pytestmark = pytest.mark.e2e
Serve = Callable[[Settings], str]
BLOCKS, DEPTHS, DAYS = 40, (10, 30, 50), 12
FULL, USE_D = 0.27, 0.007  # m³/m³, and a day in the upper soil
WORDS_A_MINUTE = 200
"""Slower than the 238 words a minute of adults who read a text to themselves (Brysbaert 2019, from memory)."""
DRY, STUCK = (4, 17, 31), 22


def _dryness_days(number: int) -> float:
    """For how many days a block has dried since it was full: three are past their refill, a few will be, most not."""
    return 9.0 if number in DRY else 4.0 + 0.5 * (number % 4) if number % 4 == 0 else 0.4 + 0.2 * (number % 5)


def _write(path: Path) -> None:
    columns = [(n, d) for n in range(BLOCKS) for d in DEPTHS]
    first = datetime.fromtimestamp(CLOCK, UTC) - timedelta(days=DAYS)
    lines = [",".join(["time", *(f"b{n}-{d}" for n, d in columns)])]
    for hour in range(DAYS * 24 + 1):
        at = first + timedelta(hours=hour)
        cells = []
        for n, d in columns:
            dried = (hour / 24 - (DAYS - _dryness_days(n))) % (_dryness_days(n) + 0.5)
            theta = FULL - USE_D * dried * (1.2 - 0.01 * d) + 0.0004 * ((hour * 7 + n + d) % 5)
            cells.append("0.2" if n == STUCK and d == 30 and hour > DAYS * 24 - 96 else f"{theta:.4f}")
        lines.append(",".join([f"{at:%Y-%m-%d %H:%M}", *cells]))
    path.write_text("\n".join(lines) + "\n")


def _block(number: int) -> dict[str, Any]:
    sensors = [{"depth_cm": d, "channel": f"b{number}-{d}", "raw_unit": "m3/m3"} for d in DEPTHS]
    return {
        "key": f"b{number}", "name": f"Block {number}", "area_ha": 6, "crop": "tomato", "soil": "loam",
        "system": "drip", "root_depth_cm": 60, "allowable_depletion_fraction": 0.4, "wetted_fraction": 0.5,
        "stations": [{"key": "a", "sensors": sensors}],
    }  # fmt: skip


@pytest.fixture
def forty(empty: Settings, plain: dict[str, Any], tmp_path: Path) -> Settings:
    put({**plain, "blocks": [_block(n) for n in range(BLOCKS)]})
    with transaction():
        farm_store.hold_clock(CLOCK)
    path = tmp_path / "forty.csv"
    _write(path)
    plan = plan_by_names(inspect_file(path, "wide"), farm_store.sensors(), "UTC")
    assert plan is not None
    assert run_import(path, path.name, plan).status == "done"
    return empty


def test_what_must_be_done_is_on_the_first_screen_and_read_in_two_minutes(
    page: Page, forty: Settings, served: Serve
) -> None:
    page.goto(served(forty))
    expect(page.get_by_role("heading", level=1)).to_contain_text("3 blocks need water today")
    act = page.get_by_role("region", name="Act today")
    rows = act.get_by_test_id("round-row")
    expect(rows).to_have_count(3)
    names = {rows.nth(n).get_by_role("link").first.inner_text() for n in range(3)}
    assert names == {f"Block {n}" for n in DRY}
    visit = page.get_by_role("region", name="Visit")
    expect(visit).to_contain_text(f"Block {STUCK}")
    for part in (act, visit):
        box = part.bounding_box()
        assert box is not None
        assert box["y"] + box["height"] < 800  # nothing that is to be done lies below the first screen
    read = [page.get_by_role("heading", level=1), act, visit]  # every word of what is to be done
    coming = page.get_by_role("region", name="Coming").get_by_test_id("round-row")
    assert coming.count() >= 10
    ahead = coming.locator("a, p.font-bold")  # and of what comes, its name, when and how much
    assert ahead.count() >= 3 * coming.count()
    words = sum(len(text.split()) for text in [*(part.inner_text() for part in read), *ahead.all_inner_texts()])
    assert words <= 2 * WORDS_A_MINUTE
    cut = page.evaluate(
        "[...document.querySelectorAll('[data-testid=round-row] p')].filter(p => p.scrollWidth > p.clientWidth + 1).length"
    )
    assert cut == 0  # no reason ends in dots
    page.keyboard.press("Enter")  # the first of them is chosen, and opens
    page.wait_for_url(re.compile(r"/block/b(4|17|31)$"))
