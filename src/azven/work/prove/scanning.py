"""Racks that can scan, as instruments of Listen: what each channel hears with, and where."""

from azven.book.records import Link
from azven.gear.racks.card import Card, ChannelCard
from azven.gear.racks.instrument import RackInstrument
from azven.gear.transport import InstrumentError
from azven.work.prove.here import RacksHere, ShowNow
from azven.work.surroundings import OnOffer

SCHEME = "scan:"


def offers(here: RacksHere, now: ShowNow) -> list[OnOffer]:
    """Every channel that can scan, rack by rack: a receiver with the antennas of its room, an in-ear by its pack."""
    links = {key: lane.link for lane in now.lanes if (key := now.keys.get(lane.link.id)) is not None}
    found = []
    for rack in sorted(here.known(), key=lambda k: (k.card.name.casefold(), k.card.id)):
        for channel in rack.card.channels:
            if "scan" in channel.can:
                link = links.get((rack.card.id, channel.id))
                found.append(_offer(rack.card, channel, link, now))
    return found


def _offer(card: Card, channel: ChannelCard, link: Link | None, now: ShowNow) -> OnOffer:
    zones = now.zones
    room = zones[link.zone_id].name if link is not None and link.zone_id in zones else card.name
    for_whom = f" ({link.name})" if link is not None else ""
    address = f"{SCHEME}{card.id}/{channel.id}"
    if channel.service == "in-ear":
        return OnOffer(
            address, f"pack of {card.name} · {channel.id}{for_whom}", f"{room}, at the pack", "in-ears", "rack"
        )
    known = now.needs.gain_db(link.zone_id) if link is not None else None
    where = "its own antennas" if known is not None else "levels at the receiver"
    antennas = f"{card.name} · {channel.id}{for_whom}, {where}"
    return OnOffer(address, antennas, f"{room}, receive antennas", "receivers", "rack")


def opened(here: RacksHere, now: ShowNow, resource: str) -> RackInstrument:
    """The rack's channel behind the address of an offer; what the antenna system of its link's room does to levels is
    taken off. InstrumentError for an address that names none."""
    rack, slash, channel = resource.removeprefix(SCHEME).rpartition("/")
    if not slash or not resource.startswith(SCHEME):
        raise InstrumentError(f"{resource} names no channel of a rack.")
    lane = next((x for x in now.lanes if now.keys.get(x.link.id) == (rack, channel)), None)
    receives = lane is not None and lane.model.service != "in-ear"
    gain = now.needs.gain_db(lane.link.zone_id) if lane is not None and receives else None
    return RackInstrument(here.hub, rack, channel, here.who, gain or 0.0)
