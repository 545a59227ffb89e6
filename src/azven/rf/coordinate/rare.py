"""Exclusions by the kinds that are seldom guarded: 3a-b-c, harmonics and second order.

They have no shift-and-or form, so every combination with the new carrier is written out with NumPy
as the interval of steps it closes, and the intervals are painted together.
"""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.grid import Grid

if TYPE_CHECKING:
    from azven.rf.coordinate.state import State

Ints = NDArray[np.int64]
_FIFTH = (
    (3, -1, -1, -1), (-1, 3, -1, -1), (-1, -1, 3, -1),
    (2, -2, 1, -1), (2, 1, -2, -1), (2, -1, 1, -2),
    (1, 2, -2, -1), (1, -2, 2, -1), (1, -1, 2, -2),
)  # fmt: skip
"""Coefficients of f, x, y, z in a rule |Σ coefficient · member| < guard: 3a = b + c + v and 2a + b = 2c + v."""
_HARMONICS = {"2a": 2, "3a": 3}


def close(state: "State", tag: int, x: int) -> None:
    """Close in `state` what a new carrier of `tag` at step `x` closes by the rare kinds."""
    grid = state.rules.grid
    for f in grid.searched:
        if not grid.mixes[f][tag]:
            continue
        painter = _Painter(grid)
        tags, places = _partners(state, f, tag)
        if state.rules.fifth_matters and len(places) > 1:
            _fifth(painter, grid, f, tag, x, tags, places)
        if state.rules.absolute_kinds:
            _absolute(painter, grid, f, tag, x, tags, places)
        state.closed[f] |= painter.bits()


def _partners(state: "State", f: int, tag: int) -> tuple[Ints, Ints]:
    mixes = state.rules.grid.mixes
    pairs = [(t, p) for t, places in state.placed.items() if mixes[t][f] and mixes[t][tag] for p in places]
    array = np.array(pairs, np.int64).reshape(-1, 2)
    return array[:, 0], array[:, 1]


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


def _fifth(painter: _Painter, grid: Grid, f: int, tag: int, x: int, tags: Ints, places: Ints) -> None:
    """3a-b-c with f, x and two placed carriers y, z: every way to write a product of three on the fourth."""
    mixes = np.array(grid.mixes)
    i, j = (a.ravel() for a in np.meshgrid(np.arange(len(places)), np.arange(len(places)), indexing="ij"))
    keep = (i != j) & mixes[tags[i], tags[j]]
    i, j = i[keep], j[keep]
    y, z = places[i], places[j]
    once = i < j
    reaches = _FifthReach(grid, f, tag, tags[i], tags[j])
    for coefficients in _FIFTH:
        c_f, c_x, c_y, c_z = coefficients
        reach = reaches.of(coefficients)
        alive = (reach >= 0) & (once if c_y == c_z else True)
        rest = (c_x * x + c_y * y + c_z * z)[alive]
        _paint_linear(painter, c_f, rest, reach[alive])


class _FifthReach:
    """Reach of a rule by its coefficients: members with coefficient ±1 may be the victim of the other three."""

    def __init__(self, grid: Grid, f: int, x: int, y: Ints, z: Ints) -> None:
        shape = np.ones(len(y), np.int64)
        self._members = (f * shape, x * shape, y, z)
        self._unit = grid.unit
        self._guard = np.array([grid.profile(t).guard("3a-b-c") for t in range(len(grid.tags))])
        self._error = np.array([t.error_hz for t in grid.tags])
        self._listens = np.array([not t.radiates for t in grid.tags])
        self._listeners = np.sum([self._listens[m] for m in self._members], axis=0)

    def of(self, coefficients: tuple[int, ...]) -> Ints:
        """Steps (m,), −1 where the rule is off."""
        guard = np.zeros(len(self._listeners), np.int64)
        error = np.zeros(len(self._listeners), np.int64)
        for c, member in zip(coefficients, self._members, strict=True):
            error += abs(c) * self._error[member]
            if abs(c) == 1:
                may = self._listeners == self._listens[member]
                guard = np.maximum(guard, np.where(may, self._guard[member], 0))
        return np.where(guard > 0, (guard - 1 + error) // self._unit, -1)


def _paint_linear(painter: _Painter, factor: int, rest: Ints, reach: Ints) -> None:
    """Close every step f with |factor·f + rest| ≤ reach."""
    if factor < 0:
        factor, rest = -factor, -rest
    painter.paint(-((rest + reach) // factor), (reach - rest) // factor)


def _absolute(painter: _Painter, grid: Grid, f: int, tag: int, x: int, tags: Ints, places: Ints) -> None:
    """Harmonics between f and x; sums and differences of f, x and one placed carrier. In hertz: these do not
    move with the raster."""
    hz = [int(grid.base + p * grid.unit) for p in places]
    x_hz = grid.base + x * grid.unit
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
