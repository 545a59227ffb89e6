"""A show on tour: again at the next site, its frequencies moved only where the new ground forbids them (domain section
9); and the sheet that tells the crew what changed."""

from collections.abc import Callable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Literal, get_args

from azven.book.edits import Edit, add
from azven.book.formats.rows import as_csv
from azven.book.place import Place
from azven.book.reading import Making, Reading, Supposed
from azven.book.records import Assignment, Link, Plan, Show, Site, Sweep, Wideband, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.coordinate.tour import Progress, tour
from azven.rf.request import PlanRequest
from azven.work import ids, listen, plan, reasons, shows
from azven.work.plan import elsewhere, in_groups, search
from azven.work.plan.board import Board
from azven.work.plan.history import fingerprint
from azven.work.plan.input import input_for, on_one_group
from azven.work.scope import Scope, of_show
from azven.work.wording import mhz

Change = Literal["no place", "moves", "new", "stays", "own choice"]
CHANGES: tuple[Change, ...] = get_args(Change)
HEADINGS = ("Link", "Room", "MHz before", "MHz there", "Change", "Why")
Elapsed = Callable[[], float]


@dataclass(frozen=True)
class Step:
    """A link of the show, where it stood and where it would stand [Hz]; None: nowhere. `why` is what keeps it from
    where it stood; `broken`: it would not hold there, and why."""

    id: int
    name: str
    room: str
    before_hz: int | None
    there_hz: int | None
    change: Change
    why: str = ""
    broken: bool = False


@dataclass(frozen=True)
class Leg:
    """A show at the next site. `proved`: no plan places more, keeps more or moves less; `stopped`: somebody stopped
    the search. `wide` carriers get their channel anew. `missing`: what is not known of the ground there."""

    show: Show
    site: Site
    steps: tuple[Step, ...]
    proved: bool
    stopped: bool
    wide: int
    missing: tuple[str, ...]
    _of: tuple[object, ...] = field(repr=False, default=())

    @property
    def frequencies(self) -> dict[int, int]:
        """Where links of the show that goes would stand [Hz], by their ids."""
        return {s.id: s.there_hz for s in self.steps if s.there_hz is not None}

    def count(self, change: Change) -> int:
        return sum(s.change == change for s in self.steps)


def leg_of(where: Place, show_id: int, site_id: int, progress: Progress, elapsed: Elapsed) -> Leg:
    """The next leg, worked out on a connection of its own."""
    with closing(Store.open(where)) as store:
        return leg(store, store.get(Show, show_id), store.get(Site, site_id), progress, elapsed)


def leg(store: Store, show: Show, site: Site, progress: Progress, elapsed: Elapsed) -> Leg:
    """How a show would stand at another site. Nothing is changed. Refusal where it cannot go."""
    if site.id == show.site_id:
        raise Refusal(f"{show.name} is at {site.name} already; choose another site.")
    picture = listen.picture(store, _heard_in(store, show, site))
    base = Supposed(store, Edit(""))
    there, scope, new = _gone(base, show, site)
    before = plan.assignments(store, of_show(show))
    old_of = {ids.of(copy): link for link, copy in new}
    asked = input_for(there, scope, picture)
    stood = {k: before[old_of[k].id].freq_hz for k in asked.links if old_of[k].id in before}
    asked = on_one_group(asked, stood)
    stands = plan.judge(asked, stood)
    heard = _Heard(progress)
    found, proved = _placed(stands, heard, elapsed)
    holds = plan.judge(asked, found)
    steps = [_step(old_of[k], stands, holds, k) for k in asked.links]
    order = {c: i for i, c in enumerate(CHANGES)}
    steps.sort(key=lambda s: (order[s.change], s.there_hz or s.before_hz or 0, s.name))
    wide = sum(not x.spare for x in store.all(Wideband, show_id=show.id))
    proved = proved and not heard.stopped
    missing = _missing(store, site)
    return Leg(show, site, tuple(steps), proved, heard.stopped, wide, missing, _made_of(store, show))


def _missing(store: Reading, site: Site) -> tuple[str, ...]:
    """What a plan there cannot know, in sentences."""
    out = []
    if site.region_id is None:
        out.append(f"No region is chosen for {site.name}: what may be used there is not known.")
    if not any(s.used for s in store.all(Sweep, site_id=site.id)):
        out.append(f"No sweep of {site.name} is in use: what is on the air there is not known.")
    return tuple(out)


@dataclass
class _Heard:
    """Progress that remembers whether it said no."""

    progress: Progress
    stopped: bool = False

    def __call__(self, done: int, total: int) -> bool:
        self.stopped = self.stopped or not self.progress(done, total)
        return not self.stopped


def _heard_in(store: Reading, show: Show, site: Site) -> Scope:
    """The site with a show of it, whose carriers its sweeps may hold; without one the show that comes."""
    at_home = [s for s in store.all(Show, site_id=site.id) if not s.archived]
    return of_show(at_home[-1]) if at_home else Scope(site.id, show.id)


def _gone(store: Making, show: Show, site: Site) -> tuple[Supposed, Scope, list[tuple[Link, Link]]]:
    """The book with the show at the site, where that is, and each link with its copy."""
    edit = shows.copy_show(store, show, site, "", on_tour=True)
    return Supposed(store, edit), Scope(site.id, edit.select[0]), _pairs(store, show, edit)


def _pairs(store: Reading, show: Show, edit: Edit) -> list[tuple[Link, Link]]:
    copies = [c.after for c in edit.changes if isinstance(c.after, Link)]
    return list(zip(store.all(Link, show_id=show.id), copies, strict=True))


def _placed(stands: Board, progress: Progress, elapsed: Elapsed) -> tuple[dict[str, int], bool]:
    """Frequencies there [Hz], and whether nothing is better."""
    asked = stands.input
    if asked.school != "spacing":
        mended = search.mend(stands, progress, elapsed)
        return {a.id: a.freq_hz for a in mended.plan.assignments}, False
    request = in_groups.by_rule(asked.request, asked.group_sets, stands.frequencies)
    request = replace(request, time_limit_s=search.LIMIT_S)
    links = len(request.requests) + len(request.carriers)
    found, proved = elsewhere.run(_tour, (request, stands.narrow), links, progress, elapsed)
    return {**found, **search.beside_placed(stands, found, progress)}, proved


def _tour(
    request: PlanRequest, before: Mapping[str, int], progress: Progress, elapsed: Elapsed
) -> tuple[dict[str, int], bool]:  # fmt: skip
    found = tour(request, before, progress, elapsed)
    return dict(found.frequencies), found.proved


def _step(link: Link, stands: Board, holds: Board, key: str) -> Step:
    before, there = stands.verdict(key), holds.verdict(key)
    change: Change
    if there.freq_hz is None:
        change = "own choice" if there.settled else "no place"
    elif before.freq_hz is None:
        change = "new"
    else:
        change = "stays" if before.freq_hz == there.freq_hz else "moves"
    broken = there.state == "broken"
    why = _why(holds, key) if broken else ""
    if not broken and change in ("moves", "no place") and before.freq_hz is not None:
        why = _why(stands, key)
    room = stands.input.name(ids.key(Zone, there.link.zone_id))
    return Step(link.id, link.name, room, before.freq_hz, there.freq_hz, change, why, broken)


def _why(stands: Board, key: str) -> str:
    verdict = stands.verdict(key)
    if verdict.state != "broken":
        return "It makes room for others."
    if verdict.shared is not None:
        return f"In its channel the wanted signal would be {-verdict.shared.spare_db:.0f} dB under need."
    return reasons.sentence(stands, verdict)


# -- going there ---------------------------------------------------------------------------------------


def _made_of(store: Reading, show: Show) -> tuple[object, ...]:
    placed = {n: a.freq_hz for n, a in plan.assignments(store, of_show(show)).items()}
    return tuple(store.all(Link, show_id=show.id)), placed


def take(store: Making, found: Leg, name: str = "") -> Edit:
    """The show at the next site, with its links, names, units and frequencies; what was held and stays is held there.
    Refusal where the show has changed since the leg was worked out."""
    show, site = found.show, found.site
    if _made_of(store, show) != found._of:
        raise Refusal(f"{show.name} has changed since; work it out again.")
    edit = shows.copy_show(store, show, site, name, on_tour=True)
    new, select = {link.id: copy for link, copy in _pairs(store, show, edit)}, edit.select[0]
    there = Supposed(store, edit)
    record = Plan(
        id=store.reserve(), show_id=select, name="Plan", made_at=datetime.now(UTC),
        inputs=fingerprint(there, Scope(site.id, select)),
    )  # fmt: skip
    placed, held = found.frequencies, plan.assignments(store, of_show(show))
    first = store.reserve(len(placed)) if placed else 0
    assigned = [
        Assignment(id=first + k, plan_id=record.id, link_id=new[n].id, freq_hz=hz,
                   locked=n in held and held[n].locked and held[n].freq_hz == hz)
        for k, (n, hz) in enumerate(placed.items())
    ]  # fmt: skip
    return Edit(f"{show.name} goes to {site.name}", (*edit.changes, *add(record, *assigned)), edit.select)


# -- telling the crew ----------------------------------------------------------------------------------


def in_words(found: Leg) -> str:
    """What comes of the leg, in a few sentences."""
    there = sum(s.there_hz is not None for s in found.steps)
    lines = [f"Of {len(found.steps)} links {found.count('stays')} stay where they are, {found.count('moves')} move."]
    if own := found.count("own choice"):
        lines.append("1 chooses its channel by itself." if own == 1 else f"{own} choose their channels by themselves.")
    if lost := found.count("no place"):
        lines.append(f"{lost} {'has' if lost == 1 else 'have'} no place there.")
    if new := found.count("new"):
        lines.append(f"{new} had no frequency and {'gets' if new == 1 else 'get'} one.")
    if bad := sum(s.broken for s in found.steps):
        lines.append(f"{bad} would be broken there; look at the plan before anybody tunes.")
    if found.stopped:
        lines.append("The search was stopped; this is what it had.")
    elif found.proved and there:
        lines.append("Nothing places more, keeps more or moves less.")
    if found.wide:
        are = "wideband carrier gets its" if found.wide == 1 else "wideband carriers get their"
        lines.append(f"{found.wide} {are} channel anew, in Kit.")
    return " ".join(lines)


def _cells(step: Step) -> tuple[str, ...]:
    before, there = (mhz(f) if f is not None else "" for f in (step.before_hz, step.there_hz))
    return step.name, step.room, before, there, "BROKEN" if step.broken else step.change, step.why


def csv_text(steps: Sequence[Step]) -> str:
    """The sheet for the crew (RFC 4180), what changes first; a cell that a spreadsheet would run is text."""
    return as_csv(HEADINGS, map(_cells, steps))
