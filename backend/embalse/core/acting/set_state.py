"""States of a set, what may follow what, and what is to be sent to a controller when."""

from dataclasses import dataclass
from typing import Final, Literal, get_args

from embalse.core.errors import require

SetState = Literal["approved", "sent", "confirmed", "running", "done", "cut short", "failed", "by hand", "withdrawn"]
STATES: Final[tuple[SetState, ...]] = get_args(SetState)
OVER: Final[frozenset[SetState]] = frozenset({"done", "cut short", "failed", "by hand", "withdrawn"})
AHEAD: Final[frozenset[SetState]] = frozenset({"approved", "sent", "confirmed"})
FOLLOWS: Final[dict[SetState, frozenset[SetState]]] = {
    "approved": frozenset({"sent", "confirmed", "running", "done", "cut short", "failed", "by hand", "withdrawn"}),
    "sent": frozenset({"confirmed", "running", "done", "cut short", "failed", "by hand", "withdrawn"}),
    "confirmed": frozenset({"running", "done", "cut short", "failed", "by hand"}),
    "running": frozenset({"done", "cut short", "failed", "by hand"}),
    "done": frozenset({"cut short", "by hand"}),
    "cut short": frozenset({"done", "by hand"}),
    "failed": frozenset({"running", "done", "cut short", "by hand"}),
    "by hand": frozenset({"done", "cut short", "failed"}),
    "withdrawn": frozenset({"by hand"}),
}
"""What a state may turn into. What was over may still be corrected by better evidence, never be sent again."""

LEAST_RUN_MIN: Final = 15.0  # minutes still to run below which a late set is not opened any more (ours)
BACK_OFF_S: Final = (5.0, 15.0, 60.0, 300.0)  # seconds between tries to reach a controller, the last for ever (ours)
DELAY_MIN: Final = 1.0  # minutes between valves of a line (common practice: it fills gently)
MARGIN_S: Final = 120  # seconds past a set's end that an opening may last before it closes itself (ours)


def follows(before: SetState, after: SetState) -> SetState:
    """The later state itself when it may follow.

    Raises
    ------
    CoreError
        If it may not.

    Examples
    --------
    >>> follows("approved", "running")
    'running'
    """
    allowed = before == after or after in FOLLOWS[before]
    require(allowed, "state", f"a set that is {before} cannot become {after}")
    return after


def wait_s(tries: int) -> float:
    """How long to wait after so many tries that failed [s].

    Examples
    --------
    >>> wait_s(0), wait_s(1), wait_s(9)
    (0.0, 5.0, 300.0)
    """
    return 0.0 if tries == 0 else BACK_OFF_S[min(tries, len(BACK_OFF_S)) - 1]


def pulse_spans(start_at: int, end_at: int, pulses: int, flowing_s: int) -> list[tuple[int, int]]:
    """When water flows in a set that is given in pulses, from its start to its end [s, UTC]: alike, with alike pauses.

    Raises
    ------
    CoreError
        Without a pulse, or if water is to flow longer than the set lasts.

    Examples
    --------
    >>> pulse_spans(0, 7200, 2, 3600)
    [(0, 1800), (5400, 7200)]
    """
    require(pulses >= 1, "pulses", "must be 1 or more")
    require(0 < flowing_s <= end_at - start_at, "flowing_min", "must be more than 0 and no longer than the set")
    if pulses == 1:
        return [(start_at, end_at)]
    on = flowing_s / pulses
    every = on + (end_at - start_at - flowing_s) / (pulses - 1)
    return [(round(start_at + n * every), round(start_at + n * every + on)) for n in range(pulses)]


@dataclass(frozen=True)
class Due:
    """What is to be done to a set now: open it for at most ``longest_s`` [s], close it, or say that it failed."""

    what: Literal["open", "close", "fail"]
    longest_s: int = 0


def due_now(state: SetState, start_at: int, end_at: int, now: int) -> Due | None:
    """What a set of a controller asks for at an instant; None while there is nothing to do.

    A set runs within its approved hours only: one that is late is opened for what is left of them, and not at all
    where that is less than a quarter of an hour. Sent is not opened: the command is told again under the same name
    until it is confirmed.

    Parameters
    ----------
    state : SetState
    start_at, end_at, now : int
        Instants [s, UTC].

    Returns
    -------
    Due or None

    Examples
    --------
    >>> due_now("approved", 0, 7200, 3600)
    Due(what='open', longest_s=3720)
    """
    if state in ("approved", "sent"):
        if now < start_at:
            return None
        if end_at - now < 60 * LEAST_RUN_MIN and (end_at - start_at > 60 * LEAST_RUN_MIN or now >= end_at):
            return Due("fail")
        return Due("open", end_at - now + MARGIN_S)
    return Due("close") if state in ("confirmed", "running") and now >= end_at else None
