import io
import os
import time
from pathlib import Path
from typing import Any

import pytest

from embalse.config import Settings
from embalse.ingest.layout import inspect_file
from embalse.services import times
from embalse.services.admin import files
from embalse.services.advice.block_page import block_content
from embalse.services.advice.season import season_content
from embalse.services.intake.import_jobs import ImportJobs
from embalse.services.intake.import_plan import ImportPlan
from embalse.services.load import clock
from embalse.standins.demo_farm import Season, simulate
from embalse.standins.demo_stories import BLOCKS
from embalse.standins.logger_files import raw_values, write_logger_file
from embalse.store.errors import Conflict, NotFound
from tests.conftest import CLOCK, put
from tests.services.intake.test_imports import PLAN


@pytest.fixture(scope="module")
def season() -> Season:
    return simulate()


@pytest.mark.parametrize(
    ("text", "zone", "expected"),
    [
        ("2026-07-14T06:00", "Europe/Madrid", CLOCK),
        ("2026-07-14T06:00+02:00", "America/Santiago", CLOCK),
        ("2026-07-14 04:00", "UTC", CLOCK),
        ("2026-07-14", "UTC", CLOCK - 4 * 3600),
    ],
)
def test_moments_without_offset_are_farm_local(text: str, zone: str, expected: int) -> None:
    assert times.parse_moment(text, zone) == expected


def test_days_and_instants_agree_across_daylight_saving() -> None:
    zone = "Europe/Madrid"
    for day in range(times.local_day(CLOCK, zone) - 200, times.local_day(CLOCK, zone) + 200):
        for hour in (0, 4, 6, 12, 23):
            assert times.local_day(times.instant_of(day, hour, zone), zone) == day
    assert times.day_number(times.day_of(20_000)) == 20_000
    assert times.iso(CLOCK, zone) == "2026-07-14T06:00+02:00"
    assert times.iso(None, zone) is None


def test_the_clock_is_held_for_a_demonstration_and_else_the_machines(farm: Settings) -> None:
    held = clock.the_farm()
    assert clock.farm_now(held) == CLOCK
    assert clock.as_of(held, "2026-07-01T06:00") < CLOCK
    with pytest.raises(ValueError, match="write it like"):
        clock.as_of(held, "noon")


def test_a_clock_that_is_not_held_is_now(empty: Settings, plain: dict[str, Any]) -> None:
    with pytest.raises(Conflict, match="not set up"):
        clock.the_farm()
    put(plain)
    assert abs(clock.farm_now(clock.the_farm()) - time.time()) < 5


def test_uploads_are_found_by_token_only_and_dropped_when_old(tmp_path: Path) -> None:
    token, _ = files.keep_upload(tmp_path, io.BytesIO(b"x,y"), "../../etc/pass wd.csv")
    path, name = files.upload(tmp_path, token)
    assert path.parent == tmp_path and name == "pass wd.csv" and path.read_bytes() == b"x,y"
    for wrong in ("", "*", "../" + token, "a" * 16):
        with pytest.raises(NotFound):
            files.upload(tmp_path, wrong)
    long_ago = time.time() - 10 * 86400
    os.utime(path, (long_ago, long_ago))
    files.keep_upload(tmp_path, io.BytesIO(b""), "b.csv")
    with pytest.raises(NotFound):
        files.upload(tmp_path, token)


def test_a_job_keeps_its_file_until_it_is_done(farm: Settings, logger_file: Any) -> None:
    jobs, path = ImportJobs(), logger_file()
    job = jobs.start(path, path.name, PLAN, False)
    assert job.finished.wait(20)
    assert job.report is not None and job.report.status == "done" and not path.exists()
    assert jobs.get(job.token) is job
    with pytest.raises(NotFound):
        jobs.get("other")


def test_a_job_that_cannot_run_says_why(farm: Settings, logger_file: Any) -> None:
    path = logger_file()
    wrong = PLAN.model_copy(update={"time_zone": "Nowhere"})
    job = ImportJobs().start(path, path.name, ImportPlan.model_validate(wrong.model_dump()), False)
    assert job.finished.wait(20)
    assert "neither a time zone" in job.error and job.report is None and path.exists()


def test_a_block_without_stations_still_has_a_page(farm: Settings) -> None:
    put({"embalse": 1, "blocks": [{"key": "bare", "area_ha": 1, "crop": "olive", "soil": "loam"}]})
    page = block_content("bare")
    assert page.stations == [] and page.times == [] and page.fan == []
    assert page.advice.reason == "No advice because the block has no station."


def test_a_block_without_readings_draws_its_section_all_the_same(farm: Settings) -> None:
    page = block_content("one")
    assert [layer.theta for layer in page.stations[0].layers] == [None, None, None]
    assert page.stations[0].why_not == "no readings yet"
    assert page.stations[0].layers[0].capacity_mm > 20


def test_the_season_of_a_farm_without_readings_is_empty(farm: Settings) -> None:
    season = season_content()
    assert season.first is None and season.days == []


def test_each_logger_writes_with_habits_of_its_own(season: Season, tmp_path: Path) -> None:
    seen = {}
    for block in BLOCKS:
        path, plan = write_logger_file(tmp_path, block, season)
        seen[block.document["key"]] = inspect_file(path).layout
        assert len(plan.columns) == sum(len(s.depths_cm) for s in block.stations)
    assert (seen["norte-1"].delimiter, seen["norte-1"].decimal, seen["norte-1"].date_order) == (";", ",", "dmy")
    assert (seen["norte-1"].header_line, seen["norte-1"].units_line) == (2, 3)
    assert (seen["ladera"].delimiter, seen["ladera"].decimal) == ("\t", ".")
    assert seen["olivar"].date_order == "ymd"


def test_the_gap_is_missing_from_the_file(season: Season, tmp_path: Path) -> None:
    olivar = next(b for b in BLOCKS if b.document["key"] == "olivar")
    text = write_logger_file(tmp_path, olivar, season)[0].read_text()
    assert "2026-06-02 23:00" in text and "2026-06-07 00:00" in text
    assert not any(f"2026-06-0{day} " in text for day in (3, 4, 5, 6))
    assert "NAN" in text


def test_counts_fall_as_the_soil_gets_wetter(season: Season) -> None:
    station = next(s for s in season.stations if s.block.document["key"] == "tunel")
    depth = station.story.depths_cm[0]
    raw, theta = raw_values(station, depth), station.sensed[depth]
    driest, wettest = int(theta.argmin()), int(theta.argmax())
    assert raw[driest] > raw[wettest]


def test_norte_2_gets_what_norte_1_gets(season: Season) -> None:
    def sets(key: str) -> list[tuple[str, float]]:
        return [(s["start"], s["gross_mm"]) for s in season.sets if s["block"] == key]

    assert sets("norte-1") == sets("norte-2") and len(sets("norte-1")) >= 20
    names = [s.block.document["key"] for s in season.stations]
    drained = season.drained_mm.sum(axis=0)
    assert drained[names.index("norte-2")] > 5 * drained[names.index("norte-1")]
    runoff = season.runoff_mm.sum(axis=0)
    assert runoff[names.index("ladera")] > 10 * runoff[names.index("olivar")]
