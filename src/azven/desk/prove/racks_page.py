"""The racks page: what the list says and what answers, the address plan, which link is on which channel."""

from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QInputDialog, QLineEdit, QMessageBox, QVBoxLayout

from azven.book.records import ListedRack
from azven.desk import files
from azven.desk.prove.announced import AnnouncedBar
from azven.desk.prove.network_dialog import NetworkDialog
from azven.desk.prove.rack_rows import ChannelRow, RackRow, channel_rows, rack_columns, rack_rows
from azven.desk.prove.troubles_panel import TroublesPanel
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.gear.racks.adapters import schemes
from azven.gear.racks.address import address
from azven.gear.racks.calls import Call
from azven.refusal import Refusal
from azven.work import chosen, ids
from azven.work.prove import channels, network, papers, troubles
from azven.work.prove.channels import Proposal
from azven.work.prove.troubles import Trouble
from azven.work.watch.traces import Key
from azven.work.wording import listed

_LOCATE_S = 10
_LOOK_EVERY = 5
"""Ticks between two looks at what changes without an edit of the book."""


class RacksPage(Page):
    """Addresses are dialled while they are in the list; what they answer is compared with it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.where = QLineEdit()
        self.where.setPlaceholderText("rack://host:port")
        self.where.setAccessibleName("Address of a rack")
        self.where.returnPressed.connect(self.add_address)
        self.words = label("", wrap=True)
        self.racks = RecordTable(rack_columns(), "Racks of this site")
        self.racks.theme = lambda: session.theme
        self.findings = TroublesPanel()
        self.findings.wanted.connect(self.mend)
        self.links = RecordTable(self._link_columns(), "Links and their channels")
        self.links.theme = lambda: session.theme
        self.proposed = FittedLabel("dim")
        self._proposals: list[Proposal] = []
        self._names: dict[str, str] = {}
        self._ticks = 0
        self.announced = AnnouncedBar(session)
        self._lay_out()
        self.links.picked.connect(lambda r: session.select(chosen.Link(ids.of(r.link))))

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        add = button("Add", self.add_address, "Dial a rack at this address, and keep it in the list")
        self.there = button("Take in the stand-in racks", self.add_simulated, "Racks that are played here, with people")
        flash = button("Locate", self.locate, f"Let the chosen rack flash for {_LOCATE_S} s", "flat")
        token = button("Token …", self.ask_token, "What the chosen rack wants to hear", "flat")
        trust = button(
            "New certificate", self.trust_again, "The chosen rack shows another certificate on purpose", "flat"
        )
        tip = "Dial the chosen racks now, a refused token or certificate too"
        again = button("Try again", self.try_again, tip, "flat")
        reset = button("Reset …", self.ask_reset, "Factory settings for the chosen racks: new or rented gear", "flat")
        out = button("Take out", self.take_out, "Take the chosen racks out of the list", "flat")
        box.addLayout(row(self.where, add, self.announced.looks, self.there, spacing=6))
        box.addLayout(row(self.words, 1, flash, again, token, trust, reset, out, spacing=6))
        box.addWidget(self.announced)
        box.addWidget(self.racks, 3)
        sheet = button("Address sheet …", self.save_sheet, "The list, as PDF or CSV by the name of the file", "flat")
        wires = button("Network …", self.show_network, "Subnets, what consoles show, cables", "flat")
        follow = button("Take over what racks say", self.take_over, "The list follows the racks that answer", "flat")
        box.addLayout(row(label("What is wrong with them", "section"), 1, wires, follow, sheet, spacing=6))
        box.addWidget(self.findings)
        free = button("Off its channel", self.release, "Take the chosen links off their channels", "flat")
        box.addLayout(row(label("Links and channels", "section"), self.proposed, free, spacing=8))
        box.addWidget(self.links, 4)

    def _link_columns(self) -> list[Column]:
        return [
            Column(title="Link", width=136, show=lambda r: r.link.name),
            Column(title="Channel", width=128, show=lambda r: self._said_of(r.key), choices=self._channels,
                   change=self._map_one,
                   hint="The channel of a rack that this link is on"),
            Column(title="Console", width=124, show=lambda r: r.console),
            Column(title="Planned", width=80, show=lambda r: r.planned, right=True),
            Column(title="Unit has", width=80, show=lambda r: r.there, right=True),
            Column(title="Name there", width=112, show=lambda r: r.name_there),
            Column(title="Proposed, because", width=150, show=self._why, prose=True),
        ]  # fmt: skip

    # -- showing -------------------------------------------------------------------------------------

    def read(self) -> tuple[list[RackRow], list[ChannelRow], list[Trouble]]:
        session, racks = self._session, self._session.racks
        known = racks.here.known()
        self._names = {k.card.id: k.card.name for k in known}
        self._proposals = channels.propose(session.store, session.scope, known)
        return rack_rows(self._session), channel_rows(self._session, self._proposals), self._troubles()

    def _troubles(self) -> list[Trouble]:
        session, racks = self._session, self._session.racks
        cards = {x.address: x.card for x in racks.here.hub.links if x.card is not None}
        try:
            found = troubles.of_network(session.store, session.scope, cards or None)
        except ValueError as error:
            found = [Trouble(f"The list holds an address that is none: {error}.")]
        return [*troubles.of_channels(racks.here, racks.now), *found]

    def show_view(self, view: Any) -> None:
        rows, links, wrong = view
        self.racks.show_records(rows)
        self.links.show_records(links)
        self.there.setVisible(self._session.surroundings is not None)
        answering = sum(r.state == "live" for r in rows)
        nobody = "No rack is in the list. Type an address, or take in what is found."
        if self._session.surroundings is not None:
            nobody = "No rack is in the list. Type an address, or take in the stand-in racks of the demonstration."
        self.words.setText(f"{answering} of {len(rows)} racks answer." if rows else nobody)
        self.findings.show_troubles(wrong)
        count = len(self._proposals)
        self.proposed.setText(f"{count} proposed" if count else "")

    def tick(self) -> None:
        """How the racks stand, once in a while."""
        if self.isVisible():
            rows = rack_rows(self._session)
            if [(r.id, r.state, r.said, r.channels) for r in rows] != self._known_rows():
                self.refresh()
            elif self._session.racks.now.lanes and self._ticks % _LOOK_EVERY == 0:
                self._look_at_channels()
            self._ticks += 1

    def _look_at_channels(self) -> None:
        """Settings and cards change without an edit of the book."""
        rows, wrong = channel_rows(self._session, self._proposals), self._troubles()
        if rows != self.links.records.records:
            self.links.show_records(rows)
        self.findings.show_troubles(wrong)

    def _known_rows(self) -> list[tuple[int, str, str, int]]:
        return [(r.id, r.state, r.said, r.channels) for r in self.racks.records.records]

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
        path = files.ask_where(self, "Address sheet", "rack addresses.pdf", "PDF (*.pdf);;CSV (*.csv)")
        if path is not None:
            self.write_sheet(path)

    def write_sheet(self, path: Path) -> None:
        """The list as CSV where the file is called so, else as PDF."""
        session, listed_racks = self._session, [r.rack for r in rack_rows(self._session)]
        if path.suffix.casefold() == ".csv":
            files.write_text(session, path, network.as_csv(listed_racks), "the address sheet")
            return
        wrong = [t.said for t in self._troubles()]
        html = papers.address_sheet(
            session.store,
            session.scope,
            session.racks.now,
            [r.rack for r in rack_rows(self._session)],
            wrong,
            session.now(),
        )
        files.write_pages(session, path.with_suffix(".pdf"), html, "Azven rack addresses")

    def show_network(self) -> None:
        """The fields of the network."""
        self.dialog = NetworkDialog(self._session, self)
        self.dialog.show()

    def mend(self, trouble: Trouble) -> None:
        """Do the one thing that mends it."""
        session = self._session
        if trouble.take_over:
            links = [x for x in session.racks.here.hub.links if x.card is not None and x.id in trouble.take_over]
            by_address = {r.address: r for r in network.racks(session.store, session.scope)}
            session.do(lambda: network.follow(by_address, [(x.card, x.address) for x in links if x.card]))
            return
        session.racks.carry_out(trouble.asks, self._carried_out)

    def ask_reset(self) -> None:
        """Ask before racks lose what they are set to."""
        picked = [r for r in self._chosen() if r.rack]
        if not picked:
            self._session.say("Choose a rack that has answered.", trouble=True)
            return
        names = listed([r.name for r in picked], 3)
        box = QMessageBox(self)
        box.setWindowTitle("Reset")
        box.setText(f"{names}: every channel goes back to factory settings. The network stays as it is. "
                    "It is away for up to a minute.")  # fmt: skip
        self.reset_button = box.addButton("Reset", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Never mind", QMessageBox.ButtonRole.RejectRole)
        box.buttonClicked.connect(lambda b: self._reset(picked) if b is self.reset_button else None)
        box.open()

    def _reset(self, picked: list[ListedRack]) -> None:
        asks = [troubles.Ask(r.rack, "reset", {"keep_network": True}) for r in picked]
        self._session.racks.carry_out(asks, self._carried_out)

    def _carried_out(self, calls: list[Call]) -> None:
        """Say what became of it."""
        bad = [c for c in calls if c.outcome != "done"]
        if bad:
            said = bad[0].message or "No answer came."
            self._session.say(f"{len(calls) - len(bad)} of {len(calls)} were carried out. {said}", trouble=True)
        else:
            count = len(calls)
            self._session.say(f"{count} call{'s' if count != 1 else ''} carried out.")
        self.refresh()
