"""Faults of sets that somebody has to go and see: which they are, and which are still open."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

from embalse.core.acting.what_ran import cut_short
from embalse.core.audit.set_audit import SetAudit, SetFacts

SetFault = Literal["did not run", "cut short", "some dry", "nothing came", "clogging", "leak"]
DAY_S: Final = 86400
OPEN_DAYS: Final = 7  # days a fault is on the list without being seen (ours: by then another set has run)
AGAIN_DAYS: Final = 30  # days over which the same fault again is named (ours)


def fault_of(facts: SetFacts, told: SetAudit) -> SetFault | None:
    """What somebody has to go and see of an audited set; None where nothing is (hours in the facts)."""
    if told.verdict == "did not run":
        return "did not run"
    if cut_short(facts.ran_h, facts.planned_h):
        return "cut short"
    if told.verdict == "not all of the block":
        return "some dry"
    return "nothing came" if told.verdict == "too little" and told.dry else None


@dataclass(frozen=True)
class OpenFault:
    """A kind of fault nobody went to see since its last set: which of the faults that was, and how often it came."""

    place: int
    times: int


def open_faults(faults: Sequence[tuple[SetFault, int]], seen_at: Mapping[str, int], now: int) -> tuple[OpenFault, ...]:
    """Kinds of faults of a block that are open, the latest of each.

    Parameters
    ----------
    faults : sequence of (SetFault, int)
        Kind and start of the set [s, UTC], oldest first.
    seen_at : mapping of str to int
        When somebody last went to see each kind [s, UTC].
    now : int
        Instant [s, UTC].

    Examples
    --------
    >>> open_faults([("did not run", 0), ("did not run", 90_000)], {}, 100_000)
    (OpenFault(place=1, times=2),)
    >>> open_faults([("did not run", 90_000)], {"did not run": 95_000}, 100_000)
    ()
    """
    found = []
    for kind in dict.fromkeys(kind for kind, _ in faults):
        mine = [n for n, (k, at) in enumerate(faults) if k == kind and now - at <= AGAIN_DAYS * DAY_S]
        last = faults[mine[-1]][1] if mine else 0
        if mine and now - last <= OPEN_DAYS * DAY_S and seen_at.get(kind, -1) < last:
            found.append(OpenFault(mine[-1], len(mine)))
    return tuple(found)
