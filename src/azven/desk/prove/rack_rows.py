"""Racks and links as rows of the racks page."""

from collections.abc import Sequence
from dataclasses import dataclass

from azven.book.records import Link, ListedRack
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.work.prove import network
from azven.work.prove.channels import Proposal
from azven.work.watch.traces import Key
from azven.work.wording import mhz

_STATES = {"live": "sound", "silent": "tight", "lost": "broken", "new": "unknown"}


@dataclass(frozen=True)
class RackRow:
    """A rack of the list with how it stands now."""

    id: int
    rack: ListedRack
    state: str
    said: str
    channels: int
    taken: int


@dataclass(frozen=True)
class ChannelRow:
    """A link with its channel, or what is proposed for it."""

    id: int
    link: Link
    key: Key | None
    proposal: Proposal | None
    planned: str
    there: str
    name_there: str
    console: str


def rack_rows(session: Session) -> list[RackRow]:
    """Racks of the list, as they say themselves that they are where they have answered."""
    here = session.racks.here
    taken: dict[str, int] = {}
    for rack_id, _ in session.racks.now.keys.values():
        taken[rack_id] = taken.get(rack_id, 0) + 1
    rows = []
    for rack in network.racks(session.store, session.scope):
        link = here.link_at(rack.address)
        state, said = "new", "not dialled"
        if link is not None:
            state = link.state if link.ready or link.state != "live" else "silent"
            said = {"live": "answers", "silent": "silent", "lost": "lost"}.get(state, "is dialled")
            if link.next_try_s is None and not link.up:
                state, said = "lost", "refused; try again when it is mended"
        card = link.card if link else None
        known = network.told(rack, card)
        rows.append(RackRow(rack.id, known, state, said, known.channels, taken.get(known.rack, 0)))
    return rows


def channel_rows(session: Session, proposals: Sequence[Proposal]) -> list[ChannelRow]:
    """Links with their channels and what their units have now."""
    racks = session.racks
    now = racks.now
    consoles = now.inputs
    proposed = {p.link.id: p for p in proposals}
    rows = []
    for lane in now.lanes:
        link, key = lane.link, now.keys.get(lane.link.id)
        settings = racks.here.settings(key) if key else {}
        freq, there = now.freq_hz.get(link.id), settings.get("freq_hz")
        rows.append(ChannelRow(
            link.id, link, key, proposed.get(link.id), mhz(freq) if freq else "", mhz(there) if there else "",
            str(settings.get("name", "")), consoles.get(link.id, ""),
        ))  # fmt: skip
    return rows


def rack_columns() -> list[Column]:
    return [
        Column(title="Rack", width=196, show=lambda r: r.rack.name),
        Column(title="Now", width=104, show=lambda r: r.said, mark=lambda r: _STATES.get(r.state, "unknown")),
        Column(title="Id", width=70, show=lambda r: r.rack.rack),
        Column(title="Kind", width=76, show=lambda r: r.rack.kind),
        Column(title="Channels", width=70, show=lambda r: str(r.channels or ""), right=True),
        Column(title="With links", width=74, show=lambda r: str(r.taken or ""), right=True),
        Column(title="Address", width=190, show=lambda r: r.rack.address),
    ]  # fmt: skip
