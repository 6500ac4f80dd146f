"""Every kind of stored change is undone for an answer as known then, and the real tables are left as they are."""

from collections.abc import Callable
from typing import Any

import pytest

from embalse.config import Settings
from embalse.store import farm as farm_store
from embalse.store import known_then, records
from embalse.store.database import database, transaction
from embalse.store.rows import HorizonRow
from tests.conftest import CLOCK, put

DAY_S = 86400


@pytest.fixture
def kept(farm: Settings) -> Settings:
    """The small farm, set up ten days ago, so that what is changed now was not known before."""
    with transaction():
        database.execute_sql("UPDATE farm SET known_since = ?", (CLOCK - 10 * DAY_S,))
        database.execute_sql("UPDATE change SET at = ?", (CLOCK - 10 * DAY_S,))
    return farm


def horizons() -> list[HorizonRow]:
    (found,) = farm_store.farm_rows().horizons.values()
    return found


def soil(*bottoms: float, **more: Any) -> dict[str, Any]:
    tops = (0.0, *bottoms[:-1])
    parts = [
        {"top_cm": a, "bottom_cm": b, "texture": "loam", "organic_matter_pct": 2.5} | more
        for a, b in zip(tops, bottoms, strict=True)
    ]
    return {"embalse": 1, "soils": [{"key": "loam", "horizons": parts}]}


def at(days_ago: float) -> int:
    return CLOCK - round(days_ago * DAY_S)


@pytest.mark.parametrize(
    "change",
    [
        lambda: put(soil(40.0, 120.0)),
        lambda: put(soil(20.0, 60.0, 150.0)),
        lambda: put(soil(120.0, texture="clay")),
        lambda: put(soil(80.0)),
    ],
)
def test_horizons_lie_again_as_they_lay(kept: Settings, change: Callable[[], Any]) -> None:
    before = horizons()
    change()
    after = horizons()
    assert after != before
    with known_then.as_known(at(1)):
        assert horizons() == before
    assert horizons() == after


def test_fewer_horizons_come_back_too(kept: Settings) -> None:
    put(soil(40.0, 80.0, 120.0))
    with transaction():
        database.execute_sql("UPDATE change SET at = ? WHERE at > ?", (at(5), at(9)))
    three = horizons()
    put(soil(120.0))
    with known_then.as_known(at(1)):
        assert horizons() == three
    with known_then.as_known(at(7)):
        assert len(horizons()) == 1
    assert len(horizons()) == 1


def test_changes_one_after_another_are_undone_in_turn(kept: Settings) -> None:
    def area() -> float:
        return farm_store.farm_rows().blocks[0].area_ha

    for days_ago, area_ha in ((6, 11.0), (4, 12.0), (2, 13.0)):
        put(
            {
                "embalse": 1,
                "blocks": [{"key": "one", "name": "One", "area_ha": area_ha, "crop": "tomato", "soil": "loam"}],
            }
        )
        with transaction():
            database.execute_sql("UPDATE change SET at = ? WHERE id = (SELECT max(id) FROM change)", (at(days_ago),))
    told = []
    for days_ago in (8, 5, 3, 1):
        with known_then.as_known(at(days_ago)):
            told.append(area())
    assert told == [10.0, 11.0, 12.0, 13.0] and area() == 13.0


def test_what_was_added_since_was_not_there(kept: Settings) -> None:
    put({"embalse": 1, "blocks": [{"key": "two", "name": "Two", "area_ha": 1, "crop": "olive", "soil": "loam"}]})
    put({"embalse": 1, "rain": [{"day": "2026-07-10", "depth_mm": 9}], "eto": [{"day": "2026-07-10", "eto_mm": 6}]})
    counts = "SELECT (SELECT count(*) FROM block), (SELECT count(*) FROM rain), (SELECT count(*) FROM eto)"
    with known_then.as_known(at(1)):
        assert database.execute_sql(counts).fetchone() == (1, 0, 0)
    assert database.execute_sql(counts).fetchone() == (2, 1, 1)


def test_an_instant_of_a_change_knows_it_and_the_second_before_does_not(kept: Settings) -> None:
    put({"embalse": 1, "rain": [{"day": "2026-07-10", "depth_mm": 9}]})
    with known_then.as_known(CLOCK):
        assert database.execute_sql("SELECT count(*) FROM rain").fetchone() == (1,)
    with known_then.as_known(CLOCK - 1):
        assert database.execute_sql("SELECT count(*) FROM rain").fetchone() == (0,)


def test_trouble_inside_leaves_nothing_hidden(kept: Settings) -> None:
    put({"embalse": 1, "rain": [{"day": "2026-07-10", "depth_mm": 9}]})
    with pytest.raises(ValueError, match="in the middle"), known_then.as_known(at(1)):
        raise ValueError("in the middle")
    assert database.execute_sql("SELECT count(*) FROM rain").fetchone() == (1,)
    with known_then.as_known(at(1)):
        assert database.execute_sql("SELECT count(*) FROM rain").fetchone() == (0,)


def test_one_inside_another_hides_nothing_more(kept: Settings) -> None:
    put({"embalse": 1, "rain": [{"day": "2026-07-10", "depth_mm": 9}]})
    with known_then.all_known(), known_then.as_known(at(1)):
        assert database.execute_sql("SELECT count(*) FROM rain").fetchone() == (1,)
    with known_then.as_known(CLOCK), known_then.as_known(at(1)):
        assert database.execute_sql("SELECT count(*) FROM rain").fetchone() == (1,)


def test_a_record_deleted_or_brought_back_since_stands_as_it_stood(kept: Settings) -> None:
    put(
        {
            "embalse": 1,
            "visits": [
                {
                    "key": "v",
                    "station": "one/a",
                    "at": "2026-07-06T08:00",
                    "what": "visit",
                    "note": "dry",
                    "who": "Ana",
                }
            ],
        }
    )
    with transaction():
        database.execute_sql("UPDATE change SET at = ? WHERE at > ?", (at(6), at(9)))
        records.set_deleted("visits", "v", at(4))
        database.execute_sql("UPDATE change SET at = ? WHERE at > ?", (at(4), at(5)))
        records.set_deleted("visits", "v", None)
        database.execute_sql("UPDATE change SET at = ? WHERE at > ?", (at(2), at(3)))
    there = []
    for days_ago in (7, 5, 3, 1):
        with known_then.as_known(at(days_ago)):
            there.append(len(records.records("visits")))
    assert there == [0, 1, 0, 1]
