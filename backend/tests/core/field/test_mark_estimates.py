"""What estimators of marks say of simulated truth, and when they abstain."""

import numpy as np
import pytest

from embalse.core.crop.growth import (
    GrowthError,
    StemDay,
    check_fruit_target,
    fruit_state,
    growth_rates,
    threshold_from_growth,
    trunk_days,
)
from embalse.core.field.drain_down import DrainDown, FieldFullPoint, Night, pooled
from embalse.core.field.mark_estimates import (
    full_point_offer,
    lowest_seen,
    offer_notice,
    tension_estimate,
    texture_estimates,
)
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.layers import Layer
from embalse.core.soil.soil import FineEarth
from embalse.core.sources import Source
from embalse.core.wording import Notice
from tests.core.build import codes, values_of

DEPTHS = (10.0, 30.0, 50.0, 80.0)
THICKNESS = (20.0, 20.0, 25.0, 35.0)
DAY = 86400.0


def stems(rates_mm_d: list[float], plants: int = 20, seed: int = 2) -> list[StemDay]:
    random = np.random.default_rng(seed)
    length = np.full(plants, 200.0)
    found = [StemDay(0.0, {str(p): float(v) for p, v in enumerate(length)})]
    for day, rate in enumerate(rates_mm_d, start=1):
        length = length + rate * random.normal(1, 0.1, plants)
        found.append(StemDay(day * DAY, {str(p): float(v) for p, v in enumerate(length)}))
    return found


CANE = [4, 15, 28, 36, 40, 38, 32, 25, 18, 11]


@pytest.mark.published(source="common practice, no source: peak after 4 to 5 days near 40 mm/day, irrigate at half")
def test_growth_peaks_and_its_half_gives_the_reading() -> None:
    rates = growth_rates(stems([*CANE, *CANE]))
    times = np.arange(0, 21, 0.25) * DAY
    depletion = (times / DAY % 10) * 6.0
    found = threshold_from_growth(rates, [(-3600.0, 0.0), (10 * DAY, 10.1 * DAY)], (times, depletion))
    first = found.cycles[0]
    assert first.peak_at is not None and 4 <= first.peak_at / DAY <= 5
    assert first.peak_mm_d == pytest.approx(40, abs=3)
    assert first.reading == pytest.approx(6 * 8.2, abs=6)
    assert found.confirmed + found.contradicted == len([c for c in found.cycles if c.reading is not None]) - 1


def test_a_dry_down_watered_early_tells_nothing() -> None:
    rates = growth_rates(stems(CANE[:7]))
    found = threshold_from_growth(rates, [(-3600.0, 0.0)], (np.arange(0, 8) * DAY, np.arange(0, 8.0)))
    assert found.reading is None and codes(found.words) == ["growth.none_yet", "growth.watered"]
    assert threshold_from_growth([], [], (np.empty(0), np.empty(0))).reading is None
    with pytest.raises(GrowthError):
        threshold_from_growth(rates, [], (np.empty(0), np.empty(0)), share=0.95)


def test_broken_stems_are_named_and_few_plants_say_nothing() -> None:
    two = stems([10.0], plants=8)
    broken = StemDay(two[1].at, {**two[1].lengths_mm, "3": 50.0})
    rate = growth_rates([two[0], broken])[0]
    assert rate.shrank == ("3",) and rate.plants == 7
    assert growth_rates(stems([10.0], plants=4)) == []


def test_trunk_shrinks_by_day_and_grows_by_its_maxima() -> None:
    hours = np.arange(72)
    local = (hours * 3600).astype(np.int64)
    mm = (
        40
        + 0.02 * (hours // 24)
        - 0.15 * np.clip(np.sin(np.pi * (hours % 24 - 7) / 14), 0, None) * ((hours % 24 >= 7) & (hours % 24 <= 21))
    )
    found = trunk_days(local, mm)
    assert [d.shrinkage_mm for d in found] == [pytest.approx(0.15, abs=0.005)] * 3
    assert found[0].growth_mm is None and found[2].growth_mm == pytest.approx(0.02, abs=1e-6)
    assert trunk_days(local[:8], mm[:8]) == []


def test_fruit_on_and_behind_the_path() -> None:
    path = ((0, 30.0), (50, 80.0))
    assert fruit_state(20, [49, 50, 51, 50], path).words.code == "fruit.on_path"
    late = fruit_state(20, [44, 45, 46, 45], path)
    assert late.behind_mm == pytest.approx(5) and late.words.code == "fruit.behind"
    with pytest.raises(GrowthError):
        fruit_state(20, [44, 45], path)
    with pytest.raises(GrowthError):
        check_fruit_target(50, 40, 10)


def test_texture_answers_are_rough_and_name_their_definition() -> None:
    found = texture_estimates(Horizon(0, 40, FineEarth(0.40, 0.20), 0.1))
    by = {(e.mark, e.estimator): e for e in found}
    assert by[("full", "texture equation")].meaning == Notice("meaning.at_tension", at_kpa=33.0)
    assert by[("full", "table")].low == pytest.approx(0.18) and by[("full", "table")].high == pytest.approx(0.27)
    assert {e.confidence for e in found} == {"poor"}
    clay_loam = texture_estimates(Horizon(0, 40, FineEarth(0.30, 0.35)))
    assert next(e for e in clay_loam if e.estimator == "table").value is None


def test_lowest_seen_wants_a_month_and_bounds_from_above() -> None:
    assert lowest_seen([np.full(10, 0.2)]).value is None
    found = lowest_seen([np.linspace(0.2, 0.3, 50), np.full(50, np.nan)])
    assert found.low is None and found.high == found.value == pytest.approx(0.201, abs=0.002)


def test_a_threshold_wetter_than_full_is_said_to_be_so() -> None:
    from embalse.core.soil.layers import Layer
    from embalse.core.soil.retention import equation_curve

    curve = equation_curve(FineEarth(0.40, 0.20))
    layer = Layer(10, 0, 40, 40, float(curve.theta(33.0)), 0.2, float(curve.theta(1500.0)), 0.45)
    source = Source("table", "x")
    assert codes(tension_estimate((10, 30), [(layer, curve)], source).evidence) == ["evidence.threshold_wet"]
    assert tension_estimate((50, 70), [(layer, curve)], source).confidence == "fair"
    assert tension_estimate(None, [(layer, curve)], source).value is None


def test_offers_are_made_when_the_field_has_moved_and_held_back_where_it_leaks() -> None:
    assert offer_notice(200, 202, 5) is None
    assert offer_notice(200, 190, 5) == (Notice("offer.down", by_mm=10, events=5), True)
    held = offer_notice(200, 215, 9, overfull=8)
    assert held is not None and not held[1] and held[0].code == "offer.too_much_water"


@pytest.mark.parametrize(
    ("events", "overfull", "offered"), [(2, 2, True), (3, 3, False), (10, 4, True), (10, 5, False)]
)
def test_full_stays_where_wettings_as_a_rule_leave_a_draining_profile(
    events: int, overfull: int, offered: bool
) -> None:
    said = offer_notice(200, 215, events, overfull)
    assert said is not None and said[1] is offered


DRAINING = (Night(41.0, 0.3, 0.03, 0.001),)


def drained(theta: float, accepted: int, deep: int = 99, nights: tuple[Night, ...] = ()) -> FieldFullPoint:
    events = tuple(DrainDown(n, nights, theta, filled=n < deep) for n in range(accepted))
    return pooled([FieldFullPoint(None, None, events, "none", Notice("drain_down.none"))])


def test_the_offer_is_summed_over_the_layers_that_agree_and_the_roots_reach() -> None:
    layers = [
        Layer(20, 0, 40, 40, 0.30, 0.25, 0.12, 0.45),
        Layer(60, 40, 80, 30, 0.32, 0.27, 0.14, 0.45),
        Layer(110, 80, 140, 0, 0.32, 0.27, 0.14, 0.45),
    ]
    lower, none = drained(0.31, 2), drained(0.36, 6)
    offered = full_point_offer(layers, [drained(0.33, 6), lower, none])
    assert offered is not None
    assert (offered.words.code, offered.words["by_mm"], offered.words["events"]) == ("offer.up", pytest.approx(12), 6)
    assert offered.layers == (0,)
    both = full_point_offer(layers, [drained(0.33, 6), drained(0.34, 5), none])
    assert both is not None and both.layers == (0, 1)
    assert (both.words.code, both.words["by_mm"], both.words["events"]) == ("offer.up", pytest.approx(18), 5)
    assert full_point_offer(layers, [lower, lower, none]) is not None, "one or two wettings may move it up"
    assert full_point_offer(layers, [drained(0.29, 2), lower, none]) is None


class TestWhichWay:
    """A wetting that stopped in the profile may have left a layer short: it bounds the full point from below."""

    LAYER = Layer(20, 0, 40, 40, 0.30, 0.25, 0.12, 0.45)

    BELOW = Layer(60, 40, 80, 0, 0.30, 0.25, 0.12, 0.45)

    def way(self, found: FieldFullPoint, below: bool = True) -> str | None:
        offered = full_point_offer([self.LAYER, self.BELOW][: 1 + below], [found, found][: 1 + below])
        return None if offered is None or not offered.layers else offered.words.code

    @pytest.mark.parametrize("deep", [0, 1])
    def test_one_wetting_moves_it_up(self, deep: int) -> None:
        assert self.way(drained(0.33, 1, deep)) == "offer.up"

    @pytest.mark.parametrize(("deep", "way"), [(0, None), (2, None), (3, "offer.down")])
    def test_only_several_that_went_through_move_it_down(self, deep: int, way: str | None) -> None:
        assert self.way(drained(0.27, 6, deep)) == way

    def test_without_a_sensor_below_the_roots_nothing_went_through(self) -> None:
        assert self.way(drained(0.27, 6), below=False) is None
        assert self.way(drained(0.33, 6), below=False) == "offer.up"

    @pytest.mark.parametrize(
        ("used", "way", "to"),
        [(0.0, "offer.down", 0.27), (0.01, "offer.down", 0.28), (0.03, None, None), (None, None, None)],
    )
    def test_down_no_further_than_without_the_crops_use(
        self, used: float | None, way: str | None, to: float | None
    ) -> None:
        events = tuple(DrainDown(n, (), 0.27, used_theta=used) for n in range(5))
        one = pooled([FieldFullPoint(None, None, events, "none", Notice("drain_down.none"))])
        found = full_point_offer([self.LAYER, self.BELOW], [one, one])
        assert self.way(one) == way
        assert (found.thetas if found else {}) == ({} if to is None else {0: pytest.approx(to)})

    def test_wettings_that_do_not_agree_move_nothing(self) -> None:
        events = tuple(DrainDown(n, (), v) for n, v in enumerate((0.31, 0.32, 0.36, 0.37)))
        assert self.way(pooled([FieldFullPoint(None, None, events, "none", Notice("drain_down.none"))])) is None

    def test_it_is_not_moved_up_where_wettings_leave_the_profile_draining(self) -> None:
        held = full_point_offer([self.LAYER], [drained(0.33, 6, nights=DRAINING)])
        assert held is not None and held.layers == ()
        assert values_of(held.words, "offer.too_much_water")["events"] == 6
        assert self.way(drained(0.27, 6, nights=DRAINING)) == "offer.down"


class TestOffers:
    """An offer says what it does to the depletion allowed, and does not destroy a mark."""

    LAYERS = tuple(Layer(d, d - 10, d + 10, 20.0 * (d < 70), 0.30, 0.20, 0.10, 0.45) for d in (10.0, 30.0, 50.0, 70.0))

    def offered(self, theta: float, refill_stays: bool = False) -> tuple[str, dict[str, object], int]:
        one = drained(theta, 5)
        found = full_point_offer(self.LAYERS, [one] * 4, refill_stays)
        assert found is not None
        return found.words.code, found.words.values, len(found.layers)

    def test_a_refill_that_moves_along_keeps_its_share(self) -> None:
        code, values, layers = self.offered(0.26)
        assert (code, layers) == ("offer.down", 3)
        assert values["by_mm"] == pytest.approx(24.0)
        assert values["allowed_mm"] == pytest.approx(60.0) and values["then_mm"] == pytest.approx(48.0)

    def test_a_refill_set_by_hand_stays(self) -> None:
        _, values, _ = self.offered(0.26, refill_stays=True)
        assert values["then_mm"] == pytest.approx(36.0)

    @pytest.mark.parametrize(("theta", "layers"), [(0.251, 3), (0.249, 0)])
    def test_less_than_half_of_the_depletion_allowed_is_not_offered(self, theta: float, layers: int) -> None:
        code, _, count = self.offered(theta, refill_stays=True)
        assert count == layers and (code == "offer.breaks_refill") is (layers == 0)

    def test_a_full_point_at_the_refill_point_is_said_and_not_offered(self) -> None:
        code, values, layers = self.offered(0.19, refill_stays=True)
        assert (code, layers, values["then_mm"]) == ("offer.breaks_refill", 0, 0.0)

    def test_up_is_offered_with_its_gain(self) -> None:
        code, values, layers = self.offered(0.33, refill_stays=True)
        assert (code, layers) == ("offer.up", 3) and values["then_mm"] == pytest.approx(78.0), code
