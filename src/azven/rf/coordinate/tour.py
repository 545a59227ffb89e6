"""A show goes to another site: what may stay where it is stays, the rest moves least (domain section 9)."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from azven.rf.coordinate import coordinate, mend
from azven.rf.coordinate.lanes import lane
from azven.rf.coordinate.plan import carriers_of
from azven.rf.request import Carrier, PlanRequest, Request

EXACT = 10
"""So many links of one room are searched to the end."""
_NODES = 20_000
Progress = Callable[[int, int], bool]
_Worth = tuple[tuple[int, ...], tuple[int, ...], int]


@dataclass(frozen=True)
class Toured:
    """Where links stand at the next site [Hz], by id; who has no place is not in it. `proved`: nothing is better."""

    frequencies: Mapping[str, int]
    kept: frozenset[str]
    moved: frozenset[str]
    unplaced: frozenset[str]
    proved: bool


def tour(
    request: PlanRequest, before: Mapping[str, int], progress: Progress = lambda done, total: True,
    elapsed: Callable[[], float] = lambda: 0.0,
) -> Toured:  # fmt: skip
    """Frequencies for the ground that `request` describes, from those `before` [Hz]: as many placed as can be, then as
    many as possible unmoved, both by class, most important first; then the least sum of moves, then the lower. Exact
    for few links of one room, else the best found."""
    zones = {r.zone for r in request.requests}
    if len(request.requests) > EXACT or len(zones) > 1:
        return _toured(request, before, _large(request, before, progress, elapsed), proved=False)
    search = _Search(request, before, progress)
    search.go({}, 0)
    return _toured(request, before, search.best, proved=not search.stopped)


def _toured(request: PlanRequest, before: Mapping[str, int], after: Mapping[str, int], proved: bool) -> Toured:
    names = [r.id for r in request.requests]
    kept = frozenset(n for n in names if n in after and after[n] == before.get(n))
    unplaced = frozenset(n for n in names if n not in after)
    return Toured(dict(after), kept, frozenset(names) - kept - unplaced, unplaced, proved)


def _large(
    request: PlanRequest, before: Mapping[str, int], progress: Progress, elapsed: Callable[[], float]
) -> dict[str, int]:  # fmt: skip
    """What is mended with least change; where a plan from nothing places more, that one."""
    plans = [mend(request, dict(before), (), progress, elapsed).plan]
    if len(plans[0].assignments) < len(request.requests):
        plans.append(coordinate(request, progress, elapsed))
    priority = {r.id: r.priority for r in request.requests}
    classes = sorted(set(priority.values()))
    best = max(plans, key=lambda p: [sum(priority[a.id] == c for a in p.assignments) for c in classes])
    return {a.id: a.freq_hz for a in best.assignments}


@dataclass
class _Search:
    """Depth first, the most important link first, each at its own frequency, then nearer ones before farther ones."""

    request: PlanRequest
    before: Mapping[str, int]
    progress: Progress
    best: dict[str, int] = field(default_factory=dict)
    stopped: bool = False
    _worth: _Worth | None = None
    _nodes: int = 0

    def __post_init__(self) -> None:
        self._links = sorted(self.request.requests, key=lambda r: r.priority)
        self._classes = sorted({r.priority for r in self._links})
        self._alone = [self._nearest(r, self.request.carriers) for r in self._links]

    def _nearest(self, link: Request, others: Sequence[Carrier]) -> list[int]:
        """Steps that are open to a link, the nearest to where it was first, of two as near the lower."""
        free = lane(self.request, link, others).free.tolist()
        own = self.before.get(link.id, link.ranges[0].low_hz)
        return sorted(free, key=lambda f: (abs(f - own), f))

    def go(self, placed: dict[str, int], depth: int) -> None:
        """Place the links from a depth on in every way that might be better."""
        self._nodes += 1
        if self._nodes > _NODES or (self._nodes % 20 == 0 and not self.progress(self._nodes, _NODES)):
            self.stopped = True
        if self.stopped and self._worth is not None:
            return
        if depth == len(self._links):
            self._offer(placed)
            return
        link = self._links[depth]
        for freq in self._nearest(link, carriers_of(self.request, placed)):
            if self._hopeless({**placed, link.id: freq}, depth + 1):
                break  # what is farther off is no better
            self.go({**placed, link.id: freq}, depth + 1)
        if not self._hopeless(placed, depth + 1):
            self.go(placed, depth + 1)

    def _offer(self, placed: dict[str, int]) -> None:
        worth = self._of(placed, len(self._links))
        if self._worth is None or worth > self._worth or (worth == self._worth and self._lower(placed)):
            self._worth, self.best = worth, dict(placed)

    def _lower(self, placed: Mapping[str, int]) -> bool:
        return [placed.get(r.id, 0) for r in self._links] < [self.best.get(r.id, 0) for r in self._links]

    def _hopeless(self, placed: Mapping[str, int], depth: int) -> bool:
        """Whether no way on from here is as good as the best."""
        return self._worth is not None and self._of(placed, depth) < self._worth

    def _of(self, placed: Mapping[str, int], depth: int) -> _Worth:
        """What is placed, kept and moved, with the best that links from a depth on could still be."""
        there = dict.fromkeys(self._classes, 0)
        kept, moved = dict(there), 0
        for k, link in enumerate(self._links):
            own = self.before.get(link.id)
            at = placed.get(link.id) if k < depth else (self._alone[k][0] if self._alone[k] else None)
            if at is None:
                continue
            there[link.priority] += 1
            kept[link.priority] += at == own
            moved += abs(at - own) if own is not None else 0
        return tuple(there.values()), tuple(kept.values()), -moved
