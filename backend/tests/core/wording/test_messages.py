"""Every code has a message and every message a code; a message of each kind is read in both systems of units."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

import embalse
from embalse.core.wording import Notice, Reader, as_json, from_json, sentences, text
from embalse.core.wording.formatting import to_five_minutes
from embalse.core.wording.messages import messages

PACKAGE = Path(embalse.__file__).parent
MAKERS = {"Notice", "said", "_measured", "_wanted"}
FIELD = re.compile(r"\{(\w+)(?::([^}]*))?\}")
METRIC_WORDS = re.compile(
    r"(?<![\w/])(mm|cm|km|ha|kPa|°C|m³|mm/h|mm/day|L/h|L/s|m/s|g/cm³|kg)(?![\w/³])|m³/m³|(?<=\d) m(?![\w])"
)
US = Reader("us", 2026)


def made() -> Iterator[tuple[str, bool]]:
    """Every code in the package, whole or the part before a value, and whether a notice is made with it there."""
    for file in PACKAGE.rglob("*.py"):
        if file.parent == PACKAGE / "core" / "wording" / "messages":
            continue
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") in MAKERS:
                yield from ((code, True) for arg in node.args for part in ast.walk(arg) for code in _codes(part))
            yield from ((code, False) for code in _codes(node))


def _codes(part: ast.AST) -> list[str]:
    if isinstance(part, ast.Constant) and isinstance(part.value, str) and re.fullmatch(r"[a-z_]+\.[a-z_]*", part.value):
        return [part.value]
    return []


def test_every_code_has_a_message_and_every_message_a_code() -> None:
    known, used = set(messages()), set(made())
    asked = {code for code, in_notice in used if in_notice and not code.endswith(".")}
    lacking = {code for code in asked if code not in known and not any(k.startswith(f"{code}_") for k in known)}
    assert not lacking
    written = {code for code, _ in used}
    stems = {code for code in written if code.endswith(".")} | {f"{code}_" for code in written}
    assert not {code for code in known - written if not any(code.startswith(stem) for stem in stems)}


@pytest.mark.parametrize("code", sorted(messages()))
def test_no_message_says_a_metric_unit_itself(code: str) -> None:
    """A unit stands in a value, where it follows the reader."""
    assert not METRIC_WORDS.search(FIELD.sub("", messages()[code])), messages()[code]


@pytest.mark.parametrize("code", sorted(messages()))
def test_every_message_is_read_in_us_units_without_a_metric_word(code: str) -> None:
    names = dict(FIELD.findall(messages()[code]))
    values = {
        name: 20_648 if name.endswith("day") else "x" if name in WORDS or how in ("in", "and", ",") else 12.3
        for name, how in names.items()
    }
    said = text(Notice(code, **values), US)
    assert said and not METRIC_WORDS.search(said)
    assert "{" not in said and "[" not in said


WORDS = {"note", "who", "what", "why", "station", "supply", "model", "names", "texture", "reason", "fault", "system"}


@pytest.mark.parametrize(
    ("notice", "metric", "us"),
    [
        (Notice("reason.past_refill", over_mm=12.3, strip_mm=None), "12 mm past the refill point.",
         "0.48 in past the refill point."),
        (Notice("reason.above_refill", left_mm=23.0, strip_mm=51.0, use_mm_d=6.2),
         "23 mm over the block (51 mm in the wetted strip) above refill; using 6 mm a day.",
         "0.91 in over the block (2.01 in in the wetted strip) above refill; using 0.24 in a day."),
        (Notice("season.finishes", stored_mm=17, need_mm=13, rain_mm=None, within_days=4),
         "Stop irrigating: 17 mm stored covers the 13 mm still needed in 4 days.",
         "Stop irrigating: 0.67 in stored covers the 0.51 in still needed in 4 days."),
        (Notice("capacity.stress", shortfall_mm_d=1.6, first_day=20_648, stress_day=20_654, short_mm=19.0),
         "Falling behind 1.6 mm a day from Tue 14 Jul. Stress from Mon 20 Jul, even if you start today: "
         "19 mm short at the worst.",
         "Falling behind 0.06 in a day from Tue 14 Jul. Stress from Mon 20 Jul, even if you start today: "
         "0.75 in short at the worst."),
        (Notice("caution.supply_flow", supply="north well", needs_m3_h=538, gives_m3_h=270, parts=2, each_h=8.33,
                total_h=16.67),
         "needs 538 m³/h, north well gives 270 m³/h: water it in 2 parts of 8 h 20 min, 16 h 40 min in all",
         "needs 2369 gpm, north well gives 1189 gpm: water it in 2 parts of 8 h 20 min, 16 h 40 min in all"),
        (Notice("settling.waiting", wettings=2, left_days=11.0),
         "not used yet: waiting for 2 irrigations that read alike, or 11 days",
         "not used yet: waiting for 2 irrigations that read alike, or 11 days"),
        (Notice("order.hold", until_day=20_648, who="", note="pump"), "Postponed until Tue 14 Jul: pump",
         "Postponed until Tue 14 Jul: pump"),
        (Notice("not_sooner.binding", binding=Notice("rain.hold", likely_mm=9.0, within_days=3)),
         "Not sooner: hold: 9 mm of rain is likely within 3 days, as much as the set would give.",
         "Not sooner: hold: 0.35 in of rain is likely within 3 days, as much as the set would give."),
        (Notice("missing.silent", ago_days=1.0), "no reading for 1.0 days", "no reading for 1.0 days"),
        (Notice("warmth.little_swing", swing_step_c=0.5, wanted_step_c=1.0),
         "the soil's temperature swings by only 0.5 °C; 1 °C is needed",
         "the soil's temperature swings by only 0.9 °F; 1.8 °F is needed"),
        (Notice("sample.oven_temperature", oven_c=90.0, usual_c=105.0), "dried at 90 °C, 105 °C is usual",
         "dried at 194 °F, 221 °F is usual"),
    ],
)  # fmt: skip
def test_what_is_said(notice: Notice, metric: str, us: str) -> None:
    assert text(notice) == metric
    assert text(notice, US) == us


def test_a_date_of_another_year_names_it() -> None:
    order = Notice("order.hold", until_day=20_648, who="Ana", note="pump")
    assert text(order, Reader("metric", 2025)) == "Postponed until Tue 14 Jul 2026 (Ana): pump"


def test_several_are_joined_and_texts_of_people_stay() -> None:
    assert text(("one.", Notice("no_advice.soil"))) == "one; the soil of the block is not described"
    assert sentences((Notice("reason.at_refill"), Notice("reason.cautious"))).startswith(
        "At the refill point. Cautious"
    )


def test_what_is_kept_comes_back() -> None:
    said = Notice("at.station", station="a", what=(Notice("missing.none_yet"), "words"))
    assert from_json(as_json(said)) == said
    assert from_json("kept as words before there were codes") == "kept as words before there were codes"


@pytest.mark.parametrize(("hours", "minutes"), [(0.0, 0), (0.01, 5), (1.0, 60), (1.041, 60), (1.0417, 65), (5.17, 310)])
def test_a_time_is_set_to_five_minutes(hours: float, minutes: int) -> None:
    assert to_five_minutes(hours) == minutes
