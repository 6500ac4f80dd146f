"""The audit of a block's sets, newest first, with the next dose and what the sets teach."""

from collections.abc import Sequence
from typing import Final, Literal

from pydantic import Field

from embalse.core.advice.block_analysis import topsoil
from embalse.core.audit.efficiency import shares
from embalse.core.audit.lower_sensor import Advice, Answer
from embalse.core.audit.rule_score import AimedSet, rule_score
from embalse.core.audit.set_audit import Verdict
from embalse.core.audit.style import Comparison, OneSet, Style, compared, exposed_of
from embalse.core.delivery.infiltration import wait_before_reading_h
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.field_series import Field as FieldSeries
from embalse.services.advice.field_series import field_at
from embalse.services.audit.dose import (
    CauseOut,
    DoseOut,
    ReceivedOut,
    causes_out,
    dose_out,
    learning_of,
    received_out,
    received_words,
)
from embalse.services.audit.following_up import FollowUpOut, faults_of, open_faults
from embalse.services.audit.gather import AuditedSet, BlockSets, block_sets
from embalse.services.load.in_force import set_choices
from embalse.services.load.schemas import Content
from embalse.services.planning.supplies import block_shifts
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then

AUDITED_DAYS: Final = 45  # days back by default (ours: the sets a manager still remembers)


class ArrivalHourOut(Content):
    """A depth, and the hours from the set's start after which water was there."""

    depth_cm: float
    after_h: float


class LowerOut(Content):
    """What the lower sensors said one to two hours after a set, in their own unit; wetter is more."""

    said: Answer
    advice: Advice
    change: float | None
    least: float | None = Field(description="what an answer must be more than")
    unit: str
    pairs: int
    words: Words


class SetAuditOut(Content):
    """A set on record, what was expected of it, what the probes saw, and the verdict. Depths in mm over the block."""

    start: str
    end: str
    start_at: int
    planned_h: float | None
    ran_h: float
    gross_mm: float
    metered: bool = Field(description="whether its water was measured")
    expected_mm: float | None = Field(description="net over the block: gross by the system's efficiency")
    gained_mm: float | None = Field(description="in the roots, with the crop's use added back; null where not told")
    passed_mm: float = Field(description="had gone below the roots when they were wettest")
    error_mm: float | None
    below_mm: float | None = Field(description="went below the roots; null without a sensor there")
    missing_mm: float | None = Field(description="neither stored nor seen to pass")
    spread_mm: float | None = Field(description="between stations; null with one")
    lacked_mm: float | None = Field(description="what the roots lacked before it")
    reach_cm: float | None
    wanted_cm: float | None
    arrivals: list[ArrivalHourOut]
    application_efficiency: float | None = Field(description="stored in the roots over what was applied")
    storage_efficiency: float | None = Field(description="stored over what the roots lacked")
    lower: LowerOut
    stations: int
    dry_stations: list[str]
    correction: float = Field(description="multiple of the advice in force when it ran")
    verdict: Verdict
    why: Words


class StyleOut(Content):
    """Sets of one kind, by 100 mm over the block."""

    sets: int
    net_mm: float
    below_mm: float | None
    reach_cm: float | None
    surface_mm: float
    work_h: float
    starts: float
    short_h: float | None


class StylesOut(Content):
    """Shorter sets against longer ones; ``words`` says why not where they cannot be compared."""

    shorter: StyleOut | None
    longer: StyleOut | None
    words: Words


class BlockAuditContent(Content):
    """The audit of a block's sets at a farm-local moment, newest first."""

    key: str
    name: str
    as_of: str
    days: int
    headline: str
    sets: list[SetAuditOut]
    dose: DoseOut
    received: ReceivedOut | None
    received_words: str
    causes: list[CauseOut]
    styles: StylesOut
    follow_ups: list[FollowUpOut]
    lower_delay_h: float
    lower_delay_entered: bool
    rule_score: str = Field("", description="how well the sets hit what they aimed at, read after waiting")
    picked: list[Literal["efficiency", "wetted"]] = Field(description="what was picked from the audit and is in force")


@as_known_then
def audit_content(key: str, moment: str | None = None, days: int = AUDITED_DAYS) -> BlockAuditContent:
    """Hold a block's sets of some days against its probes.

    Raises
    ------
    NotFound
        If there is no such block.
    ValueError
        If the moment cannot be read.
    """
    return audit_of(field_at(key, moment, days + 1), days)


def audit_of(field: FieldSeries, days: int) -> BlockAuditContent:
    """The audit of a block that is loaded already."""
    found = block_sets(field, days)
    told = learning_of(found)
    sets = [set_out(one, field) for one in reversed(found.sets)]
    return BlockAuditContent(
        key=field.row.key,
        name=field.row.name,
        as_of=times.iso(field.now, field.zone) or "",
        days=days,
        headline=_headline(sets),
        sets=sets,
        dose=dose_out(found, told),
        received=received_out(found, told),
        received_words=received_words(found, told.received),
        causes=causes_out(told.causes),
        styles=_styles(found),
        follow_ups=open_faults(field.row.key, field.row.name, faults_of(found.sets, field.zone), field.now, field.zone),
        lower_delay_h=found.delay_h,
        lower_delay_entered=found.rules is not None and found.rules.lower_delay_h is not None,
        rule_score=_rule_score(found, field),
        picked=_picked(field),
    )


def _rule_score(found: BlockSets, field: FieldSeries) -> str:
    """How well the rule behind the sets hits: what each aimed at against what the roots held hours after."""
    aimed = [
        AimedSet(one.facts.expected_mm, one.told.gained_mm)
        for one in found.sets
        if one.facts.expected_mm is not None and one.told.gained_mm is not None
    ]
    return say(rule_score(aimed, float(wait_before_reading_h(topsoil(field.block)))).words)


def _picked(field: FieldSeries) -> list[Literal["efficiency", "wetted"]]:
    held = set_choices(field.row.key, field.rows, (field.now, field.zone))
    kinds: tuple[Literal["efficiency", "wetted"], ...] = ("efficiency", "wetted")
    return [what for what in kinds if what in held]


def _headline(sets: Sequence[SetAuditOut]) -> str:
    if not sets:
        return say(Notice("audit.none"))
    last = sets[0]
    day = times.day_number(times.datetime.fromisoformat(last.start).date())
    return say(Notice("audit.headline", on_day=day, verdict=last.verdict, why=last.why or None))


def set_out(one: AuditedSet, field: FieldSeries) -> SetAuditOut:
    """An audited set as it is sent, over the block."""
    told, facts, share = one.told, one.facts, field.block.limits.wetted_fraction

    def over(mm: float | None) -> float | None:
        return None if mm is None else mm * share

    stored, below = told.gained_mm, told.below_mm or 0.0
    applied = one.gross_mm / share
    went = None if stored is None else shares(applied, stored, below, max(0.0, one.lacked_mm or 0.0) or None)
    return SetAuditOut(
        start=times.iso(one.start_at, field.zone) or "",
        end=times.iso(one.end_at, field.zone) or "",
        start_at=one.start_at,
        planned_h=facts.planned_h,
        ran_h=facts.ran_h,
        gross_mm=one.gross_mm,
        metered=one.metered,
        expected_mm=over(facts.expected_mm),
        gained_mm=over(stored),
        passed_mm=told.passed_mm * share,
        error_mm=over(told.error_mm),
        below_mm=over(told.below_mm),
        missing_mm=over(told.missing_mm),
        spread_mm=over(told.spread_mm),
        lacked_mm=over(one.lacked_mm),
        reach_cm=told.reach_cm,
        wanted_cm=one.wanted_cm,
        arrivals=[ArrivalHourOut(depth_cm=d, after_h=h) for d, h in told.arrived_h],
        application_efficiency=None if went is None else went.application,
        storage_efficiency=None if went is None else went.storage,
        lower=_lower_out(one),
        stations=told.stations,
        dry_stations=list(told.dry),
        correction=one.correction,
        verdict=told.verdict,
        why=_why(one, share),
    )


def _why(one: AuditedSet, share: float) -> str:
    """The verdict's evidence; of a set that did not run, what the valve or a person said."""
    note = one.planned.part.events[-1].note if one.planned is not None and one.facts.ran_h == 0 else ""
    if note:
        words = say(note)
        return f"{words[0].upper()}{words[1:]}"
    return " ".join(say(_over_block(n, share)) for n in one.told.why)


def _over_block(said: Notice, share: float) -> Notice:
    """What is said in the wetted soil, over the block; rain falls on both alike."""
    told = {name for name, _ in said.items if name.endswith("_mm") and name != "rain_mm"}
    values = {name: value * share if name in told else value for name, value in said.items}
    return Notice(said.code, **values)


def _lower_out(one: AuditedSet) -> LowerOut:
    lower = one.lower
    if lower.said == "strong":
        words = Notice("lower.strong")
    elif lower.said == "slight":
        words = Notice("lower.slight")
    elif lower.said == "none":
        words = Notice("lower.none")
        if one.school == "lengthen":
            words = Notice("lower.drier") if one.told.rate_beats_soil else Notice("lower.lengthen")
    else:
        words = Notice("lower.not_told")
    return LowerOut(
        said=lower.said, advice=one.school, change=lower.change, least=lower.least, unit=lower.unit, pairs=lower.pairs,
        words=say(words),
    )  # fmt: skip


def _styles(found: BlockSets) -> StylesOut:
    """Shorter sets against longer ones, from the sets that tell."""
    field = found.field
    share = field.block.limits.wetted_fraction
    shifts = block_shifts(field.row.key, field.now, field.zone)
    alone_h = 0.0 if shifts is None or not shifts.by_hand else (shifts.fill_min + shifts.move_min) / 60
    told = [
        OneSet(one.facts.expected_mm * share, _over(one.told.below_mm, share), one.told.reach_cm, alone_h, one.short_h)
        for one in found.ran
        if one.facts.expected_mm and one.told.gained_mm is not None and one.told.verdict != "cannot tell"
    ]
    kind = field.block.system.kind if field.block.system else ""
    return _styles_out(compared(told, exposed_of(kind, share, field.block.stage)), len(told))


def _over(mm: float | None, share: float) -> float | None:
    return None if mm is None else mm * share


def _styles_out(told: Comparison, sets: int) -> StylesOut:
    if told.shorter is None or told.longer is None:
        words = Notice("style.few", sets=sets) if told.why_not == "few" else Notice("style.alike")
        return StylesOut(shorter=None, longer=None, words=say(words))
    short, long = told.shorter, told.longer
    counts = {"short_sets": short.sets, "short_mm": short.net_mm, "long_sets": long.sets, "long_mm": long.net_mm}
    return StylesOut(shorter=_style(short), longer=_style(long), words=say(Notice("style.compared", **counts)))


def _style(one: Style) -> StyleOut:
    return StyleOut(**{name: getattr(one, name) for name in StyleOut.model_fields})
