"""Marks a person picked, put onto the soil they are for."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal, get_args

from embalse.core.errors import CoreError, require
from embalse.core.soil.horizon_marks import Horizon, MarkEntry, horizon_marks
from embalse.core.sources import Source, Sourced
from embalse.core.wording import Text

Mark = Literal["full", "refill", "wilting"]
How = Literal["theta", "tension", "fraction", "depletion"]
MARKS: tuple[Mark, ...] = get_args(Mark)
HOWS: tuple[How, ...] = get_args(How)
# m³/m³, kPa, share and mm that can be entered for a mark
LARGEST: dict[How, float] = {"theta": 0.8, "tension": 1500.0, "fraction": 0.95, "depletion": 1000.0}


class ChoiceError(CoreError):
    """A mark that cannot be picked so."""


@dataclass(frozen=True)
class MarkChoice:
    """A mark picked by a person: what it is read from, for which depths [cm] and stage, and in whose words.

    ``how`` tells what ``value`` is: a water content of the whole soil [m³/m³]; a tension read off the soil's curve
    [kPa]; for the refill point also the share of available water that may be used [-], or the depletion allowed in the
    root zone [mm]. Without a ``span`` it is for the whole soil; without a ``stage`` for all of them.
    """

    mark: Mark
    how: How
    value: float
    words: Text
    span: tuple[float, float] | None = None
    stage: str = ""


@dataclass(frozen=True)
class Marked:
    """Horizons with the marks picked for them, and the allowable depletion as a share [-] or in mm, if one is."""

    horizons: tuple[Horizon, ...]
    allowable: Sourced | None = None
    allowable_mm: Sourced | None = None


def check_choice(choice: MarkChoice) -> None:
    """Refuse a choice that makes no mark; units as in ``MarkChoice``.

    Raises
    ------
    ChoiceError
        Naming the field.
    """
    high = LARGEST[choice.how]
    require(0 < choice.value <= high, "value", f"must lie above 0 and at most {high:g}", ChoiceError)
    whole = choice.how in ("fraction", "depletion")
    require(not whole or choice.mark == "refill", "how", f"a {choice.how} is a refill point", ChoiceError)
    require(not whole or choice.span is None, "top_cm", f"a {choice.how} is for the whole root zone", ChoiceError)
    if choice.span is not None:
        require(0 <= choice.span[0] < choice.span[1], "bottom_cm", "must lie below top_cm", ChoiceError)


def marked(horizons: Sequence[Horizon], choices: Sequence[MarkChoice], stage: str | None) -> Marked:
    """The soil with the marks picked for it, as they hold in a stage.

    Parameters
    ----------
    horizons : sequence of Horizon
        From the surface down [cm].
    choices : sequence of MarkChoice
        In force, the latest last: of two for the same mark and depths the latest holds, and one made for the stage
        holds over one made for all stages.
    stage : str or None
        The stage now; choices for other stages are left out.

    Raises
    ------
    ChoiceError
        If a choice makes no mark. Whether marks are in order is looked at where they are used.
    """
    holding = [c for c in choices if c.stage in ("", stage)]
    soil, allowable, allowable_mm = tuple(horizons), None, None
    for choice in sorted(holding, key=lambda c: bool(c.stage)):
        check_choice(choice)
        source = Source("entry", "picked on the Marks page", choice.words)
        if choice.how == "fraction":
            allowable, allowable_mm, soil = Sourced(choice.value, source), None, _without_refill(soil)
        elif choice.how == "depletion":
            allowable, allowable_mm, soil = None, Sourced(choice.value, source), _without_refill(soil)
        else:
            soil = _put(soil, choice)
    return Marked(soil, allowable, allowable_mm)


def check_marked(found: Marked) -> None:
    """Refuse marks that are not in order where they meet (m³/m³); raises CoreError."""
    for horizon in found.horizons:
        horizon_marks(horizon)


def _without_refill(soil: tuple[Horizon, ...]) -> tuple[Horizon, ...]:
    return tuple(replace(h, refill=None) for h in soil)


def _put(soil: tuple[Horizon, ...], choice: MarkChoice) -> tuple[Horizon, ...]:
    cut = soil if choice.span is None else _cut(soil, choice.span)
    return tuple(_with(h, choice) if _inside(h, choice.span) else h for h in cut)


def _with(horizon: Horizon, choice: MarkChoice) -> Horizon:
    theta = choice.value if choice.how == "theta" else float(horizon.curve.theta(choice.value))
    entry = MarkEntry(theta, choice.words)
    if choice.mark == "full":
        return replace(horizon, full=entry)
    return replace(horizon, refill=entry) if choice.mark == "refill" else replace(horizon, wilting=entry)


def _inside(horizon: Horizon, span: tuple[float, float] | None) -> bool:
    return span is None or (horizon.top_cm >= span[0] - 1e-6 and horizon.bottom_cm <= span[1] + 1e-6)


def _cut(soil: tuple[Horizon, ...], span: tuple[float, float]) -> tuple[Horizon, ...]:
    """Horizons cut in two where the span begins and ends."""
    pieces: list[Horizon] = []
    for horizon in soil:
        edges = [e for e in span if horizon.top_cm + 1e-6 < e < horizon.bottom_cm - 1e-6]
        depths = [horizon.top_cm, *edges, horizon.bottom_cm]
        for top, bottom in pairwise(depths):
            restricts = horizon.restricts_roots and top == horizon.top_cm
            pieces.append(replace(horizon, top_cm=top, bottom_cm=bottom, restricts_roots=restricts))
    return tuple(pieces)
