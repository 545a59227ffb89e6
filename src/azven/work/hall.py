"""The rooms of a show as the simulated venue has them: antennas with what Chain puts behind them, and where people are.

The stand-in racks and a rehearsal both play in it.
"""

from collections.abc import Sequence

import numpy as np

from azven.book.reading import Reading
from azven.book.records import Antenna as AntennaRecord
from azven.book.records import Area, Model, Wall, Zone
from azven.refusal import Refusal
from azven.rf import bands
from azven.rf.bands import Band
from azven.rf.links import End
from azven.rf.reach import Surroundings
from azven.rf.venue import Antenna, Front
from azven.rf.venue.reception import Receiver, Side
from azven.work import chain, ground, reach
from azven.work.chain import heard, templates
from azven.work.ground import places
from azven.work.kit import intercom_book
from azven.work.scope import Scope

Outline = Sequence[tuple[float, float]]


def in_turns(model: Model) -> bool:
    """Whether packs of one base send in time slots of their own, and do not disturb one another."""
    return all(bands.of_range(low, high).name == bands.DECT for _, low, high in model.bands)


def receiver(model: Model, sides: tuple[int, ...], carrier: str) -> Receiver:
    """A receiver of a model on sides of the hall; those of one `carrier` hear its transmitters in turns."""
    return Receiver(sides=sides, bandwidth_hz=float(model.bandwidth_hz), needed_db=model.needed_db,
                    digital="digital" in model.modulation, carrier=carrier)  # fmt: skip


def behind(model: Model) -> float:
    """On which side of the body a transmitter is: 1 a pack on the back, −1 held in front."""
    return -1.0 if model.form == "hand-held" else 1.0


def _shared(model: Model) -> Band | None:
    """The shared band that all of a model is in, if it is."""
    of = {bands.of_range(low, high) for _, low, high in model.bands}
    return of.pop() if len(of) == 1 and all(b.shared for b in of) else None


class Hall:
    """Sides of antenna systems, numbered as they are asked for. `placed` says of which rooms all antennas that
    were asked for stand in Reach; the others have whips in front of their stage."""

    def __init__(self, store: Reading, scope: Scope) -> None:
        self._store, self._scope = store, scope
        self.walls = places.wall_lines(store.all(Wall, site_id=scope.site))
        self.sides: list[Side] = []
        self.placed: dict[int, bool] = {}
        self.own_whips: set[int] = set()
        """Rooms in which gear of a shared band stands nobody knows where: it has whips of its own before the stage."""
        self._numbers: dict[tuple[int, bool, str], tuple[int, ...]] = {}

    def numbers(self, zone: Zone, out: bool, model: Model) -> tuple[int, ...]:
        """Numbers of the sides of a room: one that sends for in-ears (`out`), else up to two that receive."""
        band = _shared(model)
        key = zone.id, out, band.name if band is not None else ""
        if key not in self._numbers:
            made = self._made(zone, out, model) if band is None else self._of_shared(zone, model, band)
            self._numbers[key] = tuple(range(len(self.sides), len(self.sides) + len(made)))
            self.sides += made
        return self._numbers[key]

    def stage(self, zone: Zone) -> Outline:
        """Where people of a room are: on its stage, else in all of it."""
        if drawn := self._areas(zone, "stage"):
            return drawn[0]
        return zone.shape if len(zone.shape) > 2 else ((-5.0, 0.0), (5.0, 0.0), (5.0, zone.far_m), (-5.0, zone.far_m))

    def audience(self, zone: Zone) -> tuple[Outline, ...]:
        """Where the audience of a room will be."""
        return self._areas(zone, "audience")

    def off_stage(self, zone: Zone) -> tuple[float, float] | None:
        """Where people of a room wait: in the middle of what is backstage."""
        for shape in self._areas(zone, "backstage"):
            x, y = np.mean(shape, axis=0).tolist()
            return x, y
        return None

    def _areas(self, zone: Zone, kind: str) -> tuple[Outline, ...]:
        drawn = self._store.all(Area, zone_id=zone.id)
        return tuple(a.shape for a in drawn if a.kind == kind and len(a.shape) > 2)

    def _made(self, zone: Zone, out: bool, model: Model) -> list[Side]:
        role = "transmit" if out else "receive"
        ends = list(places.ends(self._store, zone, role))[: 1 if out else 2]
        self.placed[zone.id] = bool(ends) and self.placed.get(zone.id, True)
        front = Front(noise_figure_db=model.nf_db)
        if not out:
            front = self._front(zone) or front
        around = Surroundings(walls=tuple(self.walls), exponent=zone.exponent)
        house = self.audience(zone)
        return [Side(end, _standing(end, front), around, house) for end in ends or _whips(self.stage(zone), out)]

    def _of_shared(self, zone: Zone, model: Model, band: Band) -> list[Side]:
        """Gear of a shared band hears by antennas of its own, never through the antenna system."""
        known = self._store.all(AntennaRecord, zone_id=zone.id, layout=f"{intercom_book.PLACEMENT}{band.name}")
        if not known:
            self.own_whips.add(zone.id)
        ends = [places.as_end(a) for a in known[:2]] or _whips(self.stage(zone), out=False)
        walls = places.walls_at(self.walls, (band.low_hz + band.high_hz) / 2)
        around, front = Surroundings(walls=walls, exponent=zone.exponent), Front(noise_figure_db=model.nf_db)
        return [Side(end, _standing(end, front), around, self.audience(zone)) for end in ends]

    def _front(self, zone: Zone) -> Front | None:
        name = templates.room_names(ground.zones(self._store, self._scope))[zone.id]
        for record in chain.designs(self._store, self._scope):
            design = chain.read(chain.document_of(record))
            if name in design.zones and design.receivers():
                try:
                    return heard.front(design, design.zones[name].antennas[0])
                except (Refusal, IndexError):
                    continue
        return None


def _whips(stage: Sequence[tuple[float, float]], out: bool) -> list[End]:
    """Two whips in front of a stage, where nobody has placed antennas; one for in-ears."""
    (x0, y0), (x1, _) = reach.bounds(stage)
    middle = (x0 + x1) / 2
    spots = [middle] if out else [middle - 1.0, middle + 1.0]
    return [End(gain_dbi=2.15, kind="omni", pos_m=(x, y0 - 1.0, 3.0)) for x in spots]


def _standing(end: End, front: Front) -> Antenna:
    bearing = None
    if end.kind == "beam" and end.aim_m is not None and end.pos_m is not None:
        bearing = heard.bearing_deg(end.pos_m, end.aim_m)
    return Antenna(
        position=end.pos_m or (0.0, 0.0, 3.0), gain_dbi=end.gain_dbi, bearing_deg=bearing, psi_deg=end.psi_deg,
        beamwidth_deg=end.beamwidth_deg, front_back_db=end.front_back_db, polarisation=end.polarisation, front=front,
    )  # fmt: skip
