"""One record of a set from whatever evidence there is of it: when it ran, how long, how much water."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal, get_args

from embalse.core.errors import require
from embalse.core.wording import Notice

EvidenceKind = Literal["controller", "meter", "switch", "phone", "typed", "probes"]
KINDS: Final[tuple[EvidenceKind, ...]] = get_args(EvidenceKind)
ORDER: Final[dict[EvidenceKind, int]] = {k: n for n, k in enumerate(KINDS)}
"""Which evidence is believed first for times: the valve's own log, then pipes, then people, then the soil."""
SHORT_SHARE: Final = 0.9  # of its planned hours below which a set was cut short (ours: a tenth shows in the soil)
LESS_FLOW_SHARE: Final = 0.85  # of its planned water below which a set that ran its time gave too little (ours)
NO_WATER_SHARE: Final = 0.02  # of what its flow gives in its time, measured, below which none came: a dry line (ours)
AGREE_SHARE: Final = 0.1  # of the larger within which two volumes are the same (common practice: meters agree to 10 %)


@dataclass(frozen=True)
class Evidence:
    """What one source tells of a set; what it does not know is None.

    ``start_at``, ``end_at`` [s, UTC]; ``hours`` it ran, ``volume_m3``, ``gross_mm`` over the block;
    ``no_pressure_at`` [s, UTC] when the line lost its pressure; ``failed`` where it says that nothing ran.
    """

    kind: EvidenceKind
    start_at: int | None = None
    end_at: int | None = None
    hours: float | None = None
    volume_m3: float | None = None
    gross_mm: float | None = None
    no_pressure_at: int | None = None
    failed: bool = False


@dataclass(frozen=True)
class Wanted:
    """The set as it was planned: times [s, UTC], its flow [m³/h] and the block's area [ha]."""

    start_at: int
    end_at: int
    flow_m3_h: float
    area_ha: float

    @property
    def hours(self) -> float:
        """Planned hours."""
        return (self.end_at - self.start_at) / 3600

    @property
    def volume_m3(self) -> float:
        """Planned water [m³]."""
        return self.flow_m3_h * self.hours


@dataclass(frozen=True)
class Ran:
    """What really ran: times [s, UTC], hours with pressure, water [m³] and depth over the block [mm].

    ``volume_from`` says whether the water was measured or is flow × time; ``notices`` what differed from the plan,
    ``no_pressure_at`` [s, UTC] when the line lost its pressure.
    """

    start_at: int
    end_at: int | None
    hours: float
    volume_m3: float
    gross_mm: float
    times_from: EvidenceKind
    volume_from: Literal["measured", "flow × time", "depth"]
    outcome: Literal["done", "cut short", "failed", "running"]
    notices: tuple[Notice, ...] = ()
    no_pressure_at: int | None = None


def cut_short(ran: float, planned: float | None) -> bool:
    """Whether a set ran, or gave, less than nine tenths of what was planned (hours, or mm, in both).

    Examples
    --------
    >>> cut_short(8.9, 10.0), cut_short(9.0, 10.0), cut_short(1.0, None)
    (True, False, False)
    """
    return planned is not None and ran < SHORT_SHARE * planned


def what_ran(wanted: Wanted, found: Sequence[Evidence], flow_m3_h: float | None = None) -> Ran | None:
    """Put the evidence of one set together; None where there is none.

    Times are those of the best source that knows both ends, else each end from the best that knows it. Water is what a
    meter counted; else flow × the hours the line had pressure; hours alone, or a depth alone, are enough.

    Parameters
    ----------
    wanted : Wanted
        The set as planned.
    found : sequence of Evidence
        In any order.
    flow_m3_h : float, optional
        Measured flow of the block's sets [m³/h], in the place of the planned one.

    Returns
    -------
    Ran or None

    Raises
    ------
    CoreError
        If one ends before it starts.
    """
    for one in found:
        if one.start_at is not None and one.end_at is not None:
            require(one.end_at >= one.start_at, "end", "must not come before the start")
    told = sorted(found, key=lambda e: ORDER[e.kind])
    if not told:
        return None
    ran = [e for e in told if not e.failed]
    if not ran:
        return Ran(wanted.start_at, wanted.start_at, 0.0, 0.0, 0.0, told[0].kind, "flow × time", "failed",
                   (Notice("ran.not_at_all"),))  # fmt: skip
    flow = flow_m3_h or wanted.flow_m3_h
    start, end, from_ = _times(wanted, ran, flow)
    lost = next((e.no_pressure_at for e in ran if e.no_pressure_at is not None), None)
    until = end if lost is None or end is None else min(end, lost)
    hours = 0.0 if until is None else max(0.0, until - start) / 3600
    volume, volume_from, notices = _volume(wanted, ran, flow, hours)
    if end is None:
        return Ran(
            start, None, hours, volume, volume / (10 * wanted.area_ha), from_, volume_from, "running", notices, lost
        )
    short = hours < SHORT_SHARE * wanted.hours
    if not short and volume < LESS_FLOW_SHARE * wanted.volume_m3:
        notices = (*notices, Notice("ran.less_flow", less_fraction=1 - volume / wanted.volume_m3))
    dry = volume_from == "measured" and volume < NO_WATER_SHARE * wanted.flow_m3_h * hours
    if dry:
        notices = (Notice("ran.no_water"),)
    nothing = dry or hours == 0
    outcome: Literal["done", "cut short", "failed"] = "failed" if nothing else "cut short" if short else "done"
    depth = volume / (10 * wanted.area_ha)
    return Ran(start, end, hours, volume, depth, from_, volume_from, outcome, notices, lost)


def _times(wanted: Wanted, ran: Sequence[Evidence], flow: float) -> tuple[int, int | None, EvidenceKind]:
    whole = next((e for e in ran if e.start_at is not None and e.end_at is not None), None)
    if whole is not None and whole.start_at is not None:
        return whole.start_at, whole.end_at, whole.kind
    starts = [(e.start_at, e.kind) for e in ran if e.start_at is not None]
    start, kind = starts[0] if starts else (wanted.start_at, ran[0].kind)
    ends = [e.end_at for e in ran if e.end_at is not None and e.end_at >= start]
    if ends:
        return start, ends[0], kind
    hours = next((e.hours for e in ran if e.hours is not None), None)
    if hours is None:
        water = next((e.volume_m3 for e in ran if e.volume_m3 is not None), None)
        depth = next((e.gross_mm for e in ran if e.gross_mm is not None), None)
        if water is None and depth is not None:
            water = depth * 10 * wanted.area_ha
        hours = None if water is None or starts else water / flow
    return start, None if hours is None else start + round(3600 * hours), kind


def _volume(
    wanted: Wanted, ran: Sequence[Evidence], flow: float, hours: float
) -> tuple[float, Literal["measured", "flow × time", "depth"], tuple[Notice, ...]]:
    measured = [e for e in ran if e.volume_m3 is not None]
    if measured:
        water = float(measured[0].volume_m3 or 0.0)
        apart = next((v for e in measured[1:] if not _agree(water, v := float(e.volume_m3 or 0.0))), None)
        notices = () if apart is None else (Notice("ran.meters_apart", one_m3=water, other_m3=apart),)
        return water, "measured", notices
    depth = next((e.gross_mm for e in ran if e.gross_mm is not None), None)
    if depth is not None:
        return depth * 10 * wanted.area_ha, "depth", ()
    return flow * hours, "flow × time", ()


def _agree(one: float, other: float) -> bool:
    return abs(one - other) <= AGREE_SHARE * max(one, other)
