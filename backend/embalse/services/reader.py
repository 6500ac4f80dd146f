"""Who reads the answer: their units and language, for the time of a request or a command, and texts made for them."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import replace
from typing import Annotated

from pydantic import AfterValidator

from embalse.core.wording import METRIC, Reader, Text, sentences, text
from embalse.core.wording.catalogues import Language
from embalse.core.wording.quantities import Units

_reader: ContextVar[Reader] = ContextVar("reader", default=METRIC)


def reader() -> Reader:
    """Whoever reads now."""
    return _reader.get()


def read_in(units: Units, language: Language = "en") -> None:
    """Everything said from now on in this context is in these units and this language."""
    _reader.set(replace(_reader.get(), units=units, language=language))


@contextmanager
def reading_as(units: Units, language: Language = "en") -> Iterator[None]:
    """Everything said inside is in these units and this language."""
    token = _reader.set(replace(_reader.get(), units=units, language=language))
    try:
        yield
    finally:
        _reader.reset(token)


def say(said: Text | None) -> str:
    """A text as the reader sees it; empty for nothing."""
    return "" if said is None else text(said, _reader.get())


def say_all(said: Iterable[Text]) -> list[str]:
    """Texts as the reader sees them, one by one."""
    return [text(one, _reader.get()) for one in said]


def say_sentences(said: Text) -> str:
    """Texts one after another, as whole sentences."""
    return sentences(said, _reader.get())


Words = Annotated[str, AfterValidator(say)]
"""Words of the product within an answer, said in the reader's language; a person's own come through as they are."""
