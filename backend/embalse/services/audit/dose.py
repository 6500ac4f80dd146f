"""The next dose of a block, what its sets bring, and what else could explain a miss, as they are sent."""

from dataclasses import dataclass
from typing import Literal

from pydantic import Field

from embalse.core.audit.next_dose import FEWEST, MOST_SHARE, Correction, correction
from embalse.core.audit.received import FEWEST as LEARNED_FROM
from embalse.core.audit.received import Received, causes, learned, mostly, received
from embalse.core.wording import Notice
from embalse.services.audit.gather import BlockSets
from embalse.services.load.in_force import set_choices
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say, say_all


class DoseOut(Content):
    """The correction of the next dose: offered, or applied where the manager chose so. Depths in mm over the block."""

    factor: float = Field(description="what the advice is to be multiplied by; 1 for nothing")
    useful: float = Field(description="the part of it that is against leaks; goes with the factor where it is picked")
    wanted: float = Field(description="what the evidence asks for before the bound")
    by_water: float | None
    water_sets: int
    by_lower: float | None
    lower_sets: int
    mode: Literal["offered", "applied"]
    most_share: float
    in_force: float = Field(description="the correction in force now; 1 for none")
    in_force_since: str
    advised_net_mm: float | None = Field(description="of the next set, without any correction")
    corrected_net_mm: float | None
    why: list[Words]


class BandOut(Content):
    """A share with its 80 % band, beside what set-up says."""

    value: float
    low: float
    high: float
    set_up: float


class ReceivedOut(Content):
    """Water that came over what set-up expects, and what would explain it: one of the two, not both."""

    share: float
    low: float
    high: float
    sets: int
    differs: bool
    efficiency: BandOut | None
    wetted: BandOut | None


class CauseOut(Content):
    """What could explain a miss, and what to measure."""

    code: str
    words: Words


@dataclass(frozen=True)
class Learning:
    """What a block's sets teach: the correction, what they bring, and causes in the order to look at.

    Where they run off (``runs_off``) a longer set, or a lower efficiency, only makes more of it.
    """

    correction: Correction
    received: Received | None
    causes: tuple[str, ...]
    runs_off: bool = False


def learning_of(found: BlockSets) -> Learning:
    """What a block's sets teach by now."""
    most = found.rules.most_share if found.rules is not None else MOST_SHARE
    ran = found.ran
    brought = received([s.told for s in ran])
    told_of = [s.told.verdict for s in ran if s.told.verdict != "cannot tell"]
    block = found.field.block
    kind = block.system.kind if block.system else ""
    metered = block.sources.get("rate_mm_h") is not None and block.sources["rate_mm_h"].kind == "reading"
    why = causes(brought, told_of, kind, metered, block.limits.wetted_fraction)
    told = correction([s.evidence for s in ran if s.evidence is not None], most)
    return Learning(told, brought, why, mostly("too fast", told_of))


def dose_words(told: Correction, most_share: float, runs_off: bool) -> list[Notice]:
    """What is said of a correction."""
    if runs_off and told.factor == 1:
        return [Notice("dose.runs_off")]
    sets = max(told.water_sets, told.lower_sets)
    if told.why_not == "few":
        return [Notice("dose.few", sets=sets, wanted=FEWEST)]
    if told.why_not == "disagree":
        return [Notice("dose.disagree", water_fraction=told.by_water, lower_fraction=told.by_lower)]
    if told.why_not == "small":
        return [Notice("dose.small", sets=sets)]
    found = []
    if told.by_water is not None:
        found.append(Notice("dose.water", sets=told.water_sets, change_fraction=told.by_water))
    if told.by_lower is not None:
        found.append(Notice("dose.lower", sets=told.lower_sets, change_fraction=told.by_lower))
    if told.bound:
        found.append(Notice("dose.bound", wanted_fraction=told.wanted - 1, most_fraction=most_share))
    return found


def dose_out(found: BlockSets, learnt: Learning) -> DoseOut:
    """The correction as it is sent, beside the set that is advised now."""
    told = learnt.correction
    field = found.field
    held = set_choices(field.row.key, field.rows, (field.now, field.zone)).get("dose")
    most = found.rules.most_share if found.rules is not None else MOST_SHARE
    advised = field.analysis.advice.advised
    plain = None if advised is None else advised.net_mm / advised.rules.dose
    numbers = {n: getattr(told, n) for n in ("factor", "useful", "wanted", "by_water", "by_lower")}
    return DoseOut(
        **numbers,
        water_sets=told.water_sets,
        lower_sets=told.lower_sets,
        mode=found.rules.mode if found.rules is not None else "offered",
        most_share=most,
        in_force=1.0 if held is None else held.value,
        in_force_since="" if held is None else held.valid_from.isoformat(),
        advised_net_mm=plain,
        corrected_net_mm=None if plain is None else plain * told.factor,
        why=say_all(_why(found, learnt, most)),
    )


def _why(found: BlockSets, learnt: Learning, most_share: float) -> list[Notice]:
    doubted = tuple(dict.fromkeys(name for one in found.ran for name in one.told.doubted))
    if doubted and learnt.correction.why_not == "few":
        return [Notice("dose.doubted", stations=doubted)]
    return dose_words(learnt.correction, most_share, learnt.runs_off)


def received_out(found: BlockSets, learnt: Learning) -> ReceivedOut | None:
    """What sets bring as it is sent; None before enough of them tell."""
    block, told = found.field.block, learnt.received
    if told is None or block.system is None:
        return None
    would = learned(told, block.system.efficiency_fraction, block.limits.wetted_fraction)

    def band(values: tuple[float, float, float] | None, set_up: float) -> BandOut | None:
        return (
            None
            if values is None or learnt.runs_off
            else BandOut(value=values[0], low=values[1], high=values[2], set_up=set_up)
        )

    return ReceivedOut(
        share=told.share, low=told.low, high=told.high, sets=told.sets, differs=told.differs,
        efficiency=band(would.efficiency, block.system.efficiency_fraction),
        wetted=band(would.wetted, block.limits.wetted_fraction),
    )  # fmt: skip


def received_words(found: BlockSets, told: Received | None) -> str:
    """What is said of what sets bring."""
    if told is None:
        tells = sum(
            s.told.gained_mm is not None and s.told.verdict != "cannot tell" and not s.told.doubted for s in found.ran
        )
        return say(Notice("received.few", sets=min(tells, LEARNED_FROM - 1)))
    values = {"sets": told.sets, "share_fraction": told.share, "low_fraction": told.low, "high_fraction": told.high}
    return say(Notice("received.less", **values) if told.differs else Notice("received.right", **values))


def causes_out(codes: tuple[str, ...]) -> list[CauseOut]:
    """Causes as they are sent, the likelier first."""
    return [CauseOut(code=code, words=say(Notice(f"cause.{code}"))) for code in codes]
