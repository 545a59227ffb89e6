"""What Plan, Chain and Reach offer: other ways to have the show, and what could help against an incident.

An idea makes an edit of the book; until somebody takes it, it is only supposed.
"""

import json
import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Literal

from azven.book.edits import Edit
from azven.book.reading import Making, Reading
from azven.book.records import Design, KeptPlan, Link, Zone
from azven.refusal import Refusal
from azven.rf.chain.design import Design as System
from azven.rf.diagnose.record import Incident
from azven.work import chain, ground, ids, kit, plan, reach
from azven.work.ground import places
from azven.work.plan import Board
from azven.work.plan.history import kept_plans
from azven.work.reasons import always, best_alternative
from azven.work.scope import Scope
from azven.work.watch import heads
from azven.work.wording import mhz

AT_MOST = 5
_HIGHER_M, _UNDER_CEILING_M = 2.0, 0.3
_WORN = "pack, facing away"
_ON_THE_AIR = frozenset({"product", "own", "foreign", "noise", "overload"})
_OF_LEVEL = frozenset({"shadow", "out-of-reach", "multipath", "crowd", "branch", "system"})
Progress = Callable[[int, int], bool]


@dataclass(frozen=True)
class Idea:
    """Something that could be done: from which stage, in words, and the edit that does it. The edit refuses when what
    it is about has gone meanwhile."""

    source: Literal["Plan", "Chain", "Reach"]
    title: str
    make: Callable[[Making], Edit]


def variants(store: Reading, scope: Scope) -> list[Idea]:
    """Other plans, placements and antenna systems of the show that the book knows."""
    local = ground.here(store, scope).clock.tz
    out = []
    for x in kept_plans(store, scope):
        if _kept_plan(store, scope, x.id):
            title = f"Plan “{x.title}” of {x.made_at.astimezone(local):%d %b %H:%M}"
            out.append(Idea("Plan", title, partial(_kept_plan, scope=scope, number=x.id)))
    for zone in ground.zones(store, scope):
        out += _placements(store, zone)
    return [*out, *(_gains(x) for x in chain.designs(store, scope) if _has_steps(chain.read(chain.document_of(x))))]


def against(
    it: Incident, store: Making, scope: Scope, board: Board, progress: Progress = always
) -> list[Idea]:  # fmt: skip
    """Up to five ideas against an incident, by its cause; those that cannot be made here are left out."""
    links = {name: x for x, name in _named(store, scope)}
    mine = [links[name] for name in it.links if name in links]
    found: Iterator[Idea] = iter(())
    if it.cause in _ON_THE_AIR:
        found = _other_frequencies(it, mine, links, board, scope, progress)
    rooms = {z.id: z for z in ground.zones(store, scope)}
    through = [x for x in mine if ids.of(x) not in board.input.shared]  # through the antenna system
    here = list(dict.fromkeys(rooms[x.zone_id].id for x in through))
    out = list(found)
    if it.cause in _ON_THE_AIR | _OF_LEVEL:
        for zone in (rooms[n] for n in here):
            out += [*_of_chain(store, scope, zone), *_of_reach(store, scope, zone, progress)]
    return [idea for idea in out if _can_be_made(idea, store)][:AT_MOST]


def _named(store: Reading, scope: Scope) -> list[tuple[Link, str]]:
    links = [x for x in kit.links(store, scope) if not x.set_aside]
    named = heads.names(links)
    return [(x, named[x.id]) for x in links]


def _can_be_made(idea: Idea, store: Making) -> bool:
    try:
        return bool(idea.make(store))
    except Refusal:
        return False


def _other_frequencies(
    it: Incident, mine: list[Link], links: Mapping[str, Link], board: Board, scope: Scope, progress: Progress
) -> Iterator[Idea]:  # fmt: skip
    """Who suffers goes elsewhere, or one of those that make it."""
    makers = it.detail.get("sources") or [it.detail.get("by")]
    others = [links[x] for x in makers if isinstance(x, str) and x in links] if isinstance(makers, list | tuple) else []
    for link in dict.fromkeys([*mine[:1], *others]):
        key = ids.of(link)
        if key not in board.frequencies:
            continue
        shared = key in board.input.shared
        trial = _best_in_shared(board, key, progress) if shared else best_alternative(board, key, progress)
        if trial is not None:
            title = f"Move {link.name} to {mhz(trial.freq_hz)} MHz"
            yield Idea("Plan", title, partial(plan.moved, scope=scope, frequencies={key: trial.freq_hz}, title=title))


def _best_in_shared(board: Board, key: str, progress: Progress) -> plan.Trial | None:
    """The channel of a shared band with the most over need that breaks nobody else; None where none is better."""
    seat, now = board.input.shared.request.seat(key), board.verdict(key).shared
    trials: list[plan.Trial] = []
    for k, freq_hz in enumerate(seat.centres if seat is not None else ()):
        if not progress(k, len(seat.centres) if seat is not None else 1):
            break
        trial = plan.try_at(board, key, freq_hz)
        if not trial.fault and not trial.breaks and freq_hz != board.frequencies[key]:
            trials.append(trial)
    best = max(trials, key=_spare_db, default=None)
    return best if best is not None and (now is None or _spare_db(best) > now.spare_db) else None


def _spare_db(trial: plan.Trial) -> float:
    return trial.spare_db if trial.spare_db is not None else -math.inf


def _of_chain(store: Reading, scope: Scope, zone: Zone) -> Iterator[Idea]:
    for record in chain.designs(store, scope):
        design = chain.read(chain.document_of(record))
        if zone.name in design.zones and _has_steps(design):
            yield _gains(record)


def _of_reach(store: Making, scope: Scope, zone: Zone, progress: Progress) -> Iterator[Idea]:
    drawn = reach.room(store, scope, zone, places.PLACEMENT)
    try:
        best = reach.suggest(drawn, _WORN, progress, packed=True)
    except Refusal:
        best = None
    if best is not None:
        title = f"Antennas of {zone.name} to {' and '.join(p.name for p in best.places)}"
        yield Idea("Reach", title, partial(reach.adopt, drawn=drawn, layout=places.PLACEMENT, found=best))
    title = f"Antennas of {zone.name} {_HIGHER_M:g} m higher"
    at_most = zone.height_m - _UNDER_CEILING_M
    yield Idea("Reach", title, partial(reach.raised, zone=zone, by_m=_HIGHER_M, at_most_m=at_most))
    yield from _placements(store, zone)


def _placements(store: Reading, zone: Zone) -> Iterator[Idea]:
    """Other placements of a room that the book knows."""
    for layout in reach.layouts(store, zone):
        if layout != places.PLACEMENT and not reach.band_of(layout):
            title = f"Placement {layout} of {zone.name}"
            yield Idea("Reach", title, partial(reach.take_layout, zone=zone, layout=layout))


def _has_steps(design: System) -> bool:
    """Whether it has gains that can be set."""
    return bool(design.receivers()) and any(b.steps_db for b in design.blocks.values())


def _gains(record: Design) -> Idea:
    return Idea("Chain", f"Set gains of {record.name}", partial(_gains_set, number=record.id))


def _gains_set(store: Reading, number: int) -> Edit:
    """Gains as a good engineer would set them. Refusal where there are none to set."""
    record = store.get(Design, number)
    after = json.loads(_set_in(json.dumps(chain.document_of(record))))
    return chain.change(record, after, f"Set gains of {record.name}")


@lru_cache(maxsize=16)
def _set_in(document: str) -> str:
    """The search takes a second; the edit is made several times."""
    return json.dumps(chain.gains_set_in(json.loads(document))[0])


def _kept_plan(store: Reading, scope: Scope, number: int) -> Edit:
    """The frequencies of a kept plan for the links that have one."""
    kept, placed = store.get(KeptPlan, number), plan.assignments(store, scope)
    known = {ids.key(Link, n) for n in placed}
    frequencies = {k: f for k, f in kept.frequencies.items() if k in known}
    return plan.moved(store, scope, frequencies, f"Back to {kept.title}")
