"""Mending with least change: as few links moved as possible, the least important first, and why each moved."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import islice
from typing import Literal

from azven.rf.coordinate.lanes import lane
from azven.rf.coordinate.plan import Plan, Rule, carriers_of, conflicts, tuning_faults
from azven.rf.products import Situation
from azven.rf.request import PlanRequest, Request
from azven.rf.verdict import Clash, involvement

Coordinate = Callable[[PlanRequest], Plan]
GoingOn = Callable[[], bool]
_CONFLICTS_AT_MOST = 400
_NODES_AT_MOST = 20_000
_SETS_AT_MOST = 8
_MORE_MOVERS_AT_MOST = 12
_OUT_OF_PLACE = 1 << 40


MoveCause = Literal["rule", "makes room", "not allowed", "level"]


@dataclass(frozen=True, kw_only=True)
class Move:
    """A link that had to move [Hz], or lost its place (`to_hz` None), and why.

    `broke` is the first rule it broke where it stood, of the cause `rule`, and `more` how many others there were.
    """

    id: str
    from_hz: int
    to_hz: int | None
    cause: MoveCause
    broke: Rule | None = None
    more: int = 0


@dataclass(frozen=True)
class Broken:
    """A broken rule, and who of the movable links takes part."""

    movers: frozenset[str]
    rule: Rule


def least_change(
    request: PlanRequest,
    current: Mapping[str, int],
    fixed: Sequence[str],
    coordinate: Coordinate,
    going_on: GoingOn = lambda: True,
) -> tuple[dict[str, int], tuple[Move, ...], Plan | None]:
    """Frequencies (id → Hz) after mending, what moved and why, and the last search that was needed.

    Of the sets of links whose leaving ends every conflict the smallest are tried, those of the least important
    links first. Where none finds new places for all, one more link at a time is moved to make room. When `going_on`
    says no the best so far is taken, and before there is any nothing moves.
    """
    wishes = {r.id: r for r in request.requests}
    stands = {name: current[name] for name in wishes if name in current}
    movable = [r for r in request.requests if r.id in stands and r.id not in fixed]
    found = broken_rules(request, stands, {r.id for r in movable})
    best: tuple[int, dict[str, int], Plan] | None = None
    for leaving in sets_to_move(request, stands, found, movable, going_on):
        if not going_on():
            break
        best = _better(best, _placed_anew(request, stands, leaving, coordinate))
        if best[0] == 0:
            break
    if best is None or best[0]:
        best = _with_more_movers(request, stands, movable, best, coordinate, going_on)
    if best is None:
        return stands, (), None
    after = _put_back(request, stands, best[1], going_on)
    moves = tuple(_move(r.id, stands[r.id], after.get(r.id), found) for r in movable if after.get(r.id) != stands[r.id])
    return after, moves, best[2]


def broken_rules(request: PlanRequest, stands: Mapping[str, int], movable: set[str]) -> list[Broken]:
    """Conflicts and tuning faults that some movable link can end by leaving."""
    out = [Broken(frozenset({fault.id}), fault) for fault in tuning_faults(request, stands)]
    for item in conflicts(request, dict(stands))[0]:
        members = item.ids if isinstance(item, Clash) else (item.victim, *item.sources)
        out.append(Broken(frozenset(members), item))
    return [Broken(b.movers & movable, b.rule) for b in out if b.movers & movable]


def sets_to_move(
    request: PlanRequest,
    stands: Mapping[str, int],
    found: Sequence[Broken],
    movable: Sequence[Request],
    going_on: GoingOn = lambda: True,
) -> list[frozenset[str]]:
    """Sets of links that together end every conflict: the smallest, least important links first."""
    if len(found) > _CONFLICTS_AT_MOST:
        return _greedy(request, stands, movable, going_on)
    rank = {r.id: (r.priority, i) for i, r in enumerate(movable)}
    groups = sorted({b.movers for b in found}, key=lambda g: (len(g), sorted(g)))
    nodes = [0]
    for size in range(len(movable) + 1):
        sets = set(islice(_hitting(groups, size, frozenset(), rank, nodes), 10 * _SETS_AT_MOST))
        if sets:
            by_importance = sorted(sets, key=lambda s: [rank[n] for n in sorted(s, key=rank.__getitem__)], reverse=True)
            return by_importance[:_SETS_AT_MOST]
        if nodes[0] > _NODES_AT_MOST or not going_on():
            break
    return _greedy(request, stands, movable, going_on)


def _hitting(
    groups: Sequence[frozenset[str]], size: int, chosen: frozenset[str], rank: Mapping[str, tuple[int, int]],
    nodes: list[int],
) -> Iterator[frozenset[str]]:  # fmt: skip
    nodes[0] += 1
    open_group = next((g for g in groups if not g & chosen), None)
    if open_group is None:
        yield chosen
    elif size and nodes[0] <= _NODES_AT_MOST:
        for name in sorted(open_group, key=rank.__getitem__, reverse=True):
            yield from _hitting(groups, size - 1, chosen | {name}, rank, nodes)


def _greedy(
    request: PlanRequest, stands: Mapping[str, int], movable: Sequence[Request], going_on: GoingOn
) -> list[frozenset[str]]:
    """Take out whoever is in most conflicts until none is left; no set when that is not reached."""
    kept = dict(stands)
    while (worst := most_in_conflict(request, kept, movable)) is not None:
        if not going_on():
            return []
        del kept[worst.id]
    return [frozenset(stands) - frozenset(kept)]


def most_in_conflict(request: PlanRequest, kept: Mapping[str, int], movable: Sequence[Request]) -> Request | None:
    """The movable link that takes part in most conflicts; of equal ones the least important, then the last."""
    situation = Situation(carriers_of(request, dict(kept)), request.profiles, request.relations)
    score = dict(zip(situation.ids, involvement(situation).tolist(), strict=True))
    for fault in tuning_faults(request, kept):
        score[fault.id] += _OUT_OF_PLACE
    candidates = [(score[r.id], r.priority, i, r) for i, r in enumerate(movable) if score.get(r.id)]
    return max(candidates, key=lambda c: c[:3])[3] if candidates else None


Outcome = tuple[int, dict[str, int], Plan]
"""How many that stood have no place now, frequencies, the search."""


def _better(best: Outcome | None, new: Outcome) -> Outcome:
    return new if best is None or new[0] < best[0] else best


def _placed_anew(
    request: PlanRequest, stands: Mapping[str, int], leaving: frozenset[str], coordinate: Coordinate
) -> Outcome:
    """The leaving links, and those that had no frequency, placed beside everybody else."""
    kept = {n: f for n, f in stands.items() if n not in leaving}
    given = [r.at(kept[r.id]) for r in request.requests if r.id in kept]
    rest = tuple(r for r in request.requests if r.id not in kept)
    plan = coordinate(replace(request, carriers=(*request.carriers, *given), requests=rest))
    frequencies = kept | {a.id: a.freq_hz for a in plan.assignments}
    return sum(n not in frequencies for n in stands), frequencies, plan


def _with_more_movers(
    request: PlanRequest, stands: Mapping[str, int], movable: Sequence[Request], best: Outcome | None,
    coordinate: Coordinate, going_on: GoingOn,
) -> Outcome | None:  # fmt: skip
    """One more link moved, least important first, if that gives everybody who stood a place again."""
    if best is None:
        return None
    lost = [r for r in movable if r.id not in best[1]]
    still = [r for r in movable if best[1].get(r.id) == stands[r.id] and r.priority >= lost[0].priority]
    moved = frozenset(r.id for r in movable if best[1].get(r.id) != stands[r.id])
    for extra in sorted(still, key=lambda r: -r.priority)[:_MORE_MOVERS_AT_MOST]:
        if not going_on():
            break
        without = {n: f for n, f in best[1].items() if n != extra.id}
        if len(lane(request, lost[0], carriers_of(request, without)).free):
            best = _better(best, _placed_anew(request, stands, moved | {extra.id}, coordinate))
            if best[0] == 0:
                break
    return best


def _put_back(
    request: PlanRequest, stands: Mapping[str, int], after: Mapping[str, int], going_on: GoingOn
) -> dict[str, int]:
    """Whoever can stand where it stood, now that others have left, goes back; the most important first."""
    out = dict(after)
    moved = [r for r in request.requests if r.id in stands and out.get(r.id) != stands[r.id]]
    for r in sorted(moved, key=lambda r: r.priority):
        if not going_on():
            break
        tried = {**out, r.id: stands[r.id]}
        if not tuning_faults(request, {r.id: stands[r.id]}) and not conflicts(request, tried)[0]:
            out = tried
    return out


def _move(link_id: str, from_hz: int, to_hz: int | None, found: Sequence[Broken]) -> Move:
    rules = [b.rule for b in found if link_id in b.movers]
    if not rules:
        return Move(id=link_id, from_hz=from_hz, to_hz=to_hz, cause="makes room")
    return Move(id=link_id, from_hz=from_hz, to_hz=to_hz, cause="rule", broke=rules[0], more=len(rules) - 1)
