"""What would narrow a block's refill date most, where it is wide open."""

from dataclasses import dataclass

from embalse.core.advice.block_analysis import BlockAnalysis, full_error_mm
from embalse.core.practice import practice
from embalse.core.wording import Notice

TENTH = 1.28  # standard errors from the middle to the 10 and 90 % limits of a normal error


@dataclass(frozen=True)
class Openness:
    """How far the date is open, one standard error either way [days], by what it is not sure of."""

    full_point: float
    sensors: float
    use: float

    def widest(self) -> tuple[str, float]:
        """What opens it most, and by how much [days]; the first named where two are the same."""
        days = {"full_point": self.full_point, "sensors": self.sensors, "use": self.use}
        return max(days.items(), key=lambda one: one[1])


def openness(left_mm: float, use_mm_d: tuple[float, float, float], error_mm: float, moved_mm: float) -> Openness:
    """How far a refill date is open by the full point, the sensors and the crop's use.

    Parameters
    ----------
    left_mm : float
        Water above the refill point [mm]; nothing below it.
    use_mm_d : (float, float, float)
        Use of the root zone with its 10 and 90 % limits: low, middle, high [mm/day].
    error_mm : float
        Standard error of the root zone's water as the sensors tell it [mm].
    moved_mm : float
        How far the refill point moves with a full point that is off as a rule [mm].

    Examples
    --------
    >>> openness(20, (4, 5, 6.25), 5, 15).widest()
    ('full_point', 3.0)
    """
    low, mid, high = use_mm_d
    slow = max(low, mid / 10)  # a use that may be nothing is taken as a tenth: the date is open enough
    spread = max(0.0, left_mm) * (1 / slow - 1 / max(high, slow)) / 2 / TENTH
    return Openness(moved_mm / mid, error_mm / mid, spread)


def what_narrows(analysis: BlockAnalysis) -> Notice | None:
    """What to do next for a narrower date, where one standard error is days; None where it is narrow or there is none.

    Where the full point is by texture, the field says its own two days after a set that fills the roots. Where the
    date goes by weather, no dry dawn more would make its use surer.
    """
    state, use, inputs = analysis.state, analysis.use, analysis.inputs
    if state is None or use is None or inputs is None or analysis.advice.days is None or use.mid_mm_d <= 0:
        return None
    left = inputs.trigger_mm - state.depletion_mm
    if left <= 0:
        return None
    share = 1.0 if analysis.block.allowable_mm is not None else 1 - inputs.trigger_mm / state.marks.taw_mm
    moved = max(0.0, share) * full_error_mm(analysis.block, analysis.root_depth_cm or 0.0)
    by_weather = analysis.water_use is not None and analysis.water_use.course is not None
    known = (use.mid_mm_d,) * 3 if by_weather else (use.low_mm_d, use.mid_mm_d, use.high_mm_d)
    found, days = openness(left, known, state.error_mm, moved).widest()
    if days <= practice("narrow_from_days"):
        return None
    return Notice("narrow.use", dawns=use.steps + 1) if found == "use" else Notice(f"narrow.{found}")
