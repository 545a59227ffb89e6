"""From what the book knows to a coordination: what every link may use, and what it has to keep clear of."""

import math
import operator
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

from azven.book.reading import Reading
from azven.book.records import Act, Link, Model, Neighbour, Unit, Wideband, Zone
from azven.rf.by_level import Levels
from azven.rf.coordinate import Heard
from azven.rf.density import at_density
from azven.rf.request import Carrier, PlanRequest, Profile, Range, Relation, Request
from azven.rf.schools import School
from azven.work import ground, ids, kit
from azven.work.ground import permission
from azven.work.ids import EVERYWHERE
from azven.work.kit import wide_places
from azven.work.listen import Picture
from azven.work.plan import in_groups
from azven.work.plan.in_groups import GroupSet
from azven.work.plan.levels import levels_for
from azven.work.plan.shared import Shared, is_shared, shared_for
from azven.work.scope import Scope

SPARE_PRIORITY = 90
UNCLAIMED_SPACING_HZ = 200_000
_WIDE_HZ = 300_000
_NO_RANGE = Range(1, 1)
_NEIGHBOUR_GUARDS = {"2a-b": 50_000}


@dataclass(frozen=True)
class Bar:
    """Frequencies `[low_hz, high_hz)` closed to a link's centre, and why."""

    low_hz: int
    high_hz: int
    cause: str
    text: str


@dataclass(frozen=True, kw_only=True)
class PlanInput:
    """A coordination with the way back: links by id, what closed each link's lane, what each foreign carrier is.

    `names` says how people call links, foreign carriers, rooms, acts and models, by id.
    """

    request: PlanRequest
    links: Mapping[str, Link]
    bars: Mapping[str, tuple[Bar, ...]]
    foreign: Mapping[str, str]
    levels: Levels
    names: Mapping[str, str]
    school: School = "spacing"
    heard: tuple[Heard, ...] = ()
    """Raster channels, and what sweeps hear in them."""
    group_sets: tuple[GroupSet, ...] = ()
    """Links that have to share one group of their gear."""
    open_request: PlanRequest | None = None
    """The request with every group open, where one is in use."""
    wides: tuple[wide_places.Beside, ...] = ()
    """Wideband carriers that are placed, as narrow links see them."""
    shared: Shared = field(default_factory=Shared)
    """Links of bands that everybody shares: they are among `links`, not in the request."""

    def wish(self, link_id: str) -> Request:
        shared = self.shared.wishes.get(link_id)
        return shared or next(r for r in self.request.requests if r.id == link_id)

    def name(self, member: str) -> str:
        """How people call it; the id where nobody has named it."""
        wide = next((w.name for w in self.wides if w.id == member), member)
        return self.names.get(member) or self.shared.names.get(member, wide)


def same_question(a: PlanInput, b: PlanInput) -> bool:
    """Whether two coordinations ask for the same, whatever things are called; levels count where they are judged."""
    nameless = (replace(x.request, names={}, zone_names={}, act_names={}) for x in (a, b))
    levels = a.school == "spacing" or a.levels == b.levels
    return a.school == b.school and levels and a.shared == b.shared and operator.eq(*nameless)


class _Known:
    """What the book says about links, looked up once."""

    def __init__(self, store: Reading, scope: Scope, picture: Picture, more_models: tuple[Model, ...] = ()) -> None:
        self._store, self._scope = store, scope
        self.place, self.picture = ground.here(store, scope), picture
        self.models = {m.id: m for m in (*store.all(Model), *more_models)}
        self.zones = ground.zones(store, scope)
        self.acts = kit.acts(store, scope)
        self.changes = {ids.change(a, b): (ids.of(a), ids.of(b)) for a, b in kit.changes(self.acts)}
        self.units = {u.id: u for u in kit.units(store, scope)}
        self.further = kit.further_receivers(store)
        self._bars: dict[tuple[object, ...], tuple[Bar, ...]] = {}
        self._wide: dict[int, tuple[Bar, ...]] = {}

    def bars(self, link: Link) -> tuple[Bar, ...]:
        """What closes a link's lane; links of one kind share it."""
        racks = tuple(self.units[n] for n in (link.unit_id, *self.further.get(link.id, ())) if n in self.units)
        key = link.model_id, link.band, racks, link.service, link.use_class, link.power_step_mw
        if key not in self._bars:
            model = kit.as_used(self.models[link.model_id], link)
            self._bars[key] = _bars(self.place, self.acts, self.picture, link, model, racks)
        if link.zone_id not in self._wide:
            closed = wide_places.closes(self._store, self._scope, link.zone_id)
            self._wide[link.zone_id] = tuple(_beside_wideband(closed))
        return self._bars[key] + self._wide[link.zone_id]

    def wish(self, link: Link, bars: tuple[Bar, ...]) -> Request:
        acts = frozenset(ids.of(a) for a in self.acts if a.id in link.acts)
        return _wish(link, self.models[link.model_id], self.times(acts), bars)

    def times(self, acts: frozenset[str]) -> frozenset[str]:
        """When something is on that is on in these acts: in them, and in the changes that touch one of them."""
        return acts | {change for change, pair in self.changes.items() if not acts.isdisjoint(pair)}

    def profiles(self, models: Iterable[Model], density: int) -> dict[str, Profile]:
        return {ids.of(m): at_density(Profile(m.spacing_hz, m.guard_hz, m.bandwidth_hz), density) for m in models}

    def act_names(self, names: Mapping[str, str]) -> dict[str, str]:
        """The names of acts and of the changes between them."""
        out = {k: names[k] for k in map(ids.of, self.acts)}
        return out | {change: f"{names[a]} to {names[b]}" for change, (a, b) in self.changes.items()}

    def names(self, links: Iterable[Link], neighbours: Sequence[Neighbour]) -> dict[str, str]:
        """How people call everything that takes part."""
        rooms = {z.id: z.name for z in self.zones}

        def room(item: Link | Neighbour) -> str:
            return rooms.get(item.zone_id or 0, "every room")

        out = {EVERYWHERE: "every room"}
        for records in (self.zones, self.acts, self.models.values()):
            out |= ids.told_apart(records, lambda r: f"no. {abs(r.id)}")
        return out | ids.told_apart(links, room) | ids.told_apart(neighbours, room)


def input_for(
    store: Reading,
    scope: Scope,
    picture: Picture,
    density: int | None = None,
    extra: tuple[Link, ...] = (),
    school: School | None = None,
    neighbours: tuple[Neighbour, ...] = (),
    related: Mapping[frozenset[str], Relation] | None = None,
    instead: Sequence[Link] | None = None,
) -> PlanInput:
    """The coordination of the show: every link that is not set aside, everything it has to keep clear of.

    `instead` are links in place of those of the show; `density`, `school` and `related` (ids of rooms → relation) stand
    in for what the book says; `extra` links and more `neighbours`, their ids negative, come on top, to try something
    out.
    """
    known = _Known(store, scope, picture)
    show = known.place.show
    own = kit.links(store, scope) if instead is None else instead
    links = {ids.of(x): x for x in [*own, *extra] if not x.set_aside}
    bars = {key: known.bars(link) for key, link in links.items()}
    wishes = {key: known.wish(link, bars[key]) for key, link in links.items()}
    among_all = {k: x for k, x in links.items() if is_shared(known.models[x.model_id], x.band)}
    requests = tuple(wish for key, wish in wishes.items() if key not in among_all)
    shared = shared_for(store, scope, picture, among_all, known.models, {k: wishes[k] for k in among_all})
    everyone = [*ground.neighbours(store, scope), *neighbours]
    foreign = _Foreign(known)
    foreign.take(everyone, picture)
    profiles = foreign.profiles | known.profiles(known.models.values(), show.density if density is None else density)
    rooms = tuple(ids.of(z) for z in known.zones)
    names = known.names(links.values(), everyone) | foreign.names
    request = PlanRequest(
        profiles=profiles,
        zones=(*rooms, EVERYWHERE),
        requests=requests,
        relations=_relations(store, scope, rooms) | dict(related or {}),
        blocked=(),
        carriers=tuple(foreign.carriers),
        names={k: n for k, n in names.items() if k in foreign.words or (k in links and k not in among_all)},
        zone_names={r: names[r] for r in (*rooms, EVERYWHERE)},
        act_names=known.act_names(names),
    ).validate()
    levels = levels_for(store, scope, links, known.models)
    return PlanInput(
        request=request,
        links=links,
        bars=bars,
        foreign=foreign.words,
        levels=levels,
        names=names,
        school=show.school if school is None else school,
        heard=tuple(
            Heard(d.reading.channel.low_hz, d.reading.channel.high_hz, d.reading.high_dbm)
            for d in picture.decisions["voice"]
        ),
        group_sets=in_groups.sets_of(request, {k: x for k, x in links.items() if k not in among_all}, known.models),
        wides=wide_places.beside(store, scope),
        shared=shared,
    )


def on_one_group(found: PlanInput, frequencies: Mapping[str, int]) -> PlanInput:
    """The coordination in which every link keeps to the group that the others of its room are on."""
    wishes = {r.id: r for r in found.request.requests}
    bars = dict(found.bars)
    for group_set in found.group_sets:
        for member in group_set.links:
            group = in_groups.others_group(group_set, member, frequencies)
            if group:
                freqs = group_set.table[group]
                closed = sorted({f for other in group_set.table.values() for f in other} - freqs)
                text = f"its room is on group {group} of {group_set.model}"
                bars[member] = (*bars[member], *(Bar(f, f + 1, "tuning", text) for f in closed))
                wishes[member] = in_groups.within(wishes[member], freqs)
    if not found.group_sets:
        return found
    requests = tuple(wishes[r.id] for r in found.request.requests)
    return replace(found, request=replace(found.request, requests=requests), bars=bars, open_request=found.request)


def with_link(
    now: PlanInput, store: Reading, scope: Scope, picture: Picture, link: Link, models: tuple[Model, ...] = ()
) -> PlanInput:
    """The same coordination with one link changed, perhaps to one of `models` that the book does not hold yet."""
    known = _Known(store, scope, picture, models)
    bars, key = known.bars(link), ids.of(link)
    wish = known.wish(link, bars)
    profiles = {**now.request.profiles, **known.profiles(models, known.place.show.density)}
    others = tuple(r for r in now.request.requests if r.id != key)
    asked = tuple(wish if r.id == key else r for r in now.request.requests)
    among_all = is_shared(known.models[link.model_id], link.band)
    if among_all or key in now.shared:
        asked = others if among_all else (*others, wish)
    request = replace(now.request, requests=asked, profiles=profiles)
    names = {**now.names, **{ids.of(m): m.name for m in models}}
    return replace(now, request=request, links={**now.links, key: link}, bars={**now.bars, key: bars}, names=names)


def _bars(
    place: ground.Place, acts: Sequence[Act], picture: Picture, link: Link, model: Model, racks: Sequence[Unit]
) -> tuple[Bar, ...]:
    low, high = _band(link, model)
    bars = [bar for rack in racks for bar in _out_of_receiver(low, high, model, rack)]
    bars += _out_of_groups(low, high, link, model)
    half = model.bandwidth_hz // 2
    for a, b, rule in permission.permitted(place.region, low - half, high + half, place.permits, acts):
        if rule is None:
            bars.append(Bar(a - half, b + half, "permission", "not permitted here"))
        elif rule.kind == "reserved":
            bars.append(Bar(a - half, b + half, "permission", f"reserved: {rule.title}"))
        elif over := permission.over_cap(model, rule):
            bars.append(Bar(a, b, "permission", over))
    use = "in-ear" if link.service == "in-ear" else "voice"
    for decision in picture.decisions[use]:
        reading, channel = decision.reading, decision.reading.channel
        aside = half + place.site.tv_guard_hz
        edges = channel.low_hz - aside, channel.high_hz + aside
        if reading.occupancy == "taken":
            cause = "television" if reading.multiplex else "sweep"
            bars.append(Bar(*edges, cause, f"channel {channel.name} is taken"))
        elif reading.occupancy == "usable" and link.use_class == "quiet":
            bars.append(Bar(*edges, "sweep", f"channel {channel.name} is not quiet"))
    return tuple(bars)


def _band(link: Link, model: Model) -> tuple[int, int]:
    band = next((b for b in model.bands if b[0] == link.band), model.bands[0])
    return band[1], band[2]


def _out_of_receiver(low: int, high: int, model: Model, unit: Unit) -> list[Bar]:
    rack = next((b for b in model.bands if b[0] == (unit.receiver_band or unit.band)), None)
    if rack is None:
        return [Bar(low, high + 1, "tuning", f"{unit.name} cannot receive it")]
    ends = [(low, rack[1]), (rack[2] + 1, high + 1)]
    return [Bar(a, b, "tuning", f"{unit.name} receives {rack[0]} only") for a, b in ends if a < b]


def _out_of_groups(low: int, high: int, link: Link, model: Model) -> list[Bar]:
    """What lies between the frequencies of the groups, where the gear knows nothing else."""
    if not model.only_groups:
        return []
    known = sorted({f for freqs in model.groups.get(link.band, {}).values() for f in freqs if low <= f <= high})
    ends = pairwise([low - 1, *known, high + 1])
    return [Bar(a + 1, b, "tuning", f"in no group of {model.name}") for a, b in ends if a + 1 < b]


def _beside_wideband(closed: Iterable[tuple[float, float, Wideband]]) -> list[Bar]:
    """What wideband carriers keep narrow links from: exactly the guard is enough."""
    return [
        Bar(math.floor(centre - reach) + 1, math.ceil(centre + reach), "neighbour", f"wideband carrier {carrier.name}")
        for centre, reach, carrier in closed
    ]


def _wish(link: Link, model: Model, times: frozenset[str], bars: tuple[Bar, ...]) -> Request:
    low, high = _band(link, model)
    step, origin = kit.group_raster(model, link.band) if model.only_groups else kit.raster(model, link.band)
    return Request(
        id=ids.of(link),
        profile=ids.of(model),
        zone=ids.key(Zone, link.zone_id),
        ranges=(Range(low, high),),
        step_hz=step,
        origin_hz=origin,
        priority=link.priority + (SPARE_PRIORITY if link.spare else 0),
        times=times,
        allowed=_open_between(low, high, bars),
    )


def _open_between(low: int, high: int, bars: tuple[Bar, ...]) -> tuple[Range, ...]:
    """What the bars leave of `[low, high]`; one unusable range when that is nothing."""
    out = []
    at = low
    for bar in sorted(bars, key=lambda b: b.low_hz):
        if at < bar.low_hz and at <= high:
            out.append(Range(at, min(bar.low_hz - 1, high)))
        at = max(at, bar.high_hz)
    if at <= high:
        out.append(Range(at, high))
    return tuple(out) or (_NO_RANGE,)


class _Foreign:
    """Neighbours and unclaimed lines as given carriers, what each is in words, its name and its profile."""

    def __init__(self, known: _Known) -> None:
        self._acts, self._rooms, self._times = known.acts, {z.id for z in known.zones}, known.times
        self._clock = known.place.clock
        self.carriers: list[Carrier] = []
        self.words: dict[str, str] = {}
        self.names: dict[str, str] = {}
        self.profiles: dict[str, Profile] = {}

    def take(self, neighbours: Sequence[Neighbour], picture: Picture) -> None:
        for n in neighbours:
            if n.kind != "ours":
                room = ids.key(Zone, n.zone_id) if n.zone_id in self._rooms else EVERYWHERE
                guards = _NEIGHBOUR_GUARDS if n.kind == "neighbour" else {}
                profile = self._profile(n.spacing_hz, guards)
                times = self._times(self._clock.acts_during(n.hours, self._acts))
                self._put(
                    Carrier(id=ids.of(n), freq_hz=n.freq_hz, profile=profile, zone=room, radiates=n.mixes, times=times),
                    n.note or n.kind,
                )
        for line in picture.lines:
            key, (low, high) = ids.line(line.freq_hz), line.edges_hz
            self.names[key] = f"line at {line.freq_hz / 1e6:.3f}"
            profile = self._profile(UNCLAIMED_SPACING_HZ + (high - low) // 2, {})
            wide = f", {(high - low) / 1e3:.0f} kHz wide" if high - low > _WIDE_HZ else ""
            words = f"unclaimed line of {line.level_dbm:.0f} dBm{wide}"
            self._put(
                Carrier(id=key, freq_hz=(low + high) // 2, profile=profile, zone=EVERYWHERE, radiates=False), words
            )

    def _profile(self, spacing_hz: int, guards: Mapping[str, int]) -> str:
        key = f"{'neighbour' if guards else 'keep clear'}, {spacing_hz / 1000:g} kHz"
        self.profiles[key] = Profile(spacing_hz, guards)
        return key

    def _put(self, carrier: Carrier, words: str) -> None:
        if carrier.id not in self.words:
            self.carriers.append(carrier)
            self.words[carrier.id] = words


def _relations(store: Reading, scope: Scope, rooms: Sequence[str]) -> dict[frozenset[str], Relation]:
    out: dict[frozenset[str], Relation] = {frozenset((z, EVERYWHERE)): "together" for z in rooms}
    for pair, relation in ground.relations(store, scope).items():
        ends = frozenset(ids.key(Zone, z) for z in pair)
        if ends <= set(rooms):
            out[ends] = relation.relation
    return out
