"""The order of the day, what wants to be seen, and the day in one sentence."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.decision import Group
from embalse.core.advice.ranking import VisitReason, day_notices, urgency, visit_order, visit_reasons
from embalse.core.advice.soaking import NO_WATER
from embalse.core.crop.dry_down import DaysToRefill
from embalse.core.root_zone.block import Sensor, SensorReadings, Station
from embalse.core.sensors.calibration import linear
from embalse.core.wording import Notice
from tests.core.build import DAY, DEPTHS, MOMENT, NOW, block, drying, readings

NONE = NO_WATER


def analysis(name: str, group: Group, days: float | None, theta: float = 0.25) -> BlockAnalysis:
    found = analyse(replace(block(), name=name), readings(theta), NONE, MOMENT)
    date = None if days is None else DaysToRefill(days, days, days)
    return replace(found, advice=replace(found.advice, group=group, days=date))


def ordered(*blocks: BlockAnalysis) -> list[str]:
    return [b.block.name for b in sorted(blocks, key=urgency)]


def test_groups_come_first_then_days_then_water_left_then_names() -> None:
    assert ordered(
        analysis("later", "leave", 9.0), analysis("none", "none", None), analysis("now", "act", 0.0),
        analysis("soon", "coming", 3.0),
    ) == ["now", "soon", "later", "none"]  # fmt: skip
    assert ordered(analysis("b", "coming", 4.0), analysis("a", "coming", 3.9)) == ["a", "b"]
    assert ordered(analysis("wet", "act", 0.0, 0.25), analysis("dry", "act", 0.0, 0.21)) == ["dry", "wet"]
    assert ordered(analysis("b", "act", 0.0), analysis("a", "act", 0.0)) == ["a", "b"]
    assert ordered(analysis("undated", "leave", None), analysis("dated", "leave", 300.0)) == ["dated", "undated"]


def seen(**by_depth: SensorReadings) -> list[VisitReason]:
    """Reasons of a block whose sensors read as given, the others well."""
    hand = tuple(Sensor(f"a/{d:g}", d, "m3/m3", (linear(-np.inf, 1.0, 0.0, 0.02, ""),)) for d in DEPTHS)
    given = block((Station("a", "station a", hand),))
    found = analyse(given, {**readings(0.25), **{k.replace("d", "a/"): v for k, v in by_depth.items()}}, NONE, MOMENT)
    return visit_reasons([found])


SILENT = drying(age_h=30.0)
FAULTY = replace(drying(), fault=Notice("fault.since", fault="stuck", since_day=DAY, reason=""))
DOUBTED = replace(drying(), doubts=(Notice("fault.since", fault="noise", since_day=DAY, reason=""),))


def test_a_sensor_that_is_silent_or_faulty_wants_to_be_seen_before_one_that_is_doubted() -> None:
    assert seen() == []
    [silent] = seen(d30=SILENT)
    assert (silent.station, silent.sensor, silent.severity, silent.by_hand) == ("b/a", "a/30", 2, False)
    assert isinstance(silent.why, Notice) and silent.why["depth_cm"] == 30.0
    [faulty] = seen(d30=FAULTY)
    assert faulty.severity == 2
    [doubted] = seen(d30=DOUBTED)
    assert (doubted.sensor, doubted.severity) == ("a/30", 3)


def test_a_station_that_is_silent_as_a_whole_is_one_reason() -> None:
    [whole] = seen(d10=SILENT, d30=SILENT, d50=SILENT)
    assert (whole.sensor, whole.severity) == ("", 0)
    assert len(seen(d10=SILENT, d30=SILENT)) == 2


@pytest.mark.parametrize(("age_days", "late"), [(7.4, False), (7.6, True)])
def test_a_round_by_hand_that_is_late_is_asked_for(age_days: float, late: bool) -> None:
    sensors = tuple(
        Sensor(f"a/{d:g}", d, "m3/m3", (linear(-np.inf, 1.0, 0.0, 0.02, ""),), read_every_days=7.0) for d in DEPTHS
    )
    old = {f"a/{d:g}": SensorReadings(NOW - 86400 * age_days, 0.25) for d in DEPTHS}
    found = visit_reasons([analyse(block((Station("a", "station a", sensors),)), old, NONE, MOMENT)])
    assert [(r.severity, r.sensor, r.by_hand) for r in found] == ([(0, "", True)] if late else [])


def test_visits_are_walked_most_urgent_first() -> None:
    reasons = [
        VisitReason("c/a", "", "crossed", 1, "leave"),
        VisitReason("b/a", "b/a/10", "stuck", 2, "act"),
        VisitReason("b/b", "", "silent", 0, "act"),
        VisitReason("a/a", "", "silent", 0, "none"),
    ]
    assert [r.station for r in visit_order(reasons)] == ["a/a", "b/b", "b/a", "c/a"]
    same = [VisitReason("b/a", s, "stuck", 2, "act") for s in ("b/a/30", "b/a/10")]
    assert [r.sensor for r in visit_order(same)] == ["b/a/10", "b/a/30"]


@pytest.mark.parametrize(
    ("groups", "cautioned", "to_see", "codes"),
    [
        ([], 0, 0, ["day.no_blocks"]),
        (["leave"], 0, 0, ["day.none_due"]),
        (["act"], 0, 0, ["day.water_one"]),
        (["act", "act"], 0, 0, ["day.water_some"]),
        (["act", "none"], 2, 0, ["day.water_one", "day.no_advice", "day.check"]),
        (["leave"], 2, 1, ["day.none_due", "day.visit"]),
    ],
)
def test_the_day_at_a_glance(groups: list[Group], cautioned: int, to_see: int, codes: list[str]) -> None:
    found = day_notices([(f"block {n}", g) for n, g in enumerate(groups)], cautioned, to_see)
    assert [n.code for n in found] == codes
    if "day.water_some" in codes:
        assert (found[0]["count"], found[0]["first"]) == (2, "block 0")
    if "day.check" in codes:
        assert (found[1]["count"], found[2]["count"]) == (1, 2)
