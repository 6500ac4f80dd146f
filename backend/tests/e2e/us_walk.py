"""Every page and tab of the demonstration: metric words a reader of US units would meet, and words no catalogue has.

The walk reads in the made-up language, in which every word of a catalogue stands between marks.
"""

import re
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from playwright.sync_api import Page

from embalse.core.wording.catalogues import catalogue

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
    "stories": (),
    "visits": (),
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
    "stations/tunel/t": (),
    "run/install-ladera-a": (),
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
PLACES = {*PAGES, *(f"{address} · {tab}" for address, tabs in PAGES.items() for tab in tabs)}
"""Pages and tabs, without the dialogs over them."""
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


AS_WRITTEN = {
    r"(Saxton|Carsel|van|Taylor|Shock|Topp|Keller|Steduto|Rosetta).*|.*(FAO-\d\d|Taylor & Ashcroft|NRCS|Table \d).*": "a published source",
    r".*·.*(key|kind|planned|at|note|quantity|valid from|lon|raw unit|token|block|events|readings new) .*": "values as the change log keeps them",
    r"(loam|clay) \d+ cm|.*by loam 15 cm, clay 45 cm.*": "names a person gave to soils",
    r"day, (tmax_c|member).*": "the head of a file",
    r"English|Español": "languages, each in its own words",
    r".*\.(csv|tsv|json|xlsx)\b.*": "names of files",
    r"θ = .*|.*raw\^.*": "a formula",
    r"(Zoom in|Zoom out|\+|−)": "the map's own buttons",
    r".*valve [A-Z].*|.*valve box.*|.*[Nn]o pressure from.*|.*a full turn takes.*": "what a person or a device wrote",
}
"""Lines that may have words no catalogue has, and why."""
MARKED, WORD = re.compile(r"«[^»]*»"), re.compile(r"[^\W\d_]{3,}")
UNITS = frozenset(
    [
        "min",
        "count",
        "kohm",
        "ft³",
        "cm³",
        "ohm",
        "GeoJSON",
        "CSV",
        "JSON",
        "FAO",
        "Kc",
        "ETo",
        "UTC",
        "MQTT",
        "SDI",
        "Embalse",
        "gpm",
        "gph",
        "kWh",
        "psi",
        "cmb",
        "inb",
        "inc",
        "gal",
        "acre",
        "cb",
        "mmmm",
        "inin",
    ]
)


def marked(words: str) -> str:
    """Words as the made-up language says them."""
    return re.sub(r"[^\W\d_][^\W\d_’'\-]*", lambda m: f"«{m[0]}»", words)


def lines_of(page: Page) -> list[str]:
    """What stands on a page, is read out or is drawn, line by line."""
    return list(dict.fromkeys(line.strip() for line in page.evaluate(READ).split("\n")))


def metric_words(lines: list[str]) -> list[str]:
    """Lines that say a metric unit."""
    plain = [re.sub("[«»]", "", line) for line in lines]
    return [line for line in plain if METRIC.search(line) and not any(re.fullmatch(e, line) for e in EXCEPTIONS)]


def unmarked_words(lines: list[str], own: Sequence[str]) -> list[str]:
    """Lines with a word that is in no catalogue; what people wrote, the longest first, is taken out whole."""
    found = []
    for line in lines:
        left = MARKED.sub(" ", line)
        for phrase in own:
            left = left.replace(phrase, " ") if phrase in left else left
        words = {w for w in WORD.findall(left) if w not in UNITS}
        if words and not any(re.fullmatch(e, re.sub("[«»]", "", line)) for e in AS_WRITTEN):
            found.append(f"{line} ({', '.join(sorted(words))})")
    return found


def own_phrases(document: Any) -> list[str]:
    """What people called things and noted in a farm document; never kinds or states, nor what was noted by itself."""
    return sorted(_written(document, ""))


def _written(document: Any, key: str) -> set[str]:
    if isinstance(document, dict):
        return {phrase for name, value in document.items() for phrase in _written(value, name)}
    if isinstance(document, list):
        return {phrase for value in document for phrase in _written(value, key)}
    theirs = isinstance(document, str) and key in OWN and len(document) > 2
    said_by_us = key == "note" and catalogue("xx").words(document) != document
    return {document} if theirs and not said_by_us else set()


OWN = {"name", "note", "variety", "who", "farm", "shelf", "key", "tag", "value", "label", "place", "reason", "ref", "sensor",
       "device", "channel", "gateway", "batch", "serial", "station", "valve", "note_then"}  # fmt: skip


def walked(
    page: Page, base: str, addresses: dict[str, tuple[str, ...]], stop: Callable[[str], None] = lambda _: None
) -> Iterator[tuple[str, list[str]]]:
    """Each page, tab and dialog with what stands there, in the language the page is in; ``stop`` is called at each."""
    for address, tabs in addresses.items():
        page.goto(f"{base}/{address}")
        _settled(page)
        yield from _read(page, address, stop)
        for tab in tabs:
            page.get_by_role("tab", name=re.compile(rf"^({re.escape(tab)}|{re.escape(marked(tab))})$")).click()
            _settled(page)
            yield from _read(page, f"{address} · {tab}", stop)


def _settled(page: Page) -> None:
    """Wait until a page has its content and stands still: a machine under load is quiet before it has asked."""
    page.wait_for_load_state("networkidle")
    page.locator("h1").first.wait_for()
    before, now = "", page.evaluate(READ)
    while now != before or re.search("«?Reading»? «?the", now):
        page.wait_for_timeout(100)
        before, now = now, page.evaluate(READ)


def _read(page: Page, where: str, stop: Callable[[str], None]) -> Iterator[tuple[str, list[str]]]:
    """What stands there, and in every dialog that opens from there."""
    yield where, lines_of(page)
    stop(where)
    for button in DIALOGS.get(where, ()):
        page.get_by_role(
            "button", name=re.compile(rf"^({re.escape(button)}|{re.escape(marked(button))})$")
        ).first.click()
        page.get_by_role("dialog").get_by_role("heading").first.wait_for()
        yield f"{where} · {button}", lines_of(page)
        stop(f"{where} · {button}")
        page.keyboard.press("Escape")
        page.get_by_role("dialog").wait_for(state="detached")
