"""Where to put a station: rules, what is not known, replicates."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.errors import CoreError
from embalse.core.install.siting import Replicate, Zone, replicate_cautions, rules_for, spot_verdict, zone_cautions
from embalse.core.wording import text
from tests.core.build import codes


class TestSiting:
    DRIP = {
        "edge_m": 60.0, "row_end_m": 50.0, "level_ground": True, "no_runoff": True, "majority_soil": True,
        "average_yield": True, "full_stand": True, "no_wheel_track": True, "in_reach": True, "emitter_cm": 8.0,
        "not_midway": True, "typical_plant": True,
    }  # fmt: skip

    def test_words_follow_the_rules(self) -> None:
        rules = rules_for("drip")
        assert spot_verdict(rules, self.DRIP).word == "good"
        assert spot_verdict(rules, {**self.DRIP, "emitter_cm": 25.0}).word == "usable"
        refused = spot_verdict(rules, {**self.DRIP, "edge_m": 20.0})
        assert refused.word == "not here"
        assert "20 m, wanted 45 m or more" in text(next(v.words for v in refused.rules if v.outcome == "no"))
        assert spot_verdict(rules, {}).word == "not looked at"

    def test_rules_depend_on_the_system(self) -> None:
        assert {r.rule for r in rules_for("pivot")} >= {"first_span", "last_span", "access"}
        assert "emitter" not in {r.rule for r in rules_for("pivot")}
        assert {r.rule for r in rules_for("furrow")} >= {"run", "wheel_furrow"}

    def test_limits_of_the_farm_take_over_and_say_so(self) -> None:
        rules = rules_for("drip", {"edge": (15.0, None)})
        assert spot_verdict(rules, {**self.DRIP, "edge_m": 20.0}).word == "good"
        assert next(r for r in rules if r.rule == "edge").source.startswith("set on this farm")
        with pytest.raises(CoreError, match="no rule with limits"):
            rules_for("drip", {"landform": (1.0, None)})

    @given(st.sets(st.sampled_from(sorted(DRIP))))
    def test_knowing_less_never_makes_a_spot_worse(self, unknown: set[str]) -> None:
        order = ("not here", "usable", "good", "not looked at")
        bad = {**self.DRIP, "emitter_cm": 30.0, "edge_m": 10.0}
        known = {k: v for k, v in bad.items() if k not in unknown}
        word = spot_verdict(rules_for("drip"), known).word
        assert order.index(word) >= order.index(spot_verdict(rules_for("drip"), bad).word)

    def test_replicates_are_alike_where_they_must_be(self) -> None:
        found = replicate_cautions([Replicate("a", 6, "12", 60), Replicate("b", 10, "12", 62)])
        assert len(found) == 3 and codes(found) == ["replicate.offset", "replicate.row", "replicate.inlet"]
        assert replicate_cautions([Replicate("a", 8, "12", 60), Replicate("b", 9, "31", 180)]) == []

    def test_zones_that_differ_are_named(self) -> None:
        home = Zone("Home", "loam", "almond", 1.0, 1.4, "drip")
        other = Zone("Slope", "clay", "almond", 9.0, 2.0, "drip")
        [found] = zone_cautions(home, [other])
        assert codes(found) == ["zone.differs", "zone.soil", "zone.slope", "zone.rate"]
        assert zone_cautions(home, [Zone("Same", "loam", "almond", 2.0, 1.45, "drip")]) == []
