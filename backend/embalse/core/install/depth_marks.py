"""How a farm marks depths: a number, a colour or knots, by its own scheme, the same on every tag, wire and drawing."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import require

NEAR_CM: Final = 2.5  # cm within which a sensor counts as at a depth of the scheme: an inch (ours)


@dataclass(frozen=True)
class DepthMark:
    """How a depth is marked; ``depth_cm`` is None where the scheme counts sensors in place of depths [cm]."""

    depth_cm: float | None
    number: str = ""
    colour: str = ""
    knots: int | None = None

    @property
    def parts(self) -> tuple[str, str, int | None]:
        """What can be seen of the mark: number, colour, knots."""
        return (self.number, self.colour, self.knots)


COUNT: Final = 8  # sensors in one hole a counted scheme reaches to; more are told by number alone
SCHEMES: Final[dict[str, tuple[DepthMark, ...]]] = {
    "counted down": tuple(DepthMark(None, str(n), knots=n) for n in range(1, COUNT + 1)),
    "counted up": tuple(DepthMark(None, str(n), knots=n) for n in range(1, COUNT + 1)),
}
"""Two schemes in use that contradict each other: 1 is the shallowest, or 1 is the deepest (common practice)."""


def check_marks(marks: Sequence[DepthMark]) -> None:
    """Refuse marks that say nothing, or two depths [cm] that look alike; raises CoreError naming the mark."""
    require(len(marks) > 0, "marks", "an own scheme needs its depths")
    seen: dict[tuple[str, str, int | None], int] = {}
    for index, mark in enumerate(marks):
        where = f"marks[{index}]"
        require(any(mark.parts), f"{where}.number", "give a number, a colour or knots")
        require(
            mark.parts not in seen, f"{where}.number", f"looks like the mark before it ({seen.get(mark.parts, 0) + 1})"
        )
        seen[mark.parts] = index
    depths = [m.depth_cm for m in marks if m.depth_cm is not None]
    require(len(set(depths)) == len(depths), "marks", "one depth is given twice")


def marks_of(depths_cm: Sequence[float], scheme: str, marks: Sequence[DepthMark] = ()) -> list[DepthMark | None]:
    """The mark of each sensor of a station under a farm's scheme.

    Parameters
    ----------
    depths_cm : sequence of float
        Depths of its sensors [cm], in any order.
    scheme : str
        "counted down" (1 is the shallowest), "counted up" (1 is the deepest), or "own".
    marks : sequence of DepthMark
        The farm's own; a mark without a depth is given by its place, from the surface down.

    Returns
    -------
    list of DepthMark or None
        In the order of ``depths_cm``; None where the scheme has none for a depth.

    Examples
    --------
    >>> [m.number for m in marks_of([30, 60, 90], "counted up")]
    ['3', '2', '1']
    """
    down = sorted(depths_cm)
    if scheme != "own":
        order = down if scheme == "counted down" else down[::-1]
        return [DepthMark(d, str(order.index(d) + 1), knots=order.index(d) + 1) for d in depths_cm]
    by_place = [m for m in marks if m.depth_cm is None]
    found: list[DepthMark | None] = []
    for depth in depths_cm:
        at = next((m for m in marks if m.depth_cm is not None and abs(m.depth_cm - depth) <= NEAR_CM), None)
        place = down.index(depth)
        found.append(at or (by_place[place] if place < len(by_place) else None))
    return found
