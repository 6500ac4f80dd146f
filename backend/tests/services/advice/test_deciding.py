"""Rules, orders, forecasts and weather on a farm, as they were known at every moment."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.core.errors import CoreError
from embalse.core.weather.reference_et import Place
from embalse.services import times
from embalse.services.advice.advise import round_content, what_if_content
from embalse.services.advice.block_page import block_content
from embalse.services.advice.ledger import ledger_content
from embalse.services.advice.profile_page import profile_content
from embalse.services.advice.skill import skill_content
from embalse.services.document.deleting import delete
from embalse.services.intake.import_plan import ImportPlan, PlanColumn
from embalse.services.intake.imports import run_import
from embalse.services.intake.weather_import import import_forecast, import_weather
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.schema.refused import DocumentErrors
from embalse.services.setup import overrides
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound
from tests.conftest import put

NOW = "2026-07-14T06:00"


def advice(key: str, moment: str | None = None) -> Any:
    return round_content(moment, [key]).blocks[0]


def test_the_pivot_cannot_keep_up_and_garlic_whose_sensors_are_at_their_end_is_not_told_to_stop(demo: Settings) -> None:
    pivot, garlic = advice("circulo"), advice("mesa")
    assert pivot.group == "act" and "Falling behind" in pivot.reason
    assert {"capacity", "window"} <= {n.kind for n in pivot.notices} and pivot.by_weather
    assert pivot.advised is not None and pivot.advised.timer_fraction is not None
    # true depletion is past refill; both tensiometers stand at 80 kPa, so the store that is read is the most there is
    assert garlic.group == "act" and not garlic.can_finish and garlic.advised is not None
    assert "It may be past refill already" in garlic.reason
    assert sum("at the dry end of its range" in note for note in garlic.not_trusted) == 2
    ladera = advice("ladera")
    assert ladera.advised is not None and ladera.advised.pulses is not None


def test_the_same_question_has_the_same_answer(demo: Settings) -> None:
    assert round_content(NOW) == round_content(NOW)
    assert profile_content("norte-1", NOW) == profile_content("norte-1", NOW)


def test_a_past_morning_goes_by_the_forecast_of_that_morning(demo: Settings) -> None:
    then = ledger_content("olivar", "2026-06-20T06:00")
    assert "forecast of Sat 20 Jun" in then.weather and then.days[-1].when == "ahead"
    assert max(d.day for d in then.days if d.when == "past") == "2026-06-19"
    early = ledger_content("olivar", "2026-03-20T06:00")
    assert early.weather == "no forecast: ETo as in the last 19 days, 2.5 mm a day; no rain" and not early.why_not


def test_the_layers_ahead_lose_what_the_root_zone_loses(demo: Settings) -> None:
    page = block_content("olivar")
    station = page.stations[0]
    inside = [layer for layer in station.layers if layer.used_cm > 0]
    assert len(page.ahead_at) == len(page.fan) == len(inside[0].ahead_mm)
    whole = sum(layer.ahead_mm[0] - layer.ahead_mm[-1] for layer in station.layers)
    assert whole == pytest.approx(page.fan[0].mid_mm - page.fan[-1].mid_mm, abs=1.0)
    assert all(a.low_mm <= a.mid_mm <= a.high_mm for a in page.fan)
    assert station.depletion_mm is not None and station.error_mm is not None


@pytest.mark.parametrize("days", [24, 26, 27, 28, 29, 30])
def test_water_of_the_day_before_the_first_is_no_wetting_that_nobody_can_explain(demo: Settings, days: int) -> None:
    """The furrows ran in the evening of 16 June; readings by hand still rise on the morning of the 18th."""
    found = profile_content("vega", NOW, days).wettings
    assert found and all(w.explained for w in found)


def test_leaks_and_roots_are_seen_on_the_demonstration(demo: Settings) -> None:
    leaking = profile_content("norte-2")
    assert "leaking" in {d.kind for d in leaking.diagnoses}
    assert all(w.explained for w in leaking.wettings) and len(leaking.wettings) > 5
    assert sum(w.below_mm or 0 for w in leaking.wettings) > 50
    sealed = profile_content("ladera")
    assert "sealed" in {d.kind for d in sealed.diagnoses}
    roots = profile_content("olivar").stations[0]
    assert roots.seen_root_depth_cm is not None and 60 <= roots.seen_root_depth_cm <= 110


def test_past_calls_are_kept_as_they_were(demo: Settings) -> None:
    first = skill_content("olivar", "2026-07-01T06:00", 40)
    later = skill_content("olivar", NOW, 53)
    by_day = {c.day: c.mid_days for c in later.calls}
    assert first.calls and all(by_day[c.day] == c.mid_days for c in first.calls)
    assert later.judged >= first.judged and later.words.startswith("Of the last")


def test_what_if_reaches_the_new_entries(demo: Settings) -> None:
    found = what_if_content("circulo", {"lead_days": 0.0, "rain_room_mm": 4.0})
    room = next(line for line in found.after.working if line.key == "rain_room_mm")
    assert room.value == 4.0 and room.source.title == "what if"
    with pytest.raises(CoreError, match="below 200"):
        what_if_content("circulo", {"rain_room_mm": 900.0})


def held(farm: Settings) -> None:
    with transaction():
        farm_store.hold_clock(times.parse_moment("2026-07-14T06:00", "Europe/Madrid"))


def test_an_order_stands_over_the_advice_until_it_is_taken_back(farm: Settings) -> None:
    held(farm)
    body = overrides.OrderIn(action="hold", until="2026-07-15", note="pump is out")  # type: ignore[arg-type]
    given = overrides.give_order("one", body)
    assert [o.note for o in given.orders] == ["pump is out"]
    with transaction():
        farm_store.hold_clock(times.parse_moment("2026-07-14T07:00", "Europe/Madrid"))
    overrides.withdraw("one", overrides.WithdrawIn(kind="orders", key=given.orders[0].key))
    assert overrides.rules_content("one").orders == []
    assert len(overrides.rules_content("one", "2026-07-14T06:30").orders) == 1
    assert overrides.rules_content("one", "2026-07-14T05:30").orders == []
    with pytest.raises(Conflict, match="withdraw it"):
        delete("orders", given.orders[0].key)


def test_rules_hold_from_the_day_they_are_entered_by_stage(farm: Settings) -> None:
    held(farm)
    overrides.set_rules("one", overrides.RulesIn(lead_days=2.0, note="rotation"))
    found = overrides.set_rules("one", overrides.RulesIn(stage="mid", fill_share=0.8))
    assert {r.stage: r.lead_days for r in found.rules} == {"": 2.0, "mid": 0.0}
    with pytest.raises(DocumentErrors, match="threshold"):
        overrides.set_rules("one", overrides.RulesIn(trigger="upper tension"))
    with pytest.raises(NotFound):
        overrides.set_rules("two", overrides.RulesIn())
    window = {"what": "cutting", "dry_by": "2026-07-20", "until": "2026-07-18"}
    with pytest.raises(DocumentErrors, match="before the day"):
        overrides.add_window("one", overrides.WindowIn.model_validate(window))


def test_rules_for_a_variety_hold_while_it_stands(farm: Settings, plain: dict[str, Any]) -> None:
    """Stage by stage, its own before those for all; another variety's never."""
    held(farm)
    put({"embalse": 1, "blocks": [{**plain["blocks"][0], "planting_date": "2026-05-01", "variety": "early"}]})

    def share() -> float:
        return core_blocks(farm_store.farm_rows(), clock.farm_now(clock.the_farm()))[0].rules.fill_share

    overrides.set_rules("one", overrides.RulesIn(fill_share=0.9))
    overrides.set_rules("one", overrides.RulesIn(fill_share=0.5, variety="late"))
    assert share() == 0.9
    overrides.set_rules("one", overrides.RulesIn(fill_share=0.8, variety="early"))
    assert share() == 0.8
    overrides.set_rules("one", overrides.RulesIn(fill_share=0.7, stage="mid"))
    assert share() == 0.7
    overrides.set_rules("one", overrides.RulesIn(fill_share=0.6, stage="mid", variety="early"))
    assert share() == 0.6 and len(overrides.rules_content("one").rules) == 5
    put({"embalse": 1, "plantings": [{"key": "p", "valid_from": "2026-07-14", "block": "one", "crop": "tomato",
                                      "variety": "late"}]})  # fmt: skip
    assert share() == 0.5


HOURS = "at,t_c,rh_pct,wind_m_s,radiation_w_m2,rain_mm\n" + "\n".join(
    f"2026-07-12T{h:02d}:00,{20 + 10 * (8 < h < 20)},45,2.0,{700 if 7 <= h < 20 else 0},{2.5 if h == 15 else 0}"
    for h in range(24)
)
PLACE = Place(38.4, 700.0)


def test_hourly_weather_becomes_days(farm: Settings) -> None:
    report = import_weather(HOURS, PLACE)
    [(_, wind, dry)] = readings_store.climate(0, 10**6)
    assert 0 < wind < 6 and 0 < dry < 100
    day = times.day_number(datetime(2026, 7, 12).date())
    ((_, eto, note),) = readings_store.eto(day, day)
    assert report.days == 1 and 6 < eto < 11 and "sum of the hours" in note
    assert readings_store.rain(day, day) == [(day, 2.5)]
    assert readings_store.temperatures(day, day) == [(day, 30.0, 20.0)]


def test_missing_hours_are_filled_and_said_or_refused(farm: Settings) -> None:
    lines = HOURS.splitlines()
    filled = import_weather("\n".join(lines[:5] + lines[7:]), PLACE)
    assert "8 values filled" in filled.words[0]
    halved = "\n".join(line if i == 0 or i % 2 else ",".join([*line.split(",")[:2], "", "", "", ""])
                       for i, line in enumerate(lines))  # fmt: skip
    assert "worked out from the day's means" in import_weather(halved, PLACE).words[0]
    with pytest.raises(DocumentErrors, match="only 10 of 24"):
        import_weather("\n".join(lines[:11]), PLACE)
    with pytest.raises(DocumentErrors, match="line 3, t_c"):
        import_weather("\n".join([*lines[:2], "2026-07-12T01:00,900,,,,"]), PLACE)


def test_a_forecast_is_kept_as_it_was_issued(farm: Settings) -> None:
    issued = datetime(2026, 7, 14, 5)
    table = "day,member,eto_mm,rain_mm\n2026-07-14,a,7.1,0\n2026-07-14,b,6.8,4\n2026-07-15,a,7.5,0\n2026-07-15,b,7.7,1"
    assert import_forecast(table, issued, None).methods == {"2 members": 2}
    assert import_forecast(table, issued, None).unchanged == 1
    with pytest.raises(DocumentErrors, match="kept as it was"):
        import_forecast(table.replace("7.1", "9.1"), issued, None)
    with pytest.raises(DocumentErrors, match="same members"):
        import_forecast(table.rsplit("\n", 1)[0], datetime(2026, 7, 14, 6), None)
    warm = "day,tmax_c,tmin_c\n2026-07-14,36,18"
    with pytest.raises(DocumentErrors, match="needs the elevation"):
        import_forecast(warm, datetime(2026, 7, 14, 7), None)
    assert import_forecast(warm, datetime(2026, 7, 14, 7), PLACE).days == 1


def test_heat_moves_the_stages(farm: Settings, plain: dict[str, Any]) -> None:
    held(farm)
    needed = {"initial_gdd": 300.0, "development_gdd": 400.0, "mid_gdd": 900.0, "late_gdd": 300.0}
    block = {**plain["blocks"][0], "planting_date": "2026-05-01", "crop_values": {**needed, "gdd_base_c": 8.0}}
    warm = [{"day": times.day_of(20574 + n).isoformat(), "eto_mm": 6.0, "tmax_c": 30.0, "tmin_c": 14.0}
            for n in range(74)]  # fmt: skip
    put({**plain, "blocks": [block], "eto": warm})
    found = ledger_content("one")
    assert "by heat above 8 °C" in found.calendar
    cool = [{**day, "tmax_c": 18.0, "tmin_c": 8.0} for day in warm]
    before = round_content(None, ["one"]).blocks[0].stage
    put({**plain, "blocks": [block], "eto": cool})
    assert (before, round_content(None, ["one"]).blocks[0].stage) == ("mid", "development")


def test_the_command_line_says_the_same(demo: Settings, demo_data: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("EMBALSE_DATA", str(demo_data))
    said = CliRunner().invoke(main, ["wettings", "norte-2", "--as-of", NOW])
    assert said.exit_code == 0 and "leaking" in said.output and "below the roots" in said.output
    as_json = CliRunner().invoke(main, ["wettings", "norte-2", "--json", "--as-of", NOW])
    assert profile_content("norte-2", NOW).model_dump_json(indent=2) == as_json.output.strip()
    for command in ("ledger", "skill"):
        assert '"key": "olivar"' in CliRunner().invoke(main, [command, "olivar", "--as-of", NOW]).output


def test_the_farm_knows_its_moment(demo: Settings) -> None:
    assert times.iso(clock.farm_now(clock.the_farm()), "Europe/Madrid") == "2026-07-14T06:00+02:00"


def test_the_hour_to_wait_until_is_the_one_the_sentence_says(demo: Settings) -> None:
    ladera = advice("ladera")
    assert ladera.group == "coming" and ladera.wait_until_at is not None
    assert ladera.wait_until_at[11:16] in ladera.reason and ladera.reason.startswith("Wait until 16:05")
    assert advice("norte-1").wait_until_at is None


def test_a_managed_depth_counts_no_soil_below_it_and_says_so(farm: Settings, logger_file: Callable[..., Path]) -> None:
    whole = import_and_advise(logger_file)
    overrides.set_rules("one", overrides.RulesIn(managed_depth_cm=30.0, note="drip reaches 30 cm"))
    managed = block_content("one").advice
    assert whole.depletion_mm is not None and managed.depletion_mm is not None
    assert managed.root_depth_cm == 30.0 and managed.depletion_mm == pytest.approx(whole.depletion_mm / 2, rel=0.1)
    line = next(x for x in managed.working if x.key == "root_depth_cm")
    assert line.label == "Managed depth" and "roots go to 60 cm; drip reaches 30 cm" in line.source.detail
    deeper = overrides.set_rules("one", overrides.RulesIn(managed_depth_cm=90.0))
    assert deeper.rules[0].managed_depth_cm == 90.0 and block_content("one").advice.root_depth_cm == 60.0
    changed = what_if_content("one", {"root_depth_cm": 45.0}).after
    assert changed.root_depth_cm == 45.0
    with pytest.raises(DocumentErrors, match="managed_depth_cm"):
        overrides.set_rules("one", overrides.RulesIn(managed_depth_cm=4.0))


def import_and_advise(logger_file: Callable[..., Path]) -> Any:
    columns = [PlanColumn(column=f"one-{d}", sensor=f"one/a/{d}", unit="m3/m3") for d in (10, 30, 50)]
    path = logger_file()
    report = run_import(path, path.name, ImportPlan(time_zone="UTC", date_order="ymd", columns=columns))
    assert report.status == "done", report.message
    with transaction():
        farm_store.hold_clock(times.parse_moment(NOW, "Europe/Madrid"))
    return block_content("one").advice
