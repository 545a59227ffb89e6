"""The plan of a room: outline, walls, areas and mounting places are drawn and taken out again."""

import math
from dataclasses import replace

import numpy as np

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.records import AREA_KINDS, MOUNT_KINDS, Area, Mount, Wall, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.links import WALL_DB, mesh_db
from azven.rf.reach import inside
from azven.work import ground
from azven.work.reach.rooms import FREQ_HZ, MESH, Room, Spot

_LEAST_M = 1.0
_NEAR_M = 1.0
Drawn = Wall | Mount | Area


def add_wall(
    store: Store, zone: Zone, start: tuple[float, float], end: tuple[float, float], material: str,
    opening_m: float = 0.05, wire_m: float = 0.002,
) -> Edit:  # fmt: skip
    """A wall from point to point; one of wire mesh with its opening and thickness of wire [m]. Refusal for one of
    no length, an unknown material, or a mesh without an opening or a wire."""
    if math.dist(start, end) < 0.1:
        raise Refusal("A wall needs two points.")
    if material not in (*WALL_DB, MESH):
        raise Refusal(f"unknown material '{material}'; known: {', '.join(WALL_DB)}")
    wall = Wall(
        id=store.reserve(), site_id=zone.site_id, x1_m=round(start[0], 2), y1_m=round(start[1], 2),
        x2_m=round(end[0], 2), y2_m=round(end[1], 2), material=material,
        loss_db=round(mesh_db(FREQ_HZ, opening_m, wire_m / 2), 1) if material == MESH else None,
    )  # fmt: skip
    return Edit(f"Wall, {material}", add(wall))


def add_mount(store: Store, zone: Zone, x_m: float, y_m: float, kind: str = "stand", z_m: float = 3.0) -> Edit:
    """A place where an antenna may be mounted; Refusal for an unknown kind."""
    if kind not in MOUNT_KINDS:
        raise Refusal(f"unknown mounting place '{kind}'; known: {', '.join(MOUNT_KINDS)}")
    name = ground.unused(f"{kind.capitalize()} 1", [m.name for m in store.all(Mount, zone_id=zone.id)])
    mount = Mount(
        id=store.reserve(), zone_id=zone.id, name=name, kind=kind, x_m=round(x_m, 2), y_m=round(y_m, 2), z_m=z_m
    )
    return Edit(f"Mounting place {name}", add(mount))


def _box(a: Spot, b: Spot) -> tuple[Spot, ...]:
    """The corners of an upright rectangle; Refusal for one narrower than a metre."""
    (x0, x1), (y0, y1) = ((round(v, 2) for v in sorted(pair)) for pair in zip(a, b, strict=True))
    if x1 - x0 < _LEAST_M or y1 - y0 < _LEAST_M:
        raise Refusal("Draw from corner to corner, at least a metre each way.")
    return (x0, y0), (x1, y0), (x1, y1), (x0, y1)


def outline(zone: Zone, a: Spot, b: Spot) -> Edit:
    """The room as a rectangle from corner to corner."""
    return Edit(f"Outline of {zone.name}", replace_record(zone, replace(zone, shape=_box(a, b))))


def add_area(store: Store, zone: Zone, kind: str, a: Spot, b: Spot) -> Edit:
    """Stage, audience or backstage as a rectangle; Refusal for another kind."""
    if kind not in AREA_KINDS:
        raise Refusal(f"unknown area '{kind}'; known: {', '.join(AREA_KINDS)}")
    name = ground.unused(kind.capitalize(), [x.name for x in store.all(Area, zone_id=zone.id)])
    area = Area(id=store.reserve(), zone_id=zone.id, kind=kind, name=name, shape=_box(a, b))
    return Edit(f"{name} of {zone.name}", add(area))


def at(drawn: Room, x_m: float, y_m: float) -> Drawn | None:
    """What is drawn nearest to a point: a mounting place or a wall within a metre, else an area around it."""
    spot = (x_m, y_m)
    near: list[tuple[float, Drawn]] = [(math.dist(spot, (m.x_m, m.y_m)), m) for m in drawn.mounts]
    near += [(_to_line(spot, (w.x1_m, w.y1_m), (w.x2_m, w.y2_m)), w) for w in drawn.walls]
    close = [n for n in near if n[0] <= _NEAR_M]
    if close:
        return min(close, key=lambda n: n[0])[1]
    return next((a for a in drawn.areas if inside(np.array(spot), a.shape)), None)


def _to_line(p: Spot, a: Spot, b: Spot) -> float:
    """Distance of a point from a stretch of line."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    length = dx * dx + dy * dy
    t = 0.0 if length == 0 else max(0.0, min(1.0, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / length))
    return math.dist(p, (a[0] + t * dx, a[1] + t * dy))


def take_out(drawn: Room, x_m: float, y_m: float) -> Edit:
    """Take out what is drawn at a point; Refusal where nothing is."""
    found = at(drawn, x_m, y_m)
    if found is None:
        raise Refusal("Nothing is drawn there that could be taken out.")
    words = f"the {found.material} wall" if isinstance(found, Wall) else found.name
    return Edit(f"Take out {words}", remove([found]))
