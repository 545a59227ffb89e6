"""Who hears whom how loudly: wanted signals at their worst, everything else at its best for harm.

Places count where they are known: those of antennas with their aims, of people, and who wears two packs. The distances
of a room stand in where they are not, and `Scene.stands_in` says which figure did. Levels are dBm, distances metres.
"""

from collections.abc import Mapping, Sequence
from copy import copy
from itertools import combinations_with_replacement
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats, dbm, indoor_db, milliwatts, thermal_noise_dbm
from azven.rf.links import (
    COUPLING_FLOOR_DB,
    TOUCHING_DB,
    End,
    Point,
    between_antennas_db,
    gain_towards,
    level_kept,
    path_db,
)
from azven.rf.persons import coupling_db
from azven.rf.products import Ints, Situation
from azven.rf.radios import Radio, Room, Rooms, on_one_body
from azven.rf.request import Carrier
from azven.rf.walls import crossed_db

Bools = NDArray[np.bool_]
Place = Literal["far", "near"]
"""Where those who wear receivers stand: far from the antenna that sends to them, where noise decides, or near it,
where what their own receivers make decides."""
StandIn = Literal["near", "far", "between", "transmit antenna", "receive antenna"]
HELD_M = 0.5
"""From a hand to the packs on the same body."""
TURNED_DB = float(-20 * np.log10(np.cos(np.radians(45.0))))
_TOUCHING_M = 0.1
_RACK_ISOLATION_DB = 30.0
"""Between two transmitters on one combiner, planning value."""


class Scene:
    """Levels among the carriers of a situation, arrays in its order.

    `heard[i, v]` [dBm]: carrier i at the receiver of v, at its best for harm. `wanted[v]`: its own, at its worst.
    `coupled[h, x]` [dBm]: x at the output of h. `desensitised[v]` [dB]: what the composite at the receiver takes.
    """

    def __init__(
        self, situation: Situation, carriers: Sequence[Carrier], radios: Mapping[str, Radio], rooms: Rooms
    ) -> None:
        by_id = {c.id: c for c in carriers}
        self._ids = situation.ids
        ordered = [by_id[i] for i in situation.ids]
        self.radios = [radios.get(c.id, Radio()) for c in ordered]
        self.zones = [c.zone for c in ordered]
        self.rooms = rooms
        self.freq: Floats = np.array([c.freq_hz for c in ordered], float)
        self._take_radios()
        self._take_rooms()
        self._counted: Bools = situation.meets & situation.radiates[:, None]
        self.coupled: Floats = self.power[None, :] - self._between_outputs()
        self._to_racks_and_masts = np.where(self.fixed[None, :], self._to_worn(), self._to_masts("receive"))
        self._stand("far")

    def _take_radios(self) -> None:
        known = self.radios
        self.power: Floats = np.array([r.power_dbm for r in known])
        self.loss: Floats = np.array([r.conversion_loss_db for r in known])
        self.iip3: Floats = np.array([r.iip3_dbm for r in known])
        self.needed: Floats = np.array([r.needed_db for r in known])
        self.bandwidth: Ints = np.array([r.bandwidth_hz for r in known], np.int64)
        self.noise: Floats = thermal_noise_dbm(self.bandwidth, np.array([r.nf_db for r in known]))
        self.fixed: Bools = np.array([r.fixed for r in known], bool)
        self._blocked_from: Floats = np.array([r.blocked_from_dbm for r in known])
        self._gain: Floats = np.array([r.gain_dbi for r in known])
        self._body: Floats = np.array([r.body_db for r in known])
        self._least: Floats = np.array([r.least_body_db for r in known])
        self._at = _points([r.pos_m for r in known])

    def _take_rooms(self) -> None:
        zones, room = self.zones, self.rooms.room
        names = sorted(set(zones))
        at = np.array([names.index(z) for z in zones], np.intp)
        self._isolation: Floats = np.array([[self.rooms.between(a, b) for b in names] for a in names])[np.ix_(at, at)]
        self._same: Bools = at[:, None] == at[None, :]
        figures = np.array([
            [r.near_m, r.far_m, r.between_m, r.exponent, r.best_gain_dbi("transmit"), r.best_gain_dbi("receive"),
             len(r.transmit), level_kept([0.0] * r.branches)]
            for r in map(room, names)
        ])  # fmt: skip
        self._near, self._far, self._between, self._exponent, self._sends, self._hears, self._antennas, self._kept = (
            figures[at].T
        )
        found = [self.rooms.wide.get(z) for z in zones]
        self._wide: Floats = np.array([
            0.0 if w is None else w.worn_mw if worn else w.racks_mw for w, worn in zip(found, self.fixed, strict=True)
        ])  # fmt: skip
        self._nearest = np.where(self._same, self._near[None, :], self._near[:, None] + self._near[None, :])

    def beside_the_antenna(self) -> "Scene":
        """The same with everybody who wears a receiver near the antenna that sends to it."""
        out = copy(self)
        out._stand("near")
        return out

    def _stand(self, place: Place) -> None:
        """The levels that follow from where those who wear receivers stand."""
        own = self._own(place)
        one_rack = self._shared[None, :] & self.fixed[:, None] & self._same
        gains = np.where(one_rack, self._in_one_rack(own, place)[None, :], self._to_racks_and_masts)
        np.fill_diagonal(gains, own)
        self.wanted: Floats = self.power + own
        self.to_receiver: Floats = gains
        """Gain [dB] from the port of a host h to the receiver of v: negative."""
        self.heard: Floats = self.power[:, None] + gains
        self.desensitised: Floats = self._desensitised()

    def loudest(self, v: int) -> str:
        """Who brings most to the receiver of a carrier, by id: one of the carriers, or a wideband one."""
        levels = np.where(self._counted[:, v], self.heard[:, v], -np.inf)
        most, wide = int(np.argmax(levels)), self.rooms.wide.get(self.zones[v])
        if wide is not None and self._wide[v] > milliwatts(levels[most]):
            return wide.loudest
        return self._ids[most]

    def stands_in(self, v: int) -> frozenset[StandIn]:
        """Which figures of the room the judgement on a carrier hangs on, because a place is not known."""
        radio, room = self.radios[v], self.rooms.room(self.zones[v])
        out: set[StandIn] = set()
        mast = room.transmit if radio.fixed else room.receive
        if not _placed(mast):
            out.add("transmit antenna" if radio.fixed else "receive antenna")
        if radio.pos_m is None or not _placed(mast):
            out |= {"near", "far"}
        if radio.pos_m is None:
            out.add("between")
        others = self.fixed & (np.arange(len(self.zones)) != v)
        if not radio.fixed and np.any(others & self._same[:, v]) and not _placed(room.transmit):
            out.add("transmit antenna")
        return frozenset(out)

    # -- the wanted signal ----------------------------------------------------------------------------------

    def _own(self, place: Place) -> Floats:
        """Gain [dB] (n,) from a transmitter to its own receiver: far, the body between, 45° off and faded by what 1 %
        outage needs; for a worn receiver that is looked at near its antenna: near, facing, not faded."""
        near = self.fixed & (place == "near")
        metres = np.where(near, self._near, self._far)
        antenna = np.where(self.fixed, self._sends, self._hears)
        best = antenna - indoor_db(self.freq, metres, self._exponent)
        kept = best + np.where(self.fixed, level_kept([0.0]), self._kept)
        for v in np.flatnonzero(~np.isnan(self._at[:, 0])).tolist():
            room = self.rooms.room(self.zones[v])
            ends = _placed(room.transmit if self.fixed[v] else room.receive)
            if ends:
                ways = [float(self._from_place(self.freq[v], self._at[v], e, room.exponent, 1.0)) for e in ends]
                best[v] = max(ways)
                kept[v] = level_kept([best[v]] if self.fixed[v] else ways)
        return np.asarray(self._gain + np.where(near, best - self._least, kept - self._body - TURNED_DB))

    def _from_place(self, freq: Floats, at: Floats, end: End, exponent: float, walls: float) -> Floats:
        """Median gain [dB] (...) from places (..., 3) to an antenna's port, with a share `walls` of the walls' loss."""
        away = at - np.asarray(end.pos_m, float)
        path = indoor_db(freq, np.linalg.norm(away, axis=-1), exponent)
        lost = walls * crossed_db(self.rooms.walls, at, np.asarray(end.pos_m, float)) if self.rooms.walls else 0.0
        return np.asarray(gain_towards(end, away) - path - lost)

    # -- what disturbs --------------------------------------------------------------------------------------

    def _to_masts(self, role: Literal["receive", "transmit"]) -> Floats:
        """Gain [dB] (n, n) from every transmitter to the antennas of every carrier's room, the best-placed for harm."""
        sent = np.where(self.fixed, self._sends, self._gain - self._least)
        taken = self._hears if role == "receive" else self._sends
        exponent = self._exponent[None, :]
        out = sent[:, None] + taken[None, :] - indoor_db(self.freq[:, None], self._nearest, exponent) - self._isolation
        for zone in set(self.zones):
            room = self.rooms.room(zone)
            if ends := _placed(room.receive if role == "receive" else room.transmit):
                inside = np.array([z == zone for z in self.zones])
                column = out[:, np.argmax(inside)].copy()
                self._to_known_masts(column, sent, zone, room, ends)
                out[:, inside] = column[:, None]
        return np.asarray(out)

    def _to_known_masts(self, column: Floats, sent: Floats, zone: str, room: Room, ends: Sequence[End]) -> None:
        """Write what arrives at antennas with a place from everybody with one into the column (n,) of their room."""
        apart = np.array([0.0 if self.rooms.walls else self.rooms.between(z, zone) for z in self.zones])
        known = ~self.fixed & ~np.isnan(self._at[:, 0])
        if known.any():
            ways = [self._from_place(self.freq[known], self._at[known], e, room.exponent, 0.5) for e in ends]
            column[known] = sent[known] + np.max(ways, axis=0) - apart[known]
        for i in np.flatnonzero(self.fixed).tolist():
            senders = _placed(self.rooms.room(self.zones[i]).transmit)
            if senders:
                coupled = [self._between_antennas(i, a, b) for a in senders for b in ends if a != b]
                column[i] = max(coupled, default=-_RACK_ISOLATION_DB) - apart[i]

    def _between_antennas(self, i: int, a: End, b: End) -> float:
        """Gain [dB] from one antenna's port to another's at the frequency of carrier i."""
        lost = 0.5 * float(crossed_db(self.rooms.walls, a.pos_m or (), b.pos_m or ())) if self.rooms.walls else 0.0
        return -between_antennas_db(float(self.freq[i]), a, b) - lost

    def _to_worn(self) -> Floats:
        """Gain [dB] (n, n) to receivers that people wear: from rack antennas, and from what others and they carry."""
        taken = self._gain - self._least
        path = indoor_db(self.freq[:, None], self._nearest, self._exponent[None, :])
        masts = self._sends[:, None] + taken[None, :] - path - self._isolation
        for v in np.flatnonzero(self.fixed & ~np.isnan(self._at[:, 0])).tolist():
            self._from_known_masts(masts, v, float(taken[v]))
        return np.where(self.fixed[:, None], masts, -self._between_people(indoor=True))

    def _from_known_masts(self, masts: Floats, v: int, taken: float) -> None:
        """What rack antennas with a place bring to a receiver with one, written into the column of `masts`."""
        for i in np.flatnonzero(self.fixed).tolist():
            senders = _placed(self.rooms.room(self.zones[i]).transmit)
            if senders:
                apart = 0.0 if self.rooms.walls else float(self._isolation[i, v])
                exponent = float(self._exponent[v])
                ways = [self._from_place(self.freq[i], self._at[v], e, exponent, 0.5) for e in senders]
                masts[i, v] = taken + float(np.max(ways)) - apart

    @property
    def _shared(self) -> Bools:
        """Worn receivers (n,) whose rack has one antenna, or none that is known."""
        return np.asarray(self.fixed & (self._antennas <= 1))

    def _in_one_rack(self, own: Floats, place: Place) -> Floats:
        """Gain [dB] (n,) to a worn receiver from the others in its rack: the same place and so the same path and body.
        On one antenna they fade and turn with it; where no antenna is known they may not."""
        apart = TURNED_DB - level_kept([0.0])
        return own + np.where((self._antennas == 1) | (place == "near"), 0.0, apart)

    def _between_people(self, indoor: bool) -> Floats:
        """Coupling [dB] (n, n) between what is carried: 10 where it is worn on one body or touches, else path and both
        bodies less both gains. For rack transmitters it says nothing."""
        metres = np.where(self._same, self._between[None, :], self._near[:, None] + self._near[None, :])
        apart = np.linalg.norm(self._at[:, None] - self._at[None, :], axis=2)
        metres = np.where(np.isnan(apart), metres, apart)
        body, opposite = self._bodies()
        worn = np.array([r.on_the_body for r in self.radios])
        metres = np.where(body, HELD_M, metres)
        touch = (body & worn[:, None] & worn[None, :]) | (metres <= _TOUCHING_M)
        exponent = self._exponent[None, :]
        path = indoor_db(self.freq[:, None], metres, exponent) if indoor else path_db(self.freq[:, None], metres)
        bodies = self._least - self._gain
        loss = path + bodies[:, None] + bodies[None, :] + self._isolation
        touching = np.where(opposite, coupling_db("opposite"), TOUCHING_DB)
        return np.where(touch, touching, np.maximum(loss, COUPLING_FLOOR_DB))

    def _bodies(self) -> tuple[Bools, Bools]:
        """Whether two are on one body (n, n), and whether that body is between them."""
        size = len(self.radios)
        body, opposite = np.zeros((size, size), bool), np.zeros((size, size), bool)
        carried = [i for i, r in enumerate(self.radios) if r.worn]
        for i, j in combinations_with_replacement(carried, 2):
            how = on_one_body(self.radios[i], self.radios[j])
            body[i, j] = body[j, i] = bool(how)
            opposite[i, j] = opposite[j, i] = how == "opposite"
        return body, opposite

    # -- what transmitters and receivers take ---------------------------------------------------------------

    def _between_outputs(self) -> Floats:
        """Coupling [dB] (n, n) from the output of x (column) to that of h (row)."""
        carried = self._between_people(indoor=False)
        into_masts = -self._to_masts("transmit").T  # [h, x]: x into the rack antennas of h's room
        to_carried = -self._racks_to_carried()
        racks = np.where(self._same, np.minimum(_RACK_ISOLATION_DB, into_masts), into_masts)
        to_racks = np.where(self.fixed[None, :], racks, into_masts)
        to_people = np.where(self.fixed[None, :], to_carried, carried)
        return np.maximum(np.where(self.fixed[:, None], to_racks, to_people), COUPLING_FLOOR_DB)

    def _racks_to_carried(self) -> Floats:
        """Gain [dB] (n, n) from rack transmitter x (column) into the antenna of a carried transmitter h (row)."""
        path = path_db(self.freq[None, :], self._nearest.T)
        return np.asarray(self._sends[None, :] + (self._gain - self._least)[:, None] - path - self._isolation)

    def _desensitised(self) -> Floats:
        """What the average composite at a receiver takes from its ratio [dB] (n,): as much as it stands above the
        blocking level."""
        composite = dbm((milliwatts(self.heard) * self._counted).sum(axis=0) + self._wide)
        return np.asarray(np.maximum(composite - self._blocked_from, 0.0))


def _placed(ends: Sequence[End]) -> list[End]:
    return [e for e in ends if e.pos_m is not None]


def _points(places: Sequence[Point | None]) -> Floats:
    return np.array([p or (np.nan,) * 3 for p in places], float).reshape(-1, 3)
