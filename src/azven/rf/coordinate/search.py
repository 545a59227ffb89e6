"""The search: what is placed, what is still asked for, and what may follow from it; which plan is the best so far.

How plans are begun is in `starts`, how they are made better in `moves`.
"""

import random
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass
from math import log2

from azven.rf.coordinate.bound import Proof, bound, proof
from azven.rf.coordinate.effort import Effort
from azven.rf.coordinate.grid import Grid, Kind, lowest
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.state import State, build

Place = tuple[int, int]
"""Kind and step."""
Counts = tuple[int, ...]
"""Links placed by class, most important first."""
_NODE = 3
"""What it costs to judge a partial plan, in units of work."""


@dataclass(slots=True)
class Node:
    """A partial plan: its state, what stands where in the order of placing, and how good that is. `key` is the same
    for the same places in any order."""

    state: State
    places: tuple[Place, ...]
    counts: Counts
    freedom: float = 0.0
    key: int = 0


class Search:
    """One coordination. `best` is always a complete answer: kind and step of everything placed."""

    def __init__(self, grid: Grid, effort: Effort, on_better: Callable[["Search"], None] | None = None) -> None:
        self.grid, self.effort = grid, effort
        self.rules = Rules(grid)
        self.random = random.Random(grid.request.seed)
        self.classes = sorted({k.priority for k in grid.kinds})
        self.class_of = [self.classes.index(k.priority) for k in grid.kinds]
        self.root = build(self.rules, grid.given)
        self.wanted = tuple(sum(len(k.members) for k in grid.kinds if k.priority == p) for p in self.classes)
        self.attainable = self._attainable()
        self.best: tuple[Place, ...] = ()
        self.best_counts: Counts = (0,) * len(self.classes)
        self.most: int | None = None
        """Links that no plan can exceed, where that is known and near what was found."""
        self.proof: Proof | None = None
        self._on_better = on_better

    @property
    def complete(self) -> bool:
        return self.best_counts == self.wanted

    @property
    def finished(self) -> bool:
        return self.proof is not None or self.best_counts == self.attainable or self.effort.over

    def _attainable(self) -> Counts:
        """Per class, how many could be placed if each kind had only itself and its spacing to mind: no search finds
        more, so that one for a link without any open step ends at once."""
        most = [0] * len(self.classes)
        for i, kind in enumerate(self.grid.kinds):
            free, apart = self.free(self.root, kind), self.rules.apart(kind.tag)
            alone = len(kind.members) if free and apart < 0 else 0
            while free and alone < len(kind.members):
                alone += 1
                free = free >> lowest(free) + max(apart, 1)
            most[self.class_of[i]] += alone
        return tuple(most)

    def offer(self, node: Node) -> bool:
        """Take a plan that is at least as good as the best; equal ones keep the search moving. Whether it is better."""
        if node.counts < self.best_counts:
            return False
        better = node.counts > self.best_counts
        self.best, self.best_counts = node.places, node.counts
        if better:
            self.most = bound(self.grid, self.rules, sum(self.best_counts))
            self.proof = proof(self.wanted, self.attainable, self.best_counts, self.most)
        if better and self._on_better:
            self._on_better(self)
        return better

    # -- building blocks ---------------------------------------------------------------------------

    def free(self, state: State, kind: Kind) -> int:
        return kind.open & ~state.closed[kind.tag]

    def counts(self, places: Iterable[Place]) -> Counts:
        counts = [0] * len(self.classes)
        for kind, _ in places:
            counts[self.class_of[kind]] += 1
        return tuple(counts)

    def start(self, kept: Sequence[Place], demand: Sequence[int]) -> Node:
        """A plan of `kept` alone, for `demand` still to be placed."""
        state = self.root.copy(self.asking(demand))
        for k, x in kept:
            self.effort.spend(state.add(self.grid.kinds[k].tag, x))
        return Node(state, tuple(kept), self.counts(kept))

    def asking(self, demand: Sequence[int]) -> Collection[int]:
        """Tags of what is still to be placed."""
        return frozenset(self.grid.kinds[k].tag for k in set(demand))

    def demand(self, kept: Iterable[Place] = ()) -> list[int]:
        """Kinds still to be placed, one entry a request, most important first, scarcest first within a class."""
        left = [len(k.members) for k in self.grid.kinds]
        for kind, _ in kept:
            left[kind] -= 1
        order = sorted(range(len(left)), key=lambda k: (self.class_of[k], self.grid.kinds[k].open.bit_count(), k))
        return [k for k in order for _ in range(left[k])]

    def first_fit(self) -> Node:
        """Requests in order of priority, then as they were asked for, each at its lowest free step."""
        by_request = sorted((k.priority, m, i) for i, k in enumerate(self.grid.kinds) for m in k.members)
        demand = [i for _, _, i in by_request]
        return self.complete_with(self.start((), demand), demand)

    def complete_with(self, node: Node, demand: Sequence[int]) -> Node:
        """Place `demand` in its order, each at its lowest free step; also how a stopped search answers in full."""
        state, places = node.state.copy(), list(node.places)
        last = {k: i for i, k in enumerate(demand)}
        for i, k in enumerate(demand):
            if not self.effort.may_finish():
                break
            kind = self.grid.kinds[k]
            free = self.free(state, kind)
            if not free:
                continue
            if last[k] == i:
                state = state.copy(self.asking(demand[i + 1 :]))
            x = lowest(free)
            self.effort.spend(state.add(kind.tag, x))
            places.append((k, x))
        return Node(state, tuple(places), self.counts(places))

    def child(self, node: Node, kind: int, x: int, asking: Collection[int]) -> Node:
        """The node with one more link; only steps of the tags that are `asking` go on to be known."""
        state = node.state.copy(asking)
        self.effort.spend(state.add(self.grid.kinds[kind].tag, x))
        c = self.class_of[kind]
        counts = (*node.counts[:c], node.counts[c] + 1, *node.counts[c + 1 :])
        return Node(state, (*node.places, (kind, x)), counts, 0.0, node.key ^ hash((kind, x)))

    def _freedom(self, state: State, left: dict[int, int]) -> float:
        """How much room is left to what is still to be placed: open steps as logarithms, so that the kind that
        is running out counts most; each less important class weighs half."""
        total = 0.0
        for k, n in left.items():
            kind = self.grid.kinds[k]
            free = (kind.open & ~state.closed[kind.tag]).bit_count()
            total += n * log2(1 + free) / 2.0 ** self.class_of[k]
        self.effort.spend(_NODE + len(left))
        return total

    def beam(self, start: Node, demand: Sequence[int], width: int, children: int) -> Node:
        """Place `demand` in order, keeping the `width` partial plans that leave most open."""
        level = [start]
        for i, kind in enumerate(demand):
            left: dict[int, int] = {}
            for k in demand[i + 1 :]:
                left[k] = left.get(k, 0) + 1
            if not left:
                left = {kind: 1}
            level = self._next_level(level, kind, left, width, children)
            if self.effort.over:
                return self.complete_with(level[0], demand[i + 1 :])
        return level[0]

    def _next_level(self, level: list[Node], kind: int, left: dict[int, int], width: int, children: int) -> list[Node]:
        grown: dict[int, Node] = {}
        asking = self.asking([*left])
        for node in level:
            for child in self._children(node, kind, left, asking, children):
                grown.setdefault(child.key, child)
            if self.effort.over and grown:
                break
        return sorted(grown.values(), key=lambda n: (n.counts, n.freedom), reverse=True)[:width]

    def _children(
        self, node: Node, kind: int, left: dict[int, int], asking: Collection[int], children: int
    ) -> Iterable[Node]:
        free = self.free(node.state, self.grid.kinds[kind])
        if not free:
            yield node
        for _ in range(children):
            if not free:
                break
            child = self.child(node, kind, lowest(free), asking)
            free &= free - 1
            child.freedom = self._freedom(child.state, left)
            yield child
