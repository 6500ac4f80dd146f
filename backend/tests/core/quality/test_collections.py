"""What a logger missed is counted by its own interval."""

import numpy as np
import pytest

from embalse.core.quality.collections import FEWEST, LATE_SHARE, collected

H = 3600


@pytest.mark.parametrize("every", [300, 900, H, 6 * H])
def test_a_logger_that_never_fails_missed_nothing(every: int) -> None:
    at = np.arange(0, 40 * every, every)
    told = collected(at, 0, int(at[-1]) + every // 4)
    assert told is not None and (told.every_min, told.expected, told.missed) == (every // 60, 40, 0)


def test_gaps_and_silence_up_to_now_are_missed() -> None:
    at = np.delete(np.arange(0, 100 * H, H), [10, 11, 12, 50])
    told = collected(at, 0, 104 * H)
    assert told is not None and told.missed == 4 + 4 and told.expected == 96 + 8


def test_only_the_span_counts() -> None:
    at = np.concatenate([np.arange(0, 50 * H, H), np.arange(60 * H, 80 * H, H)])
    told = collected(at, 55 * H, 79 * H)
    assert told is not None and (told.missed, told.expected) == (4, 24)
    silent = collected(np.arange(0, 50 * H, H), 60 * H, 84 * H)
    assert silent is not None and silent.missed in (23, 24) and silent.expected == silent.missed


@pytest.mark.parametrize(("late", "missed"), [(LATE_SHARE - 0.05, 0), (LATE_SHARE + 0.05, 1)])
def test_a_reading_may_come_late(late: float, missed: int) -> None:
    at = np.arange(0, 40 * H, H)
    at[20:] += int(late * H)
    told = collected(at, 0, int(at[-1]))
    assert told is not None and told.missed == missed


@pytest.mark.parametrize(("count", "known"), [(FEWEST - 1, False), (FEWEST, True)])
def test_too_few_tell_no_interval(count: int, known: bool) -> None:
    assert (collected(np.arange(count) * H, 0, count * H) is not None) == known
