"""Days as a farm speaks of them."""

from datetime import date

EPOCH_ORDINAL = date(1970, 1, 1).toordinal()
_WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def day_words(day: int) -> str:
    """A day number (days since 1970-01-01) in words.

    Examples
    --------
    >>> day_words(20648)
    'Tue 14 Jul'
    """
    found = date.fromordinal(day + EPOCH_ORDINAL)
    return f"{_WEEKDAYS[found.weekday()]} {found.day} {_MONTHS[found.month - 1]}"


def hours_words(hours: float) -> str:
    """Hours to five minutes, in words.

    Examples
    --------
    >>> hours_words(5.17)
    '5 h 10 min'
    """
    minutes = 5 * round(hours * 12)
    return f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{minutes} min"
