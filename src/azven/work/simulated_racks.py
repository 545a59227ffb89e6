"""The racks of a show as they come out of the truck, simulated: one for each rack unit of the kit, packs and people."""

import random
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from azven.book.records import Area, Link, Model, Unit, Wall, Zone
from azven.book.store import Store
from azven.gear.standins.air import Air, Seat
from azven.gear.standins.house import RackHouse
from azven.gear.standins.rack import StandInRack
from azven.gear.standins.things import Channel, Fields, Pack
from azven.refusal import Refusal
from azven.rf.links import End
from azven.rf.reach import Surroundings
from azven.rf.venue import Antenna, Front, Venue
from azven.rf.venue.cells import Cell, Chemistry
from azven.rf.venue.reception import Receiver, Reception, Side
from azven.rf.venue.ways import way
from azven.work import chain, ground, kit, reach
from azven.work.chain import heard, templates
from azven.work.ground import places
from azven.work.scope import Scope

_MOST_CHANNELS = 8
_CHEMISTRIES: tuple[Chemistry, ...] = ("alkaline", "nickel", "lithium")
_RUNS_MIN = 420.0
_VOICE_CAN = ("freq_hz", "name", "gain_db", "squelch_db", "tone_key", "mute", "mute_lock", "level", "low_cut_hz",
              "sync", "scan", "locate")  # fmt: skip
_EAR_CAN = ("freq_hz", "name", "power_mw", "stereo", "volume_db", "volume_min_db", "volume_max_db", "sync", "tone",
            "scan", "locate")  # fmt: skip
_FIXED_CAN = ("name", "gain_db", "mute_lock", "pair", "locate")
_LIMITS: dict[str, list[Any]] = {
    "gain_db": [-18, 42, 3], "level": ["mic", "line"], "low_cut_hz": [0, 80, 120], "squelch_db": [0, 20, 1],
    "power_mw": [0, 10, 30, 50], "volume_db": [-40, 6, 1],
}  # fmt: skip


@dataclass(frozen=True)
class Member:
    """A link with its place in a simulated rack."""

    link: Link
    model: Model
    rack: str
    channel: Channel


class SimulatedRacks:
    """Racks, packs and people of a show. `world` is everybody else on the air there."""

    def __init__(self, store: Store, scope: Scope, world: Venue, faults: Mapping[str, str] | None = None) -> None:
        self._begun_s = time.monotonic()
        self._store, self._scope = store, scope
        self.members: dict[int, Member] = {}
        self.racks = self._racks()
        self.air = self._air(world)
        self._break(faults or {})
        self.house = RackHouse([*self.racks, self._charger(), self._switch()])

    def start(self, port: int = 0) -> "SimulatedRacks":
        self.house.start(port)
        return self

    def stop(self) -> None:
        self.house.stop()

    @property
    def addresses(self) -> list[str]:
        """Where the racks listen."""
        return [s.address for s in self.house.servers]

    def clock(self) -> float:
        """Seconds since the racks were switched on."""
        return time.monotonic() - self._begun_s

    def pack(self, link_id: int) -> Pack | None:
        """The pack of a link, as the person at it has it in hand."""
        member = self.members.get(link_id)
        return member.channel.pack if member else None

    # racks out of the kit

    def _racks(self) -> list[StandInRack]:
        """A rack for each rack unit, and for links without one as many of eight as their model needs in their room."""
        units = {u.id: u for u in kit.units(self._store, self._scope)}
        links = kit.links(self._store, self._scope)
        models = kit.models_by_link(self._store, links)
        together: dict[tuple[int, ...], list[Link]] = {}
        key: tuple[int, ...]
        for link in links:
            own = link.unit_id is not None and link.unit_id in units
            key = (link.unit_id or 0,) if own else (0, link.zone_id, link.model_id)
            together.setdefault(key, []).append(link)
        racks: list[StandInRack] = []
        for key, members in together.items():
            size = len(members) if len(key) == 1 else _MOST_CHANNELS
            for first in range(0, len(members), size):
                racks.append(self._rack(len(racks) + 1, members[first : first + size], units.get(key[0]), models))
        return racks

    def _rack(self, number: int, links: Sequence[Link], unit: Unit | None, models: Mapping[int, Model]) -> StandInRack:
        model = models[links[0].id]
        rack_id = f"r-{400 + number:04d}"
        count = max(unit.channels if unit else 0, len(links))
        channels = [self._channel(str(k + 1), model, links[k] if k < len(links) else None) for k in range(count)]
        for link, channel in zip(links, channels, strict=False):
            self.members[link.id] = Member(link, models[link.id], rack_id, channel)
        kind = {"in-ear": "ears", "intercom": "intercom"}.get(model.service, "receivers")
        about = {"id": rack_id, "name": unit.name if unit else model.name, "kind": kind,
                 "model": model.name, "serial": f"{400 + number:04d}",
                 "firmware": "1.4"}  # fmt: skip
        return StandInRack(about, channels, _network(number), self.clock, seed=number)

    def _channel(self, number: str, model: Model, link: Link | None) -> Channel:
        band = link.band if link else model.bands[0][0]
        low, high = next(((lo, hi) for name, lo, hi in model.bands if name == band), model.bands[0][1:])
        step, origin = model.rasters.get(band, (model.step_hz, model.origin_hz))
        low += (origin - low) % step
        high -= (high - low) % step
        out, fixed = model.service == "in-ear", model.choosing != "is set"
        can = _FIXED_CAN if fixed else _EAR_CAN if out else _VOICE_CAN
        factory: Fields = {"name": f"CH {number}"} if fixed else {"freq_hz": low, "name": f"CH {number}"}
        if fixed:
            factory |= {"gain_db": 0, "mute_lock": False}
        elif out:
            factory |= {"power_mw": 0, "stereo": False, "volume_db": -20, "volume_min_db": -40, "volume_max_db": 0}
        else:
            factory |= {"gain_db": 0, "squelch_db": 6, "tone_key": True, "mute": False, "mute_lock": False}
            factory |= {"level": "mic", "low_cut_hz": 0}
        sides = ("a", "b") if model.diversity and not out else ("a",)
        direction = "out" if out else "both" if model.service == "intercom" else "in"
        limits = {key: _LIMITS[key] for key in _LIMITS if key in factory}
        channel = Channel(
            id=number, service=model.service, direction=direction, low_hz=low, high_hz=high, step_hz=step, sides=sides,
            can=can, settings=dict(factory), limits=limits, factory=factory, fixed_hz=low,
        )  # fmt: skip
        if link is not None:
            channel.pack = self._pack(link, model, low)
        return channel

    def _pack(self, link: Link, model: Model, low_hz: int) -> Pack:
        chance = random.Random(link.id)
        runs = model.batteries[0][2] if model.batteries else _RUNS_MIN
        cell = Cell(chemistry=_CHEMISTRIES[link.id % 3], full_min=runs, step_percent=chance.choice([1.0, 5.0]))
        return Pack(
            id=f"p-{link.id}", name=f"Pack {link.id}", freq_hz=low_hz, power_mw=model.power_mw, cell=cell,
            used_min=chance.uniform(0, 20), tells_minutes=link.id % 2 == 0,
        )  # fmt: skip

    # the air

    def _air(self, world: Venue) -> Air:
        zones = {z.id: z for z in ground.zones(self._store, self._scope)}
        sides: list[Side] = []
        of_zone: dict[tuple[int, bool], tuple[int, ...]] = {}
        receivers, seats, ways = [], [], []
        walls = places.wall_lines(self._store.all(Wall, site_id=self._scope.site))
        for member in self.members.values():
            zone, out = zones[member.link.zone_id], member.channel.direction == "out"
            if (zone.id, out) not in of_zone:
                made = self._sides(zone, out, walls, member.model)
                of_zone[zone.id, out] = tuple(range(len(sides), len(sides) + len(made)))
                sides += made
            numbers = of_zone[zone.id, out][: len(member.channel.sides)]
            digital = "digital" in member.model.modulation
            receivers.append(Receiver(
                sides=numbers, bandwidth_hz=float(member.model.bandwidth_hz), needed_db=member.model.needed_db,
                digital=digital,
            ))  # fmt: skip
            held = member.model.form == "hand-held"
            seats.append(Seat(
                member.channel, float(member.model.bandwidth_hz), member.model.body_db, member.model.gain_dbi,
                -1.0 if held else 1.0, digital,
            ))  # fmt: skip
            ways.append(way(self._stage(zone), walls, member.link.id))
        reception = Reception(world, sides, receivers, ways)
        return Air(reception, seats, self.clock, world.seed)

    def _stage(self, zone: Zone) -> Sequence[tuple[float, float]]:
        """Where people of a room are: on its stage, else in all of it."""
        for area in self._store.all(Area, zone_id=zone.id):
            if area.kind == "stage" and len(area.shape) > 2:
                return area.shape
        return zone.shape if len(zone.shape) > 2 else ((-5.0, 0.0), (5.0, 0.0), (5.0, zone.far_m), (-5.0, zone.far_m))

    def _sides(self, zone: Zone, out: bool, walls: Sequence[Any], model: Model) -> list[Side]:
        """The antennas of a room, as Reach has them, with what Chain puts behind them."""
        role = "transmit" if out else "receive"
        ends = list(places.ends(self._store, zone, role))[: 1 if out else 2] or _whips(self._stage(zone), out)
        front = Front(noise_figure_db=model.nf_db)
        if not out:
            front = self._front(zone, model) or front
        around = Surroundings(walls=tuple(walls), exponent=zone.exponent)
        return [Side(end, _standing(end, front), around) for end in ends]

    def _front(self, zone: Zone, model: Model) -> Front | None:
        name = templates.room_names(ground.zones(self._store, self._scope))[zone.id]
        for record in chain.designs(self._store, self._scope):
            design = chain.read(chain.document_of(record))
            if name in design.zones and design.receivers():
                try:
                    return heard.front(design, design.zones[name].antennas[0])
                except (Refusal, IndexError):
                    continue
        return None

    # others, and what goes wrong

    def _charger(self) -> StandInRack:
        bays = [
            Channel(
                id=str(k + 1), service="charger", direction="in", low_hz=0, high_hz=0, step_hz=1, sides=(),
                can=("locate",), settings={}, show=self._bay(k),
            )
            for k in range(8)
        ]  # fmt: skip
        about = {"id": "r-0490", "name": "Charging station", "kind": "charger", "model": "Eight bays", "serial": "0490",
                 "firmware": "1.1"}  # fmt: skip
        return StandInRack(about, bays, _network(90), self.clock, rate_hz_max=2.0)

    def _bay(self, k: int) -> Callable[[], Fields]:
        def shown() -> Fields:
            level = min(20.0 + 11 * k + self.clock() / 36, 100.0)
            return {"bat": float(round(level)), "left_min": round((100 - level) * 1.8), "txn": f"Cell {k + 1}"}

        return shown

    def _switch(self) -> StandInRack:
        about = {"id": "r-0499", "name": "Rack switch", "kind": "switch", "model": "Network switch", "serial": "0499",
                 "firmware": "2.0"}  # fmt: skip
        return StandInRack(about, [], {**_network(99), "audio": None, "layout": None}, self.clock, rate_hz_max=1.0)

    def _break(self, faults: Mapping[str, str]) -> None:
        """What is wrong with gear as it comes out of the truck, by the names of links."""
        for member in self.members.values():
            fault, channel = faults.get(member.link.name), member.channel
            if fault is not None and channel.pack is not None:
                _FAULTS[fault](channel, channel.pack)


def _never_follows(channel: Channel, pack: Pack) -> None:
    pack.deaf = True


def _low_battery(channel: Channel, pack: Pack) -> None:
    pack.used_min = 0.93 * pack.cell.lasts_min()


def _no_voice(channel: Channel, pack: Pack) -> None:
    pack.talks = False


def _weak(channel: Channel, pack: Pack) -> None:
    pack.power_mw = 2e-5


def _too_loud(channel: Channel, pack: Pack) -> None:
    pack.gain_db = 24.0


def _muted(channel: Channel, pack: Pack) -> None:
    pack.mute = True


_FAULTS = {
    "never follows": _never_follows, "low battery": _low_battery, "no voice": _no_voice, "weak": _weak,
    "too loud": _too_loud, "muted": _muted,
}  # fmt: skip


def _network(number: int) -> Fields:
    def port(subnet: int) -> Fields:
        return {"mode": "auto", "ip": f"169.254.{subnet}.{number}", "mask": "255.255.0.0", "gateway": None,
                "mac": f"02:00:00:00:{subnet:02x}:{number:02x}"}  # fmt: skip

    return {"layout": "switched", "console_id": number, "control": port(10), "audio": port(20)}


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
