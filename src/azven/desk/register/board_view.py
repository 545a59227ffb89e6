"""Campuses by what their units do, painted: pennants on one frequency axis for all, a block for every so many units."""

from collections.abc import Sequence
from datetime import datetime

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.axis import Axis
from azven.desk.register.bands import paint_bands
from azven.desk.register.spots import paint_spots
from azven.desk.session import Session
from azven.desk.theme import Theme
from azven.work.register.board import DUTIES, Campus, question
from azven.work.register.cases import Case

_HEAD, _FOOT, _ROW, _QUIET_ROW, _EMPTY_ROW = 22, 20, 96, 80, 48
_NAME_W = 132
_WIDE = {"assigned": 96, "in case": 118, "on loan": 76, "in repair": 66, "missing": 58}
_BLOCK, _GAP, _ROWS = 7.0, 2.0, 5
_WORDS = {"assigned": "assigned", "in case": "in its case", "on loan": "on loan", "in repair": "in repair",
          "missing": "missing"}  # fmt: skip
_ROLES = {"assigned": "petrol", "in case": "dim", "on loan": "slate", "in repair": "slate", "missing": "brick"}
_SIZES = (1, 5, 10, 50, 100, 500, 1_000, 10_000)
_NAME = -1
"""The place of a name before the duties."""
_LEFT, _V = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignVCenter


class BoardView(QWidget):
    """A click on a duty of a campus, or Enter on it, asks for those units; on the name of a district, for its
    campuses."""

    asked = pyqtSignal(object)
    """A question for units."""
    opened = pyqtSignal(str)
    """A district, by its name."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, self._axis = session, Axis(session)
        self._rows: Sequence[Campus] = ()
        self._cases: Sequence[Case] = ()
        self._now: datetime | None = None
        self._at = (0, 0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Campuses by what their units do")
        session.themed.connect(self.update)
        session.view.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(820, round(_FOOT + self._tops()[-1]))

    def _tops(self) -> list[float]:
        """Where each campus begins [px], and where the last one ends; who has nothing takes less room."""
        out = [float(_HEAD)]
        for campus in self._rows:
            tall = campus.running or campus.of("on loan").late
            out.append(out[-1] + (_ROW if tall else _QUIET_ROW if campus.total else _EMPTY_ROW))
        return out

    def show_campuses(self, rows: Sequence[Campus], now: datetime) -> None:
        self._rows, self._now = rows, now
        k = min(self._at[0], max(len(rows) - 1, 0))
        self._at = (k, max(self._at[1], self._first(k)))
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    @property
    def campuses(self) -> Sequence[Campus]:
        """What is shown."""
        return self._rows

    def show_people(self, rows: Sequence[Campus]) -> None:
        """The same campuses, other people at their desks."""
        if [c.people for c in rows] != [c.people for c in self._rows]:
            self._rows = rows
            self.update()

    def show_cases(self, cases: Sequence[Case]) -> None:
        """What is ringed in the bands, by the numbers of its rows."""
        if list(cases) != list(self._cases):
            self._cases = list(cases)
            self.update()

    @property
    def block(self) -> int:
        """How many units a block stands for: as few as let the largest pile fit."""
        room = {duty: int((wide - 8) // (_BLOCK + _GAP)) * _ROWS for duty, wide in _WIDE.items()}
        needed = max((c.of(d).count / room[d] for c in self._rows for d in DUTIES), default=1)
        return next((s for s in _SIZES if s >= needed), _SIZES[-1])

    def _columns(self) -> dict[str, float]:
        """Where each duty begins [px]; the axis takes what is left."""
        x = self.width() - sum(_WIDE.values())
        out = {}
        for duty in DUTIES:
            out[duty] = float(x)
            x += _WIDE[duty]
        return out

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        columns = self._columns()
        self._axis.place(_NAME_W, columns[DUTIES[0]] - _NAME_W - 44)
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        named = "district, largest first" if any(c.district for c in self._rows) else "campus"
        painter.drawText(QRectF(0, 0, _NAME_W, _HEAD), int(_LEFT | _V), named)
        room = self._axis.width + 40
        words = painter.fontMetrics().elidedText("running, where in the band", Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(_NAME_W, 0, room, _HEAD), int(_LEFT | _V), words)
        for duty, x in columns.items():
            painter.drawText(QRectF(x, 0, _WIDE[duty], _HEAD), int(_LEFT | _V), _WORDS[duty])
        tops = self._tops()
        paint_bands(painter, theme, self._axis, self._rows, tops)
        for k, campus in enumerate(self._rows):
            self._paint_row(painter, theme, k, campus, columns, tops[k : k + 2])
        bases = {s.id: (tops[k], tops[k + 1] - 8) for k, c in enumerate(self._rows) for s in c.sites}
        paint_spots(painter, theme, self._axis, self._cases, bases)
        self._paint_foot(painter, theme)

    def _paint_row(
        self, painter: QPainter, theme: Theme, k: int, campus: Campus, columns: dict[str, float], edges: list[float]
    ) -> None:  # fmt: skip
        top, end = edges
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(QLineF(0, top, self.width(), top))
        painter.setFont(look.font(look.BODY_PX, bold=True))
        painter.setPen(theme.color("ink"))
        name = painter.fontMetrics().elidedText(campus.name, Qt.TextElideMode.ElideMiddle, _NAME_W - 8)
        painter.drawText(QRectF(0, top + 6, _NAME_W, 18), int(_LEFT | _V), name)
        painter.setFont(look.font(look.BODY_PX))
        painter.drawText(QRectF(0, top + 24, _NAME_W, 18), int(_LEFT | _V), _counted(campus.total))
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        if campus.district:
            painter.setPen(theme.color("accent"))  # it opens
        said = painter.fontMetrics().elidedText(_about(campus), Qt.TextElideMode.ElideMiddle, _NAME_W - 8)
        if end - top > _EMPTY_ROW:
            painter.drawText(QRectF(0, top + 42, _NAME_W, 18), int(_LEFT | _V), said)
        here = f"{', '.join(campus.people)} at a desk" if campus.people else said_of(campus.news, self._now)
        if here and end - top > _EMPTY_ROW:
            painter.setPen(theme.color("accent" if campus.people else "dim"))
            words = painter.fontMetrics().elidedText(here, Qt.TextElideMode.ElideMiddle, _NAME_W - 8)
            painter.drawText(QRectF(0, top + 60, _NAME_W, 18), int(_LEFT | _V), words)
        if self.hasFocus() and self._at == (k, _NAME):
            painter.setPen(QPen(theme.color("accent"), 1))
            painter.drawRect(QRectF(0, top + 2, _NAME_W - 6, end - top - 4))
        for j, duty in enumerate(DUTIES):
            box = QRectF(columns[duty], top + 2, _WIDE[duty] - 2, end - top - 4)
            self._paint_duty(painter, theme, campus, duty, box)
            if self.hasFocus() and self._at == (k, j):
                painter.setPen(QPen(theme.color("accent"), 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(box.adjusted(-4, 0, -2, 0))

    def _paint_duty(self, painter: QPainter, theme: Theme, campus: Campus, duty: str, box: QRectF) -> None:
        held, bad = campus.of(duty), duty == "missing"
        painter.setFont(look.font(look.BODY_PX, bold=held.count > 0))
        painter.setPen(theme.color("brick_text" if bad and held.count else "ink" if held.count else "dim"))
        count = f"{held.count:,}".replace(",", " ") if held.count else "none"
        painter.drawText(QRectF(box.left(), box.top() + 3, box.width(), 18), int(_LEFT | _V), count)
        if not held.count:
            return
        wide = painter.fontMetrics().horizontalAdvance(count) + 5
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        beside = longest(held.oldest, self._now)
        if wide + painter.fontMetrics().horizontalAdvance(beside) <= box.width():  # else the count says enough
            painter.drawText(QRectF(box.left() + wide, box.top() + 3, box.width(), 18), int(_LEFT | _V), beside)
        self._paint_blocks(painter, theme, duty, held.count, held.late, box)
        if held.late:
            painter.setPen(theme.color("ochre_text"))
            painter.drawText(
                QRectF(box.left(), box.bottom() - 16, box.width(), 16), int(_LEFT | _V), f"{held.late} late"
            )

    def _paint_blocks(
        self, painter: QPainter, theme: Theme, duty: str, count: int, late: int, box: QRectF
    ) -> None:  # fmt: skip
        """A block for every so many: full at work, outlined in their cases, dotted where nobody knows."""
        across, each = max(int((box.width() - 6) // (_BLOCK + _GAP)), 1), self.block
        role = _ROLES[duty]
        dotted = duty == "missing"
        painter.setPen(QPen(theme.color(role), 1, Qt.PenStyle.DotLine if dotted else Qt.PenStyle.SolidLine))
        full, late_blocks = duty in ("assigned", "in repair"), -(-late // each)
        for k in range(-(-count // each)):
            x, y = box.left() + (k % across) * (_BLOCK + _GAP), box.top() + 25 + (k // across) * (_BLOCK + _GAP)
            filled = theme.color("ochre") if k < late_blocks else theme.color(role) if full else Qt.BrushStyle.NoBrush
            painter.setBrush(filled)
            painter.drawRect(QRectF(x, y, _BLOCK - 1, _BLOCK - 1))

    def _paint_foot(self, painter: QPainter, theme: Theme) -> None:
        """The figures of the axis, once for all campuses, and what a block stands for."""
        y = self._tops()[-1]
        low, high = self._session.view.hz
        painter.setPen(theme.color("dim"))
        painter.setFont(look.font(look.SMALL_PX))
        figures = 5 if self._axis.width > 200 else 3
        for k in range(figures):
            freq = low + (high - low) * k / (figures - 1)
            x = self._axis.x(freq)
            painter.drawText(
                QRectF(x - 24, y + 2, 48, 16), int(Qt.AlignmentFlag.AlignHCenter | _V), f"{freq / 1e6:.0f}"
            )
        each = "each block one unit" if self.block == 1 else f"each block {self.block} units"
        words = f"{each} · beside the count: the longest"
        painter.drawText(QRectF(self._columns()[DUTIES[0]], y + 2, 400, 16), int(_LEFT | _V), words)

    # asking

    def cell_at(self, at: QPointF) -> tuple[int, int] | None:
        """Campus and duty under a point, by their places; `_NAME` for the name of a district."""
        tops, columns = self._tops(), self._columns()
        k = next((k for k, end in enumerate(tops[1:]) if tops[k] <= at.y() < end), -1)
        j = next((j for j, d in enumerate(DUTIES) if columns[d] <= at.x() < columns[d] + _WIDE[d]), None)
        if j is None and k >= 0 and at.x() < _NAME_W and self._rows[k].district:
            return k, _NAME
        return (k, j) if j is not None and k >= 0 else None

    def middle_of(self, k: int, duty: str) -> QPointF:
        """The middle of a duty of the campus at a place."""
        tops = self._tops()
        return QPointF(self._columns()[duty] + _WIDE[duty] / 2, (tops[k] + tops[k + 1]) / 2)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        cell = self.cell_at(event.position()) if event is not None else None
        if cell is not None:
            self._at = cell
            self._ask()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self._rows:
            return
        steps = {Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0), Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1)}
        if event.key() in steps:
            down, right = steps[Qt.Key(event.key())]
            k = min(max(self._at[0] + down, 0), len(self._rows) - 1)
            self._at = (k, min(max(self._at[1] + right, self._first(k)), len(DUTIES) - 1))
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._ask()
        else:
            super().keyPressEvent(event)

    def _first(self, k: int) -> int:
        """The first place of a row: its name where it is a district, which opens."""
        return _NAME if self._rows and self._rows[k].district else 0

    def _ask(self) -> None:
        k, j = self._at
        if j == _NAME:
            self.opened.emit(self._rows[k].district)
        else:
            self.asked.emit(question(self._rows[k], DUTIES[j]))
        self.update()


def _about(campus: Campus) -> str:
    """What stands under the name: how many campuses a district has, or which shows run at a campus."""
    if campus.district:
        return "1 campus ›" if len(campus.sites) == 1 else f"{len(campus.sites)} campuses ›"
    return ", ".join(campus.shows) or "nothing runs"


def _counted(count: int) -> str:
    return "1 unit" if count == 1 else f"{count:,} units".replace(",", " ")


def said_of(news: datetime | None, now: datetime | None) -> str:
    """How old the news of a campus is."""
    if news is None or now is None:
        return ""
    minutes = max(int((now - news).total_seconds()) // 60, 0)
    if minutes < 60:
        return f"changed {minutes} min ago"
    return f"changed {minutes // 60} h ago" if minutes < 48 * 60 else f"changed {minutes // (24 * 60)} d ago"


def longest(since: datetime | None, now: datetime | None) -> str:
    """How long the longest is so, in days, or years."""
    if since is None or now is None:
        return ""
    days = max((now - since).days, 0)  # another desk's clock may be ahead
    return f"{days} d" if days < 730 else f"{days // 365} yr"
