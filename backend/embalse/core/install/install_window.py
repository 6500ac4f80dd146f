"""When sensors may go in: while plants are small."""

from dataclasses import dataclass

from embalse.core.crop.crop_library import library_crop
from embalse.core.tables import table_rows
from embalse.core.wording import Notice

STAYING = frozenset(
    {"almond", "apple/cherry/pear", "apricot/peach", "avocado", "citrus", "olive", "pistachio", "walnut", "kiwi"}
    | {"grape", "alfalfa", "turf", "sugarcane", "banana", "strawberry", "pasture"}
)


@dataclass(frozen=True)
class InstallWindow:
    """Days after planting between which to install [days], what they stand for, and the source.

    ``closes_days`` is None for crops that stay: any dormant season does.
    """

    opens_days: float
    closes_days: float | None
    stages: str
    source: str


def install_window(crop: str) -> InstallWindow | None:
    """The window of a crop for installing sensors, in days after planting; None when nothing is known of the crop.

    A crop without a row of its own gets the end of its initial stage; a crop without stages that end within 300 days
    is taken to stay in the ground.

    References
    ----------
    .. [1] Common practice, no source, for maize, soybean and cotton; FAO-56 Table 11 for the initial stage of others.
    """
    found = library_crop(crop)
    if found is None:
        return None
    for row in table_rows("install_window.csv"):
        if row["crop"] == found.crop:
            return InstallWindow(float(row["opens_days"]), float(row["closes_days"]), row["stages"], row["source"])
    if found.crop.split()[0] in STAYING:
        return InstallWindow(0, None, "a crop that stays: best while dormant", "common practice, no source")
    initial = found.value("initial_days")
    if initial is None:
        return None
    return InstallWindow(0, initial, "up to the end of the initial stage", "FAO-56 Table 11, initial stage")


def window_sentence(window: InstallWindow, days_since_planting: float | None) -> tuple[str, Notice]:
    """State word (open, early, closed, unknown) and sentence for a block planted so many days ago [days]."""
    if window.closes_days is None:
        return "open", Notice("window.any_time")
    if days_since_planting is None:
        return "unknown", Notice("window.no_date", stages=window.stages)
    if days_since_planting < window.opens_days:
        return "early", Notice("window.opens", left_days=window.opens_days - days_since_planting, stages=window.stages)
    left = window.closes_days - days_since_planting
    if left >= 0:
        return "open", Notice("window.closes", left_days=left, stages=window.stages)
    return "closed", Notice("window.closed", ago_days=-left, stages=window.stages)
