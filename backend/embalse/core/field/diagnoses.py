"""What the traces of some weeks say of how a block is watered, with the evidence and the usual remedies."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.field.wetting_events import Wetting
from embalse.core.soil.layers import Layer

Floats = NDArray[np.float64]
DiagnosisKind = Literal["too wet", "too dry", "uneven", "leaking", "not reaching", "sealed", "well run"]
FEWEST_WETTINGS: Final = 3
LEAK_MM: Final = 3.0
LEAK_SHARE: Final = 0.5
WET_SHARE: Final = 0.95
WET_TIME: Final = 0.7
DRY_DAYS: Final = 3.0
FALL_PER_DAY: Final = 0.004
SHALLOW_PART: Final = 0.65
CAUGHT_SHARE: Final = 0.75
DAY_H: Final = 24


@dataclass(frozen=True)
class Diagnosis:
    """A finding: its kind, a sentence, what it rests on, what is usually done about it, and a caution (no unit)."""

    kind: DiagnosisKind
    words: str
    evidence: tuple[str, ...]
    remedies: tuple[str, ...] = ()
    caution: str = ""


@dataclass(frozen=True)
class Weeks:
    """Some weeks of a station: hourly θ by layer [m³/m³] shape (layers, n), its layers, wettings, root depth [cm].

    ``expected_mm`` is what each set or rain should have brought into the wetted soil [mm], by wetting; NaN if unknown.
    """

    theta: Floats
    layers: tuple[Layer, ...]
    wettings: tuple[Wetting, ...]
    root_depth_cm: float
    expected_mm: tuple[float, ...] = ()

    @property
    def days(self) -> float:
        """Days the hours cover [days]."""
        return float(self.theta.shape[1] / DAY_H)

    def shares(self) -> Floats:
        """Share of available water by layer and hour [-], NaN where not known."""
        full = np.array([y.theta_full for y in self.layers])[:, None]
        wilting = np.array([y.theta_wilting for y in self.layers])[:, None]
        return np.asarray((self.theta - wilting) / (full - wilting))


def diagnoses(weeks: Weeks, disagree: str = "") -> list[Diagnosis]:
    """Every finding in some weeks of a station, the gravest first; "well run" alone when there is none.

    The rules are common practice without a source: upper sensors should swing between their marks, lower ones hardly
    move. Nothing is said of less than a week, or without a layer in the roots.

    Parameters
    ----------
    weeks : Weeks
    disagree : str
        How the block's stations disagree, in words; empty when they don't.
    """
    inside = [n for n, layer in enumerate(weeks.layers) if layer.rooted_cm > 0]
    if weeks.days < 7 or not inside:
        return []
    found = [
        rule(weeks, inside) for rule in (_leaking, _sealed, _not_reaching, _too_wet, _too_dry)
    ]  # fmt: skip
    given = [one for one in found if one is not None]
    if disagree:
        given.append(
            Diagnosis("uneven", "The stations do not agree.", (disagree,),
                      ("check emitters and pressure by the one that stands apart", "check its depth and contact",
                       "look whether it stands for the same soil"),
                      "a mean of unlike places waters one too much and the other too little")
        )  # fmt: skip
    return given or [_well_run(weeks, inside)]


def _leaking(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    known = [w for w in weeks.wettings if w.below_mm is not None]
    if len(known) < FEWEST_WETTINGS:
        return None
    leaked = [w for w in known if (w.below_mm or 0) > LEAK_MM]
    if len(leaked) < LEAK_SHARE * len(known):
        return None
    total = sum(w.below_mm or 0 for w in leaked)
    evidence = (
        f"{len(leaked)} of {len(known)} wettings in {weeks.days:.0f} days went below {weeks.root_depth_cm:.0f} cm",
        f"{total:.0f} mm in the wetted soil, {total / len(leaked):.0f} mm each time",
    )
    remedies = (
        "shorter sets, more often",
        "let it go further down first",
        "fix a valve or emitter that gives too much",
    )
    caution = "some leaching may be wanted where water or soil is salt; what drains takes nitrate to the groundwater"
    return Diagnosis("leaking", f"Water goes below the roots: {total:.0f} mm.", evidence, remedies, caution)


def _sealed(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    """Wet on top, no front below, and less water in the soil than was given."""
    deep = SHALLOW_PART * weeks.root_depth_cm
    pairs = list(zip(weeks.wettings, weeks.expected_mm, strict=False))
    short = [
        (w, e) for w, e in pairs if np.isfinite(e) and e > 4 and w.reach_cm < deep and w.gain_mm < CAUGHT_SHARE * e
    ]
    if len(short) < 2 or len(short) < LEAK_SHARE * len([e for _, e in pairs if np.isfinite(e)]):
        return None
    gain, expected = (float(np.mean(values)) for values in ([w.gain_mm for w, _ in short], [e for _, e in short]))
    evidence = (
        f"{len(short)} sets brought {gain:.0f} mm into the soil where {expected:.0f} mm was expected",
        f"they went no deeper than {max(w.reach_cm for w, _ in short):.0f} cm",
    )
    remedies = ("give it slower, or in pulses", "loosen or mulch the surface", "look for water running off below")
    return Diagnosis("sealed", "The rate beats the intake: wet on top, no front below.", evidence, remedies,
                     "longer sets at the same rate run off; do not add water before it gets in")  # fmt: skip


def _not_reaching(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    lower = inside[-max(1, len(inside) // 3) :]
    shares = weeks.shares()[lower].mean(axis=0)
    hours = np.flatnonzero(np.isfinite(shares))
    if weeks.days < 14 or len(hours) < 7 * DAY_H:
        return None
    slope = float(np.polyfit(hours / DAY_H, shares[hours], 1)[0])
    top = weeks.layers[lower[0]].top_cm
    reached = [w for w in weeks.wettings if w.reach_cm >= top]
    if slope > -FALL_PER_DAY or len(reached) > len(weeks.wettings) / 3:
        return None
    evidence = (
        f"below {top:.0f} cm available water falls by {-100 * slope:.1f} % a day over {weeks.days:.0f} days",
        f"{len(reached)} of {len(weeks.wettings)} wettings reached {top:.0f} cm",
    )
    remedies = ("longer sets, less often", "one long set to fill the depth", "check that the roots really drink there")
    return Diagnosis("not reaching", "The depth gets drier and drier: the water does not reach it.", evidence, remedies,
                     "a long set on sloping or tight ground runs off before it goes down")  # fmt: skip


def _too_wet(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    shares = weeks.shares()
    upper, lower = inside[: max(1, len(inside) // 2)], inside[max(1, len(inside) // 2) :]
    wet = float(np.nanmean(shares[upper] > WET_SHARE))
    under = float(np.nanmean(shares[lower] > WET_SHARE)) if len(lower) else wet
    if wet < WET_TIME or under < 0.9:
        return None
    evidence = (f"the upper half is at full or above {wet:.0%} of the time, the lower half {under:.0%}",)
    return Diagnosis("too wet", "It seldom leaves full: roots lack air and water drains.", evidence,
                     ("wait longer between sets", "smaller sets", "look for a leak or a valve that does not close"),
                     "check that the full point is right: see the marks before cutting water")  # fmt: skip


def _too_dry(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    upper = inside[: max(1, len(inside) // 2)]
    marks = np.array([weeks.layers[n].theta_refill for n in upper])[:, None]
    week = weeks.theta[upper][:, -7 * DAY_H :]
    past = float(np.nanmean(np.nanmean(week < marks, axis=0) > 0.5)) * 7 if np.isfinite(week).any() else 0.0
    if past < DRY_DAYS:
        return None
    evidence = (f"the upper half was past its refill points on {past:.0f} of the last 7 days",)
    return Diagnosis("too dry", "The upper roots stay past refill.", evidence,
                     ("start earlier: move the trigger", "larger sets", "check the emitters by the station"),
                     "a planned deficit looks the same: see the stage's target")  # fmt: skip


def _well_run(weeks: Weeks, inside: Sequence[int]) -> Diagnosis:
    shares = weeks.shares()
    upper = inside[: max(1, len(inside) // 2)]
    values = shares[upper][np.isfinite(shares[upper])]
    low, high = (float(np.quantile(values, q)) for q in (0.1, 0.9)) if len(values) else (0.0, 0.0)
    known = [w for w in weeks.wettings if w.below_mm is not None]
    leaked = sum((w.below_mm or 0) > LEAK_MM for w in known)
    evidence = [f"the upper half moves between {low:.0%} and {high:.0%} of available water"]
    if known:
        evidence.append(f"{leaked} of {len(known)} wettings went below the roots")
    return Diagnosis("well run", "Upper depths swing within the marks, lower ones are quiet.", tuple(evidence))
