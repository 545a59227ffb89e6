"""Gear that only knows group tables: one room, one group, chosen among all other links (domain, section 7)."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from azven.book.records import Link, Model
from azven.rf.coordinate import carriers_of, coordinate, lane
from azven.rf.request import PlanRequest, Range, Request

Progress = Callable[[int, int], bool]
Elapsed = Callable[[], float]
_EACH_S = 0.4
"""A quick plan for each group that might be taken."""


@dataclass(frozen=True)
class GroupSet:
    """Links of one model and band in rooms that are together: their table, group → frequencies [Hz], in its order."""

    model: str
    links: tuple[str, ...]
    table: Mapping[str, frozenset[int]] = field(default_factory=dict)

    def group_of(self, freq_hz: int) -> str:
        """The first group that has a frequency, empty for none."""
        return next((name for name, freqs in self.table.items() if freq_hz in freqs), "")


def sets_of(request: PlanRequest, links: Mapping[str, Link], models: Mapping[int, Model]) -> tuple[GroupSet, ...]:
    """The links that have to share a group."""
    found: dict[tuple[int, str, frozenset[str]], list[str]] = {}
    own = {r.zone for r in request.requests}
    for wish in request.requests:
        link = links[wish.id]
        if models[link.model_id].only_groups:
            rooms = frozenset(z for z in own if request.relation(z, wish.zone) == "together")
            found.setdefault((link.model_id, link.band, rooms), []).append(wish.id)
    return tuple(
        GroupSet(models[model].name, tuple(members),
                 {g: frozenset(f) for g, f in models[model].groups.get(band, {}).items()})
        for (model, band, _), members in found.items()
    )  # fmt: skip


def others_group(group_set: GroupSet, link: str, frequencies: Mapping[str, int]) -> str:
    """The group that the other links of a set are on, most of them if they are on several; empty where none is."""
    used = [group_set.group_of(frequencies[m]) for m in group_set.links if m != link and m in frequencies]
    counts = Counter(g for g in used if g)
    order = list(group_set.table)
    return min(counts, key=lambda g: (-counts[g], order.index(g)), default="")


def within(wish: Request, freqs: frozenset[int]) -> Request:
    """A wish for these frequencies [Hz] alone, as far as it may use them; none where it may not use any."""
    ranges = wish.allowed if wish.allowed is not None else wish.ranges
    points = tuple(Range(f, f) for f in sorted(freqs) if any(r.low_hz <= f <= r.high_hz for r in ranges))
    return replace(wish, allowed=points or (Range(1, 1),))


def on_group(request: PlanRequest, group_set: GroupSet, group: str) -> PlanRequest:
    """A request in which all links of a set take one group."""
    freqs, members = group_set.table[group], set(group_set.links)
    return replace(request, requests=tuple(within(r, freqs) if r.id in members else r for r in request.requests))


def free_in(request: PlanRequest, group_set: GroupSet, group: str, frequencies: Mapping[str, int]) -> int:
    """How many channels of a group are free for every link of the set, beside all that has a frequency."""
    others = [c for c in carriers_of(request, dict(frequencies)) if c.id not in group_set.links]
    free: set[int] | None = None
    for wish in _one_per_room(request, group_set):
        here = set(lane(request, within(wish, group_set.table[group]), others).free.tolist())
        free = here if free is None else free & here
    return len(free or ())


def _one_per_room(request: PlanRequest, group_set: GroupSet) -> list[Request]:
    by_room = {r.zone: r for r in request.requests if r.id in group_set.links}
    return list(by_room.values())


def by_rule(request: PlanRequest, sets: Sequence[GroupSet], frequencies: Mapping[str, int]) -> PlanRequest:
    """Every set that nobody has decided takes the group with most free channels, the first of equal ones."""
    for group_set in sets:
        if not group_set.table or any(m in frequencies for m in group_set.links):
            continue
        best = max(group_set.table, key=lambda g: free_in(request, group_set, g, frequencies))
        request = on_group(request, group_set, best)
    return request


def chosen(
    request: PlanRequest, sets: Sequence[GroupSet], locked: Mapping[str, int], progress: Progress, elapsed: Elapsed
) -> PlanRequest:
    """Every set on the group with which most links of the show find room, the most important ones first; of equal ones
    that with most free channels, then the first. A locked link decides for its set."""
    for group_set in sets:
        groups = [g for g in group_set.table if group_set.table[g]]
        held = [group_set.group_of(locked[m]) for m in group_set.links if m in locked]
        if held and held[0]:
            groups = [held[0]]
        if not groups:
            continue
        if len(groups) > 1:
            worth = {g: _worth(on_group(request, group_set, g), group_set, g, progress, elapsed) for g in groups}
            groups = sorted(groups, key=worth.__getitem__, reverse=True)
        request = on_group(request, group_set, groups[0])
    return request


def _worth(
    request: PlanRequest, group_set: GroupSet, group: str, progress: Progress, elapsed: Elapsed
) -> tuple[tuple[int, ...], int]:
    begun = elapsed()
    quick = replace(request, effort=1, time_limit_s=_EACH_S)
    plan = coordinate(quick, progress, lambda: elapsed() - begun)
    placed = {a.id for a in plan.assignments}
    counts = Counter(r.priority for r in request.requests if r.id in placed)
    classes = sorted({r.priority for r in request.requests})
    return tuple(counts[c] for c in classes), free_in(request, group_set, group, {})
