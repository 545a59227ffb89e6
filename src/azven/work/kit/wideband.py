"""Wideband carriers of a show: packs on them, which channel, what falls silent if one is lost."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from azven.book.reading import Reading
from azven.book.records import Model, Wideband, WidePack
from azven.rf import wideband as rf
from azven.rf.levels import dbm
from azven.rf.occupancy import ChannelReading
from azven.rf.sweep import Channel
from azven.work import ground, ids
from azven.work.ground import permission
from azven.work.kit.gear import links, planned
from azven.work.kit.wide_antennas import ENOUGH_DB, AntennaRow, Hearing, alone
from azven.work.kit.wide_places import carriers, hear_each_other, meets, packs
from azven.work.listen import Picture
from azven.work.scope import Scope
from azven.work.wording import decibel, listed

State = Literal["sound", "tight", "broken"]


# -- how it stands ---------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class Block:
    """A part of a carrier's slots: an uplink of a pack, or a mix with the packs that hear it."""

    name: str
    slots: int
    packs: tuple[WidePack, ...]
    down: bool


@dataclass(frozen=True, kw_only=True)
class Standing:
    """A carrier with what is on it."""

    carrier: Wideband
    model: Model
    channel: Channel | None
    blocks: tuple[Block, ...]
    slots: int
    wrong: tuple[str, ...]
    lost_links: tuple[str, ...]
    """Narrow links that stand too close to it."""
    if_lost: str
    lost_state: State
    """Sound with nothing on it, tight where the others take its packs, broken where they do not."""
    rows: tuple[AntennaRow, ...] = ()
    hangs: tuple[str, ...] = ()
    """What hangs on one antenna alone, in sentences."""

    @property
    def capacity(self) -> int:
        return self.model.capacity

    def share(self, slots: int) -> float:
        """Slots in percent of what it has, with one decimal."""
        return rf.percent(slots, self.capacity)

    @property
    def low_hz(self) -> int | None:
        """Lower edge of its width; None where it is not placed."""
        if self.channel is None:
            return None
        return (self.channel.low_hz + self.channel.high_hz - self.model.bandwidth_hz) // 2


@dataclass(frozen=True, kw_only=True)
class WideView:
    """All carriers of a show, packs that are on none, and what is wrong in all."""

    standings: tuple[Standing, ...]
    packs: tuple[WidePack, ...]
    loose: tuple[WidePack, ...]

    @property
    def open_points(self) -> int:
        return sum(len(s.wrong) for s in self.standings) + len(self.loose)


class _Around:
    """What every carrier of a show is judged against, looked up once."""

    def __init__(self, store: Reading, scope: Scope, picture: Picture) -> None:
        self.store, self.picture = store, picture
        self.place, self.related = ground.here(store, scope), ground.relations(store, scope)
        self.raster = {c.name: c for c in self.place.channels()}
        self.rooms = {z.id: z.name for z in ground.zones(store, scope)}
        self.found, self.packs = carriers(store, scope), packs(store, scope)
        frequencies = planned(store, scope)
        self.narrow = [(x, frequencies[x.id]) for x in links(store, scope) if x.id in frequencies and not x.set_aside]
        self.against = {c.id: self._against(c) for c in self.found}
        self.hearing = Hearing(store, scope)

    def model(self, carrier: Wideband) -> Model:
        return self.store.get(Model, carrier.model_id)

    def _against(self, carrier: Wideband) -> tuple[str, ...]:
        """What speaks against the channel of a carrier, in sentences."""
        channel = self.raster.get(carrier.channel)
        if channel is None:
            return (f"The raster has no channel {carrier.channel}.",) if carrier.channel else ()
        beside = [f"{c.name} stands in channel {c.channel} too, and is heard there." for c in self.found
                  if c.id != carrier.id and c.channel == carrier.channel
                  and hear_each_other(c, carrier, self.related)]  # fmt: skip
        return *_refusals(self.place, self.model(carrier), channel), *_heard_there(self.picture, channel), *beside

    def too_close(self, carrier: Wideband) -> tuple[str, ...]:
        """Narrow links within the guard of a carrier."""
        channel = self.raster.get(carrier.channel)
        if channel is None:
            return ()
        near = {ids.of(x): freq for x, freq in self.narrow if meets(carrier, x.zone_id, self.related)}
        names = {ids.of(x): x.name for x, _ in self.narrow}
        centre_hz = (channel.low_hz + channel.high_hz) // 2
        lost = rf.lost(centre_hz, self.model(carrier).bandwidth_hz, near, carrier.guard_hz)
        return tuple(sorted(names[link] for link in lost))


def view(store: Reading, scope: Scope, picture: Picture) -> WideView:
    """How the wideband carriers of a show stand."""
    around = _Around(store, scope, picture)
    known = {c.id for c in around.found}
    return WideView(
        standings=tuple(_standing(around, c) for c in around.found), packs=tuple(around.packs),
        loose=tuple(p for p in around.packs if p.wideband_id not in known),
    )  # fmt: skip


def _standing(around: _Around, carrier: Wideband) -> Standing:
    model = around.model(carrier)
    mine = [p for p in around.packs if p.wideband_id == carrier.id]
    blocks, unknown = _blocks(model, mine)
    slots = sum(b.slots for b in blocks)
    lost = around.too_close(carrier)
    wrong = [f"{p.name} is in a mode that {model.name} has not." for p in unknown]
    if slots > model.capacity:
        wrong.append(f"{slots} slots are asked for, it has {model.capacity}.")
    for pack in mine:
        missing = [around.rooms.get(r, "a room") for r in pack.rooms if carrier.rooms and r not in carrier.rooms]
        if missing:
            wrong.append(f"{pack.name} is not covered in {listed(missing)}.")
    wrong += around.against[carrier.id]
    if lost:
        wrong.append(f"{listed(list(lost), 3)} stand closer than {carrier.guard_hz / 1e3:g} kHz to its edges.")
    state, if_lost = _if_lost(around, carrier, mine)
    rows, hangs, unheard = _heard_by(around, carrier, mine)
    wrong += unheard
    return Standing(
        carrier=carrier, model=model, channel=around.raster.get(carrier.channel), blocks=blocks, slots=slots,
        wrong=tuple(wrong), lost_links=lost, if_lost=if_lost, lost_state=state,
        rows=rows, hangs=hangs,
    )  # fmt: skip


def _heard_by(
    around: _Around, carrier: Wideband, mine: Sequence[WidePack]
) -> tuple[tuple[AntennaRow, ...], tuple[str, ...], list[str]]:
    """Antennas with what each hears, what hangs on one of them, and what none hears."""
    channel = around.raster.get(carrier.channel)
    if channel is None:
        return (), (), []
    rows = around.hearing.rows(carrier, mine, (channel.low_hz + channel.high_hz) / 2)
    if not rows and any(p.mode for p in mine):
        missing = "No receive antenna stands in its rooms, so who hears its packs is not known: Reach places them."
        return (), (missing,), []
    by_antenna: dict[str, list[str]] = {}
    for pack, name in alone(rows, mine):
        by_antenna.setdefault(name, []).append(pack.name)
    lost = by_antenna.pop("", [])
    hangs = tuple(
        f"{listed(names, 3)} {'hang' if len(names) > 1 else 'hangs'} on {name} alone: no other antenna hears "
        f"{'them' if len(names) > 1 else 'it'} with {ENOUGH_DB:g} dB over need."
        for name, names in by_antenna.items()
    )  # fmt: skip
    unheard = [f"No antenna hears {listed(lost, 3)} from 95 of 100 places."] if lost else []
    return rows, hangs, unheard


def _mode(model: Model, name: str) -> rf.Mode | None:
    return next((rf.Mode(slots, stereo) for n, slots, stereo, _ in model.modes if n == name), None)


def _blocks(model: Model, mine: Sequence[WidePack]) -> tuple[tuple[Block, ...], list[WidePack]]:
    """Uplinks one by one, then mixes, each once for all packs that hear it in one mode."""
    blocks, unknown = [], []
    for pack in (p for p in mine if p.mode):
        mode = _mode(model, pack.mode)
        if mode is None:
            unknown.append(pack)
        else:
            blocks.append(Block(name=pack.name, slots=mode.slots, packs=(pack,), down=False))
    mixes: dict[tuple[str, str], list[WidePack]] = {}
    for pack in (p for p in mine if p.mix):
        mixes.setdefault((pack.mix, pack.mix_mode), []).append(pack)
    for (name, mode_name), heard_by in mixes.items():
        mode = _mode(model, mode_name)
        if mode is None:
            unknown += [p for p in heard_by if p not in unknown]
        else:
            stereo = any(p.stereo for p in heard_by)
            blocks.append(Block(name=name, slots=mode.of_mix(stereo), packs=tuple(heard_by), down=True))
    return tuple(blocks), unknown


def _refusals(place: ground.Place, model: Model, channel: Channel) -> list[str]:
    """Why a carrier of a model may not stand in a channel, in sentences."""
    ranges = permitted(place, model)
    why = rf.refused((channel.low_hz + channel.high_hz) // 2, model.bandwidth_hz, float(dbm(model.power_mw)),
                     place.channels(), ranges)  # fmt: skip
    words = {
        "too-wide": f"It is wider than channel {channel.name}.", "off-raster": "It is not on the centre of a channel.",
        "outside": f"Channel {channel.name} does not lie in one permitted range.",
        "cap": f"It sends more than is permitted in channel {channel.name}.",
    }  # fmt: skip
    return [words[w] for w in why]


def heard_in(picture: Picture, channel: str) -> ChannelReading | None:
    """What the sweeps say of a channel; None where none covers it."""
    readings = (d.reading for d in picture.decisions["voice"])
    return next((r for r in readings if r.channel.name == channel and r.power_dbm is not None), None)


def _heard_there(picture: Picture, channel: Channel) -> list[str]:
    """What the sweeps say against a channel, in sentences."""
    reading = heard_in(picture, channel.name)
    if reading is None or reading.power_dbm is None:
        return [f"No sweep covers channel {channel.name}: what is there is not known."]
    if reading.occupancy == "taken":
        level = decibel(reading.power_dbm)
        return [f"Channel {channel.name} is taken, {level}; unless that is this carrier itself, choose another."]
    return []


def permitted(place: ground.Place, model: Model) -> list[rf.Permitted]:
    """Permitted ranges without what is reserved in them, with the cap that a model keeps or not."""
    if place.region is None:
        return [rf.Permitted(0, 10**12)]
    reserved = [(r.low_hz, r.high_hz) for r in place.region.rules if r.kind == "reserved"]
    out = []
    for rule in (r for r in place.region.rules if r.kind == "permitted"):
        pieces = [(rule.low_hz, rule.high_hz)]
        for low, high in reserved:
            pieces = [q for a, b in pieces for q in ((a, min(b, low)), (max(a, high), b)) if q[0] < q[1]]
        cap = None if not permission.over_cap(model, rule) else float(dbm(model.power_mw)) - 1
        out += [rf.Permitted(a, b, cap) for a, b in pieces]
    return out


def _if_lost(around: _Around, carrier: Wideband, mine: Sequence[WidePack]) -> tuple[State, str]:
    """What falls silent if a carrier is lost, and whether the others take it, each pack in turn where most is free. One
    whose channel something speaks against takes nothing."""
    store = around.store
    if not mine:
        return "sound", ""
    said = f"{len(mine)} pack{' falls' if len(mine) == 1 else 's fall'} silent at once"
    others = [c for c in around.found if c.id != carrier.id and c.channel and not around.against[c.id]]
    if not others:
        return "broken", f"{said}; there is no other carrier to take {'it' if len(mine) == 1 else 'them'}."
    on = {c.id: [rf_pack(store, c, p) for p in around.packs if p.wideband_id == c.id] for c in others}
    silent, takers = [], set()
    for pack in sorted(mine, key=lambda p: (p.priority, -rf_pack(store, carrier, p).uplink, p.id)):
        ways = []
        for c in others:
            asked, room = rf_pack(store, c, pack), rf_carrier(store, c)
            slots = rf.load([*on[c.id], asked])
            if room.covers(asked.rooms) and slots <= room.capacity and not unknown(store, c, pack):
                ways.append((slots / room.capacity, c.position, c.id, asked))
        if not ways:
            silent.append(pack.name)
            continue
        _, _, number, asked = min(ways, key=lambda w: w[:3])
        on[number].append(asked)
        takers.add(number)
    if silent:
        return "broken", f"{said}; no room was found on the others for {listed(silent, 3)}."
    return "tight", f"{said}; {listed([c.name for c in others if c.id in takers], 2)} can take all of them."


def rf_carrier(store: Reading, carrier: Wideband) -> rf.Carrier:
    rooms = frozenset(map(str, carrier.rooms)) if carrier.rooms else None
    return rf.Carrier(id=str(carrier.id), capacity=store.get(Model, carrier.model_id).capacity, rooms=rooms)


def unknown(store: Reading, carrier: Wideband, pack: WidePack) -> bool:
    """Whether a pack is in a mode that a carrier's model has not."""
    model = store.get(Model, carrier.model_id)
    return any(name and _mode(model, name) is None for name in (pack.mode, pack.mix and pack.mix_mode))


def rf_pack(store: Reading, carrier: Wideband, pack: WidePack) -> rf.Pack:
    """A pack for the arithmetic, in the modes of a carrier; a mode that it has not takes nothing."""
    model = store.get(Model, carrier.model_id)
    up, down = _mode(model, pack.mode), _mode(model, pack.mix_mode)
    return rf.Pack(
        id=str(pack.id), uplink=up.slots if up else 0, downlink=(pack.mix, pack.mix_mode) if pack.mix else None,
        downlink_slots=down.of_mix(pack.stereo) if down and pack.mix else 0, rooms=frozenset(map(str, pack.rooms)),
        carrier=str(pack.wideband_id) if pack.wideband_id else None, busy=pack.busy and pack.wideband_id is not None,
    )  # fmt: skip
