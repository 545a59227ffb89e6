"""The rail: the stages in the order of the day, each with its open points."""

from dataclasses import dataclass

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.desk.stages import STAGES

_TOP, _ROW, _WIDTH = 46, 58, 104


@dataclass(frozen=True)
class Entry:
    """A stage on the rail: its name and open points as (text, colour role)."""

    name: str
    title: str
    points: tuple[tuple[str, str], ...] = ()


class Rail(QWidget):
    """One painted widget; click, Ctrl+number or arrow keys choose a stage."""

    chosen = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDTH)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Stages")
        self._session = session
        self._entries: list[Entry] = []
        self._current = ""

    def show_entries(self, entries: list[Entry], current: str) -> None:
        self._entries, self._current = entries, current
        self.setAccessibleDescription(
            ", ".join(f"{e.title}: {' '.join(t for t, _ in e.points) or 'nothing open'}" for e in entries)
        )
        self.update()

    def show_stages(self, current: str) -> None:
        """Every stage with what it counts now."""
        self.show_entries([Entry(s.name, s.title, s.points(self._session)) for s in STAGES], current)

    def entries(self) -> list[Entry]:
        return self._entries

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = self._session.theme
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("side"))
        painter.setFont(look.font(17, bold=True))
        painter.setPen(theme.color("accent"))
        painter.drawText(QRectF(16, 0, _WIDTH - 16, _TOP), Qt.AlignmentFlag.AlignVCenter, "azven")
        for i, entry in enumerate(self._entries):
            self._paint_entry(painter, i, entry)
        painter.setPen(theme.color("line"))
        painter.drawLine(_WIDTH - 1, 0, _WIDTH - 1, self.height())

    def _paint_entry(self, painter: QPainter, i: int, entry: Entry) -> None:
        theme = self._session.theme
        box = QRectF(0, _TOP + i * _ROW, _WIDTH, _ROW)
        here = entry.name == self._current
        if here:
            painter.fillRect(box, theme.color("ground"))
            painter.fillRect(QRectF(0, box.top(), 4, _ROW), theme.color("accent"))
        lines = len(entry.points[:2])
        top = box.top() + (_ROW - 17 - 14 * lines) / 2
        painter.setFont(look.font(14, bold=here))
        painter.setPen(theme.color("ink" if here else "dim"))
        painter.drawText(QRectF(18, top, _WIDTH - 20, 18), Qt.AlignmentFlag.AlignVCenter, entry.title)
        painter.setFont(look.font(look.SMALL_PX + 1))
        for n, (text, role) in enumerate(entry.points[:2]):
            painter.setPen(theme.color(role))
            painter.drawText(QRectF(18, top + 20 + 14 * n, _WIDTH - 20, 14), Qt.AlignmentFlag.AlignVCenter, text)
        if here and self.hasFocus():
            painter.fillRect(QRectF(18, top + 19, 40, 2), theme.color("accent"))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            at = int((event.position().y() - _TOP) // _ROW)
            if 0 <= at < len(self._entries):
                self.chosen.emit(self._entries[at].name)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(event.key() if event else 0)  # type: ignore[call-overload]
        if step is None:
            super().keyPressEvent(event)
            return
        names = [e.name for e in self._entries]
        at = names.index(self._current) + step
        if 0 <= at < len(names):
            self.chosen.emit(names[at])
