"""Shares among percent: a column of water contents in % in which some values were written as m³/m³."""

import statistics
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Final

from embalse.ingest.reader import Batch, Refusal, Target

LEAST_SHARE: Final = 0.02
"""m³/m³ below which a small value is taken for a sensor out of the soil, not for a share (ours): no field is so dry."""
ALIKE: Final = 0.35
"""How far a hundred times a share may lie from the column's usual value, as a part of it [-] (ours): two thirds to a
third more is what one sensor's readings stay within from one reading to the next."""


@dataclass
class MixedUnits:
    """Tells shares from percent in the columns that are set to %, batch by batch."""

    targets: Sequence[Target]
    usual: dict[int, float] = field(default_factory=dict)
    """The middle of what is above 1 so far, by sensor [%]."""
    small_before: dict[int, tuple[int, float]] = field(default_factory=dict)
    """First line and value [%] of small values stored while nothing above 1 was known, by sensor."""

    def sift(self, batch: Batch) -> None:
        """Refuse the values of a batch that are shares among percent; what is left goes on."""
        mine: dict[int, list[tuple[int, float]]] = {t.sensor_id: [] for t in self.targets if t.unit == "%"}
        if not mine:
            return
        for place, (sensor_id, _, value, _) in enumerate(batch.readings):
            if sensor_id in mine:
                mine[sensor_id].append((place, value))
        wrong = {place for sensor_id, values in mine.items() for place in self._shares(batch, sensor_id, values)}
        if wrong:
            batch.readings = [r for place, r in enumerate(batch.readings) if place not in wrong]
            batch.lines = [line for place, line in enumerate(batch.lines) if place not in wrong]

    def _shares(self, batch: Batch, sensor_id: int, values: Sequence[tuple[int, float]]) -> list[int]:
        """Places of a sensor's shares among percent; each is refused with its line."""
        above = [value for _, value in values if value > 1]
        if above:
            self.usual[sensor_id] = statistics.median(above)
        usual = self.usual.get(sensor_id)
        wrong = []
        for place, value in values:
            if not LEAST_SHARE <= value <= 1:
                continue
            if usual is None:
                self.small_before.setdefault(sensor_id, (batch.lines[place], value))
            elif abs(100 * value - usual) <= ALIKE * usual:
                wrong.append(place)
                reason = f"{value:g} among percent looks like {100 * value:g} % written as a share (m³/m³)"
                batch.refusals.append(Refusal(batch.lines[place], self._name(sensor_id), reason, f"{value:g}"))
        return wrong

    def _name(self, sensor_id: int) -> str:
        return next(t.name for t in self.targets if t.sensor_id == sensor_id)

    def mixed_from_the_start(self) -> str:
        """Why nothing of the file can be stored, where a column began as shares and went on in percent; else empty."""
        for target in self.targets:
            usual, small = self.usual.get(target.sensor_id), self.small_before.get(target.sensor_id)
            if usual is not None and small is not None and abs(100 * small[1] - usual) <= ALIKE * usual:
                return (
                    f"column '{target.name}' is set to % and mixes shares with percent: line {small[0]} has "
                    f"{small[1]:g}, later values are about {usual:.0f}. Import the two parts as files of their own."
                )
        return ""
