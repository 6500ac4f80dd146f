"""The past of a block as its model retraces it: water below the roots by wetting, and uptake by layer."""

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Final

from embalse.core.block_model.findings import below_roots_mm, goes_on_until, modelled_uptake
from embalse.core.block_model.record import LONGEST_DAYS, STEP_S
from embalse.core.field.uptake import Uptake
from embalse.core.field.wetting import Wetting
from embalse.core.root_zone.block import Block
from embalse.core.soil.horizon_marks import root_limit_cm
from embalse.services import times
from embalse.services.block_model.gather import gather
from embalse.services.block_model.kept_fits import Models, anchor_day, any_kept, models_at
from embalse.store.rows import BlockRow, FarmRow, FarmRows

RUN_ON_DAYS: Final = 6  # days a record is carried on for water still going down


class Past:
    """A block's past up to an instant [s, UTC], over so many days; nothing is told where no model is kept or made."""

    def __init__(self, farm: FarmRow, rows: FarmRows, block: Block, row: BlockRow, when: tuple[int, int]) -> None:
        self._zone, self._block, self._row = farm.time_zone, block, row
        self._now, days = when
        last = times.local_day(self._now, self._zone)
        there = any_kept(row.id, last - days - LONGEST_DAYS, last)
        self._gathered = gather(farm, rows, block, self._now, days + LONGEST_DAYS) if there else None
        self._ahead = None if self._gathered is None else self._gathered.season.whole().going_on(RUN_ON_DAYS)

    def below_mm(self, wettings: Sequence[Wetting]) -> Mapping[int, float]:
        """Water below the roots by wettings of a station [mm], by their beginning [s, UTC]; left out where not told."""
        found = {}
        for one, later in pairwise([*sorted(wettings, key=lambda w: w.start_at), None]):
            assert one is not None
            mm = self._below(one.start_at, goes_on_until(one, later))
            if mm is not None:
                found[one.start_at] = mm
        return found

    def _below(self, start: int, end: int) -> float | None:
        ahead, models = self._ahead, self._models(min(end, self._now))
        if models is None or ahead is None or self._gathered is None or self._block.roots is None:
            return None
        prior, _ = self._gathered.at_dawn(models.day)
        first = 86400 * ahead.first_day
        local = times.local_seconds([start, end], self._zone)
        steps = (max(0, int(local[0] - first) // STEP_S), min(int(local[1] - first) // STEP_S, len(ahead.sets_mm)))
        limit = root_limit_cm(self._block.horizons)
        roots = self._block.roots.full_cm if limit is None else min(limit, self._block.roots.full_cm)
        return below_roots_mm(prior, ahead.ending(models.day), models.dates, steps, roots)

    def uptake(self) -> Uptake | None:
        """What roots took from each layer a day, over the last two weeks."""
        ahead, models = self._ahead, self._models(self._now)
        if models is None or ahead is None or self._gathered is None:
            return None
        prior, _ = self._gathered.at_dawn(models.day)
        day = times.local_day(self._now, self._zone)
        return modelled_uptake(prior, ahead.ending(models.day), models.uptake, day)

    def _models(self, at: int) -> Models | None:
        """The models of the last anchor up to an instant: what a wetting lost is told by the fit of its end."""
        if self._gathered is None:
            return None
        dawn = at - 3600 * times.DAWN_END_H
        return models_at(self._gathered, self._row.id, anchor_day(times.local_day(dawn, self._zone), self._row.id))
