"""The answer about a past moment is made from what was known then: one fact after another is changed since."""

import json
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.advice.ledger import ledger_content
from embalse.services.advice.profile_page import profile_content
from embalse.services.document.deleting import delete, restore
from embalse.services.document.export import farm_document as exported
from embalse.services.intake.import_plan import ImportPlan
from embalse.services.intake.imports import run_import
from embalse.services.marks.marks_page import marks_content
from embalse.services.setup.fault_review import decide
from embalse.store import farm as farm_store
from embalse.store import faults as fault_store
from embalse.store import known_then
from embalse.store.database import database, transaction
from tests.conftest import put

PLAN = ImportPlan.model_validate(
    {
        "time_zone": "Europe/Madrid",
        "date_order": "ymd",
        "columns": [{"column": f"one-{d}", "sensor": f"one/a/{d}"} for d in (10, 30, 50)],
    }
)
THEN = "2026-07-08T06:00"
BLOCK = "ladera"


def answers(moment: str | None = THEN) -> list[str]:
    made = [
        round_content(moment),
        ledger_content(BLOCK, moment),
        marks_content(BLOCK, moment),
        profile_content(BLOCK, moment, 40),
    ]
    return [one.model_dump_json() for one in made]


def part_of(document: dict[str, Any], section: str, key: str) -> dict[str, Any]:
    return next(p for p in document[section] if p["key"] == key)


def changed(section: str, key: str, **values: Any) -> dict[str, Any]:
    document = exported()
    part = part_of(document, section, key) | values
    return {"embalse": 1, section: [part]}


def horizons(**values: Any) -> dict[str, Any]:
    document = exported()
    block = part_of(document, "blocks", BLOCK)
    soil = part_of(document, "soils", block["soil"])
    first, *rest = soil["horizons"]
    return {"embalse": 1, "soils": [soil | {"horizons": [first | values, *rest]}]}


def lower_horizon(**values: Any) -> dict[str, Any]:
    document = exported()
    soil = part_of(document, "soils", part_of(document, "blocks", BLOCK)["soil"])
    return {"embalse": 1, "soils": [soil | {"horizons": [*soil["horizons"][:-1], soil["horizons"][-1] | values]}]}


def system() -> dict[str, Any]:
    block = part_of(exported(), "blocks", BLOCK)
    return changed("systems", block["system"], efficiency_fraction=0.55)


def other_system() -> str:
    document = exported()
    mine = part_of(document, "blocks", BLOCK)["system"]
    return str(next(s["key"] for s in document["systems"] if s["key"] != mine))


def calibration() -> dict[str, Any]:
    block = part_of(exported(), "blocks", BLOCK)
    station = block["stations"][0]
    sensor = station["sensors"][0]
    new = {"valid_from": "2026-06-01T00:00", "slope": 0.9, "intercept": 0.01, "rmse_theta": 0.03}
    stations = [{"key": station["key"], "sensors": [sensor | {"calibrations": [new]}]}]
    return {"embalse": 1, "blocks": [block | {"stations": stations}]}


FACTS: dict[str, Callable[[], dict[str, Any]]] = {
    "efficiency": system,
    "texture": lambda: horizons(texture="clay", sand_fraction=None, clay_fraction=None),
    "a mark of a horizon": lambda: horizons(full_theta=0.2, full_reason="seen"),
    "root depth": lambda: changed("blocks", BLOCK, root_depth_cm=40),
    "allowable share": lambda: changed("blocks", BLOCK, allowable_depletion_fraction=0.2),
    "area": lambda: changed("blocks", BLOCK, area_ha=3),
    "crop values": lambda: changed("blocks", BLOCK, crop_values={"kc_mid": 0.4}),
    "crop": lambda: changed("blocks", BLOCK, crop="tomato"),
    "wetted share": lambda: changed("blocks", BLOCK, wetted_fraction=0.2),
    "another system": lambda: changed("blocks", BLOCK, system=other_system()),
    "rate": lambda: changed("systems", part_of(exported(), "blocks", BLOCK)["system"], rate_mm_h=3.3),
    "a layer that stops roots": lambda: lower_horizon(restricts_roots=True),
    "wind and driest air": lambda: {
        "embalse": 1,
        "eto": [{**day, "wind_2m_m_s": 5.5, "rh_min_pct": 20} for day in exported()["eto"]],
    },
    "a planting": lambda: {
        "embalse": 1,
        "plantings": [{"key": "p-new", "block": BLOCK, "valid_from": "2026-06-01", "crop": "maize grain"}],
    },
    "a harvest": lambda: {
        "embalse": 1,
        "harvests": [{"key": "h-new", "block": BLOCK, "valid_from": "2026-06-20", "ends": True}],
    },
    "rain": lambda: {"embalse": 1, "rain": [{"day": "2026-07-06", "depth_mm": 25}]},
    "reference ET": lambda: {"embalse": 1, "eto": [{"day": "2026-07-06", "eto_mm": 2.0}]},
    "a set": lambda: {
        "embalse": 1,
        "sets": [{"block": BLOCK, "start": "2026-07-07T20:00", "hours": 5, "gross_mm": 20}],
    },
    "calibration": calibration,
    "an order": lambda: {
        "embalse": 1,
        "orders": [
            {
                "key": "o-new",
                "block": BLOCK,
                "action": "hold",
                "valid_from": "2026-07-05",
                "until": "2026-07-20",
                "note": "pump",
                "who": "x",
            }
        ],
    },
}


@pytest.mark.parametrize("kind", ["sets", "rain", "eto"])
def test_what_was_deleted_since_stays_in_the_answer(demo: Settings, kind: str) -> None:
    document = exported()
    day = next(d["day"] for d in reversed(document["rain"]) if d["day"] < THEN[:10])
    start = next(s["start"] for s in reversed(document["sets"]) if s["block"] == BLOCK and s["start"] < THEN)
    key = {"sets": f"{BLOCK}@{start}", "rain": day, "eto": "2026-07-06"}[kind]
    then, now = answers(), answers(None)
    delete(kind, key)
    assert answers() == then
    with known_then.all_known():
        assert answers() != then
    restore(kind, key)
    assert answers(None) == now and answers() == then


@pytest.mark.parametrize("fact", FACTS)
def test_a_fact_changed_since_leaves_the_answer_as_it_was(demo: Settings, fact: str) -> None:
    then, now = answers(), answers(None)
    put(FACTS[fact]())
    assert answers() == then
    with known_then.all_known():
        seen_today = answers()
    assert answers(None) != now or seen_today != then, "the change says something"
    assert answers() == then, "nothing is left behind"


def test_the_real_tables_are_whole_again(demo: Settings) -> None:
    put(FACTS["efficiency"]())
    before = json.dumps(exported(), sort_keys=True)
    with known_then.as_known(int(datetime(2026, 7, 8, 4, tzinfo=UTC).timestamp())):
        assert json.dumps(exported(), sort_keys=True) != before
    assert json.dumps(exported(), sort_keys=True) == before
    assert database.execute_sql("SELECT count(*) FROM sqlite_temp_master").fetchone() == (0,)


def test_before_it_was_kept_everything_known_now_counts(demo: Settings) -> None:
    since = known_then.known_since()
    assert since == int(datetime(2026, 3, 2, 9, tzinfo=UTC).timestamp())
    put(FACTS["efficiency"]())
    now = json.dumps(exported(), sort_keys=True)
    with known_then.as_known(since - 1):
        assert json.dumps(exported(), sort_keys=True) == now
    with known_then.as_known(since):
        assert json.dumps(exported(), sort_keys=True) != now


def test_a_fault_found_or_overruled_later_was_not_known(demo: Settings) -> None:
    then = answers()
    sensor = next(s for s in farm_store.sensors() if s.ref.startswith(f"{BLOCK}/"))
    start = int(datetime(2026, 7, 5, tzinfo=UTC).timestamp())
    with transaction():
        database.execute_sql(
            """INSERT INTO fault (sensor_id, fault, start_at, end_at, known_at, readings, reason, verdict)
               VALUES (?, 'out of soil', ?, ?, ?, 50, 'loose', '')""",
            (sensor.id, start, start + 4 * 86400, start + 6 * 86400),
        )
    from embalse.services.readings.rollups import update_rollups

    update_rollups(sensor.id, start, start + 4 * 86400, "Europe/Madrid")
    with known_then.all_known():
        assert answers() != then
    assert answers() == then
    fault = next(f for f in fault_store.of_sensor(sensor.id, start, start) if f.fault == "out of soil")
    decide("fault", fault.id, "overruled", "it was firm", "Inés")
    assert answers() == then


def test_readings_that_came_late_were_not_known(demo: Settings) -> None:
    """A logger out of reach from 5 to 10 July sends what it kept on the 14th."""
    start, end = (int(datetime(2026, 7, d, tzinfo=UTC).timestamp()) for d in (5, 10))
    refs = [s for s in farm_store.sensors() if s.ref.startswith(f"{BLOCK}/")]
    ids = [s.id for s in refs]
    marks = ", ".join("?" * len(ids))
    where = f"FROM reading WHERE sensor_id IN ({marks}) AND ts >= ? AND ts < ?"
    kept = database.execute_sql(f"SELECT sensor_id, ts, raw {where}", (*ids, start, end)).fetchall()
    from embalse.services.readings.faults import note_late
    from embalse.services.readings.rollups import update_rollups

    with transaction():
        database.execute_sql(f"DELETE {where}", (*ids, start, end))
    for one in ids:
        update_rollups(one, start, end, "Europe/Madrid")
    without = answers()
    with transaction():
        job = database.execute_sql("SELECT max(id) FROM import_job").fetchone()[0]
        database.connection().executemany(
            "INSERT INTO reading (sensor_id, ts, raw, job_id) VALUES (?, ?, ?, ?)", [(*row, job) for row in kept]
        )
        late: dict[int, list[int]] = {}
        for sensor_id, ts, _ in kept:
            late.setdefault(sensor_id, []).append(ts)
        note_late(late, int(datetime(2026, 7, 14, 4, tzinfo=UTC).timestamp()))
    for one in ids:
        update_rollups(one, start, end, "Europe/Madrid")
    with known_then.all_known():
        assert answers() != without
    assert answers() == without


def test_a_file_read_in_later_was_not_known(farm: Settings, logger_file: Callable[..., Path]) -> None:
    with transaction():
        database.execute_sql("UPDATE farm SET known_since = clock_at - 86400 * 30")
        database.execute_sql("UPDATE change SET at = (SELECT known_since FROM farm)")
    path = logger_file()
    assert run_import(path, path.name, PLAN).status == "done"
    assert round_content().blocks[0].storage_mm is not None
    assert round_content("2026-07-12T06:00").blocks[0].storage_mm is None
    with known_then.all_known():
        assert round_content("2026-07-12T06:00").blocks[0].storage_mm is not None


class TestSuspicions:
    """Crossed wires that were suspected, or decided on, later are not known before."""

    def test_one_is_known_from_the_reading_it_was_found_by(self, demo: Settings) -> None:
        [one] = fault_store.suspicions()
        found_at = database.execute_sql("SELECT found_at FROM suspicion").fetchone()[0]
        assert found_at == one.last_at
        with known_then.as_known(found_at - 1):
            assert fault_store.suspicions() == []
        with known_then.as_known(found_at):
            assert fault_store.suspicions() == [one]

    def test_a_later_one_moves_no_answer(self, demo: Settings) -> None:
        before = [marks_content("bajo", THEN).model_dump_json(), profile_content("bajo", THEN, 40).model_dump_json()]
        with transaction():
            fault_store.forget_suspicions(fault_store.suspicions()[0].station_id)
        assert before == [
            marks_content("bajo", THEN).model_dump_json(), profile_content("bajo", THEN, 40).model_dump_json()
        ]  # fmt: skip

    def test_a_later_decision_is_not_known_either(self, demo: Settings) -> None:
        [one] = fault_store.suspicions()
        decide("suspicion", one.id, "overruled", "checked", "Inés")
        decided = database.execute_sql("SELECT decided_at FROM suspicion").fetchone()[0]
        with transaction():
            database.execute_sql("UPDATE suspicion SET found_at = found_at - 864000")
        with known_then.as_known(decided - 1):
            assert [s.verdict for s in fault_store.suspicions()] == [""]
        with known_then.as_known(decided):
            assert [s.verdict for s in fault_store.suspicions()] == ["overruled"]

    def test_being_found_again_leaves_since_when(self, demo: Settings) -> None:
        [one] = fault_store.suspicions()
        again = {"upper": one.upper, "lower": one.lower, "against": 99, "wettings": 99, "words": one.words,
                 "last_at": one.last_at + 86400}  # fmt: skip
        with transaction():
            fault_store.replace_suspicions(one.station_id, [again])
        assert database.execute_sql("SELECT found_at, last_at FROM suspicion").fetchall() == [
            (one.last_at, one.last_at + 86400)
        ]
