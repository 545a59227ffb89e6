"""Exclusions that have no form as shifts of sets, written out with NumPy as the intervals of steps that they close:
harmonics and second order, which do not move with the raster, and what given carriers off the raster do among
themselves.
"""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.relations import Term, window

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
    among = _Among(grid, rules.by_tag, members)
    for f in grid.searched:
        painter = _Painter(grid)
        for term in rules.terms:
            if term.c_x == min(term.coefficients[1:]):  # the others are the same members in other roles
                among.paint(painter, term, f)
        state.closed[f] |= painter.bits()


class ByTag:
    """What tags are, as arrays by their numbers."""

    def __init__(self, grid: Grid) -> None:
        self.mixes = np.array(grid.mixes, bool)
        self.radiates = np.array([t.radiates for t in grid.tags], bool)
        self.offset = np.array([t.offset_hz for t in grid.tags], np.int64)
        self.error = np.array([t.error_hz for t in grid.tags], np.int64)
        self._grid = grid
        self._guards: dict[str, Ints] = {}

    def guards(self, kind: str) -> Ints:
        """Guards [Hz] against a kind of product."""
        if kind not in self._guards:
            grid = self._grid
            self._guards[kind] = np.array([grid.profile(t).guard(kind) for t in range(len(grid.tags))], np.int64)
        return self._guards[kind]


class _Among:
    """Some given carriers as arrays."""

    def __init__(self, grid: Grid, by_tag: ByTag, members: Sequence[tuple[int, int]]) -> None:
        self._grid, self._by_tag = grid, by_tag
        self._tags = np.array([t for t, _ in members], np.int64)
        self._steps = np.array([x for _, x in members], np.int64)

    def paint(self, painter: _Painter, term: Term, f: int) -> None:
        """Every step of f at which a relation of it with members in the roles of a term is broken."""
        for chosen in self._choices(term.coefficients[1:], f):
            self._paint(painter, term, f, chosen)

    def _choices(self, weights: Sequence[int], f: int) -> list[tuple[Ints, ...]]:
        """Different members for these coefficients that mix with one another and with f, some at a time; of members
        with the same coefficient only one order."""
        near = np.flatnonzero(self._by_tag.mixes[f][self._tags])
        out: list[tuple[Ints, ...]] = []
        for x in near:
            others = near[(near != x) & self._by_tag.mixes[self._tags[x]][self._tags[near]]]
            if len(weights) == 2:
                others = others[others > x] if weights[0] == weights[1] else others
                out.append((np.full(len(others), x), others))
                continue
            i, j = (a.ravel() for a in np.meshgrid(others, others, indexing="ij"))
            keep = (i != j) & self._by_tag.mixes[self._tags[i], self._tags[j]]
            for a, b, left, right in ((0, 1, x, i), (1, 2, i, j), (0, 2, x, j)):
                if weights[a] == weights[b]:
                    keep &= left < right
            out.append((np.full(int(keep.sum()), x), i[keep], j[keep]))
        return out

    def _paint(self, painter: _Painter, term: Term, f: int, chosen: tuple[Ints, ...]) -> None:
        tags = (np.full(len(chosen[0]), f), *(self._tags[c] for c in chosen))
        by_tag = self._by_tag
        guards, listens = by_tag.guards(term.kind), ~by_tag.radiates
        listeners = np.sum([listens[t] for t in tags], axis=0)
        guard = np.zeros(len(chosen[0]), np.int64)
        offset, error = np.zeros_like(guard), np.zeros_like(guard)
        for c, t in zip(term.coefficients, tags, strict=True):
            offset += c * by_tag.offset[t]
            error += abs(c) * by_tag.error[t]
            if abs(c) == 1:
                guard = np.maximum(guard, np.where((listeners == 0) | listens[t], guards[t], 0))
        on = (guard > 0) & (listeners <= 1)
        within = guard - 1 + error
        first, last = window(within, offset, self._grid.unit)
        rest = sum(c * self._steps[m] for c, m in zip(term.coefficients[1:], chosen, strict=True))
        painter.paint((-((rest - first) // term.c_f))[on], ((last - rest) // term.c_f)[on])


# -- harmonics and second order --------------------------------------------------------------------------


def close_absolute(state: "State", tag: int, x: int) -> None:
    """Close in `state` what a new carrier of `tag` at step `x` closes by harmonics and second order."""
    grid, by_tag = state.rules.grid, state.rules.by_tag
    tags = np.array([t for t, places in state.placed.items() for _ in places], np.int64)
    steps = np.array([p for places in state.placed.values() for p in places], np.int64)
    hz = grid.base + grid.unit * steps + by_tag.offset[tags]
    x_hz = grid.base + grid.unit * x + grid.tags[tag].offset_hz
    for f in state.asking:
        if grid.mixes[f][tag]:
            near = by_tag.mixes[f][tags] & by_tag.mixes[tag][tags]
            painter = _Painter(grid)
            _harmonics(painter, grid, by_tag, (f, tag), x_hz)
            _second_order(painter, grid, by_tag, (f, tag), x_hz, tags[near], hz[near])
            state.closed[f] |= painter.bits()


def _harmonics(painter: _Painter, grid: Grid, by_tag: ByTag, who: tuple[int, int], x_hz: int) -> None:
    """f on a harmonic of x, and a harmonic of f on x; in hertz, since these do not move with the raster."""
    f, x = who
    error = int(by_tag.error[[f, x]].max())
    for kind, factor in _HARMONICS.items():
        for victim, source, times, target in ((f, x, 1, factor * x_hz), (x, f, factor, x_hz)):
            guard = int(by_tag.guards(kind)[victim])
            if guard > 0 and by_tag.radiates[source]:
                _near(painter, grid, times, np.array([target]), np.array([guard - 1 + (factor + 1) * error]))


def _second_order(
    painter: _Painter, grid: Grid, by_tag: ByTag, who: tuple[int, int], x_hz: int, tags: Ints, y_hz: Ints
) -> None:
    """Sums and differences of two of f, x and a placed carrier y on the third."""
    f, x = who
    guards, radiates = by_tag.guards("a-b"), by_tag.radiates
    guard = np.where(radiates[tags] & radiates[x], guards[f], 0)
    guard = np.maximum(guard, np.where(radiates[f] & radiates[x], guards[tags], 0))
    guard = np.maximum(guard, np.where(radiates[tags] & radiates[f], guards[x], 0))
    within = guard - 1 + 3 * np.maximum(by_tag.error[tags], by_tag.error[[f, x]].max())
    on = guard > 0
    for target in (x_hz + y_hz, np.abs(x_hz - y_hz)):
        _near(painter, grid, 1, target[on], within[on])


def _near(painter: _Painter, grid: Grid, times: int, target_hz: Ints, within_hz: Ints) -> None:
    """Close the steps where `times` their frequency is no farther than `within_hz` from a target."""
    low = -((within_hz - target_hz) // times) - grid.base
    high = (target_hz + within_hz) // times - grid.base
    painter.paint(-(-low // grid.unit), high // grid.unit)
