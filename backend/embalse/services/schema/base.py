"""Types every part of the farm document is made of."""

from datetime import date, datetime
from typing import Annotated
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, Strict, StringConstraints
from pydantic_core import PydanticCustomError

from embalse.core.errors import CoreError
from embalse.services import times
from embalse.services.reader import say

LARGEST = 1e9
Number = Annotated[float, Strict(), Field(ge=-LARGEST, le=LARGEST, allow_inf_nan=False)]
Positive = Annotated[Number, Field(gt=0)]
Fraction = Annotated[Number, Field(ge=0, le=1)]
Key = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9._-]{0,39}$", strip_whitespace=True)]
Name = Annotated[str, StringConstraints(min_length=1, max_length=80, strip_whitespace=True)]
Note = Annotated[str, StringConstraints(max_length=400, strip_whitespace=True)]

Who = Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)]
RecordKey = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9][A-Za-z0-9._:-]{0,59}$")]


def refuse(refusal: CoreError, under: str = "") -> PydanticCustomError:
    """A core refusal as a validation error that keeps its field."""
    field = f"{under}{refusal.field}"
    return PydanticCustomError("refused", "{reason}", {"reason": say(refusal.reason), "field": field})


def known_time_zone(name: str) -> str:
    """The name itself when the time-zone database has it."""
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as missing:
        raise PydanticCustomError(
            "time_zone", "'{name}' is not a time zone; use a name like Europe/Madrid", {"name": name}
        ) from missing
    return name


TimeZoneName = Annotated[str, AfterValidator(known_time_zone)]


class Part(BaseModel):
    """A part of the document: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True, defer_build=True)


def wrong(reason: str, field: str) -> PydanticCustomError:
    """A validation error on a field of a part, in the project's own words."""
    return PydanticCustomError("refused", "{reason}", {"reason": reason, "field": field})


def in_years_of_use(moment: datetime) -> datetime:
    """A date and time the farm can have seen; without an offset it is farm-local."""
    _check_year(moment.year)
    return moment


def _check_year(year: int) -> None:
    if not times.FIRST_YEAR <= year <= times.LAST_YEAR:
        said = {"first": times.FIRST_YEAR, "last": times.LAST_YEAR}
        raise PydanticCustomError("moment", "the year must lie between {first} and {last}", said)


def day_in_years_of_use(day: date) -> date:
    """A day the farm can have seen or can plan for."""
    _check_year(day.year)
    return day


When = Annotated[datetime, AfterValidator(in_years_of_use)]
Day = Annotated[date, AfterValidator(day_in_years_of_use)]
Longitude = Annotated[Number, Field(ge=-180, le=180)]
Latitude = Annotated[Number, Field(gt=-90, lt=90)]
