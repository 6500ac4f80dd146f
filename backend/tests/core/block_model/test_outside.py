"""The model against a season of exact truth, written by a Richards solver that shares nothing with this project.

What it is held against is in ``outside/README.md``. Texture, crop and dates are what an agronomist would enter.
"""

import csv
import json
from datetime import date, datetime
from functools import cache
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from embalse.core.block_model.crop_cover import basal_coefficients
from embalse.core.block_model.findings import below_roots_mm, modelled_uptake
from embalse.core.block_model.fit import Fitted, fit
from embalse.core.block_model.ground import ground_of
from embalse.core.block_model.parameters import STRESS, Prior, prior_at
from embalse.core.block_model.paths import AHEAD_DAYS, Ahead, loss_paths
from embalse.core.block_model.record import Record, Season, at_steps
from embalse.core.crop.crop_library import library_crop
from embalse.core.crop.stages import STAGES, CropCalendar
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.roots import RootGrowth, root_depth_cm
from embalse.core.soil.soil import FineEarth

Floats = NDArray[np.float64]
HERE = Path(__file__).parent / "outside"
DEPTHS = (10, 20, 30, 40, 60, 80)
ROOTS_CM = 50.0
PLANTED = date(2022, 4, 25)


def number(day: date) -> int:
    return day.toordinal() - date(1970, 1, 1).toordinal()


def hour_s(text: str) -> int:
    moment = datetime.fromisoformat(f"2022-{text}:00" if len(text) < 12 else text)
    return round((moment - datetime(1970, 1, 1)).total_seconds())


def rows(name: str) -> list[dict[str, str]]:
    with (HERE / name).open() as file:
        return list(csv.DictReader(file))


@cache
def season() -> tuple[Prior, Record, Season]:
    days = rows("days.csv")
    first = number(date.fromisoformat(days[0]["day"]))
    numbers = np.arange(first, first + len(days))
    hours = rows("readings.csv")
    local = np.array([hour_s(row["hour"]) for row in hours])
    profile = np.stack(
        [at_steps(local, np.array([float(r[str(z)]) for r in hours]), first, len(days)) for z in DEPTHS], axis=1
    )
    waters = json.loads((HERE / "waters.json").read_text())
    sets = [(hour_s(w["start"]), hour_s(w["end"]), w["gross_mm"]) for w in waters if w["kind"] == "irrigation"]
    rain = {first + n: float(row["rain_mm"]) for n, row in enumerate(days)}
    growth = RootGrowth(ROOTS_CM, 15.0, number(PLANTED), number(date(2022, 6, 29)))
    crop = library_crop("potato")
    assert crop is not None
    lengths = tuple(float(crop.value(f"{stage}_days") or 0) for stage in STAGES)
    kc = tuple(float(crop.value(name) or 0) for name in ("kc_ini", "kc_mid", "kc_end"))
    calendar = CropCalendar(number(PLANTED), lengths, kc)  # type: ignore[arg-type]
    soil = [Horizon(0, 160, FineEarth(0.82, 0.06))]
    found = Season(
        first_day=first,
        stations=(profile,),
        eto_mm=np.array([float(row["eto_mm"]) for row in days]),
        kcb=basal_coefficients(calendar, numbers),
        roots_cm=np.array([root_depth_cm(growth, int(d)) for d in numbers]),
        sets=tuple(sets),
        passes=False,
        rain_mm=rain,
        ends=8 * len(days) - 8,
    )
    ground = ground_of(DEPTHS, soil, None, ROOTS_CM)
    return prior_at(ground, found.whole(), 1.0, STRESS), found.whole(), found


@cache
def fitted(day: int, half_days: bool = False) -> Fitted:
    prior, _, whole = season()
    found = fit(prior, whole.until_dawn(day), day, half_days=half_days)
    assert found is not None
    return found


@cache
def true_theta() -> dict[int, Floats]:
    return {hour_s(r["hour"]): np.array([float(r[str(z)]) for z in DEPTHS]) for r in rows("true_theta.csv")}


def rooted_mm(prior: Prior, roots_cm: float) -> Floats:
    limits = prior.ground.limits_cm
    return np.asarray(10 * np.clip(np.minimum(limits[1:], roots_cm) - limits[:-1], 0, None))


def test_two_days_ahead_the_root_zone_is_where_the_model_said() -> None:
    """Every morning from the tenth day on that no water comes the night before nor for two days after, with the weather as it came."""
    prior, record, _ = season()
    misses, plain = [], []
    given = record.sets_mm + record.rain_mm
    for day in range(record.first_day + 10, record.first_day + record.days - 4):
        step = record.dawn(day)
        if given[step - 2 : step + 16].sum() > 0.5:
            continue
        rooted = rooted_mm(prior, float(record.roots_cm[day - record.first_day]))
        begin, end = (true_theta()[86400 * (day + n) + 6 * 3600] for n in (0, 2))
        true = float(rooted @ (begin - end))
        place = day - record.first_day
        span = slice(place, place + AHEAD_DAYS + 1)
        eto, kcb, roots = record.eto_mm[span], record.kcb[span], record.roots_cm[span]
        weather = Ahead(eto[None], np.zeros((1, len(eto))), kcb, roots)
        found = loss_paths(prior, fitted(day - day % 3), (record.theta[step], rooted, np.full(6, 0.05)), weather)
        misses.append(float(np.median(found.at(np.array([2.0])))) - true)
        plain.append(float((eto * kcb)[:2].sum()) - true)
    assert len(misses) >= 12
    rms, tabled = (float(np.sqrt(np.mean(np.square(values)))) for values in (misses, plain))
    assert rms < 2.5 and rms < 0.6 * tabled
    assert abs(float(np.mean(misses))) < 1.2


def test_water_below_the_roots_is_found_where_it_went() -> None:
    """Each set and rain of 5 mm or more: within 2 mm or 20 %, or nearly, and the leaks told from the others."""
    prior, record, _ = season()
    waters = json.loads((HERE / "waters.json").read_text())
    said, true = [], []
    for one, later in pairwise(waters[1:]):
        start, close = hour_s(one["start"]), min(hour_s(one["end"]) + 120 * 3600, hour_s(later["start"]))
        steps = tuple((t - 86400 * record.first_day) // 10800 for t in (start, close))
        day = close // 86400 + 1
        if steps[0] < record.dawn(record.first_day + 6) or day > record.first_day + record.days - 2:
            continue
        found = below_roots_mm(prior, record.ending(day - day % 3), fitted(day - day % 3), steps, ROOTS_CM)  # type: ignore[arg-type]
        assert found is not None
        said.append(found)
        true.append(max(0.0, one["deep_mm"]))
    off = np.abs(np.array(said) - true)
    assert len(off) >= 10
    assert float(np.mean(off <= np.maximum(2.0, 0.2 * np.array(true)))) >= 0.75
    assert sum(said) == pytest.approx(sum(true), rel=0.5)


def test_layers_are_told_apart_by_day_and_night() -> None:
    """The last two weeks' uptake by layer, on days without water: the whole within a tenth, layers within a quarter."""
    prior, record, _ = season()
    day = record.first_day + record.days - 3
    found = modelled_uptake(prior, record, fitted(day, half_days=True), day)
    assert found is not None
    days = rows("days.csv")
    clean = [
        n
        for n in range(record.days - 17, record.days - 3)
        if (record.sets_mm + record.rain_mm)[8 * n - 6 : 8 * n + 10].sum() < 1
    ]
    names = ["0_15", "15_25", "25_35", "35_50"]
    true = [float(np.mean([float(days[n][f"uptake_{name}cm_mm"]) for n in clean])) for name in names]
    said = [layer.mm_d for layer in found.layers[:4]]
    assert sum(said) == pytest.approx(sum(true), rel=0.12)
    assert said == pytest.approx(true, rel=0.3)
