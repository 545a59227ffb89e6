"""Which gear to take: how many links of each model and band fit at one or several sites, before anything is rented."""

from collections.abc import Callable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from itertools import combinations

from azven.book.place import Place
from azven.book.records import Link, Model, Service, Show, Site, Zone
from azven.book.store import Store
from azven.rf.coordinate import coordinate
from azven.rf.radios import Room
from azven.rf.ranges import range_m
from azven.rf.request import PlanRequest, Range, Request
from azven.work import ground, ids, listen
from azven.work.kit.bands import of_model
from azven.work.listen import Picture
from azven.work.listen.in_bands import of_shared_band
from azven.work.plan import in_groups
from azven.work.plan import input as plan_input
from azven.work.plan import levels as plan_levels
from azven.work.plan.input import PlanInput
from azven.work.scope import Scope, of_show

Progress = Callable[[int, int], bool]
Elapsed = Callable[[], float]
MOST = 60
"""So many links of a kind are tried at most."""
LIMIT_S = 24.0
"""All combinations together are searched for no longer."""
_SPARE_OF = 8
"""One spare for so many links, rounded up."""
_MIXED, _SHARES = 4, (0.25, 0.5, 0.75)
_NOTHING = Range(1, 1)


@dataclass(frozen=True, kw_only=True)
class Figures:
    """What a model in a band brings: delay [ms], run time [min] with the battery that lasts longest, range [m] against
    noise; None where the model does not say."""

    delay_ms: float | None
    run_min: float | None
    range_m: float


@dataclass(frozen=True, kw_only=True)
class Fit:
    """How many links of a model in a band fit at each site, by the site's number; of a mix, of all its models."""

    models: tuple[int, ...]
    names: tuple[str, ...]
    bands: tuple[str, ...]
    shares: tuple[float, ...]
    placed: Mapping[int, int]
    figures: tuple[Figures, ...]
    finished: bool = True

    @property
    def everywhere(self) -> int:
        """What fits at every one of the sites."""
        return min(self.placed.values(), default=0)

    @property
    def spares(self) -> int:
        """How many of these are best kept as spares: one for eight links."""
        return -(-self.everywhere // (_SPARE_OF + 1))

    @property
    def name(self) -> str:
        parts = [f"{n} {b}" for n, b in zip(self.names, self.bands, strict=True)]
        if len(parts) == 1:
            return parts[0]
        return " + ".join(f"{s:.0%} {p}" for s, p in zip(self.shares, parts, strict=True))

    @property
    def worst_delay_ms(self) -> float:
        return max((f.delay_ms if f.delay_ms is not None else 1e9 for f in self.figures), default=1e9)


@dataclass(frozen=True)
class SiteKnown:
    """A site with what is known of its spectrum, and the show whose rooms and acts stand for it."""

    site: Site
    scope: Scope
    picture: Picture
    rests_on: str


def sites_with_shows(store: Store) -> list[tuple[Site, Scope]]:
    """Sites where a show runs or ran, each with the scope of the newest one."""
    shows: dict[int, Show] = {}
    for show in sorted(store.all(Show), key=lambda s: (not s.archived, s.id)):
        shows[show.site_id] = show
    return [(s, of_show(shows[s.id])) for s in store.all(Site) if s.id in shows and not s.archived]


def known_of(store: Store, site: Site, scope: Scope) -> SiteKnown:
    """What the spectrum of a site is known from: sweeps, else the list of stations, else the rules alone."""
    picture, place = listen.picture(store, scope), ground.here(store, scope)
    if picture.sweeps:
        rests_on = f"{sum(not of_shared_band(r) for r, _ in picture.sweeps)} sweeps"
    elif place.stations():
        rests_on = f"{len(place.stations())} listed stations, no sweep"
    else:
        rests_on = "the rules alone, no stations and no sweep" if place.region else "nothing: no region"
    return SiteKnown(site, scope, picture, rests_on)


def combos(store: Store, service: Service) -> list[tuple[Model, str]]:
    """Models of a service with each of their bands; carriers of many links are no links of their own, and where nobody
    has a frequency of his own, room is no matter of spacing."""
    found = [m for m in store.all(Model) if m.service == service and not m.capacity]
    return [(m, b[0]) for m in found for b in m.bands if not of_model(m, b[0]).shared]


@dataclass(frozen=True)
class Answer:
    """All combinations, the best first, and what was known of each site."""

    fits: tuple[Fit, ...]
    sites: tuple[SiteKnown, ...]
    finished: bool


def rank(where: Place, site_ids: Sequence[int], service: Service, progress: Progress, elapsed: Elapsed) -> Answer:
    """Try every model and band of a service at every site, then mixes of the best; on a connection of its own. What is
    stopped answers with what was found."""
    with closing(Store.open(where)) as store:
        return _Ranking(store, site_ids, service, progress, elapsed).answer()


class _Ranking:
    def __init__(
        self, store: Store, site_ids: Sequence[int], service: Service, progress: Progress, elapsed: Elapsed
    ) -> None:
        self.store, self._progress, self._elapsed = store, progress, elapsed
        self.sites = [known_of(store, s, scope) for s, scope in sites_with_shows(store) if s.id in site_ids]
        self.combos = combos(store, service)
        mixes = len(list(combinations(range(_MIXED), 2))) * len(_SHARES)
        self.total = max((len(self.combos) + mixes) * len(self.sites), 1)
        self.done = 0
        self._stopped = False
        self._counted: dict[object, int] = {}

    def answer(self) -> Answer:
        singles = [self._fit([(m, b)], (1.0,)) for m, b in self.combos]
        fits = _ranked([f for f in singles if f is not None])
        by_id = {m.id: m for m, _ in self.combos}
        best = _different(fits, by_id)[:_MIXED]
        mixes = []
        for a, b in combinations(best, 2):
            parts = [(by_id[f.models[0]], f.bands[0]) for f in (a, b)]
            mixes += [self._fit(parts, (share, 1 - share)) for share in _SHARES]
        found = _ranked([*fits, *(f for f in mixes if f is not None)])
        return Answer(tuple(found), tuple(self.sites), not self._stopped)

    def _fit(self, parts: Sequence[tuple[Model, str]], shares: tuple[float, ...]) -> Fit | None:
        placed = {}
        for known in self.sites:
            self.done += 1
            self._stopped = self._stopped or not self._progress(self.done, self.total)
            if self._stopped:
                return None
            placed[known.site.id] = self._count(known, parts, shares)
        room = _room(self.store, self.sites[0].scope) if self.sites else None
        return Fit(
            models=tuple(m.id for m, _ in parts), names=tuple(m.name for m, _ in parts),
            bands=tuple(b for _, b in parts), shares=shares, placed=placed,
            figures=tuple(figures(m, b, room) for m, b in parts) if room else (),
        )  # fmt: skip

    def _count(self, known: SiteKnown, parts: Sequence[tuple[Model, str]], shares: tuple[float, ...]) -> int:
        """How many fit at a site, in one room where all hear one another."""
        asked = _asked(self.store, known, parts, shares)
        key = known.site.id, _shape(asked)
        if key not in self._counted:
            begun = self._elapsed()
            left = max(LIMIT_S - begun, 0.0) / max(self.total - self.done + 1, 1)
            request = replace(asked, time_limit_s=max(left, 0.05))
            plan = coordinate(request, lambda *_: self._progress(self.done, self.total),
                              lambda: self._elapsed() - begun)  # fmt: skip
            self._counted[key] = len(plan.assignments)
        return self._counted[key]


def _room(store: Store, scope: Scope) -> Zone | None:
    return next(iter(ground.zones(store, scope)), None)


def _asked(store: Store, known: SiteKnown, parts: Sequence[tuple[Model, str]], shares: Sequence[float]) -> PlanRequest:
    """So many links of each part as may fit, beside the neighbours of the site."""
    room = _room(store, known.scope)
    if room is None:
        return PlanRequest(profiles={}, zones=(), requests=())
    one_each = [_supposed(i, m, b, room.id, known.scope) for i, (m, b) in enumerate(parts, start=1)]
    asked = plan_input.input_for(store, known.scope, known.picture, instead=one_each)
    closed = _listed(store, known)
    requests: list[Request] = []
    for link, share in zip(one_each, shares, strict=True):
        wish = asked.wish(ids.of(link))
        allowed = _without(wish.allowed or wish.ranges, closed)
        count = max(round(MOST * share), 1)
        requests += [replace(wish, id=f"{wish.id}.{i}", allowed=allowed, priority=i) for i in range(count)]
    request = replace(asked.request, requests=tuple(requests), effort=1, names={}).validate()
    return _in_one_group(request, asked, [m for m, _ in parts])


def _in_one_group(request: PlanRequest, asked: PlanInput, models: Sequence[Model]) -> PlanRequest:
    """Gear that only knows groups stands on the one with most free channels."""
    if not any(m.only_groups for m in models):
        return request
    sets = [
        replace(s, links=tuple(r.id for r in request.requests if r.id.rsplit(".", 1)[0] in s.links))
        for s in asked.group_sets
    ]
    return in_groups.by_rule(request, sets, {})


def _supposed(number: int, model: Model, band: str, room: int, scope: Scope) -> Link:
    return Link(
        id=-number, show_id=scope.show, name=f"{number}", model_id=model.id, band=band, zone_id=room,
        service=model.service,
    )  # fmt: skip


def _listed(store: Store, known: SiteKnown) -> list[tuple[int, int]]:
    """Channels that the list of stations gives and no sweep has looked at [Hz]."""
    place = ground.here(store, known.scope)
    unknown = {d.reading.channel.name for d in known.picture.decisions["voice"] if d.reading.occupancy == "unknown"}
    names = set(place.stations()) & unknown
    half = 100_000 + place.site.tv_guard_hz
    return [(c.low_hz - half, c.high_hz + half) for c in place.channels() if c.name in names]


def _without(ranges: Sequence[Range], closed: Sequence[tuple[int, int]]) -> tuple[Range, ...]:
    """The ranges less what is closed; one unusable range when that is nothing."""
    left = [(r.low_hz, r.high_hz) for r in ranges]
    for low, high in closed:
        cut = [(a, min(b, low - 1)) for a, b in left if a < low] + [(max(a, high), b) for a, b in left if b >= high]
        left = sorted({(a, b) for a, b in cut if a <= b})
    return tuple(Range(a, b) for a, b in left) or (_NOTHING,)


def _shape(request: PlanRequest) -> object:
    """What a count depends on: models that ask for the same share it."""
    return tuple(
        (r.ranges, r.allowed, r.step_hz, r.origin_hz, request.profiles[r.profile].spacing_hz,
         tuple(sorted(request.profiles[r.profile].guard_hz.items()))) for r in request.requests
    )  # fmt: skip


def _ranked(fits: Sequence[Fit]) -> list[Fit]:
    """Most links first, of equally many the one with less delay, then the plainer."""
    return sorted(fits, key=lambda f: (-f.everywhere, f.worst_delay_ms, len(f.models), f.names))


def _different(fits: Sequence[Fit], models: Mapping[int, Model]) -> list[Fit]:
    """Fits that differ in modulation or band: models that differ in their housing alone count once."""
    out: dict[object, Fit] = {}
    for fit in fits:
        if fit.everywhere:
            out.setdefault((models[fit.models[0]].modulation, fit.bands), fit)
    return list(out.values())


def figures(model: Model, band: str, room: Zone) -> Figures:
    """Delay, run time and range of a model in a band of its own."""
    low, high = next((b[1], b[2]) for b in model.bands if b[0] == band)
    radio = plan_levels.radio_of(model)
    antennas = 2 if model.diversity else 1
    reach = range_m(radio, Room(exponent=room.exponent), (low + high) // 2, antennas)
    runs = [minutes for _, mw, minutes in model.batteries if abs(mw - model.power_mw) < 0.01 * model.power_mw]
    return Figures(delay_ms=model.latency_ms, run_min=max(runs, default=None), range_m=reach)
