"""Mutated input through every reader: ./run bench fuzz [TIMES] [READER …]; 10 000 of each by default."""

import resource
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import fuzzing

_TRACED_EVERY = 50


def main(arguments: list[str]) -> None:
    """One line a reader: how many were refused, the slowest, the most memory, and what broke."""
    times = next((int(a) for a in arguments if a.isdigit()), 10_000)
    wanted = [a for a in arguments if not a.isdigit()]
    with tempfile.TemporaryDirectory() as folder:
        bench = fuzzing.Bench(Path(folder))
        for name in wanted or list(bench.readers):
            _run(bench, name, times)
        bench.close()
    print(f"most memory of the whole process {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


def _run(bench: fuzzing.Bench, name: str, times: int) -> None:
    sound, read = bench.readers[name]
    rng = np.random.default_rng(2_026)
    faults: Counter[str] = Counter()
    refused, slowest, most = 0, 0.0, 0
    started = time.monotonic()
    for number in range(times):
        data = fuzzing.mutated(name, sound, rng, bench.folder)
        outcome = fuzzing.attempt(read, data, trace_memory=number % _TRACED_EVERY == 0)
        refused, slowest, most = refused + outcome.refused, max(slowest, outcome.seconds), max(most, outcome.bytes_used)
        if outcome.fault:
            faults[f"{outcome.fault[:150]} (first at {number})"] += 1
    print(
        f"{name:12} {times} inputs, {refused} refused, slowest {slowest:.2f} s, most {most / 1e6:.0f} MB traced, "
        f"{sum(faults.values())} broke, in {time.monotonic() - started:.0f} s",
        flush=True,
    )
    for fault, count in faults.most_common(20):
        print(f"    {count} × {fault}", flush=True)
