"""The layered column: water neither made nor lost, its laws against plain arithmetic and an independent integrator."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from embalse.core.block_model.column import (
    AIRLESS_THETA,
    POND_MM,
    SLOW_MM_D,
    STEPS_A_DAY,
    Forcing,
    Soil,
    advance,
    started,
)
from embalse.core.block_model.parameters import soil_of
from tests.core.block_model.build import dry_forcing, loam_prior, one_layer


def run(soil: Soil, theta: float, forcing: Forcing) -> tuple[float, float, float]:
    """Last water content, and all that drained and was taken [mm]."""
    columns = started(np.array([[theta]]))
    drained = taken = 0.0
    for step in range(len(forcing.demand)):
        advance(columns, soil, forcing, step)
        drained += float(columns.below_mm[0, 0])
        taken += float(columns.taken_mm[0, 0])
    return float(columns.theta[0, 0]), drained, taken


class TestWaterIsNeitherMadeNorLost:
    def test_over_a_month_of_storms_in_any_soil(self) -> None:
        prior = loam_prior()
        generator = np.random.default_rng(3)
        many = 40
        x = 1.5 * generator.standard_normal((prior.names.count, many))
        soil = soil_of(prior, x, np.full(many, 60.0))
        steps = 30 * STEPS_A_DAY
        water = generator.random((steps, many)) ** 40 * 25.0
        quiet = dry_forcing(steps, many, demand_mm_d=6.0)
        forcing = Forcing(quiet.demand, quiet.evaporation, water, np.zeros_like(water))
        columns = started(np.repeat(prior.ground.ref[:, None], many, axis=1))
        start = (columns.theta * soil.thickness_mm).sum(axis=0)
        drained, taken = np.zeros(many), np.zeros(many)
        for step in range(steps):
            advance(columns, soil, forcing, step)
            drained += columns.below_mm[-1]
            taken += columns.taken_mm.sum(axis=0)
            assert (columns.theta <= soil.saturation + 1e-9).all() and (columns.theta > 0).all()
        held = (columns.theta * soil.thickness_mm).sum(axis=0) + columns.pond_mm + columns.stuck_mm
        assert columns.pond_mm.max() < POND_MM
        assert held + drained + taken == pytest.approx(start + water.sum(axis=0), abs=1e-6)

    def test_what_no_longer_finds_room_on_top_runs_off(self) -> None:
        soil = one_layer(through=1.0)
        pour = dry_forcing(8)
        pour.sets[0] = 400.0
        columns = started(np.array([[0.30]]))
        advance(columns, soil, pour, 0)
        assert float(columns.pond_mm[0]) == POND_MM


class TestDrainage:
    def test_at_its_reference_a_layer_loses_two_millimetres_a_day(self) -> None:
        _, drained, _ = run(one_layer(exponent=2.0), 0.30, dry_forcing(1))
        assert drained == pytest.approx(2.0 / STEPS_A_DAY, rel=0.01)

    @pytest.mark.parametrize("start", [0.28, 0.33, 0.40])
    def test_it_is_the_power_law_as_an_integrator_solves_it(self, start: float) -> None:
        soil = one_layer()

        def law(_: float, theta: np.ndarray) -> np.ndarray:
            return -SLOW_MM_D * ((theta - 0.05) / 0.25) ** 10 / 200.0

        days = 5
        whole = solve_ivp(law, (0, days), [start], rtol=1e-10, atol=1e-12).y[0, -1]
        found, _, _ = run(soil, start, dry_forcing(days * STEPS_A_DAY))
        assert found == pytest.approx(whole, abs=1e-6)

    def test_it_never_passes_more_than_the_layer_lets_through(self) -> None:
        _, drained, _ = run(one_layer(through=1.5), 0.44, dry_forcing(4))
        assert drained == pytest.approx(6.0)


class TestUptake:
    def test_it_is_the_whole_demand_down_to_the_threshold_and_falls_to_nothing_at_wilting(self) -> None:
        asked = dry_forcing(STEPS_A_DAY, demand_mm_d=5.0)
        at = {theta: run(one_layer(exponent=60.0), theta, asked)[2] for theta in (0.25, 0.16, 0.121)}
        assert at[0.25] == pytest.approx(5.0)
        # half way between wilting and threshold: half of the roots are active, of the three quarters that are enough
        assert at[0.16] == pytest.approx(5.0 * 0.5 / 0.75, rel=0.15)
        assert at[0.121] < 0.2

    def test_roots_without_air_take_nothing(self) -> None:
        soil = one_layer(through=0.0)
        asked = dry_forcing(STEPS_A_DAY, demand_mm_d=5.0)
        assert run(soil, 0.45, asked)[2] == pytest.approx(0.0, abs=1e-9)
        assert run(soil, 0.45 - AIRLESS_THETA, asked)[2] == pytest.approx(5.0, rel=1e-6)

    def test_it_takes_no_more_than_there_is(self) -> None:
        last, _, taken = run(one_layer(exponent=60.0), 0.14, dry_forcing(40 * STEPS_A_DAY, demand_mm_d=20.0))
        assert last >= 0.12 and taken <= (0.14 - 0.12) * 200 + 1e-9


def test_exchange_goes_from_wet_to_dry_and_stops_when_both_are_alike() -> None:
    prior = loam_prior((10.0, 30.0))
    soil = soil_of(prior, np.zeros((prior.names.count, 1)), np.full(1, 60.0))
    span = soil.ref - soil.residual
    up = started(soil.residual + span * np.array([[0.6], [0.9]]))
    before = up.theta.copy()
    for step in range(4):
        advance(up, soil, dry_forcing(4), step)
    assert up.theta[0, 0] > before[0, 0]
    alike = started(soil.residual + span * 0.6)
    advance(alike, soil, dry_forcing(1), 0)
    assert alike.below_mm[0, 0] < 0.05


def test_a_slow_layer_holds_water_above_it() -> None:
    prior = loam_prior((10.0, 30.0))
    x = np.zeros((prior.names.count, 2))
    x[prior.names.layer("through")][1, 1] = -4.0
    soil = soil_of(prior, x, np.full(2, 60.0))
    pour = dry_forcing(STEPS_A_DAY, 2)
    pour.sets[0] = 60.0
    columns = started(np.repeat(prior.ground.ref[:, None], 2, axis=1))
    for step in range(STEPS_A_DAY):
        advance(columns, soil, pour, step)
    assert columns.theta[0, 1] > columns.theta[0, 0] + 0.02
