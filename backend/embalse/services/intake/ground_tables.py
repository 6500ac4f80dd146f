"""Soil analyses from a table and blocks from GeoJSON, their columns mapped once and remembered by their head."""

import csv
import hashlib
import io
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal

from pydantic import BaseModel, ConfigDict, Field

from embalse.core.errors import CoreError
from embalse.core.install.boundary import area_ha
from embalse.services.document.apply import apply_document
from embalse.services.document.export import land_parts
from embalse.services.document.farm_document import parse_document
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store import farm as farm_store
from embalse.store import imports as import_store
from embalse.store.database import transaction

Kind = Literal["soils", "blocks"]
LARGEST: Final = 8_000_000
SHOWN: Final = 3


@dataclass(frozen=True)
class FieldWords:
    """A field of a kind: what it is called on the page, other names it goes by, and whether it must be there."""

    name: str
    words: str
    also: tuple[str, ...] = ()
    needed: bool = False
    number: bool = True
    factor: float = 1.0


SOIL_FIELDS: Final = (
    FieldWords("soil", "soil", ("profile", "sample", "sample id", "site", "name"), needed=True, number=False),
    FieldWords("top_cm", "top, cm", ("from", "from cm", "upper", "upper cm", "depth from"), needed=True),
    FieldWords("bottom_cm", "bottom, cm", ("to", "to cm", "lower", "lower cm", "depth to"), needed=True),
    FieldWords("texture", "texture class", ("class", "usda", "texture"), number=False),
    FieldWords("sand_fraction", "sand, %", ("sand", "sand pct", "sand %"), factor=0.01),
    FieldWords("clay_fraction", "clay, %", ("clay", "clay pct", "clay %"), factor=0.01),
    FieldWords("organic_matter_pct", "organic matter, %", ("om", "organic matter", "om %", "organic")),
    FieldWords("stones_fraction", "stones, % of volume", ("stones", "gravel", "coarse", "stones %"), factor=0.01),
    FieldWords("bulk_density_g_cm3", "bulk density, g/cm³", ("bd", "bulk density", "density")),
)
BLOCK_FIELDS: Final = (
    FieldWords("block", "block", ("name", "id", "field", "plot", "parcel", "key"), needed=True, number=False),
    FieldWords("crop", "crop", ("culture",), number=False),
    FieldWords("variety", "variety", ("cultivar",), number=False),
    FieldWords("soil", "soil", ("soil type",), number=False),
    FieldWords("system", "irrigation system", ("irrigation",), number=False),
    FieldWords("supply", "supply", ("pump", "well", "source"), number=False),
    FieldWords("planting_date", "planted on", ("planted", "planting"), number=False),
    FieldWords("wetted_fraction", "wetted share, %", ("wetted", "wetted %"), factor=0.01),
)
FIELDS: Final[dict[Kind, tuple[FieldWords, ...]]] = {"soils": SOIL_FIELDS, "blocks": BLOCK_FIELDS}


class GroundTableIn(BaseModel):
    """A table or GeoJSON, and which column is which; without a mapping the remembered or the likely one counts."""

    model_config = ConfigDict(extra="forbid")
    kind: Kind
    text: str = Field(min_length=1, max_length=LARGEST)
    mapping: dict[str, str] | None = None
    store: bool = Field(False, description="store it; without it is only looked at")


class GroundColumnOut(Content):
    """A column with its first values."""

    name: str
    samples: list[str]


class GroundFieldOut(Content):
    """A field that may be mapped."""

    name: str
    words: Words
    needed: bool


class GroundTableOut(Content):
    """What the table holds as mapped: fields, columns, what would be made or changed, and what became of it."""

    columns: list[GroundColumnOut]
    fields: list[GroundFieldOut]
    mapping: dict[str, str]
    remembered: bool
    keys: list[str]
    created: int
    changed: int
    stored: bool


@dataclass(frozen=True)
class _Row:
    where: str
    cells: Mapping[str, str]
    ring: Sequence[Sequence[float]] = ()


def ground_table(body: GroundTableIn) -> GroundTableOut:
    """Look at soils or blocks of a table, or store them: all of it or nothing; the mapping is then remembered.

    Raises
    ------
    DocumentErrors
        With the line or feature of everything wrong.
    """
    rows = _features(body.text) if body.kind == "blocks" else _lines(body.text)
    if not rows:
        raise DocumentErrors([PathError(path="file", reason="nothing is in it")])
    names = list(dict.fromkeys(name for row in rows for name in row.cells))
    mark = f"{body.kind}:" + hashlib.sha256("\n".join(names).lower().encode()).hexdigest()
    kept = import_store.profiles(mark)
    mapping = body.mapping if body.mapping is not None else dict(kept[0][1]["mapping"]) if kept else {}
    mapping = {f: c for f, c in mapping.items() if c} or likely(FIELDS[body.kind], names)
    unknown = [
        f"{f}: {c}" for f, c in mapping.items() if c not in names or f not in {w.name for w in FIELDS[body.kind]}
    ]
    if unknown:
        raise DocumentErrors([PathError(path="mapping", reason=f"there is no such column: {', '.join(unknown)}")])
    parts = _parts(body.kind, rows, mapping) if _lacking(body.kind, mapping) is None else []
    counts = (0, 0)
    if body.store:
        counts = _stored(body.kind, parts, mapping, mark)
    return GroundTableOut(
        columns=[GroundColumnOut(name=n, samples=[r.cells[n] for r in rows if r.cells.get(n)][:SHOWN]) for n in names],
        fields=[GroundFieldOut(name=w.name, words=w.words, needed=w.needed) for w in FIELDS[body.kind]],
        mapping=mapping,
        remembered=bool(kept),
        keys=[str(p["key"]) for p in parts],
        created=counts[0],
        changed=counts[1],
        stored=body.store,
    )


def _stored(kind: Kind, parts: list[dict[str, Any]], mapping: Mapping[str, str], mark: str) -> tuple[int, int]:
    lacking = _lacking(kind, mapping)
    if lacking:
        raise DocumentErrors([PathError(path="mapping", reason=f"say which column is {lacking}")])
    with transaction():
        report = apply_document(parse_document(json.dumps({"embalse": 1, kind: parts})))
        import_store.save_profile(f"{kind} {mark[-8:]}", mark, {"mapping": dict(mapping)})
    return report.created.get(kind, 0), report.changed.get(kind, 0)


def _lacking(kind: Kind, mapping: Mapping[str, str]) -> str | None:
    return next((w.words for w in FIELDS[kind] if w.needed and w.name not in mapping), None)


def likely(fields: Sequence[FieldWords], names: Sequence[str]) -> dict[str, str]:
    """Columns by their names (field → column), each taken once, the first field that fits counting."""
    found: dict[str, str] = {}
    for words in fields:
        wanted = {_plain(n) for n in (words.name, words.words, *words.also)}
        column = next((n for n in names if _plain(n) in wanted and n not in found.values()), None)
        if column is not None:
            found[words.name] = column
    return found


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9%]+", " ", name.lower()).strip()


def _lines(text: str) -> list[_Row]:
    first = text.lstrip("\ufeff").split("\n", 1)[0]
    try:
        reader = csv.DictReader(io.StringIO(text.lstrip("\ufeff"), newline=""),
                                delimiter=max((",", ";", "\t"), key=first.count))  # fmt: skip
        return [
            _Row(f"line {reader.line_num}", {str(n).strip(): (c or "").strip() for n, c in cells.items()
                                             if n is not None and isinstance(c, str | None)})
            for cells in reader
            if any(isinstance(c, str) and c.strip() for c in cells.values())
        ]  # fmt: skip
    except csv.Error as wrong:
        raise DocumentErrors([PathError(path="file", reason=f"it cannot be read as a table: {wrong}")]) from wrong


def _features(text: str) -> list[_Row]:
    try:
        found = json.loads(text)["features"]
        listed = [(f["geometry"], dict(f.get("properties") or {})) for f in found]
    except (ValueError, KeyError, TypeError, RecursionError) as wrong:
        reason = "it is no GeoJSON FeatureCollection of polygons"
        raise DocumentErrors([PathError(path="file", reason=reason)]) from wrong
    rows = []
    for n, (shape, told) in enumerate(listed, start=1):
        try:
            drawn = {"Polygon": [shape["coordinates"]], "MultiPolygon": shape["coordinates"]}[shape["type"]]
            ring = [[float(c[0]), float(c[1])] for c in drawn[0][0]]
        except (KeyError, TypeError, ValueError, IndexError) as wrong:
            raise DocumentErrors([PathError(path=f"feature {n}", reason="it is no polygon")]) from wrong
        if len(drawn) > 1 or len(drawn[0]) > 1:
            reason = "a block is one ring without a hole: part it, or leave the hole out"
            raise DocumentErrors([PathError(path=f"feature {n}", reason=reason)])
        cells = {str(k): str(v) for k, v in told.items() if isinstance(v, str | int | float)}
        rows.append(_Row(f"feature {n}", cells, ring))
    return rows


def _parts(kind: Kind, rows: Sequence[_Row], mapping: Mapping[str, str]) -> list[dict[str, Any]]:
    errors: list[PathError] = []
    read = [(row, _read(kind, row, mapping, errors)) for row in rows]
    parts = (_soils if kind == "soils" else _blocks)(read, errors)
    if errors:
        raise DocumentErrors(errors)
    return parts


def _read(kind: Kind, row: _Row, mapping: Mapping[str, str], errors: list[PathError]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for words in FIELDS[kind]:
        cell = row.cells.get(mapping.get(words.name, ""), "")
        if cell == "":
            if words.needed:
                errors.append(PathError(path=f"{row.where}, {words.words}", reason="is empty"))
            continue
        if not words.number:
            found[words.name] = cell
            continue
        try:
            found[words.name] = round(float(cell.replace(",", ".").rstrip("% ")) * words.factor, 6)
        except ValueError:
            errors.append(PathError(path=f"{row.where}, {words.words}", reason=f"'{cell[:40]}' is no number"))
    return found


def _key(name: str) -> str:
    return re.sub(r"[^a-z0-9._-]+", "-", name.lower()).strip("-._")[:40]


def _soils(read: Sequence[tuple[_Row, dict[str, Any]]], errors: list[PathError]) -> list[dict[str, Any]]:
    known = {name.lower(): key for _, key, name in farm_store.soils()}
    soils: dict[str, dict[str, Any]] = {}
    for row, told in read:
        name = str(told.pop("soil", ""))
        key = known.get(name.lower()) or _key(name)
        if not key:
            errors.append(PathError(path=f"{row.where}, soil", reason=f"'{name[:40]}' gives no name"))
            continue
        soils.setdefault(key, {"key": key, "name": name, "horizons": []})["horizons"].append(told)
    for soil in soils.values():
        soil["horizons"].sort(key=lambda h: h.get("top_cm", 0))
    return list(soils.values())


def _blocks(read: Sequence[tuple[_Row, dict[str, Any]]], errors: list[PathError]) -> list[dict[str, Any]]:
    rows = farm_store.farm_rows()
    known = {n.lower(): b.key for b in rows.blocks for n in (b.key, b.name)}
    named = {
        "soil": {n.lower(): key for _, key, name in farm_store.soils() for n in (key, name)},
        "system": {n.lower(): s.key for s in rows.systems.values() for n in (s.key, s.name)},
        "supply": {n.lower(): s.key for s in rows.supplies.values() for n in (s.key, s.name)},
    }
    found = []
    for row, told in read:
        name = str(told.pop("block", ""))
        key = known.get(name.lower()) or _key(name)
        part: dict[str, Any] = {"key": key, "name": name}
        if name.lower() in known:
            part = {k: v for k, v in land_parts(rows, [key])["blocks"][0].items() if k != "stations"}
        for field, table in named.items():
            if field in told and told[field].lower() not in table:
                there = ", ".join(sorted(set(table.values()))) or "none"
                reason = f"there is no {field} '{told[field][:40]}' on this farm; it has {there}"
                errors.append(PathError(path=f"{row.where}, {field}", reason=reason))
            elif field in told:
                told[field] = table[told[field].lower()]
        try:
            part |= {"outline": row.ring, "area_ha": round(area_ha([(c[0], c[1]) for c in row.ring]), 4)}
        except CoreError as refusal:
            errors.append(PathError(path=row.where, reason=say(refusal.reason)))
        part |= told
        for field in ("crop", "soil"):
            if not part.get(field):
                reason = "is needed for a block that is not here yet: map it, or set the block up first"
                errors.append(PathError(path=f"{row.where}, {field}", reason=reason))
        found.append(part)
    return found
