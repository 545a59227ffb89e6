"""Which transmitter is near an antenna, in which room and how far away: controls shared by the pages that ask."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QSlider, QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import choice, fill, label, row
from azven.rf.chain.design import Design
from azven.work.chain import Document, threats
from azven.work.chain.threats import Threat
from azven.work.wording import decibel

_STEPS = 60


class ThreatRow(QWidget):
    """`changed` when something else is chosen or moved."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._document: Document | None = None
        self.kind, self.zone = choice([], "Which transmitter is near"), choice([], "Room it is in")
        self.kind.setMinimumWidth(270)
        self.zone.setMinimumWidth(130)
        self.distance = QSlider(Qt.Orientation.Horizontal)
        self.distance.setRange(0, _STEPS)
        self.distance.setAccessibleName("Distance of the transmitter")
        self.said = label("", "dim")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        line = row(self.kind, label("in", "dim"), self.zone, self.distance)
        line.setStretch(3, 1)
        box.addLayout(line)
        box.addWidget(self.said)
        self.distance.valueChanged.connect(lambda _: self._move())
        for chosen in (self.zone, self.kind):
            chosen.activated.connect(self._move)

    @property
    def threat(self) -> Threat | None:
        found = self.kind.currentData()
        return found if isinstance(found, Threat) else None

    @property
    def room(self) -> str:
        """The room's name, empty in a design without rooms."""
        return str(self.zone.currentData() or "")

    @property
    def metres(self) -> float:
        """Distance: even steps of the slider are even factors."""
        farthest = self.threat.farthest_m if self.threat is not None else 1.0
        return float(round(max(farthest, 1.0) ** (self.distance.value() / _STEPS), 1))

    def show_design(self, document: Document, design: Design) -> None:
        """Offer what could key up near this design; gone where it has no rooms."""
        self._document = document
        self.setVisible(bool(design.zones))
        fill(self.zone, [(z, z) for z in design.zones])
        listed = threats.threats(self._session.store, self._session.scope, self._session.picture, design)
        fill(self.kind, [("no other transmitter", None), *((t.name, t) for t in listed)])
        self._say()

    def _move(self) -> None:
        self._say()
        if self.room:
            self.changed.emit()

    def _say(self) -> None:
        threat = self.threat
        self.distance.setEnabled(threat is not None and threat.level_dbm is None)
        if threat is None or not self.room or self._document is None:
            self.said.setText("Choose a transmitter near an antenna, and see what it does.")
            return
        level, behind = threats.behind_filter_dbm(self._document, self.room, threat, self.metres)
        where = "" if threat.level_dbm is not None else f"{self.metres:g} m from the antenna, in its main lobe: "
        self.said.setText(f"{where}{decibel(level)} at the antenna, {decibel(behind)} where the first amplifier begins")
