"""The clock of the benches: processor time, the least of several runs."""

import time
from collections.abc import Callable


def least(action: Callable[[], object], runs: int = 5) -> float:
    """Least processor time [s] of one run."""
    best = float("inf")
    for _ in range(runs):
        started = time.process_time()
        action()
        best = min(best, time.process_time() - started)
    return best


def row(what: str, seconds: float, baseline: float, limit: str) -> None:
    print(f"{what:<58} {1e3 * seconds:9.1f} ms {seconds / baseline:8.2f} × {limit}")
