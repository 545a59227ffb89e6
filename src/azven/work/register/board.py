"""The board of the register: every campus by what its units do, and where in the band its links are."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from azven.book.records import Act, Show, Site
from azven.book.stock import Held
from azven.book.store import Store
from azven.work import kit, plan
from azven.work.register import finding
from azven.work.register.times import span_of
from azven.work.scope import of_show

DUTIES = ("assigned", "in case", "on loan", "in repair", "missing")
_NOTHING = Held(0)


@dataclass(frozen=True)
class Carried:
    """A link of a show that runs: where in the band [Hz], by its service."""

    freq_hz: int
    service: str


@dataclass(frozen=True)
class Campus:
    """A site with its units by duty, and the links of its shows that run at the moment. No `site`: nobody knows where
    these units are."""

    site: Site | None
    held: dict[str, Held]
    running: tuple[Carried, ...] = ()
    shows: tuple[str, ...] = ()
    people: tuple[str, ...] = ()
    """Who has this campus open at another desk."""

    @property
    def name(self) -> str:
        return self.site.name if self.site is not None else "unknown place"

    @property
    def total(self) -> int:
        return sum(h.count for h in self.held.values())

    @property
    def news(self) -> datetime | None:
        """When a unit of it last came to stand otherwise."""
        return max((h.newest for h in self.held.values() if h.newest is not None), default=None)

    def of(self, duty: str) -> Held:
        return self.held.get(duty, _NOTHING)


def campuses(store: Store, now: datetime) -> list[Campus]:
    """Sites in use with their units, those with most first; units of which nobody knows where they are, last."""
    counted = finding.counts(store, now)
    sites = [s for s in store.all(Site) if not s.archived]
    known = {s.id for s in sites}
    shows = _running(store, now)
    out = [Campus(s, _duties(counted, s.id), *_carried(store, shows.get(s.id, ()))) for s in sites]
    lost: dict[str, Held] = {}
    for (site, state), held in counted.items():
        if site not in known:
            before = lost.get(state, _NOTHING)
            lost[state] = before.plus(held)
    ranked = sorted(out, key=lambda c: (-c.total, c.name))
    return [*ranked, *([Campus(None, lost)] if lost else [])]


def with_people(store: Store, campuses: Sequence[Campus]) -> list[Campus]:
    """The campuses with who has each of them open at another desk."""
    at: dict[int, dict[str, None]] = {}
    for desk in store.other_desks():
        at.setdefault(desk.site, {})[desk.who] = None
    return [replace(c, people=tuple(at.get(c.site.id, ())) if c.site is not None else ()) for c in campuses]


def _duties(counted: Mapping[tuple[int | None, str], Held], site: int) -> dict[str, Held]:
    return {state: held for (at, state), held in counted.items() if at == site}


def _running(store: Store, now: datetime) -> dict[int, list[Show]]:
    """Shows whose gear is there now, by their sites."""
    acts: dict[int, list[Act]] = {}
    for act in store.all(Act):
        acts.setdefault(act.show_id, []).append(act)
    out: dict[int, list[Show]] = {}
    for show in store.all(Show, archived=False):
        when = span_of(show, acts.get(show.id, ()))
        if when is not None and when.load_in <= now < when.load_out:
            out.setdefault(show.site_id, []).append(show)
    return out


def _carried(store: Store, shows: Sequence[Show]) -> tuple[tuple[Carried, ...], tuple[str, ...]]:
    """Links of shows that have a frequency, and the names of the shows."""
    out = list[Carried]()
    for show in shows:
        scope = of_show(show)
        links = {x.id: x for x in kit.links(store, scope) if not x.set_aside}
        placed = plan.assignments(store, scope)
        out += [Carried(a.freq_hz, links[n].service) for n, a in placed.items() if n in links]
    return tuple(sorted(out, key=lambda c: c.freq_hz)), tuple(s.name for s in shows)
