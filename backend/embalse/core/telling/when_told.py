"""When a morning letter is due, when an alert may go out, and when a message is tried again."""

from collections.abc import Sequence
from typing import Final, Literal

from embalse.core.errors import require

DAY_MIN: Final = 1440
MORNING_LATE_MIN: Final = 360  # minutes after its hour up to which a morning letter is still worth sending (ours)
OPEN_LATE_S: Final = 900  # s past its end from which a valve counts as open too long (ours: a quarter of an hour)
FORECAST_SHARE: Final = 0.5  # share of a forecast's members from which on frost or heat is told (ours)
RETRIES_S: Final = (60, 300, 900, 3600)  # s between tries; the last is repeated
GIVE_UP_S: Final = 86_400  # s after which a message that cannot be sent stays on the page only (ours: it is old news)


def morning_due(minute: int, hour: int) -> bool:
    """Whether a letter for an hour of the morning is due at a minute of the day.

    Examples
    --------
    >>> [morning_due(m, 6) for m in (359, 360, 720, 721)]
    [False, True, True, False]
    """
    return 0 <= minute - 60 * hour <= MORNING_LATE_MIN


def quiet_for_min(minute: int, quiet_from: int, quiet_until: int) -> int:
    """Minutes an alert waits at a minute of the day, so that quiet hours stay quiet.

    Parameters
    ----------
    minute : int
        Minute of the day.
    quiet_from, quiet_until : int
        Hours between which nothing is sent; over midnight where the first is the later one, none where they are alike.

    Examples
    --------
    >>> quiet_for_min(22 * 60, 21, 6), quiet_for_min(5 * 60, 21, 6), quiet_for_min(12 * 60, 21, 6)
    (480, 60, 0)
    """
    require(0 <= quiet_from < 24 and 0 <= quiet_until < 24, "quiet_from", "must be an hour of the day")
    start, end = 60 * quiet_from, 60 * quiet_until
    if start == end:
        return 0
    inside = start <= minute < end if start < end else minute >= start or minute < end
    return (end - minute) % DAY_MIN if inside else 0


def next_try_s(tries: int, age_s: float) -> int | None:
    """Seconds until a message is tried again after so many tries; None where it is given up.

    Examples
    --------
    >>> next_try_s(1, 60), next_try_s(9, 7200), next_try_s(9, 90_000)
    (60, 3600, None)
    """
    if age_s > GIVE_UP_S:
        return None
    return RETRIES_S[min(max(tries, 1), len(RETRIES_S)) - 1]


def open_too_long(end_at: int, now: int) -> bool:
    """Whether a set that still runs is a quarter of an hour past its end [s, UTC]."""
    return now - end_at > OPEN_LATE_S


def forecast_past(
    values_c: Sequence[float], limit_c: float | None, kind: Literal["frost", "heat"]
) -> tuple[float, float] | None:
    """Frost or heat in a forecast's day: share of its members past the limit [-], and their middle value [°C].

    None where no limit is set, no member tells a temperature, or less than half of them pass it.

    Examples
    --------
    >>> forecast_past([-1.0, -0.5, 1.0, 2.0], 0.0, "frost")
    (0.5, 0.25)
    """
    if limit_c is None or not values_c:
        return None
    past = [v <= limit_c if kind == "frost" else v >= limit_c for v in values_c]
    share = sum(past) / len(past)
    ordered = sorted(values_c)
    middle = (ordered[(len(ordered) - 1) // 2] + ordered[len(ordered) // 2]) / 2
    return (share, middle) if share >= FORECAST_SHARE else None
