"""Catalogues of other languages: a message keeps its values, English stands where there is nothing, counts have forms."""

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from babel.messages.pofile import read_po

import embalse
from embalse.core.wording import Notice, Reader, text
from embalse.core.wording.catalogues import LANGUAGES, Language, catalogue, language_of
from embalse.core.wording.formatting import clock_words, day_words

CORE = Path(embalse.__file__).parent / "core" / "wording" / "languages" / "es.po"
PAGES = Path(embalse.__file__).parents[2] / "frontend" / "src" / "words" / "es.po"
FIELD = re.compile(r"\{(\w+)")
SPANISH = Reader("metric", 2026, "es")
FIELD_PAGES = ("features/round/R", "features/round/L", "features/block", "features/handheld", "features/run", "features/tonight",
               "features/messages", "ui/", "lib/", "charts/ladder", "charts/Section", "charts/LevelLine")  # fmt: skip
FIELD_TABLES = ("core/tables/procedure_steps.csv", "core/tables/procedures.csv")


def entries(path: Path) -> Iterator[tuple[str, str, str, list[str]]]:
    """Code, English, Spanish and where it is said, of each translated message."""
    with path.open("rb") as file:
        for message in read_po(file, locale="es"):
            places = [place for place, _ in message.locations]
            forms = message.string if message.pluralizable else (message.string,)
            if message.id:
                english = message.id[-1] if message.pluralizable else message.id
                for spanish in forms:
                    yield message.context or "", english, str(spanish), places


@pytest.mark.parametrize("path", [CORE, PAGES])
def test_a_translation_has_the_values_of_its_message(path: Path) -> None:
    translated = [(english, spanish) for _, english, spanish, _ in entries(path) if spanish]
    assert len(translated) > 500
    wrong = [(e, s) for e, s in translated if set(FIELD.findall(e)) != set(FIELD.findall(s))]
    assert wrong == []


def test_spanish_is_complete_for_the_pages_of_the_field() -> None:
    missing = [e for _, e, s, places in entries(PAGES) if not s and any(p.startswith(FIELD_PAGES) for p in places)]
    steps = [e for _, e, s, places in entries(CORE) if not s and any(p in FIELD_TABLES for p in places)]
    assert missing == []
    assert [e for e in steps if "Table" not in e and "(" not in e] == []


def test_a_message_is_said_in_the_readers_language() -> None:
    said = Notice("reason.past_refill", over_mm=12.3)
    assert text(said, SPANISH) == "12 mm pasado del punto de recarga."
    assert text(said, Reader("us", 2026, "es")) == "0.48 in pasado del punto de recarga."
    assert text(said, Reader("metric", 2026, "xx")) == "12 mm «past» «the» «refill» «point»."


@pytest.mark.parametrize(
    ("sets", "words"), [(1, "1 paso por hacer"), (2, "2 pasos por hacer"), (0, "0 pasos por hacer")]
)
def test_a_count_takes_the_form_of_its_number(sets: int, words: str) -> None:
    assert text(Notice("run.steps_left", left=sets), SPANISH) == words


def test_what_has_no_translation_is_said_in_english_and_a_persons_words_as_they_are() -> None:
    assert catalogue("es").message("no.such", "As it is") == "As it is"
    assert text("Norte 1, la parcela del abuelo", SPANISH) == "Norte 1, la parcela del abuelo"
    assert catalogue("en").words("loam") == "loam"
    assert catalogue("es").words("") == ""  # not the head of the catalogue, which gettext keeps under it


def test_days_and_clocks_are_said_in_the_language() -> None:
    assert day_words(20648, 2026, catalogue("es")) == "mar 14 jul"
    assert clock_words(25.75, catalogue("es")) == "01:45 mañana"
    assert clock_words(50.5, catalogue("es")) == "02:30 en 2 días"


@pytest.mark.parametrize("language", LANGUAGES)
def test_every_language_can_be_read(language: Language) -> None:
    assert catalogue(language).language == language_of(language) == language


def test_a_language_nobody_has_is_english() -> None:
    assert [language_of(one) for one in ("de", "", None)] == ["en", "en", "en"]
