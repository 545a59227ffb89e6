"""The evening as a line: what time it is, what is on, what is left of it, breaks, and where batteries will be empty."""

from collections.abc import Callable
from datetime import datetime, timedelta

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.marks import paint_state
from azven.desk.session import Session
from azven.desk.watch.desk import WatchDesk
from azven.work.watch.night import Seen
from azven.work.watch.watched import Span

_CLOCK_W, _H, _BAR_Y, _BAR_H, _DOT = 138.0, 88, 34.0, 14.0, 5.0
_LEFT, _RIGHT_ALIGNED = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
_MIDDLE = Qt.AlignmentFlag.AlignHCenter


class EveningLine(QWidget):
    """Painted from what is seen; says the same to a screen reader."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._session, self._watch = session, watch
        self._shown_s = -1
        self.setFixedHeight(_H)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The evening")

    def tick(self) -> None:
        """Another second may have begun."""
        now = int(self._watch.night.t)
        if now != self._shown_s:
            self._shown_s = now
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(800, _H)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, seen = QPainter(self), self._watch.seen
        now = self._watch.moment(self._watch.night.t)
        self._paint_clock(painter, seen, now)
        if seen.watched.spans:
            self._paint_line(painter, seen, now)
        else:
            painter.setFont(look.font())
            painter.setPen(self._session.theme.color("dim"))
            words = "The acts have no times, so every link counts as on all the time. Say what runs now, or set times."
            painter.drawText(QRectF(_CLOCK_W, 14, self.width() - _CLOCK_W, 40), int(Qt.TextFlag.TextWordWrap), words)

    def _paint_clock(self, painter: QPainter, seen: Seen, now: datetime) -> None:
        theme = self._session.theme
        painter.setPen(theme.color("ink"))
        painter.setFont(look.font(34, bold=True))
        painter.drawText(QRectF(0, 0, 104, 44), int(_LEFT | Qt.AlignmentFlag.AlignVCenter), f"{now:%H:%M}")
        painter.setFont(look.font(16))
        painter.setPen(theme.color("dim"))
        painter.drawText(QRectF(103, 14, 30, 24), int(_LEFT | Qt.AlignmentFlag.AlignVCenter), f"{now:%S}")
        act = seen.watched.on_now(self._watch.night.t)
        first, second = self._left(seen, act)
        painter.setFont(look.font(look.BODY_PX))
        painter.setPen(theme.color("ink"))
        painter.drawText(QRectF(0, 46, _CLOCK_W - 8, 18), int(_LEFT), first)
        painter.setFont(look.font(look.BODY_PX, bold=True))
        shown = painter.fontMetrics().elidedText(second, Qt.TextElideMode.ElideMiddle, int(_CLOCK_W - 8))
        painter.drawText(QRectF(0, 63, _CLOCK_W - 8, 18), int(_LEFT), shown)
        self.setAccessibleDescription(f"{now:%H:%M}, {first} {second}")

    def _left(self, seen: Seen, act: Span | None) -> tuple[str, str]:
        t = self._watch.night.t
        if act is not None:
            return f"{(act.to_s - t) / 60:.0f} min left of", act.name
        following = seen.watched.after(t)
        if following is not None:
            minutes = (following.from_s - t) / 60
            return (f"{minutes:.0f} min to" if minutes < 180 else f"{minutes / 60:.0f} h to"), following.name
        return ("no act runs now", "") if not seen.watched.spans else ("all acts are over", "")

    def _paint_line(self, painter: QPainter, seen: Seen, now: datetime) -> None:
        spans, t = seen.watched.spans, self._watch.night.t
        begin, end = min(a.from_s for a in spans), max(a.to_s for a in spans)
        begin = min(begin, max(t, begin - 3600.0))
        air = 0.03 * (end - begin)
        left, width = _CLOCK_W + 4, self.width() - _CLOCK_W - 100

        def x(s: float) -> float:
            return left + (s - begin + air) / (end - begin + 2 * air) * width

        theme = self._session.theme
        for act in spans:
            self._paint_act(painter, act, x(act.from_s), x(act.to_s), x(min(max(t, act.from_s), act.to_s)), t)
        self._paint_breaks(painter, seen, x, t)
        self._paint_hours(painter, begin, end, x)
        if begin <= t <= end:
            painter.setPen(QPen(theme.color("ink"), 2))
            painter.drawLine(QLineF(x(t), _BAR_Y - 4, x(t), _BAR_Y + _BAR_H + 6))
        self._paint_batteries(painter, seen, x, t, end, left + width + 6)

    def _paint_act(self, painter: QPainter, act: Span, left: float, right: float, at: float, t: float) -> None:
        theme, runs = self._session.theme, act.from_s <= t < act.to_s
        box = QRectF(left, _BAR_Y, max(right - left, 3.0), _BAR_H)
        over = act.to_s <= t
        painter.setPen(QPen(theme.color("accent" if runs else "dim"), 1))
        painter.setBrush(QBrush(theme.color("line")) if over else Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        if runs:
            painter.fillRect(QRectF(left, _BAR_Y, at - left, _BAR_H), theme.color("accent"))
        painter.setFont(look.font(look.SMALL_PX + 1, bold=runs))
        painter.setPen(theme.color("ink" if runs else "dim"))
        shown = painter.fontMetrics().elidedText(act.name, Qt.TextElideMode.ElideMiddle, int(max(box.width() - 2, 20)))
        painter.drawText(QRectF(left, _BAR_Y - 17, box.width() + 4, 16), int(_LEFT), shown)

    def _paint_breaks(self, painter: QPainter, seen: Seen, x: Callable[[float], float], t: float) -> None:
        theme = self._session.theme
        for change in seen.changes.breaks:
            left, right = x(change.from_s), x(change.before.from_s)
            painter.setPen(QPen(theme.color("ochre"), 2))
            painter.drawLine(QLineF(left, _BAR_Y + _BAR_H / 2, right, _BAR_Y + _BAR_H / 2))
            for edge in (left, right):
                painter.drawLine(QLineF(edge, _BAR_Y - 2, edge, _BAR_Y + _BAR_H + 2))
            began = self._watch.moment(max(change.from_s, t))
            painter.setFont(look.font(look.SMALL_PX + 1, bold=True))
            painter.setPen(theme.color("ochre_text"))
            words = f"break {began:%H:%M}, change {len(change.charges)}"
            wide = painter.fontMetrics().horizontalAdvance(words)
            middle = min(max((left + right) / 2, _CLOCK_W + wide / 2), self.width() - wide / 2 - 4)
            painter.drawText(QRectF(middle - wide / 2, 0, wide + 2, 16), int(_LEFT), words)

    def _paint_hours(self, painter: QPainter, begin: float, end: float, x: Callable[[float], float]) -> None:
        theme = self._session.theme
        painter.setFont(look.font(look.SMALL_PX))
        each = next((m for m in (15, 30, 60, 120, 180) if (end - begin) / 60 / m <= 7), 360)
        first = self._watch.moment(begin)
        at = first.replace(minute=0, second=0, microsecond=0)
        while at < self._watch.moment(end):
            s = begin + (at - first).total_seconds()
            if s >= begin:
                painter.setPen(theme.color("dim"))
                painter.drawLine(QLineF(x(s), 70, x(s), 74))
                painter.drawText(QRectF(x(s) - 24, 74, 48, 14), int(_MIDDLE), f"{at:%H:%M}")
            at += timedelta(minutes=each)

    def _paint_batteries(
        self, painter: QPainter, seen: Seen, x: Callable[[float], float], t: float, end: float, behind: float
    ) -> None:  # fmt: skip
        """A square for every battery where it will be empty; what ends inside its act is named."""
        theme = self._session.theme
        known = [(t + c.left.minutes * 60, c) for c in seen.charges if c.left.minutes is not None]
        short = sorted(((at, c) for at, c in known if c.short_min is not None), key=lambda p: p[0])
        inside = sorted(at for at, c in known if c.short_min is None and at < end)
        later = sum(at >= end for at, _ in known)
        y = _BAR_Y + _BAR_H + 8
        columns: dict[int, int] = {}
        for at in inside:
            column = int(x(at) // (_DOT + 2))
            columns[column] = columns.get(column, 0) + 1
            if columns[column] <= 2:
                box = QRectF(column * (_DOT + 2), y + (columns[column] - 1) * (_DOT + 2), _DOT, _DOT)
                painter.fillRect(box, theme.color("ochre"))
        if short:
            at, charge = short[0]
            more = f" and {len(short) - 1} more" if len(short) > 1 else ""
            self._paint_short(painter, x(at), y, f"{charge.name} {self._watch.moment(at):%H:%M}{more}")
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        if later:
            painter.drawText(QRectF(behind, y - 6, 94, 16), int(_LEFT), f"{later} last longer")

    def _paint_short(self, painter: QPainter, at: float, y: float, words: str) -> None:
        theme = self._session.theme
        painter.setFont(look.font(look.SMALL_PX + 1, bold=True))
        wide = painter.fontMetrics().horizontalAdvance(words) + 18
        left = min(max(at - 6, _CLOCK_W), self.width() - wide - 4)
        painter.fillRect(QRectF(left - 2, y - 5, wide + 4, 16), theme.color("ground"))
        paint_state(painter, QRectF(left, y - 3, 11, 11), "broken", theme)
        painter.setPen(theme.color("brick_text"))
        painter.drawText(QPointF(left + 16, y + 7), words)
