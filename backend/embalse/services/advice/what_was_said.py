"""What was said of a block on past mornings, beside what would be said now, and what made the difference."""

import json
from collections import Counter
from typing import Any, Final, Literal

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.wording import Text, as_json, from_json
from embalse.services import times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say_sentences
from embalse.store import changes, kept_answers
from embalse.store import farm as farm_store

Group = Literal["act", "coming", "leave", "none"]
SHOWN_DAYS: Final = 14  # mornings shown: two weeks, as far as somebody remembers (ours)
NOTICED_MM: Final = 1.0
"""Net depths closer than this are the same answer [mm]."""


def answer_of(found: BlockAnalysis) -> str:
    """What is kept of a morning's answer: group, net depth [mm], start [days], reasons, whether by the model."""
    advice = found.advice
    net = None if advice.advised is None else round(advice.advised.net_mm, 2)
    start = None if advice.start_by_days is None else round(advice.start_by_days, 2)
    reasons: Text = tuple(advice.reason)
    course = found.water_use.course if found.water_use is not None else None
    by_model = course is not None and course.paths is not None
    said = {"group": advice.group, "net_mm": net, "start_days": start, "reason": as_json(reasons), "model": by_model}
    return json.dumps(said)


class AnswerOut(Content):
    """An answer: its group, its net depth [mm], its reason."""

    group: Group
    net_mm: float | None
    words: Words


class MorningOut(Content):
    """A morning: what was said then, what would be said now, and what came between where they differ."""

    day: str
    then: AnswerOut
    now: AnswerOut
    differs: bool
    causes: list[str]


class SaidThenContent(Content):
    """The last mornings of a block, the newest first."""

    key: str
    name: str
    mornings: list[MorningOut]


def said_then(key: str) -> SaidThenContent:
    """What was said of a block on its last mornings, and what would be said of them now; raises NotFound, Conflict."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    today = times.local_day(now, farm.time_zone)
    row = farm_store.farm_rows([key]).blocks[0]
    kept = kept_answers.answers(row.id, today - SHOWN_DAYS + 1, today)
    found = []
    for one in reversed(kept):
        at = times.instant_of(one.day, times.DAWN_END_H, farm.time_zone)
        rows = farm_store.farm_rows([key])
        then = json.loads(one.said)
        again = analyse_blocks(farm, rows, core_blocks(rows, at), at, by_model=then["model"])
        told = json.loads(answer_of(again[0]))
        differs = _differ(then, told)
        found.append(
            MorningOut(
                day=times.day_of(one.day).isoformat(),
                then=_out(then),
                now=_out(told),
                differs=differs,
                causes=_causes(key, one.made_at) if differs else [],
            )
        )
    return SaidThenContent(key=key, name=row.name, mornings=found)


def _differ(then: dict[str, Any], now: dict[str, Any]) -> bool:
    if then["group"] != now["group"] or (then["net_mm"] is None) != (now["net_mm"] is None):
        return True
    return then["net_mm"] is not None and abs(then["net_mm"] - now["net_mm"]) >= NOTICED_MM


def _out(said: dict[str, Any]) -> AnswerOut:
    return AnswerOut(group=said["group"], net_mm=said["net_mm"], words=say_sentences(from_json(said["reason"])))


def _causes(key: str, since: int) -> list[str]:
    """What was entered about a block since an answer was made [s, UTC], by kind and how often."""
    lines = [line for line in changes.changes(500, about=key) if line.at >= since]
    kinds = Counter(line.kind.replace("_", " ") for line in lines)
    return [f"{kind} ({count})" for kind, count in kinds.most_common()] or ["readings or weather that came later"]
