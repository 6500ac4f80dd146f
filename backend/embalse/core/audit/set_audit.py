"""Where a set's water went: what was expected against what the stations gained, how deep it went, and a verdict."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from embalse.core.acting.what_ran import cut_short
from embalse.core.errors import require
from embalse.core.practice import practice
from embalse.core.wording import Notice, Text

Verdict = Literal["right", "too much", "too little", "too fast", "not all of the block", "did not run", "cannot tell"]
WITHIN_SHARE: Final = 0.15  # of what was expected within which a gain is as expected (ours: what a good probe can tell)
WITHIN_MM: Final = 2.0  # mm within which it is as expected, however little was (ours: an hourly reading's noise)
MUCH_BELOW_MM: Final = practice("leak_mm")  # mm below the roots from which a set was too much
MUCH_BELOW_SHARE: Final = 0.15  # and of what was expected (ours)
LITTLE_SHARE: Final = 0.67  # of what was expected below which a gain is far too little (a third is missing)
LESS: Final = frozenset({"too little", "too fast"})
PART_SHARE: Final = 0.95  # of a block's area below which a set watered only a part of it (ours: as areas are paced)
SLOPE_ERROR: Final = 0.05  # of a gain, from a calibration's slope (ours: what a fitted line is off as a rule)
RAIN_SHARE: Final = 0.5  # of what was expected that rain beside it may bring before nothing can be told (ours)


@dataclass(frozen=True)
class SetFacts:
    """A set as it ran: hours planned and run, and the net depth expected in the wetted soil [mm].

    ``expected_mm`` is None without an irrigation system. ``rain_mm`` fell beside it; ``takes_mm_h`` and ``gives_mm_h``
    are the soil's intake and the rate on the wetted ground, None where not known. ``has_probes`` is False where no
    station of the block can be trusted, ``calibrated`` where none of them tells water; ``part`` is the part of the
    block that alone was watered. ``start_at`` is its start [s], ``why`` why no probe
    can be trusted, ``doubted`` the stations with something against them.
    """

    planned_h: float | None
    ran_h: float
    expected_mm: float | None
    has_probes: bool = True
    calibrated: bool = True
    part: str = ""
    start_at: int = 0
    why: Text = ""
    doubted: tuple[str, ...] = ()
    rain_mm: float = 0.0
    takes_mm_h: float | None = None
    gives_mm_h: float | None = None


@dataclass(frozen=True)
class SeenAt:
    """What a station saw of a set: gain in the roots with the crop's use added back, its error, reach and leak.

    Millimetres of the wetted soil. ``gained_mm`` is what the roots held more when they were wettest, ``passed_mm`` what
    had gone below them by then, ``below_mm`` all that went below in the days after, None without a sensor there.
    ``arrived_h`` are depths [cm] with the hours from the set's start after which water was there. ``answered`` is False
    where its readings go on and nothing rose; ``least`` where the gain is the least it was. ``held_mm`` is what the
    roots held before it, ``below_error_mm`` the error of the leak. Where the crop's use
    meanwhile is not known (``use_unknown``), or a sensor stood at an end of its range (``at_end``), the gain is the
    least it was. ``wetting_at`` is when its wetting began there [s].
    """

    station: str
    answered: bool
    gained_mm: float = 0.0
    error_mm: float = 0.0
    reach_cm: float = 0.0
    below_mm: float | None = None
    passed_mm: float = 0.0
    least: bool = False
    arrived_h: tuple[tuple[float, float], ...] = ()
    held_mm: float | None = None
    below_error_mm: float = 0.0
    use_unknown: bool = False
    at_end: bool = False
    wetting_at: int | None = None


@dataclass(frozen=True)
class SetAudit:
    """A set held against the probes [mm of the wetted soil, cm]; ``missing_mm`` was neither stored nor seen to pass.

    ``passed_mm`` had gone below the roots when they were wettest, ``below_mm`` is all that did in the days after.
    ``arrived_h`` are depths [cm] with the hours after which water was there, the middle of the stations; ``dry`` are
    the stations that saw nothing of it; with ``rate_beats_soil`` more falls than the soil takes, and longer runs off.
    ``floor`` says that the gain is the least it was. ``doubted`` are stations with something against them: the set is
    told, and nothing is corrected by it.
    """

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
    passed_mm: float = 0.0
    arrived_h: tuple[tuple[float, float], ...] = ()
    dry: tuple[str, ...] = ()
    start_at: int = 0
    below_error_mm: float = 0.0
    rate_beats_soil: bool = False
    floor: bool = False
    doubted: tuple[str, ...] = ()


def audit(facts: SetFacts, seen: Sequence[SeenAt]) -> SetAudit:
    """Say where a set's water went, from every station whose readings can be trusted.

    Several stations are taken together: their mean gain and leak, with the spread between them in the error; the depth
    that half of them reached. A leak is told where it is more than its limit and the error. Where some answered and
    some did not, not all of the block was watered. A third less than expected is never right, and a set that was cut
    short is too little however well it went in.

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
        With expected water of 0 or less, or hours below 0.
    """
    require(facts.ran_h >= 0, "ran_h", "must be 0 or more")
    if facts.ran_h == 0:
        return _plain(facts, "did not run", Notice("audit.did_not_run"))
    if facts.expected_mm is None:
        return _plain(facts, "cannot tell", Notice("audit.no_system"))
    require(facts.expected_mm > 0, "expected_mm", "must be more than 0")
    if facts.part:
        return _plain(facts, "cannot tell", Notice("audit.part", part=facts.part))
    if not seen:
        return _plain(facts, "cannot tell", _why_unseen(facts))
    if facts.rain_mm > RAIN_SHARE * facts.expected_mm:
        return _plain(facts, "cannot tell", Notice("audit.rain", rain_mm=facts.rain_mm))
    gains = np.array([s.gained_mm if s.answered else 0.0 for s in seen])
    gained = float(gains.mean())
    spread = float(gains.std(ddof=1)) if len(seen) > 1 else None
    error = _error_of(gains.tolist(), [s.error_mm for s in seen])
    reach = float(np.median([s.reach_cm if s.answered else 0.0 for s in seen]))
    told = [s.below_mm for s in seen if s.below_mm is not None]
    below = float(np.mean(told)) if told else None
    passed = float(np.mean([s.passed_mm for s in seen]))
    leak_error = _error_of(told, [s.below_error_mm for s in seen if s.below_mm is not None])
    missing = max(0.0, facts.expected_mm - gained - passed)
    verdict, why = _verdict(facts, seen, _Found(facts.expected_mm, gained + passed, error, below, leak_error, missing))
    dry = tuple(s.station for s in seen if not s.answered)
    came = _arrived(seen)
    return SetAudit(
        verdict, facts.expected_mm, gained, error, reach, below, missing, spread, len(seen), why, passed, came, dry,
        facts.start_at, leak_error, _beats(facts), any(s.use_unknown or s.at_end for s in seen), facts.doubted,
    )  # fmt: skip


def came_as_logged(told: SetAudit) -> bool:
    """Whether the water that was expected has come, within what a probe can tell [no unit].

    Examples
    --------
    >>> came_as_logged(SetAudit("right", 20.0, 18.0, 1.0, 60.0, 0.0, 2.0, None, 1))
    True
    """
    band = max(WITHIN_MM, WITHIN_SHARE * told.expected_mm, told.error_mm or 0.0)
    return told.missing_mm is not None and told.missing_mm <= band


def with_model(told: SetAudit, seen: Sequence[SeenAt], modelled: Mapping[str, Mapping[int, float]]) -> list[SeenAt]:
    """What stations saw, with the water below the roots by the block's fitted model where it tells better.

    The model takes it that what is logged has come: where it has not, it makes a leak of the water it misses, and the
    smaller of the two is told. It knows the soil between two sensors: what its leak may be off is the calibration's
    slope.

    Parameters
    ----------
    told : SetAudit
        The set by the sensors alone.
    seen : sequence of SeenAt
    modelled : mapping of str to mapping of int to float
        Leaks by station and the beginning of the wetting [s], in mm of the wetted soil.
    """
    came, found = came_as_logged(told), []
    for one in seen:
        mine = modelled.get(one.station, {}).get(one.wetting_at if one.wetting_at is not None else -1)
        if mine is None or one.below_mm is None:
            found.append(one)
            continue
        below = mine if came else min(mine, one.below_mm)
        found.append(replace(one, below_mm=below, below_error_mm=SLOPE_ERROR * below))
    return found


def alone(area_ha: float | None, block_ha: float) -> bool:
    """Whether a set watered only a part of its block (areas in ha).

    Examples
    --------
    >>> alone(4.7, 5.0), alone(4.75, 5.0), alone(None, 5.0)
    (True, False, False)
    """
    return area_ha is not None and area_ha < PART_SHARE * block_ha


def _error_of(values: Sequence[float], errors: Sequence[float]) -> float:
    """Error of a mean over stations: their own, and how far they lie apart [mm]."""
    if not values:
        return 0.0
    own = math.sqrt(sum(e**2 for e in errors)) / len(values)
    apart = float(np.std(values, ddof=1)) if len(values) > 1 else 0.0
    return math.hypot(own, apart / math.sqrt(len(values)))


def _beats(facts: SetFacts) -> bool:
    return facts.takes_mm_h is not None and facts.gives_mm_h is not None and facts.gives_mm_h > facts.takes_mm_h


@dataclass(frozen=True)
class _Found:
    expected_mm: float
    gained_mm: float
    error_mm: float
    below_mm: float | None
    below_error_mm: float
    missing_mm: float


def _why_unseen(facts: SetFacts) -> Notice:
    if not facts.has_probes:
        return Notice("audit.no_probe", why=facts.why or None)
    return Notice("audit.not_read") if facts.calibrated else Notice("audit.uncalibrated")


def _plain(facts: SetFacts, verdict: Verdict, why: Notice) -> SetAudit:
    expected = facts.expected_mm or 0.0
    return SetAudit(verdict, expected, None, None, None, None, None, None, 0, (why,), start_at=facts.start_at)


def _arrived(seen: Sequence[SeenAt]) -> tuple[tuple[float, float], ...]:
    depths = sorted({depth for s in seen for depth, _ in s.arrived_h})
    return tuple((d, float(np.median([h for s in seen for depth, h in s.arrived_h if depth == d]))) for d in depths)


def _verdict(facts: SetFacts, seen: Sequence[SeenAt], found: _Found) -> tuple[Verdict, tuple[Notice, ...]]:
    dry = [s for s in seen if not s.answered]
    if dry:
        some = len(dry) < len(seen)
        which = Notice("audit.some_dry", dry=tuple(s.station for s in dry))
        return ("not all of the block", (which,)) if some else ("too little", (Notice("audit.nothing_came"),))
    if any(s.least for s in seen):
        return "cannot tell", (Notice("audit.least", gained_mm=found.gained_mm),)
    told = _by_amount(facts, found)
    if told[0] in LESS and any(s.use_unknown for s in seen):
        return "cannot tell", (Notice("audit.least_use", gained_mm=found.gained_mm),)
    if told[0] in LESS and any(s.at_end for s in seen):
        return "cannot tell", (Notice("audit.least_end", gained_mm=found.gained_mm),)
    return told


def _by_amount(facts: SetFacts, found: _Found) -> tuple[Verdict, tuple[Notice, ...]]:
    """By water that came and went: how far it reached is told beside it, for a set refills what was used."""
    band = max(WITHIN_MM, WITHIN_SHARE * found.expected_mm, found.error_mm)
    much_below = max(MUCH_BELOW_MM, MUCH_BELOW_SHARE * found.expected_mm)
    if found.below_mm is not None and found.below_mm - found.below_error_mm > much_below:
        return "too much", (Notice("audit.below", below_mm=found.below_mm),)
    if found.missing_mm > band or found.gained_mm < LITTLE_SHARE * found.expected_mm:
        return _too_little(facts, found)
    if found.gained_mm > found.expected_mm + band:
        return "too much", (Notice("audit.more", gained_mm=found.gained_mm, expected_mm=found.expected_mm),)
    if cut_short(facts.ran_h, facts.planned_h):
        return "too little", (Notice("audit.cut_short", ran_h=facts.ran_h, planned_h=facts.planned_h),)
    return "right", ()


def _too_little(facts: SetFacts, found: _Found) -> tuple[Verdict, tuple[Notice, ...]]:
    lost = Notice("audit.missing", missing_mm=found.missing_mm)
    if _beats(facts):
        rates = Notice("audit.too_fast", gives_mm_h=facts.gives_mm_h, takes_mm_h=facts.takes_mm_h)
        return "too fast", (lost, rates)
    return "too little", (lost,)
