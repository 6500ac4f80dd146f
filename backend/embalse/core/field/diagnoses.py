"""What the traces of some weeks say of how a block is watered, with the evidence and the usual remedies."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.field.wetting import Wetting
from embalse.core.practice import practice
from embalse.core.soil.layers import Layer
from embalse.core.wording import Notice, Text

Floats = NDArray[np.float64]
DiagnosisKind = Literal["too wet", "too dry", "uneven", "leaking", "not reaching", "sealed", "well run", "not told"]
FEWEST_WETTINGS: Final = 3  # wettings in four weeks before anything is said of them (ours)
LEAK_MM: Final = practice("leak_mm")
LEAK_SHARE: Final = practice("leak_share")
WET_SHARE: Final = 0.95  # share of available water [-] from which a layer counts as wet (ours)
WET_TIME: Final = 0.7  # share of the hours [-] the upper root zone stands wet before it is called too wet (ours)
DRY_DAYS: Final = 3.0  # days past refill in four weeks before it is called too dry (ours)
# share of available water a day [-] by which the deep layers fall when water does not reach them (ours)
FALL_PER_DAY: Final = 0.004
SHALLOW_PART: Final = 0.65  # share of the root depth [-] a set should pass (ours)
CAUGHT_SHARE: Final = 0.75  # share of a set's net depth [-] that should be seen in the soil (ours)
DAY_H: Final = 24  # hours
REACH_DAYS: Final = 14  # days before a drying below can be told from a dry-down (ours)
FEWEST_GIVEN: Final = 2  # sets or rain of known depth before runoff can be told (ours)
KNOWN_TIME: Final = 0.8  # share of the hours [-] with readings before weeks are called well run (ours)
WITHIN_TIME: Final = 2 / 3  # share of the hours [-] the upper depths stay within their marks (ours)
ABOVE_FULL: Final = (
    1.1  # share of available water [-] up to which they are within them: water drains for a day or two (ours)
)
SWING_PLACES: Final = (0.1, 0.9)  # quantiles a swing is told by


@dataclass(frozen=True)
class Diagnosis:
    """A finding: its kind, what is said, what it rests on, what is usually done about it, and a caution (no unit)."""

    kind: DiagnosisKind
    words: Notice
    evidence: tuple[Notice, ...]
    remedies: tuple[Text, ...] = ()
    caution: Text = ""


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


def diagnoses(weeks: Weeks, disagree: Notice | None = None, doubts: Sequence[Notice] = ()) -> list[Diagnosis]:
    """Every finding in some weeks of a station, the gravest first.

    Without a finding it is "well run" only where each thing that says so was tested and held; else what could not be
    told, and why. The rules are common practice without a source: upper sensors should swing between their marks,
    lower ones hardly move. Nothing is said of less than a week, or without a layer in the roots.

    Parameters
    ----------
    weeks : Weeks
    disagree : Notice, optional
        How the block's stations disagree; None when they don't.
    doubts : sequence of Notice, optional
        What speaks against the station's sensors: not calibrated, crossed, at the end of their range.
    """
    inside = [n for n, layer in enumerate(weeks.layers) if layer.rooted_cm > 0]
    if weeks.days < 7 or not inside:
        return []
    found = [
        rule(weeks, inside) for rule in (_leaking, _sealed, _not_reaching, _too_wet, _too_dry)
    ]  # fmt: skip
    given = [one for one in found if one is not None]
    if disagree is not None:
        given.append(
            Diagnosis("uneven", Notice("diagnosis.uneven"), (disagree,),
                      ("Check emitters and pressure at the station that differs.", "Check its depth and contact.",
                       "Check that it stands in the same soil."),
                      "The mean of unlike places gives one too much water and the other too little.")
        )  # fmt: skip
    return given or [_verdict(weeks, inside, doubts)]


def _leaking(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    known = [w for w in weeks.wettings if w.below_mm is not None]
    if len(known) < FEWEST_WETTINGS:
        return None
    leaked = [w for w in known if (w.below_mm or 0) > LEAK_MM]
    if len(leaked) < LEAK_SHARE * len(known):
        return None
    total = sum(w.below_mm or 0 for w in leaked)
    evidence = (
        Notice(
            "evidence.leak_count",
            leaked=len(leaked),
            known=len(known),
            in_days=round(weeks.days),
            roots_cm=weeks.root_depth_cm,
        ),
        Notice("evidence.leak_depth", total_mm=total, each_mm=total / len(leaked)),
    )
    remedies = ("Shorter sets, more often.", "Let it dry further first.", "Fix a valve or emitter that gives too much.")
    caution = (
        "Some leaching may be wanted where water or soil is salty. Water that drains takes nitrate to the groundwater."
    )
    return Diagnosis("leaking", Notice("diagnosis.leaking", total_mm=total), evidence, remedies, caution)


def _sealed(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    """Wet on top, no front below, and less water in the soil than was given."""
    deep = SHALLOW_PART * weeks.root_depth_cm
    pairs = list(zip(weeks.wettings, weeks.expected_mm, strict=False))
    short = [
        (w, e) for w, e in pairs if np.isfinite(e) and e > 4 and w.reach_cm < deep and w.gain_mm < CAUGHT_SHARE * e
    ]
    if len(short) < FEWEST_GIVEN or len(short) < LEAK_SHARE * len([e for _, e in pairs if np.isfinite(e)]):
        return None
    gain, expected = (float(np.mean(values)) for values in ([w.gain_mm for w, _ in short], [e for _, e in short]))
    evidence = (
        Notice("evidence.runoff_gain", sets=len(short), gain_mm=gain, expected_mm=expected),
        Notice("evidence.reach", reach_cm=max(w.reach_cm for w, _ in short)),
    )
    remedies = ("Give it slower, or in pulses.", "Loosen or mulch the surface.", "Look for water running off downhill.")
    return Diagnosis("sealed", Notice("diagnosis.sealed"), evidence, remedies,
                     "Longer sets at the same rate run off. Add no water until it gets in.")  # fmt: skip


def _not_reaching(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    lower = inside[-max(1, len(inside) // 3) :]
    shares = weeks.shares()[lower].mean(axis=0)
    hours = np.flatnonzero(np.isfinite(shares))
    if weeks.days < REACH_DAYS or len(hours) < 7 * DAY_H:
        return None
    slope = float(np.polyfit(hours / DAY_H, shares[hours], 1)[0])
    top = weeks.layers[lower[0]].top_cm
    reached = [w for w in weeks.wettings if w.reach_cm >= top]
    if slope > -FALL_PER_DAY or len(reached) > len(weeks.wettings) / 3:
        return None
    evidence = (
        Notice("evidence.drying", below_cm=top, fall_fraction=-slope, in_days=round(weeks.days)),
        Notice("evidence.reached", reached=len(reached), wettings=len(weeks.wettings), depth_cm=top),
    )
    reach = float(np.median([w.reach_cm for w in weeks.wettings])) if weeks.wettings else top
    remedies = ("Longer sets, less often.", "One long set to fill the depth.", "Check that roots take water there.")
    words = Notice("diagnosis.not_reaching", below_cm=top, usual_cm=reach if reach < top else None)
    return Diagnosis("not reaching", words, evidence, remedies,
                     "On sloping or tight ground a long set runs off before it goes down.")  # fmt: skip


def _too_wet(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    shares = weeks.shares()
    upper, lower = inside[: max(1, len(inside) // 2)], inside[max(1, len(inside) // 2) :]
    wet = float(np.nanmean(shares[upper] > WET_SHARE))
    under = float(np.nanmean(shares[lower] > WET_SHARE)) if len(lower) else wet
    if wet < WET_TIME or under < 0.9:
        return None
    evidence = (Notice("evidence.wet_time", upper_fraction=wet, lower_fraction=under),)
    return Diagnosis("too wet", Notice("diagnosis.too_wet"), evidence,
                     ("Wait longer between sets.", "Smaller sets.", "Look for a leak or a valve that does not close."),
                     "Check the full point on the Marks page before you cut water.")  # fmt: skip


def _too_dry(weeks: Weeks, inside: Sequence[int]) -> Diagnosis | None:
    upper = inside[: max(1, len(inside) // 2)]
    marks = np.array([weeks.layers[n].theta_refill for n in upper])[:, None]
    week = weeks.theta[upper][:, -7 * DAY_H :]
    past = float(np.nanmean(np.nanmean(week < marks, axis=0) > 0.5)) * 7 if np.isfinite(week).any() else 0.0
    if past < DRY_DAYS:
        return None
    evidence = (Notice("evidence.past_refill", past=round(past)),)
    return Diagnosis("too dry", Notice("diagnosis.too_dry"), evidence,
                     ("Start earlier: move the trigger.", "Larger sets.", "Check the emitters at the station."),
                     "A planned deficit looks the same: check the target of this stage.")  # fmt: skip


def _verdict(weeks: Weeks, inside: Sequence[int], doubts: Sequence[Notice]) -> Diagnosis:
    """Well run where every claim of it was tested and held; else what was not."""
    swing, lower_moves = _swing(weeks, inside)
    known = [w for w in weeks.wettings if w.below_mm is not None]
    leaked = sum((w.below_mm or 0) > LEAK_MM for w in known)
    told = [Notice("evidence.swing", low_fraction=swing.low, high_fraction=swing.high)]
    if known:
        told.append(Notice("evidence.leaks", leaked=leaked, known=len(known)))
    missing = [*doubts, *_untested(weeks, inside, len(known))]
    if swing.within < WITHIN_TIME:
        missing.append(Notice("untold.swing", within_fraction=swing.within, wanted_fraction=WITHIN_TIME))
    if lower_moves > swing.high - swing.low:
        missing.append(Notice("untold.lower"))
    if missing:
        code = "diagnosis.not_told" if np.isfinite(weeks.theta[list(inside)]).any() else "diagnosis.nothing_told"
        return Diagnosis(
            "not told", Notice(code), (*missing, *told) if code == "diagnosis.not_told" else tuple(missing)
        )
    return Diagnosis("well run", Notice("diagnosis.well_run"), tuple(told))


@dataclass(frozen=True)
class _Swing:
    """Shares of available water between which the upper depths move [-], and of the hours within their marks."""

    low: float
    high: float
    within: float


def _swing(weeks: Weeks, inside: Sequence[int]) -> tuple[_Swing, float]:
    """How the upper depths move, and by how much the lower ones do [share of available water]."""
    shares = weeks.shares()
    upper, lower = inside[: max(1, len(inside) // 2)], inside[max(1, len(inside) // 2) :]
    values = shares[upper]
    refill = np.array([weeks.layers[n].share_available(weeks.layers[n].theta_refill) for n in upper])[:, None]
    known = np.isfinite(values)
    if not known.any():
        return _Swing(0.0, 0.0, 0.0), 0.0
    low, high = (float(np.quantile(values[known], q)) for q in SWING_PLACES)
    within = float(((values >= refill) & (values <= ABOVE_FULL))[known].mean())
    deep = shares[lower][np.isfinite(shares[lower])] if len(lower) else np.empty(0)
    moves = float(np.subtract(*np.quantile(deep, SWING_PLACES[::-1]))) if len(deep) else 0.0
    return _Swing(low, high, within), moves


def _untested(weeks: Weeks, inside: Sequence[int], known_leaks: int) -> list[Notice]:
    """What could not be tested in these weeks."""
    found = []
    known = float(np.isfinite(weeks.shares()[list(inside)]).mean())
    if known < KNOWN_TIME:
        found.append(Notice("untold.readings", known_fraction=known, wanted_fraction=KNOWN_TIME))
    if known_leaks < FEWEST_WETTINGS:
        found.append(Notice("untold.leaks", known=known_leaks, wanted=FEWEST_WETTINGS))
    if sum(np.isfinite(e) for e in weeks.expected_mm) < FEWEST_GIVEN:
        found.append(Notice("untold.runoff"))
    if weeks.days < REACH_DAYS:
        found.append(Notice("untold.reach", in_days=round(weeks.days), wanted_days=REACH_DAYS))
    return found
