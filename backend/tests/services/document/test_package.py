"""The whole farm out and back: the same bytes, the same advice, nothing secret, and what is broken is named."""

import csv
import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.admin import people
from embalse.services.advice.advise import round_content
from embalse.services.document.package import NULL, read_package, write_package
from embalse.services.document.table_words import TABLES, unit_of
from embalse.services.schema.refused import DocumentErrors
from embalse.store import farm as farm_store
from embalse.store.database import database, open_database
from embalse.store.errors import Conflict, NewerDatabase, NotFound
from embalse.store.models import Person, Photo
from tests.conftest import put

PIXEL = b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 800  # longer than a cell of a table may be


def packed(settings: Settings, **part: object) -> bytes:
    file = io.BytesIO()
    write_package(file, settings.database, **part)  # type: ignore[arg-type]
    return file.getvalue()


def tables(package: bytes) -> dict[str, list[dict[str, str]]]:
    found = zipfile.ZipFile(io.BytesIO(package))
    return {n[:-4]: list(csv.DictReader(io.TextIOWrapper(found.open(n), "utf-8", newline="")))
            for n in found.namelist() if n.endswith(".csv")}  # fmt: skip


def changes_there() -> int:
    return int(database.execute_sql("SELECT count(*) FROM change").fetchone()[0])


def elsewhere(tmp_path: Path) -> Path:
    path = tmp_path / "elsewhere" / "embalse.db"
    open_database(path)
    return path


def changed(package: bytes, name: str, change: Callable[[str], str | None]) -> bytes:
    """A package with one of its files changed or left out."""
    found, target = zipfile.ZipFile(io.BytesIO(package)), io.BytesIO()
    with zipfile.ZipFile(target, "w") as made:
        for entry in found.namelist():
            text = change(found.read(entry).decode()) if entry == name else found.read(entry).decode("latin-1")
            if text is not None:
                made.writestr(entry, text if entry == name else found.read(entry))
    return target.getvalue()


def test_the_demonstration_comes_back_the_same(demo: Settings, tmp_path: Path) -> None:
    Photo.create(key="p1", media_type="image/png", data=PIXEL)
    mornings = [f"2026-{month:02d}-{day:02d}T06:00" for month, days in ((5, range(4, 30)), (6, range(1, 28)))
                for day in days][:50]  # fmt: skip
    keys = ["norte-1", "ladera"]
    before = [round_content(m, keys, with_working=False).model_dump_json() for m in mornings]
    now = round_content(with_working=False).model_dump_json()
    package = packed(demo)
    path = elsewhere(tmp_path)
    counts = read_package(io.BytesIO(package), path.with_name("part"))
    assert counts["reading"] > 200_000 and counts["photo"] == 1 and len(before) == 50
    assert packed(Settings(data=str(path.parent))) == package
    assert round_content(with_working=False).model_dump_json() == now
    assert [round_content(m, keys, with_working=False).model_dump_json() for m in mornings] == before
    assert bytes(Photo.get(key="p1").data) == PIXEL
    assert sorted(p.name for p in path.parent.iterdir() if p.suffix not in (".db-wal", ".db-shm")) == ["embalse.db"]


@pytest.mark.published(source="Frictionless Data, Data Package and Table Schema, by the frictionless library")
def test_it_is_a_valid_data_package(farm: Settings, tmp_path: Path) -> None:
    import frictionless

    put({"embalse": 1, "sets": [{"block": "one", "start": "2026-07-05T08:00", "hours": 3, "gross_mm": 9}],
         "rain": [{"day": "2026-07-02", "depth_mm": 4.5, "note": "=SUM(A1)"}]})  # fmt: skip
    path = tmp_path / "farm.zip"
    path.write_bytes(packed(farm))
    report = frictionless.validate(str(path))
    assert report.valid, report.flatten(["title", "message"])
    told = frictionless.Package(str(path))
    assert {r.name for r in told.resources} == set(TABLES), "every table is told of"
    rain = told.get_resource("rain")
    assert rain.schema.get_field("depth_mm").custom["unit"] == "mm"
    assert told.get_resource("block").schema.foreign_keys[0]["reference"]["fields"] == ["id"]
    broken = tmp_path / "broken.zip"
    broken.write_bytes(changed(path.read_bytes(), "set_log.csv", lambda t: t.replace("9.0", "nine")))
    assert not frictionless.validate(str(broken)).valid, "the check can fail"


def test_no_spreadsheet_takes_a_cell_for_a_formula(farm: Settings, tmp_path: Path) -> None:
    notes = ["=1+1", "+1", "-1", "@a", "'quoted", NULL, "plain = note", ""]
    rain = [{"day": f"2026-07-0{n + 1}", "depth_mm": 1, "note": note} for n, note in enumerate(notes)]
    put({"embalse": 1, "rain": rain})
    package = packed(farm)
    cells = [r["note"] for r in tables(package)["rain"]]
    assert cells == ["'=1+1", "'+1", "'-1", "'@a", "''quoted", f"'{NULL}", "plain = note", ""]
    path = elsewhere(tmp_path)
    read_package(io.BytesIO(package), path.with_name("part"))
    assert [r[0] for r in database.execute_sql("SELECT note FROM rain ORDER BY day")] == notes


def test_nothing_secret_goes_out_and_nothing_opens_afterwards(farm: Settings, tmp_path: Path) -> None:
    from embalse.services.intake.telemetry import register

    people.invite(people.NewPerson(sign_in="ines", name="Inés", role="owner"))
    register("hill", "hill", [])
    secrets = [Person.get().session_key, Person.get().invite_hash]
    secrets += [r[0] for r in database.execute_sql("SELECT token_hash FROM gateway")]
    package = packed(farm)
    everything = b"".join(
        zipfile.ZipFile(io.BytesIO(package)).read(n) for n in zipfile.ZipFile(io.BytesIO(package)).namelist()
    )
    assert all(secret and secret.encode() not in everything for secret in secrets)
    path = elsewhere(tmp_path)
    read_package(io.BytesIO(package), path.with_name("part"))
    one = Person.get()
    assert (one.sign_in, one.password_hash, one.invite_hash) == ("ines", None, None) and one.session_key not in secrets


def test_who_made_the_empty_database_keeps_the_way_in(farm: Settings, tmp_path: Path) -> None:
    for name in ("ines", "blas"):
        people.invite(people.NewPerson(sign_in=name, name=name.title(), role="owner"))
    package = packed(farm)
    path = elsewhere(tmp_path)
    people.invite(people.NewPerson(sign_in="INES", name="Inés here", role="owner"))
    own, changes = Person.get().session_key, changes_there()
    read_package(io.BytesIO(package), path.with_name("part"))
    assert {(p.sign_in, p.name) for p in Person.select()} == {("INES", "Inés here"), ("blas", "Blas")}
    assert Person.get(sign_in="INES").session_key == own
    assert changes_there() == changes + len(tables(package)["change"])
    assert not database.execute_sql("PRAGMA foreign_key_check").fetchall()


class TestAPart:
    def test_one_block_comes_with_its_ground_and_nothing_of_others(self, demo: Settings, tmp_path: Path) -> None:
        found = tables(packed(demo, block="ladera"))
        assert [b["key"] for b in found["block"]] == ["ladera"] and len(found["soil"]) == 1
        assert 0 < len(found["reading"]) < 60_000 and found["person"] == [] and found["gateway"] == []
        assert {r["subject"].split("/")[0] for r in found["record"]} == {"ladera"}
        before = round_content(None, ["ladera"], with_working=False).blocks[0]
        path = elsewhere(tmp_path)
        read_package(io.BytesIO(packed_of(demo, "ladera")), path.with_name("part"))
        after = round_content(None, ["ladera"], with_working=False).blocks[0]
        assert after.depletion_mm == before.depletion_mm and after.storage_mm == before.storage_mm
        assert [b.key for b in round_content(with_working=False).blocks] == ["ladera"]

    def test_a_span_of_days_cuts_what_lies_in_time(self, demo: Settings) -> None:
        from datetime import date

        whole = tables(packed(demo))
        june = tables(packed(demo, span=(date(2026, 6, 1), date(2026, 6, 30))))
        assert 0 < len(june["reading"]) < 0.4 * len(whole["reading"])
        assert len(june["eto"]) == 30 and june["block"] == whole["block"]
        days = sorted(int(r["day"]) for r in june["eto"])
        assert days[-1] - days[0] == 29

    def test_no_such_block(self, farm: Settings) -> None:
        with pytest.raises(NotFound):
            packed(farm, block="nowhere")


def packed_of(settings: Settings, block: str) -> bytes:
    """A block of a farm whose file need not be the open one."""
    current = str(database.database)
    open_database(settings.database)
    made = packed(settings, block=block)
    open_database(Path(current))
    return made


class TestWhatIsBroken:
    @pytest.mark.parametrize(
        ("name", "change", "path", "why"),
        [
            ("rain.csv", lambda t: t.replace("4.5", "wet"), "rain.csv, row 1", "could not convert"),
            ("rain.csv", lambda t: t.replace("depth_mm", "depth"), "rain.csv", "its columns should be"),
            ("rain.csv", lambda t: t + "1,2\r\n", "rain.csv, row 2", "zip"),
            ("rain.csv", lambda t: t + t.split("\r\n")[1] + "\r\n", "rain.csv", "UNIQUE"),
            ("rain.csv", lambda _: None, "rain.csv", "not in the package"),
            ("datapackage.json", lambda _: None, "file", "no package of a farm"),
            ("datapackage.json", lambda _: "[]", "file", "no package of a farm"),
            ("datapackage.json", lambda t: t.replace('"format": 1', '"format": 9'), "datapackage.json", "format 9"),
            ("datapackage.json", lambda t: t.replace('"name": "rain"', '"name": "snow"'), "datapackage.json", "no table"),
        ],
    )  # fmt: skip
    def test_is_named_and_leaves_nothing(
        self, farm: Settings, tmp_path: Path, name: str, change: Callable[[str], str | None], path: str, why: str
    ) -> None:
        put({"embalse": 1, "rain": [{"day": "2026-07-02", "depth_mm": 4.5}]})
        package = changed(packed(farm), name, change)
        empty = elsewhere(tmp_path)
        with pytest.raises(DocumentErrors) as refused:
            read_package(io.BytesIO(package), empty.with_name("part"))
        [error] = refused.value.errors
        assert error.path.startswith(path) and why in error.reason
        assert farm_store.farm() is None and not empty.with_name("part").exists()

    def test_a_row_that_points_nowhere(self, farm: Settings, tmp_path: Path) -> None:
        package = changed(packed(farm), "station.csv", lambda t: t.split("\r\n")[0] + "\r\n")
        empty = elsewhere(tmp_path)
        with pytest.raises(Conflict, match="points at a row of station that is not there"):
            read_package(io.BytesIO(package), empty.with_name("part"))
        assert farm_store.farm() is None

    def test_a_farm_that_is_here_already_stays(self, farm: Settings) -> None:
        with pytest.raises(Conflict, match="a farm here already"):
            read_package(io.BytesIO(packed(farm)), farm.database.with_name("part"))

    def test_no_zip_and_one_of_a_later_program(self, farm: Settings, tmp_path: Path) -> None:
        package = packed(farm)
        later = changed(package, "datapackage.json", lambda t: json.dumps({**json.loads(t), "schema_version": 9999}))
        empty = elsewhere(tmp_path)
        with pytest.raises(DocumentErrors, match="no package"):
            read_package(io.BytesIO(b"rubbish"), empty.with_name("part"))
        with pytest.raises(NewerDatabase):
            read_package(io.BytesIO(later), empty.with_name("part"))


def test_the_command_line_writes_and_reads(farm: Settings, tmp_path: Path) -> None:
    target = tmp_path / "farm.zip"
    runner = CliRunner(env={"EMBALSE_DATA": farm.data})
    done = runner.invoke(main, ["export", str(target)])
    assert done.exit_code == 0 and "Written" in done.output and target.exists()
    assert runner.invoke(main, ["export", str(tmp_path / "a.json"), "--block", "one"]).exit_code == 2
    there = CliRunner(env={"EMBALSE_DATA": str(tmp_path / "new")})
    told = there.invoke(main, ["apply", str(target)])
    assert told.exit_code == 0 and "tables" in told.output and "person invite" in told.output
    again = there.invoke(main, ["apply", str(target)])
    assert again.exit_code != 0 and "a farm here already" in again.output


def test_units_are_told_by_the_end_of_a_name() -> None:
    named = {"max_set_mm": "mm", "rate_mm_h": "mm/h", "flow_m3_h": "m3/h", "wind_2m_m_s": "m/s", "tmax_c": "degC",
             "note": "", "ts": "s since 1970-01-01T00:00:00Z", "full_theta": "m3/m3"}  # fmt: skip
    assert {name: unit_of(name) for name in named} == named
