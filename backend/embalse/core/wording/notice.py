"""Something Embalse has to say, as a code and values."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

Value = Any
"""A number in the unit its name ends in, a word, another text, or several texts."""


@dataclass(frozen=True, init=False)
class Notice:
    """A code and its values.

    A value's name ends in its unit as everywhere (``short_mm``, ``top_cm``, ``first_day``, ``chance_fraction``), so
    that it can be written in anybody's units. The code's first part says what kind of thing it is.
    """

    code: str
    items: tuple[tuple[str, Value], ...]

    def __init__(self, code: str, /, **values: Value) -> None:
        object.__setattr__(self, "code", code)
        object.__setattr__(self, "items", tuple(values.items()))

    @property
    def values(self) -> dict[str, Value]:
        """The values by name, each in the unit its name ends in."""
        return dict(self.items)

    @property
    def kind(self) -> str:
        """What kind of thing is said: the code's first part."""
        return self.code.split(".")[0]

    def __getitem__(self, name: str) -> Value:
        """A value by its name; raises KeyError."""
        return self.values[name]


Text = str | Notice | Sequence["Text"]
"""Words of a person or a table as they are, something the core says, or several of them."""


def plain(said: Text) -> Any:
    """A text as plain data: a notice as its code and values, others as they are (for keeping and sending)."""
    if isinstance(said, Notice):
        return {"code": said.code, "values": {name: plain(value) for name, value in said.items}}
    if isinstance(said, list | tuple):
        return [plain(one) for one in said]
    return said


def from_plain(kept: Any) -> Any:
    """A text from what `plain` made of it; the inverse, but for sequences that come back as tuples."""
    if isinstance(kept, dict):
        return Notice(kept["code"], **{name: from_plain(value) for name, value in kept["values"].items()})
    if isinstance(kept, list):
        return tuple(from_plain(one) for one in kept)
    return kept


def as_json(said: Text) -> str:
    """A text as JSON, to be kept (no unit): words of a person are kept as JSON text too."""
    return json.dumps(plain(said), ensure_ascii=False, sort_keys=True)


def from_json(kept: str) -> Any:
    """A text that was kept by `as_json`; what was kept as mere words, before there were codes, is words still."""
    return from_plain(json.loads(kept)) if kept.startswith(("{", "[", '"')) else kept
