from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from embalse.config import Settings
from embalse.ingest.layout import inspect_file
from embalse.services.advice.advise import round_content
from embalse.services.intake import cut_imports
from embalse.services.intake.import_plan import ImportPlan, plan_by_depths, plan_by_names, signature
from embalse.services.intake.imports import ImportReport, preview, run_import
from embalse.services.intake.undo import undo_import
from embalse.services.schema.refused import DocumentErrors
from embalse.store import farm as farm_store
from embalse.store import imports as import_store
from embalse.store.database import database
from embalse.store.errors import Conflict, NotFound
from embalse.store.models import Dawn, FaultFound, ImportJob, Reading, Sensor
from tests.conftest import put

PLAN = ImportPlan.model_validate(
    {
        "time_zone": "Europe/Madrid",
        "date_order": "ymd",
        "columns": [{"column": f"one-{d}", "sensor": f"one/a/{d}"} for d in (10, 30, 50)],
    }
)
Writer = Callable[..., Path]


def bring(path: Path, plan: ImportPlan = PLAN, skip: bool = False) -> ImportReport:
    return run_import(path, path.name, plan, skip)


def edited(path: Path, line: int, text: str) -> Path:
    lines = path.read_text().splitlines()
    lines[line - 1] = text
    path.write_text("\n".join(lines) + "\n")
    return path


def test_a_file_goes_in_and_advice_comes_out(farm: Settings, logger_file: Writer) -> None:
    report = bring(logger_file())
    assert (report.status, report.readings_new, report.refused) == ("done", 723, 0)
    block = round_content().blocks[0]
    assert block.storage_mm == pytest.approx(600 * 0.21, abs=0.2)
    assert block.use_mm_d is not None and block.use_mm_d.mid == pytest.approx(3.6, abs=0.01)
    assert block.advised is not None and block.advised.set_time_min is not None


def test_twice_is_once(farm: Settings, logger_file: Writer) -> None:
    path = logger_file()
    bring(path)
    again = bring(path)
    assert (again.status, again.readings_new, again.readings_known) == ("done", 0, 723)
    assert Reading.select().count() == 723


def test_a_longer_file_adds_only_what_is_new(farm: Settings, logger_file: Writer) -> None:
    path = logger_file()
    longer = path.read_text()
    path.write_text("\n".join(longer.splitlines()[:101]) + "\n")
    assert bring(path).readings_new == 300
    path.write_text(longer)
    report = bring(path)
    assert (report.readings_new, report.readings_known) == (423, 300)


def test_one_refused_row_and_nothing_is_stored_unless_told_to(farm: Settings, logger_file: Writer) -> None:
    path = edited(logger_file(), 50, "2026-07-06 06:00,0.2,oops,0.2")
    report = bring(path)
    assert report.status == "refused" and "nothing was stored" in report.message
    assert [(r.line, r.column, r.reason) for r in report.refusals] == [(50, "one-30", "not a number")]
    assert (Reading.select().count(), Dawn.select().count()) == (0, 0)
    rest = bring(path, skip=True)
    assert (rest.status, rest.readings_new, rest.refused) == ("done", 722, 1)
    assert len(import_store.refusals(rest.job_id)) == 1


def test_a_time_twice_with_another_value_is_refused_against_file_and_store(farm: Settings, logger_file: Writer) -> None:
    path = logger_file()
    first = path.read_text().splitlines()[1]
    stamp = first.split(",")[0]
    edited(path, 3, f"{stamp},0.25,0.27000,0.27000")
    report = bring(path)
    assert report.refusals[0].line == 3 and "earlier in this file" in report.refusals[0].reason
    bring(logger_file(name="b.csv"))
    edited(path, 3, f"{stamp},0.27000,0.27000,0.27000")
    edited(path, 2, f"{stamp},0.2611,0.27000,0.27000")
    against = bring(path)
    assert "already stored: 0.27" in against.refusals[0].reason
    assert Reading.select().where(Reading.value == 0.2611).count() == 0


def test_percent_and_fraction_are_not_confused(farm: Settings, logger_file: Writer) -> None:
    plan = PLAN.model_copy(deep=True)
    for column in plan.columns:
        column.unit = "%"
    report = bring(logger_file(), plan, skip=True)
    assert report.status == "refused" and "is it m³/m³?" in report.message
    assert Reading.select().count() == 0
    assert {s.raw_unit for s in Sensor.select()} == {"m3/m3"}


def test_the_files_unit_is_taken_over_before_the_first_reading_and_never_after(
    farm: Settings, logger_file: Writer
) -> None:
    path = logger_file(start=27, use=0.6)
    plan = PLAN.model_copy(deep=True)
    for column in plan.columns:
        column.unit = "%"
    report = bring(path, plan)
    assert report.status == "done" and "unit of one-10 set to %" in report.notes[0]
    assert round_content().blocks[0].storage_mm == pytest.approx(600 * 0.21, abs=0.2)
    with pytest.raises(DocumentErrors) as caught:
        plan.columns[0].unit = "m3/m3"
        bring(path, plan)
    assert caught.value.errors[0].path == "columns[0].unit"


@pytest.mark.parametrize(
    ("change", "path", "words"),
    [
        (
            {"columns": [{"column": "nope", "sensor": "one/a/10"}]},
            "columns[0].column",
            "no column 'nope'; it has: time, one-10",
        ),
        ({"columns": [{"column": "one-10", "sensor": "one/a/99"}]}, "columns[0].sensor", "no sensor"),
        (
            {"columns": [{"column": c, "sensor": "one/a/10"} for c in ("one-10", "one-30")]},
            "columns[1].sensor",
            "two columns",
        ),
        ({"time_zone": "Nowhere"}, "time_zone", "neither a time zone"),
    ],
)
def test_a_plan_that_does_not_fit_names_its_part(
    farm: Settings, logger_file: Writer, change: dict[str, Any], path: str, words: str
) -> None:
    plan = ImportPlan.model_validate(PLAN.model_dump() | change)
    with pytest.raises(DocumentErrors) as caught:
        preview(logger_file(), plan)
    assert caught.value.errors[0].path == path and words in caught.value.errors[0].reason


def test_future_rows_are_refused_by_the_farms_clock(farm: Settings, logger_file: Writer) -> None:
    path = logger_file()
    path.write_text(path.read_text() + "2026-07-20 06:00,0.2,0.2,0.2\n")
    report = bring(path)
    assert [r.reason for r in report.refusals] == ["the time is in the future"]


def test_no_readings_in_the_chosen_columns(farm: Settings, tmp_path: Path) -> None:
    path = tmp_path / "empty.csv"
    path.write_text("time,one-10,one-30,one-50\n2026-07-01 00:00,NAN,,-9999\n")
    report = bring(path)
    assert report.status == "refused" and report.cells_empty == 3 and "no readings" in report.message


def test_cut_in_the_middle_leaves_nothing(farm: Settings, logger_file: Writer, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("embalse.ingest.reader.BATCH_READINGS", 100)
    seen: list[int] = []

    def stop(done: int, total: int) -> None:
        seen.append(done)
        if len(seen) == 3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        run_import(logger_file(), "one.csv", PLAN, progress=stop)
    assert Reading.select().count() == 0
    job = ImportJob.get()
    assert (job.status, job.message) == ("failed", "the import was cut; nothing was stored")


def test_jobs_cut_by_the_program_are_closed(farm: Settings) -> None:
    job_id = import_store.start_job("x.csv", "0", 1)
    assert cut_imports.clear(2) == 1
    assert import_store.job(job_id)["status"] == "cut"


def test_dawn_values_are_the_medians_from_four_to_six(farm: Settings, logger_file: Writer) -> None:
    bring(logger_file(days=3))
    values = [d.value for d in Dawn.select().join(Sensor).where(Sensor.depth_cm == 10).order_by(Dawn.day)]
    expected = [0.27 - 0.006 * (24 * day - 1) / 24 for day in range(4)]
    assert values[1:] == pytest.approx(expected[1:], abs=1e-5)
    assert [d.count for d in Dawn.select().limit(4)] == [1, 3, 3, 3]


def test_another_time_zone_makes_the_dawns_anew(farm: Settings, logger_file: Writer) -> None:
    bring(logger_file(days=3))
    before = {(d.sensor_id, d.day): d.value for d in Dawn.select()}
    put({"embalse": 1, "farm": {"name": "Test farm", "time_zone": "America/Los_Angeles"}})
    after = {(d.sensor_id, d.day): d.value for d in Dawn.select()}
    both = before.keys() & after.keys()
    assert len(both) >= 6
    # dawn comes nine hours later there, and the soil loses 0.006 a day
    assert [before[k] - after[k] for k in both] == pytest.approx([0.006 * 9 / 24] * len(both), abs=3e-4), (
        "the first and last dawn may be cut"
    )


def test_columns_named_like_channels_need_no_plan(farm: Settings, logger_file: Writer) -> None:
    seen = inspect_file(logger_file())
    plan = plan_by_names(seen, farm_store.sensors(), "UTC")
    assert plan is not None and [c.sensor for c in plan.columns] == ["one/a/10", "one/a/30", "one/a/50"]
    other = inspect_file(logger_file(name="c.csv", columns="x,y,z"))
    assert plan_by_names(other, farm_store.sensors(), "UTC") is None
    assert signature(seen) != signature(other)


@pytest.mark.parametrize(
    ("columns", "sensors"),
    [
        ("10 cm,30 cm,50cm", ["one/a/10", "one/a/30", "one/a/50"]),
        ("depth 30,rain,note", ["one/a/30"]),
        ("10 cm,10 cm b,30", None),  # two columns of one depth: a person has to say
        ("vwc 1 10,vwc 2 30,x", None),  # two numbers in a name: which is the depth is not known
        ("11 cm,31 cm,51 cm", None),
        ("10 in,30 in,50 in", None),
    ],
)
def test_depths_in_the_names_are_proposed_for_a_farms_only_station(
    farm: Settings, logger_file: Writer, columns: str, sensors: list[str] | None
) -> None:
    rows = [s for s in farm_store.sensors() if s.ref.startswith("one/a/")]
    plan = plan_by_depths(inspect_file(logger_file(columns=columns)), rows, "UTC")
    assert (None if plan is None else [c.sensor for c in plan.columns]) == sensors
    two = [*rows, replace(rows[0], ref="one/b/10")]
    assert plan_by_depths(inspect_file(logger_file(columns=columns)), two, "UTC") is None


def test_preview_stores_nothing_and_shows_farm_time(farm: Settings, logger_file: Writer) -> None:
    plan = PLAN.model_copy(update={"time_zone": "UTC"})
    rows = preview(logger_file(), plan).rows
    assert rows[0].local == "2026-07-04T08:00+02:00" and rows[0].values["one-10"] == 0.27
    assert Reading.select().count() == 0 and ImportJob.select().count() == 0


def test_profiles_are_found_by_the_kind_of_file(farm: Settings, logger_file: Writer) -> None:
    kind = signature(inspect_file(logger_file()))
    import_store.save_profile("probe one", kind, PLAN.model_dump(mode="json"))
    import_store.save_profile("probe one", kind, PLAN.model_dump(mode="json"))
    assert [name for name, _ in import_store.profiles(kind)] == ["probe one"]
    assert ImportPlan.model_validate(import_store.profile("probe one")) == PLAN


def stands() -> tuple[int, list[Any], list[Any], list[Any]]:
    """What there is: readings, dawn values, faults, advice."""
    dawns = database.execute_sql("SELECT sensor_id, day, raw FROM dawn ORDER BY sensor_id, day").fetchall()
    faults = list(FaultFound.select(FaultFound.sensor, FaultFound.fault, FaultFound.start_at).tuples())
    return Reading.select().count(), dawns, faults, round_content().blocks


def test_undone_as_if_it_had_never_been_read(farm: Settings, logger_file: Writer) -> None:
    bring(logger_file(days=6))
    before = stands()
    longer = bring(edited(logger_file(days=12), 4, "2026-07-02 08:00,0.26,0.5,0.26"))
    assert longer.status == "refused"
    report = bring(logger_file(days=12), skip=True)
    assert report.readings_new > 0 and stands() != before
    assert undo_import(report.job_id) == report.readings_new
    assert stands() == before
    with pytest.raises(Conflict):
        undo_import(report.job_id)
    assert bring(logger_file(days=12), skip=True).readings_new == report.readings_new


def test_faults_go_with_the_readings_they_were_found_in(farm: Settings, logger_file: Writer) -> None:
    path = logger_file()
    lines = path.read_text().splitlines()
    stuck = [line.split(",")[0] + ",0.25,0.25,0.25" for line in lines[100:160]]
    path.write_text("\n".join([*lines[:100], *stuck, *lines[160:]]) + "\n")
    report = bring(path)
    assert FaultFound.select().where(FaultFound.fault == "stuck").count() == 3
    undo_import(report.job_id)
    assert stands()[:3] == (0, [], [])
    assert import_store.job(report.job_id)["message"] == f"undone: {report.readings_new} readings taken out"


def test_only_a_stored_file_is_undone(farm: Settings, logger_file: Writer) -> None:
    refused = bring(edited(logger_file(), 5, "2026-07-04 10:00,damp,0.27,0.27"))
    with pytest.raises(Conflict, match="only a file that was stored"):
        undo_import(refused.job_id)
    with pytest.raises(NotFound):
        undo_import(999)


def test_what_the_file_changed_is_told(farm: Settings, logger_file: Writer) -> None:
    change = bring(logger_file()).changed[0]
    assert (change.key, change.group_before) == ("one", "none")
    assert change.depletion_before_mm is None and change.net_before_mm is None
    block = round_content().blocks[0]
    assert (change.group_after, change.depletion_after_mm) == (block.group, block.depletion_mm)
    assert bring(logger_file()).changed == []
