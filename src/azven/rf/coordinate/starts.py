"""How a search begins: first fit, the pilot, sets from algebra, and a beam as wide as there is time for."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate import sidon
from azven.rf.coordinate.grid import lowest, to_array
from azven.rf.coordinate.search import Node, Place, Search

Steps = NDArray[np.bool_]
_FEW, _MORE, _PILOT_SHARE = 3, 10, 0.2
"""Steps that the pilot looks at for each request, and the share of the work it may take."""
_BEAMS = ((4, 100, 0.3), (3, 150, 0.3), (12, 60, 0.12))
"""Steps that a partial plan is continued with, how wide the beam may be then, and the share of the work it may take."""
_BEHIND = 0.04
"""By what share of the links the narrowest beam may be behind."""
_SETS = {1: 100, 2: 200, 3: 400, 4: 800, 5: 2_000}
_MULTIPLIERS = {1: 200, 2: 500}
_FILLED, _BEAM = {1: 4, 2: 6, 3: 10, 4: 20, 5: 40}, (4, 8)
_OPEN_SHARE, _OPEN_HZ = 0.8, 40_000_000
_TRIED, _CHOSEN = 200, 1_000
"""What one multiplier of a set costs, and laying a set, in units of work."""


def begin(search: Search) -> None:
    """Plans to go on from: first fit, and what algebra and a short pilot know."""
    search.offer(search.first_fit())
    if not search.finished:
        _algebraic(search)
    if _has_several_tags(search) and not search.finished:
        _pilot(search, _FEW)


def widen(search: Search) -> None:
    """What takes longer: the pilot with more candidates, and a beam as wide as its share of the work allows. Links that
    are all alike to one another gain nothing by the pilot; where the narrowest beam, which tells the cost of one, is
    far behind, a wider one will not catch up."""
    if search.finished:
        return
    if _has_several_tags(search):
        _pilot(search, _MORE)
    demand = search.demand()
    for children, widest, share in _BEAMS:
        before = search.effort.spent
        narrow = search.beam(search.start((), demand), demand, 1, children)
        search.offer(narrow)
        width = min(int(share * search.effort.limit / max(search.effort.spent - before, 1)), widest)
        behind = sum(search.best_counts) - sum(narrow.counts)
        if width > 1 and behind <= max(_BEHIND * sum(search.best_counts), 2) and not search.finished:
            search.offer(search.beam(search.start((), demand), demand, width, children))


def _has_several_tags(search: Search) -> bool:
    return len({k.tag for k in search.grid.kinds}) > 1


def quick(search: Search) -> None:
    """A short look: first fit, and a narrow beam if that leaves something out."""
    search.offer(search.first_fit())
    if not search.finished:
        demand = search.demand()
        search.offer(search.beam(search.start((), demand), demand, 4, 8))


def _pilot(search: Search, candidates: int) -> None:
    """Place the requests in their order, each at the one of its lowest free steps from which first fit places most
    of the others. Duin and Voß, The pilot method, Networks 1999."""
    demand = search.demand()
    node = search.start((), demand)
    most = _PILOT_SHARE * search.effort.limit + search.effort.spent
    for i, kind in enumerate(demand):
        if search.finished or search.effort.spent > most:
            return
        rest = demand[i + 1 :]
        asking = search.asking(rest)
        free = search.free(node.state, search.grid.kinds[kind])
        if not free:
            continue
        tried: list[tuple[tuple[int, ...], int, Node]] = []
        for n in range(candidates):
            if not free or search.effort.over:
                break
            child = search.child(node, kind, lowest(free), asking)
            free &= free - 1
            whole = search.complete_with(child, rest)
            search.offer(whole)
            tried.append((whole.counts, -n, child))
        if not tried:
            return
        node = max(tried, key=lambda item: item[:2])[2]


def _algebraic(search: Search) -> None:
    """Lay Sidon sets over the spectrum of the largest kind and fill up the best; nothing where too little is open."""
    grid, rules, effort = search.grid, search.rules, search.grid.request.effort
    kind = max(range(len(grid.kinds)), key=lambda k: (len(grid.kinds[k].members), -k))
    shape = grid.kinds[kind]
    free = search.free(search.root, shape)
    unit = rules.reach("a+b-c", shape.tag) + 1
    if not free or unit < 1 or 2 * len(shape.members) < sum(search.wanted):
        return
    first = lowest(free)
    span = free.bit_length() - first
    if free.bit_count() < _OPEN_SHARE * span:
        return
    laying = _Laying(search, kind, first, to_array(free >> first, span), unit)

    def over() -> bool:
        search.effort.spend(_TRIED)
        return search.effort.over

    for ruler in sidon.rulers((span - 1) // unit, _FILLED[effort], over):
        laying.fill(laying.chosen(ruler))
    if free.bit_count() * grid.unit < _OPEN_HZ or search.finished:
        return
    sets = sidon.windows(
        span // unit, laying.spacing // unit + 1, laying.third // unit, _SETS[effort], over,
        tried=_MULTIPLIERS.get(effort),
    )  # fmt: skip
    chosen = [laying.chosen(found) for found in sets]
    for steps in sorted(chosen, key=len, reverse=True)[: _FILLED[effort]]:
        laying.fill(steps)


class _Laying:
    """Where sets of one kind are laid: its open steps from the first on, and what they must keep."""

    def __init__(self, search: Search, kind: int, first: int, open_steps: Steps, unit: int) -> None:
        self._search, self._kind, self._shape = search, kind, search.grid.kinds[kind]
        self._first, self._open, self._unit = first, open_steps, unit
        self.spacing = search.rules.apart(self._shape.tag)
        self.third = max(search.rules.reach("2a-b", self._shape.tag), 0)

    def chosen(self, members: Sequence[int]) -> list[int]:
        """Steps of a Sidon set where most of it is open, without those that spacing and 2a-b forbid."""
        open_steps = self._open
        if self._search.effort.over:
            return []
        self._search.effort.spend(_CHOSEN)
        steps = np.array(members, np.int64) * self._unit
        offsets = np.arange(max(len(open_steps) - int(steps[-1]), 1))
        inside = np.minimum(offsets[:, None] + steps[None, :], len(open_steps) - 1)
        offset = int(np.argmax(open_steps[inside].sum(axis=1)))
        left = sidon.thinned(steps[open_steps[inside[offset]]], self.spacing, self.third)
        return [self._first + offset + step for step in left.tolist()]

    def fill(self, steps: Sequence[int]) -> None:
        """Place what all rules allow of these steps, then all others with a narrow beam."""
        search, tag = self._search, self._shape.tag
        if search.finished:
            return
        state = search.root.copy((tag,))
        kept: list[Place] = []
        for x in steps:
            if not state.closed[tag] >> x & 1 and len(kept) < len(self._shape.members):
                search.effort.spend(state.add(tag, x))
                kept.append((self._kind, x))
        demand = search.demand(kept)
        search.offer(search.beam(search.start(kept, demand), demand, *_BEAM))
