"""What is worn on one body, by level: packs into worn receivers, and the products of two packs (domain, section 7)."""

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from operator import itemgetter
from typing import Any, Literal

from azven.book.edits import Edit
from azven.book.reading import Reading
from azven.book.records import Link, Model, Person, Worn, Zone
from azven.rf import persons as rf
from azven.rf.levels import dbm, indoor_db
from azven.rf.links import path_db
from azven.rf.radios import Radio, Room
from azven.rf.scene import HELD_M
from azven.work.ground import places
from azven.work.kit import persons as people
from azven.work.kit.evening import Evening, Line
from azven.work.kit.gear import as_used, conducted_mw
from azven.work.scope import Scope

TIGHT_DB = 6.0
"""A receiver that is blocked at less than this more holds barely."""
BETWEEN_M = {"same": 0.05, "opposite": 0.30}
State = Literal["sound", "tight", "broken"]


@dataclass(frozen=True, kw_only=True)
class Beside:
    """A transmitter beside a receiver on one body: the level that arrives and what the receiver bears [dBm], which is
    `reckoned` from its intercept where no blocking level is known. `sender` None is the phone."""

    sender: Line | None
    receiver: Line
    side: Literal["same", "opposite", "hand"]
    level_dbm: float
    bears_dbm: float
    reckoned: bool

    @property
    def margin_db(self) -> float:
        return self.bears_dbm - self.level_dbm

    @property
    def state(self) -> State:
        return "broken" if self.margin_db < 0 else "tight" if self.margin_db < TIGHT_DB else "sound"

    @property
    def name(self) -> str:
        return f"{self.sender.name if self.sender else 'the phone'} into {self.receiver.name}"


@dataclass(frozen=True, kw_only=True)
class Product:
    """A product of two packs on one belt where a link of the show listens: how strong it arrives at the nearest
    receiver, and what that link has over it at its worst [dB]."""

    packs: tuple[Line, Line]
    kind: str
    freq_hz: int
    at_receiver_dbm: float
    hit: Link
    ratio_db: float
    needed_db: float

    @property
    def state(self) -> State:
        over = self.ratio_db - self.needed_db
        return "broken" if over < 0 else "tight" if over < TIGHT_DB else "sound"


@dataclass(frozen=True, kw_only=True)
class Body:
    """Everything between the things on one person."""

    person: Person
    beside: tuple[Beside, ...]
    products: tuple[Product, ...]
    unplaced: tuple[str, ...]
    """Packs without a frequency, whose products nobody knows."""

    @property
    def state(self) -> State:
        """The worst of it."""
        states = [*(b.state for b in self.beside), *(p.state for p in self.products)]
        return next((s for s in _WORST_FIRST if s in states), "sound")

    @property
    def worst(self) -> Beside | None:
        """The pair with the least margin."""
        return min(self.beside, key=lambda b: b.margin_db, default=None)


_WORST_FIRST: tuple[State, ...] = ("broken", "tight", "sound")


def bodies(
    store: Reading, scope: Scope, found: Evening, frequencies: Mapping[int, int], only: int | None = None
) -> dict[int, Body]:
    """Every person's body by their number; `frequencies` [Hz] of the plan by the numbers of links."""
    looking = _Looking(store, scope, found, frequencies)
    return {p.id: looking.body(p) for p in found.persons if only in (None, p.id)}


class _Looking:
    def __init__(self, store: Reading, scope: Scope, found: Evening, frequencies: Mapping[int, int]) -> None:
        self.found, self.frequencies = found, frequencies
        self.rooms = {
            z.id: Room(
                near_m=z.near_m, far_m=z.far_m, between_m=z.between_m, exponent=z.exponent,
                receive=places.ends(store, z, "receive"), transmit=places.ends(store, z, "transmit"),
            )
            for z in store.all(Zone, site_id=scope.site)
        }  # fmt: skip
        models = {m.id: m for m in store.all(Model)}
        heard = [
            (x, as_used(models[x.model_id], x), frequencies[x.id])
            for x in store.all(Link, show_id=scope.show)
            if x.id in frequencies and not x.set_aside and x.service != "in-ear"
        ]
        self.heard = sorted(heard, key=itemgetter(2))
        self.widest = max((m.bandwidth_hz for _, m, _ in heard), default=0)

    def body(self, person: Person) -> Body:
        lines = self.found.lines[person.id]
        senders = [x for x in lines if x.link.service != "in-ear"]
        receivers = [x for x in lines if x.link.service == "in-ear"]
        beside = [_beside(a, b) for a in senders for b in receivers if set(a.acts) & set(b.acts)]
        if person.phone == "on, in a pocket":
            beside += [_phone_beside(x) for x in receivers]
        both = [(a, b) for a, b in combinations(senders, 2) if set(a.acts) & set(b.acts)]
        placed = [(a, b) for a, b in both if {a.link.id, b.link.id} <= self.frequencies.keys()]
        missing = {x.name for two in both for x in two if x.link.id not in self.frequencies}
        return Body(
            person=person, beside=tuple(beside), unplaced=tuple(sorted(missing)),
            products=tuple(p for a, b in placed for p in self._products(a, b)),
        )  # fmt: skip

    def _products(self, a: Line, b: Line) -> list[Product]:
        """Their third-order products that fall into a channel of a link that is on with both."""
        freqs = self.frequencies[a.link.id], self.frequencies[b.link.id]
        falls = 2 * freqs[0] - freqs[1], 2 * freqs[1] - freqs[0]
        if a.link.zone_id != b.link.zone_id:
            return []
        return [
            product
            for link, model, freq in self._near(falls)
            if min(abs(f - freq) for f in falls) < model.bandwidth_hz and link.zone_id == a.link.zone_id
            and link.id not in (a.link.id, b.link.id) and _on_with(link, a, b, self.found.numbers)
            for product in self._at(link, model, freq, (a, b))
        ]  # fmt: skip

    def _near(self, falls: tuple[int, int]) -> list[tuple[Link, Model, int]]:
        """Links whose channels may hold one of two frequencies [Hz]."""
        spans = [
            (bisect_left(self.heard, f - self.widest, key=itemgetter(2)),
             bisect_left(self.heard, f + self.widest, key=itemgetter(2)))
            for f in falls
        ]  # fmt: skip
        return [self.heard[i] for i in sorted({i for low, high in spans for i in range(low, high)})]

    def _at(self, link: Link, model: Model, freq_hz: int, packs: tuple[Line, Line]) -> list[Product]:
        """The products of two packs that fall into a link's channel, at its receiver."""
        room = self.rooms[link.zone_id]
        paths = [_least_path_db(freq_hz, x, room) for x in packs]
        found = rf.belt_products(self._pack(packs[0]), self._pack(packs[1]), _coupling_db(*packs), *paths)
        wanted = float(dbm(model.power_mw)) + model.gain_dbi - model.body_db
        wanted += room.best_gain_dbi("receive") - float(indoor_db(freq_hz, room.far_m, room.exponent))
        return [
            Product(
                packs=packs, kind=kind, freq_hz=product.freq_hz, at_receiver_dbm=product.at_receiver_dbm, hit=link,
                ratio_db=wanted - product.at_receiver_dbm, needed_db=model.needed_db,
            )
            for kind, product in found.items() if abs(product.freq_hz - freq_hz) < model.bandwidth_hz
        ]  # fmt: skip

    def _pack(self, line: Line) -> rf.Pack:
        model = as_used(line.model, line.link)
        return rf.Pack(self.frequencies[line.link.id], float(dbm(model.power_mw)), model.gain_dbi)


def _on_with(link: Link, a: Line, b: Line, numbers: Sequence[int]) -> bool:
    return bool(set(a.acts) & set(b.acts) & set(people.on_in(link.acts, numbers)))


def _least_path_db(freq_hz: int, line: Line, room: Room) -> float:
    """The least that is between a pack and the room's receivers [dB]: the nearest place, facing them, their antenna
    towards it."""
    facing = 3.0
    path = float(path_db(freq_hz, room.near_m)) + facing
    return path - line.model.gain_dbi - room.best_gain_dbi("receive")


def side_of(a: Line, b: Line) -> Literal["same", "opposite", "hand"]:
    """How two things on one person stand to one another."""
    if not (people.is_pack(a.model) and people.is_pack(b.model)):
        return "hand"
    return "opposite" if a.worn.side != b.worn.side else "same"


def _coupling_db(a: Line, b: Line) -> float:
    side, gains = side_of(a, b), a.model.gain_dbi + b.model.gain_dbi
    if side == "hand":
        return max(float(path_db(600e6, HELD_M)) - gains, rf.coupling_db("same"))
    return rf.coupling_db(side, gains_db=gains)


def _beside(sender: Line, receiver: Line) -> Beside:
    level = float(dbm(as_used(sender.model, sender.link).power_mw)) - _coupling_db(sender, receiver)
    return Beside(
        sender=sender, receiver=receiver, side=side_of(sender, receiver), level_dbm=level,
        **_bears(receiver.model),
    )  # fmt: skip


def _bears(model: Model) -> dict[str, Any]:
    """What a worn receiver bears, and whether that is reckoned."""
    radio = Radio(iip3_dbm=model.iip3_dbm, blocking_dbm=model.blocking_dbm)
    return {"bears_dbm": radio.blocked_from_dbm, "reckoned": model.blocking_dbm is None}


def _phone_beside(receiver: Line) -> Beside:
    """A phone in a pocket, on the side where it does most harm."""
    level = rf.PHONE_DBM - rf.coupling_db("same", gains_db=receiver.model.gain_dbi)
    return Beside(sender=None, receiver=receiver, side="same", level_dbm=level, **_bears(receiver.model))


# -- what could be done ----------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class Advice:
    """Something that helps a person, with its gain [dB] where it has one, and the edit that does it."""

    title: str
    effect: str
    gain_db: float | None
    worn: Worn | None = None
    side: str = ""
    link: Link | None = None
    power_mw: float = 0.0

    def edit(self) -> Edit:
        if self.link is not None:
            return people.change_all([self.link], self.title, power_step_mw=self.power_mw)
        assert self.worn is not None
        return people.change_all([self.worn], self.title, side=self.side)


def advice(body: Body) -> list[Advice]:
    """What would help: the other side of the belt, less power; the strongest gain first."""
    out: dict[str, Advice] = {}
    for pair in (b for b in body.beside if b.state != "sound"):
        if pair.sender is None:
            continue
        if pair.side == "same":
            gain = rf.BODY_DB
            other = "left" if pair.sender.worn.side == "right" else "right"
            title = f"{pair.receiver.name} to the {other}"
            out[title] = Advice(
                title=title, effect=_margins(pair, gain), gain_db=gain, worn=pair.receiver.worn, side=other
            )
        for found in _less_power(pair):
            out[found.title] = found
    for product in (p for p in body.products if p.state != "sound"):
        a, b = product.packs
        if side_of(a, b) == "same":
            other = "left" if a.worn.side == "right" else "right"
            title = f"{b.name} to the {other}"
            effect = f"their products {rf.BODY_DB:.0f} dB weaker at least"
            out[title] = Advice(title=title, effect=effect, gain_db=rf.BODY_DB, worn=b.worn, side=other)
    return sorted(out.values(), key=lambda a: -(a.gain_db or 0.0))


def _less_power(pair: Beside) -> list[Advice]:
    """The next lower power step of the pack that sends."""
    assert pair.sender is not None
    model, link = as_used(pair.sender.model, pair.sender.link), pair.sender.link
    steps = sorted((conducted_mw(model, mw, kind) for mw, kind in model.powers), reverse=True)
    lower = [mw for mw in steps if mw < model.power_mw * 0.99]
    if not lower:
        return []
    gain = float(dbm(model.power_mw) - dbm(lower[0]))
    title = f"{link.name} at {lower[0]:.3g} mW"
    effect = f"{_margins(pair, gain)}; it reaches less far"
    return [Advice(title=title, effect=effect, gain_db=gain, link=link, power_mw=lower[0])]


def _margins(pair: Beside, gain: float) -> str:
    return f"margin {pair.margin_db:.0f} → {pair.margin_db + gain:.0f} dB".replace("-", "−")
