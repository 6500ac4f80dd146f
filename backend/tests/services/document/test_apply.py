import copy
import json
from typing import Any

import pytest

from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument, parse_document
from embalse.services.schema.refused import DocumentErrors
from embalse.store import farm as farm_store
from embalse.store.models import Block, Calibration, Horizon, Sensor, SetLog
from tests.conftest import PLAIN_FARM, put

DELETE = object()


def changed(path: list[Any], value: Any) -> dict[str, Any]:
    document = copy.deepcopy(PLAIN_FARM)
    at: Any = document
    for part in path[:-1]:
        at = at[part]
    if value is DELETE:
        del at[path[-1]]
    else:
        at[path[-1]] = value
    return document


def refused(document: dict[str, Any]) -> dict[str, str]:
    with pytest.raises(DocumentErrors) as caught:
        apply_document(parse_document(json.dumps(document)))
    return {e.path: e.reason for e in caught.value.errors}


SENSOR = ["blocks", 0, "stations", 0, "sensors", 1]
HORIZON = ["soils", 0, "horizons", 0]


@pytest.mark.parametrize(
    ("path", "value", "where", "words"),
    [
        (["systems", 0, "efficiency_fraction"], 0, "systems[0].efficiency_fraction", "greater than 0"),
        (["systems", 0, "efficiency_fraction"], 1.2, "systems[0].efficiency_fraction", "less than or equal to 1"),
        (["systems", 0, "efficiency_fraction"], "0.9", "systems[0].efficiency_fraction", "number"),
        (["systems", 0, "rate_mm_h"], DELETE, "systems[0].rate_mm_h", "give the rate"),
        (["systems", 0, "kind"], "flood", "systems[0].kind", "drip"),
        ([*HORIZON, "texture"], "mud", "soils[0].horizons[0].texture", "not a USDA texture"),
        ([*HORIZON, "texture"], DELETE, "soils[0].horizons[0].texture", "either a texture class"),
        ([*HORIZON, "full_theta"], 0.3, "soils[0].horizons[0].full_reason", "needs a reason"),
        ([*HORIZON, "stones_fraction"], 1.0, "soils[0].horizons[0].stones_fraction", "less than 1"),
        ([*HORIZON, "top_cm"], 10, "soils[0].horizons", "gap between 0 cm and 10 cm"),
        ([*SENSOR, "depth_cm"], 0, "blocks[0].stations[0].sensors[1].depth_cm", "greater than 0"),
        ([*SENSOR, "depth_cm"], 10, "blocks[0].stations[0].sensors", "two sensors at 10 cm"),
        ([*SENSOR, "colour"], "red", "blocks[0].stations[0].sensors[1].colour", "unknown field"),
        ([*SENSOR, "raw_unit"], "inches", "blocks[0].stations[0].sensors[1].raw_unit", "m3/m3"),
        (["blocks", 0, "wetted_fraction"], DELETE, "blocks[0].wetted_fraction", "give its share"),
        (["blocks", 0, "soil"], "clay", "blocks[0].soil", "no soil 'clay'"),
        (["blocks", 0, "area_ha"], -1, "blocks[0].area_ha", "greater than 0"),
        (["blocks", 0, "planting_date"], "31/12/2026", "blocks[0].planting_date", "date"),
        (["farm", "time_zone"], "Moon/Sea", "farm.time_zone", "not a time zone"),
        (["farm"], DELETE, "farm", "not set up yet"),
        (["embalse"], 2, "embalse", "1"),
    ],
)
def test_what_is_wrong_is_named_by_its_path_and_nothing_is_stored(
    empty: Settings, path: list[Any], value: Any, where: str, words: str
) -> None:
    found = refused(changed(path, value))
    assert where in found, found
    assert words in found[where]
    assert farm_store.farm() is None


@pytest.mark.parametrize(
    ("shares", "words"),
    [
        ({"sand_fraction": 0.7, "clay_fraction": 0.5}, "more than 100 %"),
        ({"sand_fraction": 0.4, "clay_fraction": 0.2, "silt_fraction": 0.2}, "add up to 80 %"),
    ],
)
def test_texture_that_does_not_add_up(
    empty: Settings, plain: dict[str, Any], shares: dict[str, float], words: str
) -> None:
    horizon = plain["soils"][0]["horizons"][0]
    del horizon["texture"]
    horizon.update(shares)
    assert words in refused(plain)["soils[0].horizons[0].sand_fraction"]


def test_no_json_at_all(empty: Settings) -> None:
    with pytest.raises(DocumentErrors) as caught:
        parse_document("{")
    assert caught.value.errors[0].path == "document"


def test_twice_changes_nothing(empty: Settings, plain: dict[str, Any]) -> None:
    plain["sets"] = [{"block": "one", "start": "2026-07-01T20:00", "hours": 5, "gross_mm": 10}]
    plain["rain"] = [{"day": "2026-06-03", "depth_mm": 4.5}]
    plain["blocks"][0]["stations"][0]["sensors"][0]["calibrations"] = [{"valid_from": "2026-05-01", "slope": 1.1}]
    first, second = put(plain), put(plain)
    assert sum(first.created.values()) == 11 and not first.changed
    assert not second.created and not second.changed
    assert second.unchanged == first.created


def test_a_part_changes_only_what_it_names(farm: Settings) -> None:
    report = put({"embalse": 1, "blocks": [{"key": "one", "crop": "maize grain", "area_ha": 12, "soil": "loam"}]})
    assert report.changed == {"blocks": 1}
    block = Block.get(Block.key == "one")
    assert (block.area_ha, block.crop, block.root_depth_cm, block.wetted_fraction) == (12, "maize grain", 60, 0.5)
    assert block.system.key == "drip" and Sensor.select().count() == 3


def test_horizons_are_replaced_whole(farm: Settings) -> None:
    soil = {
        "key": "loam",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 50, "texture": "sand"},
            {"top_cm": 50, "bottom_cm": 120, "texture": "clay"},
        ],
    }
    assert put({"embalse": 1, "soils": [soil]}).changed == {"soils": 1}
    assert [h.bottom_cm for h in Horizon.select().order_by(Horizon.top_cm)] == [50, 120]


def test_times_without_offset_are_farm_local(farm: Settings) -> None:
    sets = [
        {"block": "one", "start": start, "hours": 1, "gross_mm": 2}
        for start in ("2026-07-01T20:00", "2026-07-02T20:00+00:00")
    ]
    put({"embalse": 1, "sets": sets})
    assert [s.start_at % 86400 // 3600 for s in SetLog.select().order_by(SetLog.start_at)] == [18, 20]


def test_references_to_nothing(farm: Settings) -> None:
    assert "sets[0].block" in refused(
        {"embalse": 1, "sets": [{"block": "no", "start": "2026-07-01T20:00", "hours": 1, "gross_mm": 2}]}
    )
    assert "blocks[0].system" in refused(
        {"embalse": 1, "blocks": [{"key": "two", "area_ha": 1, "crop": "x", "soil": "loam", "system": "no"}]}
    )


def test_a_dated_calibration_is_in_force_from_its_farm_local_day(farm: Settings) -> None:
    sensor = {"depth_cm": 10, "calibrations": [{"valid_from": "2026-07-10", "slope": 0.9, "intercept": 0.01}]}
    put(
        {
            "embalse": 1,
            "blocks": [
                {
                    "key": "one",
                    "area_ha": 10,
                    "crop": "tomato",
                    "soil": "loam",
                    "stations": [{"key": "a", "sensors": [sensor]}],
                }
            ],
        }
    )
    assert Calibration.get().valid_from % 86400 == 22 * 3600


def test_roots_and_share_come_from_the_crop_table_when_not_given(empty: Settings, plain: dict[str, Any]) -> None:
    for name in ("root_depth_cm", "allowable_depletion_fraction"):
        del plain["blocks"][0][name]
    put(plain)
    block = round_content("2026-07-14T06:00").blocks[0]
    assert block.root_depth_cm == 70
    plain["blocks"][0] |= {"key": "two", "crop": "dragon fruit"}
    put(plain)
    reasons = {b.key: b.reason for b in round_content("2026-07-14T06:00").blocks}
    assert "no root depth is entered and the crop is not in the crop table" in reasons["two"]


def test_the_schema_takes_the_document_and_refuses_a_wrong_one(plain: dict[str, Any]) -> None:
    import jsonschema

    schema = FarmDocument.model_json_schema()
    jsonschema.validate(plain, schema)
    plain["systems"][0]["kind"] = "flood"
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(plain, schema)
