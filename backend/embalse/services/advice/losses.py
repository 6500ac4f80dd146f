"""Water that went below the roots lately, for the Round: as the probes below the roots saw it."""

from dataclasses import asdict

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.field.losses import week_loss
from embalse.services import times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.advice.field_series import Field
from embalse.services.advice.profile_page import wettings_of
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import BlockLossOut, LossesContent
from embalse.services.load.zones import with_rows_of_stand_ins
from embalse.services.readings.known_then import as_known_then
from embalse.store import farm as farm_store

LOOKED_BACK_DAYS = 10
"""Days read for a week's losses: a wetting is followed for two and a half days, and wants hours before it."""


@as_known_then
def losses_content(moment: str | None = None) -> LossesContent:
    """Water that went below the roots of every block in the week before a farm-local moment.

    Blocks without a probe below their roots are left out: nothing can be told there.

    Raises
    ------
    Conflict
        If no farm is set up.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows()
    blocks = core_blocks(rows, now)
    analyses = analyse_blocks(farm, rows, blocks, now)
    rows = with_rows_of_stand_ins(rows, (now, farm.time_zone))
    found = []
    for row, block, analysis in zip(rows.blocks, blocks, analyses, strict=True):
        if not _tells(analysis, block.roots_cm(times.local_day(now, farm.time_zone))):
            continue
        loss = week_loss(
            wettings_of(Field(farm, rows, row, block, analysis, now, LOOKED_BACK_DAYS)),
            now,
            block.limits.wetted_fraction,
        )
        if loss is not None:
            found.append(BlockLossOut(key=row.key, **asdict(loss), worth_saying=loss.worth_saying))
    return LossesContent(as_of=times.iso(now, farm.time_zone) or "", days=7, blocks=found)


def _tells(analysis: BlockAnalysis, depth: float | None) -> bool:
    """Whether any station reaches below the roots."""
    return depth is not None and any(s.layers and s.layers[-1].bottom_cm > depth + 1 for s in analysis.stations)
