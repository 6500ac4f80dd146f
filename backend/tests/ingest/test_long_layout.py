"""Files with one reading a row: found, keyed, read, and told from files with one time a row."""

from pathlib import Path

import pytest

from embalse.ingest.layout import FileRefused, inspect_file
from embalse.ingest.long_layout import LongForm, key_of, long_form

BY_TIME = """logger,time,depth_cm,parameter,value
N1,2026-07-14 06:00,10,VWC m3/m3,0.21
N1,2026-07-14 06:00,30,VWC m3/m3,0.24
N1,2026-07-14 06:00,10,degC,21.5
N1,2026-07-14 06:00,30,degC,19.5
N1,2026-07-14 07:00,10,VWC m3/m3,0.20
N1,2026-07-14 07:00,30,VWC m3/m3,0.23
N1,2026-07-14 07:00,10,degC,21.7
N1,2026-07-14 07:00,30,degC,19.4
"""
BY_SENSOR = "sensor;Fecha;Valor value\n" + "".join(
    f"S{n};{day:02d}/07/2026 06:00;0,2{day % 10}{n}\n" for n in (1, 2, 3) for day in range(14, 30)
)
WIDE = "time,a-10,a-30\n" + "".join(f"2026-07-14 {h:02d}:00,0.2{h % 10},0.3{h % 10}\n" for h in range(10))


def write(tmp_path: Path, text: str) -> Path:
    path = tmp_path / "file.csv"
    path.write_text(text)
    return path


def test_keys_by_time_with_units_of_their_own(tmp_path: Path) -> None:
    seen = inspect_file(write(tmp_path, BY_TIME))
    assert seen.long == LongForm((0, 2, 3), 4)
    assert [(c.name, c.unit, c.samples[0]) for c in seen.columns] == [
        ("N1 / 10 / VWC m3/m3", "m3/m3", "0.21"),
        ("N1 / 30 / VWC m3/m3", "m3/m3", "0.24"),
        ("N1 / 10 / degC", "degC", "21.5"),
        ("N1 / 30 / degC", "degC", "19.5"),
    ]
    assert seen.header == ("logger", "time", "depth_cm", "parameter", "value")


def test_one_sensor_after_another_with_decimal_commas(tmp_path: Path) -> None:
    seen = inspect_file(write(tmp_path, BY_SENSOR))
    assert seen.layout.decimal == "," and [c.name for c in seen.columns] == ["S1", "S2", "S3"]


def test_keys_beyond_the_head_are_found(tmp_path: Path) -> None:
    rows = "".join(f"P{n},2026-07-{1 + h // 24:02d} {h % 24:02d}:00,0.2\n" for n in range(5) for h in range(200))
    seen = inspect_file(write(tmp_path, "probe,time,value\n" + rows))
    assert [c.name for c in seen.columns] == [f"P{n}" for n in range(5)]


def test_one_time_a_row_stays_so(tmp_path: Path) -> None:
    path = write(tmp_path, WIDE)
    assert inspect_file(path).long is None
    with pytest.raises(FileRefused, match="one time a row"):
        inspect_file(path, "long")
    assert [c.name for c in inspect_file(write(tmp_path, BY_TIME), "wide").columns] == [
        "logger", "time", "depth_cm", "parameter", "value",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("names", "rows"),
    [
        (["time", "station", "vwc 10", "vwc 30"], [["t1", "A", "1", "2"], ["t2", "A", "2", "3"]] * 3),
        (["time", "battery", "record"], [[f"t{n}", "3.6", str(n)] for n in range(9)]),
        (["time", "probe", "value"], [["t1", "A", "1"], ["t1", "A", "1"]] * 3),
        (["time", "probe", "value"], [["t1", "A", "1"]]),
    ],
)
def test_what_only_looks_like_it_is_not_taken_for_it(names: list[str], rows: list[list[str]]) -> None:
    assert long_form(names, rows, (0,)) is None


def test_a_key_is_what_its_cells_say() -> None:
    assert key_of([" A ", "t", "30", "0.2"], LongForm((0, 2), 3)) == "A / 30"
