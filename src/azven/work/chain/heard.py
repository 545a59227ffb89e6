"""What a receiver hears through an antenna system in the simulated venue, with our transmitters and a threat on."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from azven.book.records import Model, Wall, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.chain.design import Design, solve_design
from azven.rf.chain.graph import System, path
from azven.rf.links import End
from azven.rf.sweep import Channel, Sweep, SweepSettings
from azven.rf.venue import Antenna, Emitter, Front, Multiplex, Venue
from azven.work import ground, ids, kit, plan, reach
from azven.work.chain.systems import Document, plan_gains, read
from azven.work.chain.threats import Threat, filter_moved, multiplexes
from azven.work.ground import places
from azven.work.kit import wide_places
from azven.work.listen import Picture
from azven.work.scope import Scope
from azven.work.wording import decibel

SETTINGS = SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=10_001, rbw_hz=30_000)
_BESIDE_HZ = 1_000_000
"""A second transmitter of the threat's kind, so that the two make products."""
_KEYED_BANDWIDTH_HZ = 12_500
_OVER_NOISE_DB = 6.0
_EDGE_HZ, _SKIRT_HZ = 250_000, 500_000
"""So much beside television, and beside carriers, is not looked at for what nobody sends."""


@dataclass(frozen=True)
class Heard:
    """A setting by name, what arrives at the receiver with it, brought back to the antenna, and the strongest reading
    [dBm] in quiet channels that is nobody's carrier."""

    name: str
    sweep: Sweep
    made_dbm: float | None
    noise_dbm: float | None = None
    """The middle reading there."""

    def sentence(self) -> str:
        if self.made_dbm is None or self.noise_dbm is None:
            return f"{self.name}: no channel is quiet."
        noise = f"noise {decibel(self.noise_dbm)}"
        if self.made_dbm < self.noise_dbm + _OVER_NOISE_DB:
            return f"{self.name}: {noise}, no products above it."
        return f"{self.name}: {noise}, products up to {decibel(self.made_dbm)} where no transmitter is on."


def quiet_channels(picture: Picture) -> tuple[Channel, ...]:
    """Raster channels that the sweeps show quiet."""
    return tuple(
        d.reading.channel for d in picture.decisions.get("voice", ()) if d.reading.occupancy == "quiet"
    )  # fmt: skip


def world(store: Store, scope: Scope, picture: Picture) -> Venue:
    """The venue as the book knows it: our links in their rooms, walls, and television as it was swept."""
    zones = {z.id: z for z in ground.zones(store, scope)}
    models = kit.models_by_link(store, kit.links(store, scope))
    placed = plan.assignments(store, scope)
    own = tuple(
        Emitter(
            name=ids.of(x),
            freq_hz=placed[x.id].freq_hz,
            power_dbm=10 * math.log10(models[x.id].power_mw),
            position=_spot(zones[x.zone_id], i),
            bandwidth_hz=models[x.id].bandwidth_hz / 2,
            extra_loss_db=models[x.id].body_db,
            ours=True,
        )
        for i, x in enumerate(kit.links(store, scope))
        if x.id in placed
    )
    walls = places.wall_lines(store.all(Wall, site_id=scope.site))
    own += tuple(_wideband(store, scope, zones))
    television = tuple(
        Multiplex(low_hz=c.low_hz, high_hz=c.high_hz, level_dbm=power, bearing_deg=0.0)
        for c, power in multiplexes(picture)
    )
    return Venue(multiplexes=television, emitters=own, walls=walls)


def _wideband(store: Store, scope: Scope, zones: Mapping[int, Zone]) -> list[Emitter]:
    """Wideband carriers that are placed, in the first of their rooms."""
    out = []
    for carrier in wide_places.carriers(store, scope):
        span = wide_places.span_hz(store, scope, carrier)
        room = next((zones[r] for r in (*carrier.rooms, *zones) if r in zones), None)
        if span is not None and room is not None and not carrier.spare:
            out.append(
                Emitter(
                    name=ids.of(carrier), freq_hz=round(sum(span) / 2), position=_spot(room, carrier.position),
                    power_dbm=10 * math.log10(store.get(Model, carrier.model_id).power_mw),
                    bandwidth_hz=span[1] - span[0], shape="digital", ours=True,
                )
            )  # fmt: skip
    return out


def _spot(zone: Zone, i: int) -> tuple[float, float, float]:
    """A place in a room for the i-th link: spread over the middle of its outline, or along its distances."""
    share = i * 0.618 % 1.0
    if not zone.shape:
        return 0.0, zone.near_m + share * (zone.far_m - zone.near_m), 1.5
    (x0, y0), (x1, y1) = reach.bounds(zone.shape)
    across = i * 0.382 % 1.0
    return x0 + (0.2 + 0.6 * across) * (x1 - x0), y0 + (0.15 + 0.7 * share) * (y1 - y0), 1.5


def settings_heard(
    world: Venue, document: Document, antenna: str, threat: Threat | None, distance_m: float,
    quiet: Sequence[Channel],
) -> tuple[Heard, ...]:  # fmt: skip
    """The design as it is, as Set gains would have it, and as it is without its filters."""
    design = read(document)
    named = [("as it is", design)]
    if any(b.steps_db for b in design.blocks.values()):
        named.append(("Set gains", design.with_settings(plan_gains(design).settings)))
    bare = filter_moved(document, keep=False)
    if bare is not None:
        named.append(("as it is, without filters", read(bare)))
    return tuple(_heard(name, world, d, antenna, threat, distance_m, quiet) for name, d in named)


def _heard(
    name: str, world: Venue, design: Design, antenna: str, threat: Threat | None, distance_m: float,
    quiet: Sequence[Channel],
) -> Heard:  # fmt: skip
    sweep = hear(world, design, antenna, threat, distance_m)
    back = replace(sweep, level_dbm=sweep.level_dbm - front(design, antenna).gain_db)
    nobody = np.zeros(len(back.freq_hz), bool)
    for channel in quiet:
        nobody[back.between(channel.low_hz + _EDGE_HZ, channel.high_hz - _EDGE_HZ)] = True
    for emitter in world.emitters:
        reach = round(max(_SKIRT_HZ, emitter.bandwidth_hz / 2 + _EDGE_HZ))
        nobody[back.between(emitter.freq_hz - reach, emitter.freq_hz + reach)] = False
    there = back.level_dbm[nobody]
    return Heard(name, back, float(there.max()), float(np.median(there))) if len(there) else Heard(name, back, None)


def front(design: Design, antenna: str) -> Front:
    """An antenna's way to its receiver as one front; Refusal for an antenna that leads to none."""
    found = next((p for p in solve_design(design).paths if p.antenna == antenna), None)
    if found is None:
        raise Refusal(f"{antenna} leads to no receiver.")
    system = System(blocks=design.blocks, edges=design.edges, freq_hz=design.freq_hz, bandwidth_hz=design.bandwidth_hz)
    way = path(system, antenna, found.receiver)
    stops = [s for n in way for s in design.blocks[n].stop if design.blocks[n].kind == "filter"]
    return Front(
        found.excess_gain_db, found.nf_db, found.iip3_dbm, tuple((s.low_hz, s.high_hz, s.loss_db) for s in stops)
    )


def hear(
    world: Venue, design: Design, antenna: str, threat: Threat | None, distance_m: float, number: int = 1
) -> Sweep:
    """A sweep at the receiver's input behind an antenna, our own on, and two of the threat keyed up at a distance."""
    end = design.antennas.get(antenna, End())
    place = end.pos_m or (0.0, 0.0, 3.0)
    keyed: tuple[Emitter, ...] = ()
    if threat is not None:
        level = threat.at(end, distance_m)
        keyed = tuple(
            Emitter(
                name=f"{threat.name} {i}",
                freq_hz=threat.freq_hz + i * _BESIDE_HZ,
                power_dbm=0.0,
                position=place,
                bandwidth_hz=_KEYED_BANDWIDTH_HZ,
                arrives_dbm=level,
            )
            for i in (0, 1)
        )
    bearing = None
    if end.kind == "beam" and end.aim_m is not None:
        bearing = bearing_deg(place, end.aim_m)
    there = Antenna(
        position=place,
        gain_dbi=end.gain_dbi,
        bearing_deg=bearing,
        beamwidth_deg=end.beamwidth_deg,
        front_back_db=end.front_back_db,
        psi_deg=end.psi_deg,
        polarisation=end.polarisation,
        front=front(design, antenna),
    )
    # noise and products of the receiver itself are in the front already
    quiet = replace(world, emitters=world.emitters + keyed, noise_figure_db=0.0, front_iip3_dbm=None)
    return quiet.sweep(there, SETTINGS, number, own_on=True)


def bearing_deg(here: tuple[float, float, float], there: tuple[float, float, float]) -> float:
    return math.degrees(math.atan2(there[0] - here[0], there[1] - here[1]))
