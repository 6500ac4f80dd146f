"""What a farm hears in its first fortnight: days 3 to 14 of every season with exact truth, by texture alone."""

import csv
import json
import os
import subprocess
import sys
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

FIRST_DAY, LAST_DAY = 3, 14
MM_A_CM = 10


@dataclass
class Heard:
    """Counts over mornings: asked, answered, with a date, told what would narrow the answer, and what truth said."""

    asked: int = 0
    advice: int = 0
    dated: int = 0
    told_next: int = 0
    inside: int = 0
    widths_mm: list[float] = field(default_factory=list)
    errors_mm: list[float] = field(default_factory=list)
    calls: list[tuple[float, float, float, float]] = field(default_factory=list)


class Truth:
    """Exact water of a season by the hour, and the root zone's at the field's own full point [mm]."""

    def __init__(self, seasons: Path, name: str) -> None:
        self.about = json.loads((seasons / f"{name}_truth.json").read_text())
        with (seasons / f"{name}_truth_hourly.csv").open() as file:
            rows = list(csv.DictReader(file))
        self.start = datetime.fromisoformat(rows[0]["time_local_standard"])
        self.water = np.array(
            [float(r["rain_mm_in_hour_before"]) + float(r["irrigation_mm_in_hour_before"]) for r in rows]
        )
        self.columns = {k: np.array([float(r[k]) for r in rows]) for k in rows[0] if k.startswith("water_mm_0_")}

    def storage(self, root_cm: float) -> np.ndarray:
        """Water from the surface to the root depth, hourly [mm]."""
        low = int(root_cm // 10) * 10
        at = {0: np.zeros(len(self.water)), **{int(k.rsplit("_", 1)[1]): v for k, v in self.columns.items()}}
        rest = (root_cm - low) / 10
        return np.asarray(at[low] + (rest * (at[low + 10] - at[low]) if rest > 0 else 0.0))

    def full_mm(self, root_cm: float) -> float:
        """Water in the root zone at the field's full point; where that was not seen, at the next one above [mm]."""
        found = self.about["drained_upper_limit_in_field"]
        edges = [*self.about["layer_edges_cm"][:-1], max(self.about["layer_edges_cm"][-1], root_cm)]
        total, last = 0.0, None
        for n, depth in enumerate(self.about["probe_depths_cm"]):
            if depth in found["valid_depths_cm"] or last is None:
                last = found["theta_48h_after_end"][str(depth)]
            total += MM_A_CM * max(0.0, min(edges[n + 1], root_cm) - edges[n]) * last
        return total

    def days_to(self, at: int, root_cm: float, refill_mm: float) -> float | None:
        """Days from an hour on until the root zone holds no more than refill; None if water comes first [days]."""
        storage = self.storage(root_cm)
        wet = np.flatnonzero(self.water[at + 1 :] >= 1.0)
        until = at + 1 + int(wet[0]) if len(wet) else len(storage) - 1
        past = np.flatnonzero(storage[at : until + 1] <= refill_mm)
        return float(past[0] / 24) if storage[at] > refill_mm and len(past) else None


def main(answers: Path, embalse: Path) -> None:
    """Ask every season's farm in a folder of answers, each morning of its first fortnight, and print the sums."""
    whole = Heard()
    for seasons in sorted((answers / "seasons").glob("*_truth.json")):
        name = seasons.name.removesuffix("_truth.json")
        [farm] = answers.glob(f"{name.split('_')[0]}-*/plain")
        _ask(Truth(answers / "seasons", name), farm, embalse, whole)
    for line in _lines(whole):
        print(line, flush=True)


def _ask(truth: Truth, farm: Path, embalse: Path, heard: Heard) -> None:
    first = truth.start.date() + timedelta(days=FIRST_DAY - 1)
    for number in range(LAST_DAY - FIRST_DAY + 1):
        morning = first + timedelta(days=number)
        _hear(truth, _advice(farm, embalse, morning), morning, heard)


def _advice(farm: Path, embalse: Path, morning: date) -> dict[str, Any]:
    asked = [str(embalse), "advise", "b", "--as-of", f"{morning}T06:00", "--json"]
    done = subprocess.run(asked, env={**os.environ, "EMBALSE_DATA": str(farm)}, capture_output=True, check=True)
    return dict(json.loads(done.stdout)["blocks"][0])


def _hear(truth: Truth, block: dict[str, Any], morning: date, heard: Heard) -> None:
    heard.asked += 1
    heard.advice += block["group"] != "no advice"
    heard.dated += block["refill"] is not None
    lines = {line["key"]: line for line in block["working"]}
    if "full_mm" not in lines or block["depletion_mm"] is None:
        return
    heard.told_next += "read the probes" in lines["full_mm"]["formula"] or lines["full_mm"]["low"] is None
    at = int((datetime.combine(morning, datetime.min.time()) - truth.start).total_seconds() // 3600) + 6
    root, depletion = block["root_depth_cm"], lines["depletion_mm"]
    true_mm = truth.full_mm(root) - float(truth.storage(root)[at])
    heard.errors_mm.append(depletion["value"] - true_mm)
    if depletion["low"] is not None:
        heard.inside += depletion["low"] <= true_mm <= depletion["high"]
        heard.widths_mm.append((depletion["high"] - depletion["low"]) / 2)
    days = truth.days_to(at, root, block["marks"]["full_mm"] - block["trigger_mm"])
    if days is not None and block["refill"] is not None:
        said = block["refill"]["days"]
        heard.calls.append((days, said["low"], said["mid"], said["high"]))


def _lines(heard: Heard) -> list[str]:
    errors, calls = np.array(heard.errors_mm), np.array(heard.calls).reshape(-1, 4)
    near = np.abs(calls[:, 2] - calls[:, 0]) <= 1
    inside = (calls[:, 1] <= calls[:, 0]) & (calls[:, 0] <= calls[:, 3])
    return [
        f"days {FIRST_DAY} to {LAST_DAY}: {heard.asked} mornings, advice on {heard.advice}, a date on {heard.dated}, "
        f"what would narrow it told on {heard.told_next}",
        f"depletion against the field's full point: RMSE {np.sqrt(np.mean(errors**2)):.0f} mm, inside the band said "
        f"(± {np.median(heard.widths_mm):.0f} mm) on {heard.inside} of {len(heard.widths_mm)}",
        f"refill date, to the refill said, within a day: {int(near.sum())} of {len(calls)}; "
        f"inside its 10 and 90 % dates: {int(inside.sum())}",
    ]


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.executable).parent / "embalse")
