"""The level school: which products matter at the victim's receiver, predicted from powers and distances.

The spacing school calls a product a conflict when it falls within a guard. The level school adds up, in
milliwatts, every third-order product that overlaps the victim's channel, made in its receiver and made in
transmitters, with the receiver's noise, and calls it a conflict when the wanted signal is not far enough
above. Fifth and higher orders, and the spacing of carriers, are judged by distance in every school.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from azven.rf.imlevels import COMPRESSION_TO_INTERCEPT_DB, CONVERSION_LOSS_DB, THREE_SIGNAL_DB
from azven.rf.levels import Floats, dbm, indoor_db, milliwatts, thermal_noise_dbm
from azven.rf.links import COUPLING_FLOOR_DB, Point, path_db
from azven.rf.products import Found, Ints, Situation, near
from azven.rf.request import KINDS, Carrier, PlanRequest, Relation
from azven.rf.verdict import Hit, clashes

School = Literal["spacing", "level", "both"]
SCHOOLS: tuple[School, ...] = ("spacing", "both", "level")
LEVEL_KINDS = ("2a-b", "a+b-c")
_NONE_DBM = -400.0
_RACK_ISOLATION_DB = 30.0
"""Between two transmitters on one combiner, planning value."""
_BACK_TO_BACK_DB = 30.0
"""Transmit and receive antennas out of each other's main lobes: both give away their front-to-back ratio."""


@dataclass(frozen=True)
class Radio:
    """What levels ask of a link: conducted power, losses, and what its receiver needs and stands.

    `fixed`: the transmitter stands in a rack and the receiver is worn, as with in-ears; else the other way round.
    """

    power_dbm: float = 17.0
    gain_dbi: float = 0.0
    body_db: float = 10.0
    bandwidth_hz: int = 200_000
    needed_db: float = 20.0
    iip3_dbm: float = -5.0 + COMPRESSION_TO_INTERCEPT_DB
    nf_db: float = 8.0
    conversion_loss_db: float = CONVERSION_LOSS_DB
    fixed: bool = False
    pos_m: Point | None = None


@dataclass(frozen=True)
class Room:
    """A zone as levels see it: nearest and farthest transmitter from its antenna, transmitters from one another."""

    near_m: float = 5.0
    far_m: float = 30.0
    between_m: float = 2.0
    exponent: float = 20.0
    antenna_gain_dbi: float = 6.5
    antenna_m: Point | None = None


@dataclass(frozen=True)
class Rooms:
    """All zones, and the isolation [dB] between two of them (none listed: 0)."""

    rooms: Mapping[str, Room]
    isolation_db: Mapping[frozenset[str], float]

    def between(self, a: str, b: str) -> float:
        return self.isolation_db.get(frozenset((a, b)), 0.0) if a != b else 0.0


class Scene:
    """Levels among the carriers of a situation, arrays in its order.

    `heard[i, v]` [dBm]: carrier i at the receiver of v. `coupled[h, x]` [dBm]: x at the output of h.
    """

    def __init__(
        self, situation: Situation, carriers: Sequence[Carrier], radios: Mapping[str, Radio], rooms: Rooms
    ) -> None:
        by_id = {c.id: c for c in carriers}
        ordered = [by_id[i] for i in situation.ids]
        known = [radios.get(c.id, Radio()) for c in ordered]
        self.power: Floats = np.array([r.power_dbm for r in known])
        self.loss: Floats = np.array([r.conversion_loss_db for r in known])
        self.iip3: Floats = np.array([r.iip3_dbm for r in known])
        self.needed: Floats = np.array([r.needed_db for r in known])
        self.bandwidth: Ints = np.array([r.bandwidth_hz for r in known], np.int64)
        self.noise: Floats = np.array([float(thermal_noise_dbm(r.bandwidth_hz, r.nf_db)) for r in known])
        zones = [c.zone for c in ordered]
        freq = np.array([c.freq_hz for c in ordered], float)
        fixed = np.array([r.fixed for r in known], bool)
        body: Floats = np.array([r.body_db for r in known])
        gain: Floats = np.array([r.gain_dbi for r in known])
        antenna = np.array([_room(rooms, z).antenna_gain_dbi for z in zones])
        near_m, far_m, apart_m = _distances(zones, known, rooms)
        near_m = np.where(fixed[None, :] & ~fixed[:, None], apart_m, near_m)
        isolation = _by_zone(zones, rooms.between)
        exponent = _by_zone(zones, lambda a, b: _room(rooms, b).exponent)
        sent = self.power + np.where(fixed, antenna, gain - body)
        taken = np.where(fixed, gain - body, antenna)
        path = indoor_db(freq[:, None], near_m, exponent)
        aside = np.where(fixed[:, None] & ~fixed[None, :], _BACK_TO_BACK_DB, 0.0)
        self.heard: Floats = sent[:, None] + taken[None, :] - path - isolation - aside
        self.wanted: Floats = sent + taken - indoor_db(freq, far_m, np.diagonal(exponent))
        bodies = np.where(fixed, 0.0, body - gain)
        between = path_db(freq[:, None], apart_m) + isolation + bodies[:, None] + bodies[None, :]
        same_rack = fixed[:, None] & fixed[None, :] & (isolation == 0)
        between = np.where(same_rack, _RACK_ISOLATION_DB, np.maximum(between, COUPLING_FLOOR_DB))
        self.coupled: Floats = self.power[None, :] - between
        self.to_receiver: Floats = self.heard - self.power[:, None]
        """Gain [dB] from the port of a host h to the receiver of v: negative."""


def _room(rooms: Rooms, zone: str) -> Room:
    return rooms.rooms.get(zone, Room())


def _by_zone(zones: Sequence[str], value: Callable[[str, str], float]) -> Floats:
    names = sorted(set(zones))
    table = np.array([[value(a, b) for b in names] for a in names], np.float64)
    place = np.array([names.index(z) for z in zones], np.intp)
    return np.asarray(table[np.ix_(place, place)])


def _distances(zones: Sequence[str], known: Sequence[Radio], rooms: Rooms) -> tuple[Floats, Floats, Floats]:
    """Source to victim's antenna (n, n), own farthest (n,), transmitter to transmitter (n, n) [m].

    From positions where both are known; else from the distances of the rooms, across rooms the sum of both.
    """
    own = [_room(rooms, z) for z in zones]
    same = np.array([[a == b for b in zones] for a in zones])
    near = np.array([r.near_m for r in own])
    far = np.array([r.far_m for r in own])
    between = np.array([r.between_m for r in own])
    to_antenna = np.where(same, near[None, :], near[:, None] + near[None, :])
    apart = np.where(same, between[None, :], near[:, None] + near[None, :])
    at = np.array([r.pos_m or (np.nan,) * 3 for r in known], float).reshape(-1, 3)
    mast = np.array([r.antenna_m or (np.nan,) * 3 for r in own], float).reshape(-1, 3)
    measured = np.linalg.norm(at[:, None] - mast[None, :], axis=2)
    to_antenna = np.where(np.isnan(measured), to_antenna, measured)
    far = np.where(np.isnan(np.diagonal(measured)), far, np.maximum(np.diagonal(measured), 0.0))
    side = np.linalg.norm(at[:, None] - at[None, :], axis=2)
    return to_antenna, far, np.where(np.isnan(side), apart, side)


@dataclass(frozen=True)
class Product(Hit):
    """One product by level: where it falls, how strong it is at the victim, and where it is made."""

    receiver_dbm: float
    transmitter_dbm: float

    @property
    def level_dbm(self) -> float:
        return float(dbm(milliwatts(self.receiver_dbm) + milliwatts(self.transmitter_dbm)))


@dataclass(frozen=True)
class Standing:
    """A victim by level: wanted signal, noise, sum of products [dBm], and the ratio it has and needs [dB]."""

    wanted_dbm: float
    noise_dbm: float
    products_dbm: float
    ratio_db: float
    needed_db: float
    worst: Product | None = None

    @property
    def spare_db(self) -> float:
        return self.ratio_db - self.needed_db


def product_levels(scene: Scene, found: Found) -> tuple[Floats, Floats]:
    """Levels [dBm] (m,) at the victims of third-order products: made in their receivers, made in transmitters."""
    v, s = found.victim, found.sources
    if s.shape[1] == 2:  # 2a − b
        a, b = s.T
        receiver = 2 * scene.heard[a, v] + scene.heard[b, v] - 2 * scene.iip3[v]
        host_a = scene.coupled[a, b] - scene.loss[a] + scene.to_receiver[a, v]
        host_b = 2 * scene.coupled[b, a] - scene.power[b] - scene.loss[b] + scene.to_receiver[b, v]
        return receiver, dbm(milliwatts(host_a) + milliwatts(host_b))
    a, b, c = s.T  # a + b − c
    receiver = scene.heard[a, v] + scene.heard[b, v] + scene.heard[c, v] - 2 * scene.iip3[v] + THREE_SIGNAL_DB
    total = np.zeros(len(v))
    for host, x, y in ((a, b, c), (b, a, c), (c, a, b)):
        made = scene.coupled[host, x] + scene.coupled[host, y] - scene.power[host] - scene.loss[host]
        total += milliwatts(made + THREE_SIGNAL_DB + scene.to_receiver[host, v])
    return receiver, dbm(total)


def overlap(distance_hz: NDArray[np.int64], bandwidth_hz: Ints) -> Floats:
    """Share (m,) of a product's power inside the victim's channel: flat spectra of equal width, so linear."""
    return np.asarray(np.maximum(1 - distance_hz / bandwidth_hz, 0.0))


class LevelJudge:
    """All third-order products that overlap a victim's channel, by level. Rooms that are *near* count as well:
    walls decide how much."""

    def __init__(
        self, request: PlanRequest, carriers: Sequence[Carrier], radios: Mapping[str, Radio], rooms: Rooms
    ) -> None:
        heard: dict[frozenset[str], Relation] = {
            pair: "together" if r == "near" else r for pair, r in request.relations.items()
        }
        self.situation = Situation(carriers, request.profiles, heard)
        self.scene = Scene(self.situation, carriers, radios, rooms)
        self._parts: list[tuple[str, Found, Floats, Floats]] = []
        n = len(self.situation.ids)
        self.products_mw = np.zeros(n)
        for kind in LEVEL_KINDS:
            for found in near(self.situation, kind, self.scene.bandwidth - 1):
                receiver, transmitter = product_levels(self.scene, found)
                away = np.abs(found.product - self.situation.freq[found.victim])
                share = overlap(away, self.scene.bandwidth[found.victim])
                with np.errstate(divide="ignore"):
                    lost = 10 * np.log10(share)
                receiver, transmitter = receiver + lost, transmitter + lost
                self._parts.append((kind, found, receiver, transmitter))
                power = milliwatts(receiver) + milliwatts(transmitter)
                self.products_mw += np.bincount(found.victim, power, n)
        total = self.products_mw + milliwatts(self.scene.noise)
        self.ratio_db: Floats = self.scene.wanted - dbm(total)

    def in_danger(self) -> set[str]:
        """Carriers whose ratio is below what they need."""
        return {self.situation.ids[i] for i in np.flatnonzero(self.ratio_db < self.scene.needed).tolist()}

    def standing(self, name: str) -> Standing:
        """One carrier by level, with the strongest product on it."""
        i = self.situation.index(name)
        worst = max(self.products_on(name), key=lambda p: p.level_dbm, default=None)
        products = float(dbm(self.products_mw[i])) if self.products_mw[i] > 0 else _NONE_DBM
        return Standing(
            float(self.scene.wanted[i]), float(self.scene.noise[i]), products,
            float(self.ratio_db[i]), float(self.scene.needed[i]), worst,
        )  # fmt: skip

    def products_on(self, name: str) -> list[Product]:
        """Every product that overlaps a carrier's channel."""
        i, ids = self.situation.index(name), self.situation.ids
        out = []
        for kind, found, receiver, transmitter in self._parts:
            for row in np.flatnonzero(found.victim == i).tolist():
                product = int(found.product[row])
                names = tuple(ids[int(s)] for s in found.sources[row])
                away = abs(product - int(self.situation.freq[i]))
                out.append(
                    Product(
                        name, kind, product, names, found.coefficients, away,
                        float(receiver[row]), float(transmitter[row]),
                    )
                )  # fmt: skip
        return out


def broken(
    request: PlanRequest, carriers: Sequence[Carrier], radios: Mapping[str, Radio], rooms: Rooms, school: School
) -> set[str]:
    """Carriers that have a conflict in a school, as victims or as one of a pair that is too close."""
    if not carriers:
        return set()
    by_distance = Situation(carriers, request.profiles, request.relations)
    out = {name for clash in clashes(by_distance) for name in clash.ids}
    guarded: set[int] = set()
    for kind in KINDS:
        third = kind in LEVEL_KINDS
        if third and school == "level":
            continue
        for found in near(by_distance, kind, by_distance.guard[kind] - 1):
            victims = set(found.victim.tolist())
            if third:
                guarded |= victims
            else:
                out |= {by_distance.ids[v] for v in victims}
    names = {by_distance.ids[v] for v in guarded}
    if school == "spacing":
        return out | names
    danger = LevelJudge(request, carriers, radios, rooms).in_danger()
    return out | (danger if school == "level" else danger & names)
