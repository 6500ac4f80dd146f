"""Where a set's water went: what was expected against what the stations gained, how deep it went, and a verdict."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from embalse.core.errors import require
from embalse.core.wording import Notice

Verdict = Literal["right", "too much", "too little", "too fast", "not all of the block", "did not run", "cannot tell"]
WITHIN_SHARE: Final = 0.15  # of what was expected within which a gain is as expected (ours: what a good probe can tell)
WITHIN_MM: Final = 2.0  # mm within which it is as expected, however little was (ours: an hourly reading's noise)
MUCH_BELOW_MM: Final = 2.0  # mm below the roots from which a set was too much (common practice: a leak worth saying)
MUCH_BELOW_SHARE: Final = 0.15  # and of what was expected (ours)
LITTLE_SHARE: Final = 0.67  # of what was expected below which a gain is far too little (a third is missing)
RAIN_SHARE: Final = 0.5  # of what was expected that rain beside it may bring before nothing can be told (ours)


@dataclass(frozen=True)
class SetFacts:
    """A set as it ran: hours planned and run, and the net depth expected in the wetted soil [mm].

    ``rain_mm`` fell beside it; ``takes_mm_h`` and ``gives_mm_h`` are the soil's intake and the rate on the wetted
    ground, None where not known. ``has_probes`` is False where no station of the block can be trusted.
    """

    planned_h: float | None
    ran_h: float
    expected_mm: float
    has_probes: bool = True
    rain_mm: float = 0.0
    takes_mm_h: float | None = None
    gives_mm_h: float | None = None


@dataclass(frozen=True)
class SeenAt:
    """What a station saw of a set: gain in the roots with the crop's use added back, its error, reach and leak.

    Millimetres of the wetted soil. ``gained_mm`` is what the roots held more when they were wettest, ``passed_mm`` what
    had gone below them by then, ``below_mm`` all that went below in the days after, None without a sensor there.
    ``answered`` is False where its readings go on and nothing rose; ``least`` where the gain is the least it was.
    """

    station: str
    answered: bool
    gained_mm: float = 0.0
    error_mm: float = 0.0
    reach_cm: float = 0.0
    below_mm: float | None = None
    passed_mm: float = 0.0
    least: bool = False


@dataclass(frozen=True)
class SetAudit:
    """A set held against the probes [mm of the wetted soil, cm]; ``missing_mm`` was neither stored nor seen to pass."""

    verdict: Verdict
    expected_mm: float
    gained_mm: float | None
    error_mm: float | None
    reach_cm: float | None
    below_mm: float | None
    missing_mm: float | None
    spread_mm: float | None
    stations: int
    why: tuple[Notice, ...] = ()


def audit(facts: SetFacts, seen: Sequence[SeenAt]) -> SetAudit:
    """Say where a set's water went, from every station whose readings can be trusted.

    Several stations are taken together: their mean gain and leak, with the spread between them in the error; the depth
    that half of them reached. A leak is told where it is more than its limit and the error. Where some answered and
    some did not, not all of the block was watered. A third less than expected is never right.

    Parameters
    ----------
    facts : SetFacts
    seen : sequence of SeenAt
        One a station that can be trusted; none gives "cannot tell".

    Returns
    -------
    SetAudit

    Raises
    ------
    CoreError
        Without expected water, or hours below 0.
    """
    require(facts.ran_h >= 0, "ran_h", "must be 0 or more")
    if facts.ran_h == 0:
        return _plain(facts, "did not run", Notice("audit.did_not_run"))
    require(facts.expected_mm > 0, "expected_mm", "must be more than 0")
    if not seen:
        return _plain(facts, "cannot tell", Notice("audit.not_read" if facts.has_probes else "audit.no_probe"))
    if facts.rain_mm > RAIN_SHARE * facts.expected_mm:
        return _plain(facts, "cannot tell", Notice("audit.rain", rain_mm=facts.rain_mm))
    gains = np.array([s.gained_mm if s.answered else 0.0 for s in seen])
    gained = float(gains.mean())
    spread = float(gains.std(ddof=1)) if len(seen) > 1 else None
    errors = math.sqrt(sum(s.error_mm**2 for s in seen)) / len(seen)
    error = math.hypot(errors, (spread or 0.0) / math.sqrt(len(seen)))
    reach = float(np.median([s.reach_cm if s.answered else 0.0 for s in seen]))
    told = [s.below_mm for s in seen if s.below_mm is not None]
    below = float(np.mean(told)) if told else None
    passed = float(np.mean([s.passed_mm for s in seen]))
    missing = max(0.0, facts.expected_mm - gained - passed)
    verdict, why = _verdict(facts, seen, _Found(gained + passed, error, reach, below, missing))
    return SetAudit(verdict, facts.expected_mm, gained, error, reach, below, missing, spread, len(seen), why)


@dataclass(frozen=True)
class _Found:
    gained_mm: float
    error_mm: float
    reach_cm: float
    below_mm: float | None
    missing_mm: float


def _plain(facts: SetFacts, verdict: Verdict, why: Notice) -> SetAudit:
    return SetAudit(verdict, facts.expected_mm, None, None, None, None, None, None, 0, (why,))


def _verdict(facts: SetFacts, seen: Sequence[SeenAt], found: _Found) -> tuple[Verdict, tuple[Notice, ...]]:
    dry = [s for s in seen if not s.answered]
    if dry:
        some = len(dry) < len(seen)
        which = Notice("audit.some_dry", dry=tuple(s.station for s in dry))
        return ("not all of the block", (which,)) if some else ("too little", (Notice("audit.nothing_came"),))
    if any(s.least for s in seen):
        return "cannot tell", (Notice("audit.least", gained_mm=found.gained_mm),)
    return _by_amount(facts, found)


def _by_amount(facts: SetFacts, found: _Found) -> tuple[Verdict, tuple[Notice, ...]]:
    """By water that came and went: how far it reached is told beside it, for a set refills what was used."""
    band = max(WITHIN_MM, WITHIN_SHARE * facts.expected_mm, found.error_mm)
    much_below = max(MUCH_BELOW_MM, MUCH_BELOW_SHARE * facts.expected_mm)
    if found.below_mm is not None and found.below_mm - found.error_mm > much_below:
        return "too much", (Notice("audit.below", below_mm=found.below_mm),)
    if found.missing_mm > band or found.gained_mm < LITTLE_SHARE * facts.expected_mm:
        return _too_little(facts, found)
    if found.gained_mm > facts.expected_mm + band:
        return "too much", (Notice("audit.more", gained_mm=found.gained_mm, expected_mm=facts.expected_mm),)
    return "right", ()


def _too_little(facts: SetFacts, found: _Found) -> tuple[Verdict, tuple[Notice, ...]]:
    lost = Notice("audit.missing", missing_mm=found.missing_mm)
    if facts.takes_mm_h is not None and facts.gives_mm_h is not None and facts.gives_mm_h > facts.takes_mm_h:
        rates = Notice("audit.too_fast", gives_mm_h=facts.gives_mm_h, takes_mm_h=facts.takes_mm_h)
        return "too fast", (lost, rates)
    return "too little", (lost, Notice("audit.candidates"))
