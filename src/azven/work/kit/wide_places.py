"""Where the wideband carriers of a show stand: channels, edges, rooms, and what they keep narrow links from."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from azven.book.reading import Reading
from azven.book.records import Model, Wideband, WidePack
from azven.rf.sweep import Channel
from azven.work import ground, ids
from azven.work.scope import Scope


def carriers(store: Reading, scope: Scope) -> list[Wideband]:
    return sorted(store.all(Wideband, show_id=scope.show), key=lambda c: (c.spare, c.position, c.id))


def packs(store: Reading, scope: Scope) -> list[WidePack]:
    return sorted(store.all(WidePack, show_id=scope.show), key=lambda p: (p.position, p.id))


def wideband_models(store: Reading) -> list[Model]:
    """Models that are wideband carriers."""
    return [m for m in store.all(Model) if m.capacity and m.modes]


def placed_at(store: Reading, scope: Scope, carrier: Wideband) -> Channel | None:
    """The raster channel that a carrier stands in; None where it is not placed or the raster has none of that name."""
    return next((c for c in ground.here(store, scope).channels() if c.name == carrier.channel), None)


def span_hz(store: Reading, scope: Scope, carrier: Wideband) -> tuple[float, float] | None:
    """Edges of a carrier's width; None where it is not placed."""
    channel = placed_at(store, scope, carrier)
    if channel is None:
        return None
    middle, half = (channel.low_hz + channel.high_hz) / 2, store.get(Model, carrier.model_id).bandwidth_hz / 2
    return middle - half, middle + half


def closes(store: Reading, scope: Scope, zone: int) -> list[tuple[float, float, Wideband]]:
    """Where wideband carriers keep the narrow links of a room from: centre and reach [Hz] of each that is heard there
    or in a room that hears it."""
    related = ground.relations(store, scope)
    out = []
    for carrier in carriers(store, scope):
        span = span_hz(store, scope, carrier)
        if span is not None and meets(carrier, zone, related):
            low, high = span
            out.append(((low + high) / 2, (high - low) / 2 + carrier.guard_hz, carrier))
    return out


@dataclass(frozen=True, kw_only=True)
class Beside:
    """A carrier as narrow links see it: where it is, how far they have to stay from its centre [Hz], and the rooms, by
    their ids in a plan, in which that counts."""

    id: str
    name: str
    model_id: int
    centre_hz: int
    width_hz: int
    reach_hz: int
    rooms: frozenset[str]
    spare: bool = False


def beside(store: Reading, scope: Scope) -> tuple[Beside, ...]:
    """Every carrier that is placed, as narrow links see it."""
    related, out = ground.relations(store, scope), []
    for carrier in carriers(store, scope):
        span = span_hz(store, scope, carrier)
        if span is not None:
            rooms = frozenset(ids.of(z) for z in ground.zones(store, scope) if meets(carrier, z.id, related))
            low, high = span
            out.append(
                Beside(
                    id=ids.of(carrier), name=carrier.name, model_id=carrier.model_id, spare=carrier.spare,
                    centre_hz=round((low + high) / 2), width_hz=round(high - low), rooms=rooms,
                    reach_hz=round((high - low) / 2) + carrier.guard_hz,
                )
            )  # fmt: skip
    return tuple(out)


def meets(carrier: Wideband, zone: int, related: Mapping[frozenset[int], Any]) -> bool:
    if not carrier.rooms or zone in carrier.rooms:
        return True
    pairs = [related.get(frozenset((zone, room))) for room in carrier.rooms]
    return any(r is not None and r.relation in ("together", "near") for r in pairs)


def hear_each_other(a: Wideband, b: Wideband, related: Mapping[frozenset[int], Any]) -> bool:
    """Whether two carriers are heard in one room, or in rooms that hear one another."""
    return not a.rooms or not b.rooms or any(meets(a, room, related) for room in b.rooms)
