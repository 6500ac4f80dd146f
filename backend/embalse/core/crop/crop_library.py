"""The crop library: stages, roots, allowable depletion, Kc, tension thresholds; open tables with sources."""

from dataclasses import dataclass
from functools import cache, lru_cache

from embalse.core.crop.yield_response import yield_response_factor
from embalse.core.sources import Source
from embalse.core.tables import CROP_TABLE, crop_defaults, crops, table_rows
from embalse.core.wording import Notice

STAGES = ("initial", "development", "mid", "late")
KC_SOURCE = "FAO-56 Table 12"
STAGE_SOURCE = "FAO-56 Table 11"


@dataclass(frozen=True)
class CropValue:
    """One value of a crop: name, value, unit and where it comes from."""

    name: str
    label: str
    value: float
    unit: str
    source: Source


@dataclass(frozen=True)
class LibraryCrop:
    """A crop of the library with its values in order."""

    crop: str
    values: tuple[CropValue, ...]

    def value(self, name: str) -> float | None:
        """A value by its name, None where the tables have none."""
        return next((v.value for v in self.values if v.name == name), None)


LACKING: dict[str, str] = {
    "initial_days": "how long its stages are",
    "kc_mid": "its Kc",
    "tension_low_kpa": "a tension to irrigate at",
}
"""What a crop may lack, by the first value it would have."""


def lacks(crop: str) -> list[str]:
    """What the tables do not have of a library crop, in words (no unit); said before it is chosen."""
    known = library_crop(crop)
    if known is None:
        return []
    found = [words for name, words in LACKING.items() if known.value(name) is None]
    return found if yield_response_factor(known.crop) is not None else [*found, "what a shortage costs in yield"]


def _row(table: str, crop: str) -> dict[str, str] | None:
    return next((row for row in table_rows(table) if row["crop"] == crop), None)


@cache
def library_crop(crop: str) -> LibraryCrop | None:
    """A crop of the library by its name or the first words of it, None when the tables do not have it.

    Returns
    -------
    LibraryCrop or None
        Root depth [cm], p [-], stage lengths [days], Kc [-], tension at which to irrigate [kPa]; what a table does not
        have is left out.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Tables 11, 12 and 22.
    .. [2] Tension thresholds: the source stands in each row of the table.
    """
    found = crop_defaults(crop)
    if found is None:
        return None
    name = found.crop
    values = [
        CropValue("root_depth_cm", "Root depth", found.root_depth_min_cm, "cm",
                  Source("table", CROP_TABLE, Notice(
                      "source.root_range", low_cm=found.root_depth_min_cm, high_cm=found.root_depth_max_cm))),
        CropValue("allowable_depletion_fraction", "Allowable depletion", found.depletion_fraction, "",
                  Source("table", CROP_TABLE, Notice("source.p_at", use_mm_d=5.0))),
    ]  # fmt: skip
    return LibraryCrop(name, tuple(values + _stages(name) + _kc(name) + _tension(name)))


def _stages(crop: str) -> list[CropValue]:
    row = _row("fao56_table11.csv", crop)
    if row is None:
        return []
    source = Source("table", STAGE_SOURCE, Notice("source.stages", where=row["where"], confidence=row["confidence"]))
    return [CropValue(f"{s}_days", f"Stage: {s}", float(row[f"{s}_days"]), "days", source) for s in STAGES]


def _kc(crop: str) -> list[CropValue]:
    row = _row("fao56_table12.csv", crop)
    if row is None:
        return []
    source = Source("table", KC_SOURCE, Notice("source.kc", wind_m_s=2.0))
    labels = {"kc_ini": "Kc, initial", "kc_mid": "Kc, mid season", "kc_end": "Kc, end"}
    return [CropValue(name, label, float(row[name]), "", source) for name, label in labels.items()]


def cutting_kc(crop: str) -> tuple[float, float, float] | None:
    """Kc within one cutting of a library crop [-]: after it, at full cover, before the next; None where it is not cut.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Table 12, individual cutting periods.
    """
    found = crop_defaults(crop)
    row = None if found is None else _row("fao56_cuttings.csv", found.crop)
    return None if row is None else (float(row["kc_ini"]), float(row["kc_mid"]), float(row["kc_end"]))


def _tension(crop: str) -> list[CropValue]:
    row = _row("tension_thresholds.csv", crop)
    if row is None or not row["low_kpa"]:
        return []
    source = Source("table", row["source"], Notice("source.tension", confidence=row["confidence"]))
    return [
        CropValue("tension_low_kpa", "Irrigate from", float(row["low_kpa"]), "kPa", source),
        CropValue("tension_high_kpa", "Irrigate by", float(row["high_kpa"]), "kPa", source),
    ]


def asks_local_practice(crop: str) -> bool:
    """Whether no tension to irrigate at is known for a crop of the library [kPa]: its people have to be asked."""
    found = crop_defaults(crop)
    row = None if found is None else _row("tension_thresholds.csv", found.crop)
    return row is not None and not row["low_kpa"]


@lru_cache(maxsize=512)
def covers_unknown_ground(crop: str) -> bool:
    """Whether a crop's name does not tell how much of the ground it shades: trees and vines [no unit]."""
    found = crop_defaults(crop)
    name = crop.strip().lower() if found is None else found.crop
    return any(name == row["crop"] for row in table_rows("open_crops.csv"))


def library() -> list[LibraryCrop]:
    """Every crop of the library; units as in ``library_crop``."""
    return [found for found in (library_crop(name) for name in crops()) if found is not None]


CROP_ENTRIES: dict[str, tuple[str, str, float, float]] = {
    "root_depth_cm": ("Root depth", "cm", 1, 500),
    "allowable_depletion_fraction": ("Allowable depletion", "", 0.01, 0.99),
    "initial_days": ("Stage: initial", "days", 0, 400),
    "development_days": ("Stage: development", "days", 0, 400),
    "mid_days": ("Stage: mid", "days", 0, 400),
    "late_days": ("Stage: late", "days", 0, 400),
    "initial_gdd": ("Heat: initial", "°C d", 0, 6000),
    "development_gdd": ("Heat: development", "°C d", 0, 6000),
    "mid_gdd": ("Heat: mid", "°C d", 0, 6000),
    "late_gdd": ("Heat: late", "°C d", 0, 6000),
    "gdd_base_c": ("Heat counts above", "°C", 0, 20),
    "kc_ini": ("Kc, initial", "", 0, 2),
    "kc_mid": ("Kc, mid season", "", 0, 2),
    "kc_end": ("Kc, end", "", 0, 2),
    "residue_cover_fraction": ("Ground under residue", "", 0, 1),
    "tension_low_kpa": ("Irrigate from", "kPa", 1, 1500),
    "tension_high_kpa": ("Irrigate by", "kPa", 1, 1500),
}
"""What a block may hold of its crop: label, unit, smallest and largest value."""
