"""Water that went below the roots in the last week."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.field.wetting import Wetting
from embalse.core.practice import practice

WEEK_S: Final = 7 * 86400  # seconds
WORTH_SAYING_MM: Final = practice("leak_mm")


@dataclass(frozen=True)
class WeekLoss:
    """Water below the roots by the wettings of a week: over the block and in the wetted soil [mm].

    It is known of ``known`` of the ``wettings``; what the others lost comes on top.
    """

    below_mm: float
    strip_mm: float
    wettings: int
    known: int

    @property
    def worth_saying(self) -> bool:
        """Whether it is more than a wetting's doubt [no unit]."""
        return self.below_mm > WORTH_SAYING_MM


def week_loss(stations: Sequence[Sequence[Wetting]], now: int, wetted_fraction: float) -> WeekLoss | None:
    """What the wettings of the last week lost below the roots; None where no station can tell.

    Parameters
    ----------
    stations : sequence of sequence of Wetting
        The wettings of each station. Their mean counts, over the stations that tell.
    now : int
        Instant looked back from [s, UTC].
    wetted_fraction : float
        Share of the ground that is wetted [-].
    """
    lately = [[w for w in found if now - WEEK_S < w.start_at <= now] for found in stations]
    telling = [found for found in lately if any(w.below_mm is not None for w in found)]
    if not telling:
        return None
    strip = sum(w.below_mm or 0.0 for found in telling for w in found) / len(telling)
    known = sum(w.below_mm is not None for found in telling for w in found)
    return WeekLoss(wetted_fraction * strip, strip, sum(len(found) for found in telling), known)
