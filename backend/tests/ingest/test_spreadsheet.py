"""Spreadsheets are read as the table their sheet is: first sheet or the one named, and what cannot be read is said."""

import io
import zipfile
from datetime import date, datetime, time, timedelta
from pathlib import Path

import pytest
from click.testing import CliRunner
from openpyxl import Workbook  # type: ignore[import-untyped]

from embalse.cli import main
from embalse.config import Settings
from embalse.ingest import spreadsheet
from embalse.ingest.layout import FileRefused
from embalse.ingest.spreadsheet import as_table, is_spreadsheet, sheets, write_table
from embalse.services.intake.drop_folder import DropFolder
from embalse.store import imports as import_store
from embalse.store.models import Reading
from tests.web import client_of

START = datetime(2026, 7, 1, 6)


def book(path: Path, hours: int = 30) -> Path:
    """A logger's sheet, after one of notes."""
    found = Workbook()
    found.active.title = "readings"
    found.active.append(["time", "one-10", "one-30"])
    for n in range(hours):
        found.active.append([START + timedelta(hours=n), 0.25 + 0.001 * (n % 7), 0.3])
    notes = found.create_sheet("notes")
    notes.append(["who", "when"])
    notes.append(["Inés", date(2026, 7, 1)])
    found.create_sheet("empty")
    found.save(path)
    return path


def text(path: Path, sheet: str = "") -> str:
    target = io.StringIO()
    write_table(path, target, sheet)
    return target.getvalue()


class TestReading:
    def test_the_first_sheet_or_the_one_named(self, tmp_path: Path) -> None:
        path = book(tmp_path / "b.xlsx")
        assert is_spreadsheet(path) and sheets(path) == ["readings", "notes", "empty"]
        lines = text(path).splitlines()
        assert lines[:2] == ["time,one-10,one-30", "2026-07-01 06:00:00,0.25,0.3"] and len(lines) == 31
        assert text(path, "notes") == "who,when\nInés,2026-07-01 00:00:00\n"

    def test_times_are_whole_seconds_however_they_are_kept(self, tmp_path: Path) -> None:
        found = Workbook()
        found.active.append(["time", "clock"])
        for n in range(1, 50):
            found.active.append([START + timedelta(minutes=20 * n), time(6, 20)])
        found.save(tmp_path / "t.xlsx")
        lines = text(tmp_path / "t.xlsx").splitlines()[1:]
        assert [row.split(",")[0] for row in lines] == [f"{START + timedelta(minutes=20 * n)}" for n in range(1, 50)]
        assert lines[0].endswith(",06:20:00")

    def test_a_name_of_another_ending_does_not_matter(self, tmp_path: Path) -> None:
        path = book(tmp_path / "b.csv")
        with as_table(path) as table:
            assert table.read_text().startswith("time,")
        assert not table.exists()
        plain = tmp_path / "plain.xlsx"
        plain.write_text("time,a\n")
        with as_table(plain) as same:
            assert same == plain

    @pytest.mark.parametrize(("sheet", "why"), [("none", "no sheet 'none'"), ("empty", "nothing is in the sheet")])
    def test_a_sheet_that_cannot_be_read(self, tmp_path: Path, sheet: str, why: str) -> None:
        with pytest.raises(FileRefused, match=why):
            text(book(tmp_path / "b.xlsx"), sheet)

    def test_an_older_kind_a_damaged_one_and_another_zip(self, tmp_path: Path) -> None:
        old = tmp_path / "a.xls"
        old.write_bytes(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(100))
        with pytest.raises(FileRefused, match="older kind"):
            is_spreadsheet(old)
        whole = book(tmp_path / "b.xlsx").read_bytes()
        damaged = tmp_path / "d.xlsx"
        with zipfile.ZipFile(damaged, "w") as target:
            target.writestr("xl/workbook.xml", "<broken")
            target.writestr("[Content_Types].xml", "<Types/>")
        with pytest.raises(FileRefused, match="damaged"):
            sheets(damaged)
        cut = tmp_path / "cut.xlsx"
        cut.write_bytes(whole[: len(whole) // 2])
        assert not is_spreadsheet(cut)
        other = tmp_path / "o.zip"
        with zipfile.ZipFile(other, "w") as target:
            target.writestr("a.txt", "x")
        assert not is_spreadsheet(other)

    @pytest.mark.parametrize(("most", "refused"), [(31, False), (30, True)])
    def test_more_rows_than_are_taken(
        self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, most: int, refused: bool
    ) -> None:
        monkeypatch.setattr(spreadsheet, "MOST_ROWS", most)
        path = book(tmp_path / "b.xlsx")
        if refused:
            with pytest.raises(FileRefused, match="more than 30 rows"):
                text(path)
        else:
            assert len(text(path).splitlines()) == 31

    def test_one_that_unpacks_without_end(self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(spreadsheet, "LARGEST_UNPACKED", 1000)
        with pytest.raises(FileRefused, match="2 GiB"):
            sheets(book(tmp_path / "b.xlsx"))


class TestAtTheDoors:
    def test_the_command_line(self, farm: Settings, tmp_path: Path) -> None:
        path = book(tmp_path / "b.xlsx")
        runner = CliRunner(env={"EMBALSE_DATA": farm.data})
        done = runner.invoke(main, ["import", str(path)])
        assert done.exit_code == 0, done.output
        assert Reading.select().count() == 60
        assert runner.invoke(main, ["import", str(path), "--sheet", "notes"]).exit_code != 0

    def test_the_page(self, farm: Settings, tmp_path: Path) -> None:
        pages = client_of(farm)
        data = book(tmp_path / "b.xlsx").read_bytes()
        told = pages.post("/api/files", data={"file": (io.BytesIO(data), "b.xlsx")}).json
        assert told["sheets"] == ["readings", "notes", "empty"] and told["columns"][1]["name"] == "one-10"
        other = pages.post("/api/files", data={"file": (io.BytesIO(data), "b.xlsx"), "sheet": "empty"})
        assert other.status_code in {422, 400}
        read = pages.post("/api/tables/text", data={"file": (io.BytesIO(data), "b.xlsx"), "sheet": "notes"}).json
        assert read["text"].startswith("who,when\nInés")
        latin = pages.post("/api/tables/text", data={"file": (io.BytesIO("señal".encode("latin-1")), "a.csv")})
        assert latin.status_code in (400, 422) and "UTF-8" in latin.text

    def test_the_drop_folder(self, farm: Settings, tmp_path: Path) -> None:
        from embalse.ingest.layout import inspect_file
        from embalse.services.intake.import_plan import plan_by_names, signature
        from embalse.store import farm as farm_store

        path = book(tmp_path / "b.xlsx")
        with as_table(path) as table:
            plan = plan_by_names(inspect_file(table), farm_store.sensors(companions=None), "Europe/Madrid")
            assert plan is not None
            import_store.save_profile("logger", signature(inspect_file(table)), plan.model_dump(mode="json"))
        folder = tmp_path / "drop"
        folder.mkdir()
        book(folder / "july.xlsx")
        dropped = DropFolder(folder)
        for _ in range(3):
            dropped.look()
        assert Reading.select().count() == 60
        assert [p.name[16:] for p in (folder / "done").iterdir()] == ["july.xlsx"]
