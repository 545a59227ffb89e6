"""Product rules as linear relations: |c_f·f + c_x·x + c_y·y (+ c_z·z)| < guard, f the candidate, x the newest carrier.

A product of carriers on a victim is one relation between them all, with coefficients that sum to zero; whoever has
coefficient ±1 may be the victim (domain, section 2). Seen from f and x, the rest of a relation is a number
s = d_y·y (+ d_z·z) with |c_f·f + c_x·x − s| < guard. `Term` is one way to see one relation, c_f above zero.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import permutations
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from azven.rf.products import PATTERNS

Hz = TypeVar("Hz", int, NDArray[np.int64])

RELATIONS: dict[str, tuple[tuple[int, ...], ...]] = {
    kind: tuple((*p.coefficients, -1) for p in patterns)
    for kind, patterns in PATTERNS.items()
    if all(sum(p.coefficients) == 1 for p in patterns)
}
"""Kinds of products whose coefficients sum to one, with the coefficients of sources and victim together."""


@dataclass(frozen=True)
class Term:
    """A relation seen from f and x; `rest` are the d of the placed carriers, in ascending order."""

    kind: str
    c_f: int
    c_x: int
    rest: tuple[int, ...]

    @property
    def coefficients(self) -> tuple[int, ...]:
        """Of f, x and the placed carriers."""
        return (self.c_f, self.c_x, *(-d for d in self.rest))


def terms_of(kinds: Sequence[str]) -> tuple[Term, ...]:
    """Every way to see the relations of some kinds, each once."""
    found: dict[Term, None] = {}
    for kind in kinds:
        for relation in RELATIONS[kind]:
            for c_f, c_x, *others in permutations(relation):
                sign = 1 if c_f > 0 else -1
                rest = tuple(sorted(-sign * c for c in others))
                found[Term(kind, sign * c_f, sign * c_x, rest)] = None
    return tuple(found)


@dataclass(frozen=True)
class Level:
    """What a carrier is to a relation apart from where it stands: its guards [Hz], whether it radiates, how far it lies
    off the raster [Hz, with sign], and how much farther it may lie [Hz]."""

    guards: tuple[tuple[str, int], ...]
    radiates: bool = True
    offset_hz: int = 0
    error_hz: int = 0

    def guard(self, kind: str) -> int:
        return dict(self.guards).get(kind, 0)


def within(kind: str, coefficients: Sequence[int], members: Sequence[Level]) -> int | None:
    """A relation of these members is broken where its sum is at most this far from zero [Hz]; None where nobody guards
    against it. Of listeners at most one takes part, and then as the victim."""
    listeners = [not m.radiates for m in members]
    if sum(listeners) > 1:
        return None
    may = [abs(c) == 1 and (hears or not any(listeners)) for c, hears in zip(coefficients, listeners, strict=True)]
    guard = max((m.guard(kind) for m, victim in zip(members, may, strict=True) if victim), default=0)
    return guard - 1 + sum(abs(c) * m.error_hz for c, m in zip(coefficients, members, strict=True)) if guard else None


def window(distance_hz: Hz, off_hz: Hz, unit_hz: int) -> tuple[Hz, Hz]:
    """The first and last whole n at which n steps and what members lie off the raster are no farther than a distance
    from zero; last before first for none."""
    return -((distance_hz + off_hz) // unit_hz), (distance_hz - off_hz) // unit_hz
