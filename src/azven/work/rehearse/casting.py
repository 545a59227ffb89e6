"""The production as the book has it: who plays, what stands, what is on the air, and what nobody knows of it."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime

from azven.book.reading import Reading
from azven.book.records import Act as ActRecord
from azven.book.records import Link, Model, Show, Zone
from azven.refusal import Refusal
from azven.rf.levels import dbm
from azven.rf.links import BODY_DB
from azven.rf.rehearse.production import Act, Player, Production
from azven.rf.venue import Venue
from azven.rf.venue.ways import Part
from azven.work import ground, ids, kit, plan
from azven.work.hall import Hall, behind, in_turns, receiver
from azven.work.kit import persons
from azven.work.rehearse import air, staging
from azven.work.scope import Scope
from azven.work.watch import watched
from azven.work.watch.watched import Watched
from azven.work.wording import listed

_UNTIMED_S, _BREAK_S, _WHOLE_S = 3_600.0, 600.0, 7_200.0
_EVERYBODY, _NEVER = "all", "never"


def production(store: Reading, scope: Scope, venue: Venue | None = None) -> Production:
    """A show of the book. `venue`: what else is on the air, where it is simulated; else what the book knows of it.
    Refusal for a show in which nothing can be heard."""
    start = _midnight(store, scope)
    of_book = watched.of_show(store, scope, {}, start)
    acts = _acts(store, scope, of_book)
    hall, zones = Hall(store, scope), {z.id: z for z in ground.zones(store, scope)}
    links = [x for x in of_book.links if x is not None]
    models, placed = kit.models_by_link(store, links), plan.assignments(store, scope)
    planned = [i for i, x in enumerate(links) if x.id in placed]
    if not planned:
        raise Refusal(f"No link of “{store.get(Show, scope.show).name}” has a frequency: plan it first.")
    people = _People(store, scope, {i: hall.off_stage(z) for i, z in zones.items()})
    players = tuple(
        replace(_player(links[i], of_book.names[i], models[links[i].id], placed[links[i].id].freq_hz, zones, hall),
                parts=people.parts(links[i]), wearers=people.wearers(links[i]))
        for i in planned
    )  # fmt: skip
    heads = tuple(replace(of_book.head.links[i], acts=tuple(sorted(p.acts)))
                  for i, p in zip(planned, players, strict=True))  # fmt: skip
    head = replace(of_book.head, start=start.isoformat(), links=heads, acts={a.id: (a.from_s, a.to_s) for a in acts})
    out = [links[i].name for i in range(len(links)) if i not in planned]
    around, unsaid = (venue, []) if venue else air.of_book(store, scope, hall, start)
    return Production(
        players=players, sides=tuple(hall.sides), venue=around, acts=acts, head=head,
        walls=tuple(hall.walls), unknown=(*_unknown(of_book, players, hall, list(zones.values()), out),
                                          *_unsaid(players, hall, list(zones.values())), *unsaid),
    )  # fmt: skip


def _midnight(store: Reading, scope: Scope) -> datetime:
    """The beginning of the day of the first act, by UTC."""
    first = min((a.starts_at for a in kit.acts(store, scope) if a.starts_at), default=datetime.now(UTC))
    return first.astimezone(UTC).replace(hour=0, minute=0, second=0, microsecond=0)


def _acts(store: Reading, scope: Scope, of_book: Watched) -> tuple[Act, ...]:
    """Acts with their times; without times one after another, an hour each; without acts two hours of everybody."""
    timed = {s.id: (s.from_s, s.to_s) for s in of_book.spans}
    known, each = kit.acts(store, scope), _UNTIMED_S + _BREAK_S
    spans = [timed.get(a.id, (k * each, k * each + _UNTIMED_S)) for k, a in enumerate(known)]
    acts = [Act(ids.of(a), a.name, *span, a.house_percent / 100)
            for a, span in zip(known, spans, strict=True) if not timed or a.id in timed]  # fmt: skip
    return tuple(sorted(acts, key=lambda a: a.from_s)) or (Act(_EVERYBODY, "the show", 0.0, _WHOLE_S),)


def _unknown(
    of_book: Watched, players: Sequence[Player], hall: Hall, zones: Iterable[Zone], out: Sequence[str]
) -> Iterator[str]:  # fmt: skip
    """What is not known, and what that could change."""
    if out:
        has, are = ("has", "is") if len(out) == 1 else ("have", "are")
        yield f"{listed(list(out), 5)} {has} no frequency and {are} left out."
    if not of_book.spans:
        yield "Acts have no times: each is taken for an hour; batteries and hours of neighbours can come out otherwise."
    for zone in (z for z in zones if z.id in hall.placed):
        if len(zone.shape) < 3:
            deep = f"{zone.far_m:.0f} m deep before the antennas"
            yield f"{zone.name} has no plan: people walk {deep}, without walls."
        if not hall.placed[zone.id]:
            yield f"In {zone.name} no antennas are placed: two whips before the stage are taken, which may be far off."
    unsaid = [p.name for p in players if p.battery_min is None and not p.spare]
    if unsaid:
        yield f"How long the batteries of {listed(unsaid, 3)} last is not known: they are taken to last."


def _unsaid(players: Sequence[Player], hall: Hall, zones: Iterable[Zone]) -> Iterator[str]:
    """What is not said of people, and what that could change."""
    walkers = [p.name for p in players if not p.spare and not p.parts]
    if walkers:
        walk = f"{listed(walkers, 3)} walk" if len(walkers) > 1 else f"{walkers[0]} walks"
        yield f"{walk} about the stage, for no place is said: that is harder than most evenings."
    empty = [z.name for z in zones if hall.placed.get(z.id) and not hall.audience(z)]
    if empty:
        crowd = f"a full house between stage and antennas would take {BODY_DB['crowd']:.0f} dB more"
        yield f"In {listed(empty, 3)} no audience is drawn: {crowd}."
    own = [z.name for z in zones if z.id in hall.own_whips]
    if own:
        yield f"Where gear of shared bands stands in {listed(own, 3)} is not known: whips before the stage are taken."
    if any(p.receiver.carrier for p in players):
        yield "Packs of 1.9 GHz bases are taken to find free slots, which is kind where many bases stand together."


class _People:
    """Who does what in which act, and who wears what."""

    def __init__(self, store: Reading, scope: Scope, off: Mapping[int, tuple[float, float] | None]) -> None:
        self._known, self._worn = staging.all_of(store, scope), staging.wearers(store, scope)
        self._off = off

    def parts(self, link: Link) -> dict[str, Part]:
        told = {act: staging.of_person(self._known, link.id, act, worn) for act, worn in self._worn.items()}
        return {_act(a): staging.part(said, self._off[link.zone_id]) for a, said in told.items() if said is not None}

    def wearers(self, link: Link) -> dict[str, str]:
        return {_act(a): worn[link.id] for a, worn in self._worn.items() if link.id in worn}


def _act(number: int) -> str:
    """The id of an act in a rehearsal; a show without acts is one."""
    return ids.key(ActRecord, number) if number != persons.WHOLE_SHOW else _EVERYBODY


def _player(link: Link, name: str, model: Model, freq_hz: int, zones: Mapping[int, Zone], hall: Hall) -> Player:
    zone, out = zones[link.zone_id], link.service == "in-ear"
    sides = hall.numbers(zone, out, model)[: 1 if out or not model.diversity else 2]
    hears = receiver(model, sides, "in turns" if in_turns(model) else "")
    acts = frozenset(ids.key(ActRecord, a) for a in link.acts) or frozenset({_NEVER} if link.acts_gone else ())
    return Player(
        id=ids.of(link), name=name, freq_hz=float(freq_hz),
        power_dbm=float(dbm(link.power_step_mw or model.power_mw)) + model.gain_dbi,
        bandwidth_hz=model.bandwidth_hz / 2, body_db=model.body_db, behind=behind(model),
        receiver=hears, stage=tuple(hall.stage(zone)), acts=acts,
        battery_min=model.batteries[0][2] if model.batteries else None, spare=link.spare,
    )  # fmt: skip
