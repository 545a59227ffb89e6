"""What Ground writes: regions, sites, rooms, what else is on the air, permits."""

from dataclasses import field
from datetime import datetime
from typing import Any

from azven.book.records.base import Record, record
from azven.book.records.words import NeighbourKind, PermitKind, RelationName


@record
class Region(Record):
    """Rules of a territory as they were when chosen; `document` is the whole region file."""

    key: str
    title: str
    dated: str
    document: dict[str, Any] = field(default_factory=dict)


@record
class Site(Record):
    """A venue. `thresholds` are the user's own limits of spectrum classes; `tv_guard_hz` is kept free beside
    taken channels on top of half the emission width; `stations` are the raster channels that the local list of
    television transmitters gives for this place, the region's list when empty; people there read times in
    `time_zone`, a name of the zone database; `district` is the part of the house that it belongs to, where there are
    many."""

    name: str
    region_id: int | None = None
    note: str = ""
    tv_guard_hz: int = 0
    thresholds: dict[str, Any] = field(default_factory=dict)
    stations: tuple[str, ...] = ()
    time_zone: str = "UTC"
    archived: bool = False
    district: str = ""


@record
class Zone(Record):
    """A room or ground of a site, in which transmitters and receivers hear one another.

    `near_m`, `far_m`: nearest and farthest transmitter from the antenna; `between_m`: transmitters from one another;
    `exponent`: N of the indoor path; `shape`: corners (x, y) [m] in the site's plan, `height_m` to the ceiling.
    """

    site_id: int
    name: str
    position: int = 0
    note: str = ""
    near_m: float = 5.0
    far_m: float = 30.0
    between_m: float = 2.0
    exponent: float = 20.0
    shape: tuple[tuple[float, float], ...] = ()
    height_m: float = 6.0


@record
class Relation(Record):
    """How two zones hear one another, and the wall loss [dB] that says so."""

    zone_a_id: int
    zone_b_id: int
    relation: RelationName = "apart"
    wall_loss_db: float | None = None


@record
class Neighbour(Record):
    """A foreign frequency to keep clear of; `mixes` if strong enough to make products with ours."""

    site_id: int
    name: str
    freq_hz: int
    zone_id: int | None = None
    kind: NeighbourKind = "neighbour"
    spacing_hz: int = 300_000
    mixes: bool = False
    contact: str = ""
    note: str = ""
    hours: str = ""


@record
class Permit(Record):
    """A licence with its own range and cap, or a recorded decision to plan outside permission."""

    site_id: int
    name: str
    kind: PermitKind = "licence"
    low_hz: int = 0
    high_hz: int = 0
    power_mw: float | None = None
    starts_at: datetime | None = None
    ends_at: datetime | None = None
    note: str = ""
