"""How many links can be at most, and when a plan is proved to hold as many as can be.

Counting bound: where every difference of two carriers has to differ from every other by more than a reach (three-signal
and two-signal third order together), many carriers make many differences, and these do not fit into the free spectrum.
Bounds of this kind for Sidon sets: Lindström, An inequality for B2-sequences, J. Combin. Theory 1969.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from azven.rf.coordinate.grid import Grid, steps_of
from azven.rf.coordinate.rules import Rules

Proof = Literal["all placed", "no step", "bound", "exact"]


@dataclass(frozen=True)
class Ceiling:
    """Links that no plan can exceed, None where that is not known, and why no plan holds more than some plan does."""

    bound: int | None = None
    proof: Proof | None = None


_CLOSE = 1.25
"""A bound that is farther above what was found than this says nothing and is not told."""


def bound(grid: Grid, rules: Rules, placed: int) -> int | None:
    """Links that no plan can exceed where all are of one shape, keep a spacing and guard a+b-c and 2a-b; None where
    that is not so or where the bound is far above `placed`."""
    if len(grid.shapes) != 1:
        return None
    tag, open_steps = grid.shapes[0]
    apart = 1 + min(rules.reach("2a-b", tag), rules.reach("a+b-c", tag))
    least = 1 + rules.apart(tag)
    if apart < 1 or least < 1:
        return None
    lengths, holes = _stretches(open_steps)
    apart = min(apart, least)  # two differences from one carrier differ by a spacing
    wanted = sum(len(k.members) for k in grid.kinds)
    most = placed
    while most < wanted and _fit(most + 1, lengths, holes, least, apart):
        most += 1
        if most > _CLOSE * placed:
            return None
    return most if most < wanted or placed == wanted else None


def _stretches(free: int) -> tuple[list[int], list[int]]:
    """Lengths in steps, first to last, of the runs of open steps, and of the holes between them; steps that follow one
    another as closely as any do are one run."""
    at = steps_of(free)
    if not at:
        return [], []
    gaps = [b - a for a, b in pairwise(at)]
    usual = min(gaps, default=1)
    lengths, holes, start = [], [], at[0]
    for before, after, gap in zip(at, at[1:], gaps, strict=False):
        if gap > usual:
            lengths.append(before - start)
            holes.append(gap)
            start = after
    return [*lengths, at[-1] - start], holes


def _fit(n: int, lengths: Sequence[int], holes: Sequence[int], least: int, apart: int) -> bool:
    """Whether n carriers may fit: with the m − 1 smallest holes left as holes or joined, and differences of up to k
    neighbours, the sum of that many different differences is within k(k + 1)/2 times the length."""
    total, order = sum(lengths), sorted(holes)
    for joined in range(len(order) + 1):
        length, parts = total + sum(order[:joined]), len(lengths) - joined
        for k in range(1, n):
            count = k * n - parts * k * (k + 1) // 2
            if count <= 0:
                break
            if count * least + apart * (count * (count - 1) // 2) > length * k * (k + 1) // 2:
                return False
    return True


def proof(wanted: Sequence[int], attainable: Sequence[int], counts: Sequence[int], most: int | None) -> Proof | None:
    """Why no plan holds more, class by class, most important first; None where that is not known."""
    if tuple(counts) == tuple(wanted):
        return "all placed"
    if tuple(counts) == tuple(attainable):
        return "no step"
    if most is None:
        return None
    first = next(i for i, (c, w) in enumerate(zip(counts, wanted, strict=True)) if c < w)
    return "bound" if sum(counts[: first + 1]) == most else None
