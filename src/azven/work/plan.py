"""Plan: from what the book knows to a coordination, and back into the book."""

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np

from azven.book.edits import Change, Edit, add, replace_record
from azven.book.records import Act, Assignment, Link, Model, Neighbour, Region, Sweep
from azven.book.records import Plan as PlanRecord
from azven.book.store import Store
from azven.rf import coordinate as rf
from azven.rf.density import STEPS
from azven.rf.products import Limit, Situation, harmed_by, margins, near
from azven.rf.request import KINDS, PlanRequest
from azven.work import ground, kit
from azven.work.listen import Picture
from azven.work.plan_input import PlanInput, input_for

TIGHT_HZ = 12_500
_MORE_SPARES = 3


@dataclass(frozen=True)
class Verdict:
    """How a link stands: `sound`, `tight`, `broken` or `unplaced`, its margin and what sets it."""

    link: Link
    state: str
    freq_hz: int | None = None
    margin_hz: int | None = None
    limit: Limit | None = None
    locked: bool = False
    fault: str = ""


@dataclass(frozen=True)
class Board:
    """The plan as it stands: input, frequencies by link name, verdicts in order of importance."""

    input: PlanInput
    frequencies: Mapping[str, int]
    verdicts: tuple[Verdict, ...]
    locked: frozenset[str]
    stale: tuple[str, ...]

    def verdict(self, name: str) -> Verdict:
        return next(v for v in self.verdicts if v.link.name == name)

    def count(self, *states: str) -> int:
        return sum(v.state in states for v in self.verdicts)


# -- how the plan stands -------------------------------------------------------------------------------


def plan_record(store: Store) -> PlanRecord | None:
    """The plan of the show, None before the first."""
    found = store.all(PlanRecord, show_id=ground.current(store).show.id)
    return found[0] if found else None


def assignments(store: Store) -> dict[int, Assignment]:
    """Assignments of the show's plan by link id."""
    plan = plan_record(store)
    return {a.link_id: a for a in store.all(Assignment, plan_id=plan.id)} if plan else {}


def board(store: Store, picture: Picture | None = None) -> Board:
    """The plan as it stands in the book, judged exactly."""
    found = input_for(store, picture)
    placed = assignments(store)
    frequencies = {n: placed[x.id].freq_hz for n, x in found.links.items() if x.id in placed}
    locked = frozenset(n for n, x in found.links.items() if x.id in placed and placed[x.id].locked)
    return judge(found, frequencies, locked, stale(store))


def judge(
    found: PlanInput,
    frequencies: Mapping[str, int],
    locked: frozenset[str] = frozenset(),
    changed: tuple[str, ...] = (),
) -> Board:
    """Verdicts on `frequencies` (link name → Hz)."""
    request = found.request
    situation = Situation(rf.carriers_of(request, dict(frequencies)), request.profiles, request.relations)
    known = margins(situation)
    faults = dict(line.split(": ", 1) for line in rf.tuning_faults(request, dict(frequencies)))
    verdicts = []
    for name, link in found.links.items():
        freq = frequencies.get(name)
        if freq is None:
            verdicts.append(Verdict(link, "unplaced"))
            continue
        margin, fault = known[name], faults.get(name, "")
        verdicts.append(
            Verdict(link, _state(margin.margin_hz, fault), freq, margin.margin_hz, margin.limit, name in locked, fault)
        )
    return Board(found, dict(frequencies), tuple(verdicts), locked, changed)


def _state(margin_hz: int | None, fault: str) -> str:
    if fault or (margin_hz is not None and margin_hz < 0):
        return "broken"
    return "tight" if margin_hz is not None and margin_hz < TIGHT_HZ else "sound"


@dataclass(frozen=True)
class Trial:
    """What would happen if a link stood at `freq_hz`: its own margin, and who would break."""

    freq_hz: int
    margin_hz: int | None
    limit: Limit | None
    fault: str
    breaks: tuple[str, ...]

    @property
    def clean(self) -> bool:
        return not self.fault and not self.breaks and (self.margin_hz is None or self.margin_hz >= 0)

    def sentence(self) -> str:
        """One line for the person dragging."""
        if self.fault:
            return self.fault
        if self.breaks:
            more = f" and {len(self.breaks) - 2} more" if len(self.breaks) > 2 else ""
            return f"breaks {', '.join(self.breaks[:2])}{more}"
        if self.margin_hz is None:
            return "clear of everything"
        return f"margin {self.margin_hz / 1e3:g} kHz"


def try_at(now: Board, name: str, freq_hz: int) -> Trial:
    """Judge one link at another frequency, everything else as it stands."""
    request = now.input.request
    frequencies = dict(now.frequencies) | {name: freq_hz}
    situation = Situation(rf.carriers_of(request, frequencies), request.profiles, request.relations)
    fault = next((f for f in rf.tuning_faults(request, {name: freq_hz})), "")
    if fault:
        fault = next((b.text for b in now.input.bars[name] if b.low_hz <= freq_hz < b.high_hz), fault.split(": ", 1)[1])
    harmed = harmed_by(situation, name)
    margin = margins(situation, only=[name])[name]
    order = [name, *sorted(harmed - {name})]
    return Trial(freq_hz, margin.margin_hz, margin.limit, fault, tuple(n for n in order if n in harmed))


def nearest_step(found: PlanInput, name: str, freq_hz: float) -> int:
    """The step of a link nearest to a frequency, inside its tuning band."""
    wish = found.wish(name)
    band = wish.ranges[0]
    first = -(-(band.low_hz - wish.origin_hz) // wish.step_hz)
    last = (band.high_hz - wish.origin_hz) // wish.step_hz
    k = round((freq_hz - wish.origin_hz) / wish.step_hz)
    return wish.origin_hz + max(first, min(last, k)) * wish.step_hz


# -- deeds -------------------------------------------------------------------------------------------------


Progress = Callable[[int, int], bool]


def plan_all(
    now: Board, progress: Progress, elapsed: Callable[[], float], effort: int = 3, time_limit_s: float = 20.0
) -> rf.Plan:
    """Coordinate every link anew; locked ones stay."""
    request = replace(_with_locked(now), effort=effort, time_limit_s=time_limit_s)
    return rf.coordinate(request, progress, elapsed)


def _with_locked(now: Board) -> PlanRequest:
    request = now.input.request
    held = tuple(r.at(now.frequencies[r.id]) for r in request.requests if r.id in now.locked)
    free = tuple(r for r in request.requests if r.id not in now.locked)
    return replace(request, carriers=(*request.carriers, *held), requests=free)


def mend(now: Board, progress: Progress, elapsed: Callable[[], float]) -> rf.Plan:
    """Move only what is broken, and place what has no frequency; locked links stay."""
    return rf.mend(
        replace(now.input.request, time_limit_s=20.0), now.frequencies, sorted(now.locked), progress, elapsed
    )


def add_missing(now: Board, progress: Progress, elapsed: Callable[[], float]) -> rf.Plan:
    """Place what has no frequency and move nobody."""
    held = replace(now, locked=frozenset(now.frequencies))
    return rf.coordinate(replace(_with_locked(held), time_limit_s=20.0), progress, elapsed)


def spare_links(store: Store) -> tuple[Link, ...]:
    """Spares that could be wanted: up to three more for every kind of link in the show, ids still 0."""
    links = kit.links(store)
    kinds: dict[tuple[object, ...], Link] = {}
    for link in links:
        if not link.spare and not link.set_aside:
            kinds.setdefault((link.model_id, link.band, link.zone_id, link.use_class), link)
    taken = [x.name for x in links]
    out: list[Link] = []
    for like in kinds.values():
        for name in kit.numbered(f"Spare {'ear' if like.service == 'in-ear' else like.service} 1", _MORE_SPARES, taken):
            taken.append(name)
            out.append(replace(like, id=0, version=0, name=name, spare=True, acts=(), unit_id=None, performer="",
                               position=len(taken)))  # fmt: skip
    return tuple(out)


def more_spares(
    found: PlanInput, now: Board, spares: tuple[Link, ...], progress: Progress, elapsed: Callable[[], float]
) -> rf.Plan:
    """Place as many of `spares` as fit; they are in `found`, everybody in `now` stays."""
    names = {x.name for x in spares}
    held = tuple(r.at(now.frequencies[r.id]) for r in found.request.requests if r.id in now.frequencies)
    wanted = tuple(r for r in found.request.requests if r.id in names)
    request = replace(found.request, carriers=(*found.request.carriers, *held), requests=wanted, effort=2)
    return rf.coordinate(replace(request, time_limit_s=20.0), progress, elapsed)


def keep_spares(store: Store, spares: tuple[Link, ...], found: rf.Plan) -> Edit:
    """The edit that adds the spares that found room, with their frequencies."""
    plan = plan_record(store)
    if plan is None:
        raise ValueError("Plan all first, then add spares.")
    placed = {a.id: a.freq_hz for a in found.assignments}
    chosen = [x for x in spares if x.name in placed]
    first = store.reserve(2 * max(len(chosen), 1))
    links = [replace(x, id=first + i) for i, x in enumerate(chosen)]
    rows = [
        Assignment(id=first + len(links) + i, plan_id=plan.id, link_id=x.id, freq_hz=placed[x.name])
        for i, x in enumerate(links)
    ]
    changes = add(*links, *rows)
    return Edit(f"{len(links)} more spares", changes)


def adopt(store: Store, found: rf.Plan, title: str, keep: Mapping[str, int] | None = None) -> Edit:
    """The edit that makes a coordination the plan of the show. `keep`: locked frequencies, which stay."""
    frequencies = dict(keep or {}) | {a.id: a.freq_hz for a in found.assignments}
    return set_frequencies(store, frequencies, title, complete=True)


def set_frequencies(store: Store, frequencies: Mapping[str, int], title: str, complete: bool = False) -> Edit:
    """Give links (by name) frequencies [Hz]; with `complete`, links not named lose theirs."""
    by_name = {x.name: x for x in kit.links(store)}
    placed = assignments(store)
    changes: list[Change] = []
    plan = plan_record(store)
    now = PlanRecord(
        show_id=ground.current(store).show.id, name="Plan", made_at=datetime.now(UTC), inputs=fingerprint(store)
    )
    if plan is None:
        plan = replace(now, id=store.reserve())
        changes += add(plan)
    elif complete:
        changes += replace_record(plan, replace(plan, made_at=now.made_at, inputs=now.inputs))
    fresh = [n for n in frequencies if by_name[n].id not in placed]
    first = store.reserve(len(fresh)) if fresh else 0
    for i, name in enumerate(fresh):
        changes += add(Assignment(id=first + i, plan_id=plan.id, link_id=by_name[name].id, freq_hz=frequencies[name]))
    for name, link in by_name.items():
        old = placed.get(link.id)
        if old is None:
            continue
        if name in frequencies:
            changes += replace_record(old, replace(old, freq_hz=frequencies[name]))
        elif complete:
            changes.append(Change(old, None))
    return Edit(title, tuple(changes), tuple(by_name[n].id for n in frequencies) if len(frequencies) == 1 else ())


def lock(store: Store, link: Link, locked: bool) -> Edit:
    """Hold a link where it is, or let it go; ValueError when it has no frequency."""
    placed = assignments(store).get(link.id)
    if placed is None:
        raise ValueError(f"{link.name} has no frequency to lock.")
    title = f"{'Lock' if locked else 'Unlock'} {link.name}"
    return Edit(title, replace_record(placed, replace(placed, locked=locked)), (link.id,))


@dataclass(frozen=True)
class Price:
    """What a step of density would give and cost: links placed, products by kind that land, and on whom most."""

    step: int
    placed: int
    wanted: int
    landing: Mapping[str, int]
    worst: str

    def sentence(self) -> str:
        products = [f"{n} {kind}" for kind, n in self.landing.items() if n]
        falls = f"{', '.join(products)} products land inside the cautious guards, most on {self.worst}"
        return f"{self.placed} of {self.wanted} find room; " + (falls if products else "no product lands on a link")


def price(asked: PlanInput, cautious: PlanInput, step: int, progress: Progress, elapsed: Callable[[], float]) -> Price:
    """Plan at a step (`asked`) and count what lands within the guards of the most cautious one."""
    found = rf.coordinate(replace(asked.request, effort=1), progress, elapsed)
    frequencies = {a.id: a.freq_hz for a in found.assignments}
    request = cautious.request
    situation = Situation(rf.carriers_of(request, frequencies), request.profiles, request.relations)
    ours = np.array([name in frequencies for name in situation.ids], bool)
    landing: dict[str, int] = {}
    by_victim = np.zeros(len(situation.ids), np.int64)
    for kind in KINDS:
        for hit in near(situation, kind, situation.guard[kind] - 1):
            on_us = hit.victim[ours[hit.victim]]
            landing[kind] = landing.get(kind, 0) + len(on_us)
            by_victim += np.bincount(on_us, minlength=len(by_victim))
    worst = situation.ids[int(np.argmax(by_victim))] if by_victim.any() else ""
    return Price(step, len(frequencies), len(request.requests), landing, worst)


def set_density(store: Store, step: int) -> Edit:
    show = ground.current(store).show
    return Edit(f"Density: {STEPS[step].name}", replace_record(show, replace(show, density=step)))


# -- what the plan was made from -------------------------------------------------------------------------


def fingerprint(store: Store) -> dict[str, str]:
    """What the plan depends on, condensed per kind, so that a change can be named."""

    def digest(items: object) -> str:
        return hashlib.sha256(repr(items).encode()).hexdigest()[:12]

    place = ground.current(store)
    region = store.get(Region, place.site.region_id) if place.site.region_id else None
    return {
        "region": digest(region and (region.key, region.dated)),
        "sweeps": digest([(s.id, s.used, s.hears) for s in store.all(Sweep, site_id=place.site.id)]),
        "neighbours": digest([_plain(n) for n in store.all(Neighbour, site_id=place.site.id)]),
        "rooms": digest(
            [(z.id, z.name) for z in ground.zones(store)] + [_plain(r) for r in ground.relations(store).values()]
        ),
        "links": digest([_plain(x) for x in kit.links(store)] + [_plain(m) for m in store.all(Model)]),
        "acts": digest([(a.id, a.name) for a in store.all(Act, show_id=place.show.id)]),
        "density": digest(place.show.density),
    }


def _plain(record: object) -> object:
    return replace(record, version=0)  # type: ignore[type-var]


def stale(store: Store) -> tuple[str, ...]:
    """What has changed since the plan was made; empty when it is up to date or there is none."""
    plan = plan_record(store)
    if plan is None:
        return ()
    today = fingerprint(store)
    return tuple(key for key, value in today.items() if plan.inputs.get(key) not in (None, value))
