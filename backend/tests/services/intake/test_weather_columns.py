"""Weather tables of somebody else: columns taken for what they are, mapped by a person, remembered by their head."""

import pytest

from embalse.config import Settings
from embalse.core.weather.reference_et import Place
from embalse.services.intake.weather_columns import in_our_names, weather_columns
from embalse.services.intake.weather_import import import_weather
from embalse.services.reader import reading_as
from embalse.services.schema.refused import DocumentErrors
from embalse.store.models import Eto

PLACE = Place(38.0, 100.0)
THEIRS = "Date;T max;T min;Hum;Wind speed;Rain\n2026-07-01;33,5;17,0;40;2,1;0\n2026-07-02;34,0;18,5;38;1,9;4,2\n"
OURS = "day,tmax_c,tmin_c,wind_m_s,rain_mm\n2026-07-01,33.5,17.0,2.1,0\n2026-07-02,34.0,18.5,1.9,4.2\n"


def test_columns_are_taken_by_their_names_and_the_rest_is_left_out(farm: Settings) -> None:
    seen = weather_columns(THEIRS)
    assert seen.mapping == {
        "day": "Date",
        "tmax_c": "T max",
        "tmin_c": "T min",
        "wind_m_s": "Wind speed",
        "rain_mm": "Rain",
    }
    assert not seen.remembered and seen.columns[1].samples == ["33.5", "34.0"]
    text, taken = in_our_names(THEIRS, None)
    assert text.splitlines()[:2] == ["day,tmax_c,tmin_c,~Hum,wind_m_s,rain_mm", "2026-07-01,33.5,17.0,40,2.1,0"]
    assert taken == seen.mapping


def test_a_foreign_table_gives_what_the_same_table_in_our_names_gives(farm: Settings) -> None:
    theirs = import_weather(THEIRS, PLACE)
    first = {row.day: row.eto_mm for row in Eto.select()}
    ours = import_weather(OURS, PLACE)
    assert theirs.days == ours.days == 2 and ours.unchanged and not ours.changed
    assert {row.day: row.eto_mm for row in Eto.select()} == first


def test_a_mapping_is_remembered_by_the_head(farm: Settings) -> None:
    head = "when,hi,lo,mean\n"
    with pytest.raises(DocumentErrors):
        import_weather(head + "2026-07-01,33.5,17.0,25\n", PLACE)
    assert not weather_columns(head).remembered  # what could not be read is not remembered
    mapping = {"day": "when", "tmax_c": "hi", "tmin_c": "lo"}
    assert import_weather(head + "2026-07-01,33.5,17.0,25\n", PLACE, mapping).days == 1
    again = weather_columns(head)
    assert again.remembered and again.mapping == mapping
    assert import_weather(head + "2026-07-02,34.0,18.5,26\n", PLACE).days == 1
    assert not weather_columns("when,hi,lo,avg\n").remembered


def test_what_is_kept_of_a_day_is_the_same_whoever_brings_it_in(farm: Settings) -> None:
    import_weather(OURS, PLACE)
    english = {row.day: row.note for row in Eto.select()}
    assert all(english.values())
    with reading_as("us", "xx"):
        again = import_weather(OURS, PLACE)
    assert again.unchanged == len(english) * 2 and not again.changed
    assert {row.day: row.note for row in Eto.select()} == english


def test_hours_are_told_from_days(farm: Settings) -> None:
    seen = weather_columns("timestamp,temp,rh,solar radiation\n2026-07-01T00:00,20,60,0\n")
    assert seen.mapping == {"at": "timestamp", "t_c": "temp", "rh_pct": "rh", "radiation_w_m2": "solar radiation"}
    assert [f.name for f in seen.fields if f.needed] == ["at"]


@pytest.mark.parametrize(
    ("mapping", "reason"),
    [
        ({"day": "none"}, "there is no such column: none"),
        ({"tmax_c": "T max", "tmin_c": "T max"}, "one column cannot be two things"),
        ({"height": "Date"}, "there is no field height"),
    ],
)
def test_a_mapping_that_cannot_be_is_refused(farm: Settings, mapping: dict[str, str], reason: str) -> None:
    with pytest.raises(DocumentErrors) as refused:
        in_our_names(THEIRS, mapping)
    assert refused.value.errors[0].reason == reason


@pytest.mark.parametrize("text", ["", "\ufeff", "a,a\n1,2\n"])
def test_no_table_is_said_to_be_none(farm: Settings, text: str) -> None:
    with pytest.raises(DocumentErrors):
        weather_columns(text)
