"""Logger files of every kind through the import: rows of one reading, resistances, soil temperature, clock changes."""

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from embalse.config import Settings
from embalse.ingest.layout import inspect_file
from embalse.services.document.export import farm_document
from embalse.services.intake.import_plan import ImportPlan, PlanColumn, plan_by_names
from embalse.services.intake.imports import ImportReport, preview, run_import
from embalse.services.intake.undo import undo_import
from embalse.services.schema.refused import DocumentErrors
from embalse.services.setup.fault_review import faults_content, sensor_page
from embalse.store import farm as farm_store
from embalse.store.models import Reading, Sensor
from tests.conftest import put


def bring(tmp_path: Path, text: str, columns: dict[str, tuple[str, str | None]], **more: Any) -> ImportReport:
    path = tmp_path / "file.csv"
    path.write_text(text)
    chosen = [PlanColumn.model_validate({"column": c, "sensor": s, "unit": u}) for c, (s, u) in columns.items()]
    plan = ImportPlan.model_validate({"time_zone": "UTC", "date_order": "ymd", **more, "columns": chosen})
    return run_import(path, "file.csv", plan)


def stored(ref: str) -> list[tuple[int, float]]:
    sensor = next(s for s in farm_store.sensors(companions=None) if s.ref == ref)
    return [(r.ts, r.value) for r in Reading.select().where(Reading.sensor == sensor.id).order_by(Reading.ts)]


LONG = "probe,depth,time,value\n" + "".join(
    f"A,{depth},2026-07-{day:02d} 06:00,0.2{depth // 10}{day % 10}\n" for depth in (10, 30, 50) for day in range(1, 13)
)


def test_one_reading_a_row_goes_to_its_sensors(farm: Settings, tmp_path: Path) -> None:
    columns: dict[str, tuple[str, str | None]] = {f"A / {d}": (f"one/a/{d}", None) for d in (10, 30, 50)}
    report = bring(tmp_path, LONG, columns, rows_hold="reading")
    assert (report.status, report.readings_new, report.out_of_order) == ("done", 36, 0), report.message
    assert [v for _, v in stored("one/a/30")][:2] == [0.231, 0.232]
    again = bring(tmp_path, LONG, columns, rows_hold="reading")
    assert (again.readings_new, again.readings_known) == (0, 36)


def test_keys_left_out_of_the_plan_are_passed_over(farm: Settings, tmp_path: Path) -> None:
    report = bring(tmp_path, LONG, {"A / 30": ("one/a/30", None)}, rows_hold="reading")
    assert (report.readings_new, report.refused) == (12, 0)


def test_a_bad_value_in_a_long_file_is_refused_with_its_line_and_key(farm: Settings, tmp_path: Path) -> None:
    text = LONG.replace("0.231", "wet", 1)
    report = bring(tmp_path, text, {"A / 30": ("one/a/30", None)}, rows_hold="reading")
    [refusal] = report.refusals
    assert report.status == "refused" and (refusal.column, refusal.text) == ("A / 30", "wet")
    assert text.splitlines()[refusal.line - 1].endswith("wet")


def test_long_files_are_matched_by_channel_and_remembered(farm: Settings, tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    path.write_text(LONG.replace("A,10", "one-10,x").replace("A,30", "one-30,x").replace("A,50", "one-50,x").replace(
        ",x,", ","
    ).replace("probe,depth", "channel"))  # fmt: skip
    plan = plan_by_names(inspect_file(path), farm_store.sensors(), "UTC")
    assert plan is not None and plan.rows_hold == "reading"
    assert [(c.column, c.sensor) for c in plan.columns] == [(f"one-{d}", f"one/a/{d}") for d in (10, 30, 50)]
    rows = preview(path, plan).rows
    assert rows[0].values == {"one-10": 0.211} and rows[0].line == 2


WARM = "time,one-10,t10,ec10\n" + "".join(
    f"2026-07-{d:02d} 06:00,0.2{d:02d},{50 + d},{800 + d}\n" for d in range(1, 13)
)


def test_soil_temperature_and_salinity_are_kept_beside_the_sensor(farm: Settings, tmp_path: Path) -> None:
    columns: dict[str, tuple[str, str | None]] = {
        "one-10": ("one/a/10", None),
        "t10": ("one/a/10.temperature", "degF"),
        "ec10": ("one/a/10.salinity", "uS/cm"),
    }
    report = bring(tmp_path, WARM, columns)
    assert (report.status, report.readings_new) == ("done", 36), report.message
    page = sensor_page("one/a/10")
    assert [(c.quantity, c.unit, len(c.values)) for c in page.companions] == [
        ("temperature", "degC", 12), ("salinity", "dS/m", 12),
    ]  # fmt: skip
    assert page.companions[0].values[0] == pytest.approx(10.56) and page.companions[1].values[0] == pytest.approx(0.8)
    part = farm_document()["blocks"][0]["stations"][0]["sensors"][0]
    assert part["companions"] == [
        {"quantity": "temperature", "channel": "t10", "raw_unit": "degF"},
        {"quantity": "salinity", "channel": "ec10", "raw_unit": "uS/cm"},
    ]
    assert len(farm_store.sensors()) == 3 and len(farm_store.sensors(companions=True)) == 2
    assert undo_import(report.job_id) == 36


def test_a_refused_file_makes_no_companion(farm: Settings, tmp_path: Path) -> None:
    bad = WARM.replace("0.201", "?")
    columns: dict[str, tuple[str, str | None]] = {"one-10": ("one/a/10", None), "t10": ("one/a/10.temperature", "degF")}
    assert bring(tmp_path, bad, columns).status == "refused"
    assert farm_store.sensors(companions=True) == []


@pytest.mark.parametrize(
    ("sensor", "unit", "words"),
    [
        ("one/a/10", "degC", "measures water"),
        ("one/a/10.temperature", "kPa", "measures temperature"),
        ("one/a/10.colour", None, "no sensor"),
        ("one/a/99.temperature", None, "no sensor"),
    ],
)
def test_a_column_must_hold_what_its_sensor_measures(
    farm: Settings, tmp_path: Path, sensor: str, unit: str | None, words: str
) -> None:
    with pytest.raises(DocumentErrors, match=words):
        bring(tmp_path, WARM, {"t10": (sensor, unit)})


def matrix_farm(plain: dict[str, Any]) -> None:
    kinds = {"type": "granular matrix sensor", "raw_unit": "kohm"}
    plain["blocks"][0]["stations"].append(
        {
            "key": "m",
            "sensors": [{"depth_cm": 25, "channel": "r25", **kinds}, {"depth_cm": 60, "channel": "r60", **kinds}],
        }
    )
    put(plain)


def test_resistances_are_shown_as_tension_with_the_temperature_of_the_soil(
    farm: Settings, plain: dict[str, Any], tmp_path: Path
) -> None:
    matrix_farm(plain)
    text = "time,r25,r60,t60\n" + "".join(
        f"2026-07-{d:02d} 06:00,{5 + d / 100 - 0.01:.2f},{2 + d / 100 - 0.01:.2f},35\n" for d in range(1, 13)
    )
    columns: dict[str, tuple[str, str | None]] = {"r25": ("one/m/25", None), "r60": ("one/m/60", None)}
    bring(tmp_path, text, columns)
    page = sensor_page("one/m/25")
    assert page.unit == "kPa" and page.values[0] == pytest.approx(30.44, abs=0.01)
    assert "24 °C: no soil temperature is measured" in page.about
    bring(tmp_path, text, {"t60": ("one/m/60.temperature", "degC")})
    page = sensor_page("one/m/25")  # the nearest depth that measures it
    assert page.values[0] == pytest.approx(38.06, abs=0.01) and "measured here" in page.about
    assert sensor_page("one/m/60").values[0] == pytest.approx(18.82, abs=0.01)


def test_a_cut_wire_is_no_tension_and_watering_is_no_drained_cup(
    farm: Settings, plain: dict[str, Any], tmp_path: Path
) -> None:
    matrix_farm(plain)
    values = [8.0] * 30 + [0.9] * 30 + [99999 / 1000 * 5] * 2
    text = "time,r25\n" + "".join(
        f"2026-07-{1 + h // 24:02d} {h % 24:02d}:00,{v + 0.01 * (h % 3)}\n" for h, v in enumerate(values)
    )
    bring(tmp_path, text, {"r25": ("one/m/25", None)})
    page = sensor_page("one/m/25")
    assert page.values[-1] is None and page.values[0] is not None
    assert {f.fault for f in faults_content(["one"]).faults} <= {"gap"}


def utc(*parts: int) -> int:
    return int(datetime(*parts, tzinfo=UTC).timestamp())  # type: ignore[arg-type, misc]


SPRING = ["2026-03-29 00:30", "2026-03-29 01:30", "2026-03-29 02:30", "2026-03-29 03:30"]
AUTUMN = ["2025-10-26 01:30", "2025-10-26 02:30", "2025-10-26 02:30", "2025-10-26 03:30"]


def one_column(times: list[str]) -> str:
    return "time,one-10\n" + "".join(f"{t},0.2{n}\n" for n, t in enumerate(times))


def test_a_logger_that_never_shifts_keeps_every_hour(farm: Settings, tmp_path: Path) -> None:
    column: dict[str, tuple[str, str | None]] = {"one-10": ("one/a/10", None)}
    report = bring(tmp_path, one_column(SPRING), column, time_zone="UTC+01:00")
    assert report.readings_new == 4
    assert [at for at, _ in stored("one/a/10")] == [utc(2026, 3, 28, 23, 30) + 3600 * n for n in range(4)]


def test_the_hour_that_is_missing_in_spring_is_refused_by_a_zone_that_shifts(farm: Settings, tmp_path: Path) -> None:
    column: dict[str, tuple[str, str | None]] = {"one-10": ("one/a/10", None)}
    report = bring(tmp_path, one_column(SPRING), column, time_zone="Europe/Madrid")
    assert report.status == "refused" and report.readings_new == 0
    [refusal] = report.refusals
    assert refusal.line == 4 and "does not exist" in refusal.reason and "fixed offset" in refusal.reason


def test_the_hour_that_repeats_in_autumn_is_told_apart_by_the_order_of_rows(farm: Settings, tmp_path: Path) -> None:
    column: dict[str, tuple[str, str | None]] = {"one-10": ("one/a/10", None)}
    report = bring(tmp_path, one_column(AUTUMN), column, time_zone="Europe/Madrid")
    assert report.status == "done", report.refusals
    assert report.notes == [
        "2 rows stand in the hour that happens twice when clocks go back; they were told apart by their order"
    ]
    assert [at for at, _ in stored("one/a/10")] == [utc(2025, 10, 25, 23, 30) + 3600 * n for n in range(4)]


def test_a_repeated_hour_with_nothing_to_tell_by_is_refused(farm: Settings, tmp_path: Path) -> None:
    column: dict[str, tuple[str, str | None]] = {"one-10": ("one/a/10", None)}
    report = bring(tmp_path, one_column(["2025-10-26 02:30", "2025-10-26 04:30"]), column, time_zone="Europe/Madrid")
    assert report.status == "refused" and "happens twice" in report.refusals[0].reason


def test_companions_round_trip_and_share_no_channel(farm: Settings, plain: dict[str, Any]) -> None:
    sensor = plain["blocks"][0]["stations"][0]["sensors"][0]
    sensor["companions"] = [{"quantity": "temperature", "channel": "T1", "raw_unit": "degC"}]
    assert put(plain).created["sensors"] == 1
    assert put(plain).sentence().startswith("created 0, changed 0")
    assert Sensor.get(key="10.temperature").companion_of == Sensor.get(key="10").id
    sensor["companions"][0]["channel"] = "one-30"
    with pytest.raises(ValueError, match="share the channel"):
        put(plain)
    sensor["companions"][0] = {"quantity": "temperature", "channel": "", "raw_unit": "dS/m"}
    with pytest.raises(ValueError, match="no unit of temperature"):
        put(plain)


def test_the_repeated_hour_is_told_apart_sensor_by_sensor_in_a_long_file(farm: Settings, tmp_path: Path) -> None:
    rows = [f"{key},2025-10-26 {clock},0.2{n}" for key in ("x", "y", "z") for n, clock in enumerate(
        ("01:40", "02:00", "02:20", "02:40", "02:00", "02:20", "02:40", "03:00"))]  # fmt: skip
    columns: dict[str, tuple[str, str | None]] = {
        "x": ("one/a/10", None),
        "y": ("one/a/30", None),
        "z": ("one/a/50", None),
    }
    text = "sensor,time,value\n" + "\n".join(rows) + "\n"
    report = bring(tmp_path, text, columns, time_zone="Europe/Madrid", rows_hold="reading")
    assert (report.status, report.readings_new) == ("done", 24), report.refusals
    for depth in (10, 30, 50):
        assert [at for at, _ in stored(f"one/a/{depth}")] == [utc(2025, 10, 25, 23, 40) + 1200 * n for n in range(8)]
