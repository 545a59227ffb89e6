"""Links of two sites far apart: whether one is heard at the other, and who could move (domain section 9)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from math import sqrt

from azven.rf.levels import free_space_db, thermal_noise_dbm

CLUTTER_DB: Mapping[str, float] = {"open": 0.0, "suburb": 12.0, "town": 20.0, "city": 30.0}
UNDER_NOISE_DB, HEIGHT_M = 6.0, 1.5
_HORIZON_KM, _ERP_TO_EIRP_DB = 4.12, 2.15


@dataclass(frozen=True, kw_only=True)
class FarLink:
    """A link of a site: frequency and bandwidth [Hz], e.r.p. [dBm], noise figure [dB], gain of the receiving antenna
    [dBi], heights [m], when it is on (none: always), whether it is held, how many free frequencies it has, and how
    important it is (1 first)."""

    id: str
    name: str
    freq_hz: float
    bandwidth_hz: float
    erp_dbm: float
    nf_db: float
    rx_gain_dbi: float
    tx_height_m: float = HEIGHT_M
    rx_height_m: float = HEIGHT_M
    times: tuple[tuple[datetime, datetime], ...] = ()
    locked: bool = False
    free: int = 1
    priority: int = 1


@dataclass(frozen=True)
class Reaching:
    """What a link's receiver has of the foreign one: level over the noise [dB], the radio horizon [km], and whether it
    matters."""

    matters: bool
    over_noise_db: float
    horizon_km: float


def horizon_km(a_m: float, b_m: float) -> float:
    """Radio horizon [km] between two heights [m], with the earth at 4/3 of its radius (ITU-R P.453)."""
    return _HORIZON_KM * (sqrt(a_m) + sqrt(b_m))


def reaching(mine: FarLink, foreign: FarLink, distance_km: float, lost_db: float) -> Reaching:
    """What arrives of a foreign link at the receiver of mine over so many kilometres, less clutter and obstacles [dB].
    ValueError for sites that are not apart."""
    if not distance_km > 0:
        raise ValueError("the distance between two sites must be over 0 km")
    noise_dbm = thermal_noise_dbm(mine.bandwidth_hz, mine.nf_db)
    path_db = float(free_space_db(foreign.freq_hz, 1e3 * distance_km))
    level_dbm = foreign.erp_dbm + _ERP_TO_EIRP_DB - path_db - lost_db + mine.rx_gain_dbi
    over, horizon = float(level_dbm - noise_dbm), horizon_km(foreign.tx_height_m, mine.rx_height_m)
    heard = over >= -UNDER_NOISE_DB and distance_km <= horizon
    return Reaching(heard and overlap(mine, foreign) and together(mine, foreign), over, horizon)


def overlap(a: FarLink, b: FarLink) -> bool:
    """Whether their channels overlap."""
    return abs(a.freq_hz - b.freq_hz) < (a.bandwidth_hz + b.bandwidth_hz) / 2


def together(a: FarLink, b: FarLink) -> bool:
    """Whether they are on at one time."""
    if not a.times or not b.times:
        return True
    return any(p[0] < q[1] and q[0] < p[1] for p in a.times for q in b.times)


def who_moves(links: Sequence[FarLink]) -> FarLink | None:
    """Who could move at the least cost: not held and with a free frequency, the less important, then by name."""
    able = [x for x in links if not x.locked and x.free > 0]
    return min(able, key=lambda x: (-x.priority, x.name, x.id), default=None)
