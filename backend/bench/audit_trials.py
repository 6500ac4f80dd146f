"""Sets of known size held against what the simulator's probes saw: gain, leak, and the verdict."""

import numpy as np

from bench import trials
from bench.timing import line
from bench.wetting_trials import profile_of, waters_of
from embalse.core.audit.seen import seen_of, watch
from embalse.core.audit.set_audit import (
    MUCH_BELOW_MM,
    MUCH_BELOW_SHARE,
    WITHIN_MM,
    WITHIN_SHARE,
    SetFacts,
    audit,
)
from embalse.core.field.wetting_events import wettings

SEEDS = 20
WATCHED_H = 60


def main() -> None:
    """Print the figures over seasons watered well and too much, and with a third too little of what is logged."""
    net = leak = right = sets = never = thirds = 0
    for number in range(SEEDS):
        one = trials.trial(number, fill=(1.0, 1.4)[number % 2], with_rain=False, month=5)
        profile, waters = profile_of(one), waters_of(one.season)
        found = wettings(profile, waters)
        for place, ((start, end), given) in enumerate(zip(one.season.sets, one.season.given_mm, strict=True)):
            later = [s for s, _ in one.season.sets[place + 1 :]]
            until = later[0] if later else None
            seen = seen_of(watch("a", profile, found), (start, end), until)
            if seen is None or (until or one.season.times[-1]) - start < WATCHED_H * 3600:
                continue
            first = start // 3600
            below = float(np.maximum(one.season.below_mm[first : first + WATCHED_H], 0).sum())
            told = audit(SetFacts(4.0, 4.0, given), [seen])
            sets += 1
            lost = float(one.season.runoff_mm[first : first + WATCHED_H].sum())
            off = seen.gained_mm + seen.passed_mm - (given - lost)
            net += abs(off) <= max(2.0, 0.1 * given)
            leak += told.below_mm is not None and abs(told.below_mm - below) <= max(2.0, 0.2 * below)
            leaks = below > max(MUCH_BELOW_MM, MUCH_BELOW_SHARE * given)
            runs_off = lost > max(WITHIN_MM, WITHIN_SHARE * given)
            true = {"too much"} if leaks else set()
            true |= {"too little", "too fast"} if runs_off else set()
            right += told.verdict in (true or {"right"})
            missed = audit(SetFacts(4.0, 4.0, 1.5 * given), [seen])
            thirds += 1
            never += missed.verdict == "right"
    line(f"Net received within 10 % or 2 mm, of {sets} sets", f"{net / sets:.0%}", "90 % or more")
    line("  water below the roots within 2 mm or 20 %", f"{leak / sets:.0%}", "90 % or more")
    line("  verdict right", f"{right / sets:.0%}", "90 % or more")
    line(f"  called right of {thirds} that gave a third less than logged", f"{never}", "0")


if __name__ == "__main__":
    main()
