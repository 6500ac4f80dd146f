"""Models of the demonstration's blocks: fitted once, kept, looked up by pages, made anew when the facts change."""

import time
from dataclasses import replace

import numpy as np
import pytest
from peewee import OperationalError

from embalse.config import Settings
from embalse.core.block_model.ground import modelled_stations
from embalse.services import times
from embalse.services.advice import model_keeping
from embalse.services.advice.advise import round_content, what_if_content
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.advice.model_keeping import (
    AGAIN_S,
    CATCH_UP_DAYS,
    Fitting,
    blocks_due,
    catch_up,
    fit_and_keep,
    started,
)
from embalse.services.advice.profile_page import profile_content
from embalse.services.block_model import kept_fits
from embalse.services.block_model.ahead import SERVES_S, decoded, encoded, set_up_mark
from embalse.services.block_model.gather import gather
from embalse.services.block_model.kept_fits import EVERY_DAYS, anchor_day, computing, models_at
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import BlockAdvice
from embalse.store import block_models as store
from embalse.store import farm as farm_store
from embalse.store.database import database, transaction
from tests.conftest import put

BLOCK = "norte-1"
ZONE = "Europe/Madrid"


def rows_of(table: str) -> int:
    return int(database.execute_sql(f"SELECT count(*) FROM {table}").fetchone()[0])


def forget() -> None:
    with transaction():
        database.execute_sql("DELETE FROM block_fit")
        database.execute_sql("DELETE FROM block_ahead")
    kept_fits._here.clear()


def advice(key: str = BLOCK) -> BlockAdvice:
    return round_content(None, [key]).blocks[0]


def by_model(found: BlockAdvice) -> bool:
    return any(line.key == "model_rate_mm_d" for line in found.working)


def now_of() -> int:
    return clock.farm_now(clock.the_farm())


def advance(hours: float) -> None:
    with transaction():
        farm_store.hold_clock(now_of() + round(3600 * hours))


class TestPages:
    def test_a_page_goes_by_the_model_that_was_kept(self, demo: Settings) -> None:
        found = advice()
        assert by_model(found) and found.refill is not None
        [line] = [one for one in found.working if one.key == "model_rate_mm_d"]
        assert line.source.kind == "computed" and "mornings" in str(line.source.detail)
        assert any(one.key == "dry_down_days" for one in found.working)

    def test_without_one_it_goes_by_the_dry_downs_and_fits_nothing_itself(self, demo: Settings) -> None:
        forget()
        found = advice()
        assert not by_model(found) and found.refill is not None
        profile_content(BLOCK)
        assert rows_of("block_fit") == rows_of("block_ahead") == 0

    def test_the_command_line_has_its_own_time_and_fits(self, demo: Settings) -> None:
        forget()
        with computing():
            found = advice()
        assert by_model(found) and rows_of("block_fit") == 1
        assert not by_model(advice())  # the days ahead for pages are kept by the server's own work alone

    def test_page_and_command_line_say_the_same(self, demo: Settings) -> None:
        page = advice()
        with computing():
            command = advice()
        assert page.refill is not None and command.refill is not None
        assert page.refill.days.mid == pytest.approx(command.refill.days.mid, abs=0.02)

    def test_another_set_up_is_not_answered_from_the_old_one(self, demo: Settings) -> None:
        both = what_if_content(BLOCK, {"root_depth_cm": 40.0})
        assert by_model(both.before) and not by_model(both.after)
        smaller = what_if_content(BLOCK, {"max_set_mm": 10.0})
        assert by_model(smaller.after)

    def test_damaged_bytes_are_as_none(self, demo: Settings) -> None:
        with transaction():
            database.execute_sql("UPDATE block_ahead SET body = x'00ff'")
            database.execute_sql("UPDATE block_fit SET body = x'00ff'")
        kept_fits._here.clear()
        assert not by_model(advice()) and profile_content(BLOCK).stations
        with computing():
            assert by_model(advice())

    @pytest.mark.parametrize(("hours", "still"), [(SERVES_S / 3600 - 0.1, True), (SERVES_S / 3600 + 0.1, False)])
    def test_days_ahead_serve_a_day_and_the_morning_after(self, demo: Settings, hours: float, still: bool) -> None:
        row = farm_store.farm_rows([BLOCK]).blocks[0]
        assert bool(store.aheads([row.id], now_of() + round(3600 * hours) - SERVES_S, now_of() + 10**6)) == still

    def test_water_that_came_since_ends_them(self, demo: Settings) -> None:
        with transaction():
            database.execute_sql("UPDATE block_ahead SET storage_mm = storage_mm - 60")
        assert not by_model(advice())


class TestKeptFits:
    def test_the_same_facts_are_fitted_once(self, demo: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
        fitted: list[int] = []
        real = kept_fits.fit
        monkeypatch.setattr(kept_fits, "fit", lambda *a, **k: fitted.append(1) or real(*a, **k))  # type: ignore[func-returns-value]
        forget()
        with computing():
            advice()
            assert len(fitted) == 2  # for dates, and for uptake
            advice()
            kept_fits._here.clear()
            advice()
            assert len(fitted) == 2

    @pytest.mark.parametrize("changed", ["set", "soil", "rain"])
    def test_other_facts_are_fitted_anew(self, demo: Settings, changed: str) -> None:
        row = farm_store.farm_rows([BLOCK]).blocks[0]
        day = anchor_day(times.local_day(now_of(), ZONE), row.id)
        before = store.last_fit(row.id, day, day)
        assert before is not None
        part = {
            "set": {"sets": [{"block": BLOCK, "start": "2026-07-05T08:00", "hours": 3, "gross_mm": 9}]},
            "soil": {"blocks": []},
            "rain": {"rain": [{"day": "2026-07-05", "depth_mm": 12}]},
        }[changed]
        if changed == "soil":
            with transaction():
                database.execute_sql("UPDATE horizon SET clay_fraction = clay_fraction + 0.05")
        else:
            put({"embalse": 1, **part})
        with computing():
            advice()
        after = store.last_fit(row.id, day, day)
        assert after is not None and after.facts != before.facts
        assert store.fit_of(row.id, day, before.facts) == before  # what was answered from it is answered still

    def test_a_morning_later_says_the_same_of_the_past(self, demo: Settings) -> None:
        row = farm_store.farm_rows([BLOCK]).blocks[0]
        farm = clock.the_farm()
        day = anchor_day(times.local_day(now_of(), ZONE), row.id) - EVERY_DAYS
        marks = []
        for ago in (0, 2):
            rows = farm_store.farm_rows([BLOCK])
            at = now_of() - 86400 * ago
            found = gather(farm, rows, core_blocks(rows, at)[0], at)
            assert found is not None
            marks.append(kept_fits.mark_of(*found.at_dawn(day)))
        assert marks[0] == marks[1]

    def test_fits_are_the_same_out_of_their_bytes(self, demo: Settings) -> None:
        rows = farm_store.farm_rows([BLOCK])
        found = gather(clock.the_farm(), rows, core_blocks(rows, now_of())[0], now_of())
        assert found is not None
        day = anchor_day(times.local_day(now_of(), ZONE), rows.blocks[0].id)
        one = models_at(found, rows.blocks[0].id, day)
        assert one is not None
        again = kept_fits.decoded(day, kept_fits.encoded(one))
        assert again is not None and again.dates.x == pytest.approx(one.dates.x, abs=1e-6)
        assert np.allclose(again.dates.lower, one.dates.lower, atol=2e-3) and again.dates.windows == one.dates.windows

    def test_blocks_are_not_all_fitted_on_the_same_day(self) -> None:
        assert {20000 - anchor_day(20000, block) for block in range(9)} == {0, 1, 2}
        assert all(anchor_day(anchor_day(20000, b), b) == anchor_day(20000, b) for b in range(9))


class TestAheadBytes:
    def test_they_are_kept_to_a_hundredth_of_a_millimetre(self, demo: Settings) -> None:
        with computing():
            rows = farm_store.farm_rows([BLOCK])
            [found] = analyse_blocks(clock.the_farm(), rows, core_blocks(rows, now_of()), now_of())
        assert found.water_use is not None and found.water_use.course is not None
        paths = found.water_use.course.paths
        assert paths is not None
        again = decoded(encoded(paths))
        assert again is not None and np.abs(again.lost_mm - paths.lost_mm).max() <= 0.0051
        assert (again.windows, round(again.miss_mm, 3)) == (paths.windows, round(paths.miss_mm, 3))

    def test_a_set_ups_mark_is_its_soil_crop_roots_system_and_probes(self, demo: Settings) -> None:
        rows = farm_store.farm_rows()
        marks = {set_up_mark(block) for block in core_blocks(rows, now_of())}
        assert len(marks) == len(rows.blocks)
        assert modelled_stations(core_blocks(farm_store.farm_rows([BLOCK]), now_of())[0].stations)


class TestThePast:
    THEN = "2026-07-11T06:00"

    def fitted_then(self) -> None:
        kept_fits._here.clear()  # of another test's farm with the same facts
        with computing():
            round_content(self.THEN, [BLOCK])

    def test_a_page_about_the_past_goes_by_the_model_of_that_morning(self, demo: Settings) -> None:
        assert not by_model(round_content(self.THEN, [BLOCK]).blocks[0])
        self.fitted_then()
        kept_fits._here.clear()
        page = round_content(self.THEN, [BLOCK]).blocks[0]
        with computing():
            command = round_content(self.THEN, [BLOCK]).blocks[0]
        assert by_model(page) and page.refill == command.refill

    @pytest.mark.parametrize(
        "later",
        [
            {"sets": [{"block": BLOCK, "start": "2026-07-09T08:00", "hours": 3, "gross_mm": 25}]},
            {"rain": [{"day": "2026-07-10", "depth_mm": 30}]},
            {"eto": [{"day": "2026-07-09", "eto_mm": 1.0}]},
        ],
    )
    def test_it_stays_the_same_whatever_is_entered_later_and_as_the_days_go_by(
        self, demo: Settings, later: dict[str, object]
    ) -> None:
        self.fitted_then()
        before = round_content(self.THEN, [BLOCK]).blocks[0].refill
        advance(24 * 6)
        put({"embalse": 1, **later})
        with computing():
            round_content(None, [BLOCK])
        kept_fits._here.clear()
        again = round_content(self.THEN, [BLOCK]).blocks[0]
        assert by_model(again) and again.refill == before

    def test_days_ahead_of_then_are_not_looked_for_where_no_model_is_kept(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        forget()
        monkeypatch.setattr("embalse.services.block_model.ahead.gather", lambda *_: pytest.fail("gathered for nothing"))
        assert round_content(self.THEN, [BLOCK]).blocks[0].refill is not None


class TestBadDays:
    def test_a_disk_that_is_full_takes_no_answer_away(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
    ) -> None:
        def full(*_: object) -> None:
            raise OperationalError("database or disk is full")

        forget()
        monkeypatch.setattr(store, "keep_fit", full)
        monkeypatch.setattr(store, "keep_ahead", full)
        with computing():
            assert by_model(advice())
        assert fit_and_keep([BLOCK], now_of()) == 1 and "disk is full" in caplog.text
        assert rows_of("block_fit") == rows_of("block_ahead") == 0

    def test_arithmetic_that_fails_leaves_the_advice_to_the_dry_downs(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        def singular(*_: object, **__: object) -> None:
            raise np.linalg.LinAlgError("Singular matrix")

        forget()
        monkeypatch.setattr(kept_fits, "fit", singular)
        with computing():
            found = advice()
        assert not by_model(found) and found.refill is not None

    def test_facts_that_make_no_model_are_tried_once(self, demo: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
        tried: list[int] = []
        forget()
        monkeypatch.setattr(kept_fits, "fit", lambda *_, **__: tried.append(1))
        with computing():
            advice()
            advice()
        assert len(tried) == 1 and rows_of("block_fit") == 1


class TestBackground:
    def test_a_block_is_due_when_nothing_is_kept_since_dawn(self, demo: Settings) -> None:
        farm = clock.the_farm()
        before = blocks_due(farm, now_of())
        assert BLOCK not in before and "tunel" in before  # not calibrated: nothing can be kept of it
        dawn = times.instant_of(times.local_day(now_of(), ZONE) + 1, times.DAWN_END_H, ZONE)
        assert BLOCK not in blocks_due(farm, dawn - 1) and BLOCK in blocks_due(farm, dawn)

    @pytest.mark.parametrize(("later", "due"), [(AGAIN_S - 1, False), (AGAIN_S, True)])
    def test_water_since_makes_it_due_again_after_some_hours(self, demo: Settings, later: int, due: bool) -> None:
        put({"embalse": 1, "sets": [{"block": BLOCK, "start": "2026-07-14T06:30", "hours": 2, "gross_mm": 9}]})
        assert (BLOCK in blocks_due(clock.the_farm(), now_of() + later)) == due

    @pytest.mark.parametrize(("after_s", "due"), [(-1, False), (1, True)])
    def test_a_forecast_since_makes_it_due(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch, after_s: int, due: bool
    ) -> None:
        row = farm_store.farm_rows([BLOCK]).blocks[0]
        kept_at = store.aheads([row.id], 0, now_of())[row.id].start_at
        real = model_keeping.forecast_at(now_of(), ZONE)
        assert real is not None
        monkeypatch.setattr(model_keeping, "forecast_at", lambda *_: replace(real, issued_at=float(kept_at + after_s)))
        assert (BLOCK in blocks_due(clock.the_farm(), now_of())) == due

    def test_a_process_of_its_own_fits_and_keeps_and_catches_up_what_was_missed(self, demo: Settings) -> None:
        forget()
        child = started([BLOCK], now_of())
        assert child.wait(120) == 0
        assert rows_of("block_ahead") == 1 and by_model(advice())
        row = farm_store.farm_rows([BLOCK]).blocks[0]
        days = store.days_fitted(row.id, 0, 10**6)
        today = times.local_day(now_of(), ZONE)
        assert min(days) >= today - CATCH_UP_DAYS and days == {anchor_day(d, row.id) for d in days}
        assert len(days) >= CATCH_UP_DAYS // EVERY_DAYS and catch_up([BLOCK], now_of()) == 0
        assert by_model(round_content("2026-07-11T06:00", [BLOCK]).blocks[0])

    def test_a_block_that_cannot_be_worked_out_holds_no_other_up(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        forget()
        real = model_keeping.analyse_blocks

        def failing(*args: object) -> object:
            if args[1].blocks[0].key == "norte-2":  # type: ignore[attr-defined]
                raise ZeroDivisionError("bad day")
            return real(*args)  # type: ignore[arg-type]

        monkeypatch.setattr(model_keeping, "analyse_blocks", failing)
        assert fit_and_keep(["norte-2", BLOCK], now_of()) == 1

    def test_one_process_at_a_time_and_each_block_once_an_hour(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        begun: list[list[str]] = []

        class Idle:
            returncode = 0

            def poll(self) -> int | None:
                return 0 if len(begun) > 1 or ended else None

            def kill(self) -> None: ...
            def wait(self) -> None: ...

        ended: list[int] = []
        monkeypatch.setattr(model_keeping, "started", lambda keys, _: begun.append(keys) or Idle())  # type: ignore[func-returns-value]
        monkeypatch.setattr(model_keeping, "LOOK_S", 0)
        forget()
        fitting = Fitting()
        fitting.look()
        fitting.look()
        assert len(begun) == 1 and BLOCK in begun[0]
        ended.append(1)
        fitting.look()
        assert len(begun) == 1  # the hour is not over
        advance(1)
        fitting.look()
        assert len(begun) == 2
        fitting.stop()

    def test_a_process_that_ends_badly_is_logged_and_tried_again(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
    ) -> None:
        monkeypatch.setattr(model_keeping, "CHILD", "raise SystemExit(3)")
        monkeypatch.setattr(model_keeping, "LOOK_S", 0)
        forget()
        fitting = Fitting()
        fitting.look()
        deadline = time.monotonic() + 20
        while fitting._running() and time.monotonic() < deadline:
            time.sleep(0.05)
        assert "ended with 3" in caplog.text

    def test_a_machine_that_begins_no_process_goes_on(
        self, demo: Settings, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
    ) -> None:
        def full(*_: object) -> None:
            raise OSError("no memory")

        monkeypatch.setattr(model_keeping, "started", full)
        forget()
        fitting = Fitting()
        fitting.look()
        fitting.stop()
        assert "no memory" in caplog.text and advice().refill is not None


class TestPast:
    def test_what_a_wetting_lost_is_the_same_whenever_it_is_asked(self, demo: Settings) -> None:
        with computing():
            early = {w.start_at: w.below_mm for w in profile_content("norte-2", "2026-07-05T06:00", 20).wettings}
            late = {w.start_at: w.below_mm for w in profile_content("norte-2", None, 40).wettings}
        closed = [at for at in early if at < times.parse_moment("2026-06-29T06:00", ZONE)]
        assert len(closed) >= 3
        for at in closed:
            assert early[at] == pytest.approx(late[at], abs=0.01)
        assert sum(mm or 0.0 for mm in late.values()) > 10

    def test_where_water_goes_through_the_roots_every_day_the_layers_are_not_told_apart(self, demo: Settings) -> None:
        with computing():
            found = profile_content("norte-2").stations[0]
        assert not found.uptake and "cannot be told from what roots take" in found.why_not

    def test_where_roots_drink_comes_from_day_and_night(self, demo: Settings) -> None:
        with computing():
            found = profile_content("olivar").stations[0]
        assert found.clean_days >= 1 and sum(one.share for one in found.uptake) == pytest.approx(1.0)
