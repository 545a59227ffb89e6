"""The level school: which products matter at the victim's receiver, predicted from powers, places and distances.

The spacing school calls a product a conflict when it falls within a guard. The level school adds up, in
milliwatts, every third-order product that overlaps the victim's channel, made in its receiver and made in
transmitters, with the receiver's noise, takes off what the composite at the receiver blocks, and calls it a conflict
when the wanted signal is not far enough above. Fifth and higher orders, and the spacing of carriers, are judged by
distance in every school.
"""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from azven.rf.imlevels import THREE_SIGNAL_DB
from azven.rf.levels import Floats, dbm, milliwatts
from azven.rf.products import Found, Ints, Situation, near
from azven.rf.radios import Radio, Rooms
from azven.rf.request import KINDS, Carrier, PlanRequest, Relation
from azven.rf.scene import Scene, StandIn
from azven.rf.verdict import Hit, clashes

School = Literal["spacing", "level", "both"]
SCHOOLS: tuple[School, ...] = ("spacing", "both", "level")
LEVEL_KINDS = ("2a-b", "a+b-c")
_NONE_DBM = -400.0
_TAKEN_DB = 1.0


@dataclass(frozen=True)
class Product(Hit):
    """One product by level: where it falls, how strong it is at the victim, and where it is made."""

    receiver_dbm: float
    transmitter_dbm: float

    @property
    def level_dbm(self) -> float:
        return float(dbm(milliwatts(self.receiver_dbm) + milliwatts(self.transmitter_dbm)))


@dataclass(frozen=True, kw_only=True)
class Standing:
    """A victim by level: wanted signal, noise, sum of products [dBm], what blocking takes from the ratio [dB], and the
    ratio it has and needs [dB]. `stands_in`: figures of its room that stand in for places nobody has told."""

    wanted_dbm: float
    noise_dbm: float
    products_dbm: float
    ratio_db: float
    needed_db: float
    worst: Product | None = None
    blocked_db: float = 0.0
    blocker: str = ""
    stands_in: frozenset[StandIn] = frozenset()

    @property
    def spare_db(self) -> float:
        return self.ratio_db - self.needed_db

    @property
    def whatever_its_frequency(self) -> bool:
        """Whether noise and blocking alone leave too little: no other frequency would help."""
        return self.wanted_dbm - self.noise_dbm - self.blocked_db < self.needed_db


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


class _View:
    """The situation with those who wear receivers at one place: products on, and ratios of, the `looked_at` (n,)."""

    def __init__(self, situation: Situation, scene: Scene, looked_at: NDArray[np.bool_]) -> None:
        self.scene = scene
        self.parts: list[tuple[str, Found, Floats, Floats]] = []
        n = len(situation.ids)
        self.products_mw = np.zeros(n)
        for kind in LEVEL_KINDS:
            for found in near(situation, kind, np.where(looked_at, scene.bandwidth - 1, -1)):
                receiver, transmitter = product_levels(scene, found)
                away = np.abs(found.product - situation.freq[found.victim])
                with np.errstate(divide="ignore"):
                    lost = 10 * np.log10(overlap(away, scene.bandwidth[found.victim]))
                receiver, transmitter = receiver + lost, transmitter + lost
                self.parts.append((kind, found, receiver, transmitter))
                power = milliwatts(receiver) + milliwatts(transmitter)
                self.products_mw += np.bincount(found.victim, power, n)
        self._worst: dict[int, tuple[int, int]] | None = None
        self.quiet_db: Floats = scene.wanted - scene.noise - scene.desensitised
        self.ratio_db: Floats = scene.wanted - dbm(self.products_mw + milliwatts(scene.noise)) - scene.desensitised

    def worst(self, victim: int) -> tuple[int, int] | None:
        """Part and row of the strongest product on a victim; looked for once, for all victims together."""
        if self._worst is None:
            self._worst = {}
            levels: dict[int, float] = {}
            everyone = np.ones(len(self.products_mw), bool)
            for k, (_, found, receiver, transmitter) in enumerate(self.parts):
                for i, level, row in _strongest(found, milliwatts(receiver) + milliwatts(transmitter), everyone):
                    if i not in levels or level > levels[i]:
                        self._worst[i], levels[i] = (k, row), level
        return self._worst.get(victim)


def foreign(request: PlanRequest, radios: Mapping[str, Radio]) -> set[str]:
    """Given carriers of which no radio is known: levels say nothing about their receivers, so their distances hold in
    every school."""
    return {c.id for c in request.carriers} - radios.keys()


class LevelJudge:
    """All third-order products that overlap a victim's channel, by level. Rooms that are *near* count as well:
    walls decide how much.

    Receivers that people wear are looked at far from their antenna, where noise decides, and near it, where they make
    most products themselves; the worse of the two counts.
    """

    def __init__(
        self, request: PlanRequest, carriers: Sequence[Carrier], radios: Mapping[str, Radio], rooms: Rooms
    ) -> None:
        heard: dict[frozenset[str], Relation] = {
            pair: "together" if r == "near" else r for pair, r in request.relations.items()
        }
        self.situation = Situation(carriers, request.profiles, heard)
        self.scene = Scene(self.situation, carriers, radios, rooms)
        self._views = [_View(self.situation, self.scene, np.ones(len(self.scene.fixed), bool))]
        if self.scene.fixed.any():
            near_it = self.scene.beside_the_antenna()
            self._views.append(_View(self.situation, near_it, near_it.fixed))
        self.ratio_db: Floats = np.min([v.ratio_db for v in self._views], axis=0)
        self.foreign = foreign(request, radios)

    def in_danger(self) -> set[str]:
        """Carriers whose ratio is below what they need; of foreign ones nobody knows it."""
        return self._named(self.ratio_db < self.scene.needed) - self.foreign

    def whatever_their_frequency(self) -> set[str]:
        """Those of them that noise and blocking alone leave with too little."""
        return self._named(np.min([v.quiet_db for v in self._views], axis=0) < self.scene.needed)

    def worsened(self) -> set[str]:
        """Carriers in danger to which products do it, so that another frequency may help: all but those that noise and
        blocking alone leave with too little, and of these the ones from which products take more than 1 dB."""
        hopeless = self.whatever_their_frequency()
        taken = self._named(np.max([v.quiet_db - v.ratio_db for v in self._views], axis=0) > _TAKEN_DB)
        return self.in_danger() - (hopeless - taken)

    def _named(self, which: NDArray[np.bool_]) -> set[str]:
        return {self.situation.ids[i] for i in np.flatnonzero(which).tolist()}

    def _worse(self, i: int) -> _View:
        return min(self._views, key=lambda v: float(v.ratio_db[i]))

    def strongest_sources(self, names: Set[str]) -> set[str]:
        """Who makes the strongest product on each of the named carriers."""
        asked = np.isin(self.situation.ids, list(names))
        worse = np.argmin([v.ratio_db for v in self._views], axis=0)
        best: dict[int, tuple[float, Ints]] = {}
        for k, view in enumerate(self._views):
            mine = asked & (worse == k)
            for _, found, receiver, transmitter in view.parts:
                for i, level, row in _strongest(found, milliwatts(receiver) + milliwatts(transmitter), mine):
                    if i not in best or level > best[i][0]:
                        best[i] = level, found.sources[row]
        return {self.situation.ids[int(s)] for _, sources in best.values() for s in sources}

    def standing(self, name: str) -> Standing:
        """One carrier by level, with the strongest product on it and the loudest at a receiver that is blocked."""
        i = self.situation.index(name)
        view = self._worse(i)
        scene = view.scene
        worst = view.worst(i)
        products = float(dbm(view.products_mw[i])) if view.products_mw[i] > 0 else _NONE_DBM
        blocked = float(scene.desensitised[i])
        return Standing(
            wanted_dbm=float(scene.wanted[i]),
            noise_dbm=float(scene.noise[i]),
            products_dbm=products,
            ratio_db=float(view.ratio_db[i]),
            needed_db=float(scene.needed[i]),
            worst=None if worst is None else self._product(view, i, *worst),
            blocked_db=blocked,
            blocker=scene.loudest(i) if blocked > 0 else "",
            stands_in=scene.stands_in(i),
        )

    def products_on(self, name: str) -> list[Product]:
        """Every product that overlaps a carrier's channel."""
        i = self.situation.index(name)
        view = self._worse(i)
        return [
            self._product(view, i, k, row)
            for k, (_, found, _, _) in enumerate(view.parts)
            for row in np.flatnonzero(found.victim == i).tolist()
        ]

    def _product(self, view: _View, victim: int, part: int, row: int) -> Product:
        kind, found, receiver, transmitter = view.parts[part]
        ids, product = self.situation.ids, int(found.product[row])
        return Product(
            victim=ids[victim],
            kind=kind,
            product_hz=product,
            sources=tuple(ids[int(s)] for s in found.sources[row]),
            coefficients=found.coefficients,
            distance_hz=abs(product - int(self.situation.freq[victim])),
            receiver_dbm=float(receiver[row]),
            transmitter_dbm=float(transmitter[row]),
        )


def _strongest(found: Found, power_mw: Floats, victims: NDArray[np.bool_]) -> list[tuple[int, float, int]]:
    """Of each marked victim (n,) that products fall on: its index, the power [mW] of the strongest, and its row."""
    rows = np.flatnonzero(victims[found.victim])
    rows = rows[np.lexsort((power_mw[rows], found.victim[rows]))]
    victim = found.victim[rows]
    last = rows[np.r_[victim[1:] != victim[:-1], True]] if len(rows) else rows
    return [(int(found.victim[row]), float(power_mw[row]), row) for row in last.tolist()]


def broken(
    request: PlanRequest, carriers: Sequence[Carrier], radios: Mapping[str, Radio], rooms: Rooms, school: School,
    by_frequency: bool = False, judge: LevelJudge | None = None,
) -> set[str]:  # fmt: skip
    """Carriers that have a conflict in a school, as victims or as one of a pair that is too close.

    `by_frequency`: without those that are in danger wherever they stand, which is nothing a plan can mend. `judge`:
    the same carriers judged by level, where the caller has them.
    """
    if not carriers:
        return set()
    by_distance = Situation(carriers, request.profiles, request.relations)
    out = {name for clash in clashes(by_distance) for name in clash.ids}
    guarded: set[str] = set()
    for kind in KINDS:
        for found in near(by_distance, kind, by_distance.guard[kind] - 1):
            victims = {by_distance.ids[v] for v in set(found.victim.tolist())}
            if kind in LEVEL_KINDS:
                guarded |= victims
            else:
                out |= victims
    if school == "spacing":
        return out | guarded
    judge = judge or LevelJudge(request, carriers, radios, rooms)
    danger = judge.worsened() if by_frequency else judge.in_danger()
    return out | (guarded & judge.foreign) | (danger if school == "level" else danger & guarded)
