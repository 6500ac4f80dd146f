import json
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import click
import pytest
from click.testing import CliRunner, Result

from embalse.cli import COMMANDS, main
from embalse.services.admin.people import accept_invitation, make_demo_people
from embalse.store.database import database
from tests.conftest import PLAIN_FARM

Run = Callable[..., Result]


@pytest.fixture
def run(tmp_path: Path) -> Iterator[Run]:
    def call(*words: str, **environment: str) -> Result:
        if not database.is_closed():
            database.close()
        return CliRunner().invoke(main, list(words), env={"EMBALSE_DATA": str(tmp_path / "data"), **environment})

    yield call
    if not database.is_closed():
        database.close()


@pytest.fixture
def document(tmp_path: Path) -> Callable[[Any], str]:
    def write(content: Any) -> str:
        path = tmp_path / "farm.json"
        path.write_text(json.dumps(content))
        return str(path)

    return write


def test_help_names_every_command_and_setting(run: Run) -> None:
    text = run("--help").output
    for word in ("init", "serve", "demo", "apply", "import", "advise", "EMBALSE_DATA", "EMBALSE_PORT"):
        assert word in text
    for command in ("init", "serve", "demo", "apply", "import", "advise"):
        assert run(command, "--help").exit_code == 0


def test_from_nothing_to_advice(run: Run, document: Callable[[Any], str], logger_file: Callable[..., Path]) -> None:
    assert run("advise").exit_code == 1
    assert "created 8" in run("apply", document(PLAIN_FARM)).output
    assert "created 0, changed 0" in run("apply", document(PLAIN_FARM)).output
    path = logger_file()
    first = run("import", str(path), "--save", "probe")
    assert first.exit_code == 0, first.output
    assert "723 new readings" in first.output and "Mapped by column names, times in Europe/Madrid" in first.output
    report = json.loads(run("import", str(path), "--profile", "probe", "--json").output)
    assert (report["readings_new"], report["readings_known"], report["mapped_by"]) == (0, 723, "profile 'probe'")
    answer = json.loads(run("advise", "--as-of", "2026-07-14T06:00", "--json", "one").output)
    block = answer["blocks"][0]
    assert block["depletion_mm"] == pytest.approx(block["marks"]["full_mm"] - block["storage_mm"])
    assert block["refill"]["days"]["low"] <= block["refill"]["days"]["mid"] <= block["refill"]["days"]["high"]
    assert {line["key"] for line in block["working"]} >= {"full_mm", "depletion_mm", "net_mm", "gross_mm", "set_time_h"}
    assert all(line["source"]["title"] for line in block["working"])
    assert "One" in run("advise", "--as-of", "2026-07-14T06:00").output


def test_refusals_go_to_standard_error_with_status_one(
    run: Run, document: Callable[[Any], str], logger_file: Callable[..., Path]
) -> None:
    wrong = json.loads(json.dumps(PLAIN_FARM))
    wrong["systems"][0]["efficiency_fraction"] = 0
    refused = run("apply", document(wrong))
    assert refused.exit_code == 1 and "systems[0].efficiency_fraction: " in refused.stderr
    run("apply", document(PLAIN_FARM))
    assert "no block 'two'" in run("advise", "two").stderr
    assert "write it like" in run("advise", "--as-of", "soon").stderr
    path = logger_file()
    path.write_text(path.read_text().replace("0.26", "x", 1))
    bad = run("import", str(path))
    assert bad.exit_code == 1 and "not a number" in bad.stderr and "nothing was stored" in bad.stderr
    assert run("import", str(path), "--skip-refused").exit_code == 0
    nameless = run("import", str(logger_file(name="x.csv", columns="p,q,r")))
    assert "no column is named like a sensor's channel" in nameless.stderr


def test_a_plan_file_maps_columns(
    run: Run, document: Callable[[Any], str], logger_file: Callable[..., Path], tmp_path: Path
) -> None:
    run("apply", document(PLAIN_FARM))
    plan = tmp_path / "plan.json"
    plan.write_text(
        json.dumps({"time_zone": "UTC", "date_order": "ymd", "columns": [{"column": "p", "sensor": "one/a/30"}]})
    )
    assert "241 new readings" in run("import", str(logger_file(columns="p,q")), "--plan", str(plan)).output
    plan.write_text(json.dumps({"time_zone": "UTC", "columns": []}))
    assert "date_order" in run("import", str(logger_file(columns="p,q")), "--plan", str(plan)).stderr


def test_init_names_the_farm_and_keeps_it(run: Run) -> None:
    assert "Database ready" in run("init", "--name", "Mine", "--time-zone", "America/Santiago", "--units", "us").output
    assert run("init").exit_code == 0
    assert "No blocks yet." in run("advise").output
    assert run("init", "--name", "X", "--time-zone", "Nowhere").exit_code == 1


def test_other_machines_are_served_only_by_a_name_and_never_the_demonstration(run: Run) -> None:
    refused = run("serve", EMBALSE_HOST="0.0.0.0")
    assert refused.exit_code == 1 and "EMBALSE_PUBLIC_NAME" in refused.stderr
    run("init", "--name", "Farm")
    make_demo_people([("m", "M", "manager", True)])
    refused = run("serve", EMBALSE_HOST="0.0.0.0", EMBALSE_PUBLIC_NAME="farm.example")
    assert refused.exit_code == 1 and "loopback" in refused.stderr


def test_people_are_invited_and_the_trail_is_printed(run: Run) -> None:
    run("init", "--name", "Farm")
    told = run("person", "add", "ana", "--name", "Ana", "--role", "field hand")
    code = told.stdout.strip().split("#")[1]
    assert accept_invitation(code, "three brown hens").name == "Ana"
    assert "field hand" in run("person", "list").stdout and "active" in run("person", "list").stdout
    assert run("person", "invite", "nobody").exit_code == 1
    lines = json.loads(run("changes", "--about", "ana", "--json").stdout)["changes"]
    assert [(c["who"], c["what"]) for c in lines] == [
        ("Ana", "password set"), ("command line", "invited"), ("command line", "created"),
    ]  # fmt: skip
    assert "ana" in run("changes").stdout
    assert "EMBALSE_PORT" in run("serve", EMBALSE_PORT="x").stderr


def test_a_farm_moves_to_another_machine(run: Run, document: Callable[[Any], str], tmp_path: Path) -> None:
    run("apply", document(PLAIN_FARM))
    target = tmp_path / "out.json"
    assert run("export", str(target)).output.startswith("Written")
    elsewhere = str(tmp_path / "elsewhere")
    assert "created 8" in run("apply", str(target), EMBALSE_DATA=elsewhere).output
    text = run("export", "-", EMBALSE_DATA=elsewhere).output
    assert json.loads(text) == json.loads(target.read_text())
    assert run("export", "-", EMBALSE_DATA=str(tmp_path / "nothing")).exit_code == 1


SAMPLES = """raw,tare_g,wet_g,dry_g,ring_volume_cm3,soil,depth_cm
301 299,52.1,214.8,180.2,100,loam,30
381,51.9,209.1,181.0,100,loam,30
450,52.0,203.9,180.5,100,loam,30
521,52.2,198.3,180.9,100,loam,30
611,52.0,192.1,181.2,100,loam,30
690,51.8,185.2,180.7,100,loam,30
"""


def test_a_calibration_is_fitted_without_a_database(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "samples.csv"
    path.write_text(SAMPLES)
    told = json.loads(run("calibrate", str(path), "--json").stdout)
    assert told["best"] == "linear" and told["samples"][0]["raw"] == 300
    assert told["samples"][0]["theta"] == pytest.approx((214.8 - 180.2) / 100)
    assert told["calibration"]["curve"]["coefficients"][1] == pytest.approx(-0.00077, rel=0.03)
    words = run("calibrate", str(path)).stdout
    assert "left out" in words and "one curve for all" in words
    path.write_text(
        SAMPLES.replace("52.0,203.9,180.5", "52.0,170.9,180.5").replace(",100,loam,30\n690", ",x,loam,30\n690")
    )
    refused = run("calibrate", str(path))
    assert refused.exit_code == 1
    assert "line 4, wet_g" in refused.stderr and "line 6, ring_volume_cm3" in refused.stderr
    path.write_text("raw,theta\n")
    assert "no sample" in run("calibrate", str(path)).stderr


def test_every_command_of_the_list_can_be_loaded_under_its_name() -> None:
    context = click.Context(main)
    for name in [*main.list_commands(context), "schemas"]:
        found = main.get_command(context, name)
        assert found is not None and found.name == name
    assert main.get_command(context, "nothing") is None
    assert set(COMMANDS) == set(main.list_commands(context)) and "schemas" not in COMMANDS


def test_marks_of_a_season_that_is_over_are_known_from_their_days(
    run: Run, document: Callable[[Any], str], logger_file: Callable[..., Path]
) -> None:
    choice = {"key": "c1", "block": "one", "mark": "full", "how": "theta", "value": 0.31, "top_cm": 0, "bottom_cm": 60,
              "valid_from": "2026-07-10", "note": "read after the wetting"}  # fmt: skip
    rules = {"key": "r1", "block": "one", "valid_from": "2026-07-10", "lead_days": 2, "entered": "2026-07-12T08:00"}
    past = {"embalse": 1, "mark_choices": [choice], "block_rules": [rules]}
    run("apply", document(PLAIN_FARM))
    run("import", str(logger_file()))

    def full_mm(day: str) -> float:
        answer = json.loads(run("advise", "--as-of", f"{day}T12:00", "--json", "one").output)
        return float(answer["blocks"][0]["marks"]["full_mm"])

    before = full_mm("2026-07-11")
    assert "created 2" in run("apply", document(past), "--known-from-its-days").output
    assert full_mm("2026-07-11") == pytest.approx(10 * 60 * 0.31) and full_mm("2026-07-11") != before
    assert full_mm("2026-07-09") == before
    said = json.loads(run("export", "-").output)
    assert said["mark_choices"][0]["entered"].startswith("2026-07-10T00:00")
    assert said["block_rules"][0]["entered"].startswith("2026-07-12T08:00")
    assert "created 0, changed 0" in run("apply", document(past), "--known-from-its-days").output


def test_curves_are_given_apart_where_one_may_not_serve_all(run: Run, tmp_path: Path) -> None:
    rows = ["raw,theta,soil,depth_cm"]
    for depth, offset in ((20, 0.0), (60, 0.08)):
        rows += [
            f"{raw},{0.05 + offset + 0.0004 * raw + 0.003 * (raw % 7 - 3):.4f},clay,{depth}"
            for raw in range(200, 640, 40)
        ]
    path = tmp_path / "samples.csv"
    path.write_text("\n".join(rows) + "\n")
    content = json.loads(run("calibrate", str(path), "--json").output)
    assert not content["may_pool"]
    assert [(a["group"], a["depth_cm"], a["samples"]) for a in content["apart"]] == [
        ("clay 20 cm", 20.0, 11),
        ("clay 60 cm", 60.0, 11),
    ]
    for apart in content["apart"]:
        assert apart["best"] and apart["calibration"]["rmse_theta"] < 0.02
    told = run("calibrate", str(path)).output
    assert "clay 20 cm: " in told and "clay 60 cm: " in told
    path.write_text("\n".join(r if n == 0 else r.rsplit(",", 2)[0] + ",," for n, r in enumerate(rows)) + "\n")
    assert json.loads(run("calibrate", str(path), "--json").output)["apart"] == []


def test_a_reader_that_stops_listening_is_no_trouble() -> None:
    script = (
        "import click; from embalse.cli.common import complains; "
        "complains(lambda: [click.echo(str(n) * 500) for n in range(2000)])()"
    )
    piped = f"{sys.executable} -c '{script}' | head -c 10; exit ${{PIPESTATUS[0]}}"
    told = subprocess.run(["bash", "-c", piped], check=False, capture_output=True)
    assert (told.returncode, told.stderr, len(told.stdout)) == (0, b"", 10)
