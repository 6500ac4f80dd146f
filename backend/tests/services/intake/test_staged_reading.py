"""A file is read beside the farm, and moved into it in parts that others get between: all of it, or nothing."""

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from embalse.config import Settings
from embalse.services import times
from embalse.services.advice.advise import round_content
from embalse.services.intake import cut_imports, staged_reading
from embalse.services.intake.import_plan import ImportPlan
from embalse.services.intake.imports import ImportReport, run_import
from embalse.store import imports as import_store
from embalse.store import readings as readings_store
from embalse.store import staging, unjudged
from embalse.store.database import database
from embalse.store.models import Dawn, ImportJob, Sensor

PLAN = ImportPlan.model_validate(
    {
        "time_zone": "Europe/Madrid",
        "date_order": "ymd",
        "columns": [{"column": f"one-{d}", "sensor": f"one/a/{d}"} for d in (10, 30, 50)],
    }
)
Writer = Callable[..., Path]
Move = Callable[[tuple[staging.Key, staging.Key], int], tuple[int, int]]


@pytest.fixture
def parts(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(staging, "MOVED_AT_ONCE", 100)


def bring(path: Path, skip: bool = False) -> ImportReport:
    return run_import(path, path.name, PLAN, skip)


def stored() -> list[tuple[int, int, float]]:
    return list(database.execute_sql("SELECT sensor_id, ts, raw FROM reading ORDER BY sensor_id, ts"))


def dawns() -> list[tuple[int, str, float, int]]:
    return [(d.sensor_id, d.day, d.value, d.count) for d in Dawn.select().order_by(Dawn.sensor_id, Dawn.day)]


def left_in(farm: Settings) -> list[str]:
    return [p.name for p in Path(farm.data).iterdir() if ".import-" in p.name]


def test_parts_and_one_move_give_the_same_farm(
    farm: Settings, logger_file: Writer, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = logger_file()
    one = bring(path)
    readings, made, advised = stored(), dawns(), round_content().blocks[0].storage_mm
    cut_imports.take_out(one.job_id)
    assert stored() == [] and dawns() == []
    monkeypatch.setattr(staging, "MOVED_AT_ONCE", 100)
    many = bring(path)
    assert (many.status, many.readings_new, many.readings_known) == ("done", 723, 0)
    assert (stored(), dawns()) == (readings, made)
    assert round_content().blocks[0].storage_mm == advised
    assert unjudged.unjudged() == [] and left_in(farm) == []


@pytest.mark.usefixtures("parts")
def test_others_can_write_between_the_parts(
    farm: Settings, logger_file: Writer, monkeypatch: pytest.MonkeyPatch
) -> None:
    from embalse.store.database import database

    outside = []
    monkeypatch.setattr("time.sleep", lambda s: outside.append(database.in_transaction()))
    bring(logger_file())
    assert len(outside) == 7, "between eight parts"
    assert not any(outside)


@pytest.mark.usefixtures("parts")
def test_what_was_moved_so_far_is_not_advised_from(
    farm: Settings, logger_file: Writer, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen = []
    monkeypatch.setattr(
        "time.sleep", lambda s: seen.append((len(unjudged.unjudged()), round_content().blocks[0].storage_mm))
    )
    bring(logger_file())
    assert [waiting for waiting, _ in seen] == 7 * [3]
    assert all(storage is None for _, storage in seen)
    assert round_content().blocks[0].storage_mm is not None


@pytest.mark.usefixtures("parts")
def test_a_value_stored_meanwhile_that_contradicts_leaves_nothing_of_the_file(
    farm: Settings, logger_file: Writer
) -> None:
    path = logger_file()
    bring(path)
    *key, _ = stored()[-1]
    first_job = ImportJob.get().id
    cut_imports.take_out(first_job)

    def meanwhile(done: int, total: int) -> None:
        readings_store.insert_new([(*key, 0.99, first_job)])

    report = run_import(path, path.name, PLAN, progress=meanwhile)
    assert report.status == "refused" and "1 readings were stored with other values meanwhile" in report.message
    assert stored() == [(*key, 0.99)]
    assert (report.readings_new, report.readings_known, unjudged.unjudged()) == (0, 0, [])


@pytest.mark.usefixtures("parts")
def test_the_same_value_stored_meanwhile_is_counted_as_known(farm: Settings, logger_file: Writer) -> None:
    path = logger_file()
    bring(path)
    same = stored()[-1]
    first_job = ImportJob.get().id
    cut_imports.take_out(first_job)

    def meanwhile(done: int, total: int) -> None:
        readings_store.insert_new([(*same, first_job)])

    report = run_import(path, path.name, PLAN, progress=meanwhile)
    assert (report.status, report.readings_new, report.readings_known) == ("done", 722, 1)


@pytest.mark.usefixtures("parts")
@pytest.mark.parametrize("at", [1, 3, 8])
def test_trouble_in_any_part_takes_all_out(
    farm: Settings, logger_file: Writer, monkeypatch: pytest.MonkeyPatch, at: int
) -> None:
    move, calls = staging.move, []

    def failing(part: tuple[staging.Key, staging.Key], job_id: int) -> tuple[int, int]:
        calls.append(part)
        if len(calls) == at:
            raise OSError("disk I/O error")
        return move(part, job_id)

    monkeypatch.setattr(staging, "move", failing)
    with pytest.raises(OSError, match="disk I/O error"):
        bring(logger_file())
    assert (stored(), dawns(), unjudged.unjudged(), left_in(farm)) == ([], [], [], [])
    assert ImportJob.get().status == "failed"


class TestCut:
    """The program stopped while an import was on its way."""

    @pytest.fixture
    def cut(self, farm: Settings) -> int:
        job_id = import_store.start_job("x.csv", "0", 1)
        first = Sensor.select().where(Sensor.depth_cm == 10).get()
        now = times.now_utc()
        readings_store.insert_new([(first.id, now - 3600 * hour, 0.2, job_id) for hour in range(30)])
        return job_id

    def test_what_it_had_moved_is_taken_out(self, cut: int) -> None:
        assert len(stored()) == 30
        assert cut_imports.clear(2) == 1
        assert stored() == [] and import_store.job(cut)["status"] == "cut"
        assert cut_imports.clear(3) == 0

    def test_one_that_another_process_runs_is_left(self, cut: int, farm: Settings) -> None:
        with staging.held(cut):
            assert cut_imports.clear(2) == 0
            assert len(stored()) == 30 and len(left_in(farm)) == 1
        assert left_in(farm) == []

    def test_its_file_goes(self, cut: int, farm: Settings) -> None:
        left = Path(farm.database).with_suffix(f".import-{cut}.part")
        left.write_text("half")
        cut_imports.clear(2)
        assert not left.exists()

    def test_the_next_import_clears_it(self, cut: int, logger_file: Writer) -> None:
        assert bring(logger_file()).readings_new == 723
        assert import_store.job(cut)["status"] == "cut" and len(stored()) == 723


class TestProcessOfItsOwn:
    """Large files are read by another process."""

    @pytest.fixture(autouse=True)
    def always(self, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(staged_reading, "OWN_PROCESS_FROM", 0)

    def test_finds_the_same(self, farm: Settings, logger_file: Writer) -> None:
        seen: list[tuple[int, int]] = []
        path = logger_file()
        report = run_import(path, path.name, PLAN, progress=lambda done, total: seen.append((done, total)))
        assert (report.status, report.readings_new, report.refused) == ("done", 723, 0)
        assert seen and all(total == path.stat().st_size for _, total in seen)

    def test_says_what_is_refused(self, farm: Settings, logger_file: Writer) -> None:
        path = logger_file()
        lines = path.read_text().splitlines()
        lines[4] = re.sub(r",[^,]*$", ",wet", lines[4])
        path.write_text("\n".join(lines) + "\n")
        report = bring(path)
        assert report.status == "refused" and [r.line for r in report.refusals] == [5]
        assert stored() == []

    def test_a_process_that_is_stopped_leaves_nothing(
        self, farm: Settings, logger_file: Writer, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr("embalse.services.intake.staged_reading.sys.executable", "/bin/true")
        with pytest.raises(OSError, match="was stopped"):
            bring(logger_file())
        assert stored() == [] and ImportJob.get().status == "failed" and left_in(farm) == []

    def test_one_that_is_over_before_it_is_told_what_to_read_is_the_same(
        self, farm: Settings, logger_file: Writer, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        def late(*_: object) -> None:
            raise BrokenPipeError(32, "Broken pipe")

        monkeypatch.setattr("embalse.services.intake.staged_reading.sys.executable", "/bin/true")
        monkeypatch.setattr("embalse.services.intake.staged_reading.pickle.dump", late)
        with pytest.raises(OSError, match="was stopped"):
            bring(logger_file())
