"""People, their sessions' keys, and the trail of who changed what."""

import json
from typing import Any

import pytest

from embalse.config import Settings
from embalse.services.admin import change_log, people
from embalse.services.document.apply import apply_document
from embalse.services.document.deleting import delete, restore
from embalse.services.document.farm_document import FarmDocument
from embalse.store import changes
from embalse.store import people as store
from embalse.store.changes import Actor, acting
from embalse.store.errors import Conflict, NotFound, Unauthorized
from embalse.store.models import Person
from tests.conftest import CLOCK, put

GOOD = "three brown hens"


@pytest.fixture
def owner(farm: Settings) -> store.PersonRow:
    return people.first_owner("ana", "Ana", GOOD)


def lines(**where: Any) -> list[tuple[str, str, str, str, dict[str, Any], dict[str, Any]]]:
    return [
        (c.who, c.kind, c.subject, c.what, json.loads(c.before), json.loads(c.after))
        for c in changes.changes(50, **where)
    ]


def test_the_first_owner_is_made_once(owner: store.PersonRow) -> None:
    assert (owner.role, people.authenticate("ANA", GOOD).id) == ("owner", owner.id)
    with pytest.raises(Conflict):
        people.first_owner("eva", "Eva", GOOD)
    stored = Person.get_by_id(owner.id)
    assert GOOD not in stored.password_hash and stored.password_hash.startswith("$argon2id$")


@pytest.mark.parametrize(("name", "password"), [("ana", "three brown hen"), ("eva", GOOD), ("ana", "")])
def test_a_wrong_name_and_a_wrong_password_are_refused_in_the_same_words(
    owner: store.PersonRow, name: str, password: str
) -> None:
    with pytest.raises(Unauthorized, match="the name or the password is not right"):
        people.authenticate(name, password)


def test_an_invitation_works_once_until_it_lapses(owner: store.PersonRow, monkeypatch: pytest.MonkeyPatch) -> None:
    made = people.invite(people.NewPerson(sign_in="bo", name="Bo", role="agronomist"))
    assert made.person.state == "invited"
    with pytest.raises(Unauthorized):
        people.authenticate("bo", "")
    with pytest.raises(Conflict):
        people.invite(people.NewPerson(sign_in="BO", name="Other", role="viewer"))
    first, second = made.code, people.invite_again(made.person.id).code
    with pytest.raises(NotFound):
        people.accept_invitation(first, GOOD)
    assert people.accept_invitation(second, GOOD).name == "Bo"
    assert people.authenticate("bo", GOOD).role == "agronomist"
    with pytest.raises(NotFound):
        people.accept_invitation(second, "another three hens")
    third = people.invite_again(made.person.id).code
    later = people.times.now_utc() + 8 * people.DAY_S
    monkeypatch.setattr(people.times, "now_utc", lambda: later)
    with pytest.raises(NotFound):
        people.accept_invitation(third, GOOD)


def test_a_new_password_and_leaving_close_the_sessions(owner: store.PersonRow) -> None:
    made = people.invite(people.NewPerson(sign_in="bo", name="Bo", role="manager"))
    bo = people.accept_invitation(made.code, GOOD)
    assert people.signed_in(bo.id, bo.session_key) is not None
    with pytest.raises(Unauthorized):
        people.change_own(bo.id, people.OwnChange(password="four brown hens", old_password="wrong"))
    changed = people.change_own(bo.id, people.OwnChange(password="four brown hens", old_password=GOOD, units="us"))
    assert changed.units == "us" and people.signed_in(bo.id, bo.session_key) is None
    assert people.change_own(bo.id, people.OwnChange(farm_units=True)).units is None
    assert people.signed_in(bo.id, changed.session_key) is not None
    assert people.change_person(bo.id, people.PersonChange(left=True)).state == "left"
    assert people.signed_in(bo.id, store.person(bo.id).session_key) is None
    with pytest.raises(Unauthorized):
        people.authenticate("bo", "four brown hens")
    with pytest.raises(Conflict):
        people.invite_again(bo.id)
    assert people.change_person(bo.id, people.PersonChange(left=False)).state == "active"
    assert people.signed_in(bo.id, changed.session_key) is None, "coming back opens no session of before"


def test_a_farm_keeps_an_owner_who_can_sign_in(owner: store.PersonRow) -> None:
    made = people.invite(people.NewPerson(sign_in="bo", name="Bo", role="owner"))
    for wanted in (people.PersonChange(role="viewer"), people.PersonChange(left=True)):
        with pytest.raises(Conflict, match="needs an owner"):
            people.change_person(owner.id, wanted)
    people.accept_invitation(made.code, GOOD)
    assert people.change_person(owner.id, people.PersonChange(role="viewer")).role == "viewer"


def test_the_trail_tells_no_secret(owner: store.PersonRow) -> None:
    code = people.invite(people.NewPerson(sign_in="bo", name="Bo", role="viewer")).code
    people.accept_invitation(code, GOOD)
    text = json.dumps(lines())
    assert GOOD not in text and code not in text and "argon2" not in text and "session" not in text
    assert [line[3] for line in lines(about="bo")] == ["password set", "invited", "created"]


def test_every_kind_of_change_leaves_its_line(farm: Settings) -> None:
    with acting(Actor("Bo", "agronomist")):
        sensor = {"depth_cm": 30, "calibrations": [{"valid_from": "2026-03-01", "slope": 1, "intercept": 0.02}]}
        horizon = {"top_cm": 0, "bottom_cm": 120, "texture": "loam", "organic_matter_pct": 2.5}
        marked = {**horizon, "full_theta": 0.3, "full_reason": "drain-down"}
        document: dict[str, Any] = {
            "embalse": 1,
            "soils": [{"key": "loam", "horizons": [marked]}],
            "blocks": [{"key": "one", "soil": "loam", "area_ha": 10, "crop": "tomato", "root_depth_cm": 55,
                        "stations": [{"key": "a", "sensors": [sensor]}]}],
            "sets": [{"block": "one", "start": "2026-07-01T20:00", "hours": 4, "gross_mm": 8}],
            "devices": [{"key": "d1", "type": "capacitance probe"}],
        }  # fmt: skip
        put(document)
        put(document)
        delete("devices", "d1")
        restore("devices", "d1")
    found = [line for line in lines() if line[0] == "Bo"]
    assert [(kind, subject, what) for _, kind, subject, what, _, _ in found] == [
        ("devices", "d1", "brought back"),
        ("devices", "d1", "deleted"),
        ("devices", "d1", "created"),
        ("sets", "one", "created"),
        ("calibrations", "one/a/30", "created"),
        ("blocks", "one", "changed"),
        ("soils", "loam", "changed"),
    ]
    by_kind = {line[1]: line for line in found}
    assert by_kind["blocks"][4:] == ({"root_depth_cm": 60}, {"root_depth_cm": 55})
    assert by_kind["soils"][5] == {"horizon 1": {"full_theta": 0.3, "full_reason": "drain-down"}}
    assert by_kind["calibrations"][5]["intercept"] == 0.02
    assert {c.at for c in changes.changes(50, who="Bo")} == {CLOCK}


def test_nothing_of_a_refused_document_is_in_the_trail(farm: Settings, plain: dict[str, Any]) -> None:
    before = lines()

    def refuse(kinds: list[str]) -> None:
        assert kinds == ["blocks"]
        raise Conflict("blocks", "not you")

    plain["blocks"][0]["root_depth_cm"] = 50
    with pytest.raises(Conflict):
        apply_document(FarmDocument.model_validate(plain), refuse)
    assert lines() == before


def test_the_trail_is_shown_by_thing_person_and_page(farm: Settings) -> None:
    about = change_log.changes_content(None, "one/a", "")
    assert {c.subject for c in about.changes} == {"one/a", "one/a/10", "one/a/30", "one/a/50"}
    assert change_log.changes_content(None, "", "nobody").changes == []
    with acting(Actor("Bo", "field hand")):
        for day in range(1, 121):
            put({"embalse": 1, "rain": [{"day": f"2026-{1 + day // 28:02d}-{1 + day % 28:02d}", "depth_mm": day}]})
    first = change_log.changes_content(None, "", "Bo")
    assert len(first.changes) == change_log.PAGE and first.more
    rest = change_log.changes_content(first.changes[-1].id, "", "Bo")
    assert len(rest.changes) == 20 and not rest.more
    assert [v.after for v in rest.changes[-1].values if v.name == "depth_mm"] == ["1.0"]
