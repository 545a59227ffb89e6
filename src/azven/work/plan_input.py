"""From what the book knows to a coordination: what every link may use, and what it has to keep clear of."""

from collections.abc import Mapping
from dataclasses import dataclass

from azven.book.records import Link, Model, Unit
from azven.book.store import Store
from azven.rf.density import at_density
from azven.rf.request import Carrier, PlanRequest, Profile, Range, Relation, Request
from azven.work import ground, kit, listen
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

    def wish(self, name: str) -> Request:
        return next(r for r in self.request.requests if r.id == name)


def input_for(
    store: Store,
    picture: Picture | None = None,
    density: int | None = None,
    changed: Mapping[int, Link] | None = None,
    extra: tuple[Link, ...] = (),
) -> PlanInput:
    """The coordination of the show: every link that is not set aside, everything it has to keep clear of.

    `density` and `changed` (link id → link) stand in for what the book says, `extra` links come on top, to try
    something out.
    """
    picture = picture or listen.picture(store)
    place = ground.current(store)
    density = place.show.density if density is None else density
    models = {m.id: m for m in store.all(Model)}
    zones = {z.id: z.name for z in ground.zones(store)}
    acts = {a.id: a.name for a in kit.acts(store)}
    units = {u.id: u for u in kit.units(store)}
    listed = [*((changed or {}).get(x.id, x) for x in kit.links(store)), *extra]
    links = {x.name: x for x in listed if not x.set_aside}
    bars = {
        name: _bars(place, picture, link, models[link.model_id], units.get(link.unit_id or 0))
        for name, link in links.items()
    }
    requests = tuple(_wish(link, models[link.model_id], zones, acts, bars[name]) for name, link in links.items())
    carriers, foreign, profiles = _foreign(store, picture, zones)
    profiles |= {m.name: at_density(Profile(m.spacing_hz, m.guard_hz), density) for m in models.values()}
    request = PlanRequest(
        profiles, (*zones.values(), EVERYWHERE), requests, _relations(store, zones), (), carriers,
    ).validate()  # fmt: skip
    return PlanInput(request, links, bars, foreign)


def _bars(place: ground.Place, picture: Picture, link: Link, model: Model, unit: Unit | None) -> tuple[Bar, ...]:
    low, high = _band(link, model)
    bars = []
    if unit is not None:
        bars += _out_of_receiver(low, high, model, unit)
    half = model.bandwidth_hz // 2
    for a, b, rule in ground.permitted(place.region, low - half, high + half):
        if rule is None:
            bars.append(Bar(a - half, b + half, "permission", "not permitted here"))
        elif rule.kind == "reserved":
            bars.append(Bar(a - half, b + half, "permission", f"reserved: {rule.title}"))
    use = "in-ear" if link.service == "in-ear" else "voice"
    for decision in picture.decisions[use]:
        reading, channel = decision.reading, decision.reading.channel
        edges = channel.low_hz - half, channel.high_hz + half
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
    store: Store, picture: Picture, zones: Mapping[int, str]
) -> tuple[tuple[Carrier, ...], dict[str, str], dict[str, Profile]]:
    """Neighbours and unclaimed lines as given carriers, what each is in words, and their profiles."""
    carriers: list[Carrier] = []
    words: dict[str, str] = {}
    profiles: dict[str, Profile] = {}

    def put(name: str, freq_hz: int, zone: str, spacing_hz: int, what: str, mixes: bool, protect: bool) -> None:
        name = ground.unused(name, list(words))
        profile = f"{'neighbour' if protect else 'keep clear'}, {spacing_hz / 1000:g} kHz"
        profiles[profile] = Profile(spacing_hz, _NEIGHBOUR_GUARDS if protect else {})
        carriers.append(Carrier(name, freq_hz, profile, zone, mixes))
        words[name] = what

    for n in ground.neighbours(store):
        if n.kind != "ours":
            zone = zones.get(n.zone_id or 0, EVERYWHERE)
            put(n.name, n.freq_hz, zone, n.spacing_hz, n.note or n.kind, n.mixes, n.kind == "neighbour")
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
