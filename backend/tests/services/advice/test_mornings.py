"""Each morning's answer is kept once, as it was called, and the skill is judged from those alone."""

import sqlite3
import time

import pytest

from embalse.config import Settings
from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.errors import CoreError
from embalse.core.root_zone.block import Block
from embalse.services import times
from embalse.services.advice import mornings
from embalse.services.advice.advise import round_content
from embalse.services.advice.mornings import CATCH_UP_DAYS, Mornings, keep_mornings, kept_until, lacking_mornings
from embalse.services.advice.skill import skill_content
from embalse.store import farm as farm_store
from embalse.store.database import database, transaction
from embalse.store.kept_forecasts import KeptForecastRow
from embalse.store.rows import FarmRow, FarmRows
from tests.conftest import put

ZONE = "Europe/Madrid"


def kept() -> list[tuple[object, ...]]:
    return database.execute_sql("SELECT block_id, day, mid_days, depletion_mm, made_at FROM refill_call").fetchall()


def advance(hours: int) -> None:
    farm = farm_store.farm()
    assert farm is not None and farm.clock_at is not None
    with transaction():
        farm_store.hold_clock(farm.clock_at + 3600 * hours)


def test_a_morning_counts_from_six(demo: Settings) -> None:
    six = times.parse_moment("2026-07-14T06:00", ZONE)
    assert kept_until(six, ZONE) == kept_until(six - 1, ZONE) + 1


def test_the_demonstration_keeps_all_its_mornings_and_none_twice(demo: Settings) -> None:
    before = kept()
    assert len({row[1] for row in before}) == CATCH_UP_DAYS + 1
    assert keep_mornings() == 0
    advance(24)
    assert keep_mornings() == 1
    assert len(kept()) == len(before) + len(farm_store.farm_rows().blocks)
    assert kept()[: len(before)] == before


def test_a_morning_kept_is_that_morning_s_answer_and_stays_it(demo: Settings) -> None:
    day = times.local_day(times.parse_moment("2026-07-08T06:00", ZONE), ZONE)
    olivar = farm_store.farm_rows(["olivar"]).blocks[0].id
    called = next(row for row in kept() if row[:2] == (olivar, day))
    told = round_content("2026-07-08T06:00", ["olivar"]).blocks[0]
    assert told.refill is not None and called[2:4] == (told.refill.days.mid, told.depletion_mm)
    put({"embalse": 1, "rain": [{"day": "2026-07-07", "depth_mm": 30}]})
    assert next(row for row in kept() if row[:2] == (olivar, day)) == called


def test_mornings_before_the_set_up_are_not_made_up(farm: Settings) -> None:
    assert skill_content("one").words.startswith("No past refill dates yet.")
    assert keep_mornings() <= 1
    with transaction():
        database.execute_sql("UPDATE farm SET known_since = clock_at - 86400 * 3")
        database.execute_sql("DELETE FROM refill_call")
    assert keep_mornings() == 4
    assert skill_content("one").judged == 0


def test_a_full_disk_and_a_bad_block_stop_neither_the_thread_nor_the_other_blocks(
    demo: Settings, monkeypatch: pytest.MonkeyPatch
) -> None:
    advance(48)
    told = {b.key: b.depletion_mm for b in round_content("2026-07-15T06:00").blocks}
    really_keep, really_analyse = mornings.kept_forecasts.keep, mornings.analyse_blocks
    full = [True]

    def keep(rows: list[KeptForecastRow]) -> None:
        if full.pop() if full else False:
            raise sqlite3.OperationalError("database or disk is full")
        really_keep(rows)

    def analyse_blocks(farm: FarmRow, rows: FarmRows, blocks: list[Block], now: int) -> list[BlockAnalysis]:
        if any(b.key == "ladera" for b in blocks):
            raise CoreError("soil", "a curve that makes no sense")
        return really_analyse(farm, rows, blocks, now)

    monkeypatch.setattr(mornings.kept_forecasts, "keep", keep)
    monkeypatch.setattr(mornings, "analyse_blocks", analyse_blocks)
    before = len(kept())
    at_work = Mornings(every_s=0.05)
    at_work.start()
    blocks = len(farm_store.farm_rows().blocks)
    for _ in range(200):
        if len(kept()) == before + 2 * (blocks - 1):
            break
        time.sleep(0.05)
    at_work.stop()
    keys = {row.id: row.key for row in farm_store.farm_rows().blocks}
    day = times.local_day(times.parse_moment("2026-07-15T06:00", ZONE), ZONE)
    new = {keys[row[0]]: row[3] for row in kept() if row[1] == day}  # type: ignore[index]
    assert set(new) == set(keys.values()) - {"ladera"}
    assert {key: mm for key, mm in new.items() if mm is not None} == {
        key: told[key] for key, mm in new.items() if mm is not None
    }
    assert sum(mm is not None for mm in new.values()) >= 4


def test_a_farm_without_blocks_is_looked_at_once(empty: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    put({"embalse": 1, "farm": {"name": "Bare", "time_zone": ZONE, "units": "metric"}})
    with transaction():
        database.execute_sql("UPDATE farm SET known_since = known_since - 86400 * 3")
    asked: list[int] = []
    monkeypatch.setattr(mornings, "keep_morning", lambda day: asked.append(day) or 0)
    at_work = Mornings()
    at_work._keep()
    at_work._keep()
    assert len(asked) == len(set(asked)) == 3


@pytest.mark.parametrize(("second", "counts"), [(0, True), (1, False)])
def test_the_morning_of_the_set_up_counts_from_six_sharp(farm: Settings, second: int, counts: bool) -> None:
    with transaction():
        database.execute_sql("UPDATE farm SET known_since = clock_at - 86400 + ?", (second,))
    assert len(lacking_mornings()) == 1 + counts


def test_the_server_catches_up_by_itself_and_survives_trouble(demo: Settings) -> None:
    advance(48)
    at_work = Mornings(every_s=0.05)
    with transaction():
        database.execute_sql("ALTER TABLE refill_call RENAME TO away")
    at_work.start()
    time.sleep(0.3)
    with transaction():
        database.execute_sql("ALTER TABLE away RENAME TO refill_call")
    days = len({row[1] for row in kept()})
    for _ in range(200):
        if len({row[1] for row in kept()}) == days + 2:
            break
        time.sleep(0.05)
    at_work.stop()
    assert len({row[1] for row in kept()}) == days + 2
