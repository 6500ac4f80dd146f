"""Which channel a touched sensor answers on."""

from embalse.core.install.channel_check import Touch, channel_check, moved_channel, swaps
from embalse.core.wording import text


class TestChannels:
    BEFORE = {"a": 20.0, "b": 21.0, "c": 22.0}

    def touch(self, sensor: str, channel: str, moved: str) -> Touch:
        return Touch(sensor, channel, self.BEFORE, {k: v + (9 if k == moved else 0.3) for k, v in self.BEFORE.items()})

    def test_a_crossed_pair_is_found(self) -> None:
        found = channel_check([self.touch("20", "a", "a"), self.touch("40", "b", "c"), self.touch("60", "c", "b")])
        assert [v.agrees for v in found] == [True, False, False]
        assert swaps(found) == [("40", "60")]
        assert "c moved, b is written" in text(found[1].words)

    def test_no_swap_where_only_one_is_wrong(self) -> None:
        assert swaps(channel_check([self.touch("40", "b", "c"), self.touch("60", "c", "c")])) == []

    def test_nothing_is_said_when_nothing_stands_out(self) -> None:
        assert moved_channel(self.BEFORE, {"a": 25.0, "b": 24.0, "c": 22.0}) is None
        assert moved_channel(self.BEFORE, self.BEFORE) is None
