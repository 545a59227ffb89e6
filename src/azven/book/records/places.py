"""Where things are and how antennas are joined: walls, areas, mounting places, antennas, antenna systems."""

from dataclasses import field
from typing import Any

from azven.book.records.base import Record, record
from azven.book.records.words import AntennaKind, AntennaRole, AreaKind, MountKind, Polarisation, Side


@record
class Wall(Record):
    """A straight wall of the site's plan [m]; `loss_db` stands in for the material's planning value."""

    site_id: int
    x1_m: float
    y1_m: float
    x2_m: float
    y2_m: float
    material: str = "brick"
    loss_db: float | None = None


@record
class Area(Record):
    """A part of a room with its corners [m]: stage, audience, backstage."""

    zone_id: int
    kind: AreaKind
    name: str
    shape: tuple[tuple[float, float], ...] = ()


@record
class Mount(Record):
    """A place where an antenna may be mounted [m]."""

    zone_id: int
    name: str
    kind: MountKind
    x_m: float
    y_m: float
    z_m: float


@record
class Antenna(Record):
    """An antenna that stands somewhere [m, °]; `layout` names the placement it belongs to."""

    zone_id: int
    name: str
    layout: str = "A"
    role: AntennaRole = "receive"
    side: Side = "A"
    kind: AntennaKind = "beam"
    gain_dbi: float = 6.5
    beamwidth_deg: float = 100.0
    front_back_db: float = 15.0
    polarisation: Polarisation = "linear"
    psi_deg: float = 0.0
    x_m: float = 0.0
    y_m: float = 0.0
    z_m: float = 3.0
    azimuth_deg: float = 0.0
    tilt_deg: float = 0.0
    power_dbm: float = 17.0
    carriers: int = 1


@record
class Backdrop(Record):
    """A drawing under the plan of the rooms: the bytes of a PNG, and two points of it whose place is known,
    each as (pixel from the left, pixel from the top, x [m], y [m])."""

    site_id: int
    name: str
    image: bytes = b""
    points: tuple[tuple[float, float, float, float], ...] = ()


@record
class Design(Record):
    """An antenna system: `document` is an `azven-chain` design."""

    site_id: int
    name: str
    document: dict[str, Any] = field(default_factory=dict)
    note: str = ""
