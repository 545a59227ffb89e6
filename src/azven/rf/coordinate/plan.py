"""The answer of a coordination, and the exact check that every answer has to pass."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from azven.rf.coordinate.bound import Proof
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
    """A link that found no room: how many steps it can be tuned to, how many of them were left free by a search that
    was stopped, and `blockers` (cause, share of its steps), largest first. `looked`: whether there was time to look."""

    id: str
    steps: int
    free: int
    blockers: tuple[tuple[str, float], ...]
    looked: bool = True

    @property
    def reason(self) -> str:
        """Why, in one sentence."""
        if not self.looked:
            return "the search was stopped before it was looked at"
        if not self.steps:
            return "its ranges hold no step it could be tuned to"
        if self.free:
            return f"the search was stopped with {self.free} free steps left"
        parts = [f"{share:.0%} {_CLOSED.get(cause, f'{cause} products')}" for cause, share in self.blockers]
        return f"none of its {self.steps} steps is free: " + ", ".join(parts)


_CLOSED = {"range": "not permitted, taken or not quiet enough", "spacing": "too close to another carrier"}


@dataclass(frozen=True)
class Stats:
    requested: int
    placed: int
    elapsed_s: float
    seed: int
    timed_out: bool
    bound: int | None = None
    """Links that no plan can exceed, where that is known and says something."""
    proof: Proof | None = None
    """Why no plan holds more; None where that is not known."""


@dataclass(frozen=True)
class Plan:
    """The open format `azven-plan` in memory."""

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


FaultCause = Literal["unknown", "off step", "out of range", "closed"]


@dataclass(frozen=True)
class TuningFault:
    """A placed link that stands where it may not [Hz]."""

    id: str
    cause: FaultCause
    freq_hz: int
    step_hz: int = 0

    def words(self) -> str:
        """What is wrong, without the name of the link."""
        return {
            "unknown": "is not in the request",
            "off step": f"{self.freq_hz} Hz is not on its steps of {self.step_hz} Hz",
            "out of range": f"{self.freq_hz} Hz is outside its tuning ranges",
            "closed": f"{self.freq_hz} Hz is blocked or not allowed",
        }[self.cause]


Rule = Hit | Clash | TuningFault
"""A rule that is broken."""


def tuning_faults(request: PlanRequest, frequencies: Mapping[str, int]) -> list[TuningFault]:
    """A fault for each placed link that stands where it may not: off its steps, out of range, closed to it."""
    known = {r.id: r for r in request.requests}
    out = []
    for link_id, freq in frequencies.items():
        r = known.get(link_id)
        if r is None:
            out.append(TuningFault(link_id, "unknown", freq))
        elif (freq - r.origin_hz) % r.step_hz:
            out.append(TuningFault(link_id, "off step", freq, r.step_hz))
        elif not contains(r.ranges, freq):
            out.append(TuningFault(link_id, "out of range", freq))
        elif not permitted(request, r, freq):
            out.append(TuningFault(link_id, "closed", freq))
    return out


def assess(request: PlanRequest, frequencies: dict[str, int]) -> tuple[Assignment, ...]:
    """Assignments in the order of the request, with exact margins."""
    found = margins(Situation(carriers_of(request, frequencies), request.profiles, request.relations))
    return tuple(
        Assignment(r.id, frequencies[r.id], found[r.id].margin_hz, found[r.id].limit)
        for r in request.requests
        if r.id in frequencies
    )


def describe(item: Rule, names: Mapping[str, str] | None = None) -> str:
    """One line for a broken rule, frequencies in MHz, distances in kHz; `names` (id → name) instead of ids."""
    called = names or {}
    if isinstance(item, TuningFault):
        return f"{called.get(item.id, item.id)}: {item.words()}"
    if isinstance(item, Clash):
        a, b = (called.get(i, i) for i in item.ids)
        return f"{a} and {b}: {item.distance_hz / 1e3:g} kHz apart, {item.spacing_hz / 1e3:g} kHz needed"
    sources = formula_of(item.coefficients, [called.get(s, s) for s in item.sources])
    return (
        f"{called.get(item.victim, item.victim)}: {item.kind} product {sources} = {item.product_hz / 1e6:.4f} MHz "
        f"falls {item.distance_hz / 1e3:g} kHz away"
    )


def formula_of(coefficients: Sequence[int], sources: Sequence[str]) -> str:
    """A product written out, such as `2 × Brass 1 − Brass 2`."""
    return " + ".join(formula_terms(coefficients, sources)).replace("+ −", "− ")


def formula_terms(coefficients: Sequence[int], sources: Sequence[str]) -> list[str]:
    """Terms such as `2 × Brass 1` and `−Brass 2`."""
    out = []
    for c, s in zip(coefficients, sources, strict=True):
        sign = "−" if c < 0 else ""
        out.append(f"{sign}{abs(c)} × {s}" if abs(c) > 1 else f"{sign}{s}")
    return out
