"""A night through the controller: what was approved runs, what goes wrong is told, nothing is opened twice."""

import shutil
import subprocess
import sys
import time
from collections import Counter
from itertools import pairwise
from pathlib import Path

import pytest

from embalse.config import Settings
from embalse.services.acting.stepping import step, stop_all
from embalse.services.acting.tonight import tonight_content
from embalse.services.load.blocks import core_blocks
from embalse.services.planning.arming import armed
from embalse.services.reader import say
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from tests.services.acting.conftest import ZONE, Night


def logged(night: Night, block: str) -> list[tuple[float, float]]:
    """Hours and depth [mm] of the sets on record that night."""
    found = readings_store.sets(block, night.at(-2), night.at(20))
    return [((s.end_at - s.start_at) / 3600, s.gross_mm) for s in found]


def openings(night: Night) -> Counter[str]:
    return Counter(e["valve"] for e in night.log() if e["what"] == "opened")


def test_a_set_runs_and_is_on_record_as_it_ran(night: Night) -> None:
    key = night.approve("N1", 0.0, 4.0)
    night.arm()
    night.go(5.0)
    one = night.set(key)
    assert [e.state for e in one.part.events] == ["approved", "sent", "confirmed", "running", "done"]
    [(hours, gross)] = logged(night, "norte-1")
    assert hours == pytest.approx(4.0, abs=0.1) and gross == pytest.approx(250 * 4 / 180, rel=0.02)
    content = tonight_content()
    [told] = [s for s in content.done if s.key == key]
    assert told.water_from == "measured" and told.evidence == ["controller"] and told.short_mm is None


def test_nothing_is_opened_while_the_supply_is_not_armed(night: Night) -> None:
    key = night.approve("N1", 0.0, 4.0)
    night.go(5.0, every_min=30)
    assert night.set(key).state == "approved" and openings(night) == {} and store.commands_of(key) == []
    [told] = [s for s in tonight_content().done if s.key == key]
    assert told.unsure and "did it run?" in tonight_content().last_night


def test_what_is_withdrawn_is_not_opened(night: Night) -> None:
    from embalse.services.planning.approving import ChangeIn, change

    key = night.approve("N1", 0.0, 4.0)
    night.arm()
    change(key, ChangeIn(withdraw=True, note="rain"))
    night.go(1.0, every_min=15)
    assert night.set(key).state == "withdrawn" and openings(night) == {}


def test_a_valve_that_does_not_open_is_told_and_no_water_put_on_record(night: Night) -> None:
    night.faults(stuck=["N1"])
    key = night.approve("N1", 0.0, 4.0)
    night.arm()
    night.go(1.0, every_min=15)
    assert night.set(key).state == "failed" and night.set(key).part.events[-1].note == "the valve did not open"
    assert logged(night, "norte-1") == []
    assert "Norte 1 did not run: the valve did not open" in tonight_content().last_night


def test_lost_pressure_cuts_a_set_short(night: Night) -> None:
    night.faults(pressure_lost_at=night.at(3.0))
    key = night.approve("N1", 0.0, 6.0)
    night.arm()
    night.go(7.0)
    assert night.set(key).state == "cut short"
    [(hours, gross)] = logged(night, "norte-1")
    assert hours == pytest.approx(3.0, abs=0.1) and gross == pytest.approx(250 * 3 / 180, rel=0.03)
    said = tonight_content().last_night
    assert "Norte 1 2 h 55 min of 6 h" in said or "Norte 1 3 h 00 min of 6 h" in said
    assert "no pressure from 23:30" in said and "mm short" in said


def test_thirty_percent_less_flow_is_told_and_only_what_came_is_on_record(night: Night) -> None:
    night.faults(flow_factor=0.7)
    key = night.approve("N1", 0.0, 4.0)
    night.arm()
    night.go(5.0)
    one = night.set(key)
    assert one.state == "done" and "less water than planned" in one.part.events[-1].note
    assert logged(night, "norte-1")[0][1] == pytest.approx(0.7 * 250 * 4 / 180, rel=0.03)


def test_a_lost_line_closes_itself_and_what_was_due_meanwhile_is_opened_late_within_its_hours(night: Night) -> None:
    night.faults(line_lost_at=night.at(1.0), line_back_at=night.at(4.0))
    first, late, never = night.approve("N1", 0.0, 2.0), night.approve("N2", 2.5, 3.0), night.approve("B-west", 2.0, 2.0)
    night.arm()
    night.go(7.0)
    assert night.set(first).state == "done" and logged(night, "norte-1")[0][0] == pytest.approx(2.0, abs=0.1)
    shut = next(e for e in night.log() if e["valve"] == "N1" and e["what"].startswith("closed"))
    assert shut["what"] == "closed: longest time" and shut["at"] <= night.at(2.0) + 180
    assert night.set(late).state == "cut short" and logged(night, "norte-2")[0][0] == pytest.approx(1.4, abs=0.15)
    assert night.set(never).state == "failed" and "not reached in time" in night.set(never).part.events[-1].note
    assert openings(night) == {"N1": 1, "N2": 1}


def test_a_clock_four_minutes_off_shifts_nothing(night: Night) -> None:
    night.faults(clock_off_s=240.0)
    key = night.approve("N1", 0.0, 2.0)
    night.arm()
    night.go(3.0)
    [told] = [s for s in tonight_content().done if s.key == key]
    assert told.ran_start is not None and told.ran_start[11:16] in ("20:30", "20:31", "20:35")
    assert told.ran_hours == pytest.approx(2.0, abs=0.1) and tonight_content().controllers[0].clock_off_s == 240.0


def test_a_power_cut_in_the_middle(night: Night) -> None:
    night.faults(power_cut_at=night.at(1.0), power_back_at=night.at(1.5))
    key = night.approve("N1", 0.0, 4.0)
    night.arm()
    night.go(5.0)
    assert night.set(key).state == "cut short" and logged(night, "norte-1")[0][0] == pytest.approx(1.0, abs=0.1)
    assert openings(night) == {"N1": 1}


def test_nonsense_is_not_believed_and_stops_nobody(night: Night) -> None:
    night.faults(nonsense=True)
    key = night.approve("N1", 0.0, 4.0)
    night.arm()
    night.go(0.5, every_min=10)
    row = store.controllers()[0]
    assert row.tries >= 1 and "not understood" in row.trouble and night.set(key).state == "approved"
    night.faults(nonsense=False)
    night.go(5.0)
    assert night.set(key).state == "cut short" and store.controllers()[0].trouble == "" and openings(night) == {"N1": 1}


def test_valves_of_a_line_open_one_after_another(night: Night) -> None:
    night.approve("N1", 0.0, 2.0)
    night.approve("N2", 0.0, 2.0)
    night.arm()
    night.go(0.2, every_min=0.25)
    first, second = (e["at"] for e in night.log() if e["what"] == "opened")
    assert second - first >= 60


def test_looking_twice_or_forgetting_everything_opens_nothing_twice(night: Night) -> None:
    key = night.approve("N1", 0.0, 4.0)
    night.arm()
    night.go(1.0)
    for _ in range(3):
        step(night.at(1.0))
    assert openings(night) == {"N1": 1}
    row = store.controllers()[0]
    store.put_controller(
        row.key, {"name": "n", "supply": row.supply, "url": row.url, "token": "secret", "valves": list(row.valves)}
    )
    night.go(5.0)
    assert openings(night) == {"N1": 1} and night.set(key).state == "done"


def test_stop_all_closes_every_valve_and_disarms(night: Night) -> None:
    one, other = night.approve("N1", 0.0, 4.0), night.approve("N2", 2.0, 2.0)
    night.arm()
    night.go(1.0)
    assert stop_all("Inés") == []
    assert not armed("pozo", night.at(1.0), ZONE) and night.set(one).state == "cut short"
    night.go(5.0, every_min=15)
    assert openings(night) == {"N1": 1} and night.set(other).state == "approved"


def test_stop_all_says_who_was_not_reached(night: Night) -> None:
    night.approve("N1", 0.0, 4.0)
    night.arm()
    night.go(0.5)
    night.faults(line_lost_at=night.at(0.5))
    assert stop_all("Inés") == ["valve box"] and not armed("pozo", night.at(0.5), ZONE)


def test_three_measured_sets_change_the_rate_and_say_so(night: Night) -> None:
    night.faults(flow_factor=0.9)
    for n in range(3):
        night.approve("N1", 2.0 * n, 1.5)
    night.arm()
    night.go(7.0, every_min=10)
    before, after = (
        next(b for b in core_blocks(farm_store.farm_rows(), night.at(h)) if b.key == "norte-1") for h in (5.4, 5.6)
    )
    assert before.system is not None and after.system is not None
    assert after.system.rate_mm_h == pytest.approx(0.9 * 250 / 180, rel=0.02) != before.system.rate_mm_h
    told = say(after.sources["rate_mm_h"].detail)
    assert "median of the last 5 sets measured" in told and "by the outlets" in told


def test_a_flow_that_falls_at_steady_pressure_reads_as_clogging(night: Night) -> None:
    night.arm()
    for n in range(6):
        night.faults(flow_factor=1.0 - 0.04 * n)
        night.approve("N2", 1.5 * n, 1.0)
        night.go(1.5 * n + 1.2, every_min=10)
    [words] = [w for w in tonight_content().flows if w.startswith("Norte 2")]
    assert "at steady pressure" in words and "clogged" in words


def test_the_simulated_controller_ends_with_the_server_that_began_it(demo: Settings, demo_data: Path) -> None:
    folder = demo.data_dir / "demo"
    shutil.copytree(demo_data / "demo", folder)
    begun = "import sys; from embalse.store.database import open_database; from pathlib import Path\n"
    begun += f"open_database(Path({str(demo.database)!r}))\nfrom embalse.standins.valve_process import start_valves\n"
    begun += f"print(start_valves(Path({str(folder)!r})).pid, flush=True)\nimport time; time.sleep(60)"
    server = subprocess.Popen([sys.executable, "-c", begun], stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    valves = int(server.stdout.readline())
    assert Path(f"/proc/{valves}").exists()
    server.kill()
    server.wait()
    end = time.monotonic() + 10
    while Path(f"/proc/{valves}").exists() and time.monotonic() < end:
        time.sleep(0.1)
    assert not Path(f"/proc/{valves}").exists()


def test_pulses_open_and_close_one_after_another_and_are_one_set(night: Night) -> None:
    key = night.approve("N1", 0.0, 4.0, pulses=4, flowing_min=120.0)
    night.arm()
    night.go(5.0)
    assert openings(night) == {"N1": 4} and night.set(key).state == "done"
    [(hours, gross)] = logged(night, "norte-1")
    assert hours == pytest.approx(4.0, abs=0.1) and gross == pytest.approx(250 * 2 / 180, rel=0.05)
    spans = [e["at"] for e in night.log() if e["what"] in ("opened", "closed")]
    assert [round((b - a) / 60) for a, b in pairwise(spans)][::2] == [30, 30, 30, 30]


def test_a_set_in_pulses_whose_line_is_lost_closes_each_by_itself_and_opens_none_twice(night: Night) -> None:
    night.faults(line_lost_at=night.at(0.2), line_back_at=night.at(2.0))
    key = night.approve("N1", 0.0, 4.0, pulses=4, flowing_min=120.0)
    night.arm()
    night.go(5.0)
    assert openings(night)["N1"] < 4 and night.set(key).state in ("cut short", "done")
    shut = next(e for e in night.log() if e["what"].startswith("closed"))
    assert shut["what"] == "closed: longest time" and logged(night, "norte-1")[0][1] < 250 * 2 / 180
