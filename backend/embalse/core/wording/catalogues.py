"""The same words in other languages: gettext catalogues that ship with the core, English where they have nothing."""

import gettext
from functools import cache
from importlib import resources
from typing import Final, Literal

Language = Literal["en", "es", "xx"]

LANGUAGES: Final[tuple[Language, ...]] = ("en", "es", "xx")
"""English as written in the source, Spanish, and a made-up one with every word marked, to find what was left out."""


class Catalogue:
    """What is said in one language.

    Parameters
    ----------
    language : Language
        Which; ``en`` gives everything back as it is.
    """

    def __init__(self, language: Language) -> None:
        self.language = language
        self._found = gettext.NullTranslations()
        if language != "en":
            with (resources.files("embalse.core.wording") / "languages" / f"{language}.mo").open("rb") as file:
                self._found = gettext.GNUTranslations(file)

    def message(self, code: str, english: str) -> str:
        """A message's template by its code; the English one where it has no other."""
        return english if self.language == "en" else self._found.pgettext(code, english)

    def words(self, english: str) -> str:
        """Words that are said as they stand; a person's own words come back as they are."""
        return english if self.language == "en" or not english else self._found.gettext(english)


@cache
def catalogue(language: Language) -> Catalogue:
    """A language's catalogue, read once."""
    return Catalogue(language)


def language_of(name: str | None) -> Language:
    """The language of that name, English where there is none such.

    Examples
    --------
    >>> language_of("es"), language_of("la"), language_of(None)
    ('es', 'en', 'en')
    """
    return next((one for one in LANGUAGES if one == name), "en")
