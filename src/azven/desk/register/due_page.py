"""Due: loans, repairs, cells, licences and firmware, on a line of time and as a table; as a calendar for elsewhere."""

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QLineF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from azven.desk import files
from azven.desk import theme as look
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, row
from azven.desk.tables import Column, RecordTable
from azven.work import chosen
from azven.work.register import dues
from azven.work.register.dues import Item

_H, _BASE, _BLOCK, _LEFT, _DAYS, _TALL = 84, 58.0, 7.0, 70.0, 42, 5
_ROLES = {
    "loan": "slate", "repair": "plum", "licence": "ochre", "firmware": "dim", "battery-age": "accent",
    "battery-run": "dim",
}  # fmt: skip


class DueLine(QWidget):
    """Six weeks from today, a block for each thing; what is late stands before today."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._items: Sequence[Item] = ()
        self._now: datetime | None = None
        self.setFixedHeight(_H)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("What is due in the next six weeks")
        session.themed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(820, _H)

    def show_items(self, items: Sequence[Item], now: datetime) -> None:
        self._items, self._now = items, now
        self.update()

    def day_of(self, item: Item) -> int | None:
        """Days from today; −1 for what is late, None for what has no day or is farther off."""
        if item.late:
            return -1
        if item.by is None or self._now is None:
            return None
        tz = self._session.clock.tz
        days = (item.by.astimezone(tz).date() - self._now.astimezone(tz).date()).days
        return days if 0 <= days < _DAYS else None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        painter.setFont(look.font(look.SMALL_PX))
        each = (self.width() - _LEFT - 10) / _DAYS
        painter.setPen(QPen(theme.color("ink"), 1))
        painter.drawLine(QLineF(_LEFT, _BASE, self.width() - 4, _BASE))
        painter.drawLine(QLineF(_LEFT, _BASE - 30, _LEFT, _BASE + 4))
        painter.setPen(theme.color("dim"))
        for week in range(_DAYS // 7):
            name = "today" if week == 0 else f"in {week} week{'' if week == 1 else 's'}"
            painter.drawText(
                QRectF(_LEFT + 7 * week * each, _BASE + 6, 7 * each, 16), int(Qt.AlignmentFlag.AlignLeft), name
            )
        piles: dict[int, int] = {}
        for item in self._items:
            day = self.day_of(item)
            if day is None:
                continue
            k = piles[day] = piles.get(day, -1) + 1
            x = _LEFT + day * each + 2 if day >= 0 else 12.0
            at = QRectF(x + (k // _TALL) * (_BLOCK + 1), _BASE - (_BLOCK + 1) * (k % _TALL + 1), _BLOCK, _BLOCK)
            painter.fillRect(at, theme.color("brick" if item.late else _ROLES[item.code]))
        if late := piles.get(-1, -1) + 1:
            painter.setPen(theme.color("brick_text"))
            painter.drawText(QRectF(0, _BASE + 6, _LEFT - 4, 16), int(Qt.AlignmentFlag.AlignLeft), f"{late} late")


class DuePage(RegisterPage):
    """What comes first, first."""

    title = "Due"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.line, self.words = DueLine(session), FittedLabel("dim")
        self.table = RecordTable(self._columns(), "What is due")
        self.table.theme = lambda: session.theme
        self.out = button("Calendar …", self.save, "All that has a day, as an iCalendar file", "flat")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        top = row(self.words, spacing=8)
        top.setStretchFactor(self.words, 1)
        top.addWidget(self.out)
        box.addLayout(top)
        box.addWidget(self.line)
        box.addWidget(self.table, 1)
        self.table.picked.connect(lambda x: session.select(chosen.Unit(x.units[0])) if x.units else None)

    def _columns(self) -> list[Column]:
        return [
            Column(title="By", width=116, show=self._day, mark=lambda x: "broken" if x.late else ""),
            Column(title="What", width=90, show=lambda x: x.code.partition("-")[0]),
            Column(title="Which", width=400, show=lambda x: x.words, prose=True),
        ]

    def _day(self, item: Item) -> str:
        return self.session.clock.day_said(item.by) or "no day"

    def show_now(self) -> None:
        now = self.session.now()
        items = dues.dues(self.session.store, now)
        late = sum(x.late for x in items)
        self.words.setText(f"{len(items)} things, {late} of them late." if items else "Nothing is due.")
        self.line.show_items(items, now)
        self.table.show_records(items)

    def save(self) -> None:
        """Ask where the calendar goes."""
        path = files.ask_where(self, "Calendar", "register.ics", "iCalendar (*.ics)")
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """The calendar as a file, whole or not at all."""
        session = self.session
        now = session.now().astimezone(session.clock.tz)
        text = dues.calendar(dues.dues(session.store, now), now, str(session.store.place))
        files.write_text(session, path, text, "the calendar")

    def take_focus(self) -> None:
        self.table.setFocus()
