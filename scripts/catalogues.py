"""Catalogues of other languages: brings each up to what the code says now, and writes what the product reads.

Two catalogues a language, both gettext's own format: the core's sentences and words, and the pages' words. A message
that is new stands in them untranslated and is said in English until somebody translates it.
"""

import ast
import csv
import json
import re
import subprocess
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from embalse.core.crop.crop_library import library
from embalse.core.wording.messages import messages
from embalse.core.wording.words import WORDS

ROOT = Path(__file__).resolve().parent.parent
CORE = ROOT / "backend" / "embalse"
BACK = CORE / "core" / "wording" / "languages"
FRONT = ROOT / "frontend" / "src" / "words"
ROOMS = ("core", "services", "ingest", "api", "store", "app.py")
SILENT = (
    "core/simulate",
    "core/wording/messages",
    "services/schema",
    "store/migrations",
    "store/models",
)
PHRASE = re.compile(r"[^\W\d_]{2,}[,;:]? [^\W\d_]|^[A-Z][a-z]{2,}")
NO_PHRASE = re.compile(
    r"^\s*(SELECT|INSERT|UPDATE|DELETE|CREATE|PRAGMA|REPLACE|WITH|DROP|ALTER|FROM|WHERE|ORDER|AND)\b|[<>=]\s*\?|^/|\bAS \w+,|; filename=|\{\}|^ON |max-age"
)
WORD = re.compile(r"[^\W\d_][^\W\d_’'\-]*")
LANGUAGES = ("es",)
NO_DATE = datetime(2026, 1, 1, tzinfo=UTC)
SHORT = 40  # characters: a code or a name the server sends; longer ones are sentences it says itself


def spoken_words() -> dict[str, list[str]]:
    """Phrases that stand in the code as they are said, with where: refusals, names of lines and columns."""
    found: dict[str, list[str]] = {word: ["core/wording/words.py"] for word in WORDS}
    for crop in library():
        found.setdefault(crop.crop, []).append("core/tables")
    for words, where in _table_phrases():
        found.setdefault(words, []).append(f"core/tables/{where}")
    for room in ROOMS:
        paths = (
            [CORE / room]
            if room.endswith(".py")
            else sorted((CORE / room).rglob("*.py"))
        )
        for path in paths:
            where = path.relative_to(CORE).as_posix()
            if not where.startswith(SILENT):
                for phrase in _phrases(path):
                    found.setdefault(phrase, []).append(where)
    return found


def _table_phrases() -> Iterator[tuple[str, str]]:
    """Words of the tables that are shown: questions, steps, cautions, what a number is for, and where it comes from."""
    shown = {"title", "about", "why", "caution", "options", "source", "question", "reason", "meaning", "unit", "feel", "where",
             "convenience", "duties", "stages", "name", "confidence", "ribbon"}  # fmt: skip
    for path in sorted((CORE / "core" / "tables").glob("*.csv")):
        with path.open(encoding="utf-8", newline="") as file:
            for row in csv.DictReader(
                line for line in file if not line.startswith("#")
            ):
                for column in sorted(shown & row.keys()):
                    for words in re.split(r"\|", row[column] or ""):
                        if re.search(r"[^\W\d_]{3,}", words) and not (
                            column == "name" and "_" in words
                        ):
                            yield words.strip(), path.name


def _phrases(path: Path) -> Iterator[str]:
    tree = ast.parse(path.read_text(encoding="utf-8"))
    silent = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr):
            silent.add(id(node.value))
        elif isinstance(node, ast.JoinedStr | ast.FormattedValue):
            silent.update(id(part) for part in ast.walk(node))
        elif isinstance(node, ast.keyword) and node.arg in {"description", "pattern"}:
            silent.add(id(node.value))
        elif isinstance(node, ast.Subscript):
            silent.update(id(part) for part in ast.walk(node.slice))
    yield from _codes(tree)
    for node in ast.walk(tree):
        if (
            isinstance(node, ast.Constant)
            and isinstance(node.value, str)
            and id(node) not in silent
        ):
            words = node.value
            if PHRASE.search(words) and not NO_PHRASE.search(words):
                yield words


def _codes(tree: ast.AST) -> Iterator[str]:
    """States and kinds a value may have: what a Literal lists."""
    for node in ast.walk(tree):
        if (
            isinstance(node, ast.Subscript)
            and getattr(node.value, "id", "") == "Literal"
        ):
            for part in ast.walk(node.slice):
                if (
                    isinstance(part, ast.Constant)
                    and isinstance(part.value, str)
                    and re.fullmatch(r"[a-z][a-z -]{2,}", part.value)
                ):
                    yield part.value


def back_template() -> Catalog:
    """What the core and its services say now."""
    template = Catalog(charset="utf-8")
    for code, english in messages().items():
        template.add(english, context=code)
    for phrase, where in spoken_words().items():
        template.add(phrase, locations=[(one, 0) for one in dict.fromkeys(where)][:3])
    return template


def front_template() -> Catalog:
    """What the pages say now."""
    asked = ["node", str(ROOT / "scripts" / "front_words.mjs"), str(ROOT / "frontend")]
    said = json.loads(
        subprocess.run(asked, capture_output=True, check=True, text=True).stdout
    )
    template = Catalog(charset="utf-8")
    for one in said:
        values = [f"{{{at}}}: {value}" for at, value in enumerate(one["values"])]
        where = [(place, 0) for place in dict.fromkeys(one["where"])][:3]
        template.add(
            (one["id"], one["more"]) if "more" in one else one["id"],
            locations=where,
            auto_comments=values,
        )
    return template


def marked(template: str) -> str:
    """Every word of a message between marks; what will be filled in stays as it is."""
    parts = re.split(r"(\{[^}]*\})", template)
    return "".join(
        part if at % 2 else WORD.sub(lambda m: f"«{m[0]}»", part)
        for at, part in enumerate(parts)
    )


def brought_up(path: Path, template: Catalog, language: str) -> Catalog:
    """A language's catalogue with the messages of now, its translations kept, written where it stands."""
    catalogue = Catalog(locale=language, charset="utf-8")
    if path.exists():
        with path.open("rb") as file:
            catalogue = read_po(file, locale=language)
    catalogue.update(template, no_fuzzy_matching=True)
    catalogue.obsolete.clear()
    path.parent.mkdir(exist_ok=True)
    with path.open("wb") as file:
        write_po(
            file,
            catalogue,
            width=0,
            sort_output=True,
            omit_header=True,
            include_lineno=False,
        )
    return catalogue


def filled(template: Catalog) -> Catalog:
    """The made-up language: every message marked."""
    catalogue = Catalog(charset="utf-8")
    for message in template:
        if message.id:
            said = (
                tuple(marked(one) for one in message.id)
                if message.pluralizable
                else marked(message.id)
            )
            catalogue.add(message.id, said, context=message.context)
    return catalogue


def write_back(name: str, catalogue: Catalog) -> None:
    """The core's catalogue as gettext reads it."""
    kept = Catalog(
        charset="utf-8", creation_date=NO_DATE, revision_date=NO_DATE
    )  # so that it is the same next time
    for message in catalogue:
        if message.id and message.string and not message.fuzzy:
            kept.add(message.id, message.string, context=message.context)
    with (BACK / f"{name}.mo").open("wb") as file:
        write_mo(file, kept)


def write_front(name: str, catalogue: Catalog, core: Catalog) -> None:
    """The pages' catalogue as they read it, with the codes and names the server sends, which the core's has."""
    said = {
        m.id: m.string
        for m in core
        if m.id and not m.context and m.string and len(m.id) < SHORT
    }
    for message in catalogue:
        if not message.id:
            continue
        if message.pluralizable:
            if all(message.string):
                said["\n".join(message.id)] = list(message.string)
        elif message.string:
            said[message.id] = message.string
    text = json.dumps(dict(sorted(said.items())), ensure_ascii=False, indent=0)
    (FRONT / f"{name}.gen.json").write_text(text + "\n", encoding="utf-8")


def main() -> None:
    """Both catalogues of every language."""
    back, front = back_template(), front_template()
    for language in LANGUAGES:
        core = brought_up(BACK / f"{language}.po", back, language)
        pages = brought_up(FRONT / f"{language}.po", front, language)
        write_back(language, core)
        write_front(language, pages, core)
    write_back("xx", filled(back))
    write_front("xx", filled(front), filled(back))
    if "--count" in sys.argv:
        for language in LANGUAGES:
            print(
                language,
                *(
                    f"{sum(bool(m.string) for m in c if m.id)} of {len(c)}"
                    for c in (core, pages)
                ),
            )


if __name__ == "__main__":
    main()
