"""What receivers of the venue show at a moment: level and quality on each side of each link, as people walk.

The median of a level is that of `rf.reach`, through the walls and the antenna, then through what the antenna system
does to it; fading, bodies that turn and whatever else is on the air come on top. Time is an argument, chance belongs to
a seed and a place, so that a moment can be seen again.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace

import numpy as np
from numpy.typing import NDArray

from azven.rf.fading import between_db, slow_db
from azven.rf.levels import KT0_DBM_HZ, Floats, dbm, man_made_noise_db, milliwatts
from azven.rf.links import BODY_DB, End
from azven.rf.reach import Surroundings, arriving_db, through_crowd
from azven.rf.venue.passing import passed_db
from azven.rf.venue.things import Antenna, Emitter, Front
from azven.rf.venue.ways import Outline, Way
from azven.rf.venue.world import Venue

SLOW_DB = 2.0
_FACING_DB = 6.0
"""What a body costs more, or less, as it is turned towards the antenna or away from it."""
_SWAY_DEG = 10.0
_REST_EVERY_S = 4.0
_SOFT_DB = {"analogue": 3.0, "digital": 1.0}
_HALF_UNDER_DB = 6.0
"""Quality is half at so many decibels under the needed ratio, and changes over so many."""
SILENT_DBM = -160.0
_BAND_GAP_HZ, _MOST_KEPT = 50e6, 200


@dataclass(frozen=True)
class Side:
    """A side of an antenna system: the antenna as Reach has it, as the venue has it (with its front), and the room
    around it."""

    end: End
    antenna: Antenna
    around: Surroundings
    house: tuple[Outline, ...] = ()
    """Where the audience will be; what of it is there, the reception says."""


@dataclass(frozen=True, kw_only=True)
class Receiver:
    """A receiver: its sides by number, bandwidth [Hz], ratio it needs [dB], and how its quality falls."""

    sides: tuple[int, ...]
    bandwidth_hz: float = 200_000.0
    needed_db: float = 20.0
    digital: bool = False
    carrier: str = ""
    """Receivers of one wideband carrier hear its transmitters in time slots of their own: these do not disturb."""

    def own(self, number: int) -> str:
        """What its transmitter is called in the venue."""
        return self.carrier or f"own {number}"


@dataclass(frozen=True, kw_only=True)
class Carried:
    """Transmitters as arrays (n,), one for each receiver: whether on, frequency [Hz], radiated power [dBm], bandwidth
    [Hz], and what their bodies cost in the middle [dB]; `behind`: 1 worn on the back, −1 held in front."""

    on: NDArray[np.bool_]
    freq_hz: Floats
    power_dbm: Floats
    bandwidth_hz: Floats
    body_db: Floats
    behind: Floats


@dataclass(frozen=True)
class Shown:
    """What the receivers measure: level in the channel (m, 2) [dBm] at the receiver's input, ratio of the own carrier
    to everything else (m, 2) [dB] and whatever else there is (m, 2) [dBm]. One side: the other is NaN. Over moments
    (n,) all are (m, n, …)."""

    level_dbm: Floats
    ratio_db: Floats
    rest_dbm: Floats
    place_m: Floats


@dataclass
class Reception:
    """The receivers of a venue and the people who carry their transmitters. `venue` holds everybody else."""

    venue: Venue
    sides: Sequence[Side]
    receivers: Sequence[Receiver]
    ways: Sequence[Way]
    height_m: float = 1.5
    rest_every_s: float = _REST_EVERY_S
    """So often it is worked out anew what everybody else brings."""
    persons: NDArray[np.intp] | None = None
    """Who carries each transmitter: people then stand in one another's way."""
    filling: tuple[Floats, Floats] | None = None
    """Moments [s] and what share of the house is there, 0…1; without it the house is empty."""
    _broad: dict[tuple[int, bytes, bytes], Floats] = field(default_factory=dict, repr=False)
    _rest: dict[int, Floats] = field(default_factory=dict, repr=False)
    _blocked: dict[int, float] = field(default_factory=dict, repr=False)
    _rest_key: tuple[object, ...] = field(default=(), repr=False)

    def __post_init__(self) -> None:
        self._on_side: Mapping[int, NDArray[np.intp]] = {
            s: np.array([i for i, r in enumerate(self.receivers) if s in r.sides], np.intp)
            for s in range(len(self.sides))
        }
        self._bandwidth = np.array([r.bandwidth_hz for r in self.receivers], float)
        self._needed = np.array([r.needed_db for r in self.receivers], float)
        self._soft = np.array([_SOFT_DB["digital" if r.digital else "analogue"] for r in self.receivers], float)

    def places(self, time_s: float) -> tuple[Floats, Floats]:
        """Where everybody is (m, 3) [m], and which way they face (m,) [rad]."""
        place, facing = self.places_over(np.array([time_s]))
        return place[:, 0], facing[:, 0]

    def places_over(self, at_s: Floats) -> tuple[Floats, Floats]:
        """Where everybody is at moments (n,): (m, n, 3) [m], and which way they face (m, n) [rad]."""
        at = np.array([w.over(at_s) for w in self.ways], float).reshape(-1, len(at_s), 3)
        height = np.full((*at.shape[:2], 1), self.height_m)
        return np.concatenate([at[..., :2], height], axis=2), at[..., 2]

    def shown(self, time_s: float, freq_hz: Floats, carried: Carried) -> Shown:
        """What receivers tuned to frequencies (m,) [Hz] measure at a moment."""
        over = self.over(np.array([time_s]), freq_hz, carried)
        return Shown(*(getattr(over, f.name)[:, 0] for f in fields(Shown)))

    def over(self, at_s: Floats, freq_hz: Floats, carried: Carried) -> Shown:
        """What receivers tuned to frequencies (m,) [Hz] measure at moments (n,) [s]: a moment is the second axis."""
        m, n = len(self.receivers), len(at_s)
        place, facing = self.places_over(at_s)
        rest, blocked = self._rest_over(at_s, freq_hz, carried, place)
        inside = _share_inside(carried, freq_hz, self._bandwidth)
        level, ratio, others = (np.full((m, n, 2), np.nan) for _ in range(3))
        for s, side in enumerate(self.sides):
            who = self._on_side[s]
            if not len(who):
                continue
            own = np.full((len(who), n), SILENT_DBM)
            on = carried.on[who]
            if on.any():
                own[on] = (
                    self._own_dbm(side, who[on], place, facing, at_s, carried) + inside[who[on], None] - blocked[s]
                )
            column = [self.receivers[i].sides.index(s) for i in who]
            noise = milliwatts(self._noise_dbm(side.antenna.front, freq_hz[who], who))[:, None]
            disturbed = dbm(milliwatts(rest[s]) + noise)
            level[who, :, column] = dbm(milliwatts(own) + milliwatts(disturbed))
            ratio[who, :, column] = own - disturbed
            others[who, :, column] = disturbed
        return Shown(level, ratio, others, place)

    def quality(self, shown: Shown) -> Floats:
        """How much of the signal arrives intact (m, …), 0…1, on the better side."""
        better = np.nanmax(np.where(np.isnan(shown.ratio_db), -np.inf, shown.ratio_db), axis=-1)
        needed, soft = (x.reshape(-1, *[1] * (better.ndim - 1)) for x in (self._needed, self._soft))
        spare = np.clip((better - needed + _HALF_UNDER_DB) / soft, -60, 60)
        return np.asarray(1 / (1 + np.exp(-spare)))

    def median_dbm(self, side: int, carried: Carried, place_m: Floats) -> Floats:
        """The link budget (n,) [dBm]: median level at the receivers' inputs on a side with everybody at places (n, 3),
        bodies as they are in the middle."""
        there, freq = self.sides[side], carried.freq_hz
        heard = arriving_db(place_m, there.end, there.around, freq)
        return np.asarray(carried.power_dbm - carried.body_db + heard + _gain_db(there.antenna.front, freq))

    def world(self, carried: Carried, place_m: Floats) -> Venue:
        """The venue with what is on of ours, at places (n, 3)."""
        own = tuple(
            Emitter(
                name=self.receivers[i].own(i), freq_hz=round(carried.freq_hz[i]),
                power_dbm=float(carried.power_dbm[i]),
                position=(float(place_m[i, 0]), float(place_m[i, 1]), float(place_m[i, 2])),
                bandwidth_hz=float(carried.bandwidth_hz[i]), extra_loss_db=float(carried.body_db[i]), ours=True,
            )
            for i in np.flatnonzero(carried.on).tolist()
        )  # fmt: skip
        return replace(self.venue, emitters=(*self.venue.emitters, *own))

    def against(self, number: int, side: int, time_s: float, carried: Carried) -> Mapping[str, float]:
        """What stands against a receiver on a side at a moment [dBm]: `own` carriers of ours, `product`s, `foreign`
        carriers, what is broad (`noise`), and the `floor` of antenna and receiver."""
        place, _ = self.places(time_s)
        antenna, who = self.sides[side].antenna, np.array([number])
        freq, width, names = carried.freq_hz[who], self._bandwidth[who], [self.receivers[number].own(number)]
        whole = self.world(carried, place)
        ours = replace(whole, emitters=tuple(e for e in whole.emitters if e.ours))
        parts = {w: x.inside_mw(antenna, freq, width, names, time_s) for w, x in (("all", whole), ("own", ours),
                                                                                ("foreign", self.venue))}  # fmt: skip
        told = {"own": parts["own"][0], "foreign": parts["foreign"][0], "product": parts["all"][1],
                "noise": parts["all"][2]}  # fmt: skip
        floor = self._noise_dbm(antenna.front, freq, who)
        return {name: float(dbm(power)[0]) for name, power in told.items()} | {"floor": float(floor[0])}

    def _own_dbm(
        self, side: Side, who: NDArray[np.intp], place: Floats, facing: Floats, at_s: Floats, carried: Carried
    ) -> Floats:
        """Level (k, n) of the own carriers at the receivers' inputs, faded."""
        at, freq = place[who], carried.freq_hz[who, None]
        mast = np.asarray(side.end.pos_m, float)
        away = mast[:2] - at[..., :2]
        towards = np.cos(np.arctan2(away[..., 0], away[..., 1]) - facing[who])
        body = carried.body_db[who, None] + _FACING_DB * carried.behind[who, None] * towards
        sway = _SWAY_DEG * np.sin(0.7 * at_s + who[:, None])
        heard = arriving_db(at, side.end, side.around, freq, sway)
        seed = self.venue.seed
        faded = between_db(at, mast, freq, seed) + slow_db(at, seed, SLOW_DB)
        gain = _gain_db(side.antenna.front, carried.freq_hz[who])[:, None]
        lost = body + self._crowd_db(side, at, at_s)
        if self.persons is not None:
            lost = lost + passed_db(place, mast, who, self.persons, carried.freq_hz[who])
        return np.asarray(carried.power_dbm[who, None] - lost + heard + faded + gain)

    def _crowd_db(self, side: Side, at: Floats, at_s: Floats) -> Floats | float:
        """What the audience costs on paths that pass it below head height: as much as of the house is there."""
        if self.filling is None or not side.house:
            return 0.0
        share = np.interp(at_s, *self.filling)
        return BODY_DB["crowd"] * share * through_crowd(at, np.asarray(side.end.pos_m, float), side.house)

    def _noise_dbm(self, front: Front | None, freq_hz: Floats, who: NDArray[np.intp]) -> Floats:
        front = front or Front()
        factor = milliwatts(man_made_noise_db(freq_hz, self.venue.surroundings)) + milliwatts(front.noise_figure_db) - 1
        return np.asarray(
            KT0_DBM_HZ + 10 * np.log10(self._bandwidth[who]) + 10 * np.log10(factor) + _gain_db(front, freq_hz)
        )

    def _rest_over(
        self, at_s: Floats, freq_hz: Floats, carried: Carried, place: Floats
    ) -> tuple[list[Floats], list[Floats]]:  # fmt: skip
        """What else arrives on each side in the channels of its receivers (k, n) [dBm], and what each side's front
        loses of everything because it is blocked (n,) [dB]."""
        parts = [self._rest_of(t, freq_hz, carried, place[:, k]) for k, t in enumerate(at_s.tolist())]
        sides = range(len(self.sides))
        return (
            [np.stack([rest[s] for rest, _ in parts], axis=1) for s in sides],
            [np.array([blocked[s] for _, blocked in parts]) for s in sides],
        )

    def _rest_of(
        self, time_s: float, freq_hz: Floats, carried: Carried, place: Floats
    ) -> tuple[dict[int, Floats], dict[int, float]]:  # fmt: skip
        """The same at a moment; worked out anew every few seconds, and when anybody comes on, goes off or changes
        frequency."""
        key = (int(time_s / self.rest_every_s), freq_hz.tobytes(), carried.on.tobytes(), carried.freq_hz.tobytes())
        if key != self._rest_key:
            self._rest_key = key
            names = [r.own(i) for i, r in enumerate(self.receivers)]
            world = self.world(carried, place)
            self._rest, self._blocked = {}, {}
            for s, side in enumerate(self.sides):
                who = self._on_side[s]
                arriving = np.full(len(who), -np.inf)
                self._blocked[s] = 0.0
                for band in _bands(freq_hz[who]):
                    there = who[band]
                    freq, width = freq_hz[there], self._bandwidth[there]
                    arriving[band], self._blocked[s] = world.disturbing(
                        side.antenna, freq, width, [names[i] for i in there], time_s, self._broad_of(s, freq, width)
                    )
                self._rest[s] = arriving
        return self._rest, self._blocked

    def _broad_of(self, number: int, freq_hz: Floats, bandwidth_hz: Floats) -> Floats:
        """What is broad in channels on a side [mW], worked out once for each set of frequencies."""
        key = number, freq_hz.tobytes(), bandwidth_hz.tobytes()
        if key not in self._broad:
            if len(self._broad) > _MOST_KEPT:
                self._broad.clear()
            self._broad[key] = self.venue.broad_mw(self.sides[number].antenna, freq_hz, bandwidth_hz)
        return self._broad[key]


def _bands(freq_hz: Floats) -> list[NDArray[np.intp]]:
    """Frequencies (n,) by the bands they lie in: parted where nothing is for 50 MHz."""
    order = np.argsort(freq_hz, kind="stable")
    return [b for b in np.split(order, np.flatnonzero(np.diff(freq_hz[order]) > _BAND_GAP_HZ) + 1) if len(b)]


def _gain_db(front: Front | None, freq_hz: Floats) -> Floats:
    """What an antenna system does to a level [dB]."""
    return np.zeros(len(freq_hz)) if front is None else np.asarray(dbm(front.gain_at(freq_hz)))


def _share_inside(carried: Carried, freq_hz: Floats, bandwidth_hz: Floats) -> Floats:
    """What of each own carrier falls into the channel that its receiver is tuned to [dB]."""
    half = (bandwidth_hz + carried.bandwidth_hz) / 2
    overlap = np.clip((half - np.abs(carried.freq_hz - freq_hz)) / carried.bandwidth_hz, 0.0, 1.0)
    return np.asarray(dbm(np.maximum(overlap, 1e-12)))
