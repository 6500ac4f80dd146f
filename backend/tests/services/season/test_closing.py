"""A season closed step by step, and the next one begun from it."""

import json
from datetime import date, datetime
from typing import Any

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services import times
from embalse.services.advice.advise import round_content
from embalse.services.document.export import farm_document as exported
from embalse.services.schema.refused import DocumentErrors
from embalse.services.season.account import season_account
from embalse.services.season.closing import NextSeasonIn, closing_content, farm_closing, start_next
from embalse.services.season.table import farm_plantings
from embalse.services.season.taking_back import TakeBackIn, take_back
from embalse.services.setup.procedure_runs import close_run, run_content
from embalse.store import farm as farm_store
from embalse.store.database import database, transaction
from embalse.store.errors import Conflict, NotFound
from tests.conftest import put
from tests.services.setup.test_practice import fill


def states(key: str, moment: str | None = None) -> dict[str, str]:
    return {s.code: s.state for s in closing_content(key, moment).steps}


@pytest.fixture
def planted(farm: Settings, plain: dict[str, Any]) -> Settings:
    """The small farm with tomatoes near their end, and their sensors in the ground."""
    fill({"10": 0.25, "30": 0.25, "50": 0.25})
    put({"embalse": 1, "blocks": [{**plain["blocks"][0], "planting_date": "2026-05-01"}],
         "dry_windows": [{"key": "w", "valid_from": "2026-06-01", "block": "one", "what": "harvest",
                          "dry_by": "2026-07-20", "until": "2026-07-22", "top_cm": 20}]})  # fmt: skip
    return farm


def take_out(ref: str) -> None:
    put({"embalse": 1, "procedure_runs": [{"key": "out", "procedure": "remove", "station": ref,
                                           "started": "2026-07-13T08:00"}]})  # fmt: skip
    done = {}
    for one in run_content("out").steps:
        value: Any = None
        if one.step.entry == "number":
            value = 0.4
        elif one.step.entry == "choice":
            value = one.step.options[0]
        done[one.id] = {"value": value, "at": "2026-07-13T09:00", "who": "Ada"}
    put({"embalse": 1, "procedure_runs": [{**run_content("out").run, "done": done}]})
    close_run("out")


def test_from_the_last_weeks_to_a_closed_season(planted: Settings) -> None:
    assert states("one") == {"water": "later", "out": "now", "clean": "later", "harvest": "later", "next": "later"}
    take_out("one/a")
    assert states("one")["out"] == states("one")["clean"] == "done"
    put({"embalse": 1, "harvests": [{"key": "h", "valid_from": "2026-07-14", "block": "one", "ends": True,
                                     "yield_t_ha": 88.0}]})  # fmt: skip
    assert states("one") == {"water": "done", "out": "done", "clean": "done", "harvest": "done", "next": "now"}
    content = closing_content("one")
    assert content.proposal is not None and content.proposal.crop == "tomato"
    assert content.proposal.first_day == "2027-05-01" and "no rotation" in content.proposal.why
    assert any("3 sensors put by" in s.words for s in content.steps)
    start_next("one", NextSeasonIn(crop="onion dry", variety="late", first_day=date(2027, 3, 1)))
    after = closing_content("one")
    assert set(states("one").values()) == {"done"} and after.proposal is None
    assert after.entered is not None and after.entered.crop == "onion dry"
    assert "To go in again" in after.kept[-1]


def test_the_same_crop_takes_its_own_values_with_it_and_another_none(planted: Settings, plain: dict[str, Any]) -> None:
    values = {"kc_mid": 1.05}
    put({"embalse": 1, "blocks": [{**plain["blocks"][0], "planting_date": "2026-05-01", "crop_values": values,
                                   "root_depth_cm": 55}]})  # fmt: skip
    start_next("one", NextSeasonIn(crop="tomato", first_day=date(2027, 5, 1)))
    start_next("one", NextSeasonIn(crop="onion dry", first_day=date(2027, 11, 1)))
    same, other = exported()["plantings"]
    assert same["crop_values"] == values and same["root_depth_cm"] == 55
    assert other["crop_values"] == {} and other["root_depth_cm"] is None
    assert [p[2] for p in farm_plantings()] == ["tomato", "tomato", "onion dry"]


def test_what_is_picked_is_put_in_force_and_nothing_else(demo: Settings) -> None:
    content = closing_content("norte-1")
    [lesson] = [one for one in content.lessons if one.what == "trigger"]
    before = round_content().model_dump()
    start_next("norte-1", NextSeasonIn(crop="almond", first_day=date(2027, 2, 20), lessons=["trigger"]))
    start_next("ladera", NextSeasonIn(crop="pistachio", first_day=date(2027, 2, 20)))
    picked, plain = (next(p for p in exported()["plantings"] if p["block"] == k) for k in ("norte-1", "ladera"))
    assert picked["allowable_depletion_fraction"] == lesson.value and lesson.words in picked["note"]
    assert plain["note"] == "" and plain["allowable_depletion_fraction"] != lesson.value
    assert round_content().model_dump() == before, "advice of this season stays"


def test_a_lesson_that_is_not_there_and_a_day_taken_are_refused(planted: Settings) -> None:
    with pytest.raises(Conflict, match="not taught"):
        start_next("one", NextSeasonIn(crop="tomato", first_day=date(2027, 5, 1), lessons=["efficiency"]))
    assert [p[1] for p in farm_plantings()] == [""]
    start_next("one", NextSeasonIn(crop="tomato", first_day=date(2027, 5, 1)))
    with pytest.raises(DocumentErrors, match="begins on that day"):
        start_next("one", NextSeasonIn(crop="tomato", first_day=date(2027, 5, 1)))
    with pytest.raises(NotFound):
        closing_content("nowhere")


def test_what_was_entered_wrongly_is_taken_back(planted: Settings) -> None:
    put({"embalse": 1, "harvests": [{"key": "h", "valid_from": "2026-07-13", "block": "one", "ends": True}]})
    start_next("one", NextSeasonIn(crop="onion dry", first_day=date(2027, 3, 1)))
    told = season_account("one").plantings
    assert told[0].harvests[0].ends and told[1].crop == "onion dry"
    assert round_content().blocks[0].crop == ""
    take_back("one", TakeBackIn(kind="harvests", key="h"))
    after = take_back("one", TakeBackIn(kind="plantings", key=told[1].key))
    assert [p.crop for p in after.plantings] == ["tomato"] and after.plantings[0].harvests == []
    assert round_content().blocks[0].crop == "tomato" and closing_content("one").proposal is not None
    with pytest.raises(Conflict, match="before"):
        take_back("one", TakeBackIn(kind="harvests", key="h"))
    with pytest.raises(NotFound):
        take_back("one", TakeBackIn(kind="plantings", key="nothing"))


def test_a_sensor_left_out_for_weeks_is_a_lesson_and_spikes_are_none(demo: Settings) -> None:
    assert not [one for one in closing_content("ladera").lessons if one.what == "sensor"], "spikes take out no day"
    sensor = next(s for s in farm_store.sensors() if s.ref == "olivar/a/60")
    last = times.epoch(datetime.fromisoformat("2026-07-01T06:00"), "Europe/Madrid")
    with transaction():
        database.execute_sql(
            """INSERT INTO fault (sensor_id, fault, start_at, end_at, known_at, readings, reason, verdict)
               VALUES (?, 'out of soil', ?, ?, ?, 480, 'loose', '')""",
            (sensor.id, last - 20 * 86400, last, last - 19 * 86400),
        )
    words = [one.words for one in closing_content("olivar").lessons]
    assert any("at 60 cm was left out on 20 days" in w for w in words)
    assert not any("left out" in one.words for one in closing_content("olivar", "2026-06-11T06:00").lessons)


def test_a_past_stand_of_closing_stays(planted: Settings) -> None:
    before = closing_content("one", "2026-07-12T06:00").model_dump()
    start_next("one", NextSeasonIn(crop="onion dry", first_day=date(2027, 3, 1)))
    assert closing_content("one", "2026-07-12T06:00").model_dump() == before


def test_every_block_of_the_demonstration_says_where_it_is(demo: Settings) -> None:
    found = {b.key: {s.code: s.state for s in b.steps} for b in farm_closing().blocks}
    assert len(found) == 10 and all(len(steps) == 5 for steps in found.values())
    assert found["mesa"]["out"] == "now" and found["olivar"]["out"] == "not needed"
    assert found["circulo"]["harvest"] == "not needed"


def test_the_command_line_says_the_same(demo: Settings) -> None:
    runner = CliRunner(env={"EMBALSE_DATA": demo.data})
    whole = runner.invoke(main, ["closing"]).output
    assert "Mesa, garlic: 1 station to come out by" in whole and "Olivar" in whole
    one = json.loads(runner.invoke(main, ["closing", "mesa", "--json"]).output)
    assert one["proposal"]["crop"] == "garlic" and one["steps"][1]["state"] == "now"
    assert "next: garlic" in runner.invoke(main, ["closing", "mesa"]).output
