"""What is done with wideband carriers: which channel, packs on carriers, the fewest carriers that hold them."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import Model, Wideband, WidePack
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import packing
from azven.rf import wideband as rf
from azven.rf.levels import dbm
from azven.work import ground, ids
from azven.work.kit.gear import links, numbered, planned
from azven.work.kit.wide_antennas import heard_at
from azven.work.kit.wide_places import carriers, hear_each_other, meets, packs
from azven.work.kit.wideband import permitted, rf_carrier, rf_pack, unknown
from azven.work.listen import Picture
from azven.work.scope import Scope
from azven.work.wording import listed

_MOST_PACKS = 500


def ranked(store: Reading, scope: Scope, picture: Picture, carrier: Wideband) -> rf.Ranked:
    """Channels that a carrier may stand in, by the power that sweeps heard there at the worst of its antennas, then by
    the narrow links it would cost. Channels of other carriers that meet it are no choice."""
    place, model = ground.here(store, scope), store.get(Model, carrier.model_id)
    related, frequencies = ground.relations(store, scope), planned(store, scope)
    others = [c for c in carriers(store, scope) if c.id != carrier.id]
    taken = {c.channel for c in others if hear_each_other(c, carrier, related)}
    raster = [c for c in place.channels() if c.name not in taken]
    heard = heard_at(store, scope, picture, carrier, raster)
    assigned = list(next(iter(heard.values()), {}))
    near = {ids.of(x): frequencies[x.id] for x in links(store, scope)
            if x.id in frequencies and not x.set_aside and meets(carrier, x.zone_id, related)}  # fmt: skip
    return rf.ranked(
        raster, permitted(place, model), model.bandwidth_hz, float(dbm(model.power_mw)), assigned, heard, near,
        carrier.guard_hz,
    )  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Offer:
    """A channel where a carrier may stand: the power heard there, whether that is taken, narrow links it would cost."""

    channel: str
    power_dbm: float
    taken: bool
    cost: int


def offers(store: Reading, scope: Scope, picture: Picture, carrier: Wideband) -> tuple[list[Offer], tuple[str, ...]]:
    """Channels for a carrier, the best first, and those that no sweep covers."""
    found = ranked(store, scope, picture, carrier)
    readings = {d.reading.channel.name: d.reading for d in picture.decisions["voice"]}
    known = [
        Offer(channel=name, power_dbm=found.worst_dbm[name], taken=readings[name].occupancy == "taken",
              cost=found.lost[name])
        for name in found.rank
    ]  # fmt: skip
    return known, found.unknown


def add_carrier(store: Store, scope: Scope, model: Model, name: str = "", **fields: Any) -> Edit:
    """A carrier of a model, not placed unless a field says where. Refusal for a model that is none."""
    if not model.capacity:
        raise Refusal(f"{model.name} is no wideband carrier.")
    known = carriers(store, scope)
    name = name.strip() or ground.unused("Carrier", [c.name for c in known])
    new = Wideband(id=store.reserve(), show_id=scope.show, name=name, model_id=model.id, position=len(known), **fields)
    return Edit(f"Add {name}", add(new), (new.id,))


def add_packs(store: Store, scope: Scope, pattern: str, count: int, **fields: Any) -> Edit:
    """`count` packs named after `pattern`. Refusal when that cannot be meant."""
    if not pattern.strip():
        raise Refusal("The packs need a name.")
    if not 1 <= count <= _MOST_PACKS:
        raise Refusal(f"Between 1 and {_MOST_PACKS} packs at a time, not {count}.")
    if not fields.get("mode") and not fields.get("mix"):
        raise Refusal("A pack sends, or hears a mix, or both.")
    known = packs(store, scope)
    first = store.reserve(count)
    names = numbered(pattern, count, [p.name for p in known])
    new = [WidePack(id=first + i, show_id=scope.show, name=n, position=len(known) + i, **fields)
           for i, n in enumerate(names)]  # fmt: skip
    title = f"Add {new[0].name}" if count == 1 else f"Add {new[0].name} … {new[-1].name}"
    return Edit(title, add(*new), tuple(p.id for p in new))


@dataclass(frozen=True, kw_only=True)
class ToPack:
    """What is to be packed; `answer` is pure and takes seconds where there is much."""

    packs: tuple[rf.Pack, ...]
    carriers: tuple[rf.Carrier, ...]

    def answer(self) -> packing.Packing:
        """The fewest carriers, then the fullest as empty as possible. Refusal where it cannot be."""
        try:
            return packing.pack(self.packs, self.carriers)
        except ValueError:
            raise Refusal(
                "The packs do not fit on the carriers: there are too few slots in the rooms that they need."
            ) from None


def to_pack(store: Reading, scope: Scope) -> ToPack:
    """All packs of a show and its carriers without the spares. Refusal where there is nothing to pack, or a pack that
    no carrier can take."""
    found, everyone = [c for c in carriers(store, scope) if not c.spare], packs(store, scope)
    if not found or not everyone:
        raise Refusal("It takes a carrier and a pack.")
    if len({store.get(Model, c.model_id).modes for c in found}) > 1:
        raise Refusal("The carriers are of models with different modes; put the packs on them by hand.")
    for pack in everyone:
        if unknown(store, found[0], pack):
            raise Refusal(f"{pack.name} is in a mode that {store.get(Model, found[0].model_id).name} has not.")
    numbers = {c.id for c in found}
    asked = [rf_pack(store, found[0], p) for p in everyone if p.wideband_id in numbers or not p.busy]
    for (mix, mode), sizes in _mix_sizes(asked).items():
        if len(sizes) > 1:
            raise Refusal(f"Mix {mix} is heard mono and stereo in mode {mode}; make it one of them for all its packs.")
    return ToPack(packs=tuple(asked), carriers=tuple(rf_carrier(store, c) for c in found))


def _mix_sizes(asked: Sequence[rf.Pack]) -> dict[tuple[str, str], set[int]]:
    out: dict[tuple[str, str], set[int]] = {}
    for pack in asked:
        if pack.downlink is not None:
            out.setdefault(pack.downlink, set()).add(pack.downlink_slots)
    return out


def packed(store: Reading, scope: Scope, answer: packing.Packing) -> Edit:
    """Every pack where the answer has it, of those that are still there and are not in use on another carrier."""
    known = {c.id for c in carriers(store, scope)}
    moved: list[Change] = []
    for pack in packs(store, scope):
        number = int(answer.on.get(str(pack.id), 0))
        if number in known and number != pack.wideband_id and not (pack.busy and pack.wideband_id):
            moved += replace_record(pack, replace(pack, wideband_id=number))
    return Edit(f"Pack {len(answer.on)} packs", tuple(moved))


def put_on(chosen: Sequence[WidePack], carrier: int | None) -> Edit:
    """Put packs on a carrier, or on none. Refusal for one that is in use on another."""
    busy = [p.name for p in chosen if p.busy and p.wideband_id not in (None, carrier)]
    if busy:
        raise Refusal(f"{listed(busy, 3)} in use: a pack is moved only while it is idle.")
    changes = [c for p in chosen for c in replace_record(p, replace(p, wideband_id=carrier))]
    return Edit(f"Carrier of {chosen[0].name}" if len(chosen) == 1 else f"Carrier of {len(chosen)} packs",
                tuple(changes))  # fmt: skip


def place(store: Store, carrier: Wideband, channel: str) -> Edit:
    """Put a carrier into a channel of the raster, or with no name nowhere."""
    title = f"{carrier.name} in channel {channel}" if channel else f"{carrier.name} nowhere"
    return Edit(title, replace_record(carrier, replace(carrier, channel=channel)), (carrier.id,))


def remove_carriers(store: Reading, chosen: Sequence[Wideband]) -> Edit:
    """Take carriers out; their packs stay, on none."""
    numbers = {c.id for c in chosen}
    freed = [c for p in store.all(WidePack) if p.wideband_id in numbers
             for c in replace_record(p, replace(p, wideband_id=None))]  # fmt: skip
    title = f"Remove {chosen[0].name}" if len(chosen) == 1 else f"Remove {len(chosen)} carriers"
    return Edit(title, (*freed, *remove(chosen)))
