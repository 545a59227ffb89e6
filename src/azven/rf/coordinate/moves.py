"""Moves that make a plan better, several kinds in turn: those that gained lately get more of the work.

Large neighbourhoods: Shaw, Using constraint programming and local search methods to solve vehicle routing problems, CP
1998; adaptive shares: Ropke and Pisinger, An adaptive large neighborhood search heuristic, Transportation Science 2006.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from azven.rf.coordinate.against import too_large
from azven.rf.coordinate.exact import prove
from azven.rf.coordinate.grid import lowest
from azven.rf.coordinate.plateau import Plateau
from azven.rf.coordinate.search import Node, Place, Search
from azven.rf.coordinate.starts import widen

_SLICES = 60
"""The work is dealt out in so many slices at least."""
_SHORTEST, _LONGEST = 60_000, 250_000
"""Units of work in a slice."""
_BEFORE_WIDENING = 0.1
_LARGE, _SMALL, _FORGOTTEN = 1.0, 0.12, 0.85
_CHEAP_PLATEAU = 4.0
"""Weight of a kind of move that gained nothing, and what is left of a gain after each slice."""
_MOST_DROPPED = 60
_WIDTHS, _CHILDREN = (1, 2, 4, 8, 16), (4, 8, 12)
_LACKING, _KEPT = 0.8, 4
"""Plateau moves mostly go to a shape of which some are missing; of so many shapes they can be gone on with."""
_POOL, _FEW, _NODES = 9, 6, 40
"""Of so many links up to so many are taken out to be placed anew depth first, and partial plans looked at for each."""


def improve(search: Search) -> None:
    """Make the best plan better until it is proved, complete, or the effort is spent."""
    moves = Moves(search)
    moves.run(round(_BEFORE_WIDENING * search.effort.limit))
    prove(search)
    widen(search)
    moves.run(search.effort.limit)


@dataclass
class _Kind:
    """A kind of move: what does one of them, and how much it gained lately."""

    do: Callable[[], None]
    least: float
    gained: float = 0.3


class Moves:
    """Kinds of move, and what each gained lately."""

    def __init__(self, search: Search) -> None:
        self._search, self._random = search, search.random
        grid = search.grid
        self._meeting = [[grid.meets[a.tag][b.tag] for b in grid.kinds] for a in grid.kinds]
        self._plateaus: dict[tuple[int, int], tuple[tuple[Place, ...], Plateau]] = {}
        self._slice = max(min(search.effort.limit // _SLICES, _LONGEST), _SHORTEST)
        self._kinds = [_Kind(self._any, _LARGE), _Kind(self._few, _SMALL)]
        if len(grid.shapes) > 1:
            self._kinds += [_Kind(self._that_meet, _LARGE), _Kind(self._copy, _SMALL)]
        if not search.rules.absolute_kinds:
            cheap = search.rules.kinds == ("2a-b",)
            self._kinds.append(_Kind(self._plateau, _CHEAP_PLATEAU if cheap else _SMALL))

    def run(self, until: int) -> None:
        """Kinds of move in turn, a slice of the work for each, until so much work is spent."""
        search = self._search
        while not search.finished and search.effort.spent < until:
            kind = self._random.choices(self._kinds, [k.least + k.gained for k in self._kinds])[0]
            before, end = search.best_counts, search.effort.spent + self._slice
            while search.effort.spent < end and not search.finished:
                kind.do()
            kind.gained = _FORGOTTEN * kind.gained + sum(search.best_counts) - sum(before)

    # -- neighbourhoods ------------------------------------------------------------------------------

    def _refill(self, kept: Sequence[Place]) -> None:
        """Place anew all that is not kept, with a narrow beam."""
        search = self._search
        demand = search.demand(kept)
        width, children = self._random.choice(_WIDTHS), self._random.choice(_CHILDREN)
        search.offer(search.beam(search.start(kept, demand), demand, width, children))

    def _any(self) -> None:
        """Take a random part out of the best plan and refill it."""
        best = self._search.best
        share = self._random.uniform(0.1, 0.6) * min(1.0, _MOST_DROPPED / max(len(best), 1))
        self._refill([p for p in best if self._random.random() > share])

    def _that_meet(self) -> None:
        """The same among links that meet one that is missing."""
        near = self._meeting[self._lacking()]
        inside = sum(near[k] for k, _ in self._search.best)
        share = self._random.uniform(0.2, 0.8) * min(1.0, _MOST_DROPPED / max(inside, 1))
        self._refill([p for p in self._search.best if not near[p[0]] or self._random.random() > share])

    def _copy(self) -> None:
        """Where links of two shapes never meet, those of one get the steps of the other first."""
        search, kinds = self._search, self._search.grid.kinds
        into = self._lacking()
        apart = [k for k in range(len(kinds)) if not self._meeting[into][k]]
        if not apart:
            return self._that_meet()
        source = kinds[self._random.choice(apart)].tag
        steps = sorted({x for k, x in search.best if kinds[k].tag == source})
        kept = [p for p in search.best if kinds[p[0]].tag != kinds[into].tag]
        demand = search.demand(kept)
        node = search.start(kept, demand)
        asking = search.asking(demand)
        for k in [k for k in demand if kinds[k].tag == kinds[into].tag]:
            free = search.free(node.state, kinds[k])
            x = next((x for x in steps if free >> x & 1), None)
            if x is not None:
                node = search.child(node, k, x, asking)
        rest = search.demand(node.places)
        search.offer(search.beam(node, rest, 2, 8))
        return None

    def _lacking(self) -> int:
        """A kind of which some are missing, mostly of the most important class that lacks any."""
        search = self._search
        missing = search.demand(search.best)
        first = [k for k in missing if search.class_of[k] == search.class_of[missing[0]]]
        return self._random.choice(first if self._random.random() < 0.7 else missing)

    # -- depth first ---------------------------------------------------------------------------------

    def _few(self) -> None:
        """Take out every small set of some links that meet one that is missing, and look for places for all of them
        and it."""
        search = self._search
        lacking = self._lacking()
        near = [i for i, (k, _) in enumerate(search.best) if self._meeting[lacking][k]]
        chosen = set(self._random.sample(near, min(_POOL, len(near))))
        size = min(self._random.randint(1, _FEW), len(chosen))
        pool = [search.best[i] for i in chosen]
        kept = [p for i, p in enumerate(search.best) if i not in chosen]
        _Few(search, lacking, pool, size).look(search.start(kept, [lacking, *(k for k, _ in pool)]))

    def _plateau(self) -> None:
        """Plateau moves of the links of one shape, all others where they are."""
        search, kinds = self._search, self._search.grid.kinds
        shape = self._random.choice(search.grid.shapes)
        if self._random.random() < _LACKING:
            lacking = kinds[self._lacking()]
            shape = lacking.tag, lacking.open
        mine = [k for k, kind in enumerate(kinds) if (kind.tag, kind.open) == shape]
        others = tuple(sorted(p for p in search.best if p[0] not in mine))
        moving = self._moving(shape, mine, others)
        if moving is None:
            return self._any()
        until, spent, most = search.effort.spent + self._slice, moving.work, len(moving.best)
        while len(moving.best) == most and search.effort.spent < until and not search.effort.over:
            moving.move()
            search.effort.spend(moving.work - spent)
            spent = moving.work
        ranked = [k for k in search.demand() if k in mine]
        found = [*others, *zip(ranked, moving.best, strict=False)]
        search.offer(Node(search.root, tuple(found), search.counts(found)))
        return None

    def _moving(self, shape: tuple[int, int], mine: Sequence[int], others: tuple[Place, ...]) -> Plateau | None:
        """Moves that go on where the last ones of the shape ended, if nothing better came in between; None where they
        would take too much memory."""
        search, kinds = self._search, self._search.grid.kinds
        start = [x for k, x in search.best if k in mine]
        stay, moving = self._plateaus.pop(shape, ((), None))
        if moving is None or stay != others or len(moving.best) < len(start):
            wanted = sum(len(kinds[k].members) for k in mine)
            carriers = len(others) + len(search.grid.given)
            if too_large(search.rules, shape[1].bit_count(), wanted, carriers):
                return None
            beside = [(kinds[k].tag, x) for k, x in others]
            moving = Plateau(search.rules, *shape, beside, start, wanted, self._random, search.effort.look)
            search.effort.spend(moving.work)
        self._plateaus[shape] = others, moving
        if len(self._plateaus) > _KEPT:
            self._plateaus.pop(next(iter(self._plateaus)))
        return moving


class _Few:
    """Looks for a plan with a missing link in it and some of a few others elsewhere."""

    def __init__(self, search: Search, lacking: int, pool: Sequence[Place], size: int) -> None:
        self._search, self._lacking, self._pool, self._size = search, lacking, pool, size
        self._asking = search.asking([lacking, *(k for k, _ in pool)])

    def look(self, node: Node, i: int = 0, out: tuple[int, ...] = ()) -> bool:
        """Keep or take out each link of the pool from `i` on; whether a better plan was found."""
        search = self._search
        if search.effort.over:
            return True
        if i == len(self._pool):
            return self._replaced(node, out)
        kind, x = self._pool[i]
        if len(out) < self._size and self.look(node, i + 1, (*out, kind)):
            return True
        if len(out) + len(self._pool) - i <= self._size:
            return False
        return self.look(search.child(node, kind, x, self._asking), i + 1, out)

    def _replaced(self, node: Node, out: tuple[int, ...]) -> bool:
        search, rank = self._search, self._search.class_of
        demand = sorted([self._lacking, *out], key=lambda k: (rank[k], k))
        needed = [k for k in demand if rank[k] <= rank[self._lacking]]
        found = _DepthFirst(search, needed, demand[len(needed) :]).look(node)
        return found is not None and search.offer(found)


class _DepthFirst:
    """Looks for places for a few links, partial plans one by one; equal links stand in ascending order. `rest` is
    placed as far as that goes."""

    def __init__(self, search: Search, demand: Sequence[int], rest: Sequence[int] = ()) -> None:
        self._search, self._demand, self._rest, self._left = search, demand, rest, _NODES
        self._asking = [search.asking([*demand[i + 1 :], *rest]) for i in range(len(demand))]
        self._alike = [sum(k == kind for k in demand[i:]) for i, kind in enumerate(demand)]

    def look(self, node: Node, i: int = 0, after: int = -1) -> Node | None:
        """A plan with all of the demand from `i` on; None where there is none or the partial plans have run out."""
        search = self._search
        if i == len(self._demand):
            return search.complete_with(node, self._rest) if self._rest else node
        kind = self._demand[i]
        free = search.free(node.state, search.grid.kinds[kind])
        if i and self._demand[i - 1] == kind:
            free = free >> (after + 1) << (after + 1)
        while free.bit_count() >= self._alike[i] and self._left > 0 and not search.effort.over:
            x = lowest(free)
            free &= free - 1
            self._left -= 1
            if found := self.look(search.child(node, kind, x, self._asking[i]), i + 1, x):
                return found
        return None
