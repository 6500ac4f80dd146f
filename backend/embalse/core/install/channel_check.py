"""The channel check: wet or warm one sensor at a time; the reading that moves is its channel."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from embalse.core.practice import practice
from embalse.core.wording import Notice


@dataclass(frozen=True)
class Touch:
    """One sensor touched: its key, the channel written for it, readings by channel before and after (raw units)."""

    sensor: str
    channel: str
    before: Mapping[str, float]
    after: Mapping[str, float]


@dataclass(frozen=True)
class TouchVerdict:
    """Which channel moved when a sensor was touched (None when none stood out), and whether it is the written one."""

    sensor: str
    channel: str
    moved: str | None
    agrees: bool
    words: Notice


def moved_channel(before: Mapping[str, float], after: Mapping[str, float]) -> str | None:
    """The channel whose reading (raw units) moved at least three times as much as any other; None when none did."""
    changes = sorted(((abs(after[name] - before[name]), name) for name in before if name in after), reverse=True)
    if not changes or changes[0][0] <= 0:
        return None
    if len(changes) > 1 and changes[0][0] < practice("channel_move_factor") * changes[1][0]:
        return None
    return changes[0][1]


def channel_check(touches: Sequence[Touch]) -> list[TouchVerdict]:
    """Verdict for every sensor touched; readings in raw units."""
    found = []
    for touch in touches:
        moved = moved_channel(touch.before, touch.after)
        if moved is None:
            words = Notice("touch.none")
        elif moved == touch.channel:
            words = Notice("touch.as_written", moved=moved)
        else:
            words = Notice("touch.other", moved=moved, written=touch.channel or "no channel")
        found.append(TouchVerdict(touch.sensor, touch.channel, moved, moved == touch.channel, words))
    return found


def swaps(verdicts: Sequence[TouchVerdict]) -> list[tuple[str, str]]:
    """Pairs of sensors whose channels are the wrong way round: each moved the other's channel."""
    wrong = [v for v in verdicts if v.moved is not None and not v.agrees]
    return [
        (one.sensor, other.sensor)
        for index, one in enumerate(wrong)
        for other in wrong[index + 1 :]
        if one.moved == other.channel and other.moved == one.channel
    ]
