"""Sets corrected by the audit one after another, held against a manager who knows: how much, and whether it swings."""

import numpy as np

from bench import trials
from bench.timing import line
from embalse.core.advice.decision_inputs import soil_intake_mm_h
from embalse.core.audit.next_dose import NOTHING_USED, DoseEvidence, Used, correction, moved, water_evidence
from embalse.core.audit.received import received
from embalse.core.audit.seen import seen_of, watch
from embalse.core.audit.set_audit import SetAudit, SetFacts, audit
from embalse.core.field.day_curve import hourly_share
from embalse.core.field.wetting import ProfileHours, Water
from embalse.core.field.wetting_events import wettings
from embalse.core.simulate.plots import SET_MM_H, Manager, PlotPlan, PlotSeason, plot_season
from embalse.core.simulate.sensing import SensorFaults, sensed_theta
from embalse.core.simulate.weather import weather
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.layers import layer_limits_cm
from embalse.core.soil.soil import FineEarth

SEEDS = 20
SHARES = (0.75, 0.9, 1.0, 1.1)
NEEDS = (1.0, 1.2)
RIGHT = 0.15
DAYS = 100


class Corrected(Manager):
    """Waters by a depletion that is ``need`` times the true one, through a system that brings ``share`` of it.

    With ``learns`` the dose is corrected by what the probes say of the sets before; ``slope`` is what the calibration
    makes of a true change.
    """

    def __init__(self, plan: PlotPlan, taw_mm: float, seed: int, off: tuple[float, float, float], learns: bool) -> None:
        super().__init__(plan, taw_mm)
        self.seed, self.learns = seed, learns
        self.share, self.need, self.slope = off
        self.sky = weather(np.full(plan.days, plan.month), seed)
        self.expected_mm: list[float] = []
        self.lacked_mm: list[float] = []
        self.true_mm: list[float] = []
        self.used: list[Used] = []
        self.audits: list[SetAudit] = []

    def wanted_mm(self, day: int, short_mm: float) -> float:
        """The advised set, corrected, as the system brings it; 0 for none."""
        if short_mm * self.need <= self.plan.start_share * self.taw_mm:
            return 0.0
        used = self._used(day) if self.learns else NOTHING_USED
        self.used.append(used)
        self.true_mm.append(short_mm)
        self.lacked_mm.append(short_mm * self.need)
        self.expected_mm.append(short_mm * self.need * used.factor)
        return self.expected_mm[-1] * self.share

    def _used(self, day: int) -> Used:
        self.audits = audits_of(self, 24 * day + 20)
        evidence: list[DoseEvidence] = []
        for told, lacked, used in zip(self.audits, self.lacked_mm, self.used, strict=False):
            one = water_evidence(told, lacked, used)
            if one is not None:
                evidence.append(one)
        found, used = correction(evidence), self.used[-1] if self.used else NOTHING_USED
        factor = moved(found, used)
        return used if factor is None else Used(factor, found.useful)


def audits_of(found: Corrected, hours: int) -> list[SetAudit]:
    """Audits of the sets so far, oldest first."""
    if not found.sets:
        return []
    depths = found.plan.depths_cm
    theta = np.array([_sensed(found, d, hours) for d in depths])
    share = np.array([hourly_share(h) for h in range(24)])
    use = (np.array(found.plan.kc_by_day or (found.plan.kc,) * found.plan.days) * found.sky.eto_mm_d)[:, None] * share
    at = 3600 * np.arange(hours, dtype=np.int64)
    profile = ProfileHours(
        at, theta, depths, tuple(layer_limits_cm(depths)), found.plan.root_depth_cm, found.slope * use.ravel()[:hours]
    )
    waters = [Water("set", a, b, mm) for (a, b), mm in zip(found.sets, found.expected_mm, strict=False)]
    events = wettings(profile, waters)
    told = []
    for place, ((start, end), expected) in enumerate(zip(found.sets, found.expected_mm, strict=False)):
        later = [s for s, _ in found.sets[place + 1 :]]
        seen = seen_of(watch("a", profile, events), (start, end), later[0] if later else None)
        takes = soil_intake_mm_h([Horizon(0, 200, FineEarth(*trials.TEXTURES[found.plan.texture]))], 0.0)
        facts = SetFacts(None, (end - start) / 3600, expected, start_at=start, takes_mm_h=takes, gives_mm_h=SET_MM_H)
        told.append(audit(facts, [] if seen is None else [seen]))
    return told


def _sensed(found: Corrected, depth: float, hours: int) -> trials.NDArray[np.float64]:
    values = np.array(found.truth[depth][:hours])
    read = sensed_theta(values, SensorFaults(), found.seed * 1000 + round(depth))
    return np.asarray(values[0] + found.slope * (read - values[0]))


def season_of(number: int, off: tuple[float, float, float], learns: bool) -> tuple[Corrected, PlotSeason]:
    """A season without rain of a soil of the simulator, watered so."""
    kept: list[Corrected] = []
    plan = PlotPlan(texture=list(trials.TEXTURES)[number % 4], kc=1.0, days=DAYS, month=6, deep_every=0)

    def manager(given: PlotPlan, taw_mm: float) -> Manager:
        kept.append(Corrected(given, taw_mm, 900 + number, off, learns))
        return kept[0]

    season = plot_season(plan, 900 + number, manager)
    kept[0].audits = audits_of(kept[0], 24 * DAYS)
    return kept[0], season


def main() -> None:
    """Print how the corrections do, case by case."""
    late = swings = totals = cases = learned = learnable = 0
    sums: list[float] = []
    for number in range(SEEDS):
        perfect, _ = season_of(number, (1.0, 1.0, 1.0), False)
        ideal = sum(perfect.given_mm)
        share, need = SHARES[number % 4], NEEDS[number // 4 % 2]
        found, _ = season_of(number, (share, need, 1.0), True)
        cases += 1
        off = [g / t for g, t in zip(found.given_mm, found.true_mm, strict=True)]
        late += any(abs(o - 1) > RIGHT for o in off[4:])
        factors = [u.factor for u in found.used]
        swings += _turns(factors) > 2
        sums.append(sum(found.given_mm) / ideal)
        totals += abs(sums[-1] - 1) <= 0.03
        told = received(found.audits[:6])
        if told is not None:
            learnable += 1
            learned += abs(told.share - share) <= 0.05
    line(f"Sets right from the fifth on, of {cases} corrected seasons", f"{(cases - late) / cases:.0%}", "all")
    line("  corrections that swing", f"{swings}", "0")
    line("  water of the season within 3 % of a manager who knows", f"{totals / cases:.0%}", "all")
    line("    from, to", f"{min(sums):.2f}, {max(sums):.2f}", "0.97, 1.03")
    line(f"Efficiency within 0.05 after six sets, of {learnable}", f"{learned / max(1, learnable):.0%}", "all")
    apart = []
    for number in range(0, SEEDS, 4):
        true, biased = (season_of(number, (1.0, 1.0, slope), True)[0].used[-1].factor for slope in (1.0, 0.9))
        apart.append(abs(biased - true))
    line("Two runs apart by a calibration 10 % low: corrections apart at most", f"{max(apart):.1%}", "11 %")


def _turns(factors: list[float], least: float = 0.02) -> int:
    """How often a row of corrections turns back by more than the least worth setting."""
    turns, way, last = 0, 0, factors[0] if factors else 1.0
    for one in factors:
        if abs(one - last) <= least:
            continue
        now = 1 if one > last else -1
        turns += way not in (0, now)
        way, last = now, one
    return turns


if __name__ == "__main__":
    main()
