"""What stands before a case: a bar in its colour, its mark, and its number."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.marks import paint_state
from azven.desk.session import Session

_W = 48


class CaseMark(QWidget):
    """Empty until a case is shown."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: tuple[str, int] | None = None
        self.setFixedWidth(_W)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)

    def show_case(self, mark: str, number: int) -> None:
        self._shown = mark, number
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._shown is None:
            return
        mark, number = self._shown
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(QRectF(0, 0, 5, self.height()), theme.color("brick" if mark == "broken" else "ochre"))
        paint_state(painter, QRectF(10, 6, 13, 13), mark, theme)
        painter.setFont(look.font(15, bold=True))
        painter.setPen(theme.color("ink"))
        painter.drawText(QRectF(25, 2, 22, 20), int(Qt.AlignmentFlag.AlignCenter), str(number))
