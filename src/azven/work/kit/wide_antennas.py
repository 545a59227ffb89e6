"""The antennas of wideband carriers: what each hears of the packs, and what sweeps heard at each in every channel."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from azven.book.reading import Reading
from azven.book.records import Antenna, Model, Wideband, WidePack, Zone
from azven.rf import reach
from azven.rf.levels import thermal_noise_dbm
from azven.rf.reach import Surroundings, Wearer
from azven.rf.sweep import Channel, Sweep, band_power_dbm, quantile
from azven.work import ground
from azven.work.ground import places
from azven.work.listen import Picture
from azven.work.scope import Scope

ENOUGH_DB = 10.0
"""So much over need at a second antenna, for a pack not to hang on one alone."""
PLACES = 0.95
_CELLS, _PACK_M = 16, 1.1


@dataclass(frozen=True, kw_only=True)
class AntennaRow:
    """An antenna that a carrier is assigned to, and what it has over need [dB] of every pack that sends, by the pack's
    number, from 95 of 100 places of the rooms that it needs."""

    antenna: Antenna
    room: str
    over_db: Mapping[int, float]

    def best_for(self, others: Sequence["AntennaRow"]) -> int:
        """Packs that no other antenna hears better."""
        return sum(all(o.over_db[n] <= level for o in others) for n, level in self.over_db.items())


def antennas(store: Reading, scope: Scope, carrier: Wideband) -> list[Antenna]:
    """Receive antennas that stand in the rooms of a carrier, those of the placement that plans take."""
    rooms = [z.id for z in ground.zones(store, scope) if not carrier.rooms or z.id in carrier.rooms]
    found = (a for r in rooms for a in store.all(Antenna, zone_id=r, layout=places.PLACEMENT))
    return [a for a in found if a.role == "receive"]


class Hearing:
    """Levels of packs at antennas; each antenna and room is worked out once."""

    def __init__(self, store: Reading, scope: Scope) -> None:
        self._store, self._scope = store, scope
        self._zones = {z.id: z for z in ground.zones(store, scope)}
        self._known: dict[tuple[int, int, int, int], float | None] = {}

    def rows(self, carrier: Wideband, packs: Sequence[WidePack], centre_hz: float) -> tuple[AntennaRow, ...]:
        """One row for each antenna; packs whose rooms are not drawn are in none."""
        model, sending = self._store.get(Model, carrier.model_id), [p for p in packs if p.mode]
        out = []
        for antenna in antennas(self._store, self._scope, carrier) if sending else ():
            over = {}
            for pack in sending:
                rooms = pack.rooms or carrier.rooms or tuple(self._zones)
                levels = [self._over(antenna, self._zones[r], model, centre_hz) for r in rooms if r in self._zones]
                known = [level for level in levels if level is not None]
                if known and len(known) == len(levels):
                    over[pack.id] = min(known)
            room = self._zones[antenna.zone_id].name
            out.append(AntennaRow(antenna=antenna, room=room, over_db=over))
        return tuple(out)

    def _over(self, antenna: Antenna, zone: Zone, model: Model, centre_hz: float) -> float | None:
        key = antenna.id, zone.id, model.id, round(centre_hz)
        if key not in self._known:
            self._known[key] = self._worst(antenna, zone, model, centre_hz)
        return self._known[key]

    def _worst(self, antenna: Antenna, zone: Zone, model: Model, centre_hz: float) -> float | None:
        """Over need [dB] from 95 of 100 places of a room; None where it is not drawn."""
        if len(zone.shape) < 3:
            return None
        xs, ys = zip(*zone.shape, strict=True)
        step = max(max(xs) - min(xs), max(ys) - min(ys), 1.0) / _CELLS
        points = reach.grid((min(xs), min(ys)), (max(xs), max(ys)), step, _PACK_M)
        inside = reach.inside(points[..., :2], zone.shape)
        who = Wearer(power_dbm=10 * float(np.log10(model.power_mw)), body_db=model.body_db, height_m=_PACK_M,
                     freq_hz=centre_hz)  # fmt: skip
        around = Surroundings(places.walls_of(self._store, zone.site_id), zone.exponent)
        levels = reach.level_dbm(points, places.as_end(antenna), who, around)
        worst = quantile((levels[inside] if inside.any() else levels).ravel(), 1 - PLACES)
        noise = float(thermal_noise_dbm(model.bandwidth_hz, model.nf_db, 0.0))
        return worst - noise - model.needed_db


def alone(rows: Sequence[AntennaRow], packs: Sequence[WidePack]) -> list[tuple[WidePack, str]]:
    """Packs that one antenna alone hears well enough, with its name, or that none does, with an empty one."""
    out = []
    for pack in packs:
        over = [(r.over_db[pack.id], r.antenna.name) for r in rows if pack.id in r.over_db]
        good = [name for level, name in over if level >= 0]
        second = sorted((level for level, _ in over), reverse=True)[1:2]
        if over and not good:
            out.append((pack, ""))
        elif over and (not second or second[0] < ENOUGH_DB):
            out.append((pack, max(over)[1]))
    return out


def heard_at(
    store: Reading, scope: Scope, picture: Picture, carrier: Wideband, raster: Sequence[Channel]
) -> dict[str, dict[str, float | None]]:
    """Power [dBm] in every channel at every assigned antenna, by the sweeps that were taken in its room, or in none
    that has a name here; None where there is none. Without antennas, what any sweep heard."""
    zones = {z.id: z.name.casefold() for z in ground.zones(store, scope)}
    sweeps = [(r.place.casefold(), s) for r, s in picture.sweeps if r.hears != "in-ears"]
    assigned = antennas(store, scope, carrier)
    out: dict[str, dict[str, float | None]] = {c.name: {} for c in raster}
    rooms = {a.zone_id for a in assigned}
    for room in rooms:
        here = [s for place, s in sweeps if zones[room] in place or not any(z in place for z in zones.values())]
        for channel in raster:
            levels = [band_power_dbm(s, channel.low_hz, channel.high_hz) for s in here if _covers(s, channel)]
            known = [level for level in levels if level is not None]
            for antenna in (a for a in assigned if a.zone_id == room):
                out[channel.name][f"{antenna.id}"] = max(known, default=None)
    if not assigned:
        readings = {d.reading.channel.name: d.reading.power_dbm for d in picture.decisions["voice"]}
        return {c.name: {"sweeps": readings.get(c.name)} for c in raster}
    return out


def _covers(sweep: Sweep, channel: Channel) -> bool:
    return bool(sweep.freq_hz[0] <= channel.low_hz and channel.high_hz <= sweep.freq_hz[-1] + sweep.spacing_hz)
