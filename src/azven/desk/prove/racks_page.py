"""The racks page: what the list says and what answers, the address plan, which link is on which channel."""

from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QLineEdit, QVBoxLayout, QWidget

from azven.book.records import Link, ListedRack
from azven.desk import files
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.gear.racks import discovery
from azven.gear.racks.adapters import schemes
from azven.gear.racks.address import address
from azven.gear.racks.calls import Call
from azven.gear.racks.discovery import Announced
from azven.refusal import Refusal
from azven.work import chosen, ids
from azven.work.prove import channels, network
from azven.work.prove.channels import Proposal
from azven.work.watch.traces import Key
from azven.work.wording import listed, mhz

_STATES = {"live": "sound", "silent": "tight", "lost": "broken", "new": "unknown"}
_LOCATE_S = 10


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


class RacksPage(Page):
    """Addresses are dialled while they are in the list; what they answer is compared with it."""

    found = pyqtSignal(object)
    """A rack that announces itself; it comes from another thread."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.where = QLineEdit()
        self.where.setPlaceholderText("rack://host:port")
        self.where.setAccessibleName("Address of a rack")
        self.where.returnPressed.connect(self.add_address)
        self.words = label("", wrap=True)
        self.racks = RecordTable(_rack_columns(), "Racks of this site")
        self.racks.theme = lambda: session.theme
        self.findings = label("", wrap=True)
        self.links = RecordTable(self._link_columns(), "Links and their channels")
        self.links.theme = lambda: session.theme
        self.proposed = FittedLabel("dim")
        self._proposals: list[Proposal] = []
        self._names: dict[str, str] = {}
        self._found: dict[str, Announced] = {}
        self.found.connect(self._announce)
        self._lay_out()
        self.links.picked.connect(lambda r: session.select(chosen.Link(ids.of(r.link))))

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        add = button("Add", self.add_address, "Dial a rack at this address, and keep it in the list")
        self.there = button("Take in the stand-in racks", self.add_simulated, "Racks that are played here, with people")
        flash = button("Locate", self.locate, f"Let the chosen rack flash for {_LOCATE_S} s")
        self.looks = button(
            "Look for racks", self.look, "Racks that announce themselves on this network; nothing is dialled"
        )
        token = button("Token …", self.ask_token, "What the chosen rack wants to hear", "flat")
        trust = button(
            "New certificate", self.trust_again, "The chosen rack shows another certificate on purpose", "flat"
        )
        again = button("Try again", self.try_again, "Dial the chosen racks now, a refused token or certificate too")
        out = button("Take out", self.take_out, "Take the chosen racks out of the list", "flat")
        box.addLayout(row(self.where, add, self.looks, self.there, 1, flash, again, out, spacing=6))
        box.addLayout(row(self.words, 1, token, trust, spacing=6))
        self.announced = QWidget()
        self.heard_of = label("", wrap=True)
        self.announced.setLayout(row(self.heard_of, 1, button("Take these in", self.take_announced)))
        self.announced.setVisible(False)
        box.addWidget(self.announced)
        box.addWidget(self.racks, 3)
        sheet = button("Address sheet …", self.save_sheet, "The list as CSV", "flat")
        follow = button("Take over what racks say", self.take_over, "The list follows the racks that answer", "flat")
        box.addLayout(row(label("Address plan", "section"), 1, follow, sheet, spacing=6))
        box.addWidget(self.findings)
        free = button("Off its channel", self.release, "Take the chosen links off their channels", "flat")
        box.addLayout(row(label("Links and channels", "section"), self.proposed, free, spacing=8))
        box.addWidget(self.links, 4)

    def _link_columns(self) -> list[Column]:
        return [
            Column(title="Link", width=150, show=lambda r: r.link.name),
            Column(title="Channel", width=150, show=lambda r: self._said_of(r.key), choices=self._channels,
                   change=self._map_one,
                   hint="The channel of a rack that this link is on"),
            Column(title="Planned", width=80, show=lambda r: r.planned, right=True),
            Column(title="Unit has", width=80, show=lambda r: r.there, right=True),
            Column(title="Name there", width=130, show=lambda r: r.name_there),
            Column(title="Proposed, because", width=210, show=self._why, prose=True),
        ]  # fmt: skip

    # -- showing -------------------------------------------------------------------------------------

    def read(self) -> tuple[list[RackRow], list[ChannelRow], list[str]]:
        session, racks = self._session, self._session.racks
        known = racks.here.known()
        self._names = {k.card.id: k.card.name for k in known}
        self._proposals = channels.propose(session.store, session.scope, known)
        names = {r.rack: r.name for r in network.racks(session.store, session.scope) if r.rack}
        names |= {k.card.id: k.card.name for k in known}
        try:
            cards = {x.address: x.card for x in racks.here.hub.links if x.card is not None}
            wrong = network.findings(session.store, session.scope, cards or None)
            said = [network.sentence(f, names) for f in wrong]
        except ValueError as error:
            said = [f"The list holds an address that is none: {error}."]
        return self._rack_rows(), self._channel_rows(), said

    def show_view(self, view: Any) -> None:
        rows, links, said = view
        self.racks.show_records(rows)
        self.links.show_records(links)
        self.there.setVisible(self._session.surroundings is not None)
        answering = sum(r.state == "live" for r in rows)
        nobody = "No rack is in the list. Type an address, or take in what is found."
        if self._session.surroundings is not None:
            nobody = "No rack is in the list. Type an address, or take in the stand-in racks of the demonstration."
        self.words.setText(f"{answering} of {len(rows)} racks answer." if rows else nobody)
        most = [f"• {s}" for s in said[:4]] + ([f"• and {len(said) - 4} more"] if len(said) > 4 else [])
        self.findings.setText("\n".join(most) or "Nothing is wrong with the addresses that are known.")
        self.findings.setObjectName("bad" if said else "dim")
        self.findings.setStyle(self.findings.style())
        count = len(self._proposals)
        self.proposed.setText(f"{count} proposed" if count else "")

    def tick(self) -> None:
        """How the racks stand, once in a while."""
        if self.isVisible():
            rows = self._rack_rows()
            if [(r.id, r.state, r.said, r.channels) for r in rows] != self._known_rows():
                self.refresh()

    def _known_rows(self) -> list[tuple[int, str, str, int]]:
        return [(r.id, r.state, r.said, r.channels) for r in self.racks.records.records]

    def _rack_rows(self) -> list[RackRow]:
        session, here = self._session, self._session.racks.here
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
            known = rack if card is None else replace(
                rack, rack=card.id, kind=card.kind, channels=len(card.channels), name=card.name
            )  # fmt: skip
            rows.append(RackRow(rack.id, known, state, said, known.channels, taken.get(known.rack, 0)))
        return rows

    def _channel_rows(self) -> list[ChannelRow]:
        racks = self._session.racks
        now = racks.now
        proposed = {p.link.id: p for p in self._proposals}
        rows = []
        for lane in now.lanes:
            link, key = lane.link, now.keys.get(lane.link.id)
            settings = racks.here.settings(key) if key else {}
            freq, there = now.freq_hz.get(link.id), settings.get("freq_hz")
            rows.append(ChannelRow(
                link.id, link, key, proposed.get(link.id), mhz(freq) if freq else "", mhz(there) if there else "",
                str(settings.get("name", "")),
            ))  # fmt: skip
        return rows

    def _said_of(self, key: Key | None) -> str:
        return f"{self._names.get(key[0], key[0])} · {key[1]}" if key else ""

    def _why(self, row: ChannelRow) -> str:
        return f"{self._said_of(row.proposal.key)}: {row.proposal.why}" if row.proposal else ""

    def _channels(self, row: ChannelRow) -> list[tuple[str, Any]]:
        """Channels that a link may be put on: those of its service."""
        known = self._session.racks.here.known()
        fit = [(k.card, c) for k in known for c in k.card.channels if c.service == row.link.service]
        return [(f"{card.name} · {c.id}", (card.id, c.id)) for card, c in fit]

    def _map_one(self, row: ChannelRow, key: Key) -> bool:
        session = self._session
        return session.do(lambda: channels.take(session.store, session.scope, [Proposal(row.link, key, "")]))

    # -- deeds ---------------------------------------------------------------------------------------

    def add_address(self) -> None:
        session, text = self._session, self.where.text()
        try:
            where = str(address(text, schemes()))
        except Refusal as refusal:
            session.say(str(refusal), trouble=True)
            return
        if session.do(lambda: network.list_address(session.store, session.scope, where)):
            self.where.clear()
            session.racks.dial()

    def add_simulated(self) -> None:
        """The stand-in racks of the demonstration, as if they had been typed."""
        session, there = self._session, self._session.surroundings
        if there is None:
            return
        known = {r.address for r in network.racks(session.store, session.scope)}
        for server in there.racks().house.servers:
            if server.address not in known:
                name = str(server.rack.rack["name"])
                session.do(partial(network.list_address, session.store, session.scope, server.address, name))
        session.racks.dial()

    def look(self) -> None:
        """Look for racks that announce themselves, or look no more."""
        racks = self._session.racks
        if racks.browsing is not None:
            racks.browsing.stop()
            racks.browsing = None
        else:
            racks.browsing = discovery.look(self.found.emit)
        self.looks.setText("Look no more" if racks.browsing else "Look for racks")
        self._announce(None)

    def _announce(self, found: Announced | None) -> None:
        if found is not None:
            self._found[str(found.address)] = found
        known = {r.address for r in network.racks(self._session.store, self._session.scope)}
        self._found = {where: rack for where, rack in self._found.items() if where not in known}
        said = [
            f"{rack.name or rack.rack or 'a rack without a name'} at {where}" for where, rack in self._found.items()
        ]
        words = f"Announced: {listed(said, 4)}." if said else "Looking. Nothing announces itself yet."
        self.heard_of.setText(words)
        self.announced.setVisible(self._session.racks.browsing is not None)

    def take_announced(self) -> None:
        """Take what announced itself into the list; only then it is dialled."""
        session = self._session
        for where, rack in list(self._found.items()):
            session.do(partial(network.list_address, session.store, session.scope, where, rack.name))
        self._announce(None)

    def ask_token(self) -> None:
        """Ask for the token of the chosen rack; it goes into the system's keyring, or is asked for each time."""
        for rack in self._chosen()[:1]:
            why = f"The token that {rack.name} wants. It goes only over an encrypted connection or on this machine."
            text, given = QInputDialog.getText(self, "Token", why, QLineEdit.EchoMode.Password)
            if given and text:
                self._session.say(self._session.racks.here.give_token(rack.address, text))

    def trust_again(self) -> None:
        """The certificate of a rack was changed on purpose: forget the one that is remembered, and try again."""
        for rack in self._chosen():
            self._session.racks.here.trust_again(rack.address, rack.rack)
            self._session.say(f"{rack.name}: the certificate that comes next is taken and remembered.")

    def _chosen(self) -> list[ListedRack]:
        return [r.rack for r in self.racks.chosen()]

    def locate(self) -> None:
        for rack in self._chosen():
            link = self._session.racks.here.link_at(rack.address)
            if link is not None and link.id:
                call = Call("locate", {"channel": None, "seconds": _LOCATE_S}, self._session.racks.here.who)
                self._session.racks.here.hub.call(link.id, call)
                self._session.say(f"{rack.name} flashes for {_LOCATE_S} s.")

    def try_again(self) -> None:
        for rack in self._chosen():
            self._session.racks.here.hub.ask_again(rack.address)

    def take_out(self) -> None:
        picked = self._chosen()
        if picked and self._session.do(lambda: network.take_out(picked)):
            self._session.racks.dial()

    def take_over(self) -> None:
        """The list follows the racks that answer: name, id, channels, network."""
        session = self._session
        cards = [(x.card, x.address) for x in session.racks.here.hub.links if x.card is not None]
        by_address = {r.address: r for r in network.racks(session.store, session.scope)}
        session.do(lambda: network.follow(by_address, cards))

    def map_all(self) -> None:
        """Put every link on the channel that is proposed for it."""
        session = self._session
        self.refresh()
        if not self._proposals:
            session.say("No free channel fits a link that has none.")
            return
        session.do(lambda: channels.take(session.store, session.scope, self._proposals))

    def release(self) -> None:
        session = self._session
        picked = [r.link for r in self.links.chosen()]
        if picked:
            session.do(lambda: channels.release(session.store, session.scope, picked))

    def save_sheet(self) -> None:
        session = self._session
        path = files.ask_where(self, "Address sheet", "rack addresses.csv", "CSV (*.csv)")
        if path is not None:
            text = network.as_csv(session.store, session.scope)
            files.write_text(session, path, text, "the address sheet")


def _rack_columns() -> list[Column]:
    return [
        Column(title="Rack", width=196, show=lambda r: r.rack.name),
        Column(title="Now", width=104, show=lambda r: r.said, mark=lambda r: _STATES.get(r.state, "unknown")),
        Column(title="Id", width=70, show=lambda r: r.rack.rack),
        Column(title="Kind", width=76, show=lambda r: r.rack.kind),
        Column(title="Channels", width=70, show=lambda r: str(r.channels or ""), right=True),
        Column(title="With links", width=74, show=lambda r: str(r.taken or ""), right=True),
        Column(title="Address", width=190, show=lambda r: r.rack.address),
    ]  # fmt: skip
