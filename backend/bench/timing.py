"""Medians of repeated calls."""

import statistics
import time
from collections.abc import Callable


def median_ms(call: Callable[[], object], runs: int = 9, warm: int = 2) -> float:
    """Median wall time of a call [ms] after some warm-up calls."""
    for _ in range(warm):
        call()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        call()
        times.append(1000 * (time.perf_counter() - start))
    return statistics.median(times)


def line(name: str, value: str, aim: str) -> None:
    """One figure on one line."""
    print(f"{name:<64}{value:>16}   aim {aim}", flush=True)
