"""How many rules stand against every open step of one shape of links, and which placed links have a part in them."""

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.grid import Grid, to_array
from azven.rf.coordinate.relations import Term, window, within
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.state import build

Ints = NDArray[np.int64]
Windowed = tuple[Term, Ints, Ints]
"""A term, and by the levels of the placed carriers in it the first and last n at which it is broken."""
_BUILT, _LOOKED, _CLOSED = 30, 30, 6
"""Units of work for each carrier that stays; steps looked at and rules counted for one more."""
_MOST_CELLS = 1_500_000
_WINDOW = 6


def too_large(rules: Rules, open_steps: int, wanted: int, others: int) -> bool:
    """Whether counting would take more memory than a search may: tables of steps and links, of pairs and terms."""
    double = sum(len(t.rest) == 2 for t in rules.terms)
    pairs = double * (wanted + others) ** 2 * _WINDOW
    return max(open_steps * wanted // 4, pairs) > _MOST_CELLS


class Against:
    """Counts for links of a tag that may stand at `open_steps` (a bit set), beside carriers (tag, step) that stay.

    `steps` (n,) are those that the carriers that stay leave open; `count` (n,) the rules against each, `share`
    (n, wanted) how many of them each link that moves has a part in; `at` (wanted,) where these stand, −1 for nowhere.
    """

    def __init__(self, rules: Rules, tag: int, open_steps: int, others: Sequence[tuple[int, int]], wanted: int) -> None:
        grid, stay = rules.grid, [*rules.grid.given, *others]
        self._rules, self._tag, self._wanted = rules, tag, wanted
        free = open_steps & ~build(rules, stay).closed[tag]
        self.steps: Ints = np.flatnonzero(to_array(free, grid.width))
        self._column = np.full(grid.width + 1, -1, np.int64)
        self._column[self.steps] = np.arange(len(self.steps))
        near = [(t, x) for t, x in stay if grid.mixes[tag][t]]
        members = [(tag, -1)] * wanted + near
        self._all = np.array([x for _, x in members], np.int64)
        self.at: Ints = self._all[:wanted]
        self._level = np.array([grid.level_of[t] for t, _ in members], np.int64)
        self._group = np.array([grid.group_of[t] for t, _ in members], np.int64)
        self._mixing = np.array(grid.group_mixes, bool)
        self._several_groups = len(set(self._group.tolist())) > 1
        self.count = np.zeros(len(self.steps), np.int32)
        self.share = np.zeros((len(self.steps), wanted), np.int16)
        self._single = self._windowed(t for t in rules.terms if len(t.rest) == 1)
        self._ordered = self._windowed(t for t in rules.terms if len(t.rest) == 2 and t.rest[0] != t.rest[1])
        self._unordered = self._windowed(t for t in rules.terms if len(t.rest) == 2 and t.rest[0] == t.rest[1])
        self.work = _BUILT * len(stay)

    @property
    def by_pairs(self) -> bool:
        """Whether there are rules between four."""
        return bool(self._ordered or self._unordered)

    def column(self, x: int) -> int:
        """Where a step is in `steps`."""
        return int(self._column[x])

    def add(self, column: int) -> int:
        """Place a link; returns which of them."""
        slot = int(np.flatnonzero(self.at < 0)[0])
        self._turn(int(self.steps[column]), slot, 1)
        self.at[slot] = self.steps[column]
        return slot

    def remove(self, slot: int) -> None:
        x = int(self.at[slot])
        self.at[slot] = -1
        self._turn(x, slot, -1)

    def _turn(self, x: int, slot: int, sign: int) -> None:
        """Rules that a link at `x` makes alone (spacing) and with the others, counted in or out."""
        first, last = self._rules.spacing[self._tag][self._tag]
        if first <= last:
            near = self._column[max(x + first, 0) : x + last + 1]
            near = near[near >= 0]
            self.count[near] += sign
            self.share[near, slot] += sign
        others = np.flatnonzero(self._all >= 0)
        found: list[tuple[Ints, Ints]] = []
        if self._single:
            found.append(self._closed(self._single, x, others[None, :]))
        if self._ordered:
            found.append(self._closed(self._ordered, x, self._pairs(others, both_orders=True)))
        if self._unordered:
            found.append(self._closed(self._unordered, x, self._pairs(others, both_orders=False)))
        for columns, partners in found:
            self._book(columns, slot, partners, sign)

    def _pairs(self, others: Ints, *, both_orders: bool) -> Ints:
        i, j = np.triu_indices(len(others), 1)
        pairs = np.stack([others[i], others[j]])
        if self._several_groups:
            pairs = pairs[:, self._mixing[self._group[pairs[0]], self._group[pairs[1]]]]
        return np.concatenate([pairs, pairs[::-1]], axis=1) if both_orders else pairs

    def _closed(self, terms: Sequence[Windowed], x: int, partners: Ints) -> tuple[Ints, Ints]:
        """Columns (k,) that are closed by x and `partners` (m, n), and the partners (m, k) of each."""
        levels = tuple(self._level[partners])
        weights = np.array([t.rest for t, _, _ in terms])
        sums = weights @ self._all[partners] - x * np.array([[t.c_x] for t, _, _ in terms])
        c_f = np.array([[t.c_f] for t, _, _ in terms])
        begin = -(-(sums + np.stack([low[levels] for _, low, _ in terms])) // c_f)
        end = (sums + np.stack([high[levels] for _, _, high in terms])) // c_f
        wide = int((end - begin).max(initial=-1)) + 1
        f = begin[:, :, None] + np.arange(wide)
        valid = (f <= end[:, :, None]) & (f >= 0) & (f < len(self._column))
        columns = self._column[np.where(valid, f, -1)]
        who = np.nonzero(columns >= 0)
        self.work += f.size // _LOOKED + len(who[0]) // _CLOSED
        return columns[who], partners[:, who[1]]

    def _book(self, columns: Ints, slot: int, partners: Ints, sign: int) -> None:
        self.count += (sign * np.bincount(columns, minlength=len(self.count))).astype(np.int32)
        flat, row = self.share.reshape(-1), columns * self._wanted
        np.add.at(flat, row + slot, sign)
        for p in partners:
            np.add.at(flat, (row + p)[p < self._wanted], sign)

    def _windowed(self, terms: Iterable[Term]) -> list[Windowed]:
        """Those of the terms that are ever broken."""
        own = self._rules.grid.level_of[self._tag]
        found = ((t, *_windows(self._rules.grid, t, own)) for t in terms)
        return [(t, low, high) for t, low, high in found if (low <= high).any()]


def _windows(grid: Grid, term: Term, own: int) -> tuple[Ints, Ints]:
    """By the levels of the rest of a term, f and x of level `own`: first and last n, last below first for never."""
    shape = (len(grid.levels),) * len(term.rest)
    low, high = np.zeros(shape, np.int64), np.full(shape, -1, np.int64)
    for levels in np.ndindex(*shape):
        members = [grid.levels[i] for i in (own, own, *levels)]
        distance = within(term.kind, term.coefficients, members)
        if distance is not None:
            off = sum(c * v.offset_hz for c, v in zip(term.coefficients, members, strict=True))
            low[levels], high[levels] = window(distance, off, grid.unit)
    return low, high
