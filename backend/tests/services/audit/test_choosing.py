"""What the audit offers is picked, dated, and known from then on; what explains a miss once is not corrected twice."""

import json
from datetime import date

import pytest
from peewee import OperationalError

from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.advice.mornings import Mornings, lacking_mornings
from embalse.services.audit import choosing
from embalse.services.audit.block_audit import audit_content
from embalse.services.audit.choosing import AuditRulesIn, PickIn, apply_corrections, pick, set_audit_rules
from embalse.services.document.export import farm_document
from embalse.services.load import clock
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.services.setup import overrides
from embalse.store import changes
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound
from tests.conftest import put

DAY = 86400


def advised(block: str, moment: str | None = None) -> tuple[float, dict[str, float]]:
    [one] = [b for b in round_content(moment, None, True).blocks if b.key == block]
    assert one.advised is not None
    return one.advised.net_mm, {line.key: line.value or 0.0 for line in one.working}


def test_a_dose_is_offered_and_changes_nothing_until_it_is_picked(demo: Settings) -> None:
    before, lines = advised("norte-2")
    offered = audit_content("norte-2").dose
    assert 0.85 <= offered.factor < 0.9 and offered.in_force == 1.0 and "dose" not in lines
    assert offered.by_water is not None and offered.by_water < -0.1
    assert offered.corrected_net_mm == pytest.approx((offered.advised_net_mm or 0) * offered.factor)
    found = pick("norte-2", PickIn(what="dose"))
    assert found.dose.in_force == pytest.approx(offered.factor)
    after, lines = advised("norte-2")
    assert after == pytest.approx(before * offered.factor, rel=1e-6)
    assert lines["dose"] == pytest.approx(offered.factor)


def test_an_answer_as_of_before_stays_as_it_was(demo: Settings) -> None:
    past = advised("norte-2", "2026-07-14T05:00")
    pick("norte-2", PickIn(what="dose"))
    assert advised("norte-2", "2026-07-14T05:00") == past
    assert audit_content("norte-2", "2026-07-14T05:00").dose.in_force == 1.0


def test_it_is_withdrawn_and_not_deleted_and_stands_among_the_changes(demo: Settings) -> None:
    plain, _ = advised("norte-2")
    pick("norte-2", PickIn(what="dose"))
    pick("norte-2", PickIn(what="dose"))
    assert pick("norte-2", PickIn(what="dose", drop=True)).dose.in_force == 1.0
    assert advised("norte-2")[0] == plain
    kept = [json.loads(r.body) for r in record_store.records("set_choices", "norte-2")]
    assert len(kept) == 2 and all(k["withdrawn"] for k in kept)
    assert any(c.kind == "set_choices" for c in changes.changes(20))
    with pytest.raises(Conflict):
        pick("norte-2", PickIn(what="dose", drop=True))


def test_where_nothing_is_offered_nothing_is_picked(demo: Settings) -> None:
    with pytest.raises(Conflict):
        pick("olivar", PickIn(what="dose"))
    with pytest.raises(Conflict):
        pick("vega", PickIn(what="efficiency"))
    with pytest.raises(NotFound):
        pick("nowhere", PickIn(what="dose"))


@pytest.mark.parametrize("what", ["efficiency", "wetted"])
def test_a_learned_share_is_picked_and_the_same_miss_is_not_corrected_again(demo: Settings, what: str) -> None:
    """Set-up expects more than comes: one pick explains it, and then the dose is left alone."""
    _expects_more("norte-1")
    told = audit_content("norte-1")
    assert told.received is not None and told.received.differs and told.dose.factor > 1.1
    found = pick("norte-1", PickIn(what=what))  # type: ignore[arg-type]
    assert found.received is not None and not found.received.differs
    assert found.received.share == pytest.approx(1.0, abs=0.02)
    assert abs(found.dose.factor - 1) < 0.03 and found.picked == [what]
    again = pick("norte-1", PickIn(what=what, drop=True))  # type: ignore[arg-type]
    assert again.dose.factor == pytest.approx(told.dose.factor) and not again.picked


def test_the_other_explanation_goes_where_one_is_picked(demo: Settings) -> None:
    _expects_more("norte-1")
    pick("norte-1", PickIn(what="dose"))
    pick("norte-1", PickIn(what="efficiency"))
    found = audit_content("norte-1")
    assert found.dose.in_force == 1.0 and found.picked == ["efficiency"]


def test_applied_by_the_managers_choice_each_morning_and_by_no_other(demo: Settings) -> None:
    assert apply_corrections() == 0
    rules = set_audit_rules("norte-2", AuditRulesIn(mode="applied", most_share=0.05))
    assert rules.dose.mode == "applied" and rules.dose.factor == 0.95
    assert apply_corrections() == 1 and audit_content("norte-2").dose.in_force == 0.95
    assert apply_corrections() == 0  # nothing moved since
    set_audit_rules("norte-2", AuditRulesIn())
    assert audit_content("norte-2").dose.mode == "offered"


@pytest.mark.parametrize(
    "trouble",
    [
        Conflict("block", "odd"),
        DocumentErrors([PathError(path="note", reason="odd")]),
        OperationalError("disk is full"),
    ],
)
def test_a_block_whose_audit_fails_holds_no_other_up(
    demo: Settings, monkeypatch: pytest.MonkeyPatch, trouble: Exception
) -> None:
    for block in ("bajo", "norte-2"):
        set_audit_rules(block, AuditRulesIn(mode="applied"))
    field_at = choosing.field_at

    def broken(key: str, *more: object) -> object:
        if key == "bajo":
            raise trouble
        return field_at(key, *more)  # type: ignore[arg-type]

    monkeypatch.setattr(choosing, "field_at", broken)
    assert apply_corrections() == 1


def test_the_morning_applies_before_it_keeps_its_answers(demo: Settings) -> None:
    done: list[int] = []
    Mornings(first=lambda: done.append(1))._keep()
    assert done == []  # every morning is kept already
    with transaction():
        farm_store.hold_clock(clock.farm_now(clock.the_farm()) + DAY)
    Mornings(first=lambda: done.append(1))._keep()
    assert done == [1] and lacking_mornings() == []


def test_trouble_with_corrections_keeps_no_morning_from_being_kept(demo: Settings) -> None:
    def troubled() -> None:
        raise Conflict("farm", "odd")

    with transaction():
        farm_store.hold_clock(clock.farm_now(clock.the_farm()) + DAY)
    assert lacking_mornings()
    Mornings(first=troubled)._keep()
    assert lacking_mornings() == []


def _expects_more(block: str) -> None:
    """Set-up that expects more of each set in the soil the probes stand in than comes: kept whole, on a small strip."""
    document = farm_document()
    land = next(b for b in document["blocks"] if b["key"] == block)
    system = next(s for s in document["systems"] if s["key"] == land["system"])
    own = {**system, "key": "strip", "name": "strip", "efficiency_fraction": 1.0}
    put({"embalse": 1, "systems": [own], "blocks": [{**land, "system": "strip", "wetted_fraction": 0.5}]})


def test_an_amount_a_person_named_is_not_corrected(demo: Settings) -> None:
    pick("norte-2", PickIn(what="dose"))
    order = overrides.OrderIn(action="water", until=date(2026, 7, 16), net_mm=12.0, note="leaching before the heat")
    overrides.give_order("norte-2", order)
    assert advised("norte-2")[0] == pytest.approx(12.0)
