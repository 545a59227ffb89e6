"""Which link is on which channel of which rack: proposed by name, band and frequency, made once, follows the link."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import Link, Mapped, Unit
from azven.book.store import Store
from azven.work import kit, plan
from azven.work.scope import Scope

if TYPE_CHECKING:
    from azven.gear.racks.card import Card, ChannelCard
    from azven.gear.racks.values import Fields
    from azven.work.watch.traces import Key


@dataclass(frozen=True)
class Known:
    """A rack that answers: its card, and the settings of its channels as far as they were read."""

    card: "Card"
    settings: "Mapping[str, Fields]"


@dataclass(frozen=True)
class Proposal:
    """A channel for a link, and why it fits."""

    link: Link
    key: "Key"
    why: str


def mapped(store: Reading, scope: Scope) -> "dict[int, Key]":
    """Channels by link id, as the book has them."""
    return {m.link_id: (m.rack, m.channel) for m in store.all(Mapped, show_id=scope.show)}


def propose(store: Store, scope: Scope, racks: Sequence[Known]) -> list[Proposal]:
    """A free channel for every link that has none and that one fits: its unit's name and receiver first, then the name
    or the frequency that the channel has already, then service and band in their order."""
    known = mapped(store, scope)
    links = [x for x in kit.links(store, scope) if x.id not in known and not x.set_aside]
    units = {u.id: u for u in kit.units(store, scope)}
    placed = plan.assignments(store, scope)
    taken = set(known.values())
    owned = {u.name.casefold() for u in units.values()}  # racks of the kit are for the links that have them
    ordered = sorted(racks, key=lambda k: k.card.name.casefold() in owned)
    free = [(k, c) for k in ordered for c in k.card.channels if (k.card.id, c.id) not in taken and c.service]
    found: dict[int, Proposal] = {}
    for rank in (_by_unit, _by_name, _by_frequency, _by_band):
        for link in links:
            if link.id in found:
                continue
            freq, unit = placed[link.id].freq_hz if link.id in placed else None, units.get(link.unit_id or 0)
            for rack, channel in free:
                why = rank(link, unit, freq, rack, channel) if _fits(link, freq, channel) else ""
                if why:
                    found[link.id] = Proposal(link, (rack.card.id, channel.id), why)
                    free.remove((rack, channel))
                    break
    return [found[x.id] for x in links if x.id in found]


def _fits(link: Link, freq_hz: int | None, channel: "ChannelCard") -> bool:
    if channel.service != link.service or channel.low_hz is None or channel.high_hz is None:
        return False
    inside = freq_hz is None or channel.low_hz <= freq_hz <= channel.high_hz
    return inside or link.band in channel.limits.get("band", ())


def _by_unit(link: Link, unit: Unit | None, freq_hz: int | None, rack: Known, channel: "ChannelCard") -> str:
    if unit is None or unit.name.casefold() != rack.card.name.casefold():
        return ""
    return "" if link.receiver and str(link.receiver) != channel.id else f"its unit is {unit.name}"


def _by_name(link: Link, unit: Unit | None, freq_hz: int | None, rack: Known, channel: "ChannelCard") -> str:
    name = rack.settings.get(channel.id, {}).get("name")
    return "the channel has its name" if name and name.casefold() == link.name.casefold() else ""


def _by_frequency(link: Link, unit: Unit | None, freq_hz: int | None, rack: Known, channel: "ChannelCard") -> str:
    there = rack.settings.get(channel.id, {}).get("freq_hz")
    return "the channel is on its frequency" if freq_hz is not None and there == freq_hz else ""


def _by_band(link: Link, unit: Unit | None, freq_hz: int | None, rack: Known, channel: "ChannelCard") -> str:
    if unit is not None or freq_hz is None:
        return ""
    return "service and band fit"


def take(store: Store, scope: Scope, proposals: Iterable[Proposal]) -> Edit:
    """Put links on channels; a link that had one gets the new one, a channel serves one link."""
    chosen = {p.link.id: p.key for p in proposals}
    known = {m.link_id: m for m in store.all(Mapped, show_id=scope.show)}
    changes: tuple[Change, ...] = ()
    for m in known.values():
        if (m.rack, m.channel) in chosen.values() and m.link_id not in chosen:
            changes += remove([m])
    first = store.reserve(len(chosen)) if chosen else 0
    for i, (link_id, (rack, channel)) in enumerate(chosen.items()):
        if link_id in known:
            changes += replace_record(known[link_id], replace(known[link_id], rack=rack, channel=channel))
        else:
            changes += add(Mapped(id=first + i, show_id=scope.show, link_id=link_id, rack=rack, channel=channel))
    count = len(chosen)
    return Edit(f"Channels of {count} link{'s' if count != 1 else ''}", changes)


def release(store: Store, scope: Scope, links: Sequence[Link]) -> Edit:
    """Take links off their channels."""
    numbers = {x.id for x in links}
    gone = [m for m in store.all(Mapped, show_id=scope.show) if m.link_id in numbers]
    return Edit(f"No channel for {len(gone)} link{'s' if len(gone) != 1 else ''}", remove(gone))
