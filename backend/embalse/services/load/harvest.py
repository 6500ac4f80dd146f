"""When a block is harvested, as far as anybody said or its calendar tells."""

from embalse.core.crop.crop_library import library_crop
from embalse.core.root_zone.block import Block


def harvest_day(block: Block) -> int | None:
    """The day number a block is harvested: of a dry window for harvest, else the end of its crop's calendar."""
    windows = [w.dry_by for w in block.windows if w.what == "harvest"]
    if windows:
        return min(windows)
    if block.calendar is None or library_crop(block.crop) is None:
        return None
    return round(block.calendar.last_day)
