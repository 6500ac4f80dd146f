"""Rows and files that would be lost or twisted in silence: refused with line and reason, or understood."""

from pathlib import Path

import pytest

from embalse.ingest.layout import MOST_COLUMNS, FileRefused, inspect_file
from embalse.ingest.reader import Batch, FileFormat, Target, read_batches

HEAD = "time,one,two\n"
ROWS = [f"2026-07-01 {hour:02}:00:00,0.2{hour % 10},0.3{hour % 10}" for hour in range(12)]


def written(tmp_path: Path, rows: list[str], head: str = HEAD) -> Path:
    path = tmp_path / "logger.csv"
    path.write_text(head + "\n".join(rows) + "\n", encoding="utf-8")
    return path


def read(path: Path) -> Batch:
    found = inspect_file(path)
    layout = found.layout
    form = FileFormat(
        layout.encoding, layout.delimiter, layout.decimal, layout.first_data_line, len(found.columns),
        layout.time_columns, layout.date_order, "UTC",
    )  # fmt: skip
    targets = [Target(i, found.columns[i].name, i, "m3/m3") for i in (1, 2)]
    whole = Batch()
    for batch in read_batches(path, form, targets, 1, 4e9):
        whole.readings += batch.readings
        whole.refusals += batch.refusals
        whole.rows += batch.rows
    return whole


def test_the_rows_as_they_are_go_in(tmp_path: Path) -> None:
    found = read(written(tmp_path, ROWS))
    assert len(found.readings) == 24 and found.refusals == [] and found.rows == 12


def test_a_quote_left_open_says_which_lines_it_swallowed(tmp_path: Path) -> None:
    rows = [*ROWS[:3], ROWS[3].replace(",0.2", ',"0.2', 1), *ROWS[4:8], ROWS[8] + '"', *ROWS[9:]]
    found = read(written(tmp_path, rows))
    [refused] = found.refusals
    assert refused.line == 5 and "a quote opened in line 5 is closed only in line 10: 6 lines" in refused.reason
    assert len(found.readings) == 2 * 6


def test_a_quote_never_closed_says_so_too(tmp_path: Path) -> None:
    rows = [*ROWS[:6], ROWS[6].replace(",0.2", ',"0.2', 1), *ROWS[7:]]
    found = read(written(tmp_path, rows))
    assert len(found.readings) == 12 and found.refusals[0].line == 8 and "cannot be read" in found.refusals[0].reason


def test_a_row_wider_than_its_header_is_refused(tmp_path: Path) -> None:
    rows = [*ROWS[:4], "2026-07-01 04:00:00,0,24,0,34", *ROWS[5:]]
    found = read(written(tmp_path, rows))
    [refused] = found.refusals
    assert refused.line == 6 and refused.reason == "the row has 5 columns, 3 are expected"
    assert len(found.readings) == 22


def test_empty_cells_at_the_end_are_no_wider_row(tmp_path: Path) -> None:
    found = read(written(tmp_path, [*ROWS[:4], ROWS[4] + ",,", *ROWS[5:]]))
    assert found.refusals == [] and len(found.readings) == 24


@pytest.mark.parametrize("cell", ["0.2_1", "2_1e-2", "_0.21"])
def test_a_number_as_programs_spell_it_is_none(tmp_path: Path, cell: str) -> None:
    found = read(written(tmp_path, [*ROWS[:4], f"2026-07-01 04:00:00,{cell},0.34", *ROWS[5:]]))
    [refused] = found.refusals
    assert (refused.line, refused.column, refused.reason, refused.text) == (6, "one", "not a number", cell)


def test_decimal_commas_in_quotes_between_commas_are_understood(tmp_path: Path) -> None:
    rows = [f'2026-07-01 {hour:02}:00:00,"0,2{hour % 10}","0,3{hour % 10}"' for hour in range(12)]
    found = read(written(tmp_path, rows))
    assert found.refusals == [] and [r[2] for r in found.readings[:2]] == [0.20, 0.30]


def test_thousands_in_quotes_are_not_taken_for_decimals(tmp_path: Path) -> None:
    rows = [f'2026-07-01 {hour:02}:00:00,"1,23{hour % 10}","2,34{hour % 10}"' for hour in range(12)]
    assert inspect_file(written(tmp_path, rows)).layout.decimal == "."
    assert {r.reason for r in read(written(tmp_path, rows)).refusals} == {"not a number"}


@pytest.mark.parametrize(("columns", "read_in"), [(MOST_COLUMNS, True), (MOST_COLUMNS + 1, False)])
def test_more_columns_than_any_logger_writes_are_refused(tmp_path: Path, columns: int, read_in: bool) -> None:
    head = ",".join(["time", *(f"c{n}" for n in range(columns - 1))]) + "\n"
    rows = [f"2026-07-01 0{hour}:00:00," + ",".join(["1"] * (columns - 1)) for hour in range(3)]
    path = written(tmp_path, rows, head)
    if read_in:
        assert len(inspect_file(path).columns) == columns
    else:
        with pytest.raises(FileRefused, match=f"{columns} columns; at most {MOST_COLUMNS}"):
            inspect_file(path)


def test_columns_of_one_name_are_told_apart(tmp_path: Path) -> None:
    rows = [f"2026-07-01 0{hour}:00:00,1,2,3" for hour in range(3)]
    names = [c.name for c in inspect_file(written(tmp_path, rows, "time,soil,soil,soil\n")).columns]
    assert names == ["time", "soil", "soil (2)", "soil (3)"]
