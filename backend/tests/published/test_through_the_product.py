"""Outside values through the whole product: a farm document and a logger file in, advice out."""

import copy
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from embalse.config import Settings
from embalse.core.tables import texture_centres
from embalse.ingest.layout import inspect_file
from embalse.services.advice.advise import round_content
from embalse.services.intake.import_plan import plan_by_names
from embalse.services.intake.imports import run_import
from embalse.services.load.schemas import BlockAdvice
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from tests.conftest import CLOCK, PLAIN_FARM, put
from tests.published.test_soil import SAXTON, TABLE
from tests.published.test_water import EX_36, NRCS

Advise = Callable[[dict[str, Any], dict[float, float]], BlockAdvice]


@pytest.fixture
def advised(empty: Settings, tmp_path: Path) -> Advise:
    """Applies a document, brings ten days of readings of each depth that fall by 0.002 m³/m³ a day, and asks."""

    def ask(document: dict[str, Any], theta_now: dict[float, float]) -> BlockAdvice:
        put(document)
        with transaction():
            farm_store.hold_clock(CLOCK)
        path = tmp_path / "readings.csv"
        lines = ["time," + ",".join(f"one-{d:g}" for d in theta_now)]
        for hour in range(-240, 1):
            moment = datetime.fromtimestamp(CLOCK, UTC) + timedelta(hours=hour)
            day = -(-hour // 24)
            cells = ",".join(f"{theta - 0.002 * day:.6f}" for theta in theta_now.values())
            lines.append(f"{moment:%Y-%m-%dT%H:%M:%SZ},{cells}")
        path.write_text("\n".join(lines) + "\n")
        plan = plan_by_names(inspect_file(path), farm_store.sensors(), "UTC")
        assert plan is not None
        assert run_import(path, path.name, plan).status == "done"
        return round_content().blocks[0]

    return ask


def document(depths: list[float], **block: Any) -> dict[str, Any]:
    made = copy.deepcopy(PLAIN_FARM)
    made["blocks"][0] |= block
    sensors = [{"depth_cm": d, "channel": f"one-{d:g}"} for d in depths]
    made["blocks"][0]["stations"] = [{"key": "a", "sensors": sensors}]
    return made


def marked(full: float, wilting: float, **more: Any) -> list[dict[str, Any]]:
    horizon = {"top_cm": 0, "bottom_cm": 150, "texture": "loam", "full_theta": full, "wilting_theta": wilting}
    return [{"key": "loam", "horizons": [{**horizon, "full_reason": "given", "wilting_reason": "given", **more}]}]


@pytest.mark.published(source=SAXTON)
@pytest.mark.parametrize("texture", [name for name in TABLE if name not in ("sand", "loamy sand")])
def test_marks_of_a_texture_over_a_metre(advised: Advise, texture: str) -> None:
    given = document([25, 75], root_depth_cm=100)
    given["soils"] = [
        {"key": "loam", "horizons": [{"top_cm": 0, "bottom_cm": 100, "texture": texture, "organic_matter_pct": 2.5}]}
    ]
    wilting, full, saturated, _, _ = TABLE[texture]
    marks = advised(given, {25: 0.30, 75: 0.30}).marks
    assert marks is not None
    assert marks.full_mm == pytest.approx(10 * full, abs=5.5)
    assert marks.wilting_mm == pytest.approx(10 * wilting, abs=5)
    assert marks.saturation_mm == pytest.approx(10 * saturated, abs=5)


@pytest.mark.published(source=SAXTON)
def test_sand_and_clay_say_the_same_as_their_class(advised: Advise) -> None:
    by_class, by_share = document([25, 75], root_depth_cm=100), document([25, 75], root_depth_cm=100)
    sand, clay = texture_centres()["clay loam"]
    by_class["soils"][0]["horizons"][0]["texture"] = "clay loam"
    del by_share["soils"][0]["horizons"][0]["texture"]
    by_share["soils"][0]["horizons"][0] |= {"sand_fraction": sand, "clay_fraction": clay}
    assert advised(by_class, {25: 0.30, 75: 0.30}).marks == advised(by_share, {25: 0.30, 75: 0.30}).marks


@pytest.mark.published(source=EX_36)
@pytest.mark.parametrize(
    ("root", "p", "full", "wilting", "taw", "raw"),
    [(40, 0.3, 0.32, 0.15, 68, 20), (80, 0.4, 0.15, 0.06, 72, 29), (120, 0.55, 0.35, 0.23, 144, 79)],
)
def test_available_water_of_the_book(
    advised: Advise, root: float, p: float, full: float, wilting: float, taw: float, raw: float
) -> None:
    given = document([20, 60, 100], root_depth_cm=root, allowable_depletion_fraction=p)
    given["soils"] = marked(full, wilting)
    marks = advised(given, dict.fromkeys((20, 60, 100), full - 0.01)).marks
    assert marks is not None
    assert (marks.taw_mm, marks.allowable_mm) == (pytest.approx(taw, abs=1), pytest.approx(raw, abs=1))


@pytest.mark.published(source="arithmetic: each probe stands for the layer between midpoints")
def test_stored_and_depleted_water_of_six_probes(advised: Advise) -> None:
    theta = {10.0: 0.22, 20.0: 0.24, 30.0: 0.25, 45.0: 0.27, 60.0: 0.28, 90.0: 0.30}
    given = document(list(theta), root_depth_cm=60)
    given["soils"] = marked(0.30, 0.10, refill_theta=0.21, refill_reason="given")
    given["blocks"][0]["stations"][0]["bottom_cm"] = 100
    block = advised(given, theta)
    assert block.marks is not None
    assert block.storage_mm == pytest.approx(149.75, abs=0.01)
    assert block.depletion_mm == pytest.approx(30.25, abs=0.01)
    assert block.marks.allowable_mm == pytest.approx(54.0)
    used = 100 * (block.depletion_mm or 0) / block.marks.allowable_mm
    assert used == pytest.approx(56.0, abs=0.05)
    assert block.use_mm_d is not None and block.refill is not None
    assert block.use_mm_d.mid == pytest.approx(1.2, abs=0.01)
    assert block.refill.days.mid == pytest.approx((54.0 - 30.25) / 1.2, rel=0.01)
    assert block.refill.irrigate_by_day == int(block.refill.days.mid)


@pytest.mark.published(source=NRCS)
@pytest.mark.parametrize(
    ("system", "rate"),
    [
        ({"kind": "drip", "flow_l_h": 1.6, "spacing_m": 0.5, "line_spacing_m": 1.5}, 2.133),
        ({"kind": "micro", "flow_l_h": 4, "spacing_m": 5, "line_spacing_m": 6, "per_point": 8}, 1.067),
        ({"kind": "sprinkler", "flow_l_h": 1135.62, "spacing_m": 9.144, "line_spacing_m": 12.192}, 10.19),
    ],
)
def test_net_to_gross_to_hours_for_each_kind_of_system(advised: Advise, system: dict[str, Any], rate: float) -> None:
    given = document([20, 60], root_depth_cm=80, wetted_fraction=1.0, allowable_depletion_fraction=0.2)
    given["soils"] = marked(0.30, 0.10)
    given["systems"] = [{"key": "drip", "efficiency_fraction": 0.85, **system}]
    block = advised(given, {20: 0.26875, 60: 0.26875})
    advice = block.advised
    assert advice is not None and block.group == "coming"
    assert advice.net_mm == pytest.approx(0.2 * 160)
    assert advice.gross_mm == pytest.approx(advice.net_mm / 0.85)
    assert advice.set_time_h == pytest.approx(advice.gross_mm / rate, rel=1e-3)
    assert advice.volume_m3 == pytest.approx(advice.gross_mm * 10 * 10)
    lines = {line.key: line.value for line in block.working}
    assert lines["rate_mm_h"] == pytest.approx(rate, rel=1e-3)


@pytest.mark.published(source="definition: stones hold no water; 20 % stones take 20 % of every mark")
def test_stones_take_their_share_of_every_mark(advised: Advise) -> None:
    plain, stony = document([25, 75], root_depth_cm=100), document([25, 75], root_depth_cm=100)
    stony["soils"][0]["horizons"][0]["stones_fraction"] = 0.2
    without = advised(plain, {25: 0.22, 75: 0.22}).marks
    with_stones = advised(stony, {25: 0.22, 75: 0.22}).marks
    assert without is not None and with_stones is not None
    for name in ("full_mm", "refill_mm", "wilting_mm", "saturation_mm", "taw_mm"):
        assert getattr(with_stones, name) == pytest.approx(0.8 * getattr(without, name)), name


@pytest.mark.published(source="common practice, no source: the probe stands in the wetted part of the ground")
def test_the_wetted_share_scales_the_set_and_not_the_date(advised: Advise) -> None:
    half = advised(document([20, 60], wetted_fraction=0.5), {20: 0.20, 60: 0.20})
    whole = advised(document([20, 60], wetted_fraction=1.0), {20: 0.20, 60: 0.20})
    assert half.advised is not None and whole.advised is not None
    assert whole.advised.net_mm == pytest.approx(2 * half.advised.net_mm)
    assert (half.refill, half.depletion_mm) == (whole.refill, whole.depletion_mm)
