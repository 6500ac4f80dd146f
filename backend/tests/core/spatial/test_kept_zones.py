"""Zones that were drawn: they must part the block, and each goes by the stations in it."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.crop.dry_down import DaysToRefill
from embalse.core.planning.asking import LEAST_USE_MM_D
from embalse.core.robust import CONFIDENCE_Z
from embalse.core.spatial.block_map import area_of, in_area
from embalse.core.spatial.kept_zones import (
    OUTSIDE,
    OVERLAP,
    SMALLEST,
    BlockNow,
    KeptZone,
    ZoneError,
    check_zones,
    holds_back,
    shares_of,
    zone_waters,
)


def box(west: float, south: float, east: float, north: float) -> np.ndarray:
    return np.array([[west, south], [east, south], [east, north], [west, north]], dtype=float)


BLOCK = box(0, 0, 100, 100)
REST: list[np.ndarray] = []
NOW = BlockNow(
    depletion_mm=30.0, trigger_mm=50.0, uncut_net_mm=24.0, net_mm=24.0, days=DaysToRefill(3.0, 4.0, 5.0),
    use_mm_d=5.0, wetted_fraction=0.5, kept_fraction=0.8,
)  # fmt: skip


class TestParting:
    def test_shares_and_the_rest(self) -> None:
        assert shares_of(BLOCK, [[box(0, 0, 30, 100)], REST]) == pytest.approx([0.3, 0.7], abs=0.005)
        hole = [box(0, 0, 100, 100), box(25, 25, 75, 75)]
        assert shares_of(BLOCK, [hole, REST]) == pytest.approx([0.75, 0.25], abs=0.01)
        assert in_area(np.array([[50.0, 50.0], [10.0, 10.0]]), hole).tolist() == [False, True]

    def test_the_first_of_two_areas_counts(self) -> None:
        both = [[box(0, 0, 60, 100)], [box(50, 0, 100, 100)]]
        assert area_of(np.array([[55.0, 5.0], [65.0, 5.0], [200.0, 5.0]]), both).tolist() == [0, 1, -1]

    @pytest.mark.parametrize(("wide", "refused"), [(OVERLAP - 0.008, False), (OVERLAP + 0.008, True)])
    def test_two_may_cross_a_little(self, wide: float, refused: bool) -> None:
        areas = [[box(0, 0, 50 + 100 * wide, 100)], [box(50, 0, 100, 100)]]
        assert self.why(areas) == ("east and west lie over each other" if refused else "")

    @pytest.mark.parametrize(("share", "refused"), [(OUTSIDE - 0.02, False), (OUTSIDE + 0.02, True)])
    def test_a_zone_may_lie_a_little_outside(self, share: float, refused: bool) -> None:
        out = 50 * share / (1 - share)
        assert ("outside the block" in self.why([[box(50, 0, 100 + out, 100)], REST])) == refused

    @pytest.mark.parametrize(("share", "refused"), [(SMALLEST - 0.004, True), (SMALLEST + 0.004, False)])
    def test_a_slip_of_the_finger_is_no_zone(self, share: float, refused: bool) -> None:
        assert ("nothing of the block is left" in self.why([[box(0, 0, 100 * share, 100)], REST])) == refused

    def test_only_one_is_the_rest(self) -> None:
        assert "only one zone" in self.why([REST, REST])
        assert "east" in self.why([[BLOCK], REST]), "nothing is left for the rest"

    @staticmethod
    def why(areas: list[list[np.ndarray]]) -> str:
        try:
            check_zones(BLOCK, areas, ["west", "east"])
        except ZoneError as refusal:
            from embalse.services.reader import say

            return say(refusal.reason)
        return ""


class TestWater:
    def test_a_zone_goes_by_its_own_stations_and_the_blocks_set(self) -> None:
        zones = [KeptZone("dry", 0.4, ("a", "b")), KeptZone("wet", 0.6, ("c",))]
        dry, wet = zone_waters(zones, {"a": (40.0, 2.0), "b": (44.0, 2.0), "c": (20.0, 2.0)}, NOW)
        assert dry.depletion_mm == 42.0 and dry.stations == 2
        assert dry.net_mm == pytest.approx(24 + 12 * 0.5) and dry.gross_mm == pytest.approx(30 / 0.8)
        assert wet.net_mm == pytest.approx(24 - 10 * 0.5)
        assert dry.days is not None and dry.days.mid == pytest.approx(4 - 12 / 5)
        assert wet.days is not None and wet.days.mid == pytest.approx(4 + 10 / 5)

    def test_the_error_is_what_stations_of_a_zone_differ_by(self) -> None:
        zones = [KeptZone("dry", 0.4, ("a", "b")), KeptZone("wet", 0.6, ("c",))]
        dry, wet = zone_waters(zones, {"a": (36.0, 1.0), "b": (44.0, 1.0), "c": (20.0, 1.0)}, NOW)
        assert dry.error_mm == pytest.approx(np.sqrt(32 / 2)) and wet.error_mm == pytest.approx(np.sqrt(32))
        alone = zone_waters([KeptZone("one", 1.0, ("a",))], {"a": (36.0, 3.0)}, NOW)[0]
        assert alone.error_mm == 3.0
        assert wet.days is not None
        assert wet.days.mid - wet.days.low == pytest.approx(np.hypot(1.0, CONFIDENCE_Z * np.sqrt(32) / 5))

    def test_past_its_trigger_it_is_overdue_by_that(self) -> None:
        past = BlockNow(60.0, 50.0, 30.0, 30.0, DaysToRefill(0.0, 0.0, 0.5), 5.0, 1.0, 1.0)
        told = zone_waters([KeptZone("z", 1.0, ("a",))], {"a": (65.0, 1.0)}, past)[0]
        assert told.days is not None and told.days.mid == pytest.approx(-3.0)

    def test_a_set_that_is_cut_is_cut_for_all(self) -> None:
        cut = BlockNow(30.0, 50.0, 24.0, 15.0, None, 5.0, 1.0, 1.0)
        zones = [KeptZone("dry", 0.5, ("a",)), KeptZone("wet", 0.5, ("b",)), KeptZone("soaked", 0.1, ("c",))]
        found = zone_waters(zones, {"a": (40.0, 1.0), "b": (16.0, 1.0), "c": (0.0, 1.0)}, cut)
        assert [z.net_mm for z in found] == [15.0, 10.0, 0.0] and all(z.days is None for z in found)

    def test_zones_wait_where_the_block_does(self) -> None:
        told = zone_waters([KeptZone("z", 1.0, ("a",))], {"a": (65.0, 1.0)}, replace(NOW, held=True))[0]
        assert (told.depletion_mm, told.net_mm, told.days) == (65.0, None, None)
        assert told.why_not is not None and told.why_not.code == "kept_zones.waits"

    @pytest.mark.parametrize(
        ("group", "ordered", "codes", "finishes", "held"),
        [
            ("coming", "", ["soak.wait"], False, True), ("act", "", ["soak.wait"], False, False),
            ("leave", "hold", [], False, True), ("act", "water", ["order.water"], False, False),
            ("leave", "", ["rain.hold"], False, True), ("coming", "", ["rain.room"], False, False),
            ("coming", "", ["window.keep_dry"], False, True), ("leave", "", [], True, True),
            ("coming", "", ["capacity.spell"], False, False),
        ],
    )  # fmt: skip
    def test_what_holds_a_block_back_holds_its_zones(
        self, group: str, ordered: str, codes: list[str], finishes: bool, held: bool
    ) -> None:
        assert holds_back(group, ordered, codes, finishes) == held

    @pytest.mark.parametrize(("use", "dated"), [(LEAST_USE_MM_D - 0.01, False), (LEAST_USE_MM_D, True)])
    def test_a_block_that_uses_nothing_has_no_date(self, use: float, dated: bool) -> None:
        told = zone_waters([KeptZone("z", 1.0, ("a",))], {"a": (40.0, 1.0)}, replace(NOW, use_mm_d=use))[0]
        assert (told.days is not None) == dated

    def test_without_a_reading_nothing_is_told(self) -> None:
        empty, silent = zone_waters([KeptZone("e", 0.5, ()), KeptZone("s", 0.5, ("x",))], {}, NOW)
        assert (empty.depletion_mm, empty.net_mm, silent.days) == (None, None, None)
        assert empty.why_not is not None and empty.why_not.code == "kept_zones.no_station"
        assert silent.why_not is not None and silent.why_not.code == "kept_zones.unread"
