from pathlib import Path

import pytest

from embalse.ingest.layout import FileRefused, inspect_file
from embalse.ingest.reader import Batch, FileFormat, Target, read_batches

FAR = 4e9


def written(tmp_path: Path, text: str | bytes, name: str = "log.csv") -> Path:
    path = tmp_path / name
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    return path


def read_all(path: Path, units: list[str] | None = None, latest: float = FAR, decimal: str | None = None) -> Batch:
    seen = inspect_file(path)
    layout = seen.layout
    form = FileFormat(
        layout.encoding, layout.delimiter, decimal or layout.decimal, layout.first_data_line, len(seen.columns),
        layout.time_columns, layout.date_order, "UTC",
    )  # fmt: skip
    values = [c for c in seen.columns if c.index not in layout.time_columns]
    targets = [Target(c.index, c.name, i, (units or ["%"] * 9)[i]) for i, c in enumerate(values)]
    whole = Batch()
    for batch in read_batches(path, form, targets, 7, latest):
        whole.readings += batch.readings
        whole.lines += batch.lines
        whole.refusals += batch.refusals
        for name in ("rows", "empty", "out_of_order"):
            setattr(whole, name, getattr(whole, name) + getattr(batch, name))
    return whole


@pytest.mark.parametrize(
    ("text", "delimiter", "decimal", "header", "units", "first", "order"),
    [
        ("time,a,b\n2026-07-01 00:00,1.5,2\n", ",", ".", 1, None, 2, "ymd"),
        ("logger 7\nx\ntime;a;b\n;%;%\n14/07/2026 00:00;1,5;2\n", ";", ",", 3, 4, 5, "dmy"),
        ("time\ta\tb\n2026-07-01T00:00:00\t1.5\t2\n", "\t", ".", 1, None, 2, "ymd"),
        ("2026-07-01 00:00,1.5,2\n", ",", ".", None, None, 1, "ymd"),
        ('"TS","a","b"\n"TS","m3/m3","kPa"\n"2026-07-01 00:00",0.15,2\n', ",", ".", 1, 2, 3, "ymd"),
        ("date;clock;a;b\n14.07.2026;06:00;1,5;2,5\n", ";", ",", 1, None, 2, "dmy"),
        ("rec,time,a\n1,2026-07-01 00:00,1.5\n", ",", ".", 1, None, 2, "ymd"),
    ],
)
def test_layouts_are_found(
    tmp_path: Path, text: str, delimiter: str, decimal: str, header: int, units: int, first: int, order: str
) -> None:
    layout = inspect_file(written(tmp_path, text)).layout
    found = (
        layout.delimiter,
        layout.decimal,
        layout.header_line,
        layout.units_line,
        layout.first_data_line,
        layout.date_order,
    )
    assert found == (delimiter, decimal, header, units, first, order)


def test_units_are_read_from_their_row_and_from_brackets(tmp_path: Path) -> None:
    columns = inspect_file(written(tmp_path, "t,a,b (%),c [kPa],d\n,m³/m³,,,\n2026-07-01 00:00,1,2,3,4\n")).columns
    assert [c.unit for c in columns] == ["", "m3/m3", "%", "kPa", ""]


def test_same_names_are_told_apart(tmp_path: Path) -> None:
    columns = inspect_file(written(tmp_path, "t,a,a,\n2026-07-01 00:00,1,2,3\n")).columns
    assert [c.name for c in columns] == ["t", "a", "a (2)", "column 4"]


def test_day_first_that_cannot_be_proved_is_said(tmp_path: Path) -> None:
    assert inspect_file(written(tmp_path, "t,a\n03/04/2026 00:00,1\n")).cautions
    assert not inspect_file(written(tmp_path, "t,a\n23/04/2026 00:00,1\n")).cautions


@pytest.mark.parametrize("content", [b"", b"\n\n", b"a,b\n1,2\n", b"PK\x03\x04\0\0\0", b"just words\n", b"x" * 200_000])
def test_files_that_are_no_logger_files(tmp_path: Path, content: bytes) -> None:
    with pytest.raises(FileRefused):
        inspect_file(written(tmp_path, content))


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "cp1252", "utf-16"])
def test_encodings(tmp_path: Path, encoding: str) -> None:
    path = written(tmp_path, "time;Túnel\n2026-07-01 00:00;1,5\n".encode(encoding))
    assert inspect_file(path).columns[1].name == "Túnel"
    assert read_all(path).readings == [(0, 1782864000, 1.5, 7)]


def test_refusals_name_line_column_and_reason(tmp_path: Path) -> None:
    text = (
        "time,a,b\n"
        "2026-07-01 00:00,20,21\n"
        "2026-07-01 01:00,twenty,21\n"
        "2026-07-01 02:00,120,NAN\n"
        "2026-07-01,3,4\n"
        "2026-07-01 04:00,20\n"
        "\n"
        "2026-07-01 05:00,,-9999\n"
    )
    found = read_all(written(tmp_path, text))
    assert [(r.line, r.column) for r in found.refusals] == [(3, "a"), (4, "a"), (5, ""), (6, "")]
    reasons = [r.reason for r in found.refusals]
    assert reasons[0] == "not a number"
    assert reasons[1].startswith("120 % is outside -10 to 100")
    assert "is not a date and time" in reasons[2]
    assert reasons[3] == "the row has 2 columns, 3 are expected"
    assert [line for line in found.lines] == [2, 2, 3]
    assert (found.rows, found.empty) == (6, 3)


def test_percent_given_as_fraction_asks_for_the_unit(tmp_path: Path) -> None:
    found = read_all(written(tmp_path, "time,a\n2026-07-01 00:00,23.5\n"), ["m3/m3"])
    assert found.readings == []
    assert "is the column in %?" in found.refusals[0].reason


def test_the_future_is_refused_and_disorder_is_counted(tmp_path: Path) -> None:
    text = "time,a\n2026-07-02 00:00,1\n2026-07-01 00:00,2\n2026-07-09 00:00,3\n2026-07-03 00:00,4\n"
    found = read_all(written(tmp_path, text), latest=1783036800 + 86400)
    assert [r[2] for r in found.readings] == [1, 2, 4]
    assert found.out_of_order == 1
    assert found.refusals[0].line == 4 and found.refusals[0].reason == "the time is in the future"


def test_a_long_file_comes_in_batches_with_its_own_lines(tmp_path: Path) -> None:
    rows = [
        f"2026-{m:02d}-{d:02d} {h:02d}:{q:02d},{h}"
        for m in range(1, 13)
        for d in range(1, 29)
        for h in range(24)
        for q in (0, 15, 30)
    ]
    path = written(tmp_path, "time,a\n" + "\n".join(rows) + "\n")
    found = read_all(path)
    assert len(found.readings) == len(rows)
    assert found.lines == list(range(2, len(rows) + 2))
    assert found.readings[0][3] == 7
