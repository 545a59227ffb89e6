"""From what the book knows to a coordination: what every link may use, and what it has to keep clear of."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from azven.book.records import Act, Link, Model, Neighbour, Unit
from azven.book.store import Store
from azven.rf.by_level import Levels
from azven.rf.density import at_density
from azven.rf.imlevels import CONVERSION_LOSS_DB, ISOLATED_CONVERSION_LOSS_DB
from azven.rf.request import Carrier, PlanRequest, Profile, Range, Relation, Request
from azven.rf.schools import SCHOOLS, Radio, Room, Rooms, School
from azven.work import ground, hours, kit, listen, permission
from azven.work.listen import Picture

EVERYWHERE = "(every room)"
SPARE_PRIORITY = 90
UNCLAIMED_SPACING_HZ = 200_000
_NO_RANGE = Range(1, 1)
_NEIGHBOUR_GUARDS = {"2T3O": 50_000}


@dataclass(frozen=True)
class Bar:
    """Frequencies `[low_hz, high_hz)` closed to a link's centre, and why."""

    low_hz: int
    high_hz: int
    cause: str
    text: str


@dataclass(frozen=True)
class PlanInput:
    """A coordination with the way back: request ids are link names, bars say what closed each link's lane."""

    request: PlanRequest
    links: Mapping[str, Link]
    bars: Mapping[str, tuple[Bar, ...]]
    foreign: Mapping[str, str]
    levels: Levels
    school: School = "spacing"

    def wish(self, name: str) -> Request:
        return next(r for r in self.request.requests if r.id == name)


class _Known:
    """What the book says about links, looked up once."""

    def __init__(self, store: Store, picture: Picture, more_models: tuple[Model, ...] = ()) -> None:
        self.place, self.picture = ground.current(store), picture
        self.models = {m.id: m for m in (*store.all(Model), *more_models)}
        self.zones = {z.id: z.name for z in ground.zones(store)}
        self.timetable = kit.acts(store)
        self.acts = {a.id: a.name for a in self.timetable}
        self.units = {u.id: u for u in kit.units(store)}

    def bars(self, link: Link) -> tuple[Bar, ...]:
        model, unit = self.models[link.model_id], self.units.get(link.unit_id or 0)
        return _bars(self.place, self.timetable, self.picture, link, model, unit)

    def wish(self, link: Link, bars: tuple[Bar, ...]) -> Request:
        return _wish(link, self.models[link.model_id], self.zones, self.acts, bars)


def input_for(
    store: Store,
    picture: Picture | None = None,
    density: int | None = None,
    extra: tuple[Link, ...] = (),
    school: School | None = None,
    neighbours: tuple[Neighbour, ...] = (),
    related: Mapping[frozenset[str], Relation] | None = None,
) -> PlanInput:
    """The coordination of the show: every link that is not set aside, everything it has to keep clear of.

    `density`, `school` and `related` (zone names → relation) stand in for what the book says, `extra` links and more
    `neighbours` come on top, to try something out.
    """
    picture = picture or listen.picture(store)
    known = _Known(store, picture)
    zones, models, show = known.zones, known.models, known.place.show
    density = show.density if density is None else density
    links = {x.name: x for x in [*kit.links(store), *extra] if not x.set_aside}
    bars = {name: known.bars(link) for name, link in links.items()}
    requests = tuple(known.wish(link, bars[name]) for name, link in links.items())
    carriers, foreign, profiles = _foreign([*ground.neighbours(store), *neighbours], picture, zones, known.timetable)
    profiles |= {m.name: at_density(Profile(m.spacing_hz, m.guard_hz), density) for m in models.values()}
    request = PlanRequest(
        profiles, (*zones.values(), EVERYWHERE), requests, _relations(store, zones) | dict(related or {}), (), carriers,
    ).validate()  # fmt: skip
    as_set = next(s for s in SCHOOLS if s == show.school)
    levels = levels_for(store, links, models)
    return PlanInput(request, links, bars, foreign, levels, as_set if school is None else school)


def with_link(now: PlanInput, store: Store, picture: Picture, link: Link, models: tuple[Model, ...] = ()) -> PlanInput:
    """The same coordination with one link changed, perhaps to one of `models` that the book does not hold yet."""
    known = _Known(store, picture, models)
    bars = known.bars(link)
    wish = known.wish(link, bars)
    density = known.place.show.density
    new = {m.name: at_density(Profile(m.spacing_hz, m.guard_hz), density) for m in models}
    requests = tuple(wish if r.id == link.name else r for r in now.request.requests)
    request = replace(now.request, requests=requests, profiles={**now.request.profiles, **new})
    return replace(now, request=request, links={**now.links, link.name: link}, bars={**now.bars, link.name: bars})


def levels_for(store: Store, links: Mapping[str, Link], models: Mapping[int, Model]) -> Levels:
    """What levels need to know: the radio of every link, distances in the rooms, and half the walls between them."""
    radios = {name: _radio(models[link.model_id]) for name, link in links.items()}
    zones = {z.id: z for z in ground.zones(store)}
    rooms = {z.name: Room(z.near_m, z.far_m, z.between_m, z.exponent) for z in zones.values()}
    isolation = {
        frozenset(zones[i].name for i in pair): (r.wall_loss_db or 0.0) / 2
        for pair, r in ground.relations(store).items()
        if pair <= zones.keys()
    }
    return Levels(radios, Rooms(rooms, isolation))


def _radio(model: Model) -> Radio:
    fixed = model.service == "in-ear"
    loss = ISOLATED_CONVERSION_LOSS_DB if fixed else CONVERSION_LOSS_DB
    return Radio(
        10 * math.log10(max(model.power_mw, 1e-3)), model.gain_dbi, model.body_db, model.bandwidth_hz,
        model.needed_db, model.iip3_dbm, model.nf_db, loss, fixed,
    )  # fmt: skip


def _bars(
    place: ground.Place, acts: Sequence[Act], picture: Picture, link: Link, model: Model, unit: Unit | None
) -> tuple[Bar, ...]:
    low, high = _band(link, model)
    bars = []
    if unit is not None:
        bars += _out_of_receiver(low, high, model, unit)
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
            cause = "television" if reading.share_above > 0.5 else "sweep"
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


def _wish(
    link: Link, model: Model, zones: Mapping[int, str], acts: Mapping[int, str], bars: tuple[Bar, ...]
) -> Request:
    low, high = _band(link, model)
    return Request(
        link.name,
        model.name,
        zones[link.zone_id],
        (Range(low, high),),
        model.step_hz,
        0,
        link.priority + (SPARE_PRIORITY if link.spare else 0),
        frozenset(acts[a] for a in link.acts if a in acts),
        _open_between(low, high, bars),
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


def _foreign(
    neighbours: Sequence[Neighbour], picture: Picture, zones: Mapping[int, str], acts: Sequence[Act]
) -> tuple[tuple[Carrier, ...], dict[str, str], dict[str, Profile]]:
    """Neighbours and unclaimed lines as given carriers, what each is in words, and their profiles."""
    carriers: list[Carrier] = []
    words: dict[str, str] = {}
    profiles: dict[str, Profile] = {}

    def put(
        name: str, freq_hz: int, zone: str, spacing_hz: int, what: str, mixes: bool, protect: bool,
        times: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        name = ground.unused(name, list(words))
        profile = f"{'neighbour' if protect else 'keep clear'}, {spacing_hz / 1000:g} kHz"
        profiles[profile] = Profile(spacing_hz, _NEIGHBOUR_GUARDS if protect else {})
        carriers.append(Carrier(name, freq_hz, profile, zone, mixes, times))
        words[name] = what

    for n in neighbours:
        if n.kind != "ours":
            zone = zones.get(n.zone_id or 0, EVERYWHERE)
            times = hours.acts_during(n.hours, acts)
            put(n.name, n.freq_hz, zone, n.spacing_hz, n.note or n.kind, n.mixes, n.kind == "neighbour", times)
    for line in picture.lines:
        name = f"line at {line.freq_hz / 1e6:.3f}"
        what = f"unclaimed line of {line.level_dbm:.0f} dBm"
        put(name, line.freq_hz, EVERYWHERE, UNCLAIMED_SPACING_HZ, what, mixes=False, protect=False)
    return tuple(carriers), words, profiles


def _relations(store: Store, zones: Mapping[int, str]) -> dict[frozenset[str], Relation]:
    known: dict[str, Relation] = {"together": "together", "near": "near", "apart": "apart"}
    out: dict[frozenset[str], Relation] = {frozenset((z, EVERYWHERE)): "together" for z in zones.values()}
    for pair, relation in ground.relations(store).items():
        if all(z in zones for z in pair):
            out[frozenset(zones[z] for z in pair)] = known[relation.relation]
    return out
