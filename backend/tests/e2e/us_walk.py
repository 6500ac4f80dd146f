"""Every page and tab of the demonstration, and the metric words a reader of US units would meet there."""

import re
from collections.abc import Iterator

from playwright.sync_api import Page

METRIC = re.compile(
    r"(?<![\w/·])(mm|cm|km|ha|kPa|kΩ|°C|m³|mm/h|mm/day|L/h|L/s|L|m/s|g/cm³|kg|metres?|hectares?|millimetres?|centimetres?)"
    r"(?![\w³])|m³/m³|(?<=\d) m(?![\w³])|m3/m3|cm³"
)
PAGES: dict[str, tuple[str, ...]] = {
    "": (),
    "block/norte-1": ("Working", "Wettings", "Demand", "Rules"),
    "block/norte-2": ("Wettings",),
    "block/circulo": ("Working", "Wettings", "Demand", "Rules"),
    "block/ladera": ("Working", "Wettings"),
    "block/mesa": ("Working", "Wettings", "Demand", "Rules"),
    "block/olivar": ("Rules",),
    "block/vega": ("Working", "Wettings", "Demand"),
    "block/tunel": ("Working",),
    "block/bajo": ("Working", "Rules"),
    "block/norte-1/marks": (),
    "block/norte-2/audit": (),
    "block/norte-2/season": (),
    "block/loma/map": (),
    "map": (),
    "messages": (),
    "data": (),
    "block/mesa/closing": (),
    "closing": (),
    "seasons": (),
    "water-used": (),
    "block/ladera/audit": (),
    "audit": (),
    "compare": (),
    "block/vega/tension": (),
    "stations/olivar/v": (),
    "run/find-olivar-v": (),
    "block/olivar/marks": (),
    "block/vega/marks": (),
    "block/bajo/marks": (),
    "block/bajo/tension": (),
    "block/ladera/tension": (),
    "block/vega/growth": (),
    "block/olivar/growth": (),
    "block/vega/growth/enter": (),
    "import": (),
    "setup": (),
    "setup/new": (),
    "setup/ladera": ("Land", "Soil", "System and supply", "Crop", "Uniformity"),
    "setup/circulo": ("System and supply",),
    "setup/vega": ("System and supply",),
    "setup/norte-1": ("System and supply", "Land"),
    "stations": (),
    "stations/plan/norte-1": (),
    "stations/siting/norte-1": (),
    "stations/ladera/a": (),
    "stations/mesa/a": (),
    "stations/ladera/a/tags": (),
    "stations/ladera/a/check": (),
    "stations/norte-1/b/sensor/50": (),
    "handheld": (),
    "bench": (
        "Register",
        "Batches",
        "Single sensors",
        "Calibration",
        "Conditioning and service",
        "Tubes",
        "Season's end",
    ),
    "bench/sheet/ladera-2026": (),
    "bench/plan/ladera": (),
    "plan": (),
    "tonight": (),
    "setup/water": (),
    "people": ("You", "People of the farm", "Who changed what"),
}
DIALOGS: dict[str, tuple[str, ...]] = {
    "block/norte-1": ("Log a set", "Seen in the field", "Postpone or override"),
    "block/circulo · Rules": ("Change the rules", "Add a keep-dry period"),
    "block/vega · Demand": ("add weather",),
    "block/norte-1/marks": ("own share of full", "own tension"),
    "setup/water": ("Edit", "Add a group"),
    "block/norte-2/audit": ("Edit",),
    "stations": ("New station",),
    "stations/ladera/a": ("Log a visit", "Replace a sensor", "Move it"),
}
"""Buttons that open a dialog, by page or page and tab."""
EXCEPTIONS = {
    r"Ring, cm³|.*ring, cm³.*|Oven, °C|.*oven at 105 °C.*": "a laboratory reads its own scales and its oven everywhere",
    r"metric \(mm, cm, ha, m³/h\)": "the choice of units itself",
    r"45 cm: cs-3 out, cs-6 in, same depth by ruler.*|60 and 90 cm were crossed at the logger.*": "a note a person wrote",
    r"(loam|clay) \d+ cm|separate lines by loam 15 cm, clay 45 cm, clay 90 cm.*": "names a person gave to soils",
}
"""Lines that may say a metric unit to a reader of US units, and why."""
READ = """() => {
  const found = [document.body.innerText];
  for (const node of document.querySelectorAll('[aria-label],[title],[placeholder],svg text,svg title,option'))
    found.push(node.getAttribute('aria-label') ?? '', node.getAttribute('title') ?? '',
               node.getAttribute('placeholder') ?? '', node.closest('svg') || node.tagName === 'OPTION' ? node.textContent : '');
  return found.join('\\n');
}"""


def metric_words(page: Page) -> list[str]:
    """Lines of a page, read out or drawn, that say a metric unit."""
    lines = dict.fromkeys(line.strip() for line in page.evaluate(READ).split("\n"))
    return [line for line in lines if METRIC.search(line) and not any(re.fullmatch(e, line) for e in EXCEPTIONS)]


def walked(page: Page, base: str, addresses: dict[str, tuple[str, ...]]) -> Iterator[tuple[str, list[str]]]:
    """Each page and tab with its metric words."""
    for address, tabs in addresses.items():
        page.goto(f"{base}/{address}")
        _settled(page)
        yield from _read(page, address)
        for tab in tabs:
            page.get_by_role("tab", name=tab, exact=True).click()
            _settled(page)
            yield from _read(page, f"{address} · {tab}")


def _settled(page: Page) -> None:
    """Wait until a page has its content and stands still: a machine under load is quiet before it has asked."""
    page.wait_for_load_state("networkidle")
    page.locator("h1").first.wait_for()
    before, now = "", page.evaluate(READ)
    while now != before or "Reading the" in now:
        page.wait_for_timeout(100)
        before, now = now, page.evaluate(READ)


def _read(page: Page, where: str) -> Iterator[tuple[str, list[str]]]:
    """What stands there, and in every dialog that opens from there."""
    yield where, metric_words(page)
    for button in DIALOGS.get(where, ()):
        page.get_by_role("button", name=button, exact=True).first.click()
        page.get_by_role("dialog").get_by_role("heading").first.wait_for()
        yield f"{where} · {button}", metric_words(page)
        page.keyboard.press("Escape")
        page.get_by_role("dialog").wait_for(state="detached")
