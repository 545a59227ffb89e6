"""The evening as a line with what is foretold of it: seconds without sound, minute by minute."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.rf.rehearse.production import Act
from azven.work.rehearse import Rehearsal

_H, _BASE, _BAR, _GAP, _FULL_S = 92, 64.0, 40.0, 10.0, 30.0
"""A bar of full height: half a minute without sound in a minute, of all links together."""


class ForetoldLine(QWidget):
    """Acts side by side, as long as they are; the one that is chosen is framed. A click chooses another."""

    chosen = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._found: Rehearsal | None = None
        self._other: Rehearsal | None = None
        self.act = ""
        self._boxes: dict[str, QRectF] = {}
        self.setFixedHeight(_H)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The evening as it is foretold")
        self.setToolTip("Seconds without sound in each minute, of all links together; full height is 30 and more")

    def sizeHint(self) -> QSize:
        return QSize(800, _H)

    def show_rehearsal(self, found: Rehearsal | None, other: Rehearsal | None = None) -> None:
        """Show what is foretold; of the `other`, its seconds stand beside."""
        self._found, self._other = found, other
        self.update()

    def choose(self, act: str) -> None:
        self.act = act
        self.update()

    def lost_beside(self, act: Act) -> float | None:
        """Seconds without sound in the one beside, in the mean of its runs; None without one."""
        runs = [x for x in self._other.outcomes if x.act == act.id] if self._other is not None else []
        return sum(float(x.dropout_s.sum()) for x in runs) / len(runs) if runs else None

    def played(self, act: Act) -> bool:
        """Whether any run of an act came to its end: of one that was not played nothing is known."""
        return self._found is not None and any(x.act == act.id for x in self._found.outcomes)

    def minutes(self, act: Act) -> list[float]:
        """Seconds without sound of all links in each minute of an act, in the mean of the runs."""
        runs = [x.minutes_s for x in self._found.outcomes if x.act == act.id] if self._found is not None else []
        return [float(x) for x in np.mean(runs, axis=0)] if runs else [0.0]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        acts = self._found.production.acts if self._found is not None else ()
        whole = sum(a.to_s - a.from_s for a in acts)
        room = self.width() - 2 - _GAP * max(len(acts) - 1, 0)
        x = 1.0
        self._boxes = {}
        for act in acts:
            wide = room * (act.to_s - act.from_s) / whole
            box = QRectF(x, 0, wide, _H - 2)
            self._boxes[act.id] = box
            self._paint_act(painter, act, box)
            x += wide + _GAP
        if not acts:
            painter.setPen(theme.color("dim"))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), "Nothing has been rehearsed yet.")

    def _paint_act(self, painter: QPainter, act: Act, box: QRectF) -> None:
        theme, mine = self._session.theme, act.id == self.act
        minutes = self.minutes(act)
        painter.setFont(look.font(look.BODY_PX, bold=mine))
        painter.setPen(theme.color("ink" if mine else "dim"))
        name = painter.fontMetrics().elidedText(act.name, Qt.TextElideMode.ElideMiddle, int(box.width()))
        painter.drawText(QRectF(box.left(), 0, box.width(), 20), int(Qt.AlignmentFlag.AlignLeft), name)
        step = box.width() / len(minutes)
        for k, seconds in enumerate(minutes):
            high = _BAR * min(seconds / _FULL_S, 1.0)
            if seconds > 0:
                bar = QRectF(box.left() + k * step, _BASE - max(high, 1.5), max(step - 1, 1.0), max(high, 1.5))
                painter.fillRect(bar, theme.color("brick"))
        painter.setPen(QPen(theme.color("ink" if mine else "line"), 2 if mine else 1))
        painter.drawLine(QPointF(box.left(), _BASE), QPointF(box.right(), _BASE))
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        lost = sum(minutes)
        words = f"{lost:.0f} s without sound" if lost >= 0.5 else "nobody loses sound"
        if not self.played(act):
            words = "stopped before it was played"
        before = self.lost_beside(act)
        words += f", {before:.0f} s beside" if before is not None else ""
        painter.drawText(QRectF(box.left(), _BASE + 4, box.width(), 18), int(Qt.AlignmentFlag.AlignLeft), words)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        found = next((a for a, b in self._boxes.items() if event is not None and b.contains(event.position())), None)
        if found is not None:
            self.chosen.emit(found)
