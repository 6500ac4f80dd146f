"""Names of people as they stand in the trail: none may be taken for another person's, or for none."""

import unicodedata
from collections.abc import Iterable
from typing import Final

from embalse.core.access.roles import ROLES
from embalse.core.errors import CoreError

NOT_PERSONS: Final = ("embalse", "embalse itself", "command line", "a device", "nobody signed in")
"""What the trail calls those who are no person."""
LOOK_ALIKE: Final = str.maketrans({"0": "o", "1": "l", "i": "l", "|": "l", "5": "s", "8": "b", "v": "u"})
"""Letters and figures that are read as one another (ours)."""


def refused_name(name: str, others: Iterable[str]) -> None:
    """Refuse a name that could be taken for somebody else's.

    Parameters
    ----------
    name : str
        The name wanted.
    others : iterable of str
        Names of everybody else on the farm, also of those who have left.

    Raises
    ------
    CoreError
        If it looks like another's, mixes scripts, hides characters, names a role, or is what the trail calls others.

    References
    ----------
    .. [1] Unicode Technical Standard 39, sections 4 and 5: look-alikes are compared by a skeleton, scripts not mixed.

    Examples
    --------
    >>> refused_name("Inés", ["Ana"])
    >>> refused_name("lnes", ["Inés"])
    Traceback (most recent call last):
    embalse.core.errors.CoreError: name: could be taken for Inés: add a surname or an initial
    """
    if any(unicodedata.category(c) in ("Cf", "Cc", "Co", "Cn") for c in name):
        raise CoreError("name", "has characters that cannot be seen")
    scripts = {unicodedata.name(c, "?").split()[0] for c in name if c.isalpha()}
    if len(scripts & {"LATIN", "CYRILLIC", "GREEK", "ARMENIAN", "CHEROKEE", "FULLWIDTH"}) > 1:
        raise CoreError("name", "mixes letters of several scripts, which can be taken for one another")
    plain = " ".join(_folded(name).split())
    if plain in NOT_PERSONS or set(plain.replace("(", " ").replace(")", " ").split()) & _role_words():
        raise CoreError("name", "is a role, or what the trail calls somebody else: write a person's name")
    looks = skeleton(name)
    if not looks:
        raise CoreError("name", "has no letter in it")
    for other in others:
        if skeleton(other) == looks:
            raise CoreError("name", f"could be taken for {other}: add a surname or an initial")


def skeleton(name: str) -> str:
    """A name as the eye takes it: without accents, case, spaces and signs, look-alikes made one [text]."""
    return "".join(c for c in _folded(name) if c.isalnum()).translate(LOOK_ALIKE).replace("rn", "m")


def _folded(name: str) -> str:
    apart = unicodedata.normalize("NFKD", name)
    return "".join(c for c in apart if not unicodedata.combining(c)).casefold()


def _role_words() -> set[str]:
    return {role for role in ROLES if " " not in role} | {"administrator"}
