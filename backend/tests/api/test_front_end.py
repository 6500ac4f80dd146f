"""The built front end: its files as they are, compressed where the browser takes it, its page for any other address."""

import gzip
from dataclasses import replace
from pathlib import Path

import pytest
from flask.testing import FlaskClient

from embalse.config import Settings
from tests.web import client_of

PAGE = "<!doctype html><title>Embalse</title>"
SCRIPT = "console.log('a')\n" * 200


@pytest.fixture
def client(tmp_path: Path, farm: Settings) -> FlaskClient:
    built = tmp_path / "dist"
    (built / "assets").mkdir(parents=True)
    (built / "index.html").write_text(PAGE, encoding="utf-8")
    (built / "assets" / "index-1a2b.js").write_text(SCRIPT, encoding="utf-8")
    (built / "assets" / "index-1a2b.js.gz").write_bytes(gzip.compress(SCRIPT.encode()))
    (built / "sw.js").write_text("// worker", encoding="utf-8")
    return client_of(replace(farm, front_end=str(built)))


@pytest.mark.parametrize("address", ["/", "/block/mesa", "/no/such/page", "/assets/none.js"])
def test_any_other_address_is_the_page_looked_up_anew_each_time(client: FlaskClient, address: str) -> None:
    answer = client.get(address)
    assert answer.status_code == 200 and answer.text == PAGE
    assert answer.headers["Cache-Control"] == "no-cache"
    assert "default-src 'self'" in answer.headers["Content-Security-Policy"]


def test_a_file_named_by_its_content_is_kept_for_good_and_sent_small(client: FlaskClient) -> None:
    small = client.get("/assets/index-1a2b.js", headers={"Accept-Encoding": "gzip"})
    assert small.headers["Content-Encoding"] == "gzip" and gzip.decompress(small.data).decode() == SCRIPT
    assert small.mimetype == "text/javascript" and "immutable" in small.headers["Cache-Control"]
    assert small.headers["X-Content-Type-Options"] == "nosniff" and small.headers["Vary"] == "Accept-Encoding"
    assert "default-src 'self'" in small.headers["Content-Security-Policy"]
    plain = client.get("/assets/index-1a2b.js")
    assert "Content-Encoding" not in plain.headers and plain.text == SCRIPT


def test_a_file_that_keeps_its_name_is_asked_for_again(client: FlaskClient) -> None:
    answer = client.get("/sw.js")
    assert answer.status_code == 200 and "max-age=0" in answer.headers["Cache-Control"]
    again = client.get("/sw.js", headers={"If-Modified-Since": answer.headers["Last-Modified"]})
    assert again.status_code == 304


@pytest.mark.parametrize("address", ["/../embalse.db", "/assets/../../secret", "/%2e%2e/%2e%2e/etc/passwd"])
def test_nothing_outside_the_folder_is_sent(client: FlaskClient, address: str) -> None:
    assert client.get(address).text == PAGE


def test_an_unknown_address_of_the_api_is_no_page(client: FlaskClient) -> None:
    answer = client.get("/api/none")
    assert answer.status_code == 404 and "nothing at this address" in answer.json["errors"][0]["reason"]
