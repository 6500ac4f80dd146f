"""When sensors may go in: while plants are small."""

from dataclasses import dataclass

from embalse.core.crop.crop_library import library_crop
from embalse.core.tables import table_rows

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


def window_sentence(window: InstallWindow, days_since_planting: float | None) -> tuple[str, str]:
    """State word (open, early, closed, unknown) and sentence for a block planted so many days ago [days]."""
    if window.closes_days is None:
        return "open", f"{window.stages[0].upper()}{window.stages[1:]}."
    if days_since_planting is None:
        return "unknown", f"Install {window.stages}; the planting date is not given."
    if days_since_planting < window.opens_days:
        return "early", f"Opens in {window.opens_days - days_since_planting:.0f} days: {window.stages}."
    left = window.closes_days - days_since_planting
    if left >= 0:
        return "open", f"Closes in {left:.0f} days: {window.stages}; small plants recover."
    return "closed", f"Closed {-left:.0f} days ago ({window.stages}): plants hurt now will not recover fully."
