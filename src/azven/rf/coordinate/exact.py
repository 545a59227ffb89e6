"""Exact search for few links of one shape: the most that can be placed, with a proof where the search ends.

Depth first in ascending steps. What m links need at least, from the lowest to the highest, is found first for two
links, then for three and so on, each with the help of those before. Russian doll search: Verfaillie, Lemaître and
Schiex, Russian doll search for solving constraint optimization problems, AAAI 1996.
"""

from collections.abc import Sequence
from functools import reduce
from itertools import pairwise
from math import gcd
from typing import Protocol

from azven.rf.coordinate.effort import Effort
from azven.rf.coordinate.grid import steps_of
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.search import Node, Search
from azven.rf.coordinate.state import State, build, widen

_SHARE, _MOST = 0.6, 11
"""Of the work at most, and links placed above which it is not tried."""
_STEP = 3
"""What it costs to place a link in ascending order, in units of work."""


def prove(search: Search) -> None:
    """Find the most links that can be placed where all have one shape, if that is known before a share of the work."""
    if not _suits(search) or search.finished or sum(search.best_counts) > _MOST:
        return
    try:
        exact = _Exact(search, search.effort.spent + round(_SHARE * search.effort.limit))
        while not search.finished:
            steps = exact.find(sum(search.best_counts) + 1)
            if steps is None:
                search.proof = "exact"
            else:
                places = tuple(zip(search.demand(), steps, strict=False))
                search.offer(Node(search.root, places, search.counts(places)))
    except _OutOfWorkError:
        return


def _suits(search: Search) -> bool:
    """Whether all links have one shape, no two can share a step, and the rules move with the raster."""
    shapes, rules = search.grid.shapes, search.rules
    return len(shapes) == 1 and rules.apart(shapes[0][0]) >= 0 and not rules.absolute_kinds


class _OutOfWorkError(Exception):
    pass


class _Placed(Protocol):
    @property
    def closed_above(self) -> int:
        """Steps closed to links above the highest placed one, as a bit set."""

    def higher(self, x: int) -> "_Placed": ...


class _Exact:
    """Searches among the open steps of the one shape; raises _OutOfWorkError at the end of its share of the work."""

    def __init__(self, search: Search, until: int) -> None:
        self._effort, self._until = search.effort, until
        kind = search.grid.kinds[0]
        rules, grid, tag = search.rules, search.grid, kind.tag
        self._open = search.free(search.root, kind)
        at = steps_of(self._open)
        self._last = at[-1]
        comb = reduce(gcd, [b - a for a, b in pairwise(at)], 0) or 1
        self._every = sum(1 << i for i in range(at[0], at[-1] + 1, comb))
        self._lowest = at[0]
        self._alone: _Placed = _InState(State(rules).copy((tag,)), tag, self._effort)
        if _ascends(rules, tag):
            self._alone = _Ascending((), 0, 0, rules.apart(tag), (rules.reach("2a-b", tag), rules.reach("a+b-c", tag)))
        self._with_given = self._alone
        if grid.given:
            self._with_given = _InState(build(rules, grid.given).copy((tag,)), tag, self._effort)
        self._needs = [0, 0]
        """By number of links: steps from the first to the last that they need at least."""
        self._limit = self._last
        self._found: list[int] | None = None

    def find(self, count: int) -> list[int] | None:
        """Steps for so many links, ascending; None where there are none."""
        while len(self._needs) < count:
            self._needs.append(self._shortest(len(self._needs)))
        self._limit, self._found = self._last, None
        self._grow(self._with_given, self._open, count, (), False)
        return self._found

    def _shortest(self, count: int) -> int:
        """The least from first to last of so many links on an open spectrum; beyond what there is where none fit."""
        first = self._lowest
        self._limit, self._found = self._last, None
        self._grow(self._alone.higher(first), self._every & ~(1 << first), count - 1, (first,), True)
        return self._limit + 1 - first

    def _grow(self, placed: _Placed, steps: int, count: int, chosen: tuple[int, ...], shorter: bool) -> bool:
        """Place so many links more, all at one of `steps` and none above the limit; whether the search is over. When
        `shorter`, it goes on below the highest of what was found."""
        self._effort.spend(_STEP)
        if self._effort.over or self._effort.spent >= self._until:
            raise _OutOfWorkError
        free = steps & ~placed.closed_above & ((1 << (self._limit + 1)) - 1)
        need = self._needs[min(count, len(self._needs) - 1)]
        while free.bit_count() >= count:
            x = (free & -free).bit_length() - 1
            free &= free - 1
            if x + need > self._limit:
                return False
            if count == 1:
                self._found = [*chosen, x]
                self._limit = x - 1 if shorter else self._limit
                return not shorter
            above = steps >> (x + 1) << (x + 1)
            if self._grow(placed.higher(x), above, count - 1, (*chosen, x), shorter):
                return True
        return False


def _ascends(rules: Rules, tag: int) -> bool:
    """Whether third-order rules on the raster are all there is, and no wider than the spacing."""
    reach = max(rules.reach("2a-b", tag), rules.reach("a+b-c", tag))
    on_raster = not rules.grid.tags[tag].error_hz
    return on_raster and set(rules.kinds) <= {"2a-b", "a+b-c"} and rules.apart(tag) >= reach


class _InState:
    """Links placed in a state of the search, whatever the rules."""

    def __init__(self, state: State, tag: int, effort: Effort) -> None:
        self._state, self._tag, self._effort = state, tag, effort

    @property
    def closed_above(self) -> int:
        return self._state.closed[self._tag]

    def higher(self, x: int) -> "_InState":
        state = self._state.copy()
        self._effort.spend(state.add(self._tag, x))
        return _InState(state, self._tag, self._effort)


class _Ascending:
    """Links placed in ascending order under third-order rules alone: what a new highest one closes above itself is what
    its own distance from another (2a-b) or the distance of any two (a+b-c) is away from it."""

    __slots__ = ("_apart", "_between", "_reach", "_steps", "closed_above")

    def __init__(
        self, steps: Sequence[int], between: int, closed_above: int, apart: int, reach: tuple[int, int]
    ) -> None:
        self._steps, self._between, self.closed_above = steps, between, closed_above
        self._apart, self._reach = apart, reach

    def higher(self, x: int) -> "_Ascending":
        two, three = self._reach
        own = 0
        for y in self._steps:
            own |= 1 << (x - y)
        closed = self.closed_above | (1 << (x + self._apart + 1)) - 1
        if two >= 0 and own:
            closed |= _spread(own, two) << x >> two
        between = self._between
        if three >= 0 and between:
            closed |= _spread(between, three) << x >> three
        return _Ascending((*self._steps, x), between | own, closed, self._apart, self._reach)


def _spread(bits: int, reach: int) -> int:
    """Every element with `reach` steps on either side, `reach` steps too high."""
    return widen(bits, 2 * reach) if reach else bits
