"""The design in the simulated venue: what arrives at the receiver as it is set, and as Set gains would have it."""

import numpy as np
from numpy.typing import ArrayLike, NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.desk import theme as look
from azven.desk.axis import BandView, polygon, silhouette
from azven.desk.chain.threat_row import ThreatRow
from azven.desk.session import Session
from azven.desk.stage import label
from azven.rf.chain.design import Design
from azven.work.chain import Document
from azven.work.chain import heard as chain_heard
from azven.work.chain.heard import Heard

_LEFT, _RIGHT, _TOP, _BOTTOM = 50, 12, 20, 8
_TOP_DBM, _BOTTOM_DBM, _GRID_DB = 0.0, -140.0, 20
_ROLES = ("ochre", "petrol", "plum")


class HeardPage(QWidget):
    """Sweeps at the receiver's input, brought back to the antenna, so that wanted signals coincide."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: tuple[Document, Design] | None = None
        self.row, self.view, self.words = ThreatRow(session), HeardView(session), label("", "dim", wrap=True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        for part in (self.row, self.words):
            box.addWidget(part)
        box.addWidget(self.view, 1)
        self.row.changed.connect(self._ask)

    def show_design(self, document: Document, design: Design) -> None:
        """Work it out for another design, off this thread."""
        self._shown = document, design
        self.row.show_design(document, design)
        self._ask()

    def _ask(self) -> None:
        if self._shown is None or not self.row.room:
            self._listen(())
            return
        document, design = self._shown
        session = self._session
        here = session.surroundings
        world = here.world if here else chain_heard.world(session.store, session.scope, session.picture)
        quiet = chain_heard.quiet_channels(session.picture)
        room, threat, metres = self.row.room, self.row.threat, self.row.metres

        def work(_: object) -> tuple[Heard, ...]:
            return chain_heard.settings_heard(world, document, design.zones[room].antennas[0], threat, metres, quiet)

        session.jobs.quiet("in the venue", work, self._listen)

    def _listen(self, found: tuple[Heard, ...]) -> None:
        self.view.show_heard(found)
        self.words.setText("   ".join(h.sentence() for h in found) or "This design hears nothing.")


class HeardView(BandView):
    """The sweeps over frequency; shares its zoom with the spine."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.heard: tuple[Heard, ...] = ()
        self.setMinimumHeight(150)
        self.setAccessibleName("What the receiver hears over frequency")

    def show_heard(self, heard: tuple[Heard, ...]) -> None:
        self.heard = heard
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._axis.place(_LEFT, self.width() - _LEFT - _RIGHT)

    def _y(self, level_dbm: ArrayLike) -> NDArray[np.float64]:
        room = self.height() - _TOP - _BOTTOM
        down = _TOP_DBM - np.clip(np.asarray(level_dbm, float), _BOTTOM_DBM, _TOP_DBM)
        return np.asarray(_TOP + room * down / (_TOP_DBM - _BOTTOM_DBM))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        painter.setFont(look.font(look.SMALL_PX))
        for line_dbm in range(int(_TOP_DBM), int(_BOTTOM_DBM) - 1, -_GRID_DB):
            y = float(self._y(float(line_dbm)))
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(_LEFT, y, self.width() - _RIGHT, y))
            painter.setPen(theme.color("dim"))
            text = f"{line_dbm}".replace("-", "−")
            painter.drawText(QRectF(0, y - 8, _LEFT - 6, 16), Qt.AlignmentFlag.AlignRight, text)
        painter.save()
        painter.setClipRect(QRectF(_LEFT, 0, self._axis.width, self.height()))
        for role, heard in zip(_ROLES, self.heard, strict=False):
            share, level = silhouette(
                heard.sweep.freq_hz, heard.sweep.level_dbm, *self._session.view.hz, int(self._axis.width)
            )
            painter.setPen(QPen(theme.color(role), 1))
            painter.drawPolyline(polygon(self._axis.left + share * self._axis.width, self._y(level)))
        painter.restore()
        self._paint_key(painter, theme)

    def _paint_key(self, painter: QPainter, theme: look.Theme) -> None:
        x = float(_LEFT)
        for role, heard in zip(_ROLES, self.heard, strict=False):
            painter.setPen(QPen(theme.color(role), 2))
            painter.drawLine(QLineF(x, 8, x + 16, 8))
            painter.setPen(theme.color("dim"))
            painter.drawText(QPointF(x + 22, 12), heard.name)
            x += 40 + painter.fontMetrics().horizontalAdvance(heard.name)
