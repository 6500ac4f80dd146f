"""Which moment an answer is for."""

from embalse.services import times
from embalse.store import farm as store
from embalse.store.errors import Conflict
from embalse.store.rows import FarmRow


def the_farm() -> FarmRow:
    """The farm; raises Conflict when none is set up."""
    farm = store.farm()
    if farm is None:
        raise Conflict("farm", "the farm is not set up yet")
    return farm


def farm_now(farm: FarmRow) -> int:
    """The farm's clock [s, UTC]: held for a demonstration, else the machine's."""
    return farm.clock_at if farm.clock_at is not None else times.now_utc()


def as_of(farm: FarmRow, text: str | None) -> int:
    """The instant asked for [s, UTC], or now; raises ValueError when the text is no time."""
    return farm_now(farm) if not text else times.parse_moment(text, farm.time_zone)
