"""Planning: the searches behind Plan's deeds, each a pure call on the plan as it stands."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from azven.book.edits import Edit, add
from azven.book.records import Assignment, Link
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import coordinate as rf
from azven.rf import shared
from azven.rf.by_level import plan_by
from azven.rf.products import Situation, near
from azven.rf.request import KINDS, PlanRequest
from azven.rf.shared import SharedRequest
from azven.work import ids, kit
from azven.work.kit.bands import of_link
from azven.work.plan import elsewhere, in_groups
from azven.work.plan.board import Board, Progress
from azven.work.plan.history import plan_record
from azven.work.plan.input import PlanInput
from azven.work.plan.verdicts import struck
from azven.work.scope import Scope
from azven.work.wording import formula

LIMIT_S = 20.0
"""A search in the window takes no longer."""
_MORE_SPARES = 3
Elapsed = Callable[[], float]


def plan_all(
    now: Board, progress: Progress, elapsed: Elapsed, effort: int = 3,
    on_better: Callable[[rf.Best], None] | None = None,
) -> rf.Plan:  # fmt: skip
    """Coordinate every link anew, in the school of the show; locked ones stay."""
    request = replace(_with_locked(now, now.input.open_request), effort=effort, time_limit_s=LIMIT_S)
    request = _in_groups(now, request, progress, elapsed)
    found = _search(now, request, progress, elapsed, on_better)
    found = _settled(now, request, found)
    return with_shared(now, found, {n: now.frequencies[n] for n in now.locked}, progress)


def _settled(now: Board, request: PlanRequest, found: rf.Plan) -> rf.Plan:
    """Spares and quiet channels where they serve best, where plans are made by spacing."""
    if now.input.group_sets and found.unplaced:  # what bounds these groups does not bound the others
        found = replace(found, stats=replace(found.stats, bound=None, proof=None))
    if now.input.school != "spacing":
        return found
    spares = {key for key, link in now.input.links.items() if link.spare}
    return rf.settle(request, found, now.input.heard, spares)


def beside_products(asked: PlanInput, frequencies: Mapping[str, int]) -> SharedRequest:
    """Links of shared bands without the channels that products of other bands fall onto."""
    request = asked.shared.request
    if not asked.shared.guards:
        return request
    seats = tuple(
        replace(s, centres=tuple(f for f in s.centres if struck(asked, frequencies, s.id, f) is None))
        for s in request.seats
    )  # fmt: skip
    return replace(request, seats=seats)


def with_shared(now: Board, found: rf.Plan, held: Mapping[str, int], progress: Progress) -> rf.Plan:
    """A plan with the links of shared bands in it, those of `held` where they are."""
    standing = {**{a.id: a.freq_hz for a in found.assignments}, **held}
    request = beside_products(now.input, standing)
    given = [s for s in request.seats if s.choosing == "is set"]
    if not given:
        return found
    keep = {k: f for k, f in held.items() if k in now.input.shared}
    placed = shared.place(request, keep, progress)
    new = [rf.Assignment(s.id, placed[s.id]) for s in given if s.id in placed and s.id not in keep]
    lost = [rf.Unplaced(s.id, len(s.centres), 0, (("range", 1.0),)) for s in given if s.id not in placed]
    stats = replace(
        found.stats, requested=found.stats.requested + len(new) + len(lost), placed=found.stats.placed + len(new)
    )
    if lost:  # what bounds the others does not bound these
        stats = replace(stats, bound=None, proof=None)
    return replace(found, assignments=(*found.assignments, *new), unplaced=(*found.unplaced, *lost), stats=stats)


def _search(
    now: Board, request: PlanRequest, progress: Progress, elapsed: Elapsed,
    on_better: Callable[[rf.Best], None] | None = None, current: Mapping[str, int] | None = None,
) -> rf.Plan:  # fmt: skip
    """The search of the show's school; large ones in a process of their own."""
    links = len(request.requests) + len(request.carriers)
    found: rf.Plan
    if now.input.school == "spacing":
        found = elsewhere.run(rf.coordinate, (request,), links, progress, elapsed, on_better)
    else:
        task = partial(plan_by, current=current)
        args = (request, now.input.levels, now.input.school)
        found = elsewhere.run(task, args, links, progress, elapsed)
    return found


def _in_groups(now: Board, request: PlanRequest, progress: Progress, elapsed: Elapsed) -> PlanRequest:
    """Gear that only knows groups, on the group of each room that suits the whole plan best."""
    sets = now.input.group_sets
    if now.input.school != "spacing":
        return in_groups.by_rule(request, sets, {n: now.frequencies[n] for n in now.locked})
    return in_groups.chosen(request, sets, {n: now.frequencies[n] for n in now.locked}, progress, elapsed)


def _with_locked(now: Board, asked: PlanRequest | None = None) -> PlanRequest:
    request = asked or now.input.request
    held = tuple(r.at(now.frequencies[r.id]) for r in request.requests if r.id in now.locked)
    free = tuple(r for r in request.requests if r.id not in now.locked)
    return replace(request, carriers=(*request.carriers, *held), requests=free)


def mend(now: Board, progress: Progress, elapsed: Elapsed) -> rf.Mended:
    """Move only what is broken, as little as possible, and place what has no frequency; locked links stay."""
    if now.input.school != "spacing":
        return _mend_by_level(now, progress, elapsed)
    request = replace(by_groups(now), time_limit_s=LIMIT_S)
    links = len(request.requests) + len(request.carriers)
    args = (request, now.narrow, sorted(n for n in now.locked if n in now.narrow))
    mended: rf.Mended = elsewhere.run(rf.mend, args, links, progress, elapsed)
    return _mend_shared(now, mended, progress)


def by_groups(now: Board) -> PlanRequest:
    """What a show asks for, gear that only knows groups on the group that it is on, else on the one with most room."""
    return in_groups.by_rule(now.input.request, now.input.group_sets, now.frequencies)


def _mend_shared(now: Board, mended: rf.Mended, progress: Progress) -> rf.Mended:
    """The same with links of shared bands: what holds stays, the others look for a channel anew."""
    held = _held(now)
    whole = with_shared(now, mended.plan, held, progress)
    kept = tuple(rf.Assignment(k, f) for k, f in held.items() if k not in now.locked)
    return replace(mended, plan=replace(whole, assignments=(*whole.assignments, *kept)))


def _held(now: Board) -> dict[str, int]:
    """Links of shared bands that stay where they are [Hz]."""
    return {v.id: v.freq_hz for v in now.verdicts
            if v.id in now.input.shared and v.freq_hz is not None and (v.locked or v.state != "broken")}  # fmt: skip


def beside_placed(now: Board, placed: Mapping[str, int], progress: Progress) -> dict[str, int]:
    """Where links of shared bands stand [Hz] beside coordinated ones that are `placed`: what holds stays."""
    held = _held(now)
    request = beside_products(now.input, {**placed, **held})
    if not any(s.choosing == "is set" for s in request.seats):
        return held
    return held | shared.place(request, held, progress)


def _mend_by_level(now: Board, progress: Progress, elapsed: Elapsed) -> rf.Mended:
    request = replace(_with_locked(now), time_limit_s=LIMIT_S)
    free = {n: f for n, f in now.narrow.items() if n not in now.locked}
    faulty = {fault.id for fault in rf.tuning_faults(request, free)}
    standing = {n: f for n, f in free.items() if n not in faulty}
    found = _search(now, request, progress, elapsed, current=standing)
    after = {a.id: a.freq_hz for a in found.assignments}
    moves = tuple(
        rf.Move(id=n, from_hz=f, to_hz=after.get(n), cause="not allowed" if n in faulty else "level")
        for n, f in free.items() if after.get(n) != f
    )  # fmt: skip
    return _mend_shared(now, rf.Mended(found, moves), progress)


def add_missing(now: Board, progress: Progress, elapsed: Elapsed) -> rf.Plan:
    """Place what has no frequency and move nobody."""
    held = replace(now, locked=frozenset(now.frequencies))
    request = in_groups.by_rule(_with_locked(held), now.input.group_sets, now.frequencies)
    found = _search(now, replace(request, time_limit_s=LIMIT_S), progress, elapsed, current={})
    return with_shared(now, found, now.frequencies, progress)


@dataclass(frozen=True)
class ActGain:
    """How many links find room when acts share spectrum, and when everything is taken to be always on."""

    with_acts: int
    always_on: int
    wanted: int

    def sentence(self) -> str:
        more = self.with_acts - self.always_on
        if more > 0:
            return f"Acts that are never on together share spectrum: {more} more links find room than without."
        if self.with_acts == self.wanted:
            return "Every link would find room even if all acts were on at once; sharing by act gains none here."
        return f"Sharing by act gains none here: {self.with_acts} of {self.wanted} find room either way."


def act_gain(asked: PlanInput, progress: Progress, elapsed: Elapsed) -> ActGain | None:
    """What planning by acts gains, by a quick search each way; None where no link belongs to an act."""
    request = replace(in_groups.by_rule(asked.request, asked.group_sets, {}), effort=1)
    if not any(r.times for r in request.requests):
        return None
    always = replace(request, requests=tuple(replace(r, times=frozenset()) for r in request.requests))
    placed = [len(rf.coordinate(q, progress, elapsed).assignments) for q in (request, always)]
    return ActGain(placed[0], placed[1], len(request.requests))


def swap_spares(now: Board, progress: Progress) -> dict[str, rf.Swap]:
    """For every vital, high or quiet link that is not a spare: where it goes if it alone has to move."""
    wanted = [
        v.id for v in now.verdicts
        if v.freq_hz is not None and v.shared is None and not v.link.spare
        and (v.link.priority <= 2 or v.link.use_class == "quiet")
    ]  # fmt: skip
    return rf.swap_spares(now.input.request, now.narrow, wanted, progress, now.input.heard)


def spare_links(store: Store, scope: Scope) -> tuple[Link, ...]:
    """Spares that could be wanted: up to three more for every kind of link in the show, ids still negative."""
    links = kit.links(store, scope)
    kinds: dict[tuple[object, ...], Link] = {}
    for link in links:
        coordinated = not of_link(store, link).shared
        if coordinated and not link.spare and not link.set_aside:
            kinds.setdefault((link.model_id, link.band, link.zone_id, link.use_class), link)
    taken = [x.name for x in links]
    out: list[Link] = []
    for like in kinds.values():
        for name in kit.numbered(f"Spare {'ear' if like.service == 'in-ear' else like.service} 1", _MORE_SPARES, taken):
            taken.append(name)
            out.append(
                replace(
                    like, id=-len(out) - 1, version=0, name=name, spare=True, acts=(), acts_gone=(), unit_id=None,
                    performer="", position=len(taken),
                )
            )  # fmt: skip
    return tuple(out)


def more_spares(
    found: PlanInput, now: Board, spares: tuple[Link, ...], progress: Progress, elapsed: Elapsed
) -> rf.Plan:
    """Place as many of `spares` as fit; they are in `found`, everybody in `now` stays."""
    new = {ids.of(x) for x in spares}
    held = tuple(r.at(now.frequencies[r.id]) for r in found.request.requests if r.id in now.frequencies)
    wanted = tuple(r for r in found.request.requests if r.id in new)
    request = replace(found.request, carriers=(*found.request.carriers, *held), requests=wanted, effort=2)
    return rf.coordinate(replace(request, time_limit_s=LIMIT_S), progress, elapsed)


def keep_spares(store: Store, scope: Scope, spares: tuple[Link, ...], found: rf.Plan) -> Edit:
    """The edit that adds the spares that found room, with their frequencies."""
    plan = plan_record(store, scope)
    if plan is None:
        raise Refusal("Plan all first, then add spares.")
    placed = {a.id: a.freq_hz for a in found.assignments}
    chosen = [x for x in spares if ids.of(x) in placed]
    first = store.reserve(2 * max(len(chosen), 1))
    links = [replace(x, id=first + i) for i, x in enumerate(chosen)]
    rows = [
        Assignment(id=first + len(links) + i, plan_id=plan.id, link_id=links[i].id, freq_hz=placed[ids.of(x)])
        for i, x in enumerate(chosen)
    ]
    changes = add(*links, *rows)
    return Edit(f"{len(links)} more spares", changes)


@dataclass(frozen=True)
class Price:
    """What a step of density would give and cost: links placed, products by kind that land, the name of the link on
    which most of them do, and how many links can be placed at most where that is known."""

    step: int
    placed: int
    wanted: int
    landing: Mapping[str, int]
    worst: str
    most: int | None = None

    def sentence(self) -> str:
        products = [f"{n} of {formula(kind)}" for kind, n in self.landing.items() if n]
        falls = f"products {', '.join(products)} land inside the cautious guards, most on {self.worst}"
        most = "" if self.most is None else f", at most {self.most} can"
        return f"{self.placed} of {self.wanted} find room{most}; " + (
            falls if products else "no product lands on a link"
        )


def price(asked: PlanInput, cautious: PlanInput, step: int, progress: Progress, elapsed: Elapsed) -> Price:
    """Plan at a step (`asked`) and count what lands within the guards of the most cautious one."""
    request = in_groups.by_rule(asked.request, asked.group_sets, {})
    found = rf.coordinate(replace(request, effort=1), progress, elapsed)
    frequencies = {a.id: a.freq_hz for a in found.assignments}
    request = cautious.request
    situation = Situation(rf.carriers_of(request, frequencies), request.profiles, request.relations)
    ours = np.array([i in frequencies for i in situation.ids], bool)
    landing: dict[str, int] = {}
    by_victim = np.zeros(len(situation.ids), np.int64)
    for kind in KINDS:
        for hit in near(situation, kind, situation.guard[kind] - 1):
            on_us = hit.victim[ours[hit.victim]]
            landing[kind] = landing.get(kind, 0) + len(on_us)
            by_victim += np.bincount(on_us, minlength=len(by_victim))
    worst = asked.name(situation.ids[int(np.argmax(by_victim))]) if by_victim.any() else ""
    return Price(step, len(frequencies), len(request.requests), landing, worst, found.stats.bound)
