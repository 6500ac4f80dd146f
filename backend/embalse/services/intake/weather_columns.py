"""Columns of somebody else's weather table: mapped once to the names used here, and remembered by the table's head."""

import csv
import hashlib
import io
import re
from collections.abc import Mapping, Sequence
from typing import Annotated, Final

from pydantic import BaseModel, ConfigDict, StringConstraints

from embalse.services.intake.ground_tables import FieldWords, GroundColumnOut, GroundFieldOut, likely
from embalse.services.load.schemas import Content
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store import imports as import_store

SHOWN: Final = 3
LOOKED_AT: Final = 200_000  # characters of a table its columns are told from
LEFT_OUT: Final = "~"
"""Begins the name of a column that means nothing here."""
DAYS: Final = (
    FieldWords("day", "day", ("date", "fecha"), needed=True, number=False),
    FieldWords("tmax_c", "highest temperature, °C", ("tmax", "t max", "max temp", "temperature max"), needed=True),
    FieldWords("tmin_c", "lowest temperature, °C", ("tmin", "t min", "min temp", "temperature min"), needed=True),
    FieldWords("rhmax_pct", "highest humidity, %", ("rhmax", "rh max", "humidity max")),
    FieldWords("rhmin_pct", "lowest humidity, %", ("rhmin", "rh min", "humidity min")),
    FieldWords("tdew_c", "dew point, °C", ("tdew", "dew point")),
    FieldWords("wind_m_s", "wind, m/s", ("wind", "u2", "wind speed", "ws")),
    FieldWords("radiation_mj_m2", "radiation, MJ/m²", ("radiation", "rs", "solar radiation", "srad")),
    FieldWords("sunshine_h", "sunshine, h", ("sunshine", "sun hours")),
    FieldWords("rain_mm", "rain, mm", ("rain", "precipitation", "prec", "p")),
    FieldWords("eto_mm", "reference ET, mm", ("eto", "et0", "reference et")),
)
HOURS: Final = (
    FieldWords("at", "time", ("datetime", "timestamp", "date time", "hour"), needed=True, number=False),
    FieldWords("t_c", "temperature, °C", ("t", "temp", "temperature", "air temperature")),
    FieldWords("rh_pct", "humidity, %", ("rh", "humidity")),
    FieldWords("wind_m_s", "wind, m/s", ("wind", "u2", "wind speed", "ws")),
    FieldWords("radiation_mj_m2", "radiation, MJ/m²", ()),
    FieldWords("radiation_w_m2", "radiation, W/m²", ("radiation", "rs", "solar radiation", "srad")),
    FieldWords("rain_mm", "rain, mm", ("rain", "precipitation", "prec", "p")),
)


class WeatherColumnsIn(BaseModel):
    """The beginning of a weather table."""

    model_config = ConfigDict(extra="forbid")
    table: Annotated[str, StringConstraints(min_length=1, max_length=LOOKED_AT)]


class WeatherColumnsOut(Content):
    """Columns of a table, what they may be, and which is which as far as is known."""

    columns: list[GroundColumnOut]
    fields: list[GroundFieldOut]
    mapping: dict[str, str]
    remembered: bool


def weather_columns(text: str) -> WeatherColumnsOut:
    """What a weather table's columns are taken for: as remembered of its head, or as their names say.

    Raises
    ------
    DocumentErrors
        If it is no table with a head.
    """
    head, rows = _table(text)
    mapping, remembered = _known(head)
    return WeatherColumnsOut(
        columns=[
            GroundColumnOut(name=name, samples=[r[i] for r in rows if i < len(r) and r[i]][:SHOWN])
            for i, name in enumerate(head)
        ],
        fields=[GroundFieldOut(name=f.name, words=f.words, needed=f.needed) for f in _fields(head)],
        mapping=mapping,
        remembered=remembered,
    )


def in_our_names(text: str, mapping: Mapping[str, str] | None) -> tuple[str, dict[str, str]]:
    """A weather table with the names used here at its head, and the mapping that was taken.

    What is not mapped keeps its place under a name that begins with ``~``; lines stay where they were.

    Raises
    ------
    DocumentErrors
        If a column is mapped that is not there, or twice.
    """
    head, rows = _table(text)
    taken = {f: c for f, c in mapping.items() if c} if mapping is not None else _known(head)[0]
    wrong = [c for c in taken.values() if c not in head]
    if wrong:
        raise DocumentErrors([PathError(path="mapping", reason=f"there is no such column: {', '.join(wrong)}")])
    if len(set(taken.values())) < len(taken):
        raise DocumentErrors([PathError(path="mapping", reason="one column cannot be two things")])
    unknown = taken.keys() - {f.name for f in (*DAYS, *HOURS)}
    if unknown:
        raise DocumentErrors([PathError(path="mapping", reason=f"there is no field {', '.join(sorted(unknown))}")])
    names = {column: field for field, column in taken.items()}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([names.get(name, f"{LEFT_OUT}{name}") for name in head])
    writer.writerows(rows)
    return out.getvalue(), taken


def remember(text: str, mapping: Mapping[str, str]) -> None:
    """Keep what a table's columns were taken for, for the next one with this head."""
    mark = _mark(_table(text[:LOOKED_AT])[0])
    import_store.save_profile(f"weather {mark[-8:]}", mark, {"mapping": dict(mapping)})


def _known(head: Sequence[str]) -> tuple[dict[str, str], bool]:
    kept = import_store.profiles(_mark(head))
    return (dict(kept[0][1]["mapping"]), True) if kept else (likely(_fields(head), head), False)


def _fields(head: Sequence[str]) -> tuple[FieldWords, ...]:
    """Fields of an hourly table where its head names a time, else of a daily one."""
    return HOURS if "at" in likely(HOURS, head) and "day" not in likely(DAYS, head) else DAYS


def _mark(head: Sequence[str]) -> str:
    return "weather:" + hashlib.sha256("\n".join(head).lower().encode()).hexdigest()


def _table(text: str) -> tuple[list[str], list[list[str]]]:
    plain = text.lstrip("\ufeff")
    first = plain.split("\n", 1)[0]
    delimiter = max((",", ";", "\t"), key=first.count)
    try:
        read = list(csv.reader(io.StringIO(plain, newline=""), delimiter=delimiter))
    except csv.Error as wrong:
        raise DocumentErrors([PathError(path="file", reason=f"it cannot be read as a table: {wrong}")]) from wrong
    if not read:
        raise DocumentErrors([PathError(path="file", reason="nothing is in it")])
    rows, names = read[1:], [name.strip() for name in read[0]]
    doubled = {name for name in names if names.count(name) > 1 and name}
    if doubled:
        reason = f"two columns are called {', '.join(sorted(doubled))}"
        raise DocumentErrors([PathError(path="file", reason=reason)])
    if delimiter == ",":
        return names, rows
    return names, [[re.sub(r"^(-?\d+),(\d+)$", r"\1.\2", cell.strip()) for cell in row] for row in rows]
