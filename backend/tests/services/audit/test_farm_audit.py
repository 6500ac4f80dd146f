"""The farm's list, its line on the Round, groups, and faults to go and see until somebody did."""

import csv
import io
from datetime import datetime

import pytest

from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.field_series import Field
from embalse.services.audit import farm_audit as farm_audit_module
from embalse.services.audit.audit_table import HEAD, audit_csv
from embalse.services.audit.block_audit import audit_content
from embalse.services.audit.farm_audit import farm_audit
from embalse.services.audit.following_up import Fault, FollowedUp, follow_up
from embalse.services.audit.following_up import open_faults as still_open
from embalse.services.audit.gather import BlockSets
from embalse.services.schema.auditing import Found
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from tests.conftest import put


def seen(
    fault: str = "did not run", at: str = "2026-07-14T06:00+02:00", key: str = "seen-1", **more: str
) -> FollowedUp:
    found: Found = "closed"
    entry = {"key": key, "block": "norte-2", "fault": fault, "start": "2026-07-13T21:00+02:00", "at": at, **more}
    return FollowedUp.model_validate({"found": found, **entry})


def open_faults() -> dict[str, str]:
    return {f.block: f.fault for f in farm_audit(days=21).follow_ups}


def test_all_blocks_newest_first_with_the_week_in_a_line(demo: Settings) -> None:
    found = farm_audit(days=21)
    starts = [s.start_at for s in found.sets]
    assert starts == sorted(starts, reverse=True) and len({s.block for s in found.sets}) == BLOCKS
    assert found.line is not None and found.line.code == "audit.line"
    assert "1 did not run (Norte 2)" in found.line.text and "too fast (Ladera)" in found.line.text
    verdicts = {(s.block, s.verdict) for s in found.sets}
    assert {("circulo", "right"), ("norte-1", "right"), ("norte-2", "too much"), ("tunel", "cannot tell")} <= verdicts


def test_the_same_figures_as_the_blocks_own_page(demo: Settings) -> None:
    block = {s.start_at: s for s in audit_content("olivar", days=21).sets}
    for one in (s for s in farm_audit(days=21).sets if s.block == "olivar"):
        own = block[one.start_at]
        assert (one.verdict, one.expected_mm) == (own.verdict, own.expected_mm)
        assert one.gained_mm == pytest.approx(own.gained_mm, abs=0.5) or one.gained_mm is None


def test_blocks_of_a_supply_are_held_against_each_other_on_their_latest_night(demo: Settings) -> None:
    night, _ = sorted(farm_audit(days=21).groups, key=lambda one: one.group)
    assert night.group == "north well" and len(night.blocks) == 3
    assert night.blocks[0].off <= night.blocks[-1].off and night.words


def test_a_group_by_hand_is_too(demo: Settings) -> None:
    members = ["norte-1", "norte-2", "bajo"]
    put(
        {
            "embalse": 1,
            "set_groups": [{"key": "g", "name": "Dripped", "blocks": members, "start": "20:30", "minutes": 300}],
        }
    )
    assert {g.group for g in farm_audit(days=21).groups} == {"Dripped", "north well", "reservoir"}


BLOCKS = 10
ZONE = "Europe/Madrid"
NOW = times.epoch(datetime.fromisoformat("2026-07-14T06:00"), ZONE)


def test_a_fault_is_on_the_list_until_somebody_saw_it(demo: Settings) -> None:
    assert open_faults() == {"norte-2": "did not run", "bajo": "cut short"}
    told = follow_up([seen(at="2026-07-13T20:00+02:00", key="early")])
    assert told.entries[0].kept and "norte-2" in open_faults()  # seen before it happened
    follow_up([seen()])
    assert open_faults() == {"bajo": "cut short"}
    assert farm_audit("2026-07-14T05:00", 21).follow_ups[0].block == "norte-2"  # as known then


def test_the_same_line_sent_twice_is_taken_once_and_a_bad_one_stops_no_other(demo: Settings) -> None:
    told = follow_up([seen(block="nowhere", key="bad"), seen(), seen()])
    assert [one.kept for one in told.entries] == [False, True, True]
    assert "nowhere" in told.entries[0].reason
    assert "norte-2" not in open_faults()


@pytest.mark.parametrize(("day", "listed"), [("2026-07-20T20:59", True), ("2026-07-20T21:01", False)])
def test_after_a_week_a_fault_leaves_the_list(demo: Settings, day: str, listed: bool) -> None:
    start = times.epoch(datetime.fromisoformat("2026-07-13T21:00"), ZONE)
    now = times.epoch(datetime.fromisoformat(day), ZONE)
    fault = Fault(start, "did not run", Notice("follow.nothing_came", on_day=times.local_day(start, ZONE)))
    assert bool(still_open("norte-2", "Norte 2", [fault], now, ZONE)) is listed


def test_the_same_fault_again_is_named(demo: Settings) -> None:
    now = times.epoch(datetime.fromisoformat("2026-07-14T06:00"), ZONE)
    faults = [Fault(now - d * 86400, "did not run", Notice("follow.nothing_came", on_day=1)) for d in (31, 20, 1)]
    [one] = still_open("norte-2", "Norte 2", faults, now, ZONE)
    assert one.times == 2 and "2 times in 30 days" in one.words


def test_the_table_has_units_in_its_head_and_nothing_a_spreadsheet_runs(demo: Settings) -> None:
    rows = list(csv.reader(io.StringIO(audit_csv(None, 21))))
    assert tuple(rows[0]) == HEAD and len(rows) == 1 + len(farm_audit(days=21).sets)
    assert not any(cell.startswith(("=", "@")) for row in rows for cell in row)


def test_an_empty_farm_has_nothing_to_audit(farm: Settings) -> None:
    found = farm_audit()
    assert found.sets == [] and found.line is None and found.follow_ups == [] and found.groups == []


def looked_at(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Blocks whose sets are audited from now on, in that order."""
    found: list[str] = []
    made = farm_audit_module.block_sets

    def block_sets(field: Field, days: int) -> BlockSets:
        found.append(field.row.key)
        return made(field, days)

    monkeypatch.setattr(farm_audit_module, "block_sets", block_sets)
    return found


def test_only_blocks_something_was_entered_about_are_looked_at_again(
    demo: Settings, monkeypatch: pytest.MonkeyPatch
) -> None:
    found = looked_at(monkeypatch)
    farm_audit()
    assert len(found) == BLOCKS
    farm_audit()
    assert len(found) == BLOCKS
    put({"embalse": 1, "sets": [{"block": "olivar", "start": "2026-07-13T20:00", "hours": 1, "gross_mm": 2.0}]})
    assert any(s.start.startswith("2026-07-13T20") for s in farm_audit().sets) and found[BLOCKS:] == ["olivar"]
    follow_up([seen()])
    assert "norte-2" not in {f.block for f in farm_audit().follow_ups} and found[BLOCKS + 1 :] == ["norte-2"]
    put({"embalse": 1, "rain": [{"day": "2026-07-12", "depth_mm": 30.0}]})
    farm_audit()
    assert len(found) == 2 * BLOCKS + 2  # rain falls on all of them


def test_a_block_with_a_set_lately_is_looked_at_every_hour_and_others_every_day(
    demo: Settings, monkeypatch: pytest.MonkeyPatch
) -> None:
    found = looked_at(monkeypatch)
    farm_audit()
    for hours in (1, 24):
        with transaction():
            farm_store.hold_clock(NOW + 3600 * hours)
        farm_audit()
    lately = {s.block for s in farm_audit().sets if s.end >= "2026-07-10T07"}
    assert set(found[BLOCKS:-BLOCKS]) == lately and len(found) == 2 * BLOCKS + len(lately)


def test_a_past_moment_is_made_anew(demo: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    found = looked_at(monkeypatch)
    farm_audit("2026-07-10T06:00")
    farm_audit("2026-07-10T06:00")
    assert len(found) == 2 * BLOCKS
