"""Reach: rooms to scale, antennas in them, what they hear, where they should go."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.reading import Making, Reading
from azven.book.records import SIDES, Antenna, AntennaRole, Area, Mount, Wall, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import bands
from azven.rf import reach as rf
from azven.rf.chain.transmit import keep_away_m
from azven.rf.levels import Floats
from azven.rf.links import BODY_DB, End
from azven.rf.reach import Coverage, Place, Suggestion, Surroundings, Walk, Wearer
from azven.work import ground
from azven.work.ground import places
from azven.work.kit import intercom_book
from azven.work.listen import Picture
from azven.work.plan import Progress
from azven.work.reach import threshold
from azven.work.reach.threshold import Threshold
from azven.work.reasons import always
from azven.work.scope import Scope

FREQ_HZ = 600e6
WEARERS = {
    "handheld": Wearer(body_db=BODY_DB["hand"]),
    "pack, facing away": Wearer(body_db=BODY_DB["pack facing away"], height_m=1.1),
    "pack, facing": Wearer(body_db=BODY_DB["pack facing"], height_m=1.1),
}
MESH = "wire mesh"
Spot = tuple[float, float]
_FINE, _COARSE = 120, 40
"""Cells along the longer side of the map, and of the grid that positions are tried on."""


@dataclass(frozen=True)
class Radio:
    """What sends in a band [Hz, dBm]."""

    freq_hz: float
    power_dbm: float


@dataclass(frozen=True, kw_only=True)
class Room:
    """A room as it is drawn: outline and what is in it. `low`, `high`: corners of its bounding box [m]; `threshold`:
    what its antennas need."""

    zone: Zone
    walls: tuple[Wall, ...]
    areas: tuple[Area, ...]
    mounts: tuple[Mount, ...]
    antennas: tuple[Antenna, ...]
    low: tuple[float, float]
    high: tuple[float, float]
    threshold: Threshold
    radio: Radio | None = None
    """What sends in a band above 1 GHz that is looked at; None for the usual one."""


def room(
    store: Reading, scope: Scope, zone: Zone, layout: str, picture: Picture | None = None, band: str = ""
) -> Room:  # fmt: skip
    """A zone with its walls, areas, mounting places and the antennas of a layout; with a `picture` the noise that was
    swept there counts; in a shared `band` the gear of that band."""
    corners = zone.shape or _box(zone)
    low, high = bounds(corners)
    return Room(
        zone=zone if zone.shape else replace(zone, shape=corners),
        walls=tuple(store.all(Wall, site_id=zone.site_id)),
        areas=tuple(store.all(Area, zone_id=zone.id)),
        mounts=tuple(store.all(Mount, zone_id=zone.id)),
        antennas=tuple(store.all(Antenna, zone_id=zone.id, layout=layout)),
        low=low,
        high=high,
        threshold=threshold.of_band(store, scope, band) if band
        else threshold.of_room(store, scope, zone, picture.sweeps if picture else ()),
        radio=_radio(store, scope, band) if band else None,
    )  # fmt: skip


def _radio(store: Reading, scope: Scope, band: str) -> Radio:
    found, known = bands.named(band), threshold.model_of(store, scope, band)
    power = 10 * math.log10(known.power_mw) + known.gain_dbi if known is not None else 20.0
    return Radio((found.low_hz + found.high_hz) / 2, power)


def sender(drawn: Room, wearer: str) -> Wearer:
    """Who walks in the room, with the gear of the band that is looked at."""
    who = WEARERS[wearer]
    if drawn.radio is None:
        return who
    return replace(who, freq_hz=drawn.radio.freq_hz, power_dbm=drawn.radio.power_dbm)


def bounds(corners: Sequence[Spot]) -> tuple[Spot, Spot]:
    """Lower and upper corner [m] of the upright rectangle around a shape."""
    xs, ys = zip(*corners, strict=True)
    return (min(xs), min(ys)), (max(xs), max(ys))


def _box(zone: Zone) -> tuple[tuple[float, float], ...]:
    """A room that has not been drawn yet: a rectangle as deep as its farthest transmitter."""
    depth, width = zone.far_m, max(6.0, zone.far_m / 2)
    return ((-width / 2, 0.0), (width / 2, 0.0), (width / 2, depth), (-width / 2, depth))


def layouts(store: Reading, zone: Zone) -> list[str]:
    """Placements of a room, A first even when it is empty."""
    found = sorted({a.layout for a in store.all(Antenna, zone_id=zone.id)})
    return found if "A" in found else ["A", *found]


def band_of(layout: str) -> str:
    """The shared band that a placement is for, empty for none."""
    name = layout.removeprefix(intercom_book.PLACEMENT)
    return name if layout.startswith(intercom_book.PLACEMENT) and name in [b.name for b in bands.SHARED] else ""


def surroundings(drawn: Room, packed: bool = False) -> Surroundings:
    """Walls with their planning losses, and the room's exponent; `packed`: the audience stands where it may."""
    crowds = tuple(a.shape for a in drawn.areas if a.kind == "audience" and len(a.shape) > 2) if packed else ()
    lines = places.wall_lines(drawn.walls)
    if drawn.radio is not None:
        lines = places.walls_at(lines, drawn.radio.freq_hz)
    return Surroundings(lines, drawn.zone.exponent, crowds)


def receive(drawn: Room) -> list[Antenna]:
    return [a for a in drawn.antennas if a.role == "receive"]


def points(drawn: Room, height_m: float, cells: int = _FINE) -> Floats:
    step = max(drawn.high[0] - drawn.low[0], drawn.high[1] - drawn.low[1], 1.0) / cells
    return rf.grid(drawn.low, drawn.high, step, height_m)


def coverage(drawn: Room, wearer: str, packed: bool = False, cells: int = _FINE) -> Coverage | None:
    """What the receive antennas hear over the room, `cells` along its longer side; None without any."""
    who, heard = sender(drawn, wearer), receive(drawn)
    if not heard:
        return None
    where = points(drawn, who.height_m, cells)
    return rf.coverage(
        where, [places.as_end(a) for a in heard], who, surroundings(drawn, packed), drawn.threshold.level_dbm
    )


def walk(drawn: Room, wearer: str, corners: Sequence[tuple[float, float]], packed: bool = False) -> Walk | None:
    """A walk with fading that belongs to the place; None without antennas or way."""
    heard = receive(drawn)
    if len(corners) < 2 or not heard:
        return None
    return rf.walk(
        corners, [places.as_end(a) for a in heard], sender(drawn, wearer), surroundings(drawn, packed), drawn.zone.id
    )


def usual_walk(drawn: Room) -> list[tuple[float, float]]:
    """Along the middle of the room and across its far end, where nothing else has been drawn."""
    (x0, y0), (x1, y1) = drawn.low, drawn.high
    middle, edge = (x0 + x1) / 2, 0.1
    return [(middle, y0 + 1), (middle, y1 - edge * (y1 - y0)), (x0 + edge * (x1 - x0), y1 - edge * (y1 - y0))]


def in_words(drawn: Room, found: Coverage | None) -> str:
    """The room in one sentence."""
    if found is None:
        how = "Suggest antennas tries every pair of the mounting places, or place one with the tool."
        if len(drawn.mounts) < 2:
            how = ("Place one: choose “place receive antenna” and click in the plan. With two mounting places drawn, "
                   "the best pair of them can be suggested.")  # fmt: skip
        return f"No receive antenna stands in this placement. {how}"
    worst = np.unravel_index(int(np.argmin(found.margin_db)), found.margin_db.shape)
    x, y, _ = found.points[worst]
    margin = f"{found.margin_db.min():.0f} dB".replace("-", "−")
    served = f"{found.served * 100:.0f} % of the places are served at 99 %"
    return f"{served}; weakest {margin} over need at {x:.0f}, {y:.0f} m."


def pair_in_words(drawn: Room) -> str:
    """What the two antennas of a pair make of a transmitter turned any way; empty without a pair of straight ones."""
    pair = [a for a in receive(drawn) if a.polarisation == "linear"][:2]
    if len(pair) < 2:
        return ""
    worst = rf.worst_turn_loss_db((pair[0].psi_deg, pair[1].psi_deg))
    crossed = rf.worst_turn_loss_db((45.0, -45.0))
    if worst > crossed + 3:
        return (f"{pair[0].name} and {pair[1].name} are turned alike: a transmitter held across both loses {worst:.0f} "
                f"dB. Cross them, ±45° or upright and level: {crossed:.0f} dB at most, either way.")  # fmt: skip
    return (f"{pair[0].name} and {pair[1].name} are crossed: a transmitter held any way loses {worst:.0f} dB at most; "
            "±45° and upright-and-level are equal in this.")  # fmt: skip


def near_far(drawn: Room, antenna: Antenna, wearer: str) -> float:
    """Nearest against farthest corner of the room at one antenna [dB]."""
    who, end = sender(drawn, wearer), places.as_end(antenna)
    where = points(drawn, who.height_m, _COARSE)
    levels = rf.level_dbm(where, end, who, surroundings(drawn))
    return float(levels.max() - levels.min())


def keep_away(antenna: Antenna) -> tuple[float, float]:
    """Keep-away distances [m] of a transmitting antenna: general public, workers; the wider of the standards."""
    watts = antenna.carriers * 10 ** ((antenna.power_dbm + antenna.gain_dbi) / 10) / 1e3
    emitters = [(FREQ_HZ, watts)]
    return (
        max(keep_away_m(emitters, s, "public") for s in ("icnirp2020", "fcc")),
        max(keep_away_m(emitters, s, "occupational") for s in ("icnirp2020", "fcc")),
    )


# -- deeds ---------------------------------------------------------------------------------------------------


def suggest(drawn: Room, wearer: str, progress: Progress = always, packed: bool = False) -> Suggestion:
    """The best pair of mounting places. Refusal when there are not two that may be used."""
    who = sender(drawn, wearer)
    like = End(gain_dbi=6.5, kind="beam", beamwidth_deg=100.0)
    mounts = [Place(m.name, (m.x_m, m.y_m, m.z_m)) for m in drawn.mounts]
    transmitters = [places.as_end(a) for a in drawn.antennas if a.role == "transmit"]
    where = points(drawn, who.height_m, _COARSE)
    return rf.suggest(
        mounts, like, where, who, surroundings(drawn, packed), drawn.threshold.level_dbm, transmitters, progress
    )


def adopt(store: Making, drawn: Room, layout: str, found: Suggestion) -> Edit:
    """The suggested pair instead of the placement's receive antennas."""
    first = store.reserve(2)
    new = []
    for i, (place, end) in enumerate(zip(found.places, found.antennas, strict=True)):
        assert end.pos_m is not None
        assert end.aim_m is not None
        away = np.subtract(end.aim_m, end.pos_m)
        new.append(Antenna(
            id=first + i, zone_id=drawn.zone.id, name=place.name, layout=layout, side=SIDES[i], x_m=end.pos_m[0],
            y_m=end.pos_m[1], z_m=end.pos_m[2], psi_deg=end.psi_deg, gain_dbi=end.gain_dbi,
            beamwidth_deg=end.beamwidth_deg, azimuth_deg=round(math.degrees(math.atan2(away[0], away[1])), 1),
            tilt_deg=round(math.degrees(math.atan2(away[2], math.hypot(away[0], away[1]))), 1),
        ))  # fmt: skip
    return Edit(f"Antennas of {drawn.zone.name}, {layout}", remove(receive(drawn)) + add(*new))


def place(store: Store, zone: Zone, layout: str, x_m: float, y_m: float, role: AntennaRole = "receive") -> Edit:
    """An antenna where the pointer is, aimed along the room."""
    known = store.all(Antenna, zone_id=zone.id, layout=layout)
    side = SIDES[len([a for a in known if a.role == role]) % 2]
    name = ground.unused(f"{role.capitalize()} {side}", [a.name for a in known])
    antenna = Antenna(
        id=store.reserve(), zone_id=zone.id, name=name, layout=layout, role=role, side=side, x_m=round(x_m, 2),
        y_m=round(y_m, 2), psi_deg=45.0 if side == "A" else -45.0,
    )  # fmt: skip
    return Edit(f"Place {name}", add(antenna), (antenna.id,))


def move(antenna: Antenna, **values: Any) -> Edit:
    """Another place, height, direction, tilt or pattern."""
    return Edit(f"{antenna.name}: {', '.join(values)}", replace_record(antenna, replace(antenna, **values)))


def take_layout(store: Reading, zone: Zone, layout: str) -> Edit:
    """The placement that plans and antenna systems take is this one from now on; that which was, has its letter.
    Refusal where there is none of that letter."""
    now, other = (store.all(Antenna, zone_id=zone.id, layout=x) for x in (places.PLACEMENT, layout))
    if not other:
        raise Refusal(f"{zone.name} has no placement {layout}.")
    changes = [c for a in now for c in replace_record(a, replace(a, layout=layout))]
    changes += [c for a in other for c in replace_record(a, replace(a, layout=places.PLACEMENT))]
    return Edit(f"Placement {layout} of {zone.name}", tuple(changes))


def raised(store: Reading, zone: Zone, by_m: float, at_most_m: float) -> Edit:
    """The receive antennas of a room higher up, as far as it is high. Refusal where none can go up."""
    standing = [a for a in store.all(Antenna, zone_id=zone.id, layout=places.PLACEMENT) if a.role == "receive"]
    changes = [c for a in standing for c in replace_record(a, replace(a, z_m=max(min(a.z_m + by_m, at_most_m), a.z_m)))]
    if not changes:
        raise Refusal(f"No antenna of {zone.name} can go up.")
    return Edit(f"Antennas of {zone.name} {by_m:g} m higher", tuple(changes))


def copy_layout(store: Store, zone: Zone, layout: str) -> Edit:
    """The placement again under the next letter, to be changed and compared."""
    taken = layouts(store, zone)
    name = next(chr(c) for c in range(ord("A"), ord("Z") + 1) if chr(c) not in taken)
    source = store.all(Antenna, zone_id=zone.id, layout=layout)
    first = store.reserve(max(len(source), 1))
    copies = [replace(a, id=first + i, version=0, layout=name) for i, a in enumerate(source)]
    return Edit(f"Placement {name} of {zone.name}", add(*copies))
