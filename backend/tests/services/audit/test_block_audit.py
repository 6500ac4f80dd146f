"""The audit of the demonstration's sets: what its stories are, and as known then."""

import json

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services.audit.block_audit import audit_content
from embalse.services.audit.choosing import AuditRulesIn, set_audit_rules
from embalse.store.errors import NotFound
from tests.conftest import put


def test_norte_2_leaks_and_one_set_did_not_run(demo: Settings) -> None:
    newest, *sets = [s for s in audit_content("norte-2", days=20).sets if s.start > "2026-06-27"]
    assert (newest.verdict, newest.ran_h, newest.why) == ("did not run", 0.0, "The valve did not open")
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


def test_the_pivot_is_looked_at_when_it_passes_its_station(demo: Settings) -> None:
    sets = audit_content("circulo", days=20).sets[:3]
    assert len(sets) == 3 and all(s.verdict == "right" for s in sets)
    assert all(s.gained_mm == pytest.approx(s.expected_mm, abs=2.5) for s in sets)


def test_sensors_that_are_not_calibrated_tell_no_amount_and_the_lower_ones_tell_the_dose(demo: Settings) -> None:
    found = audit_content("tunel", days=20)
    assert {s.why for s in found.sets} == {"Not calibrated: no amounts."}
    assert {s.lower.said for s in found.sets} <= {"strong", "slight", "none"} and found.sets[0].gained_mm is None
    assert found.dose.by_water is None and found.dose.by_lower is not None and found.dose.lower_sets >= 2


def test_a_block_that_runs_off_is_not_lengthened(demo: Settings) -> None:
    found = audit_content("ladera", days=30)
    assert found.dose.factor == 1.0 and "pulses" in found.dose.why[0]
    assert found.causes[0].code == "runoff"
    assert found.received is not None and found.received.efficiency is None


def test_a_set_that_was_cut_short_is_too_little_and_says_so(demo: Settings) -> None:
    [short] = [s for s in audit_content("bajo", days=5).sets if s.start.startswith("2026-07-12")]
    assert short.verdict == "too little" and short.why == "It ran 7 h 40 min of 10 h 15 min."


def test_what_went_below_is_said_over_the_block(demo: Settings) -> None:
    one = next(s for s in audit_content("norte-2", days=20).sets if s.verdict == "too much")
    assert one.below_mm is not None and f"{one.below_mm:.0f} mm went below the roots." in one.why


def test_shares_arrivals_and_the_lower_sensors_stand_with_each_set(demo: Settings) -> None:
    one = next(s for s in audit_content("norte-1", days=20).sets if s.verdict == "right")
    assert [a.depth_cm for a in one.arrivals] == sorted(a.depth_cm for a in one.arrivals)
    assert all(0 <= a.after_h < 72 for a in one.arrivals) and one.arrivals[0].after_h < 6
    assert one.application_efficiency == pytest.approx((one.gained_mm or 0) / one.gross_mm)
    assert one.storage_efficiency is not None and 0.5 < one.storage_efficiency <= 1
    assert one.lower.pairs == 2 and one.lower.unit == "m3/m3"


def test_a_delay_that_was_entered_holds(demo: Settings) -> None:
    assert audit_content("norte-1").lower_delay_h == 1.0
    set_audit_rules("norte-1", AuditRulesIn(lower_delay_h=6.0))
    found = audit_content("norte-1")
    assert (found.lower_delay_h, found.lower_delay_entered) == (6.0, True)
    assert audit_content("norte-1", "2026-07-14T05:00").lower_delay_h == 1.0


def test_the_whole_farm_and_csv_on_the_command_line(demo: Settings) -> None:
    env = {"EMBALSE_DATA": str(demo.data)}
    told = CliRunner().invoke(main, ["audit", "--days", "10"], env=env).output
    assert "Círculo" in told and "Norte 2: Set of Mon 13 Jul did not run" in told
    table = CliRunner().invoke(main, ["audit", "--csv", "--days", "10"], env=env).output
    assert table.startswith("block,name,start") and "too fast" in table
    past = CliRunner().invoke(main, ["audit", "norte-2", "--json", "--as-of", "2026-07-10T06:00"], env=env).output
    assert all(s["start"] < "2026-07-10" for s in json.loads(past)["sets"])


def test_nothing_is_corrected_by_probes_that_are_not_to_be_trusted(demo: Settings) -> None:
    found = audit_content("bajo", days=30)
    assert found.dose.factor == 1.0 and found.dose.water_sets == found.dose.lower_sets == 0
    assert found.dose.why == ["Nothing is corrected by these sets: look at pair by the ditch first."]
    assert found.received is None and any(s.verdict == "right" for s in found.sets)


def test_rain_that_came_with_it_is_told_as_it_fell(demo: Settings) -> None:
    put({"embalse": 1, "rain": [{"day": "2026-07-11", "depth_mm": 40.0}]})
    one = next(s for s in audit_content("norte-2", days=10).sets if s.start.startswith("2026-07-11"))
    assert (one.verdict, one.why) == ("cannot tell", "40 mm of rain came with it: they cannot be told apart.")
