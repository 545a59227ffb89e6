"""What Listen writes: sweeps with their bins, and who else is in bands that everybody shares."""

from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from azven.book.records.base import Record, record
from azven.book.records.words import Detector, Hears


@record
class Sweep(Record):
    """When, where and how a sweep was taken; its bins are in the `Trace` that names it.

    `made_inside`: lines [Hz] that the instrument makes itself, shown by putting an attenuator in.
    """

    site_id: int
    taken_at: datetime
    place: str
    antenna: str
    rbw_hz: float
    detector: Detector = "average"
    own_on: bool = False
    hears: Hears = "everyone"
    used: bool = True
    points: int = 0
    low_hz: int = 0
    high_hz: int = 0
    source: str = ""
    note: str = ""
    made_inside: tuple[int, ...] = ()


@record
class Trace(Record):
    """The bins of a sweep: frequencies [Hz] and levels [dBm], kept to 0.01 dB."""

    sweep_id: int
    freq_hz: NDArray[np.int64]
    level_dbm: NDArray[np.float64]

    def __eq__(self, other: object) -> bool:
        return self is other

    def __hash__(self) -> int:
        return id(self)


@record
class Occupant(Record):
    """Somebody else on a band that everybody shares: an access point, a camera, a phone. It fills `width_hz` about its
    centre and arrives with `level_dbm` at our antennas, sending for the share `duty` of the time; heard in one room or
    in all. `place_m` is where it stands (x, y, z), empty where nobody knows."""

    site_id: int
    name: str
    centre_hz: int
    width_hz: int = 16_600_000
    level_dbm: float = -60.0
    duty: float = 1.0
    zone_id: int | None = None
    place_m: tuple[float, ...] = ()
    note: str = ""
    position: int = 0


@record
class RadarEvent(Record):
    """A radar heard, or supposed, on a channel of 5 GHz in a minute of the show."""

    show_id: int
    channel: int
    minute: int = 0
    note: str = ""
