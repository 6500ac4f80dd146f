"""Published tables that ship with the core, read once."""

import csv
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib.resources import files
from typing import Any

from embalse.core.errors import CoreError

TEXTURE_TABLE = "Saxton & Rawls (2006), texture table"
CROP_TABLE = "FAO-56 Table 22"


@dataclass(frozen=True)
class CropDefaults:
    """A crop's row in FAO-56 Table 22: rooting depths [cm] and depletion fraction p [-]."""

    crop: str
    root_depth_min_cm: float
    root_depth_max_cm: float
    depletion_fraction: float


@cache
def table_rows(name: str) -> list[dict[str, Any]]:
    """Rows of a shipped table by its file name, as text by column; the file's head names source and units."""
    text = (files("embalse.core.tables") / name).read_text(encoding="utf-8")
    return list(csv.DictReader(line for line in text.splitlines() if not line.startswith("#")))


@cache
def texture_centres() -> dict[str, tuple[float, float]]:
    """Representative (sand, clay) fractions [-] of each USDA texture class.

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578, texture table.
    """
    rows = table_rows("saxton_rawls_2006_texture.csv")
    return {row["texture"]: (float(row["sand_fraction"]), float(row["clay_fraction"])) for row in rows}


@cache
def crops() -> dict[str, CropDefaults]:
    """Crop defaults by crop name: rooting depth [cm] and depletion fraction [-].

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Table 22.
    """
    return {
        row["crop"]: CropDefaults(
            row["crop"],
            float(row["root_depth_min_cm"]),
            float(row["root_depth_max_cm"]),
            float(row["depletion_fraction"]),
        )
        for row in table_rows("fao56_table22.csv")
    }


@lru_cache(maxsize=512)
def crop_defaults(crop: str) -> CropDefaults | None:
    """Defaults for a crop by its plain name ("almond" finds "almond no cover"), or None.

    Depths are in cm, p is a fraction. The name must match a table name whole or its first words.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Table 22.
    """
    wanted = crop.strip().lower()
    table = crops()
    if wanted in table:
        return table[wanted]
    starts = [row for name, row in table.items() if wanted and name.startswith(wanted + " ")]
    return starts[0] if len(starts) == 1 else None


def texture_sand_clay(texture: str) -> tuple[float, float]:
    """Representative sand and clay fractions [-] of a USDA texture class.

    Raises
    ------
    CoreError
        If the class is not one of the twelve.

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578, texture table.
    """
    table = texture_centres()
    name = texture.strip().lower()
    if name not in table:
        raise CoreError("texture", f"'{texture}' is not a USDA texture class; use one of: {', '.join(table)}")
    return table[name]
