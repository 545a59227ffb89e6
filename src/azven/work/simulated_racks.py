"""The racks of a show as they come out of the truck, simulated: one for each rack unit of the kit, packs and people."""

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from azven.book.records import Link, Model, Unit, Wideband, WidePack
from azven.book.store import Store
from azven.gear.standins.air import Air, Seat
from azven.gear.standins.breaking import OF_GEAR
from azven.gear.standins.house import RackHouse
from azven.gear.standins.rack import StandInRack
from azven.gear.standins.things import Channel, Pack
from azven.rf.venue import Venue
from azven.rf.venue.reception import Reception
from azven.rf.venue.ways import way
from azven.work import ground, kit
from azven.work import simulated_gear as gear
from azven.work.hall import Hall, behind, in_turns, receiver
from azven.work.scope import Scope

_MOST_CHANNELS = 8


@dataclass(frozen=True)
class Member:
    """A link, or a pack of a wideband carrier, with its place in a simulated rack."""

    name: str
    zone_id: int
    number: int
    model: Model
    rack: str
    channel: Channel
    carrier: str = ""
    """The wideband carrier that it is on."""


class SimulatedRacks:
    """Racks, packs and people of a show. `world` is everybody else on the air there."""

    def __init__(self, store: Store, scope: Scope, world: Venue, faults: Mapping[str, str] | None = None) -> None:
        self._begun_s = time.monotonic()
        self._store, self._scope = store, scope
        self.members: dict[int, Member] = {}
        self.racks = self._racks()
        self.wide: list[Member] = []
        bases = self._bases()
        self.air = self._air(world)
        self._break(faults or {})
        self.house = RackHouse([*self.racks, *bases, gear.charger(self.clock), gear.switch(self.clock)])

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
        channels = [gear.channel(str(k + 1), model, links[k] if k < len(links) else None) for k in range(count)]
        for link, channel in zip(links, channels, strict=False):
            self.members[link.id] = Member(link.name, link.zone_id, link.id, models[link.id], rack_id, channel)
        kind = {"in-ear": "ears", "intercom": "intercom"}.get(model.service, "receivers")
        about = {"id": rack_id, "name": unit.name if unit else model.name, "kind": kind,
                 "model": model.name, "serial": f"{400 + number:04d}",
                 "firmware": "1.4"}  # fmt: skip
        return StandInRack(about, channels, gear.network(number), self.clock, seed=number)

    def _bases(self) -> list[StandInRack]:
        """A base for each wideband carrier that has a channel, with the packs that talk."""
        raster = {c.name: (c.low_hz + c.high_hz) // 2 for c in ground.here(self._store, self._scope).channels()}
        packs = [p for p in self._store.all(WidePack, show_id=self._scope.show) if p.mode]
        found = []
        for k, carrier in enumerate(self._store.all(Wideband, show_id=self._scope.show)):
            mine = [p for p in packs if p.wideband_id == carrier.id and p.rooms][:_MOST_CHANNELS]
            if carrier.channel in raster and mine:
                found.append(self._base(k + 1, carrier, mine, raster[carrier.channel]))
        return found

    def _base(self, number: int, carrier: Wideband, packs: Sequence[WidePack], centre_hz: int) -> StandInRack:
        model, rack_id = self._store.get(Model, carrier.model_id), f"r-{480 + number:04d}"
        channels = []
        for k, pack in enumerate(packs):
            channel = gear.wide_channel(str(k + 1), model, pack.name, pack.id, carrier.name, centre_hz)
            self.wide.append(Member(pack.name, pack.rooms[0], pack.id, model, rack_id, channel, carrier.name))
            channels.append(channel)
        about = {"id": rack_id, "name": carrier.name, "kind": "wideband", "model": model.name,
                 "serial": f"{480 + number:04d}", "firmware": "3.2"}  # fmt: skip
        return StandInRack(about, channels, gear.network(80 + number), self.clock, seed=480 + number)

    # the air

    def _air(self, world: Venue) -> Air:
        zones = {z.id: z for z in ground.zones(self._store, self._scope)}
        hall = Hall(self._store, self._scope)
        receivers, seats, ways = [], [], []
        for member in (*self.members.values(), *self.wide):
            zone, out = zones[member.zone_id], member.channel.direction == "out"
            sides = hall.numbers(zone, out, member.model)[: len(member.channel.sides)]
            base = member.rack if in_turns(member.model) else ""
            receivers.append(receiver(member.model, sides, member.carrier or base))
            seats.append(Seat(
                member.channel, receivers[-1].bandwidth_hz, member.model.body_db, member.model.gain_dbi,
                behind(member.model), receivers[-1].digital,
            ))  # fmt: skip
            ways.append(way(hall.stage(zone), hall.walls, member.number))
        reception = Reception(world, hall.sides, receivers, ways)
        return Air(reception, seats, self.clock, world.seed)

    # what goes wrong

    def _break(self, faults: Mapping[str, str]) -> None:
        """What is wrong with gear as it comes out of the truck, by the names of links and of racks."""
        for member in self.members.values():
            fault = faults.get(member.name)
            if fault is not None:
                OF_GEAR[fault](member.channel)
        for rack in self.racks:
            for fault in [f for name, f in faults.items() if name == rack.rack["name"]]:
                rack.break_card(fault)
