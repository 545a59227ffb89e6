"""How dense the plans are: placed by class, against first fit written here, the goal and the best known."""

import json
import multiprocessing
import resource
import sys
import time
from dataclasses import replace
from multiprocessing.connection import Connection
from pathlib import Path

from azven.book.formats import plan_request
from azven.rf.coordinate import conflicts, coordinate
from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.state import build
from azven.rf.products import Situation
from azven.rf.request import Carrier, PlanRequest, Profile, Range, Request
from azven.rf.verdict import margins
from made_requests import made

SEEDS, GENERATED = (901, 902), 200
HERE = Path(__file__).resolve().parent


def by_class(request: PlanRequest, names: set[str]) -> list[int]:
    classes = sorted({r.priority for r in request.requests})
    return [sum(r.id in names for r in request.requests if r.priority == c) for c in classes]


def first_fit(request: PlanRequest) -> set[str]:
    """Each request in order of priority at its lowest free step."""
    grid = Grid(request)
    state = build(Rules(grid), grid.given)
    kind_of = {i: kind for kind in grid.kinds for i in kind.members}
    names: set[str] = set()
    for i, wish in sorted(enumerate(request.requests), key=lambda item: item[1].priority):
        free = kind_of[i].open & ~state.closed[kind_of[i].tag]
        if free:
            state.add(kind_of[i].tag, (free & -free).bit_length() - 1)
            names.add(wish.id)
    return names


def mixed(n: int) -> PlanRequest:
    """A usual night: voices, in-ears and intercoms in one room over 138 MHz."""
    profiles = {
        "voice": Profile(350_000, {"2a-b": 100_000, "a+b-c": 50_000}),
        "ear": Profile(500_000, {"2a-b": 100_000, "3a-2b": 50_000}),
        "intercom": Profile(250_000, {"2a-b": 50_000}),
    }
    dense = {k: Profile(p.spacing_hz, {"2a-b": 50_000}) for k, p in profiles.items()}
    kinds = ["voice", "voice", "ear", "intercom"]
    band = (Range(470_000_000, 608_000_000),)
    wishes = tuple(
        Request(
            id=f"l{i}", profile=kinds[i % 4], zone="hall", ranges=band, step_hz=25_000, origin_hz=0, priority=1 + i % 3
        )
        for i in range(n)
    )
    return PlanRequest(profiles=profiles if n <= 40 else dense, zones=("hall",), requests=wishes, time_limit_s=20)


Found = tuple[list[int], float, int, bool]
"""Placed by class, seconds, peak memory [MB], and whether nothing is broken."""


def alone(request: PlanRequest) -> Found:
    """One plan in a process of its own, so that its peak memory is its own."""
    context = multiprocessing.get_context("fork")
    ours, theirs = context.Pipe(duplex=False)
    child = context.Process(target=_plan, args=(request, theirs))
    child.start()
    found: Found = ours.recv()
    child.join()
    return found


def _plan(request: PlanRequest, answer: Connection) -> None:
    started = time.monotonic()
    plan = coordinate(request, elapsed=lambda: time.monotonic() - started)
    took = time.monotonic() - started
    frequencies = {a.id: a.freq_hz for a in plan.assignments}
    clean = not conflicts(request, frequencies)[0]
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    answer.send((by_class(request, set(frequencies)), took, peak, clean))


def public(effort: int, limit: float) -> None:
    """Every public request with its own seed and two others."""
    targets = json.loads((HERE / "targets.json").read_text(encoding="utf-8"))["instances"]
    print(
        "| request | placed by class | seed 901 | seed 902 | first fit (here) | goal | best known | times | memory | |"
    )
    print("|---|---|---|---|---|---|---|---|---|---|")
    shares = []
    for path in sorted((HERE / "requests").glob("*.json")):
        request = plan_request.read(json.loads(path.read_text(encoding="utf-8")))
        request = replace(request, effort=effort, time_limit_s=limit)
        found = [alone(replace(request, seed=seed)) for seed in (request.seed, *SEEDS)]
        aim = targets[path.stem]
        shares += [sum(counts) / max(sum(aim["reach"]), 1) for counts, _, _, _ in found]
        below = [counts for counts, _, _, _ in found if counts < aim["goal"]]
        said = ("below its goal " if below else "") + ("" if all(f[3] for f in found) else "BROKEN")
        times = ", ".join(f"{took:.1f}" for _, took, _, _ in found)
        cells = [path.stem, *(f[0] for f in found), by_class(request, first_fit(request)), aim["goal"], aim["reach"],
                 f"{times} s", f"{max(f[2] for f in found)} MB", said]  # fmt: skip
        print("| " + " | ".join(map(str, cells)) + " |", flush=True)
    print(f"\nshare of the best known, mean over requests and seeds: {sum(shares) / len(shares):.4f}")


def generated(count: int, limit: float) -> None:
    """Made-up requests of all families, against first fit."""
    worse, better, most, latest = [], 0, 0, 0.0
    for seed in range(count):
        request = made(seed, limit)
        before = by_class(request, first_fit(request))
        counts, took, peak, clean = alone(request)
        better += counts > before
        most, latest = max(most, peak), max(latest, took)
        if counts < before or not clean:
            worse.append(seed)
    print(f"\n{count} generated requests, {limit:g} s each: {len(worse)} below first fit or broken {worse or ''}, "
          f"{better} above it, {most} MB at most, the longest took {latest:.1f} s")  # fmt: skip


def check_200() -> None:
    """All kinds on, 200 links where a plan of theirs with third-order guards put them: hits, clashes and margins."""
    guards = {"2a-b": 25_000, "a+b-c": 5_000, "3a-2b": 5_000, "3a-b-c": 2_000, "4a-3b": 2_000, "5a-4b": 2_000}
    profiles = {"voice": Profile(300_000, guards)}
    carriers = [
        Carrier(
            id=f"l{i}",
            freq_hz=470_000_000 + 25_000 * (11 * i * i // 10 + 37 * i) % 224_000_000,
            profile="voice",
            zone="hall",
        )
        for i in range(200)
    ]
    request = PlanRequest(profiles=profiles, zones=("hall",), requests=(), carriers=tuple(carriers))
    started = time.process_time()
    found = conflicts(request, {})[1]
    judged = time.process_time()
    margins(Situation(carriers, profiles, {}))
    took = time.process_time() - judged
    print(f"\n200 links, all kinds on: check {judged - started:.2f} s ({len(found.hits)} hits, "
          f"{len(found.clashes)} clashes), margins {took:.2f} s")  # fmt: skip


SPANS = (6, 11, 17, 25, 34, 44, 55, 72, 85, 106, 127, 151, 177, 199, 216, 246, 283, 333, 356, 372, 425, 480, 492, 553,
         585)  # fmt: skip
"""Shortest rulers known, 4 to 28 marks (domain, section 2)."""


def spans(limit: float) -> None:
    """Which of them are filled: one guard on 2a-b and a+b-c, as wide as a step."""
    print("\nshortest rulers: marks placed of marks (time)")
    said = []
    for marks, length in enumerate(SPANS, start=4):
        band = (Range(470_000_000, 470_000_000 + 25_000 * length),)
        links = tuple(
            Request(id=f"l{i}", profile="p", zone="hall", ranges=band, step_hz=25_000, origin_hz=0)
            for i in range(marks)
        )
        profiles = {"p": Profile(25_000, {"2a-b": 25_000, "a+b-c": 25_000})}
        request = PlanRequest(profiles=profiles, zones=("hall",), requests=links, time_limit_s=limit)
        started = time.process_time()
        plan = coordinate(request, elapsed=lambda started=started: time.process_time() - started)  # type: ignore[misc]
        said.append(f"{len(plan.assignments)}/{marks} ({time.process_time() - started:.1f} s)")
    print(", ".join(said))


def main(arguments: list[str]) -> None:
    effort = int(next((a for a in arguments if a.isdigit()), 3))
    limit = {1: 1.0, 5: 60.0}.get(effort, 10.0)
    print(f"effort {effort}, time limit {limit:g} s, Python {sys.version.split()[0]}, one core\n")
    public(effort, limit)
    for count in (40, 100):
        counts, took, peak, _ = alone(mixed(count))
        print(f"{count} mixed links: {sum(counts)} placed in {took:.1f} s, {peak} MB")
    if effort == 3:
        generated(GENERATED, 2.0)
    spans(limit)
    check_200()
