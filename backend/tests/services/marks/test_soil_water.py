"""Sheets, calibrations in versions, marks picked, growth: through the services, against what was known when."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pydantic import ValidationError

from embalse.config import Settings
from embalse.core.errors import CoreError
from embalse.core.field.drain_down import DrainDown, FieldFullPoint, pooled
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.layers import Layer
from embalse.core.soil.soil import FineEarth
from embalse.core.wording import Notice
from embalse.services.advice.advise import Picked, picked_content, round_content, what_if_content
from embalse.services.advice.index_mode import index_content
from embalse.services.calibration.calibrations import (
    ApplyCalibration,
    apply_calibration,
    calibrations_content,
    compare,
    set_withdrawn,
    warmth_content,
)
from embalse.services.calibration.error_in_water import plan_content
from embalse.services.calibration.sample_sheets import (
    SampleDraft,
    SheetDraft,
    sheet_content,
    sheets_content,
    work_sheet,
)
from embalse.services.document.apply import apply_document
from embalse.services.document.deleting import delete
from embalse.services.document.export import farm_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.marks.growth_page import growth_content
from embalse.services.marks.marks_page import _offers, marks_content
from embalse.services.marks.tension_page import tension_content
from embalse.services.schema.refused import DocumentErrors
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound
from tests.conftest import CLOCK, put
from tests.services.readings.test_faults import bring

DAY = 86400


@pytest.fixture
def dry(farm: Settings, tmp_path: Path) -> Settings:
    """The plain farm, drying for twenty days."""
    bring(tmp_path / "a.csv")
    return farm


def tins(count: int = 12, spread: float = 0.004, seed: int = 1) -> list[SampleDraft]:
    random = np.random.default_rng(seed)
    found = []
    for raw in np.linspace(350, 700, count):
        theta = 0.55 - 6e-4 * raw + random.normal(0, spread)
        dry = 50 + 135
        found.append(SampleDraft(raw=[float(raw)], tare_g=50, dry_g=dry, wet_g=round(dry + 100 * theta, 2),
                                 ring_volume_cm3=100))  # fmt: skip
    return found


def put_more(**lists: Any) -> None:
    apply_document(FarmDocument.model_validate({"embalse": 1, **lists}))


def advice(moment: str | None = None) -> Any:
    return round_content(moment, ["one"]).blocks[0]


# sheets


def test_a_sheet_is_worked_out_while_it_is_typed(farm: Settings) -> None:
    half = SampleDraft(raw=[500], tare_g=50, wet_g=200)
    wrong = SampleDraft(raw=[500], tare_g=50, wet_g=150, dry_g=190, ring_volume_cm3=100)
    bare = SampleDraft(tare_g=50, wet_g=212, dry_g=185, ring_volume_cm3=100)
    found = work_sheet(SheetDraft(raw_unit="count", samples=[*tins(), half, wrong, bare], sheet="s"))
    assert found.best == "linear" and found.part is not None
    assert found.part["curve"]["sheet"] == "s" and len(found.part["curve"]["covariance"]) == 2
    assert [(r.field, r.used) for r in found.rows[-3:]] == [("dry_g", False), ("wet_g", False), ("raw", False)]
    assert found.rows[-1].theta == pytest.approx(0.27) and found.rows[-1].bulk_density_g_cm3 == pytest.approx(1.35)
    assert len(found.curve) == 60 and all(p.low < p.theta < p.high for p in found.curve)


def test_two_moistures_are_refused_with_the_reason_and_a_mixed_up_tin_is_named(farm: Settings) -> None:
    few = work_sheet(SheetDraft(raw_unit="count", samples=[tins()[0], tins()[0]]))
    assert few.best is None and few.part is None and "moisture level" in few.words
    mixed = tins()
    mixed[5] = mixed[5].model_copy(update={"wet_g": (mixed[5].wet_g or 0) + 9})
    found = work_sheet(SheetDraft(raw_unit="count", samples=mixed))
    assert [bool(r.cautions) for r in found.rows] == [i == 5 for i in range(12)]
    kept_out = mixed.copy()
    kept_out[5] = mixed[5].model_copy(update={"left_out": "mixed up"})
    better = work_sheet(SheetDraft(raw_unit="count", samples=kept_out))
    assert better.fits[0].left_out_rmse_theta < 0.5 * found.fits[0].left_out_rmse_theta  # type: ignore[operator]
    assert not better.rows[5].used and better.rows[5].theta is not None


def test_one_sample_shifts_the_calibration_that_stands(farm: Settings) -> None:
    one = SampleDraft(sensor="one/a/30", raw=[0.25], theta=0.28)
    found = work_sheet(SheetDraft(block="one", raw_unit="m3/m3", samples=[one]))
    assert found.shown == "shift" and found.part is not None
    assert (found.part["slope"], found.part["intercept"]) == (1.0, pytest.approx(0.03))


def test_a_stored_sheet_comes_back_and_bad_rows_are_named(farm: Settings) -> None:
    sample = {"raw": [500.0], "tare_g": 50, "wet_g": 212, "dry_g": 185, "ring_volume_cm3": 100}
    put_more(
        sample_sheets=[
            {"key": "s", "name": "S", "block": "one", "raw_unit": "count", "on": "2026-07-01", "samples": [sample]}
        ]
    )
    assert sheets_content().sheets[0].samples == 1
    assert sheet_content("s").worked.rows[0].theta == pytest.approx(0.27)
    with pytest.raises(DocumentErrors) as refused:
        apply = {
            "key": "t",
            "name": "T",
            "raw_unit": "count",
            "on": "2026-07-01",
            "samples": [{**sample, "dry_g": 300}],
        }
        import json

        from embalse.services.document.farm_document import parse_document

        parse_document(json.dumps({"embalse": 1, "sample_sheets": [apply]}))
    assert refused.value.errors[0].path == "sample_sheets[0].samples[0].wet_g"
    with pytest.raises(NotFound):
        sheet_content("none")


# calibrations


def calibration(**more: Any) -> ApplyCalibration:
    part = {"valid_from": "2026-06-01", "slope": 1.0, "intercept": 0.02, "rmse_theta": 0.01, **more}
    return ApplyCalibration.model_validate({"sensors": ["one/a/10", "one/a/30", "one/a/50"], "calibration": part})


def test_a_calibration_in_force_moves_today_and_leaves_yesterdays_answer(dry: Settings) -> None:
    before, yesterday = advice(), advice("2026-07-13T06:00")
    apply_calibration(calibration())
    after = advice()
    assert after.storage_mm == pytest.approx(before.storage_mm + 0.02 * 600, abs=0.01)
    assert advice("2026-07-13T06:00") == yesterday
    versions = calibrations_content("one").versions
    assert [v.state for v in versions] == ["in force"] * 3 and versions[0].entered is not None


def test_a_changed_calibration_keeps_the_version_before_and_can_be_taken_back(dry: Settings) -> None:
    plain = advice()
    apply_calibration(calibration())
    first = advice()
    with transaction():
        farm_store.hold_clock(CLOCK + DAY)
    apply_calibration(calibration(intercept=0.05))
    assert [v.state for v in calibrations_content("one").versions[:2]] == ["withdrawn", "in force"]
    assert advice("2026-07-14T06:00").storage_mm == first.storage_mm
    for version in calibrations_content("one").versions:
        if version.state == "in force":
            set_withdrawn(version.id, True)
    later = advice()
    assert later.storage_mm == pytest.approx(plain.storage_mm)
    last = [v.id for v in calibrations_content("one").versions if v.sensor == "one/a/10"][-1]
    set_withdrawn(last, False)
    assert calibrations_content("one").versions[1].state == "in force"
    with pytest.raises(NotFound):
        set_withdrawn(9999, True)


def test_a_poor_calibration_visibly_widens_the_refill_date(dry: Settings) -> None:
    put_more(mark_choices=[pick("p", "refill", "fraction", 0.9)])
    apply_calibration(calibration(intercept=0.0, rmse_theta=0.005))
    sure = advice()
    with transaction():
        farm_store.hold_clock(CLOCK + 60)
    apply_calibration(calibration(intercept=0.0, rmse_theta=0.05))
    poor = advice()
    assert poor.depletion_error_mm > 5 * sure.depletion_error_mm
    width = [r.days.high - r.days.low for r in (sure.refill, poor.refill)]
    assert width[1] > 2 * width[0]


def test_before_and_after_are_compared_and_nothing_is_stored(dry: Settings) -> None:
    found = compare(calibration())
    pairs = [(b, a) for b, a in zip(found.before, found.after, strict=True) if b is not None and a is not None]
    assert pairs and all(a - b == pytest.approx(0.02, abs=1e-3) for b, a in pairs)
    assert found.block_before.depletion_mm - found.block_after.depletion_mm == pytest.approx(12, abs=0.1)  # type: ignore[operator]
    assert calibrations_content("one").versions == []
    assert "no soil temperature" in warmth_content("one/a/10").words


def test_what_cannot_be_calibrated_is_refused(farm: Settings) -> None:
    with pytest.raises(NotFound):
        apply_calibration(
            ApplyCalibration.model_validate(
                {"sensors": ["one/a/99"], "calibration": {"valid_from": "2026-06-01", "slope": 1}}
            )
        )
    with pytest.raises(ValueError, match="give a slope, or a curve"):
        calibration(curve={"model": "quadratic", "coefficients": [1, 2, 3]})
    with pytest.raises(ValueError, match="3, not 2"):
        ApplyCalibration.model_validate(
            {
                "sensors": ["x"],
                "calibration": {"valid_from": "2026-06-01", "curve": {"model": "quadratic", "coefficients": [1, 2]}},
            }
        )


def test_versions_go_out_with_the_farm_and_come_back(dry: Settings, tmp_path: Any) -> None:
    apply_calibration(
        calibration(slope=None, curve={"model": "quadratic", "coefficients": [0.0, 1.0, 0.01]}, intercept=0.0)
    )
    put_more(mark_choices=[pick("a", "full", "theta", 0.3)])
    document = farm_document()
    sensor = document["blocks"][0]["stations"][0]["sensors"][0]
    assert sensor["calibrations"][0]["curve"]["model"] == "quadratic" and sensor["calibrations"][0]["entered"]
    again = apply_document(FarmDocument.model_validate(document))
    assert not again.created and not again.changed


# marks


def pick(key: str, mark: str, how: str, value: float, **more: Any) -> dict[str, Any]:
    return {"key": key, "block": "one", "mark": mark, "how": how, "value": value, "valid_from": "2026-07-01",
            "note": "seen", **more}  # fmt: skip


def test_a_mark_picked_moves_today_and_past_advice_stays(dry: Settings) -> None:
    before, past = advice(), advice("2026-07-13T06:00")
    put_more(mark_choices=[pick("p", "refill", "fraction", 0.6, estimator="share of full", who="Ana")])
    after = advice()
    assert after.marks.allowable_mm == pytest.approx(0.6 * after.marks.taw_mm)
    line = next(line for line in after.working if line.key == "allowable_fraction")
    assert line.source.kind == "entry" and "share of full: seen (Ana)" in line.source.detail
    assert advice("2026-07-13T06:00") == past
    put_more(mark_choices=[{**pick("p", "refill", "fraction", 0.6, estimator="share of full", who="Ana"),
                            "withdrawn": "2026-07-14T06:00:00+02:00"}])  # fmt: skip
    assert advice().marks == before.marks
    assert marks_content("one").chosen[0].state == "withdrawn"


def test_a_depletion_in_mm_is_allowed_as_such(dry: Settings) -> None:
    put_more(mark_choices=[pick("p", "refill", "depletion", 33.0)])
    assert advice().marks.allowable_mm == pytest.approx(33.0)
    instead = what_if_content("one", {"allowable_depletion_fraction": 0.5})
    assert instead.after.marks is not None and instead.before.marks == advice().marks
    assert instead.after.marks.allowable_mm == pytest.approx(0.5 * instead.after.marks.taw_mm)


def test_what_a_pick_would_do_is_what_it_does(dry: Settings) -> None:
    shown = picked_content("one", [Picked("refill", "depletion", 33.0)])
    assert shown.before.marks == advice().marks and marks_content("one").chosen == []
    assert shown.after.marks is not None and shown.after.marks.allowable_mm == pytest.approx(33.0)
    put_more(mark_choices=[pick("p", "refill", "depletion", 33.0)])
    made = advice()
    assert (shown.after.marks, shown.after.trigger_mm, shown.after.advised) == (
        made.marks,
        made.trigger_mm,
        made.advised,
    )
    upon = picked_content("one", [Picked("refill", "depletion", 20.0), Picked("full", "theta", 0.3, 0.0, 20.0)])
    assert upon.before.trigger_mm == made.trigger_mm and upon.after.marks != upon.before.marks


def test_a_pick_out_of_order_is_refused_before_it_is_made(dry: Settings) -> None:
    with pytest.raises(CoreError):
        picked_content("one", [Picked("full", "theta", 0.01)])
    with pytest.raises(NotFound):
        picked_content("none", [Picked("refill", "depletion", 33.0)])


def test_a_laboratory_value_stands_beside_the_others(farm: Settings) -> None:
    said = {e.estimator: e for e in marks_content("one").layers[0].full}
    assert said["laboratory"].value is None
    put_more(mark_choices=[pick("l", "full", "theta", 0.31, estimator="laboratory", top_cm=0.0, bottom_cm=20.0)])
    layers = marks_content("one").layers
    first, second = ({e.estimator: e.value for e in layer.full} for layer in layers[:2])
    assert (first["laboratory"], second["laboratory"]) == (0.31, None)
    assert layers[0].theta_full == 0.31 and layers[0].full_source.kind == "entry"


def test_what_was_picked_is_kept_as_it_was(farm: Settings) -> None:
    put_more(mark_choices=[pick("p", "full", "theta", 0.30)])
    with pytest.raises(DocumentErrors, match="withdraw it and pick another"):
        put_more(mark_choices=[pick("p", "full", "theta", 0.31)])
    with pytest.raises(Conflict):
        delete("mark_choices", "p")


def test_marks_out_of_order_are_refused_with_their_path(farm: Settings) -> None:
    with pytest.raises(DocumentErrors) as refused:
        put_more(mark_choices=[pick("p", "full", "theta", 0.05)])
    assert refused.value.errors[0].path == "mark_choices[0].value"
    assert "must lie below" in refused.value.errors[0].reason and marks_content("one").chosen == []


def test_a_soil_changed_under_a_mark_silences_its_block_only(dry: Settings) -> None:
    put_more(mark_choices=[pick("p", "full", "theta", 0.20)])
    wetter = {"top_cm": 0, "bottom_cm": 120, "texture": "clay"}
    put_more(soils=[{"key": "loam", "horizons": [wetter]}])
    found = advice()
    assert found.group == "none" and "must lie below the full point" in found.reason


def test_every_estimator_answers_or_says_why_not(dry: Settings) -> None:
    found = marks_content("one")
    assert [x.depth_cm for x in found.layers] == [10, 30, 50]
    for layer in found.layers:
        assert {e.estimator for e in layer.full} >= {"texture equation", "table", "class average", "drain-down"}
        assert {e.estimator for e in layer.wilting} >= {"texture equation", "table", "class average", "lowest seen"}
    assert [e.estimator for e in found.refill] == [
        "set-up", "allowable depletion", "tension threshold", "share of full", "uptake slow-down", "growth",
    ]  # fmt: skip
    every = [e for layer in found.layers for e in (*layer.full, *layer.wilting)] + found.refill
    assert all(e.evidence for e in every)
    assert all((e.confidence == "none") == (e.value is None) for e in every)
    assert "calendar is not known" in found.slow_down.words
    with pytest.raises(NotFound):
        marks_content("none")


# tension, growth, index, plans


def test_tension_sensors_give_water_by_the_soils_curve(empty: Settings, plain: dict[str, Any]) -> None:
    sensors = plain["blocks"][0]["stations"][0]["sensors"]
    for sensor in sensors:
        sensor |= {"raw_unit": "kPa", "type": "granular matrix sensor"}
    put(plain)
    page = tension_content("one")
    assert [round(t.full_kpa) for t in page.tables] == [33, 33, 33]
    assert page.threshold_kpa == [10, 40] and page.root_zone[0].kpa == 5
    picked = [c for c in page.horizons[0].curves if c.picked]
    assert [c.kind for c in picked] == ["equation"]
    curve = {"key": "c", "soil": "loam", "top_cm": 0, "bottom_cm": 120, "kind": "class", "valid_from": "2026-01-01"}
    put_more(retention_curves=[curve])
    again = tension_content("one")
    assert next(c for c in again.horizons[0].curves if c.picked).kind == "class"
    assert again.horizons[0].theta_full == pytest.approx(0.1644, abs=1e-3)
    few = {**curve, "key": "d", "kind": "points", "points": [[10, 0.3], [33, 0.2]]}
    with pytest.raises((DocumentErrors, CoreError), match="2 points"):
        put_more(retention_curves=[few])
    assert next(c for c in tension_content("one").horizons[0].curves if c.kind == "points").refused


def test_gauges_and_calibrations_that_do_not_go_together(plain: dict[str, Any]) -> None:
    sensor = plain["blocks"][0]["stations"][0]["sensors"][0]
    sensor["gauge_above_cm"] = 40
    with pytest.raises(ValueError, match="stands above its cup"):
        FarmDocument.model_validate(plain)
    sensor |= {"raw_unit": "kPa", "calibrations": [{"valid_from": "2026-01-01", "slope": 1}]}
    with pytest.raises(ValueError, match="takes no calibration"):
        FarmDocument.model_validate(plain)


def test_growth_says_what_is_missing_and_keeps_the_past(farm: Settings) -> None:
    assert growth_content("one").words == "no stems are measured yet"
    lengths = {str(p): 200.0 + p for p in range(12)}
    later = {p: v + 20 for p, v in lengths.items()}
    put_more(growth_days=[
        {"key": "g1", "block": "one", "at": "2026-07-11T08:00", "lengths_mm": lengths},
        {"key": "g2", "block": "one", "at": "2026-07-13T08:00", "lengths_mm": later},
    ])  # fmt: skip
    found = growth_content("one")
    assert found.rates[0].rate_mm_d == pytest.approx(10) and found.last_lengths_mm["3"] == 223
    assert growth_content("one", "2026-07-12T06:00").rates == []
    put_more(
        fruit_targets=[
            {"key": "one", "first_day": "2026-07-01", "first_mm": 30, "harvest": "2026-07-31", "target_mm": 60}
        ],
        fruit_samples=[{"key": "f", "block": "one", "on": "2026-07-11", "diameters_mm": [39.0, 40.0, 41.0, 40.0]}],
    )
    assert growth_content("one").fruit[0].words.startswith("on the path")
    with pytest.raises(ValueError, match="larger than"):
        put_more(
            fruit_targets=[
                {"key": "one", "first_day": "2026-07-01", "first_mm": 30, "harvest": "2026-07-31", "target_mm": 20}
            ]
        )


def test_a_block_without_calibration_shows_words_and_the_samples_it_wants(demo: Settings) -> None:
    found = index_content("tunel")
    assert "neither amount nor date" in found.words and len(found.sensors) == 6
    assert all(
        s.word in ("air-dry", "dry", "moist", "wet", "as in water") and len(s.samples) == 3 for s in found.sensors
    )
    assert all(s.points_from.startswith("l2-") for s in found.sensors)
    assert index_content("norte-1").sensors == []
    assert plan_content("tunel", 10.0).samples >= 15
    with pytest.raises(CoreError, match="wider"):
        plan_content("tunel", 0.1)


def test_the_demonstrations_marks_tell_their_stories(demo: Settings) -> None:
    vega = {e.estimator: e for e in marks_content("vega").refill}
    assert vega["uptake slow-down"].value is None and "no slow-down seen yet" in vega["uptake slow-down"].evidence
    assert vega["growth"].value == pytest.approx(60, abs=12)
    leaking = marks_content("norte-2").offers[0]
    assert leaking.picks == [] and "still draining" in leaking.words
    offered = marks_content("norte-1").offers[0]
    assert offered.picks and "moving full" in offered.words
    olivar = marks_content("olivar")
    assert [e.stage for e in olivar.refill if e.estimator.startswith("share of full")] == ["", "mid"]
    assert olivar.stage == "mid" and olivar.full_mm is not None and olivar.refill_mm is not None
    assert (olivar.full_mm - olivar.refill_mm) == pytest.approx(0.6 * (olivar.full_mm - (olivar.wilting_mm or 0)))
    assert growth_content("olivar").trunk and growth_content("tunel").fruit


def test_an_offer_stops_where_the_texture_changes() -> None:
    events = tuple(DrainDown(n, (), 0.34) for n in range(5))
    drained = pooled([FieldFullPoint(None, None, events, "none", Notice("drain_down.none"))])
    layers = [Layer(20, 0, 30, 30, 0.28, 0.22, 0.13, 0.45), Layer(40, 30, 60, 30, 0.28, 0.22, 0.13, 0.45)]
    loam, clay = FineEarth(0.4, 0.2), FineEarth(0.2, 0.5)
    soil = (Horizon(0, 15, loam), Horizon(15, 44, loam), Horizon(44, 90, clay))
    [offer] = _offers(layers, [drained, drained], soil)
    assert [(p["top_cm"], p["bottom_cm"], p["value"]) for p in offer.picks] == [(0, 30, 0.34), (30, 44, 0.34)]


@pytest.mark.parametrize(
    "wrong",
    [
        Picked("refill", "fraction", 1.2),  # more than all of the available water
        Picked("full", "fraction", 0.5),  # a share is a refill point
        Picked("full", "theta", 0.3, 20.0, 10.0),  # upside down
        Picked("full", "theta", 0.01, stage="late"),  # below wilting, in a stage that is not now
        Picked("refill", "depletion", 0.0),
        Picked("refill", "fraction", 0.5, 0.0, 20.0),  # a share is of the whole root zone
    ],
)
def test_a_preview_refuses_what_a_pick_would_refuse(dry: Settings, wrong: Picked) -> None:
    with pytest.raises(CoreError):
        picked_content("one", [wrong])
    more = {"top_cm": wrong.top_cm, "bottom_cm": wrong.bottom_cm, "stage": wrong.stage}
    with pytest.raises((DocumentErrors, ValidationError)):
        put_more(mark_choices=[pick("p", wrong.mark, wrong.how, wrong.value, **more)])
