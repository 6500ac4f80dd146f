"""A controller's rule held against the probes: what each set aimed at, and what was there hours later."""

import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.wording import Notice

FEWEST_SETS: Final = 5  # sets for a score (ours)
GOOD_SHARE: Final = 0.15  # mean error of what was aimed at that is good: what a good probe can tell (ours)


@dataclass(frozen=True)
class AimedSet:
    """A set of a controller: what it aimed to bring, what the roots held more soon after, and after waiting [mm].

    ``soon_mm`` is None where nothing was read within the hour.
    """

    aimed_mm: float
    after_mm: float
    soon_mm: float | None = None


@dataclass(frozen=True)
class RuleScore:
    """How far a rule misses [-] as a share of what it aimed at: on the mean, as a bias, and if it re-read too soon."""

    sets: int
    error_share: float | None
    bias_share: float | None
    soon_error_share: float | None
    words: Notice


def rule_score(sets: Sequence[AimedSet], waited_h: float) -> RuleScore:
    """Error of what a controller's rule aimed at against what the probes showed after waiting.

    Parameters
    ----------
    sets : sequence of AimedSet
        Sets with an aim, audited [mm].
    waited_h : float
        Hours after a set until its reading counts [h]: water needs hours to spread, minutes tell nothing.

    References
    ----------
    .. [1] A controller that read again after minutes mis-watered by about 70 %: common practice, no source.
    """
    used = [s for s in sets if s.aimed_mm > 0]
    if len(used) < FEWEST_SETS:
        return RuleScore(len(used), None, None, None, Notice("rule_score.few", sets=len(used), wanted=FEWEST_SETS))
    misses = [(s.after_mm - s.aimed_mm) / s.aimed_mm for s in used]
    error, bias = statistics.fmean(abs(m) for m in misses), statistics.fmean(misses)
    soon = [abs(s.soon_mm - s.aimed_mm) / s.aimed_mm for s in used if s.soon_mm is not None]
    soon_error = statistics.fmean(soon) if len(soon) >= FEWEST_SETS else None
    code = "rule_score.good" if error <= GOOD_SHARE else "rule_score.over" if bias > 0 else "rule_score.under"
    words = Notice(code, sets=len(used), error_fraction=error, wait_h=waited_h, soon_fraction=soon_error)
    return RuleScore(len(used), error, bias, soon_error, words)
