"""Sets, rain and reference ET that were wrong: deleted, brought back, with the trail; nothing is lost."""

from typing import Any
from urllib.parse import quote

import pytest
from flask.testing import FlaskClient

from embalse.config import Settings
from embalse.core.access.roles import Role
from embalse.services.document.export import farm_document as exported
from tests.conftest import put
from tests.web import client_of

GIVEN = {
    "sets": [{"block": "one", "start": "2026-07-10T21:00", "hours": 5, "gross_mm": 18, "note": "by Bo"}],
    "rain": [{"day": "2026-07-09", "depth_mm": 12}],
    "eto": [{"day": "2026-07-09", "eto_mm": 6.5}],
}
KEYS = {"sets": "one@2026-07-10T21:00", "rain": "2026-07-09", "eto": "2026-07-09"}


@pytest.fixture
def given(farm: Settings) -> Settings:
    put({"embalse": 1, **GIVEN})
    return farm


@pytest.fixture
def client(given: Settings) -> FlaskClient:
    return client_of(given)


def on_record(kind: str) -> list[Any]:
    found: list[Any] = exported()[kind]
    return found


def path(kind: str, key: str | None = None) -> str:
    return f"/api/records/{kind}/{quote(key or KEYS[kind], safe='')}"


@pytest.mark.parametrize("kind", ["sets", "rain", "eto"])
def test_one_that_was_wrong_goes_and_comes_back_as_it_was(client: FlaskClient, kind: str) -> None:
    [before] = on_record(kind)
    assert client.delete(path(kind)).status_code == 200
    assert on_record(kind) == []
    line = client.get("/api/changes?who=Tester").json["changes"][0]
    assert (line["kind"], line["what"], line["who"]) == (kind, "deleted", "Tester")
    assert client.post(f"{path(kind)}/restore").status_code == 200
    assert on_record(kind) == [before]
    assert client.get("/api/changes?who=Tester").json["changes"][0]["what"] == "brought back"


@pytest.mark.parametrize("kind", ["sets", "rain", "eto"])
def test_entering_it_again_brings_it_back_too(client: FlaskClient, kind: str) -> None:
    client.delete(path(kind))
    again = client.post("/api/farm", json={"embalse": 1, kind: GIVEN[kind]}).json
    assert again["changed"] == {kind: 1} and len(on_record(kind)) == 1


def test_a_set_is_gone_from_every_page_by_the_key_the_block_gives(client: FlaskClient) -> None:
    [one] = client.get("/api/blocks/one?days=14").json["sets"]
    assert client.delete(path("sets", one["key"])).status_code == 200
    assert client.get("/api/blocks/one?days=14").json["sets"] == []
    assert all(d["blocks"] == 0 for d in client.get("/api/season").json["days"])


@pytest.mark.parametrize(
    ("kind", "key", "status"),
    [("sets", "one@2026-07-10T22:00", 404), ("sets", "one", 404), ("sets", "nobody@2026-07-10T21:00", 404),
     ("sets", "one@0001-01-01T00:00", 404), ("sets", "one@9999-12-31T23:59:59+14:00", 404), ("sets", "@", 404),
     ("rain", "2026-07-08", 404), ("rain", "yesterday", 404), ("rain", "0001-01-01", 404), ("eto", "2026-02-30", 404)],
)  # fmt: skip
def test_what_is_not_there_is_said(client: FlaskClient, kind: str, key: str, status: int) -> None:
    for answer in (client.delete(path(kind, key)), client.post(f"{path(kind, key)}/restore")):
        assert answer.status_code == status and answer.json["errors"][0]["reason"]
    assert [len(on_record(k)) for k in KEYS] == [1, 1, 1]


@pytest.mark.parametrize(
    ("role", "statuses"),
    [("viewer", [403, 403, 403]), ("field hand", [200, 200, 403]), ("agronomist", [200, 200, 200])],
)
def test_who_may(given: Settings, role: Role, statuses: list[int]) -> None:
    client = client_of(given, role)
    assert [client.delete(path(kind)).status_code for kind in KEYS] == statuses
