"""What levels know of links and rooms: powers, losses and needs of radios, distances and antennas of rooms."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from azven.rf.imlevels import COMPRESSION_TO_INTERCEPT_DB, CONVERSION_LOSS_DB
from azven.rf.links import End, Point
from azven.rf.walls import WallLine

BACKOFF_DB = 10.0
"""A receiver is blocked from so far below its compression on, planning value."""
_PACK_DB, _PACK_LEAST_DB, _HAND_DB, _FACING_DB = 15.0, 3.0, 10.0, 3.0


@dataclass(frozen=True)
class Spot:
    """On whom something is worn, and on which side; empty where that is not known."""

    person: str
    side: str = ""


@dataclass(frozen=True, kw_only=True)
class Radio:
    """What levels ask of a link: conducted power, losses, and what its receiver needs and stands.

    `fixed`: the transmitter stands in a rack and the receiver is worn, as with in-ears; else the other way round.
    `worn` says on whom, empty where nobody knows; `pos_m` where that person stands. `blocking_dbm` None: 10 dB under
    the compression that the intercept implies.
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
    worn: tuple[Spot, ...] = ()
    blocking_dbm: float | None = None

    @property
    def blocked_from_dbm(self) -> float:
        """Average composite [dBm] from which on the receiver loses."""
        if self.blocking_dbm is not None:
            return self.blocking_dbm
        return self.iip3_dbm - COMPRESSION_TO_INTERCEPT_DB - BACKOFF_DB

    @property
    def least_body_db(self) -> float:
        """The least that the body takes [dB]: a pack that faces the other end, a hand that hardly covers."""
        if self.body_db >= _PACK_DB:
            return _PACK_LEAST_DB
        if self.body_db >= _HAND_DB:
            return _HAND_DB
        return self.body_db if self.body_db <= _FACING_DB else _FACING_DB

    @property
    def on_the_body(self) -> bool:
        """Worn: the receiver of an in-ear, and every transmitter whose body loss is not that of a hand."""
        return self.fixed or not _HAND_DB <= self.body_db < _PACK_DB


def on_one_body(a: Radio, b: Radio) -> Literal["", "same", "opposite"]:
    """Whether two radios are ever on one body: on opposite sides where both sides are known and differ for everybody
    who wears both; empty where nobody does."""
    pairs = [(x.side, y.side) for x in a.worn for y in b.worn if x.person == y.person]
    if not pairs:
        return ""
    return "opposite" if all(x and y and x != y for x, y in pairs) else "same"


@dataclass(frozen=True, kw_only=True)
class Room:
    """A zone as levels see it: nearest and farthest transmitter from its antenna, transmitters from one another, and
    its antennas, those with a place counting by it."""

    near_m: float = 5.0
    far_m: float = 30.0
    between_m: float = 2.0
    exponent: float = 20.0
    antenna_gain_dbi: float = 6.5
    receive: tuple[End, ...] = ()
    transmit: tuple[End, ...] = ()

    def best_gain_dbi(self, role: Literal["receive", "transmit"]) -> float:
        """Gain [dBi] of its best antenna towards what it is aimed at."""
        ends = self.receive if role == "receive" else self.transmit
        return max((e.gain_dbi for e in ends), default=self.antenna_gain_dbi)

    @property
    def branches(self) -> int:
        """Receive antennas of a diversity receiver: a pair where none is known."""
        return len(self.receive) or 2


@dataclass(frozen=True)
class Wide:
    """What wideband carriers bring to receivers of a room on average [mW]: to its antennas, and to those that are worn.
    `loudest` is the id of the one that brings most."""

    loudest: str
    racks_mw: float
    worn_mw: float


@dataclass(frozen=True)
class Rooms:
    """All zones, the isolation [dB] between two of them (none listed: 0), and the walls of the plan, whose losses are
    those for coverage: half of them counts against what disturbs. `wide`: wideband carriers by zone."""

    rooms: Mapping[str, Room]
    isolation_db: Mapping[frozenset[str], float]
    walls: tuple[WallLine, ...] = ()
    wide: Mapping[str, Wide] = field(default_factory=dict)

    def between(self, a: str, b: str) -> float:
        return self.isolation_db.get(frozenset((a, b)), 0.0) if a != b else 0.0

    def room(self, zone: str) -> Room:
        return self.rooms.get(zone, Room())
