"""A sensor nobody put there on record: what can be told of it by cloth, tap, spade and comparison."""

from dataclasses import dataclass
from typing import Final

from embalse.core.practice import practice
from embalse.core.sensors.calibration import TENSION_UNITS, WATER_CONTENT_UNITS
from embalse.core.wording import Notice

ANSWER_KPA: Final = 2.0  # kPa a tension reading must move to be an answer: what a gauge can be read to
APART_THETA: Final = 0.06  # m³/m³ a calibrated sensor may lie from a sample beside it: twice a maker's curve (ours)
OWN, OTHER, NONE = "its own channel moved", "another channel moved", "nothing moved"


@dataclass(frozen=True)
class Found:
    """What was tried: readings before and after water [raw unit], the tap, the depth dug [cm], water beside it [%]."""

    raw_unit: str
    before: float | None = None
    wet: float | None = None
    tap: str = ""
    dug_cm: float | None = None
    beside_pct: float | None = None


@dataclass(frozen=True)
class FoundVerdict:
    """Whether it answers to water (None: not tried), its depth [cm] where known, and what follows, in words."""

    answers: bool | None
    depth_cm: float | None
    notices: tuple[Notice, ...]

    @property
    def may_advise(self) -> bool:
        """Whether it may be used for advice at all."""
        return self.answers is True and self.depth_cm is not None


def answers_to_water(found: Found) -> bool | None:
    """Whether a reading moved towards wet beyond its own scatter (raw unit); None where it was not tried.

    Examples
    --------
    >>> answers_to_water(Found("kPa", 60.0, 12.0)), answers_to_water(Found("kPa", 60.0, 59.0))
    (True, False)
    """
    if found.before is None or found.wet is None:
        return None
    moved = found.wet - found.before
    if found.raw_unit in TENSION_UNITS:
        least = ANSWER_KPA if found.raw_unit == "kPa" else practice("still_air_share") * abs(found.before)
        return moved <= -least
    least = practice("still_air_share") * abs(found.before)
    return moved >= least if found.raw_unit in WATER_CONTENT_UNITS else abs(moved) >= least


def found_verdict(found: Found) -> FoundVerdict:
    """What can be said of an inherited sensor (units as in ``Found``); common practice, no source."""
    answers = answers_to_water(found)
    notes = []
    if answers is None:
        notes.append(Notice("found.not_tried"))
    elif answers:
        notes.append(Notice("found.answers", before=found.before, wet=found.wet))
    else:
        notes.append(Notice("found.dead", before=found.before, wet=found.wet))
    if found.tap == OTHER:
        notes.append(Notice("found.other_channel"))
    if found.tap == NONE:
        notes.append(Notice("found.no_channel"))
    if found.dug_cm is None:
        notes.append(Notice("found.no_depth"))
    if found.beside_pct is not None and found.raw_unit in WATER_CONTENT_UNITS and found.before is not None:
        read = found.before * (100 if found.raw_unit == "m3/m3" else 1)
        if abs(read - found.beside_pct) > 100 * APART_THETA:
            notes.append(Notice("found.apart", read_fraction=read / 100, beside_fraction=found.beside_pct / 100))
    return FoundVerdict(answers, found.dug_cm, tuple(notes))
