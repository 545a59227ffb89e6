"""The answer of a coordination, and the exact check that every answer has to pass."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from azven.rf.coordinate.grid import permitted
from azven.rf.products import Situation
from azven.rf.request import Carrier, PlanRequest, contains
from azven.rf.verdict import Clash, Conflicts, Hit, Limit, clashes, hits, margins


@dataclass(frozen=True)
class Assignment:
    """A placed link: frequency and margin [Hz], and what sets the margin."""

    id: str
    freq_hz: int
    margin_hz: int | None = None
    limit: Limit | None = None


@dataclass(frozen=True)
class Unplaced:
    """A link that found no room; `blockers` are (cause, share of its tunable steps), largest first."""

    id: str
    reason: str
    blockers: tuple[tuple[str, float], ...]


@dataclass(frozen=True)
class Stats:
    requested: int
    placed: int
    elapsed_s: float
    seed: int
    timed_out: bool


@dataclass(frozen=True)
class Plan:
    """The open format `azven-plan` 1 in memory."""

    assignments: tuple[Assignment, ...]
    unplaced: tuple[Unplaced, ...]
    given_conflicts: tuple[Hit | Clash, ...]
    stats: Stats


def carriers_of(request: PlanRequest, frequencies: dict[str, int]) -> list[Carrier]:
    """Given carriers and the placed requests at `frequencies` [Hz], as one list."""
    placed = [r.at(frequencies[r.id]) for r in request.requests if r.id in frequencies]
    return [*request.carriers, *placed]


def conflicts(request: PlanRequest, frequencies: dict[str, int]) -> tuple[Conflicts, Conflicts]:
    """Broken rules among all carriers: those a placed link takes part in, and those of given carriers alone."""
    situation = Situation(carriers_of(request, frequencies), request.profiles, request.relations)
    placed = np.array([name in frequencies for name in situation.ids], bool)
    mine, others = hits(situation).split(placed)
    close = clashes(situation)
    ours = [c for c in close if not frequencies.keys().isdisjoint(c.ids)]
    theirs = [c for c in close if frequencies.keys().isdisjoint(c.ids)]
    return Conflicts(ours, mine), Conflicts(theirs, others)


def tuning_faults(request: PlanRequest, frequencies: dict[str, int]) -> list[str]:
    """One line for each placed link that stands where it may not: off its steps, out of range, blocked."""
    known = {r.id: r for r in request.requests}
    out = []
    for name, freq in frequencies.items():
        r = known.get(name)
        if r is None:
            out.append(f"{name}: is not in the request")
        elif (freq - r.origin_hz) % r.step_hz:
            out.append(f"{name}: {freq} Hz is not on its steps of {r.step_hz} Hz")
        elif not contains(r.ranges, freq):
            out.append(f"{name}: {freq} Hz is outside its tuning ranges")
        elif not permitted(request, r, freq):
            out.append(f"{name}: {freq} Hz is blocked or not allowed")
    return out


def assess(request: PlanRequest, frequencies: dict[str, int]) -> tuple[Assignment, ...]:
    """Assignments in the order of the request, with exact margins."""
    found = margins(Situation(carriers_of(request, frequencies), request.profiles, request.relations))
    return tuple(
        Assignment(r.id, frequencies[r.id], found[r.id].margin_hz, found[r.id].limit)
        for r in request.requests
        if r.id in frequencies
    )


def describe(item: Hit | Clash) -> str:
    """One line for a broken rule, frequencies in MHz, distances in kHz."""
    if isinstance(item, Clash):
        a, b = item.ids
        return f"{a} and {b}: {item.distance_hz / 1e3:g} kHz apart, {item.spacing_hz / 1e3:g} kHz needed"
    sources = " + ".join(formula_terms(item.coefficients, item.sources)).replace("+ −", "− ")
    return (
        f"{item.victim}: {item.kind} product {sources} = {item.product_hz / 1e6:.4f} MHz "
        f"falls {item.distance_hz / 1e3:g} kHz away"
    )


def formula_terms(coefficients: Sequence[int], sources: Sequence[str]) -> list[str]:
    """Terms such as `2 × Brass 1` and `−Brass 2`."""
    out = []
    for c, s in zip(coefficients, sources, strict=True):
        sign = "−" if c < 0 else ""
        out.append(f"{sign}{abs(c)} × {s}" if abs(c) > 1 else f"{sign}{s}")
    return out
