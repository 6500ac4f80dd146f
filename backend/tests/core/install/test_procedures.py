"""Procedures: every step leads to the end, and none closes with something unmeasured."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.install.procedures import Done, SensorPlace, procedure, procedures, run_state, step_ids
from embalse.core.wording import Notice, text


class TestProcedures:
    PLACES = (SensorPlace("20", 20), SensorPlace("50", 50))

    def entries(self, name: str, places: tuple[SensorPlace, ...] = ()) -> dict[str, Done]:
        done = {}
        for id_, step, place in ((s.id, s.step, s.sensor) for s in step_ids(procedure(name), places)):
            value: float | str | None = None
            if step.step == "depth" and place:
                value = place.depth_cm
            elif step.entry == "number":
                value = step.low if step.low else min(step.high or 5.0, 5.0)
                if step.step == "read_placed" and step.unit == "raw":
                    value = 50.0
            elif step.entry == "choice":
                value = step.options[0]
            elif step.entry == "text":
                value = id_
            done[id_] = Done(value, 0.0, "x")
        return done

    @pytest.mark.parametrize("name", list(procedures()))
    def test_every_procedure_can_be_finished(self, name: str) -> None:
        places = self.PLACES if procedure(name).subject == "station" else ()
        state = run_state(procedure(name), places, self.entries(name, places))
        assert state.gaps == () and state.verdict == "ready" and state.next_id is None
        assert all(step.source and step.why for step in procedure(name).steps)

    @pytest.mark.parametrize("name", [n for n, p in procedures().items() if p.kind == "install"])
    def test_no_installation_closes_with_a_depth_unmeasured(self, name: str) -> None:
        done = self.entries(name, self.PLACES)
        del done["50:depth"]
        state = run_state(procedure(name), self.PLACES, done)
        assert state.verdict == "open" and state.gaps[0] == Notice("run.no_depth", depth_cm=50)

    @pytest.mark.parametrize("name", [n for n, p in procedures().items() if p.kind == "install"])
    def test_no_installation_closes_with_a_channel_shared(self, name: str) -> None:
        done = self.entries(name, self.PLACES)
        done["50:channel"] = done["20:channel"] = Done("SM1")
        state = run_state(procedure(name), self.PLACES, done)
        assert state.verdict == "open" and text(state.gaps[0]) == "channel 'sm1' is given to 50 cm and 20 cm"

    @pytest.mark.parametrize("name", [n for n, p in procedures().items() if p.kind == "install"])
    def test_digging_carries_its_caution(self, name: str) -> None:
        cautions = " ".join(step.caution for step in procedure(name).steps)
        assert "buried services" in cautions and "lightning" in cautions.lower()
        assert "local" in cautions

    def test_the_deepest_sensor_comes_first(self) -> None:
        order = [s.sensor.key for s in step_ids(procedure("pit"), self.PLACES) if s.sensor and s.step.step == "depth"]
        assert order == ["50", "20"]

    def test_a_value_outside_its_limits_is_a_failure_in_words(self) -> None:
        done = self.entries("condition-a") | {"read_dry1": Done(120.0)}
        state = run_state(procedure("condition-a"), (), done)
        assert state.verdict == "not ready"
        assert text(state.failures) == "Read it dry: 120 kPa, 150 kPa or more wanted"

    def test_a_depth_off_the_plan_is_pointed_out(self) -> None:
        done = self.entries("pit", self.PLACES) | {"50:depth": Done(44.0)}
        state = run_state(procedure("pit"), self.PLACES, done)
        assert state.notices == (Notice("run.depth_differs", measured_cm=44, planned_cm=50),)

    def test_an_unknown_procedure_is_named(self) -> None:
        with pytest.raises(CoreError, match="'dig' is no procedure"):
            procedure("dig")

    def test_soil_is_packed_up_to_the_next_sensors_mark(self) -> None:
        state = run_state(procedure("one-hole"), self.PLACES, {})
        words = {s.sensor.key: text(s.words) for s in state.steps if s.step.step == "packed" and s.sensor}
        assert words == {
            "50": "pack up to the mark at 20 cm: the next sensor sits there",
            "20": "pack up to the surface",
        }

    @pytest.mark.parametrize(("placed", "outcome"), [(815.0, "failed"), (817.0, "done"), (420.0, "done")])
    def test_a_sensor_that_still_reads_air_is_seated_again(self, placed: float, outcome: str) -> None:
        done = {"50:read_before": Done(800.0), "50:read_placed": Done(placed)}
        state = run_state(procedure("one-hole"), self.PLACES, done)
        assert next(s.outcome for s in state.steps if s.id == "50:read_placed") == outcome

    @pytest.mark.parametrize(("kpa", "outcome"), [(10.0, "passed"), (10.5, "failed")])
    def test_a_tension_sensor_goes_into_any_hole_wet(self, kpa: float, outcome: str) -> None:
        places = (SensorPlace("50", 50, "kPa"),)
        done = {"50:read_before": Done(kpa), "50:read_placed": Done(kpa)}
        states = {s.id: s for s in run_state(procedure("one-hole"), places, done).steps}
        assert states["50:read_before"].outcome == states["50:read_placed"].outcome == outcome
        assert states["50:read_before"].step.unit == "kPa"

    def test_a_choice_is_one_of_its_options(self) -> None:
        done = {"50:slurry": Done("a bucket full")}
        state = run_state(procedure("hole"), self.PLACES, done)
        assert next(s.outcome for s in state.steps if s.id == "50:slurry") == "open"
