"""A design: the blocks of a venue's antenna system with its zones and carriers, and everything that follows from it."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from azven.rf.chain import dc
from azven.rf.chain.blocks import Block
from azven.rf.chain.graph import (
    Joint,
    PathResult,
    ReceiverResult,
    Signal,
    System,
    kt0b_dbm,
    path,
    path_result,
    receiver_result,
    solve,
)
from azven.rf.imlevels import THREE_SIGNAL_DB
from azven.rf.links import End, Medium, budget


@dataclass(frozen=True)
class ZoneInfo:
    """A zone: its antennas in order of preference, and how levels fall in it."""

    antennas: tuple[str, ...]
    medium: Medium = field(default_factory=Medium)


@dataclass(frozen=True, kw_only=True)
class CarrierSpec:
    """A transmitter heard in a zone: its level at the antenna's terminals, or its power with a distance or place.

    `also`: other zones that hear it, each with an extra loss [dB]. `crest_db`: peak over average of its modulation.
    """

    id: str
    freq_hz: float
    zone: str
    role: str = "load"
    level_dbm: float | None = None
    tx: End = field(default_factory=End)
    distance_m: float | None = None
    also: Mapping[str, float] = field(default_factory=dict)
    crest_db: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Design:
    """Blocks and edges, what is known of antennas, supplies and needs, zones and carriers."""

    name: str
    blocks: Mapping[str, Block]
    edges: tuple[tuple[str, str], ...]
    freq_hz: float
    bandwidth_hz: float
    fa_db: float = 0.0
    zones: Mapping[str, ZoneInfo] = field(default_factory=dict)
    antennas: Mapping[str, End] = field(default_factory=dict)
    carriers: tuple[CarrierSpec, ...] = ()
    devices: Mapping[str, dc.Device] = field(default_factory=dict)
    needed_db: Mapping[str, float] = field(default_factory=dict)
    powers_dbm: Mapping[str, float] = field(default_factory=dict)
    rated_in_dbm: Mapping[str, float] = field(default_factory=dict)
    crests_included: bool = True
    sides: Mapping[str, str] = field(default_factory=dict)
    """Diversity side of every block; one that is not listed is on side A, and B is like A where it has no blocks."""
    transmit_hz: float | None = None
    """Where the transmitters of the design send; None: at `freq_hz`."""
    transmitter_hz: Mapping[str, float] = field(default_factory=dict)
    """Where each transmitter sends, if it is known."""

    def frequency_of(self, transmitter: str) -> float:
        return self.transmitter_hz.get(transmitter, self.sent_hz)

    @property
    def sent_hz(self) -> float:
        return self.transmit_hz or self.freq_hz

    def with_settings(self, settings: Mapping[str, float | None]) -> "Design":
        """The design with amplifiers (gain, None = left out) and attenuators (loss) set anew."""
        blocks = dict(self.blocks)
        for name, value in settings.items():
            block = blocks[name]
            blocks[name] = block.with_gain(value) if block.kind == "amp" else replace(block, loss_db=value or 0.0)
        return replace(self, blocks=blocks)

    def receivers(self) -> list[str]:
        return [n for n, b in self.blocks.items() if b.kind == "receiver"]

    def branch(self, antenna: str) -> str:
        """Zone of an antenna, with its side where that is B; the antenna's own name where it serves no zone."""
        zone = self.zone_of(antenna) or antenna
        return f"{zone}, side B" if self.sides.get(antenna) == "B" else zone

    def zone_of(self, antenna: str) -> str:
        return next((z for z, info in self.zones.items() if antenna in info.antennas), "")

    def receive_antennas(self) -> list[str]:
        """Antennas with something behind them."""
        fed = {b for _, b in self.edges}
        return [n for n, b in self.blocks.items() if b.kind == "antenna" and n not in fed]


def level_at(design: Design, carrier: CarrierSpec, antenna: str, extra_db: float = 0.0) -> float:
    """Level [dBm] of a carrier at an antenna's terminals."""
    if carrier.level_dbm is not None:
        return carrier.level_dbm - extra_db
    zone = design.zones.get(design.zone_of(antenna), ZoneInfo(()))
    known = budget(carrier.freq_hz, carrier.tx, design.antennas.get(antenna, End()), carrier.distance_m, zone.medium)
    return known.level_dbm - extra_db


def system_of(design: Design) -> System:
    """The receive side as a graph with every carrier at every antenna that hears it."""
    signals = []
    for carrier in design.carriers:
        for zone, extra in {carrier.zone: 0.0, **carrier.also}.items():
            for antenna in design.zones[zone].antennas if zone in design.zones else ():
                if antenna in design.blocks:
                    level = level_at(design, carrier, antenna, extra)
                    wanted = carrier.role == "wanted" and zone == carrier.zone
                    name = carrier.id if zone == carrier.zone else f"{carrier.id} in {zone}"
                    signals.append(
                        Signal(
                            id=f"{name} @ {antenna}",
                            antenna=antenna,
                            freq_hz=carrier.freq_hz,
                            level_dbm=level,
                            crest_db=carrier.crest_db,
                            wanted=wanted,
                            foreign=carrier.role == "foreign",
                        )
                    )
    fed_by_transmitters = _transmit_side(design)
    blocks = {n: b for n, b in design.blocks.items() if n not in fed_by_transmitters}
    edges = tuple(e for e in design.edges if e[0] in blocks and e[1] in blocks)
    return System(
        blocks=blocks,
        edges=edges,
        freq_hz=design.freq_hz,
        bandwidth_hz=design.bandwidth_hz,
        signals=tuple(signals),
        fa_db=design.fa_db,
    )


def _transmit_side(design: Design) -> set[str]:
    out = {n for n, b in design.blocks.items() if b.kind == "transmitter"}
    grown = True
    while grown:
        more = {b for a, b in design.edges if a in out} - out
        grown = bool(more)
        out |= more
    return out


@dataclass(frozen=True)
class Solved:
    """Everything about the receive side: joints, each antenna's way to its receiver, and the receivers."""

    system: System
    joints: Mapping[str, Joint]
    paths: tuple[PathResult, ...]
    receivers: tuple[ReceiverResult, ...]
    products_dbm: Mapping[str, tuple[float | None, float | None]]
    """Strongest 2a-b and a+b-c [dBm] at each receiver's input, wherever in front of it and in it they are made."""


def solve_design(design: Design) -> Solved:
    """Solve the receive side; ValueError names what is wrong with it."""
    system = system_of(design)
    joints = solve(system)
    paths, receivers, products = [], [], {}
    for receiver in (r for r in design.receivers() if r in system.blocks):
        receivers.append(receiver_result(system, joints, receiver))
        products[receiver] = strongest_products(system, joints, receiver)
        for antenna in joints[receiver].gain_before_db:
            paths.append(path_result(system, joints, antenna, receiver))
    return Solved(system, joints, tuple(paths), tuple(receivers), products)


def shared_blocks(system: System, receiver: str) -> list[str]:
    """Blocks that every antenna's way to a receiver goes through, in order; the receiver is the last."""
    antennas = [n for n, b in system.blocks.items() if b.kind == "antenna"]
    ways = []
    for antenna in antennas:
        try:
            ways.append(path(system, antenna, receiver))
        except ValueError:
            continue
    common = set.intersection(*map(set, ways)) if ways else {receiver}
    return [n for n in (ways[0] if ways else [receiver]) if n in common and system.blocks[n].kind != "antenna"]


def strongest_products(system: System, joints: Mapping[str, Joint], receiver: str) -> tuple[float | None, float | None]:
    """Strongest 2a − b and a + b − c [dBm] at a receiver's input.

    Looked for at every stage of every branch: what the three strongest carriers there make in it, brought to the
    receiver. Stages that the same carriers pass in turn, those of one branch and those behind the last joint, add in
    phase, the worst case.
    """
    shared = set(shared_blocks(system, receiver))
    ways = {a: path(system, a, receiver) for a in joints[receiver].gain_before_db}
    stretches = [[n for n in way if n not in shared] for way in ways.values()]
    stretches.append([n for n in next(iter(ways.values()), [receiver]) if n in shared])
    made = [_made_along(system, joints, stretch, receiver) for stretch in stretches]
    two = max((m[0] for m in made if m[0] is not None), default=None)
    return two, max((m[1] for m in made if m[1] is not None), default=None)


def _made_along(
    system: System, joints: Mapping[str, Joint], stretch: Sequence[str], receiver: str
) -> tuple[float | None, float | None]:
    """Products [dBm] that the blocks of a stretch make in turn, at the receiver's input, in phase."""
    two, three = 0.0, 0.0
    for name in stretch:
        own = system.blocks[name].intercept_dbm
        levels = sorted(joints[name].signals.values(), reverse=True)
        if own is None or len(levels) < 2:
            continue
        onward = path(system, name, receiver)[:-1]
        gain = sum(system.blocks[n].gain_at(system.freq_hz) for n in onward)
        two += 10 ** ((2 * levels[0] + levels[1] - 2 * own + gain) / 20)
        if len(levels) > 2:
            three += 10 ** ((sum(levels[:3]) - 2 * own + THREE_SIGNAL_DB + gain) / 20)
    return 20 * math.log10(two) if two > 0 else None, 20 * math.log10(three) if three > 0 else None


def noise_dbm(system: System, joint: Joint) -> float:
    """Noise [dBm] at a block's input."""
    return kt0b_dbm(system) + 10 * math.log10(max(joint.noise_in, 1e-12))
