"""Exclusions that have no form as shifts of sets, written out with NumPy as the intervals of steps that they close:
harmonics and second order, which do not move with the raster, and what given carriers off the raster do among
themselves.
"""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.relations import Term

if TYPE_CHECKING:
    from azven.rf.coordinate.state import State

Ints = NDArray[np.int64]
_HARMONICS = {"2a": 2, "3a": 3}


class _Painter:
    """Collects closed intervals of steps and turns them into one bit set."""

    def __init__(self, grid: Grid) -> None:
        self.width = grid.width
        self._low: list[Ints] = []
        self._high: list[Ints] = []

    def paint(self, low: Ints, high: Ints) -> None:
        self._low.append(low)
        self._high.append(high)

    def bits(self) -> int:
        if not self._low:
            return 0
        low = np.maximum(np.concatenate(self._low), 0)
        high = np.minimum(np.concatenate(self._high), self.width)
        keep = low <= high
        count = np.bincount(low[keep], minlength=self.width + 2)
        count[: self.width + 2] -= np.bincount(high[keep] + 1, minlength=self.width + 2)[: self.width + 2]
        marked = np.cumsum(count)[: self.width] > 0
        return int.from_bytes(np.packbits(marked, bitorder="little").tobytes(), "little")


# -- given carriers off the raster -----------------------------------------------------------------------


def close_among(state: "State", members: Sequence[tuple[int, int]]) -> None:
    """Close what relations of a candidate with two or three of these carriers (tag, step) forbid."""
    if not members:
        return
    grid, rules = state.rules.grid, state.rules
    among = _Among(grid, members)
    for f in grid.searched:
        painter = _Painter(grid)
        for term in rules.terms:
            if term.c_x == min(term.coefficients[1:]):  # the others are the same members in other roles
                among.paint(painter, term, f)
        state.closed[f] |= painter.bits()


class _Among:
    """Some given carriers as arrays."""

    def __init__(self, grid: Grid, members: Sequence[tuple[int, int]]) -> None:
        self._grid = grid
        self._tags = np.array([t for t, _ in members], np.int64)
        self._steps = np.array([x for _, x in members], np.int64)
        self._mixes = np.array(grid.mixes, bool)
        self._listens = np.array([not t.radiates for t in grid.tags])
        self._offset = np.array([t.offset_hz for t in grid.tags], np.int64)
        self._error = np.array([t.error_hz for t in grid.tags], np.int64)

    def paint(self, painter: _Painter, term: Term, f: int) -> None:
        """Every step of f at which a relation of it with members in the roles of a term is broken."""
        for chosen in self._choices(len(term.coefficients) - 1, f):
            self._paint(painter, term, f, chosen)

    def _choices(self, count: int, f: int) -> list[tuple[Ints, ...]]:
        """Ordered choices of different members that mix with one another and with f, some at a time."""
        near = np.flatnonzero(self._mixes[f][self._tags])
        out: list[tuple[Ints, ...]] = []
        for x in near:
            others = near[(near != x) & self._mixes[self._tags[x]][self._tags[near]]]
            if count == 2:
                out.append((np.full(len(others), x), others))
                continue
            i, j = (a.ravel() for a in np.meshgrid(others, others, indexing="ij"))
            keep = (i != j) & self._mixes[self._tags[i], self._tags[j]]
            out.append((np.full(int(keep.sum()), x), i[keep], j[keep]))
        return out

    def _paint(self, painter: _Painter, term: Term, f: int, chosen: tuple[Ints, ...]) -> None:
        tags = (np.full(len(chosen[0]), f), *(self._tags[c] for c in chosen))
        guards = np.array([self._grid.profile(t).guard(term.kind) for t in range(len(self._grid.tags))])
        listeners = np.sum([self._listens[t] for t in tags], axis=0)
        guard = np.zeros(len(chosen[0]), np.int64)
        offset, error = np.zeros_like(guard), np.zeros_like(guard)
        for c, t in zip(term.coefficients, tags, strict=True):
            offset += c * self._offset[t]
            error += abs(c) * self._error[t]
            if abs(c) == 1:
                guard = np.maximum(guard, np.where((listeners == 0) | self._listens[t], guards[t], 0))
        on = (guard > 0) & (listeners <= 1)
        within, unit = guard - 1 + error, self._grid.unit
        first, last = -((within + offset) // unit), (within - offset) // unit
        rest = sum(c * self._steps[m] for c, m in zip(term.coefficients[1:], chosen, strict=True))
        painter.paint((-((rest - first) // term.c_f))[on], ((last - rest) // term.c_f)[on])


# -- harmonics and second order --------------------------------------------------------------------------


def close_absolute(state: "State", tag: int, x: int) -> None:
    """Close in `state` what a new carrier of `tag` at step `x` closes by harmonics and second order."""
    grid = state.rules.grid
    for f in grid.searched:
        if not grid.mixes[f][tag]:
            continue
        painter = _Painter(grid)
        tags, places = _partners(state, f, tag)
        _absolute(painter, grid, f, tag, x, tags, places)
        state.closed[f] |= painter.bits()


def _partners(state: "State", f: int, tag: int) -> tuple[Ints, Ints]:
    mixes = state.rules.grid.mixes
    pairs = [(t, p) for t, places in state.placed.items() if mixes[t][f] and mixes[t][tag] for p in places]
    array = np.array(pairs, np.int64).reshape(-1, 2)
    return array[:, 0], array[:, 1]


def _absolute(painter: _Painter, grid: Grid, f: int, tag: int, x: int, tags: Ints, places: Ints) -> None:
    """Harmonics between f and x; sums and differences of f, x and one placed carrier. In hertz: these do not
    move with the raster."""
    hz = [int(grid.base + p * grid.unit) + grid.tags[t].offset_hz for t, p in zip(tags.tolist(), places, strict=True)]
    x_hz = grid.base + x * grid.unit + grid.tags[tag].offset_hz
    for kind, factor in _HARMONICS.items():
        _mark(painter, grid, f, (tag,), kind, 1, factor * x_hz, f, (tag,))
        _mark(painter, grid, f, (tag,), kind, factor, x_hz, tag, (f,))
    for t, y_hz in zip(tags.tolist(), hz, strict=True):
        for target in (x_hz + y_hz, abs(x_hz - y_hz)):
            _mark(painter, grid, f, (tag, t), "a-b", 1, target, f, (tag, t))
            _mark(painter, grid, f, (tag, t), "a-b", 1, target, t, (f, tag))
            _mark(painter, grid, f, (tag, t), "a-b", 1, target, tag, (f, t))


def _mark(
    painter: _Painter, grid: Grid, f: int, others: tuple[int, ...], kind: str,
    factor: int, target_hz: int, victim: int, sources: tuple[int, ...],
) -> None:  # fmt: skip
    """Close f with |factor·f − target| < guard of the victim, if all sources radiate."""
    guard = grid.profile(victim).guard(kind)
    if guard <= 0 or not all(grid.tags[s].radiates for s in sources):
        return
    slack = guard - 1 + 4 * max(grid.tags[t].error_hz for t in (f, *others))
    low = -((slack - target_hz) // factor) - grid.base
    high = (target_hz + slack) // factor - grid.base
    painter.paint(np.array([-(-low // grid.unit)]), np.array([high // grid.unit]))
