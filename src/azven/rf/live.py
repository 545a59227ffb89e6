"""What receivers would show at a moment: levels of both antennas, quality, battery, for many links at once.

Time is an argument [s], never a clock, and all chance is seeded by link and place: the same moment gives the same
status in any process. Positions follow a slow walk around each performer's home; fast fading belongs to the place.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from azven.rf.fading import rayleigh_db, slow_db
from azven.rf.levels import Floats, dbm, free_space_db, indoor_db, milliwatts, thermal_noise_dbm
from azven.rf.venue import Antenna, Venue
from azven.rf.walls import WallLine, crossed_db

_STRIDE_M = 3.0
_PACE_RAD_S = 0.25
_HALF_QUALITY_DB, _SOFT_DB = 6.0, 3.0
_TURN_EVERY_S, _TURN_DB = 17.0, 16.0


@dataclass(frozen=True, kw_only=True)
class Crew:
    """Links as arrays of length n: frequency [Hz], conducted power and body loss, home (n, 3) [m], receive antennas
    (2, 3) [m] with gain, interference in the channel [dBm] (−∞ where none), needed ratio, battery life [min]."""

    freq_hz: NDArray[np.int64]
    power_dbm: Floats
    body_db: Floats
    home_m: Floats
    antennas_m: Floats
    antenna_gain_dbi: float
    interference_dbm: Floats
    needed_db: Floats
    battery_min: Floats
    exponent: float | None = 20.0
    walls: tuple[WallLine, ...] = ()
    bandwidth_hz: float = 200_000.0
    nf_db: float = 8.0
    seed: int = 1
    blocked_db: float = 0.0
    """What their receivers lose of every level to all that arrives at their antennas."""


@dataclass(frozen=True, kw_only=True)
class Status:
    """What the receivers show, arrays of length n: levels of antennas A and B [dBm], which one is used (0 or 1),
    quality 0…1, battery left [min] (0 when empty), and where each transmitter is (n, 3) [m]."""

    level_a_dbm: Floats
    level_b_dbm: Floats
    used: NDArray[np.int64]
    quality: Floats
    battery_min: Floats
    pos_m: Floats


@dataclass(frozen=True)
class Receiver:
    """The receiver of one of the venue's transmitters: its name, needed ratio [dB], channel [Hz], battery [min]."""

    name: str
    needed_db: float = 20.0
    bandwidth_hz: float = 200_000.0
    battery_min: float = 300.0


def crew_of(venue: Venue, pair: tuple[Antenna, Antenna], receivers: Sequence[Receiver], time_s: float = 0.0) -> Crew:
    """The links of a venue's transmitters with their receivers on a pair of antennas, and what disturbs each of them
    at a moment: whoever else is on, the products of all, television, racks. ValueError for an unknown transmitter."""
    known = {e.name: e for e in venue.emitters}
    missing = [r.name for r in receivers if r.name not in known]
    if missing:
        raise ValueError(f"no transmitter of the venue is called {', '.join(missing)}")
    sent = [known[r.name] for r in receivers]
    freq, bandwidth = np.array([e.freq_hz for e in sent], float), np.array([r.bandwidth_hz for r in receivers])
    names = [r.name for r in receivers]
    disturbed = np.stack([venue.channels_dbm(a, freq, bandwidth, names, time_s) for a in pair])
    return Crew(
        freq_hz=freq.astype(np.int64),
        power_dbm=np.array([e.power_dbm for e in sent]),
        body_db=np.array([e.extra_loss_db for e in sent]),
        home_m=np.array([e.position for e in sent], float),
        antennas_m=np.array([a.position for a in pair], float),
        antenna_gain_dbi=pair[0].gain_dbi,
        interference_dbm=disturbed.max(axis=0),
        needed_db=np.array([r.needed_db for r in receivers]),
        battery_min=np.array([r.battery_min for r in receivers]),
        exponent=venue.exponent,
        walls=venue.walls,
        bandwidth_hz=float(np.median(bandwidth)),
        nf_db=venue.noise_figure_db,
        seed=venue.seed,
        blocked_db=max(venue.blocked_db(a, time_s=time_s) for a in pair),
    )


def positions(crew: Crew, time_s: float) -> Floats:
    """Where everybody is (n, 3): a slow loop of three metres around home, each at its own pace."""
    n = len(crew.freq_hz)
    rng = np.random.default_rng([crew.seed, 3])
    phase, pace = 2 * np.pi * rng.random(n), _PACE_RAD_S * (0.5 + rng.random(n))
    turn = phase + pace * time_s
    offset = np.stack([np.cos(turn), np.sin(0.7 * turn + phase), np.zeros(n)], axis=-1)
    return np.asarray(crew.home_m + _STRIDE_M * offset)


def status(crew: Crew, time_s: float) -> Status:
    """Every link at a moment."""
    at = positions(crew, time_s)
    facing = _TURN_DB * (np.sin(2 * np.pi * time_s / _TURN_EVERY_S + np.arange(len(at))) > 0.8)
    levels = [_level(crew, at, i) - facing for i in (0, 1)]
    left = np.maximum(crew.battery_min - time_s / 60, 0.0)
    levels = [np.where(left > 0, level, -np.inf) for level in levels]
    used = (levels[1] > levels[0]).astype(np.int64)
    noise = milliwatts(thermal_noise_dbm(crew.bandwidth_hz, crew.nf_db)) + milliwatts(crew.interference_dbm)
    ratio = np.maximum(levels[0], levels[1]) - crew.blocked_db - dbm(noise)
    spare = np.clip(ratio - crew.needed_db + _HALF_QUALITY_DB, -60, 60)
    quality = np.where(left > 0, 1 / (1 + np.exp(-spare / _SOFT_DB)), 0.0)
    return Status(level_a_dbm=levels[0], level_b_dbm=levels[1], used=used, quality=quality, battery_min=left, pos_m=at)


def _level(crew: Crew, at: Floats, antenna: int) -> Floats:
    """Faded level [dBm] (n,) at one of the two antennas."""
    mast = crew.antennas_m[antenna]
    distance = np.linalg.norm(at - mast, axis=-1)
    path = free_space_db(crew.freq_hz, distance)
    if crew.exponent is not None:
        path = indoor_db(crew.freq_hz, distance, crew.exponent)
    walls = crossed_db(crew.walls, at, mast) if crew.walls else 0.0
    fading = rayleigh_db(at, float(np.median(crew.freq_hz)), crew.seed + 1_000 * antenna) + slow_db(at, crew.seed)
    return np.asarray(crew.power_dbm - crew.body_db + crew.antenna_gain_dbi - path - walls + fading)
