"""A wetting the probes saw and nobody logged, said to be a set with one tap."""

from datetime import UTC, datetime
from typing import Final

from embalse.core.errors import require
from embalse.services import times
from embalse.services.advice.profile_page import WettingOut, profile_content
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument, SetPart
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.schema.water import SetEvidencePart
from embalse.store import farm as farm_store
from embalse.store.changes import actor
from embalse.store.database import transaction
from embalse.store.errors import NotFound

BACK_DAYS: Final = 90  # days back over which a wetting may be said to be a set (ours)
LEAST_H: Final = 0.25  # hours a set is put on record with at least (ours: nobody runs one for less)
MOST_H, MOST_MM = 240.0, 500.0


def it_was_a_set(block: str, start_at: int) -> SetPart:
    """Put a wetting that is not explained on record as a set.

    Its gross depth is what the root zone gained, and what went below it, over the block and by the system's
    efficiency: the least it was. Its time is that depth by the system's rate, or where there is none, the time between
    the first and the last depth it reached. What several stations saw at once is one set, of their mean.

    Raises
    ------
    NotFound
        If there is no such block, or no wetting without a source began then.
    CoreError
        If the block has no irrigation system.
    """
    farm = clock.the_farm()
    rows = farm_store.farm_rows([block])
    found = [w for w in profile_content(block, None, BACK_DAYS).wettings if not w.explained]
    one = next((w for w in found if w.start_at == start_at), None)
    if one is None:
        raise NotFound("start_at", "no wetting without a source began then")
    there = core_blocks(rows, clock.farm_now(farm))[0]
    system = there.system
    require(system is not None, "block", "no irrigation system is entered: enter it first")
    assert system is not None
    same = [w for w in found if w.start_at <= one.end_at and w.end_at >= one.start_at]
    gain = sum(w.gain_mm + (w.below_mm or 0.0) for w in same) / len({w.station for w in same})
    gross = min(MOST_MM, gain * there.limits.wetted_fraction / system.efficiency_fraction)
    hours = gross / system.rate_mm_h if system.rate_mm_h else _seen_h(one)
    start = times.local(one.start_at, farm.time_zone)
    part = SetPart(
        block=block, start=start, hours=round(min(MOST_H, max(LEAST_H, hours)), 2), gross_mm=round(max(0.1, gross), 1),
        note="seen by the probes",
    )  # fmt: skip
    key = f"{block}-{datetime.fromtimestamp(one.start_at, UTC):%Y%m%d%H%M}:probes"
    evidence = SetEvidencePart(
        key=key, block=block, planned="", kind="probes", start=start, gross_mm=part.gross_mm, who=actor().who,
        note="said to be a set",
    )  # fmt: skip
    with transaction():
        apply_document(FarmDocument(embalse=1, sets=[part], set_evidence=[evidence]))
    return part


def _seen_h(one: WettingOut) -> float:
    last = max((a.at for a in one.arrivals), default=one.start_at)
    return (last - one.start_at) / 3600
