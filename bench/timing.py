"""The clock of the benches: processor time, the least of several runs."""

import time
from collections.abc import Callable


def least(action: Callable[[], object], runs: int = 5, clock: Callable[[], float] = time.process_time) -> float:
    """Least time [s] of one run: of the processor, or by another `clock`."""
    best = float("inf")
    for _ in range(runs):
        started = clock()
        action()
        best = min(best, clock() - started)
    return best


def row(what: str, seconds: float, baseline: float, limit: str) -> None:
    print(f"{what:<58} {1e3 * seconds:9.1f} ms {seconds / baseline:8.2f} × {limit}")
