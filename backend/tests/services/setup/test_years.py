"""A station that has stood for years, on its page and among what a season taught."""

import numpy as np
import pytest

from embalse.config import Settings
from embalse.services.season.closing import closing_content
from embalse.services.setup.stations import station_sheet
from embalse.store import farm as farm_store
from embalse.store.database import database, transaction
from tests.core.quality.test_yearly_drift import dawns
from tests.services.setup.test_practice import fill

DAY = 20_648  # 14 July 2026


@pytest.fixture
def old(farm: Settings) -> Settings:
    """The small farm's station with four years of dawns; the sensor at 30 cm wanders off by 0.04."""
    fill({"10": 0.25, "30": 0.25, "50": 0.25})
    rows = {s.ref: s.id for s in farm_store.sensors()}
    with transaction():
        for seed, depth in enumerate(("10", "30", "50")):
            days, theta = dawns(4, seed)
            off = 0.04 * (days - days[0]) / (days[-1] - days[0]) if depth == "30" else np.zeros(len(days))
            shifted = days + DAY - int(days[-1])
            database.connection().executemany(
                "INSERT OR REPLACE INTO dawn (sensor_id, day, raw, count) VALUES (?, ?, ?, 4)",
                [(rows[f"one/a/{depth}"], int(d), float(v)) for d, v in zip(shifted, theta - off, strict=True)],
            )
    return farm


def test_the_one_that_drifted_is_told(old: Settings) -> None:
    told = {s.key: s.years for s in station_sheet("one/a").sensors}
    assert {key: one.kind for key, one in told.items() if one} == {"10": "steady", "30": "drift", "50": "steady"}
    drifted = told["30"]
    assert drifted is not None and "reads 0.03" in drifted.words and "drier than in the year to" in drifted.words
    assert len(drifted.years) == 4 and drifted.years[-1].last_day == "2026-07-14"
    assert drifted.years[0].wet_theta > drifted.years[-1].wet_theta > drifted.years[-1].dry_theta


def test_a_new_station_has_no_years(farm: Settings) -> None:
    fill({"10": 0.25, "30": 0.25, "50": 0.25})
    assert [s.years for s in station_sheet("one/a").sensors] == [None, None, None]


def test_it_is_among_what_the_season_taught(old: Settings) -> None:
    words = [one.words for one in closing_content("one").lessons]
    assert ["at 30 cm: it has drifted" in w for w in words] == [True]
