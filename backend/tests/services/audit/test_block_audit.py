"""The audit of the demonstration's sets: what its stories are, and as known then."""

import json

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.audit.block_audit import audit_content
from embalse.store.errors import NotFound


def test_norte_2_leaks_and_one_set_did_not_run(demo: Settings) -> None:
    newest, *sets = [s for s in audit_content("norte-2", days=20).sets if s.start > "2026-06-27"]
    assert (newest.verdict, newest.ran_h, newest.why) == ("did not run", 0.0, "the valve did not open")
    assert len(sets) >= 4 and all(s.verdict == "too much" for s in sets)
    told = [s.below_mm for s in sets if s.below_mm is not None]
    assert len(told) >= 3 and min(told) > 2 and max(told) > 5
    assert all(s.gained_mm == pytest.approx(s.expected_mm, abs=3) for s in sets)


def test_ladera_is_watered_too_fast(demo: Settings) -> None:
    sets = [s for s in audit_content("ladera", days=20).sets if s.start < "2026-07-13"]
    assert sets and all(s.verdict == "too fast" for s in sets)
    assert all(s.missing_mm is not None and s.missing_mm > 10 for s in sets)


def test_olivar_is_right(demo: Settings) -> None:
    sets = audit_content("olivar", days=20).sets
    assert [s.verdict for s in sets if s.start < "2026-07-13"].count("right") >= 2


def test_hours_planned_stand_beside_those_that_ran(demo: Settings) -> None:
    [short] = [s for s in audit_content("bajo", days=5).sets if s.start.startswith("2026-07-12")]
    assert short.planned_h == 10.25 and short.ran_h == pytest.approx(7.69, abs=0.01)


def test_as_of_a_past_moment_later_sets_are_not_known(demo: Settings) -> None:
    past = audit_content("norte-2", "2026-07-10T06:00", 20)
    assert past.sets and all(s.start < "2026-07-10" for s in past.sets)


def test_on_the_command_line(demo: Settings) -> None:
    env = {"EMBALSE_DATA": str(demo.data)}
    content = json.loads(CliRunner().invoke(main, ["audit", "norte-2", "--json", "--days", "20"], env=env).output)
    assert {"verdict", "expected_mm", "gained_mm", "below_mm", "reach_cm", "error_mm"} <= set(content["sets"][0])
    told = CliRunner().invoke(main, ["audit", "norte-2", "--days", "20"], env=env).output
    assert "did not run" in told and "went below the roots" in told
    assert CliRunner().invoke(main, ["audit", "nowhere"], env=env).exit_code != 0


def test_a_block_that_is_not_there(demo: Settings) -> None:
    with pytest.raises(NotFound):
        audit_content("nowhere")
