"""All campuses planned together where they hear one another: what would move, and the edit that moves it."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from datetime import datetime
from itertools import combinations, product
from typing import Literal

from azven.book.edits import Change, Edit
from azven.book.place import Place
from azven.book.records import Act, Assignment, Distance, Model, Show, Site, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import coordinate as rf
from azven.rf.register import far
from azven.rf.register.campuses import Campus, Heard, together
from azven.rf.register.far import FarLink
from azven.rf.request import PlanRequest
from azven.work import ids, kit, plan
from azven.work.plan import Board, elsewhere, search
from azven.work.plan.shared import is_shared
from azven.work.register import across
from azven.work.register.times import at_one_time
from azven.work.scope import Scope, of_show
from azven.work.wording import listed, one_line

Way = Literal["mend", "anew"]
WAYS: Mapping[Way, str] = {"mend": "move as few as possible", "anew": "plan every link anew"}
Progress = Callable[[int, int], bool]
Elapsed = Callable[[], float]
LIMIT_S = 20.0


@dataclass(frozen=True)
class Move:
    """A link of a campus, where it stands and where it would stand [Hz]; None: nowhere."""

    id: int
    site: str
    link: str
    before_hz: int | None
    after_hz: int | None


@dataclass(frozen=True)
class Together:
    """A plan of several shows: frequencies [Hz] of each by the ids of its links, what would move, how many are placed
    of how many. `stopped`: somebody stopped the search. `missing` are sites of which no distance is
    known; `before` is how all of it stood."""

    shows: tuple[Show, ...]
    frequencies: Mapping[int, Mapping[str, int]]
    moves: tuple[Move, ...]
    placed: int
    wanted: int
    far: int
    stopped: bool
    missing: tuple[str, ...]
    before: Mapping[int, Mapping[str, int]]


def shows_together(store: Store, scope: Scope) -> tuple[list[Show], list[str]]:
    """The show, and shows in use at sites of which a distance is known that share time with it; and sites with shows of
    which none is known."""
    mine = store.get(Show, scope.show)
    known = {
        n for d in store.all(Distance) for n in (d.site_a_id, d.site_b_id) if scope.site in (d.site_a_id, d.site_b_id)
    }
    out, missing = [mine], list[str]()
    for site in store.all(Site, archived=False):
        shows = (s for s in store.all(Show, site_id=site.id, archived=False) if s.id != mine.id)
        others = [s for s in shows if at_one_time(store, mine, s)]
        if site.id in known:
            out += others
        elif others:
            missing.append(site.name)
    return out, missing


def plan_together(where: Place, scope: Scope, way: Way, progress: Progress, elapsed: Elapsed) -> Together:
    """Look for a plan of all campuses at a place where a book is. Refusal where there is only one, or where a show is
    planned by levels, which are those of its own site."""
    with closing(Store.open(where)) as store:
        return _plan(store, scope, way, progress, elapsed)


def _plan(store: Store, scope: Scope, way: Way, progress: Progress, elapsed: Elapsed) -> Together:
    shows, missing = shows_together(store, scope)
    if len(shows) < 2:
        raise Refusal("No other campus has a show at that time at a distance that is known.")
    boards = {s.id: plan.board_of(store, of_show(s)) for s in shows}
    if by_level := [s.name for s in shows if boards[s.id].input.school != "spacing"]:
        raise Refusal(f"{listed(by_level)} is planned by levels, which are those of its own site; plan it there.")
    request, count = _request(store, shows, boards)
    stopped = False

    def told(done: int, total: int) -> bool:
        nonlocal stopped
        stopped = stopped or not progress(done, total)
        return not stopped

    placed = _searched(request, boards, way, told, elapsed)
    frequencies = {s.id: _of_show(boards[s.id], placed) for s in shows}
    wanted = sum(len(b.input.request.requests) for b in boards.values())
    got = sum(r.id in placed for b in boards.values() for r in b.input.request.requests)
    moves = tuple(_moves(store, shows, boards, frequencies))
    before = {n: b.frequencies for n, b in boards.items()}
    return Together(tuple(shows), frequencies, moves, got, wanted, count, stopped, tuple(missing), before)


def _searched(
    request: PlanRequest, boards: Mapping[int, Board], way: Way, progress: Progress, elapsed: Elapsed
) -> dict[str, int]:  # fmt: skip
    """Frequencies [Hz] of all links by the search."""
    links = len(request.requests) + len(request.carriers)
    locked = {n: b.frequencies[n] for b in boards.values() for n in b.locked if n in b.narrow}
    if way == "mend":
        current = {n: f for b in boards.values() for n, f in b.narrow.items()}
        mended: rf.Mended = elsewhere.run(rf.mend, (request, current, sorted(locked)), links, progress, elapsed)
        found = mended.plan
    else:
        held = tuple(r.at(locked[r.id]) for r in request.requests if r.id in locked)
        free = tuple(r for r in request.requests if r.id not in locked)
        asked = replace(request, carriers=(*request.carriers, *held), requests=free)
        found = elsewhere.run(rf.coordinate, (asked,), links, progress, elapsed)
    return {a.id: a.freq_hz for a in found.assignments} | locked


def _of_show(board: Board, placed: Mapping[str, int]) -> dict[str, int]:
    """The frequencies of a show; links of bands that everybody shares stay where they are."""
    own = {n: placed[n] for r in board.input.request.requests if (n := r.id) in placed}
    return own | {n: f for n, f in board.frequencies.items() if n in board.input.shared}


def _request(store: Store, shows: Sequence[Show], boards: Mapping[int, Board]) -> tuple[PlanRequest, int]:
    """The coordination of all of them, and how many pairs of rooms are far."""
    campuses = [Campus(ids.of(s), search.by_groups(boards[s.id])) for s in shows]
    heard = [*_far_rooms(store, shows), *_same_site(shows, boards)]
    found = together(campuses, heard, list(_at_once(store, shows)), time_limit_s=LIMIT_S)
    return found, sum(r == "far" for _, _, r in heard)


def _same_site(shows: Sequence[Show], boards: Mapping[int, Board]) -> Iterator[Heard]:
    """Rooms of two shows at one site hear one another as rooms of one do."""
    for a, b in combinations(shows, 2):
        if a.site_id == b.site_id:
            asked = boards[a.id].input.request
            for x, y in product(asked.zones, asked.zones):
                if (relation := asked.relation(x, y)) != "apart":
                    yield (ids.of(a), x), (ids.of(b), y), relation


def _far_rooms(store: Store, shows: Sequence[Show]) -> Iterator[Heard]:
    """Rooms of two sites in which links may be heard at the other, were they on one frequency."""
    apart = {frozenset({d.site_a_id, d.site_b_id}): d for d in store.all(Distance)}
    by_room = {s.id: _by_room(store, of_show(s)) for s in shows}
    for a, b in combinations(shows, 2):
        between = apart.get(frozenset({a.site_id, b.site_id}))
        if between is None:
            continue
        lost = far.CLUTTER_DB[between.clutter] + between.obstacles_db
        for (room_a, mine), (room_b, theirs) in product(by_room[a.id].items(), by_room[b.id].items()):
            if any(_may_matter(x, y, between.km, lost) for x, y in product(mine, theirs)):
                yield (ids.of(a), ids.key(Zone, room_a)), (ids.of(b), ids.key(Zone, room_b)), "far"


def _by_room(store: Store, scope: Scope) -> dict[int, list[FarLink]]:
    """Links of a show by room, of each kind one: where they stand does not matter here."""
    models = {m.id: m for m in store.all(Model)}
    out: dict[int, dict[tuple[object, ...], FarLink]] = {}
    for link in kit.links(store, scope):
        model = models[link.model_id]
        if link.set_aside or is_shared(model, link.band):
            continue
        band = next((b for b in model.bands if b[0] == link.band), model.bands[0])
        told = across.far_link(store, link, model, Assignment(plan_id=0, link_id=link.id, freq_hz=band[1]))
        kind = (model.id, link.band, link.power_step_mw, told.times)
        out.setdefault(link.zone_id, {}).setdefault(kind, told)
    return {room: list(kinds.values()) for room, kinds in out.items()}


def _may_matter(a: FarLink, b: FarLink, km: float, lost_db: float) -> bool:
    """Whether one is heard at the other on the lower of their frequencies, where the way loses least."""
    freq = min(a.freq_hz, b.freq_hz)
    x, y = replace(a, freq_hz=freq), replace(b, freq_hz=freq)
    return any(far.reaching(p, q, km, lost_db).matters for p, q in ((x, y), (y, x)))


def _at_once(store: Store, shows: Sequence[Show]) -> Iterator[tuple[str, str]]:
    """Acts of two shows that share time; those without times share it with all."""
    acts = {s.id: store.all(Act, show_id=s.id) for s in shows}
    for a, b in combinations(shows, 2):
        for x, y in product(acts[a.id], acts[b.id]):
            if _share(x.starts_at, x.ends_at, y.starts_at, y.ends_at):
                yield ids.of(x), ids.of(y)


def _share(a: datetime | None, b: datetime | None, c: datetime | None, d: datetime | None) -> bool:
    return a is None or b is None or c is None or d is None or (a < d and c < b)


def _moves(
    store: Store, shows: Sequence[Show], boards: Mapping[int, Board], frequencies: Mapping[int, Mapping[str, int]]
) -> Iterator[Move]:  # fmt: skip
    sites = {s.id: s.name for s in store.all(Site)}
    number = 0
    for show in shows:
        board, after = boards[show.id], frequencies[show.id]
        for key, link in board.input.links.items():
            before, now = board.frequencies.get(key), after.get(key)
            if before != now:
                number += 1
                yield Move(number, sites[show.site_id], one_line(link.name), before, now)


def still_asks_the_same(store: Store, found: Together) -> bool:
    """Whether the shows are there, with the links and frequencies that they had."""
    for show in found.shows:
        if not store.all(Show, id=show.id):
            return False
        links = {x.id: x for x in kit.links(store, of_show(show)) if not x.set_aside}
        placed = plan.assignments(store, of_show(show))
        now = {ids.of(x): placed[n].freq_hz for n, x in links.items() if n in placed}
        if now != dict(found.before[show.id]):
            return False
    return True


def adopt(store: Store, found: Together) -> Edit:
    """All that moves, as one step. Refusal where it was stopped, or where it stands otherwise by now."""
    if found.stopped:
        raise Refusal("The search was stopped; look again before it is adopted.")
    if not still_asks_the_same(store, found):
        raise Refusal("Something was moved meanwhile; look again before it is adopted.")
    changes: list[Change] = []
    for show in found.shows:
        told = found.frequencies[show.id]
        changes += plan.set_frequencies(store, of_show(show), told, "", complete=True).changes
    return Edit(f"Plan {len(found.shows)} campuses together", tuple(changes))


def in_words(found: Together) -> str:
    """What was found, in a sentence or two."""
    left = found.wanted - found.placed
    count = len(found.moves)
    said = f"{len(found.shows)} campuses, {found.placed} of {found.wanted} links placed"
    said += f", {count} would move." if count else "; nothing has to move."
    if left:
        said += f" {left} find no frequency."
    if found.stopped:
        said += " The search was stopped."
    if found.missing:
        said += f" How far {listed(list(found.missing), 3)} is away is not known: not in this plan."
    return said
