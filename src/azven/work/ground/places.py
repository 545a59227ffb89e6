"""Antennas and walls of the book as the arithmetic takes them."""

import math
from collections.abc import Sequence

from azven.book.reading import Reading
from azven.book.records import Antenna, Wall, Zone
from azven.rf.links import WALL_DB, End
from azven.rf.walls import WallLine

PLACEMENT = "A"
"""The placement that plans and antenna systems take; the others are there to be compared with it."""


def ends(store: Reading, zone: Zone, role: str) -> tuple[End, ...]:
    """The antennas of a role that stand in a room."""
    return tuple(as_end(a) for a in store.all(Antenna, zone_id=zone.id, layout=PLACEMENT) if a.role == role)


def as_end(antenna: Antenna) -> End:
    """An antenna of the book for the arithmetic: aimed along its azimuth (0° is +y, clockwise) and tilt."""
    across, up = math.radians(antenna.azimuth_deg), math.radians(antenna.tilt_deg)
    aim = (
        antenna.x_m + 10 * math.sin(across) * math.cos(up), antenna.y_m + 10 * math.cos(across) * math.cos(up),
        antenna.z_m + 10 * math.sin(up),
    )  # fmt: skip
    circular = antenna.polarisation
    return End(
        gain_dbi=antenna.gain_dbi, kind=antenna.kind, beamwidth_deg=antenna.beamwidth_deg,
        front_back_db=antenna.front_back_db, polarisation="rhcp" if circular == "rhcp" else "lhcp"
        if circular == "lhcp" else "linear", psi_deg=antenna.psi_deg, pos_m=(antenna.x_m, antenna.y_m, antenna.z_m),
        aim_m=aim,
    )  # fmt: skip


PLANNED_HZ, _STEEPER = 600e6, 0.27
"""Walls are planned at 600 MHz and cost more above."""


def walls_at(lines: Sequence[WallLine], freq_hz: float) -> tuple[WallLine, ...]:
    """Walls with what each costs at a frequency."""
    dearer = (freq_hz / PLANNED_HZ) ** _STEEPER
    return tuple(WallLine(w.a, w.b, w.loss_db * dearer) for w in lines)


def walls_of(store: Reading, site: int) -> tuple[WallLine, ...]:
    """The walls of a site."""
    return wall_lines(store.all(Wall, site_id=site))


def wall_lines(walls: Sequence[Wall]) -> tuple[WallLine, ...]:
    """Walls with what each costs to cross: its own loss, or the planning value of its material."""
    return tuple(
        WallLine((w.x1_m, w.y1_m), (w.x2_m, w.y2_m), WALL_DB.get(w.material, 6.0) if w.loss_db is None else w.loss_db)
        for w in walls
    )
