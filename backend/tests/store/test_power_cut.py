"""A batch that was acknowledged is on the disk: power cuts replayed from the writes and flushes of the files."""

from pathlib import Path

import pytest

from bench.power_cut import Disk, can_trace, cut_after_each

traced = pytest.mark.skipif(not can_trace(), reason="strace may not watch a child here")


@traced
def test_a_power_cut_loses_nothing_that_was_acknowledged_and_cuts_no_batch(tmp_path: Path) -> None:
    report = cut_after_each(tmp_path, 6)
    assert report.acknowledged == 6 and report.cuts > 20
    assert (report.lost, report.cut, report.damaged) == (0, 0, 0)


@traced
def test_the_replay_sees_it_where_the_disk_is_not_waited_for(tmp_path: Path) -> None:
    assert cut_after_each(tmp_path, 3, synchronous="normal").lost > 0


def test_only_what_was_flushed_is_there_for_sure() -> None:
    disk = Disk()
    disk.write("a", 0, b"1234")
    assert disk.after_a_cut(None) == {"a": b""}
    disk.flush("a")
    disk.write("a", 2, b"xx")
    assert disk.after_a_cut(None) == {"a": b"1234"}
    disk.truncate("a", 3)
    assert disk.after_a_cut(None) == {"a": b"12x"}
