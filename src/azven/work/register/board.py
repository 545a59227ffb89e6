"""The board of the register: every campus by what its units do, and where in the band its links are."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from azven.book.records import Act, Show, Site
from azven.book.stock import Held
from azven.book.store import Store
from azven.work import kit, plan
from azven.work.register import finding
from azven.work.register.finding import Question
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
    """A site with its units by duty, and the links of its shows that run at the moment; or a district with those of
    its `sites` together. No site: nobody knows where these units are."""

    sites: tuple[Site, ...]
    held: dict[str, Held]
    running: tuple[Carried, ...] = ()
    shows: tuple[str, ...] = ()
    people: tuple[str, ...] = ()
    """Who has this campus open at another desk."""
    district: str = ""
    """Its name, where this is a district."""

    @property
    def name(self) -> str:
        return self.district or (self.sites[0].name if self.sites else "unknown place")

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
    out = [Campus((s,), _duties(counted, s.id), *_carried(store, shows.get(s.id, ()))) for s in sites]
    lost: dict[str, Held] = {}
    for (site, state), held in counted.items():
        if site not in known:
            before = lost.get(state, _NOTHING)
            lost[state] = before.plus(held)
    return [*sorted(out, key=_largest), *([Campus((), lost)] if lost else [])]


def _largest(campus: Campus) -> tuple[int, str]:
    return -campus.total, campus.name


def by_district(campuses: Sequence[Campus]) -> list[Campus]:
    """The campuses of each district as one, the largest first; those in none stand for themselves, after them what is
    at no known place."""
    members: dict[str, list[Campus]] = {}
    alone, nowhere = list[Campus](), list[Campus]()
    for campus in campuses:
        if not campus.sites:
            nowhere.append(campus)
        elif district := campus.sites[0].district:
            members.setdefault(district, []).append(campus)
        else:
            alone.append(campus)
    return [*sorted([*(_together(d, found) for d, found in members.items()), *alone], key=_largest), *nowhere]


def _together(district: str, members: Sequence[Campus]) -> Campus:
    held: dict[str, Held] = {}
    for campus in members:
        for duty, some in campus.held.items():
            held[duty] = held.get(duty, _NOTHING).plus(some)
    return Campus(
        tuple(s for c in members for s in c.sites), held,
        tuple(sorted((x for c in members for x in c.running), key=lambda x: x.freq_hz)),
        tuple(name for c in members for name in c.shows), tuple(dict.fromkeys(p for c in members for p in c.people)),
        district,
    )  # fmt: skip


def question(campus: Campus, duty: str) -> Question:
    """What asks for the units of a campus, or of a district, that have a duty."""
    if campus.district:
        return Question(state=duty, district=campus.district)
    return Question(state=duty, at=campus.sites[0].id) if campus.sites else Question(state=duty, nowhere=True)


def with_people(store: Store, campuses: Sequence[Campus]) -> list[Campus]:
    """The campuses with who has each of them open at another desk."""
    at: dict[int, dict[str, None]] = {}
    for desk in store.other_desks():
        at.setdefault(desk.site, {})[desk.who] = None
    return [replace(c, people=tuple(dict.fromkeys(p for s in c.sites for p in at.get(s.id, ())))) for c in campuses]


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
