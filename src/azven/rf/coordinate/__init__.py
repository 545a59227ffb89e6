"""Coordination: frequencies for many links that keep clear of one another's products.

`coordinate` places what it can, most important first; `mend` moves only what is broken.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from azven.rf.coordinate.bound import Ceiling, Proof, bound, proof
from azven.rf.coordinate.effort import WORK, Effort
from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.lanes import Lane, lane, lane_unless, lanes
from azven.rf.coordinate.mending import Move, least_change, most_in_conflict
from azven.rf.coordinate.moves import improve
from azven.rf.coordinate.plan import (
    Assignment,
    Plan,
    Rule,
    Stats,
    TuningFault,
    Unplaced,
    assess,
    carriers_of,
    conflicts,
    describe,
    tuning_faults,
)
from azven.rf.coordinate.search import Search
from azven.rf.coordinate.settling import Heard, settle
from azven.rf.coordinate.spreading import spread
from azven.rf.coordinate.starts import begin
from azven.rf.coordinate.swaps import Swap, swap_spares
from azven.rf.request import PlanRequest, Request

Progress = Callable[[int, int], bool]
Clock = Callable[[], float]


def _never(done: int, total: int) -> bool:
    return True


def _no_clock() -> float:
    return 0.0


def coordinate(
    request: PlanRequest,
    progress: Progress = _never,
    elapsed: Clock = _no_clock,
    on_better: Callable[["Best"], None] | None = None,
) -> Plan:
    """Place the requests; never returns a plan with a conflict that a placed link takes part in.

    `progress(done, total)` counts work in units (`effort`); returning False stops the search, and the
    best plan so far is returned. `elapsed()` gives seconds since the start, for the time ceiling.
    `on_better` hears of better plans, at most twice a second. Raises ValueError when the request is not valid.
    """
    request.validate()
    grid = Grid(request)
    effort = Effort(limit=WORK[request.effort], time_limit_s=request.time_limit_s, elapsed=elapsed, progress=progress)
    search = Search(grid, effort, _reporter(request, grid, elapsed, on_better) if on_better else None)
    begin(search)
    improve(search)
    most, why = search.most, search.proof
    if search.complete and not effort.over:
        search = spread(search)
    frequencies = _spread_over_members(search.grid, search.best)
    if _drop_what_fails(request, frequencies):
        why = None
    stats = Stats(0, 0, elapsed(), request.seed, effort.timed_out, most, why)
    return finish(request, frequencies, stats, effort.may_finish)


_REPORTED_EVERY_S = 0.5


@dataclass(frozen=True)
class Best:
    """The best plan of a running search: links placed per priority class, and its tightest margin [Hz]."""

    counts: tuple[int, ...]
    margin_hz: int | None
    elapsed_s: float
    bound: int | None = None
    """Links that no plan can exceed, where that is known and near."""

    @property
    def placed(self) -> int:
        return sum(self.counts)


def _reporter(
    request: PlanRequest, grid: Grid, elapsed: Clock, on_better: Callable[[Best], None]
) -> Callable[[Search], None]:
    """Hears of every better plan and passes on, with its margin, what is not too soon after the last."""
    last = [-_REPORTED_EVERY_S]

    def report(search: Search) -> None:
        now = elapsed()
        if now - last[0] >= _REPORTED_EVERY_S:
            last[0] = now
            placed = assess(request, _spread_over_members(grid, search.best))
            bounded = [a.margin_hz for a in placed if a.margin_hz is not None]
            on_better(Best(search.best_counts, min(bounded, default=None), now, search.most))

    return report


@dataclass(frozen=True)
class Mended:
    """A plan after mending, and which links moved and why."""

    plan: Plan
    moves: tuple[Move, ...]


def mend(
    request: PlanRequest,
    current: Mapping[str, int],
    fixed: Sequence[str] = (),
    progress: Progress = _never,
    elapsed: Clock = _no_clock,
) -> Mended:
    """Repair `current` (id → Hz) with least change: as few links moved as possible, the most important last.

    Requests without a frequency in `current` are placed too; `fixed` links never move.
    """

    def search(part: PlanRequest) -> Plan:
        return coordinate(part, progress, elapsed)

    def going_on() -> bool:
        return progress(0, 1) and elapsed() < request.time_limit_s

    frequencies, moves, last = least_change(request, current, fixed, search, going_on)
    stats = last.stats if last is not None else Stats(0, 0, elapsed(), request.seed, not going_on())
    return Mended(finish(request, frequencies, stats, going_on), moves)


def ceiling_of(request: PlanRequest, frequencies: Mapping[str, int]) -> Ceiling:
    """What is known without a search about how many links can be placed, for a clean plan (id → Hz)."""
    effort = Effort(limit=0, time_limit_s=0.0, elapsed=_no_clock, progress=_never)
    search = Search(Grid(request, frequencies.values()), effort)
    kind_of = {request.requests[m].id: k for k, kind in enumerate(search.grid.kinds) for m in kind.members}
    counts = search.counts((kind_of[name], 0) for name in frequencies if name in kind_of)
    most = bound(search.grid, search.rules, sum(counts))
    return Ceiling(most, proof(search.wanted, search.attainable, counts, most))


def finish(
    request: PlanRequest, frequencies: Mapping[str, int], stats: Stats, going_on: Callable[[], bool] = lambda: True
) -> Plan:
    """The complete answer for `frequencies`: exact margins, reasons for what is missing, given conflicts.

    Where `going_on` says no, what is missing is named without looking why.
    """
    frequencies = dict(frequencies)
    others = carriers_of(request, frequencies)
    lanes: dict[Request, Lane | None] = {}
    unplaced = []
    for r in request.requests:
        if r.id not in frequencies:
            alike = replace(r, id="", priority=0)
            if alike not in lanes:
                lanes[alike] = lane_unless(request, r, others, going_on)
            found = lanes[alike]
            unplaced.append(
                Unplaced(r.id, 0, 0, (), looked=False) if found is None
                else Unplaced(r.id, len(found.freq_hz), len(found.free), found.shares())
            )  # fmt: skip
    _, given = conflicts(request, frequencies)
    stats = replace(stats, requested=len(request.requests), placed=len(frequencies))
    return Plan(assess(request, frequencies), tuple(unplaced), tuple(given), stats)


def _spread_over_members(grid: Grid, places: Sequence[tuple[int, int]]) -> dict[str, int]:
    """Give the steps of every kind to its members in the order of the request, lowest first."""
    by_kind: dict[int, list[int]] = {}
    for kind, x in places:
        by_kind.setdefault(kind, []).append(x)
    out: dict[str, int] = {}
    for k, steps in by_kind.items():
        for member, x in zip(grid.kinds[k].members, sorted(steps), strict=False):
            request = grid.request.requests[member]
            out[request.id] = grid.frequency(request, x)
    return out


def _drop_what_fails(request: PlanRequest, frequencies: dict[str, int]) -> bool:
    """The last gate: whatever the exact check rejects is taken out, least important first. Whether anything was."""
    placed = [r for r in request.requests if r.id in frequencies]
    before = len(frequencies)
    while (worst := most_in_conflict(request, frequencies, placed)) is not None:
        del frequencies[worst.id]
    return len(frequencies) < before


__all__ = [
    "Assignment",
    "Best",
    "Ceiling",
    "Heard",
    "Lane",
    "Mended",
    "Move",
    "Plan",
    "Proof",
    "Rule",
    "Stats",
    "Swap",
    "TuningFault",
    "Unplaced",
    "assess",
    "carriers_of",
    "ceiling_of",
    "conflicts",
    "coordinate",
    "describe",
    "finish",
    "lane",
    "lanes",
    "mend",
    "settle",
    "swap_spares",
    "tuning_faults",
]
