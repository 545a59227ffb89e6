"""Cautious … dense: one slider of five steps, with words for what each gives up."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.rf.density import STEPS

_BOX, _GAP, _LABEL = 13, 5, 66


class DensitySlider(QWidget):
    """Boxes from cautious to dense; the chosen one is filled."""

    chosen = pyqtSignal(int)
    hovered = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._step = 1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setFixedSize(self.sizeHint())
        session.themed.connect(self.update)
        self.show_step(self._step)

    def sizeHint(self) -> QSize:
        return QSize(_LABEL * 2 + len(STEPS) * (_BOX + _GAP) - 16, 24)

    def show_step(self, step: int) -> None:
        self._step = step
        self.setAccessibleName(f"Density: {STEPS[step].name}. {STEPS[step].gives_up}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = self._session.theme
        painter = QPainter(self)
        painter.setFont(look.font())
        painter.setPen(theme.color("dim"))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, 0, _LABEL - 8, 24), middle | Qt.AlignmentFlag.AlignRight, STEPS[0].name)
        for i in range(len(STEPS)):
            box = QRectF(_LABEL + i * (_BOX + _GAP), 5.5, _BOX, _BOX)
            painter.fillRect(box, theme.color("accent" if i == self._step else "line"))
            if i == self._step and self.hasFocus():
                painter.setPen(theme.color("ink"))
                painter.drawRect(box.adjusted(-2, -2, 1, 1))
        painter.setPen(theme.color("dim"))
        painter.drawText(QRectF(_LABEL + len(STEPS) * (_BOX + _GAP) + 4, 0, _LABEL, 24), middle, STEPS[-1].name)

    def _at(self, x: float) -> int:
        return int((x - _LABEL) // (_BOX + _GAP))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and 0 <= (step := self._at(event.position().x())) < len(STEPS):
            self.chosen.emit(step)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            step = self._at(event.position().x())
            self.hovered.emit(step if 0 <= step < len(STEPS) else -1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key())) if event else None
        if by is None:
            super().keyPressEvent(event)
        elif 0 <= self._step + by < len(STEPS):
            self.chosen.emit(self._step + by)
