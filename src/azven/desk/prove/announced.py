"""Racks that announce themselves: looked for while somebody wants it, dialled only when they are taken in."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.gear.racks import discovery
from azven.gear.racks.discovery import Announced
from azven.work.prove import network
from azven.work.wording import listed


class AnnouncedBar(QWidget):
    """Says who was heard of, beside a button that takes them in; `looks` stands elsewhere and turns it on."""

    found = pyqtSignal(object)
    """A rack that announces itself; it comes from another thread."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._found: dict[str, Announced] = {}
        tip = "Racks that announce themselves on this network; nothing is dialled"
        self.looks = button("Look for racks", self.look, tip)
        self.heard_of = label("", wrap=True)
        self.setLayout(row(self.heard_of, 1, button("Take these in", self.take)))
        self.setVisible(False)
        self.found.connect(self._announce)

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
        self.setVisible(self._session.racks.browsing is not None)

    def take(self) -> None:
        """Take what announced itself into the list; only then it is dialled."""
        session = self._session
        for where, rack in list(self._found.items()):
            session.do(partial(network.list_address, session.store, session.scope, where, rack.name))
        self._announce(None)
