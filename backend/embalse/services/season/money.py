"""What the water of a season cost, by the prices in force when it ran."""

import numpy as np

from embalse.core.delivery.water_cost import price_m3
from embalse.core.season.water_account import M3_PER_MM_HA
from embalse.services.advice.field_series import Field
from embalse.services.planning.supplies import clock_of, supply_sides
from embalse.store import readings as readings_store

STEP_S = 900
"""Steps a set is priced in [s]: tariffs change on the quarter of an hour at the finest."""


def money_of_sets(field: Field, span: tuple[int, int]) -> float | None:
    """Money for a block's sets that began in a span [s, UTC]; None where its supply has no price."""
    supply = field.rows.supplies.get(field.row.supply_id) if field.row.supply_id is not None else None
    side = None if supply is None else supply_sides(field.rows, field.now, field.zone).get(supply.key)
    if side is None or not side.tariffs:
        return None
    total = 0.0
    for one in readings_store.sets(field.row.key, span[0], min(span[1], field.now)):
        instants = np.arange(one.start_at, max(one.end_at, one.start_at + 1), STEP_S, dtype=np.int64)
        volume = one.gross_mm * M3_PER_MM_HA * field.row.area_ha
        total += volume * float(price_m3(side.tariffs, side.kwh_m3, clock_of(instants, field.zone)).mean())
    return total
