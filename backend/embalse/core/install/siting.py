"""Where a station may stand: candidate spots held against rules."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Literal

from embalse.core.errors import require
from embalse.core.practice import practice
from embalse.core.tables import table_rows
from embalse.core.wording import Notice, Text

Fact = float | bool
RuleKind = Literal["min", "max", "between", "is"]


@dataclass(frozen=True)
class SitingRule:
    """A rule: the fact it looks at, its limits in ``unit``, its weight, whether it refuses, reason and source."""

    rule: str
    systems: frozenset[str]
    fact: str
    kind: RuleKind
    low: float | None
    high: float | None
    unit: str
    weight: float
    must: bool
    question: str
    reason: str
    source: str


@dataclass(frozen=True)
class RuleVerdict:
    """What a rule says of a spot: yes, no, or not known; in words with the value seen."""

    rule: SitingRule
    outcome: Literal["yes", "no", "not known"]
    words: Text


@dataclass(frozen=True)
class SpotVerdict:
    """A spot's verdict word, the share of the known weights it earns [-], and the rules one by one."""

    word: Literal["good", "usable", "not here", "not looked at"]
    share: float | None
    rules: tuple[RuleVerdict, ...]


@cache
def siting_rules() -> tuple[SitingRule, ...]:
    """Every rule of the table; limits in the unit of each."""
    return tuple(
        SitingRule(
            row["rule"],
            frozenset(row["systems"].split("|")),
            row["fact"],
            row["kind"],
            float(row["low"]) if row["low"] and row["kind"] != "is" else None,
            float(row["high"]) if row["high"] else None,
            row["unit"],
            float(row["weight"]),
            bool(row["must"]),
            row["question"],
            row["reason"],
            row["source"],
        )
        for row in table_rows("siting_rules.csv")
    )


def rules_for(system: str, limits: Mapping[str, tuple[float | None, float | None]] | None = None) -> list[SitingRule]:
    """Rules that hold for a kind of system, with the farm's own limits (by rule name, in the rule's unit) in place.

    Raises
    ------
    CoreError
        If a limit names no rule, or its low is above its high.
    """
    chosen = [r for r in siting_rules() if "any" in r.systems or system in r.systems]
    known = {r.rule: r for r in siting_rules()}
    for name, (low, high) in (limits or {}).items():
        require(name in known and known[name].kind != "is", "rule", f"'{name}' is no rule with limits")
        require(low is None or high is None or low <= high, "low", "must be at most the upper limit")
    own = limits or {}
    return [
        replace(r, low=own[r.rule][0], high=own[r.rule][1], source=f"set on this farm (before: {r.source})")
        if r.rule in own
        else r
        for r in chosen
    ]


def limit_text(rule: SitingRule) -> Text:
    """A rule's limits, in its unit."""
    if rule.kind == "is":
        return "yes"
    if rule.low is not None and rule.high is not None:
        return _measured(rule, "limits.between", low=rule.low, high=rule.high)
    if rule.low is not None:
        return _measured(rule, "limits.from", low=rule.low)
    return _measured(rule, "limits.to", high=rule.high)


_ENDINGS = {"cm": "_cm", "m": "_m", "mm/h": "_mm_h", "kPa": "_kpa", "mm": "_mm"}
"""Endings of value names by a rule's unit, so that it is said in the reader's units."""


def _measured(rule: SitingRule, code: str, **values: float | None) -> Notice:
    ending = _ENDINGS.get(rule.unit, "")
    return Notice(f"{code}{ending}", **{f"{n}{ending}": v for n, v in values.items()}, unit="" if ending else rule.unit)


def _judge(rule: SitingRule, facts: Mapping[str, Fact]) -> RuleVerdict:
    seen = facts.get(rule.fact)
    if seen is None:
        return RuleVerdict(rule, "not known", Notice("siting.not_looked_at", question=rule.question))
    if rule.kind == "is":
        held = bool(seen)
        return RuleVerdict(rule, "yes" if held else "no", rule.question if held else f"Not so: {rule.question.lower()}")
    value = float(seen)
    held = (rule.low is None or value >= rule.low) and (rule.high is None or value <= rule.high)
    seen_words = _measured(rule, "limits.seen", seen=value)
    words = Notice("siting.judged", question=rule.question, seen=seen_words, wanted=limit_text(rule))
    return RuleVerdict(rule, "yes" if held else "no", words)


def spot_verdict(rules: Sequence[SitingRule], facts: Mapping[str, Fact]) -> SpotVerdict:
    """A candidate spot held against the rules.

    Parameters
    ----------
    rules : sequence of SitingRule
        From ``rules_for``.
    facts : mapping of fact name to float or bool
        What is known of the spot, in the units of the rules; a fact left out is not known.

    Returns
    -------
    SpotVerdict
        "not here" when a rule that refuses is broken, "usable" when another is, "good" when none is; share of the
        weights of the rules that could be judged [-], None when none could.
    """
    verdicts = tuple(_judge(rule, facts) for rule in rules)
    known = [v for v in verdicts if v.outcome != "not known"]
    if not known:
        return SpotVerdict("not looked at", None, verdicts)
    broken = [v for v in known if v.outcome == "no"]
    share = sum(v.rule.weight for v in known if v.outcome == "yes") / sum(v.rule.weight for v in known)
    word: Literal["good", "usable", "not here"] = "good"
    if broken:
        word = "not here" if any(v.rule.must for v in broken) else "usable"
    return SpotVerdict(word, share, verdicts)


@dataclass(frozen=True)
class Replicate:
    """A chosen spot for comparison with the others: name, emitter offset [cm], row, distance from the inlet [m]."""

    name: str
    emitter_cm: float | None = None
    row: str = ""
    inlet_m: float | None = None


def replicate_cautions(spots: Sequence[Replicate]) -> list[Notice]:
    """What makes replicates of one block alike where they should differ, or differ where they should be alike.

    Offsets in cm must agree within 2 cm; rows and distances from the inlet should differ (common practice, no source).
    """
    found = []
    offsets = [(s.name, s.emitter_cm) for s in spots if s.emitter_cm is not None]
    if len(offsets) > 1:
        low, high = min(offsets, key=lambda o: o[1]), max(offsets, key=lambda o: o[1])
        if high[1] - low[1] > practice("replicate_offset_cm"):
            found.append(Notice("replicate.offset", near=low[0], near_cm=low[1], far=high[0], far_cm=high[1]))
    rows = [s.row for s in spots if s.row]
    if len(rows) > 1 and len(set(rows)) == 1:
        found.append(Notice("replicate.row", row=rows[0]))
    inlets = [s.inlet_m for s in spots if s.inlet_m is not None]
    if len(inlets) > 1 and max(inlets) - min(inlets) < 10:
        found.append(Notice("replicate.inlet"))
    return found


@dataclass(frozen=True)
class Zone:
    """A block as far as a station may stand for it: soil and crop names, slope [%], application rate [mm/h]."""

    name: str
    soil: str
    crop: str
    slope_pct: float | None
    rate_mm_h: float | None
    emitter: str


def _further(one: float | None, other: float | None, limit: float) -> bool:
    return one is not None and other is not None and abs(one - other) > limit


def zone_cautions(home: Zone, others: Sequence[Zone]) -> list[Notice]:
    """Why a station in ``home`` should not steer other zones: differing soil, crop, slope [%] or emitter and rate."""
    found = []
    for other in others:
        differs: list[Notice] = []
        if other.soil != home.soil:
            differs.append(Notice("zone.soil", there=other.soil, here=home.soil))
        if other.crop != home.crop:
            differs.append(Notice("zone.crop", there=other.crop, here=home.crop))
        if _further(home.slope_pct, other.slope_pct, practice("slope_differs_pct")):
            differs.append(Notice("zone.slope", there=other.slope_pct, here=home.slope_pct))
        if other.emitter != home.emitter:
            differs.append(Notice("zone.system", there=other.emitter, here=home.emitter))
        elif _further(home.rate_mm_h, other.rate_mm_h, practice("rate_differs_share") * (home.rate_mm_h or 0)):
            differs.append(Notice("zone.rate", there_mm_h=other.rate_mm_h, here_mm_h=home.rate_mm_h))
        if differs:
            found.append(Notice("zone.differs", zone=other.name, differs=tuple(differs)))
    return found
