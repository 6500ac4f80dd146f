"""Approving, moving and taking back: checked again where it is kept, refused where something changed."""

import json
from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import Any

import pytest
from icalendar import Calendar

from embalse.config import Settings
from embalse.core.errors import CoreError
from embalse.services.document.apply import apply_document
from embalse.services.document.export import farm_document
from embalse.services.document.farm_document import FarmDocument, parse_document
from embalse.services.planning import approving, calendar, groups, plan_table
from embalse.services.planning.approving import ApproveIn, ChangeIn, DraftIn, PlaceIn, approve, change, check
from embalse.services.planning.plan import PlanContent, PlannedSetOut, plan_content
from embalse.services.planning.planned import planned_sets
from embalse.services.planning.water_page import water_content
from embalse.services.schema.refused import DocumentErrors
from embalse.services.schema.water import SetGroupPart
from embalse.store import records as record_store
from embalse.store.errors import Conflict, NotFound

ZONE = "Europe/Madrid"


@pytest.fixture
def plan(demo: Settings) -> Iterator[PlanContent]:
    yield plan_content(days=2, quick=True)


def proposed(plan: PlanContent, block: str) -> list[PlannedSetOut]:
    return [s for s in plan.sets if s.block == block and s.state == "proposed"]


def place(one: PlannedSetOut, by_h: float = 0.0) -> PlaceIn:
    return PlaceIn(key=one.key, start=datetime.fromisoformat(one.start) + timedelta(hours=by_h))


def approve_of(plan: PlanContent, *blocks: str) -> PlanContent:
    sets = [place(s) for s in plan.sets if s.block in blocks and s.state == "proposed"]
    return approve(ApproveIn(plan=plan.id, sets=sets, days=2))


def kept(block: str) -> list[Any]:
    return [p for p in planned_sets(ZONE) if p.part.block == block and p.live and p.state == "approved"]


def test_what_is_approved_is_kept_as_it_was_shown_and_not_asked_for_again(plan: PlanContent) -> None:
    [shown] = proposed(plan, "norte-1")
    after = approve_of(plan, "norte-1")
    [one] = kept("norte-1")
    assert (one.part.start.isoformat(timespec="minutes"), one.part.valve) == (shown.start, "N1")
    assert one.volume_m3 == pytest.approx(shown.volume_m3) and one.part.gross_mm == pytest.approx(shown.volume_m3 / 180)
    assert proposed(after, "norte-1") == [] and [s.state for s in after.sets if s.block == "norte-1"] == ["approved"]


def test_half_a_block_approved_leaves_the_other_half_asked_for(plan: PlanContent) -> None:
    first = min(proposed(plan, "bajo"), key=lambda s: s.start)
    after = approve(ApproveIn(plan=plan.id, sets=[place(first)], days=2))
    left = [s for s in proposed(after, "bajo")]
    assert [s.shift for s in kept_parts("bajo")] == [first.shift]
    shown = next(s for s in after.sets if s.block == "bajo" and s.state == "approved")
    assert (shown.net_mm, shown.gross_mm) == (pytest.approx(first.net_mm), pytest.approx(first.gross_mm))
    assert first.shift in {"west half", "east half"} and any(s.shift != first.shift for s in left)


def kept_parts(block: str) -> list[Any]:
    return [p.part for p in kept(block)]


def test_a_plan_that_changed_since_is_refused_and_nothing_kept(plan: PlanContent) -> None:
    approve_of(plan, "norte-1")
    with pytest.raises(Conflict, match="has changed since"):
        approve_of(plan, "bajo")
    assert kept("bajo") == []


def test_two_managers_at_once_keep_a_set_once(plan: PlanContent) -> None:
    approve_of(plan, "norte-1")
    with pytest.raises(Conflict):
        approve_of(plan, "norte-1")
    assert len(kept("norte-1")) == 1


def test_a_moved_set_is_checked_and_what_breaks_is_named(plan: PlanContent) -> None:
    east = proposed(plan, "bajo")[0]
    norte = proposed(plan, "norte-1")[0]
    together = PlaceIn(key=norte.key, start=place(east).start)
    found = check(DraftIn(plan=plan.id, sets=[place(east), together]))
    assert {b.code for b in found.breaks} & {"breaks.flow"} and "north well is short of" in found.breaks[0].words
    assert check(DraftIn(plan=plan.id, sets=[place(east)])).breaks == []
    with pytest.raises(Conflict, match="north well"):
        approve(ApproveIn(plan=plan.id, sets=[place(east), together], days=2))
    assert kept("bajo") == [] and kept("norte-1") == []


def test_a_set_by_hand_moved_to_the_night_finds_nobody(plan: PlanContent) -> None:
    [ladera] = [s for s in proposed(plan, "ladera")][:1]
    midnight = datetime.fromisoformat(plan.start).replace(hour=23, minute=30)
    found = check(DraftIn(plan=plan.id, sets=[PlaceIn(key=ladera.key, start=midnight)]))
    assert "breaks.nobody" in {b.code for b in found.breaks}


def test_a_plan_nobody_knows_any_more_is_to_be_made_again(plan: PlanContent) -> None:
    with pytest.raises(Conflict, match="look at it again"):
        check(DraftIn(plan="f" * 16, sets=[]))
    with pytest.raises(Conflict, match="not in this plan"):
        check(DraftIn(plan=plan.id, sets=[PlaceIn(key="x", start=datetime.fromisoformat(plan.start))]))


def test_moving_locking_and_taking_back(plan: PlanContent) -> None:
    approve_of(plan, "norte-1")
    [one] = kept("norte-1")
    change(one.key, ChangeIn(start=one.part.start + timedelta(hours=1), sequence=0))
    [moved] = kept("norte-1")
    assert moved.start_at - one.start_at == 3600 and moved.part.sequence == 1
    with pytest.raises(Conflict, match="somebody has moved"):
        change(one.key, ChangeIn(start=one.part.start, sequence=0))
    change(one.key, ChangeIn(locked=True))
    with pytest.raises(Conflict, match="unlock"):
        change(one.key, ChangeIn(start=one.part.start))
    change(one.key, ChangeIn(withdraw=True, note="rain"))
    assert kept("norte-1") == []
    with pytest.raises(NotFound, match="nothing to change"):
        change(one.key, ChangeIn(locked=False))


def test_a_set_is_not_moved_into_the_past_or_onto_another(plan: PlanContent) -> None:
    approve_of(plan, "norte-1", "bajo")
    one, other = kept("norte-1")[0], kept("bajo")[0]
    with pytest.raises(Conflict, match="past"):
        change(one.key, ChangeIn(start=datetime.fromisoformat(plan.start) - timedelta(hours=1)))
    with pytest.raises(Conflict, match=r"north well is short|gives"):
        change(one.key, ChangeIn(start=other.part.start))
    assert kept("norte-1")[0].start_at == one.start_at


def test_as_of_before_the_approval_it_is_not_known(plan: PlanContent) -> None:
    approve_of(plan, "norte-1")
    past = plan_content("2026-07-14T05:30", 2, quick=True)
    assert {s.state for s in past.sets if s.block == "norte-1" and s.start > "2026-07-14T06"} <= {"proposed"}


class TestCalendar:
    def events(self) -> dict[str, Any]:
        found = Calendar.from_ical(calendar.calendar_text())
        return {str(e["uid"]): e for e in found.walk("VEVENT")}

    @pytest.mark.published(
        source="RFC 5545, 3.8.4.7 UID, 3.8.7.4 SEQUENCE, 3.8.1.11 STATUS: read back by its own parser"
    )
    def test_a_set_keeps_its_uid_and_its_sequence_grows(self, plan: PlanContent) -> None:
        approve_of(plan, "norte-1")
        [one] = kept("norte-1")
        uid = f"{one.key}@embalse"
        first = self.events()[uid]
        assert (int(first["sequence"]), str(first["status"]), str(first["location"])) == (0, "CONFIRMED", "valve N1")
        assert first.decoded("dtstart").timestamp() == one.start_at and first.decoded("dtend").timestamp() == one.end_at
        change(one.key, ChangeIn(start=one.part.start + timedelta(minutes=30)))
        assert int(self.events()[uid]["sequence"]) == 1
        change(one.key, ChangeIn(withdraw=True))
        gone = self.events()[uid]
        assert (int(gone["sequence"]), str(gone["status"])) == (2, "CANCELLED")

    def test_lines_are_folded_and_end_as_they_must(self, plan: PlanContent) -> None:
        approve_of(plan, "norte-1")
        text = calendar.calendar_text()
        assert text.startswith(b"BEGIN:VCALENDAR\r\n") and all(len(line) <= 75 for line in text.split(b"\r\n"))

    def test_a_feed_opens_by_its_address_until_it_is_revoked(self, plan: PlanContent) -> None:
        made = calendar.make_feed("Inés' phone")
        token = made.path.rsplit("/", 1)[1].removesuffix(".ics")
        assert calendar.feed_text(token).startswith(b"BEGIN:VCALENDAR") and calendar.feeds()[0].path == ""
        calendar.revoke_feed(made.id)
        with pytest.raises(NotFound, match="revoked"):
            calendar.feed_text(token)
        with pytest.raises(NotFound):
            calendar.revoke_feed(made.id)


class TestGroups:
    def test_blocks_one_after_another_a_minute_apart(self, plan: PlanContent) -> None:
        found = groups.lay(groups.LayIn(group="almonds", day="2026-07-14"))  # type: ignore[arg-type]
        first, second = found.sets
        assert not found.kept and kept("norte-1") == []
        gap = datetime.fromisoformat(second.start) - datetime.fromisoformat(first.end)
        assert gap == timedelta(minutes=1) and [s.breaks for s in found.sets] == [[], []]
        assert first.gross_mm == pytest.approx(first.volume_m3 / 180)

    def test_laid_again_and_kept_under_its_name(self, plan: PlanContent) -> None:
        groups.lay(groups.LayIn(group="almonds", day="2026-07-14", approve=True))  # type: ignore[arg-type]
        assert [p.part.group for p in kept("norte-1") + kept("norte-2")] == ["Almonds by the north well"] * 2
        with pytest.raises(Conflict, match="north well gives 15"):
            groups.lay(groups.LayIn(group="almonds", day="2026-07-14", approve=True))  # type: ignore[arg-type]
        assert len(kept("norte-1")) == 1

    def test_by_depth_and_what_cannot_be(self, plan: PlanContent) -> None:
        part = SetGroupPart(key="deep", name="Deep", blocks=["norte-1"], start="21:00", gross_mm=14.15, note="")
        apply_document(FarmDocument(embalse=1, set_groups=[part]))
        [one] = groups.lay(groups.LayIn(group="deep", day="2026-07-14")).sets  # type: ignore[arg-type]
        assert one.gross_mm == pytest.approx(14.15, abs=0.1)
        part = SetGroupPart(key="vega", name="Vega", blocks=["vega"], start="21:00", minutes=60.0, note="")
        apply_document(FarmDocument(embalse=1, set_groups=[part]))
        with pytest.raises(CoreError, match="in moves or turns"):
            groups.lay(groups.LayIn(group="vega", day="2026-07-14"))  # type: ignore[arg-type]
        with pytest.raises(NotFound):
            groups.lay(groups.LayIn(group="none", day="2026-07-14"))  # type: ignore[arg-type]


def refused(**lists: list[dict[str, Any]]) -> tuple[str, str]:
    with pytest.raises(DocumentErrors) as found:
        apply_document(parse_document(json.dumps({"embalse": 1, **lists})))
    return found.value.errors[0].path, found.value.errors[0].reason


HEAD = {"key": "r", "supply": "pozo", "valid_from": "2026-07-14"}
NIGHT = {"start": "22:00", "end": "06:00", "price": 0.1, "name": "night"}


@pytest.mark.parametrize(
    ("rules", "path", "why"),
    [
        ({"tariffs": [NIGHT, {"start": "05:00", "end": "07:00", "price": 0.2, "name": "dawn"}]}, "tariffs[1]", "hold at the same time"),
        ({"kind": "well"}, "flow_m3_h", "a well has a greatest flow"),
        ({"flow_m3_h": 50.0, "least_flow_m3_h": 60.0}, "least_flow_m3_h", "not be above"),
        ({"turns": [{"start": "2026-07-14T06:00", "end": "2026-07-14T05:00"}]}, "turns[0].end", "after the start"),
        ({"turns": [{"start": "2026-07-14T06:00", "end": "2026-07-15T06:00"}, {"start": "2026-07-15T05:00", "end": "2026-07-16T06:00"}]}, "turns", "overlap"),
        ({"energy": {"lift_m": 40.0}}, "energy.kwh_m3", "give kwh_m3"),
        ({"season": {"volume_m3": 1.0, "first": "2026-07-01", "last": "2026-07-01"}}, "season.last", "after the first"),
        ({"supply": "nowhere"}, "supply", "there is no supply"),
    ],
)  # fmt: skip
def test_water_rules_that_cannot_be_are_refused_on_their_field(
    demo: Settings, rules: dict[str, Any], path: str, why: str
) -> None:
    found, reason = refused(water_rules=[{**HEAD, **rules}])
    assert found == f"water_rules[0].{path}" and why in reason


@pytest.mark.parametrize(("area", "fits"), [(17.1, True), (18.9, True), (17.0, False), (19.0, False)])
def test_shifts_cover_their_block_within_a_twentieth(demo: Settings, area: float, fits: bool) -> None:
    part = {"key": "p", "block": "norte-1", "valid_from": "2026-07-14", "shifts": [{"name": "all", "area_ha": area}]}
    if fits:
        assert (
            apply_document(parse_document(json.dumps({"embalse": 1, "block_shifts": [part]}))).created["block_shifts"]
            == 1
        )
    else:
        path, reason = refused(block_shifts=[part])
        assert path == "block_shifts[0].shifts" and "Norte 1 has 18.0 ha" in reason


def test_a_supply_is_armed_only_with_the_cautions_read(demo: Settings) -> None:
    from embalse.services.planning.arming import arm, armed

    now = 1784000000 * 2
    with pytest.raises(DocumentErrors):
        arm("pozo", True, False)
    assert not armed("pozo", now, ZONE)
    arm("pozo", True, True)
    arm("pozo", False, False)
    assert not armed("pozo", now, ZONE)
    arm("pozo", True, True)
    assert armed("pozo", now, ZONE)
    with pytest.raises(NotFound, match="opened by hand"):
        arm("balsa", True, True)


def test_the_water_side_goes_out_and_in_again_unchanged(demo: Settings) -> None:
    before = farm_document(with_photos=False)
    kinds = ("water_rules", "block_shifts", "work_hours", "set_groups", "planned_sets", "set_evidence")
    assert all(before[kind] for kind in kinds)
    report = apply_document(parse_document(json.dumps(before)))
    assert not [kind for kind in report.kinds() if kind in kinds]


def test_the_water_page_says_what_water_costs_and_what_is_left(demo: Settings) -> None:
    [well] = [s for s in water_content().supplies if s.key == "pozo"]
    assert well.kwh_m3 == pytest.approx(9.80665 * 1000 * (62 + 2.4e5 / 9806.65) / 0.66 / 3.6e6)
    assert well.price_low == pytest.approx(0.09 * well.kwh_m3) and well.price_high == pytest.approx(0.24 * well.kwh_m3)
    assert well.left_m3 is not None and 0 < well.left_m3 < 480_000 and well.blocks == ["norte-1", "norte-2", "bajo"]


def test_tables_are_safe_for_a_spreadsheet(demo: Settings) -> None:
    rows = plan_table.sets_csv(None).splitlines()
    assert rows[0].startswith("key,state,supply") and any("cut short" in row for row in rows)
    assert not any(cell.startswith(("=", "+", "@")) for row in rows for cell in row.split(","))
    assert "flow [m³/h]" in plan_table.plan_csv(None, 1).splitlines()[0]


def test_records_of_approvals_say_who(plan: PlanContent) -> None:
    approve_of(plan, "norte-1")
    bodies = [json.loads(r.body) for r in record_store.records("planned_sets", "norte-1")]
    assert bodies[-1]["events"][0]["state"] == "approved" and approving.ApproveIn.model_fields["days"].default == 3
