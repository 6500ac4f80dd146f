"""What a node has been through at the season's end: out, cleaned, tested, batteries, and back in the ground."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Final, Literal

SeasonEndStep = Literal["out", "cleaned", "tested", "batteries", "back"]
STEPS: Final[tuple[SeasonEndStep, ...]] = ("out", "cleaned", "tested", "batteries", "back")
BY_STEP: Final[dict[str, tuple[SeasonEndStep, bool]]] = {
    "pull": ("out", True), "clean": ("cleaned", True), "test_wet": ("tested", True), "batteries": ("batteries", False),
}  # fmt: skip
"""Steps of the procedure that takes a station out, by what they say, and whether each sensor has its own."""


@dataclass(frozen=True)
class NodeEnd:
    """A node at the season's end: what is done, in order; ``due`` is the first that is not, None once it is back."""

    done: tuple[SeasonEndStep, ...]
    due: SeasonEndStep | None


def node_end(sensors: Sequence[str], done: Collection[str], gone: bool, back: bool) -> NodeEnd:
    """What a node has been through, from what was entered in the procedure that takes it out.

    Parameters
    ----------
    sensors : sequence of str
        Keys of its sensors.
    done : collection of str
        Steps entered, ``batteries`` or ``sensor:clean``.
    gone : bool
        Whether it is out of the ground.
    back : bool
        Whether it went in again afterwards.

    Examples
    --------
    >>> node_end(["d10", "d30"], {"d10:pull", "d30:pull", "d10:clean", "batteries"}, True, False)
    NodeEnd(done=('out', 'batteries'), due='cleaned')
    """
    found: set[SeasonEndStep] = set()
    for step, (name, each) in BY_STEP.items():
        if all(f"{s}:{step}" in done for s in sensors) if each and sensors else step in done:
            found.add(name)
    if gone or back:
        found.add("out")
    if back:
        found.add("back")
    ordered = tuple(s for s in STEPS if s in found)
    return NodeEnd(ordered, None if back else next((s for s in STEPS if s not in found), None))
