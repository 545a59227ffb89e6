"""Putting a drawing to scale: two points are clicked, and their places entered."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QDoubleSpinBox, QVBoxLayout, QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.desk.stage import label, row
from azven.work.reach.backdrop import Known

_MARK = 7


class ScaleDialog(QDialog):
    """The drawing with two marks, and where they are in the room."""

    def __init__(self, session: Session, image: QImage, corners: tuple[tuple[float, float], tuple[float, float]]):
        super().__init__()
        self.setWindowTitle("Two points of the drawing")
        self.resize(760, 620)
        self.picture = _Picture(session, image)
        low, high = corners
        self.fields = [_metres(v) for v in (low[0], low[1], high[0], high[1])]
        for number, axis in enumerate(("x of point 1", "y of point 1", "x of point 2", "y of point 2")):
            self.fields[number].setAccessibleName(axis)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box = QVBoxLayout(self)
        box.addWidget(
            label("Click two points whose place in the room is known, far apart: corners of the hall, say.", wrap=True)
        )
        box.addWidget(self.picture, 1)
        for i in (0, 1):
            x, y = self.fields[2 * i : 2 * i + 2]
            box.addLayout(row(label(f"Point {i + 1} is at"), label("x", "dim"), x, label("y", "dim"), y, 1))
        box.addWidget(buttons)

    def known(self) -> tuple[Known, Known]:
        """Both points with their places."""
        x1, y1, x2, y2 = (f.value() for f in self.fields)
        a, b = self.picture.marks
        return (a.x(), a.y(), x1, y1), (b.x(), b.y(), x2, y2)


class _Picture(QWidget):
    """The drawing, as large as fits; clicks move the mark that was set longer ago."""

    def __init__(self, session: Session, image: QImage) -> None:
        super().__init__()
        self._session, self._image = session, image
        wide, high = image.width(), image.height()
        self.marks = [QPointF(0.1 * wide, 0.9 * high), QPointF(0.9 * wide, 0.1 * high)]
        self._next = 0
        self.setMinimumHeight(260)
        self.setAccessibleName("Drawing, click two points")

    def _box(self) -> QRectF:
        k = min(self.width() / self._image.width(), self.height() / self._image.height())
        wide, high = k * self._image.width(), k * self._image.height()
        return QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, box, theme = QPainter(self), self._box(), self._session.theme
        painter.fillRect(box, Qt.GlobalColor.white)
        painter.drawImage(box, self._image)
        painter.setFont(look.font())
        painter.setPen(QPen(theme.color("brick"), 2))
        k = box.width() / self._image.width()
        for number, mark in enumerate(self.marks, start=1):
            at = box.topLeft() + k * mark
            painter.drawLine(at - QPointF(_MARK, 0), at + QPointF(_MARK, 0))
            painter.drawLine(at - QPointF(0, _MARK), at + QPointF(0, _MARK))
            painter.drawText(at + QPointF(_MARK, -4), str(number))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._box().contains(event.position()):
            k = self._box().width() / self._image.width()
            self.marks[self._next] = (event.position() - self._box().topLeft()) / k
            self._next = 1 - self._next
            self.update()


def _metres(value: float) -> QDoubleSpinBox:
    made = QDoubleSpinBox()
    made.setRange(-10_000, 10_000)
    made.setDecimals(2)
    made.setSuffix(" m")
    made.setValue(value)
    return made
