"""Messages in English, one module a room: code → text with the values' names in braces.

A value is written with its unit, as its name's ending says. After a colon: decimals (in metric units), ``g`` as entered,
``+`` for a share with its sign,
``-`` without the unit, ``s`` a plural's ending by that count, ``one|more`` a word by that count, ``in`` for a text that stands within the sentence, ``and`` or ``,`` for how several are joined. What
stands in square brackets is left out where a value in it is missing.
"""

from functools import cache

from embalse.core.wording.messages import (
    advice,
    audit,
    field,
    install,
    seasons,
    sensors,
    services,
    soil,
    spatial,
    telling,
    working,
)


@cache
def messages() -> dict[str, str]:
    """Every message by its code."""
    rooms = (advice, audit, field, install, seasons, sensors, services, soil, spatial, telling, working)
    return {code: words for room in rooms for code, words in room.MESSAGES.items()}
