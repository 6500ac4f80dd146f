"""Calibrations, marks and growth over HTTP: who may, what is answered, what is refused."""

from typing import Any

import pytest

from embalse.config import Settings
from tests.web import client_of

CALIBRATION = {"sensors": ["one/a/10"], "calibration": {"valid_from": "2026-06-01", "slope": 1.0, "intercept": 0.02}}
PICK = {
    "key": "p",
    "block": "one",
    "mark": "refill",
    "how": "fraction",
    "value": 0.5,
    "valid_from": "2026-07-01",
    "note": "x",
}
STEMS = {"key": "g", "block": "one", "at": "2026-07-11T08:00", "lengths_mm": {"1": 200}}


def post(pages: Any, path: str, body: dict[str, Any]) -> Any:
    return pages.post(path, json=body)


def document(**lists: Any) -> dict[str, Any]:
    return {"embalse": 1, **lists}


@pytest.mark.parametrize(
    ("role", "calibrate", "mark", "measure"),
    [("viewer", 403, 403, 403), ("field hand", 403, 403, 200), ("agronomist", 200, 200, 200), ("owner", 200, 200, 200)],
)
def test_who_may_calibrate_pick_and_measure(farm: Settings, role: Any, calibrate: int, mark: int, measure: int) -> None:
    pages = client_of(farm, role)
    assert post(pages, "/api/calibrations", CALIBRATION).status_code == calibrate
    assert post(pages, "/api/farm", document(mark_choices=[PICK])).status_code == mark
    assert post(pages, "/api/farm", document(growth_days=[STEMS])).status_code == measure
    assert post(pages, "/api/sample-sheets/work", {"raw_unit": "count", "samples": []}).status_code == 200
    assert post(pages, "/api/calibrations/compare", CALIBRATION).status_code == 200


def test_a_calibration_is_put_in_force_listed_taken_back_and_written_down(farm: Settings) -> None:
    pages = client_of(farm)
    found = post(pages, "/api/calibrations", CALIBRATION).json["versions"]
    assert [(v["sensor"], v["state"], v["formula"]) for v in found] == [("one/a/10", "in force", "θ = 0.02 + 1 × raw")]
    version = found[0]["id"]
    assert post(pages, f"/api/calibrations/{version}/withdraw", {}).json["versions"][0]["state"] == "withdrawn"
    assert post(pages, f"/api/calibrations/{version}/restore", {}).json["versions"][0]["state"] == "in force"
    assert pages.get("/api/calibrations?block=one").json["sensors"][0]["ref"] == "one/a/10"
    changes = [c for c in pages.get("/api/changes").json["changes"] if c["kind"] == "calibrations"]
    assert len(changes) == 3 and changes[0]["subject"].startswith("one/a/10")
    assert post(pages, "/api/calibrations/99/withdraw", {}).status_code == 404


@pytest.mark.parametrize(
    ("body", "status", "path"),
    [
        ({**CALIBRATION, "sensors": ["one/a/99"]}, 404, "sensors"),
        ({**CALIBRATION, "sensors": []}, 422, "sensors"),
        ({**CALIBRATION, "calibration": {"valid_from": "2026-06-01"}}, 422, "calibration.slope"),
        ({**CALIBRATION, "calibration": {"valid_from": "soon", "slope": 1}}, 422, "calibration.valid_from"),
    ],
)
def test_what_is_refused_names_its_field(farm: Settings, body: dict[str, Any], status: int, path: str) -> None:
    refused = post(client_of(farm), "/api/calibrations", body)
    assert refused.status_code == status and refused.json["errors"][0]["path"] == path


@pytest.mark.parametrize("page", ["marks", "tension", "growth", "index", "sampling-plan"])
def test_every_page_of_a_block_answers_and_knows_what_is_missing(farm: Settings, page: str) -> None:
    pages = client_of(farm, "viewer")
    assert pages.get(f"/api/blocks/one/{page}").status_code == 200
    assert pages.get(f"/api/blocks/none/{page}").status_code == 404
    if page != "sampling-plan":
        assert pages.get(f"/api/blocks/one/{page}?as_of=tomorrow").status_code == 422


def test_marks_out_of_order_come_back_with_their_place(farm: Settings) -> None:
    wrong = {**PICK, "mark": "full", "how": "theta", "value": 0.05}
    refused = post(client_of(farm), "/api/farm", document(mark_choices=[wrong]))
    assert refused.status_code == 422 and refused.json["errors"][0]["path"] == "mark_choices[0].value"


def test_a_tin_that_cannot_be_is_named_by_row_and_the_rest_is_worked_out(farm: Settings) -> None:
    tin = {"raw": [500], "tare_g": 50, "wet_g": 212, "dry_g": 185, "ring_volume_cm3": 100}
    body = {"raw_unit": "count", "samples": [tin, {**tin, "dry_g": 40}]}
    rows = post(client_of(farm), "/api/sample-sheets/work", body).json["rows"]
    assert (
        rows[0]["theta"] == pytest.approx(0.27)
        and rows[1]["field"] == "dry_g"
        and "above the empty tin" in rows[1]["problem"]
    )
