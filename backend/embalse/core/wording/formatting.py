"""From a code and values to a sentence in somebody's units: the only place that does so."""

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import cache
from typing import Any, Final

from embalse.core.wording.catalogues import Catalogue, Language, catalogue
from embalse.core.wording.messages import messages
from embalse.core.wording.notice import Notice, Text
from embalse.core.wording.quantities import Units, Written, quantity_of

EPOCH_ORDINAL: Final = date(1970, 1, 1).toordinal()  # day number 0 in the calendar's own count
_WEEKDAYS: Final = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_MONTHS: Final = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
MINUTES_STEP: Final = 5  # minutes a set time is rounded to: as timers are set
_FIELD: Final = re.compile(r"\{(\w+)(?::([^}]*))?\}")
_JOINERS: Final = {"and": " and ", ",": ", "}
_OPTIONAL: Final = re.compile(r"\[([^\[\]]*)\]")


@dataclass(frozen=True)
class Reader:
    """Who reads: their units, the year they read in, so that a date of another year names it, and their language."""

    units: Units = "metric"
    year: int | None = None
    language: Language = "en"

    @property
    def catalogue(self) -> Catalogue:
        """What is said in their language."""
        return catalogue(self.language)


METRIC: Final = Reader()
ENGLISH: Final = METRIC.catalogue


def text(said: Text, reader: Reader = METRIC) -> str:
    """A text in a reader's units and language; several are joined by semicolons.

    Raises
    ------
    KeyError
        If a notice has no message, or lacks a value its message asks for.

    Examples
    --------
    >>> from embalse.core.wording.notice import Notice
    >>> text(Notice("reason.past_refill", over_mm=12.3)), text(Notice("reason.past_refill", over_mm=12.7), Reader("us"))
    ('12 mm past the refill point.', '0.50 in past the refill point.')
    """
    if isinstance(said, str):
        return reader.catalogue.words(said)
    if isinstance(said, Notice):
        return _filled(reader.catalogue.message(said.code, messages()[said.code]), said.values, reader)
    return "; ".join(_ended(text(one, reader)) for one in said)


def sentences(said: Text, reader: Reader = METRIC) -> str:
    """Texts one after another, as whole sentences (units by the reader)."""
    if isinstance(said, str | Notice):
        return text(said, reader)
    return " ".join(text(one, reader) for one in said)


def _ended(words: str) -> str:
    return words[:-1] if words.endswith(".") and not words.endswith("..") else words


@cache
def _parts(template: str) -> tuple[str, ...]:
    return tuple(_OPTIONAL.split(template))


def _filled(template: str, values: Mapping[str, Any], reader: Reader) -> str:
    """A message with its fields filled in; what stands in brackets is left out where a field of it has no value."""
    found = []
    for number, part in enumerate(_parts(template)):
        if number % 2 and any(values.get(name) in (None, "", ()) for name, _ in _FIELD.findall(part)):
            continue
        found.append(_FIELD.sub(lambda m: _written(m[1], values[m[1]], m[2] or "", reader), part))
    return "".join(found)


def _written(name: str, value: Any, how: str, reader: Reader) -> str:
    if how == "s":
        return "" if value == 1 else "s"
    if "|" in how:
        one, _, more = how.partition("|")
        return one if value == 1 else more
    if isinstance(value, list | tuple) and how in _JOINERS:
        return reader.catalogue.words(_JOINERS[how]).join(_ended(text(one, reader)) for one in value)
    if isinstance(value, Notice | list | tuple):
        words = text(value, reader)
        return _inside(words) if how == "in" else _ended(words)
    if isinstance(value, str | bool) or value is None:
        word = value if isinstance(value, str) else "" if value is None else str(value).lower()
        known = reader.catalogue.words(word)
        return _inside(known) if how == "in" else known
    return _number(name, float(value), how, reader)


def _inside(words: str) -> str:
    """Words as they stand within a sentence: no capital, no full stop."""
    plain = len(words) > 1 and words[0].isupper() and not words[1].isupper()
    return _ended(words[0].lower() + words[1:] if plain else words)


def _number(name: str, value: float, how: str, reader: Reader) -> str:
    if name.endswith("day") and not name.endswith("_d"):
        return day_words(int(value), reader.year, reader.catalogue)
    if name.endswith(("_days", "days")):
        return _days(value, how, reader)
    if name == "h" or (name.endswith("_h") and quantity_of(name) is None):
        return _hours(name, value, how, reader)
    if name.endswith(("_fraction", "_share", "_chance")):
        sign, decimals = ("+", 0) if how == "+" else ("", how or 0)
        figure = f"{value:{sign}.{decimals}%}"
        figure = figure.lstrip("+-") if float(figure[:-1]) == 0 else figure
        return figure.replace("%", " %").replace("-", "−")
    quantity = quantity_of(name)
    if quantity is not None:
        return _quantity(value, quantity, how, reader)
    return _figure(value, how)


def _hours(name: str, value: float, how: str, reader: Reader) -> str:
    if name.endswith("clock_h"):
        return clock_words(value, reader.catalogue)
    return f"{value:g} h" if how == "g" else hours_words(value)


def _days(value: float, how: str, reader: Reader) -> str:
    figure = f"{value:.{how}f}" if how.isdigit() else f"{value:g}"
    return f"{figure} {reader.catalogue.words('day' if figure == '1' else 'days')}"


def _figure(value: float, how: str) -> str:
    if how.isdigit():
        return f"{value:.{how}f}".replace("-", "−")
    return format(value, how or "g").replace("-", "−")


def _quantity(value: float, written: Written, how: str, reader: Reader) -> str:
    """A value with its unit; ``how``: decimals in metric units, "g" as entered, "-" before either for no unit."""
    units = reader.units
    quantity, asked = written.in_units(units), how.lstrip("-")
    shown = value * quantity.factor + quantity.offset
    if asked == "g":
        figure = f"{shown:g}" if units == "metric" else f"{float(f'{shown:.3g}'):g}"
    else:
        more = int(asked) - written.metric.decimals if asked else 0
        figure = f"{shown:.{max(0 if units == 'metric' else quantity.decimals, quantity.decimals + more)}f}"
    if float(figure) == 0:
        figure = figure.replace("-", "")
    figure = figure.replace("-", "−")
    if how.startswith("-"):
        return figure
    return f"{figure} {quantity.unit.replace('/day', reader.catalogue.words(' a day'))}"


def day_words(day: int, year: int | None = None, said: Catalogue = ENGLISH) -> str:
    """A day number (days since 1970-01-01) as a farm says it, with its year where that is another than ``year``.

    Examples
    --------
    >>> day_words(20648), day_words(20648, 2025)
    ('Tue 14 Jul', 'Tue 14 Jul 2026')
    """
    found = date.fromordinal(day + EPOCH_ORDINAL)
    words = f"{said.words(_WEEKDAYS[found.weekday()])} {found.day} {said.words(_MONTHS[found.month - 1])}"
    return words if year is None or found.year == year else f"{words} {found.year}"


def to_five_minutes(hours: float) -> int:
    """A time [h] as it is set on a clock: whole minutes, to five [min]; never nothing for something.

    Examples
    --------
    >>> to_five_minutes(5.17), to_five_minutes(0.01)
    (310, 5)
    """
    minutes = MINUTES_STEP * math.floor(hours * 60 / MINUTES_STEP + 0.5)
    return max(MINUTES_STEP, minutes) if hours > 0 else 0


def clock_words(hours: float, said: Catalogue = ENGLISH) -> str:
    """An hour of the farm's day as a clock shows it [h]; beyond 24 it is of the next day, or so many days on.

    Examples
    --------
    >>> clock_words(14.0), clock_words(25.75), clock_words(50.5)
    ('14:00', '01:45 tomorrow', '02:30 in 2 days')
    """
    minutes = round(hours * 60 / MINUTES_STEP) * MINUTES_STEP
    days, left = divmod(minutes, 24 * 60)
    when = "" if days == 0 else said.words(" tomorrow") if days == 1 else said.words(" in {days} days")
    return f"{left // 60:02}:{left % 60:02}{when.format(days=days)}"


def hours_words(hours: float) -> str:
    """Hours to five minutes, in words.

    Examples
    --------
    >>> hours_words(5.17)
    '5 h 10 min'
    """
    minutes = MINUTES_STEP * round(hours * 60 / MINUTES_STEP)
    return f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{minutes} min"
