"""Every table, drawing and calendar says what the pages say; tokens read and nothing else."""

import csv
import io
import json
import re
from datetime import date
from pathlib import Path

import icalendar
import pytest

from embalse.app import create_app
from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.open_data.features import LAYERS, features_json
from embalse.services.open_data.tables import NAMES, Asked, readings_csv, table_csv
from embalse.services.open_data.visits_calendar import visits_calendar
from embalse.services.schema.refused import DocumentErrors
from embalse.store import readings as readings_store
from embalse.store.database import database, open_database
from embalse.store.models import ImportJob
from tests.conftest import put
from tests.web import Pages, client_of

OF_ONE_BLOCK = ("nodes", "wettings", "demand", "skill")


def rows(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text)))


@pytest.mark.parametrize("name", NAMES)
def test_every_table_has_rows_as_wide_as_its_head(demo: Settings, name: str) -> None:
    block = "loma" if name in OF_ONE_BLOCK else None
    told = list(csv.reader(io.StringIO(table_csv(name, Asked(None, block, 28)))))  # type: ignore[arg-type]
    assert len(told) > 1 and {len(r) for r in told} == {len(told[0])}
    if name in OF_ONE_BLOCK:
        with pytest.raises(DocumentErrors) as refused:
            table_csv(name, Asked(None, None, 28))  # type: ignore[arg-type]
        assert refused.value.errors[0].path == "block"


def test_the_rounds_table_says_what_the_round_says(demo: Settings) -> None:
    told = rows(table_csv("round", Asked(None, None, 28)))
    for row, block in zip(told, round_content(with_working=False).blocks, strict=True):
        assert row["block"] == block.key and row["reason"] == block.reason
        assert row["net [mm]"] == ("" if block.advised is None else f"{round(block.advised.net_mm, 1)}")
        if block.refill:
            assert float(row["days to refill"]) == pytest.approx(block.refill.days.mid, abs=0.006)
    past = rows(table_csv("round", Asked("2026-06-10T06:00", "ladera", 28)))
    assert len(past) == 1 and past[0]["start by"][:7] in ("", "2026-06", "2026-07")


def test_no_cell_is_a_formula(demo: Settings) -> None:
    put({"embalse": 1, "sets": [{"block": "ladera", "start": "2026-07-13T08:00", "hours": 3, "gross_mm": 9,
                                 "note": "=HYPERLINK(1)"}]})  # fmt: skip
    notes = [r["note"] for r in rows(table_csv("sets", Asked(None, "ladera", 28)))]
    assert "'=HYPERLINK(1)" in notes


def test_raw_readings_come_whole(demo: Settings) -> None:
    text = "".join(readings_csv("ladera", date(2026, 6, 1), date(2026, 6, 3)))
    told = rows(text)
    stored = database.execute_sql(
        """SELECT count(*) FROM reading r JOIN sensor s ON s.id = r.sensor_id JOIN station t ON t.id = s.station_id
           JOIN block b ON b.id = t.block_id
           WHERE b.key = 'ladera' AND r.ts >= unixepoch('2026-05-31T22:00') AND r.ts < unixepoch('2026-06-03T22:00')"""
    ).fetchone()[0]
    assert len(told) == stored > 100
    assert {r["time"][:10] for r in told} == {"2026-06-01", "2026-06-02", "2026-06-03"}
    assert all(float(r["raw"]) is not None and r["sensor"].startswith("ladera/") for r in told)


@pytest.mark.parametrize("layer", LAYERS)
def test_layers_are_geojson_with_the_state(demo: Settings, layer: str) -> None:
    told = json.loads(features_json(layer))  # type: ignore[arg-type]
    assert told["type"] == "FeatureCollection" and told["features"]
    for feature in told["features"]:
        shape = feature["geometry"]
        assert shape is None or shape["type"] in ("Polygon", "Point", "MultiPolygon")
        if shape and shape["type"] == "Polygon":
            assert shape["coordinates"][0][0] == shape["coordinates"][0][-1]
    first = told["features"][0]["properties"]
    assert {"blocks": "group", "stations": "state", "zones": "depletion_mm"}[layer] in first
    assert len(json.loads(features_json("blocks"))["features"]) == 10


@pytest.mark.published(source="RFC 5545, by the icalendar library")
def test_visits_are_a_days_events(demo: Settings) -> None:
    found = icalendar.Calendar.from_ical(visits_calendar())
    events = list(found.walk("VEVENT"))
    stations = {v.station for v in round_content(with_working=False).to_see}
    assert len(events) == len(stations) > 2
    assert all(e["DTSTART"].dt == date(2026, 7, 14) and e["DTEND"].dt == date(2026, 7, 15) for e in events)
    assert len({str(e["UID"]) for e in events}) == len(events)
    assert visits_calendar() == visits_calendar()


class TestTokens:
    @pytest.fixture
    def pages(self, demo: Settings) -> Pages:
        return client_of(demo)

    def test_one_reads_everything_and_writes_nothing(self, demo: Settings, pages: Pages) -> None:
        made = pages.post("/api/tokens", json={"name": "dashboard"}).json
        bearer = {"Authorization": f"Bearer {made['token']}"}
        bare = create_app(demo).test_client()
        outside = {"environ_base": {"REMOTE_ADDR": "10.0.0.7"}}
        assert bare.get("/api/round", **outside).status_code == 401
        assert bare.get("/api/round", headers=bearer, **outside).json["blocks"]
        assert bare.get("/api/tables/round.csv", headers=bearer, **outside).status_code == 200
        assert bare.get("/api/blocks/ladera/readings.csv", headers=bearer, **outside).text.startswith("sensor,")
        refused = bare.post("/api/farm", json={"embalse": 1}, headers=bearer, **outside)
        assert refused.status_code == 403 and "only reads" in refused.json["errors"][0]["reason"]
        assert bare.get("/api/farm.zip", headers=bearer, **outside).status_code == 403, "it asks for more than looking"
        assert pages.get("/api/tokens").json["tokens"][0]["last_seen_at"] is not None
        assert made["token"] not in pages.get("/api/tokens").text

    def test_one_taken_back_opens_nothing(self, demo: Settings, pages: Pages) -> None:
        made = pages.post("/api/tokens", json={"name": "dashboard"}).json
        assert pages.post(f"/api/tokens/{made['id']}/revoke").status_code == 200
        bare = create_app(demo).test_client()
        for token in (made["token"], "made-up"):
            answer = bare.get("/api/round", headers={"Authorization": f"Bearer {token}"})
            assert answer.status_code == 401
        assert pages.post(f"/api/tokens/{made['id']}/revoke").status_code == 404


class TestOnThePage:
    def test_the_package_goes_out_and_into_an_empty_database(self, farm: Settings, tmp_path) -> None:  # type: ignore[no-untyped-def]
        pages = client_of(farm)
        out = pages.get("/api/farm.zip")
        assert out.status_code == 200 and out.mimetype == "application/zip"
        part = pages.get("/api/farm.zip?block=one&first=2026-07-01")
        assert part.status_code == 200 and 0 < len(part.data) <= len(out.data)
        again = pages.post("/api/farm.zip", data={"file": (io.BytesIO(out.data), "farm.zip")})
        assert again.status_code == 409, "there is a farm here"
        empty = Settings(data=str(tmp_path / "new"))
        open_database(empty.database)
        there = client_of(empty)
        done = there.post("/api/farm.zip", data={"file": (io.BytesIO(out.data), "farm.zip")})
        assert done.status_code == 200 and done.json["rows"]["block"] == 1
        assert there.get("/api/farm").json["set_up"] is True
        bad = there.post("/api/farm.zip", data={"file": (io.BytesIO(b"x"), "farm.zip")})
        assert bad.status_code in (409, 422)


def test_the_script_of_the_docs_runs(farm: Settings, served_url: str, capsys: pytest.CaptureFixture[str]) -> None:
    """pandas reads the tables through a token, as docs/data-formats.md shows it."""
    from embalse.services.admin.reading_tokens import make_token

    text = (Path(__file__).resolve().parents[4] / "docs" / "data-formats.md").read_text()
    script = re.search(r"```python\n(.*?)```", text, re.DOTALL)
    assert script is not None
    readings = [(1 + n % 3, 1_782_900_000 + 3600 * (n // 3), 0.2 + 0.001 * n) for n in range(90)]
    job, _ = ImportJob.get_or_create(file_name="t", sha256="", status="done", started_at=0)
    readings_store.insert_new([(*row, job.id) for row in readings])
    made = make_token("notebook")
    code = script[1].replace('"http://127.0.0.1:8470", "…"', f'"{served_url}", "{made.token}"').replace("ladera", "one")
    found: dict[str, object] = {"__name__": "docs"}
    exec(compile(code, "docs", "exec"), found)
    printed = capsys.readouterr().out
    assert "one/a/" in printed and "2026-07-01" in printed
    assert len(found["readings"]) == 90  # type: ignore[arg-type]
