"""What the tints of the lanes mean."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from azven.desk import theme as look
from azven.desk.plan.tints import cause_color
from azven.desk.session import Session

_LEGEND = (
    ("permission", "not allowed here"),
    ("television", "television"),
    ("sweep", "sweep"),
    ("neighbour", "neighbour"),
    ("spacing", "spacing"),
    ("intermodulation", "products"),
)


class Legend(QWidget):
    """What the tints mean."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setFixedSize(552, 22)
        self.setAccessibleName("Tints: " + ", ".join(words for _, words in _LEGEND))
        session.themed.connect(self.update)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = self._session.theme
        painter = QPainter(self)
        painter.setFont(look.font(look.SMALL_PX))
        x = 14.0
        for cause, words in _LEGEND:
            box = QRectF(x, 5, 14, 11)
            painter.fillRect(box, theme.color("lane"))
            painter.fillRect(box, cause_color(theme, cause))
            if cause == "television":
                painter.fillRect(box, QBrush(theme.color("slate", 110), Qt.BrushStyle.BDiagPattern))
            painter.setPen(theme.color("line"))
            painter.drawRect(box)
            painter.setPen(theme.color("dim"))
            width = painter.fontMetrics().horizontalAdvance(words)
            painter.drawText(QRectF(x + 19, 0, width + 4, 22), Qt.AlignmentFlag.AlignVCenter, words)
            x += 19 + width + 13
