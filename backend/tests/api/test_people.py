"""Doors: who gets in, with what, and what each may do there."""

import json
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient

from embalse.api.limits import limiter
from embalse.api.signing import ASKS_FOR, DEVICES, OPEN, cookie_name
from embalse.app import create_app
from embalse.config import Settings
from embalse.core.access.roles import LEAST_ROLE, Role
from embalse.services.admin import people
from tests.web import Pages, client_of, pages_of

GOOD = "three brown hens"


@pytest.fixture(autouse=True)
def fresh_limits(settings: Settings) -> None:
    create_app(settings)
    limiter.reset()


@pytest.fixture
def door(farm: Settings) -> Pages:
    """Pages of a farm nobody has signed in to yet; the owner's code is 'code'."""
    return pages_of(create_app(farm, "code"))


def sign_in(client: Pages, name: str, password: str = GOOD) -> Any:
    answer = client.post("/api/session", json={"sign_in": name, "password": password})
    if answer.status_code == 200:
        client.token = answer.json["csrf_token"]
    return answer


def test_every_operation_that_writes_says_what_it_asks_for(farm: Settings) -> None:
    app = create_app(farm)
    writing = {
        rule.endpoint
        for rule in app.url_map.iter_rules()
        if rule.rule.startswith("/api/") and (rule.methods or set()) - {"GET", "HEAD", "OPTIONS"}
    }
    assert writing == set(ASKS_FOR) | (OPEN - {"people.session_", "planning.feed", "watching.health"}) | DEVICES
    assert set(ASKS_FOR.values()) <= set(LEAST_ROLE)


def test_nothing_is_shown_to_nobody(door: Pages) -> None:
    paths = ["/api/farm", "/api/round", "/api/stations", "/api/people", "/api/changes", "/api/farm/document"]
    assert [door.get(path).status_code for path in paths] == [401] * len(paths)
    assert door.post("/api/farm", json={"embalse": 1}).status_code == 401
    assert door.get("/openapi.json").status_code == 200
    session = door.get("/api/session").json
    assert (session["first_run"], session["person"], session["may"]) == (True, None, [])


def test_the_first_owner_needs_the_code_of_the_server(door: Pages) -> None:
    body = {"code": "guess", "sign_in": "ana", "name": "Ana", "password": GOOD}
    assert door.post("/api/people/first", json=body).status_code == 401
    weak = door.post("/api/people/first", json={**body, "code": "code", "password": "short"})
    assert weak.status_code == 422 and weak.json["errors"][0]["path"] == "password"
    made = door.post("/api/people/first", json={**body, "code": "code"})
    assert made.json["person"]["role"] == "owner" and "people" in made.json["may"]
    door.token = made.json["csrf_token"]
    assert door.get("/api/round").status_code == 200
    assert door.post("/api/people/first", json={**body, "code": "code", "sign_in": "eva"}).status_code == 409


def test_signing_in_and_out(door: Pages, farm: Settings) -> None:
    people.first_owner("ana", "Ana", GOOD)
    assert sign_in(door, "ana", "wrong words here").json["errors"][0]["path"] == "sign_in"
    answer = sign_in(door, "Ana")
    cookie = answer.headers["Set-Cookie"]
    assert "HttpOnly" in cookie and "SameSite=Lax" in cookie and "Secure" not in cookie
    assert answer.headers["Cache-Control"] == "no-store"
    other = pages_of(create_app(farm))
    sign_in(other, "ana")
    assert door.get("/api/farm").status_code == other.get("/api/farm").status_code == 200
    out = door.delete("/api/session")
    assert out.json["person"] is None and door.get("/api/farm").status_code == 401
    assert other.get("/api/farm").status_code == 200
    changed = other.patch("/api/session", json={"old_password": GOOD, "password": "four brown hens", "units": "us"})
    assert changed.status_code == 200 and other.get("/api/farm").json["units"] == "us"
    assert other.get("/api/farm").json["farm_units"] == "metric"


def test_everybody_reads_in_their_own_language(door: Pages, farm: Settings) -> None:
    people.first_owner("ana", "Ana", GOOD)
    sign_in(door, "ana")
    made = people.invite(people.NewPerson(sign_in="bo", name="Bo", role="manager"))
    other = pages_of(create_app(farm))
    other.post("/api/invitations", json={"code": made.code, "password": GOOD})
    english = other.get("/api/round").json["sentence"]
    assert door.get("/api/round").json["sentence"] == english
    assert door.patch("/api/session", json={"language": "es"}).json["person"]["language"] == "es"
    spanish = door.get("/api/round").json["sentence"]
    assert "parcela" in spanish and "parcela" not in english
    assert other.get("/api/round").json["sentence"] == english, "what is kept for one is not shown to another"
    door.renew()
    assert door.patch("/api/session", json={"language": "xx"}).status_code == 200
    door.renew()
    wrong = door.patch("/api/session", json={"old_password": "nothing like it", "password": "four brown hens"})
    assert wrong.json["errors"][0]["reason"] == "«this» «is» «not» «the» «password» «in» «force»"
    empty = door.post("/api/ground", json={"kind": "soils", "text": "soil\n"})
    assert empty.json["errors"] == [{"path": "file", "reason": "«nothing» «is» «in» «it»"}]
    assert door.patch("/api/session", json={"language": "la"}).status_code == 422
    assert door.get("/api/session").json["person"]["language"] == "xx"


def test_a_session_ends_when_its_person_leaves(door: Pages) -> None:
    people.first_owner("ana", "Ana", GOOD)
    made = people.invite(people.NewPerson(sign_in="bo", name="Bo", role="manager"))
    accepted = door.post("/api/invitations", json={"code": made.code, "password": GOOD})
    assert accepted.json["person"]["name"] == "Bo" and door.get("/api/farm").status_code == 200
    people.change_person(made.person.id, people.PersonChange(left=True))
    assert door.get("/api/farm").status_code == 401
    people.change_person(made.person.id, people.PersonChange(left=False))
    assert door.get("/api/farm").status_code == 401, "coming back opens no session of before"


def test_behind_tls_cookies_are_for_tls_only(farm: Settings) -> None:
    people.first_owner("ana", "Ana", GOOD)
    app = create_app(Settings(data=farm.data, behind_tls=True, public_name="farm.example"))
    client = app.test_client()
    client.environ_base.update(  # what the proxy says of the browser's side
        {
            "HTTP_X_FORWARDED_PROTO": "https",
            "HTTP_X_FORWARDED_HOST": "farm.example",
            "HTTP_X_FORWARDED_FOR": "192.0.2.7",
        }
    )
    token = client.get("/api/session").json["csrf_token"]
    answer = client.post("/api/session", json={"sign_in": "ana", "password": GOOD}, headers={"X-CSRF-Token": token})
    assert "Secure" in answer.headers["Set-Cookie"] and "max-age" in answer.headers["Strict-Transport-Security"]


@pytest.mark.parametrize("token", ["", "made-up"])
def test_a_write_without_the_pages_token_is_refused(farm: Settings, token: str) -> None:
    client = client_of(farm)
    client.token = token
    writes = [
        client.post("/api/farm", json={"embalse": 1}),
        client.post("/api/blocks/one/sets", json={"start": "2026-07-13T20:00", "hours": 5, "gross_mm": 11}),
        client.delete("/api/gateways/probe"),
        client.patch("/api/session", json={"name": "X"}),
        client.post("/api/session", json={"sign_in": "ana", "password": GOOD}),
    ]
    assert [(w.status_code, "CSRF" in w.json["errors"][0]["reason"]) for w in writes] == [(400, True)] * 5
    assert client.get("/api/blocks/one").json["sets"] == []


def test_a_page_that_points_its_own_name_here_is_refused(farm: Settings) -> None:
    client = client_of(farm)
    assert client.get("/api/farm", headers={"Host": "evil.example"}).status_code == 400
    assert client.get("/api/farm", headers={"Host": "127.0.0.1:8470"}).status_code == 200


def test_the_demonstration_signs_in_by_itself_from_this_machine_only(demo: Settings) -> None:
    client = create_app(demo).test_client()
    assert client.get("/api/session").json["person"]["name"] == "Demo manager"
    elsewhere = create_app(demo).test_client()
    away = {"REMOTE_ADDR": "192.0.2.7"}
    assert elsewhere.get("/api/session", environ_base=away).json["person"] is None
    assert elsewhere.get("/api/round", environ_base=away).status_code == 401
    through = create_app(demo).test_client()
    assert through.get("/api/round", headers={"X-Forwarded-For": "192.0.2.7"}).status_code == 401


ADD_A_SYSTEM = (
    "/api/farm",
    {"embalse": 1, "systems": [{"key": "s", "kind": "drip", "efficiency_fraction": 0.9, "rate_mm_h": 2}]},
)
ADD_A_SOIL = (
    "/api/farm",
    {"embalse": 1, "soils": [{"key": "s", "horizons": [{"top_cm": 0, "bottom_cm": 90, "texture": "loam"}]}]},
)
LOG_A_SET = ("/api/blocks/one/sets", {"start": "2026-07-13T20:00", "hours": 5.5, "gross_mm": 11})
MAKE_A_GATEWAY = ("/api/gateways", {"key": "g"})
INVITE = ("/api/people", {"sign_in": "bo", "name": "Bo", "role": "viewer"})
RISING: list[tuple[Role, tuple[str, dict[str, Any]]]] = [
    ("field hand", LOG_A_SET),
    ("agronomist", ADD_A_SOIL),
    ("manager", ADD_A_SYSTEM),
    ("manager", MAKE_A_GATEWAY),
    ("owner", INVITE),
]


@pytest.mark.parametrize("role", ["viewer", "field hand", "agronomist", "manager", "owner"])
def test_what_each_role_may_do(farm: Settings, role: Role) -> None:
    client = client_of(farm, role)
    order = ["viewer", "field hand", "agronomist", "manager", "owner"]
    wanted = [200 if order.index(role) >= order.index(least) else 403 for least, _ in RISING]
    assert [client.post(path, json=body).status_code for _, (path, body) in RISING] == wanted
    assert client.get("/api/round").status_code == 200


def test_a_document_is_refused_whole_when_one_of_its_parts_is_not_allowed(farm: Settings) -> None:
    client = client_of(farm, "field hand")
    body = {"embalse": 1, "rain": [{"day": "2026-07-01", "depth_mm": 3}], **ADD_A_SOIL[1]}
    answer = client.post("/api/farm", json=body)
    assert answer.status_code == 403 and "agronomist" in answer.json["errors"][0]["reason"]
    assert client.get("/api/farm/document").json["rain"] == []
    allowed = client.post("/api/farm", json={"embalse": 1, "rain": [{"day": "2026-07-01", "depth_mm": 3}]})
    assert allowed.json["created"] == {"rain": 1}
    line = client.get("/api/changes?who=Tester").json["changes"][0]
    assert (line["who"], line["role"], line["kind"]) == ("Tester", "field hand", "rain")


def test_nobody_is_invited_or_renamed_to_be_taken_for_the_owner(farm: Settings) -> None:
    client = client_of(farm, "owner")
    name = client.get("/api/session").json["person"]["name"]
    bo = client.post("/api/people", json=INVITE[1]).json["person"]
    for wanted in (name.upper(), name.replace("e", "é"), f"{name}.", "Bo (owner)", "Embalse itself"):
        invited = client.post("/api/people", json={"sign_in": "eve", "name": wanted, "role": "viewer"})
        renamed = client.patch(f"/api/people/{bo['id']}", json={"name": wanted})
        for answer in (invited, renamed):
            assert answer.status_code == 422 and answer.json["errors"][0]["path"] == "name", wanted
    assert [p["name"] for p in client.get("/api/people").json["people"]] == [name, "Bo"]
    assert client.patch(f"/api/people/{bo['id']}", json={"name": "Bo Lanza"}).json["name"] == "Bo Lanza"
    own = client.patch("/api/session", json={"name": "BO LANZA"})
    assert own.status_code == 422 and own.json["errors"][0]["path"] == "name"


def test_a_field_hand_notes_a_channel_check_and_no_more(farm: Settings) -> None:
    client = client_of(farm, "field hand")
    check = {"key": "c1", "station": "one/a", "at": "2026-07-10T08:00",
             "touches": [{"sensor": "10", "before": {"10": 0.2, "30": 0.2}, "after": {"10": 0.2, "30": 0.3}},
                         {"sensor": "30", "before": {"10": 0.2, "30": 0.2}, "after": {"10": 0.3, "30": 0.2}}]}  # fmt: skip
    noted = client.post("/api/farm", json={"embalse": 1, "channel_checks": [check]})
    assert noted.status_code == 200, noted.json
    assert client.post("/api/channel-checks/c1/swap", json={"with_readings": True}).status_code == 403
    day = {"day": "2026-07-01", "eto_mm": 5.0}
    assert client.post("/api/farm", json={"embalse": 1, "eto": [day]}).status_code == 403
    assert client.post("/api/weather", json={"table": "day,eto_mm\n2026-07-01,5\n"}).status_code == 403


def test_guessing_a_password_is_slowed_down(door: Pages) -> None:
    people.first_owner("ana", "Ana", GOOD)
    tries = [sign_in(door, "ana", f"guess number {n}").status_code for n in range(11)]
    assert tries == [401] * 10 + [429]
    assert sign_in(door, "ana").status_code == 429
    refused = door.post("/api/session", json={"sign_in": "ana", "password": GOOD})
    assert "wait" in refused.json["errors"][0]["reason"] and int(refused.headers["Retry-After"]) > 0
    codes = [door.post("/api/invitations", json={"code": f"c{n}", "password": GOOD}).status_code for n in range(41)]
    assert set(codes[:40]) == {404} and codes[40] == 429


def test_signing_in_rightly_is_not_counted(door: Pages) -> None:
    people.first_owner("ana", "Ana", GOOD)
    assert [sign_in(door, "ana").status_code for _ in range(12)] == [200] * 12


def test_the_policy_lets_no_inline_script_run(farm: Settings, tmp_path: Path) -> None:
    built = Path(farm.front_end) / "index.html"
    policy = create_app(farm).test_client().get("/").headers["Content-Security-Policy"]
    assert "unsafe-inline" not in policy and "unsafe-eval" not in policy and policy.startswith("default-src 'self'")
    if built.exists():
        assert "<script>" not in built.read_text()


def test_cookies_signed_with_another_key_open_nothing(farm: Settings) -> None:
    client = client_of(farm)
    cookie = client.get_cookie(cookie_name(farm))
    assert cookie is not None
    people_door: FlaskClient = create_app(farm).test_client()
    people.change_person(1, people.PersonChange(name="Still here"))
    people_door.set_cookie(cookie_name(farm), cookie.value[:-4] + "abcd")
    away = {"REMOTE_ADDR": "192.0.2.7"}
    assert people_door.get("/api/farm", environ_base=away).status_code == 401
    people_door.set_cookie(cookie_name(farm), cookie.value)
    assert people_door.get("/api/farm", environ_base=away).status_code == 200


def test_two_farms_on_one_machine_do_not_share_a_session(farm: Settings) -> None:
    assert cookie_name(farm) != cookie_name(Settings(data=farm.data, port=8471))
    other = pages_of(create_app(Settings(data=farm.data, port=8471)))
    other.set_cookie(cookie_name(farm), client_of(farm).get_cookie(cookie_name(farm)).value)  # type: ignore[union-attr]
    away = {"REMOTE_ADDR": "192.0.2.7"}
    assert other.get("/api/farm", environ_base=away).status_code == 401


def test_a_copy_of_a_cookie_opens_nothing_after_signing_out(door: Pages, farm: Settings) -> None:
    people.first_owner("ana", "Ana", GOOD)
    sign_in(door, "ana")
    stolen = door.get_cookie(cookie_name(farm))
    assert stolen is not None
    other = create_app(farm).test_client()
    other.set_cookie(cookie_name(farm), stolen.value)
    assert other.get("/api/farm").status_code == 200
    door.delete("/api/session")
    assert other.get("/api/farm").status_code == 401
    again = pages_of(create_app(farm))
    sign_in(again, "ana")
    assert again.get("/api/farm").status_code == 200, "a session of its own is not ended with it"


def test_strangers_who_guess_a_name_do_not_lock_its_owner_out(door: Pages, farm: Settings) -> None:
    people.first_owner("ana", "Ana", GOOD)
    for stranger in range(3):
        tries = [
            door.post(
                "/api/session", json={"sign_in": "ana", "password": f"guess number {n}"},
                environ_overrides={"REMOTE_ADDR": f"10.1.1.{stranger}"},
            ).status_code
            for n in range(11)
        ]  # fmt: skip
        assert tries[-1] == 429
    assert sign_in(door, "ana").status_code == 200


def test_a_name_within_json_within_json_is_counted_as_that_name(door: Pages) -> None:
    people.first_owner("ana", "Ana", GOOD)
    inner = json.dumps({"sign_in": "ana", "password": "guess after guess"})
    codes = [
        door.post("/api/session", data=json.dumps(inner), content_type="application/json").status_code
        for _ in range(11)
    ]
    plain = sign_in(door, "ana", "guess once more").status_code
    assert codes[-1] == 429 or set(codes) == {422}
    assert plain in (401, 429)
