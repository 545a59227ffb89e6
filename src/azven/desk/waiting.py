"""What the window shows until its book is open: the frame as it will be, so that nothing jumps."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from azven.desk import theme as look

RAIL_W, HEADER_H, SPINE_H = 104, 46, 128


class Waiting(QWidget):
    """Rail, header and spine as empty ground."""

    def __init__(self, theme: look.Theme) -> None:
        super().__init__()
        self._theme, self._words = theme, "Opening the book"
        self.setAccessibleName("The book is being opened")

    def say(self, words: str) -> None:
        """What is being done."""
        if words != self._words:
            self._words = words
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, box = QPainter(self), self._theme, QRectF(self.rect())
        painter.fillRect(box, theme.color("ground"))
        for strip in (
            QRectF(0, 0, RAIL_W, box.height()),
            QRectF(0, 0, box.width(), HEADER_H),
            QRectF(RAIL_W, box.height() - SPINE_H, box.width(), SPINE_H),
        ):
            painter.fillRect(strip, theme.color("side"))
        painter.setPen(theme.color("line"))
        painter.drawLine(RAIL_W - 1, 0, RAIL_W - 1, int(box.height()))
        painter.drawLine(RAIL_W, HEADER_H - 1, int(box.width()), HEADER_H - 1)
        painter.drawLine(RAIL_W, int(box.height()) - SPINE_H, int(box.width()), int(box.height()) - SPINE_H)
        painter.setFont(look.font(17, bold=True))
        painter.setPen(theme.color("accent"))
        painter.drawText(QRectF(16, 0, RAIL_W - 16, HEADER_H), Qt.AlignmentFlag.AlignVCenter, "azven")
        painter.setFont(look.font())
        painter.setPen(theme.color("dim"))
        centre = box.adjusted(RAIL_W, HEADER_H, 0, -SPINE_H)
        painter.drawText(centre, Qt.AlignmentFlag.AlignCenter, self._words)
