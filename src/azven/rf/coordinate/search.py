"""The search: first fit, a beam over the requests in order of importance, then large neighbourhoods.

Work is counted in carriers placed (`Effort.spent`), so that the same request and seed give the same
answer on any machine as long as the time ceiling is not reached.
"""

import random
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from math import log2

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate import plateau, sidon
from azven.rf.coordinate.bound import Proof, bound, proof
from azven.rf.coordinate.grid import Grid, Kind, to_array
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.state import State, build

WORK = {1: 1_500, 2: 20_000, 3: 400_000, 4: 1_000_000, 5: 4_000_000}
_BEAM = {1: (1, 4), 2: (2, 16), 3: (4, 25, 100), 4: (8, 50, 200), 5: (8, 50, 300)}
_MANY, _BEAM_FOR_MANY = 120, (8, 50)
"""Of so many links the widest beam takes longer than neighbourhoods take to overtake it."""
_SETS = {1: 4, 2: 40, 3: 400, 4: 800, 5: 2_000}
_MULTIPLIERS = {1: 60, 2: 300}
_FILLED = {1: 1, 2: 2, 3: 8, 4: 16, 5: 40}
Steps = NDArray[np.bool_]
_OPEN_SHARE, _OPEN_HZ = 0.8, 40_000_000
_MOST_DROPPED = 60
_BEAM_SHARE = 0.5
_BEAM_TIME = 0.7
"""Share of the time for a beam that has to fit."""
_WIDEST_BEFORE_EXCHANGE = 24
_VERY_WIDE, _BEFORE_VERY_WIDE = 200, 0.3
"""A beam so wide comes after neighbourhoods have had this share of the work: they often find as much, and sooner."""
_LEFT_SHARE, _LEFT_S = 0.08, 0.2
"""Of the time allowed, or so many seconds if that is more: for margins and explanations."""
_LOOKED_EVERY_S, _AFTER_STOP_S = 0.05, 0.1
"""How often the search looks whether to go on, and how long it may take to finish its answer when not."""
_NEIGHBOURHOODS, _MOVES = 60, 3_000
"""Neighbourhoods find the shape of a dense plan, plateau moves the last links of it: so many of each in turn."""
_EXCHANGE = 12
"""Work of one plateau move, in carriers placed."""
_PILOT, _PILOT_SHARE, _PILOT_TIME = (3, 10), 0.12, 0.2
"""Steps that the pilot looks at for each request, first few, then more, and the shares of work and time it may take."""
_CHILDREN = {1: 4, 2: 8, 3: 20, 4: 20, 5: 20}


@dataclass(kw_only=True)
class Effort:
    """How much work is allowed, how much is done, and who may stop it."""

    limit: int
    time_limit_s: float
    elapsed: Callable[[], float]
    progress: Callable[[int, int], bool]
    spent: int = 0
    timed_out: bool = False
    cancelled: bool = False
    looked_s: float = 0.0
    stopped_s: float | None = None

    @property
    def left_s(self) -> float:
        """Time left to the search [s]."""
        kept_back = min(max(_LEFT_SHARE * self.time_limit_s, _LEFT_S), self.time_limit_s / 2)
        return self.time_limit_s - kept_back - self.elapsed()

    def spend(self, amount: int = 1) -> None:
        """Count work; every 64 carriers, or when the last look was some time ago, look whether to go on."""
        before = self.spent // 64
        self.spent += amount
        if self.spent // 64 != before or self.elapsed() - self.looked_s >= _LOOKED_EVERY_S:
            self.look()

    def look(self) -> bool:
        """Look at the clock and at who asked; whether the search is over."""
        self.looked_s = self.elapsed()
        self.timed_out = self.timed_out or self.left_s <= 0
        self.cancelled = self.cancelled or not self.progress(min(self.spent, self.limit), self.limit)
        return self.over

    def may_finish(self) -> bool:
        """Whether there is time left to complete an answer and to explain it: none once somebody said stop, else a
        little beyond the time allowed."""
        if self.elapsed() - self.looked_s >= _LOOKED_EVERY_S:
            self.look()
        if self.stopped_s is None and self.cancelled:
            self.stopped_s = self.elapsed()
        if self.stopped_s is not None:
            return self.elapsed() - self.stopped_s < _AFTER_STOP_S
        return self.elapsed() < self.time_limit_s + _AFTER_STOP_S

    @property
    def over(self) -> bool:
        return self.timed_out or self.cancelled or self.spent >= self.limit


@dataclass(frozen=True)
class Node:
    """A partial plan of the beam: its state, what stands where, and how good that is."""

    state: State
    places: tuple[tuple[int, int], ...]  # kind, step; in the order of placing
    counts: tuple[int, ...]  # placed per class, most important first
    freedom: float
    exhausted: frozenset[int] = field(default_factory=frozenset)

    @property
    def rank(self) -> tuple[tuple[int, ...], float]:
        return self.counts, self.freedom


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
        self.best: tuple[tuple[int, int], ...] = ()
        self.best_counts: tuple[int, ...] = (0,) * len(self.classes)
        self.most: int | None = None
        """Links that no plan can exceed, where that is known and near what was found."""
        self.proof: Proof | None = None
        self._on_better = on_better

    def run(self) -> None:
        """Improve `best` until everything that can be placed is, or the effort is spent."""
        self._offer(self._first_fit())
        children = _CHILDREN[self.grid.request.effort]
        beams = _BEAM[self.grid.request.effort]
        exchange = plateau.suits(self.grid, self.rules)
        if not self._finished() and self._algebraic():
            beams = beams[:1]
        self._pilots()
        if sum(self.wanted) > _MANY and len(beams) > 2:
            beams = _BEAM_FOR_MANY
        beams = self._that_fit(beams, children, _WIDEST_BEFORE_EXCHANGE if exchange else beams[-1])
        for width in beams:
            if self._finished():
                return
            if width >= _VERY_WIDE:
                while not self._finished() and self.effort.spent < _BEFORE_VERY_WIDE * self.effort.limit:
                    self._neighbourhood()
            if width * children * sum(self.wanted) <= _BEAM_SHARE * self.effort.limit:
                self._offer(self._beam(self._start(()), self._demand(()), width, children))
        while not self._finished():
            for _ in range(_NEIGHBOURHOODS):
                if not self._finished():
                    self._neighbourhood()
            if exchange and not self._finished():
                self._exchange()

    def _that_fit(self, beams: tuple[int, ...], children: int, widest: int) -> tuple[int, ...]:
        """The beams, or, where the time will end before the work does, one up to `widest` that leaves some of it for
        neighbourhoods: a beam that is cut short has found nothing. The narrowest beam of all tells the pace."""
        if self._finished() or not self.effort.elapsed():
            return beams
        began, spent = self.effort.elapsed(), self.effort.spent
        self._offer(self._beam(self._start(()), self._demand(()), 1, children))
        pace = (self.effort.spent - spent) / max(self.effort.elapsed() - began, 1e-9)
        if pace * self.effort.left_s >= self.effort.limit:
            return beams
        width = int(_BEAM_TIME * self.effort.left_s * pace / (children * sum(self.wanted)))
        return (max(min(width, widest), 1),)

    def quick(self) -> None:
        """A short look: first fit, and a narrow beam if that leaves something out."""
        self._offer(self._first_fit())
        if not self._finished():
            self._offer(self._beam(self._start(()), self._demand(()), 4, 8))

    @property
    def complete(self) -> bool:
        return self.best_counts == self.wanted

    def _finished(self) -> bool:
        return self.proof is not None or self.best_counts == self.attainable or self.effort.over

    def _attainable(self) -> tuple[int, ...]:
        """Per class, how many could be placed if each kind had only itself and its spacing to mind: no search finds
        more, so that one for a link without any open step ends at once."""
        most = [0] * len(self.classes)
        for i, kind in enumerate(self.grid.kinds):
            free, apart = self._free(self.root, kind), max(self.rules.apart(kind.tag), 1)
            alone = 0
            while free and alone < len(kind.members):
                alone += 1
                free = free >> (free & -free).bit_length() - 1 + apart
            most[self.class_of[i]] += alone
        return tuple(most)

    def _offer(self, node: Node | None) -> bool:
        """Take a plan that is at least as good as the best; equal ones keep the search moving."""
        if node is None or node.counts < self.best_counts:
            return False
        better = node.counts > self.best_counts
        self.best, self.best_counts = node.places, node.counts
        if better:
            self.most = bound(self.grid, self.rules, sum(self.best_counts))
            self.proof = proof(self.wanted, self.attainable, self.best_counts, self.most)
        if better and self._on_better:
            self._on_better(self)
        return True

    # -- building blocks ---------------------------------------------------------------------------

    def _start(self, kept: Sequence[tuple[int, int]]) -> Node:
        members = [(self.grid.kinds[k].tag, x) for k, x in kept]
        state = self.root.copy()
        for tag, x in members:
            state.add(tag, x)
            self.effort.spend()
        return Node(state, tuple(kept), self._counts(kept), 0.0)

    def _counts(self, places: Iterable[tuple[int, int]]) -> tuple[int, ...]:
        counts = [0] * len(self.classes)
        for kind, _ in places:
            counts[self.class_of[kind]] += 1
        return tuple(counts)

    def _demand(self, kept: Sequence[tuple[int, int]]) -> list[int]:
        """Kinds still to be placed, one entry a request, most important first, scarcest first within a class."""
        left = [len(k.members) for k in self.grid.kinds]
        for kind, _ in kept:
            left[kind] -= 1
        order = sorted(range(len(left)), key=lambda k: (self.class_of[k], self.grid.kinds[k].open.bit_count(), k))
        return [k for k in order for _ in range(left[k])]

    def _free(self, state: State, kind: Kind) -> int:
        return kind.open & ~state.closed[kind.tag]

    def _first_fit(self) -> Node:
        """Requests in order of priority, then as they were asked for."""
        by_request = sorted((k.priority, m, i) for i, k in enumerate(self.grid.kinds) for m in k.members)
        node = self._complete(self._start(()), [i for _, _, i in by_request])
        self.effort.spend(len(node.places))
        return node

    def _freedom(self, state: State, left: dict[int, int]) -> float:
        """How much room is left to what is still to be placed: open steps as logarithms, so that the kind that
        is running out counts most; each less important class weighs half."""
        total = 0.0
        for k, n in left.items():
            kind = self.grid.kinds[k]
            free = (kind.open & ~state.closed[kind.tag]).bit_count()
            total += n * log2(1 + free) / 2.0 ** self.class_of[k]
        return total

    def _beam(self, start: Node, demand: Sequence[int], width: int, children: int) -> Node | None:
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
                return self._complete(level[0], demand[i + 1 :])
        return level[0]

    def _next_level(self, level: list[Node], kind: int, left: dict[int, int], width: int, children: int) -> list[Node]:
        grown: dict[frozenset[tuple[int, int]], Node] = {}
        for node in level:
            for child in self._children(node, kind, left, children):
                grown.setdefault(frozenset(child.places), child)
            if self.effort.over and grown:
                break
        return sorted(grown.values(), key=lambda n: n.rank, reverse=True)[:width]

    def _children(self, node: Node, kind: int, left: dict[int, int], children: int) -> list[Node]:
        shape = self.grid.kinds[kind]
        free = 0 if kind in node.exhausted else self._free(node.state, shape)
        if not free:
            return [Node(node.state, node.places, node.counts, node.freedom, node.exhausted | {kind})]
        counts = list(node.counts)
        counts[self.class_of[kind]] += 1
        out: list[Node] = []
        for _ in range(children):
            if not free:
                break
            x = (free & -free).bit_length() - 1
            free &= free - 1
            state = node.state.copy()
            state.add(shape.tag, x)
            self.effort.spend()
            freedom = self._freedom(state, left)
            out.append(Node(state, (*node.places, (kind, x)), tuple(counts), freedom, node.exhausted))
        return out

    def _complete(self, node: Node, demand: Sequence[int]) -> Node:
        """Place `demand` in its order, each at its lowest free step; also how a stopped search answers in full."""
        state, places = node.state.copy(), list(node.places)
        full = set(node.exhausted)
        for k in demand:
            if not self.effort.may_finish():
                break
            kind = self.grid.kinds[k]
            free = 0 if k in full else self._free(state, kind)
            if not free:
                full.add(k)
                continue
            x = (free & -free).bit_length() - 1
            state.add(kind.tag, x)
            places.append((k, x))
        return Node(state, tuple(places), self._counts(places), 0.0)

    def _pilots(self) -> None:
        """The pilot with few candidates, then with more, as far as that takes its share of work and time at most. Links
        that are all alike to one another gain nothing by it."""
        if len({k.tag for k in self.grid.kinds}) < 2:
            return
        pace = 0.0
        for candidates in _PILOT:
            began = self.effort.elapsed()
            too_much = candidates * sum(self.wanted) ** 2 / 2 > _PILOT_SHARE * self.effort.limit
            if too_much or pace * candidates > _PILOT_TIME * self.effort.left_s or self._finished():
                return
            self._pilot(candidates)
            pace = (self.effort.elapsed() - began) / candidates

    def _pilot(self, candidates: int) -> None:
        """Place the requests in their order, each at the one of its lowest free steps from which first fit places most
        of the others. Duin and Voß, The pilot method, Networks 1999."""
        node, demand = self._start(()), self._demand(())
        for i, kind in enumerate(demand):
            if self._finished():
                return
            free = 0 if kind in node.exhausted else self._free(node.state, self.grid.kinds[kind])
            if not free:
                node = replace(node, exhausted=node.exhausted | {kind})
                continue
            tried: list[tuple[tuple[int, ...], int, Node]] = []
            for n in range(candidates):
                if not free or self.effort.over:
                    break
                child = self._child(node, kind, (free & -free).bit_length() - 1)
                free &= free - 1
                whole = self._complete(child, demand[i + 1 :])
                self.effort.spend(len(whole.places) - len(node.places))
                self._offer(whole)
                tried.append((whole.counts, -n, child))
            if not tried:
                return
            node = max(tried, key=lambda item: item[:2])[2]

    def _child(self, node: Node, kind: int, x: int) -> Node:
        state = node.state.copy()
        state.add(self.grid.kinds[kind].tag, x)
        places = (*node.places, (kind, x))
        return Node(state, places, self._counts(places), 0.0, node.exhausted)

    def _algebraic(self) -> bool:
        """Lay Sidon sets over the spectrum of the largest kind and fill up the best; False where too little is open."""
        kind = max(range(len(self.grid.kinds)), key=lambda k: (len(self.grid.kinds[k].members), -k))
        shape = self.grid.kinds[kind]
        free = self._free(self.root, shape)
        unit = self.rules.reach("a+b-c", shape.tag) + 1
        if not free or unit < 1 or 2 * len(shape.members) < sum(self.wanted):
            return False
        lowest = (free & -free).bit_length() - 1
        span = free.bit_length() - lowest
        if free.bit_count() < _OPEN_SHARE * span or set(self.rules.kinds) - {"2a-b", "a+b-c"}:
            return False
        spacing, third = self.rules.apart(shape.tag), max(self.rules.reach("2a-b", shape.tag), 0)
        open_steps = to_array(free >> lowest, span)
        for ruler in sidon.rulers((span - 1) // unit, _FILLED[self.grid.request.effort], self.effort.look):
            if self._finished():
                return True
            kept = self._lay(kind, lowest, open_steps, unit, ruler, spacing, third)
            self._offer(self._complete(self._start(kept), self._demand(kept)))
        if free.bit_count() * self.grid.unit < _OPEN_HZ:
            return False
        effort = self.grid.request.effort
        sets = sidon.windows(
            span // unit, spacing // unit + 1, third // unit, _SETS[effort], self.effort.look,
            tried=_MULTIPLIERS.get(effort),
        )  # fmt: skip
        laid = [self._lay(kind, lowest, open_steps, unit, found, spacing, third) for found in sets]
        for kept in sorted(laid, key=len, reverse=True)[: _FILLED[effort]]:
            if not self._finished():
                self._offer(self._beam(self._start(kept), self._demand(kept), 20, 20))
        return bool(sets)

    def _lay(
        self, kind: int, lowest: int, open_steps: Steps, unit: int, members: Sequence[int], spacing: int, third: int
    ) -> list[tuple[int, int]]:
        """A Sidon set where most of it is open, without the members that the other rules forbid."""
        if self.effort.over:
            return []
        shape = self.grid.kinds[kind]
        steps = np.array(members, np.int64) * unit
        offsets = np.arange(max(len(open_steps) - int(steps[-1]), 1))
        inside = np.minimum(offsets[:, None] + steps[None, :], len(open_steps) - 1)
        offset = int(np.argmax(open_steps[inside].sum(axis=1)))
        chosen = sidon.thinned(steps[open_steps[inside[offset]]], spacing, third)
        state = self.root.copy()
        kept: list[tuple[int, int]] = []
        for step in chosen.tolist():
            x = lowest + offset + step
            if not state.closed[shape.tag] >> x & 1 and len(kept) < len(shape.members):
                state.add(shape.tag, x)
                kept.append((kind, x))
        self.effort.spend(len(kept))
        return kept

    def _exchange(self) -> None:
        """Plateau moves from the best plan on; the most important links get the lowest steps."""
        moving = plateau.Plateau(self.grid, self.rules, [x for _, x in self.best], self.random)
        for _ in range(_MOVES):
            if self.effort.over or moving.full:
                break
            self.effort.spend(_EXCHANGE * moving.move())
            if len(moving.best) > len(self.best):
                self._offer_steps(moving.best)
        self._offer_steps(moving.best)

    def _offer_steps(self, steps: Sequence[int]) -> None:
        places = tuple(zip(self._demand(()), steps, strict=False))
        self._offer(Node(self.root, places, self._counts(places), 0.0))

    def _neighbourhood(self) -> None:
        """Take a random part out of the best plan and refill it with a narrow beam."""
        share = self.random.uniform(0.1, 0.5) * min(1.0, _MOST_DROPPED / max(len(self.best), 1))
        kept = [p for p in self.best if self.random.random() > share]
        start = self._start(kept)
        self._offer(
            self._beam(start, self._demand(kept), self.random.choice((1, 2, 4, 8)), self.random.choice((4, 8, 12)))
        )
