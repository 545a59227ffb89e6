"""The far view: a window to be read from across the room. Nothing in it is small, and it grows with its height."""

from collections.abc import Sequence
from datetime import datetime

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from azven.desk import theme as look
from azven.desk.marks import paint_state
from azven.desk.session import Session
from azven.desk.watch.desk import WatchDesk
from azven.desk.watch.pictures import case_ink, paint_case, paint_stack
from azven.work.watch import said
from azven.work.watch.cases import Case
from azven.work.watch.night import Seen

MADE_FOR, LEAST_PX = 800.0, 24
_LINES, _VITAL = 2, 8
_LEFT, _RIGHT = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
_V = Qt.AlignmentFlag.AlignVCenter


class FarView(QWidget):
    """A window of its own, for another screen; F11 makes it fill that, Esc closes it."""

    def __init__(self, session: Session, watch: WatchDesk, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session, self._watch = session, watch
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Azven, far view")
        self.setMinimumSize(640, 400)
        self.resize(1280, 800)
        self.setAccessibleName("Far view")
        watch.looked.connect(self.update)
        session.themed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        key = event.key() if event is not None else 0
        if key == Qt.Key.Key_Escape:
            self.close()
        elif key == Qt.Key.Key_F11:
            self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)
        else:
            super().keyPressEvent(event)

    def px(self, size: float) -> int:
        """A size made for a height of 800, in this window; nothing is smaller than can be read."""
        return max(round(size * self.height() / MADE_FOR), 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, seen, theme = QPainter(self), self._watch.seen, self._session.theme
        painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
        painter.fillRect(self.rect(), theme.color("ground"))
        y = self._paint_head(painter, seen)
        if seen.open:
            y = self._paint_first(painter, seen.open[0], y)
            for case in seen.open[1 : 1 + _LINES]:
                y = self._paint_line(painter, case, y)
        self._paint_calm(painter, seen, y)
        first = f"{said.who(seen.open[0])}: {said.what(seen.open[0])}" if seen.open else "nothing is wrong"
        self.setAccessibleDescription(f"{len(seen.open)} cases; {first}")

    def _text(
        self, painter: QPainter, box: QRectF, words: str, px: float, role: str = "ink", bold: bool = False,
        right: bool = False,
    ) -> None:  # fmt: skip
        painter.setFont(look.font(self.px(px), bold=bold))
        painter.setPen(self._session.theme.color(role))
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, int(box.width()))
        painter.drawText(box, int((_RIGHT if right else _LEFT) | _V), shown)

    def _sentence(
        self, painter: QPainter, box: QRectF, words: str, px: float, role: str, bold: bool = False, right: bool = False
    ) -> None:  # fmt: skip
        """What to do, as far as there is room: all of it, else its first part, which is the deed."""
        painter.setFont(look.font(self.px(px), bold=bold))
        metrics = painter.fontMetrics()
        parts = (words, words.split(";")[0], words.split(":")[0])
        fits = next((x for x in parts if metrics.horizontalAdvance(x) <= box.width()), parts[-1])
        shown = metrics.elidedText(fits, Qt.TextElideMode.ElideRight, int(box.width()))
        self._text(painter, box, shown, px, role, bold, right)

    def _rule(self, painter: QPainter, y: float) -> None:
        painter.setPen(QPen(self._session.theme.color("line"), 1))
        painter.drawLine(0, int(y), self.width(), int(y))

    def _paint_head(self, painter: QPainter, seen: Seen) -> float:
        t, theme, p = self._watch.night.t, self._session.theme, self.px
        now = self._watch.moment(t)
        self._text(painter, QRectF(p(36), p(14), p(340), p(116)), f"{now:%H:%M}", 112, bold=True)
        left, right = p(400), self.width() - p(36)
        act = seen.watched.on_now(t)
        following = seen.watched.after(t)
        if act is not None:
            self._text(painter, QRectF(left, p(28), (right - left) * 0.62, p(48)), act.name, 40, bold=True)
            words = f"{(act.to_s - t) / 60:.0f} min left"
            self._text(painter, QRectF(left, p(28), right - left, p(48)), words, 40, bold=True, right=True)
            bar = QRectF(left, p(84), right - left, p(18))
            painter.setPen(QPen(theme.color("accent"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(bar)
            share = (t - act.from_s) / max(act.to_s - act.from_s, 1.0)
            painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * share, bar.height()), theme.color("accent"))
        else:
            words = f"next: {following.name}, {_hour(self._watch.moment(following.from_s))}" if following else ""
            self._text(painter, QRectF(left, p(28), right - left, p(48)), words or "no act runs", 40, bold=True)
        self._text(painter, QRectF(left, p(106), right - left, p(34)), self._then(seen, t), 25, "dim")
        self._rule(painter, p(150))
        return p(150)

    def _then(self, seen: Seen, t: float) -> str:
        if seen.changes.too_late:
            count = len(seen.changes.too_late)
            return f"no break comes in time for {count} batter{'y' if count == 1 else 'ies'}"
        if seen.changes.breaks:
            change = seen.changes.breaks[0]
            at = self._watch.moment(max(change.from_s, t))
            return f"then break {at:%H:%M}, change {len(change.charges)} batteries"
        if seen.changes.unknown and seen.watched.spans:
            return f"of {len(seen.changes.unknown)} batteries nobody can tell how long they last"
        return "no battery has to be changed" if seen.charges and seen.watched.spans else ""

    def _bar(self, painter: QPainter, case: Case, y: float, high: float) -> None:
        theme = self._session.theme
        painter.fillRect(QRectF(0, y, self.px(12), high), theme.color("brick" if case.mark == "broken" else "ochre"))

    def _paint_first(self, painter: QPainter, case: Case, y: float) -> float:
        p, right, t = self.px, self.width() - self.px(36), self._watch.night.t
        high = float(p(282))
        self._bar(painter, case, y, high)
        paint_state(painter, QRectF(p(38), y + p(28), p(42), p(42)), case.mark, self._session.theme)
        self._text(painter, QRectF(p(98), y + p(10), right - p(300), p(76)), said.who(case), 60, bold=True)
        lasting = said.lasting(t - case.since_s)
        self._text(painter, QRectF(right - p(240), y + p(18), p(240), p(60)), lasting, 44, "dim", right=True)
        self._text(painter, QRectF(p(98), y + p(84), right - p(98), p(50)), said.what(case), 38)
        picture = QRectF(p(36), y + p(142), right - p(36) - p(140), p(58))
        paint_case(painter, self._session, self._watch, case, picture, max(p(24), 8))
        do = case.incident.next[0] if case.incident.next else ""
        words = "nobody has it" if case.nobody else ""
        beside = p(240) if words else 0
        self._sentence(painter, QRectF(p(36), y + p(234), right - p(36) - beside, p(44)), do, 30, "accent", bold=True)
        self._text(painter, QRectF(right - p(230), y + p(234), p(230), p(44)), words, 28, "brick_text", right=True)
        self._rule(painter, y + high)
        return y + high

    def _paint_line(self, painter: QPainter, case: Case, y: float) -> float:
        p, right, t = self.px, self.width() - self.px(36), self._watch.night.t
        high = float(p(86))
        self._bar(painter, case, y, high)
        paint_state(painter, QRectF(p(38), y + p(14), p(30), p(30)), case.mark, self._session.theme)
        middle = p(560)
        self._text(painter, QRectF(p(98), y + p(4), middle - p(110), p(42)), said.who(case), 34, bold=True)
        self._text(painter, QRectF(p(98), y + p(46), middle - p(110), p(36)), said.what(case), 27)
        places = [seen for n in case.links if (seen := self._watch.seen.watched.places.get(n)) is not None][:4]
        self._ropes(painter, places, QRectF(middle, y + p(10), p(300), p(66)), dim=False)
        words = said.lasting(t - case.since_s)
        self._text(painter, QRectF(right - p(300), y + p(4), p(300), p(42)), words, 28, "dim", right=True)
        do = case.incident.next[0] if case.incident.next else ""
        beside = QRectF(middle + p(320), y + p(46), right - middle - p(320), p(36))
        self._sentence(painter, beside, do, 25, "accent", right=True)
        self._rule(painter, y + high)
        return y + high

    def _ropes(self, painter: QPainter, places: Sequence[int], box: QRectF, dim: bool) -> None:
        if places:
            paint_stack(painter, self._watch, list(places), box, case_ink(self._session.theme, dim))

    def _paint_calm(self, painter: QPainter, seen: Seen, y: float) -> None:
        p = self.px
        calm = [i for i, n in enumerate(seen.watched.names) if n not in seen.case_of]
        vital = sorted((i for i in calm if not seen.watched.head.links[i].spare), key=lambda i: self._rank(seen, i))
        left = self.height() - y
        count = f"{len(calm)} calm"
        self._text(painter, QRectF(p(36), y + p(6), p(400), p(40)), count, 32, bold=True)
        wide = painter.fontMetrics().horizontalAdvance(count)
        hand = f" · {len(seen.in_hand)} in hand" if seen.in_hand else ""
        rest = len(seen.open) - 1 - _LINES
        more = f" · {rest} more cases" if rest > 0 else ""
        words = f"of {len(seen.watched.names)}{hand}{more}"
        beside = QRectF(p(36) + wide + p(24), y + p(8), self.width() - wide - p(90), p(38))
        self._text(painter, beside, words, 27, "dim")
        top, columns = y + p(50), 4 if left < p(420) else 2
        rows = max(int((left - p(56)) // p(64 if columns == 4 else 118)), 1)
        self._paint_vital(painter, vital[: min(rows * columns, _VITAL)], top, columns, p(64 if columns == 4 else 118))

    def _paint_vital(self, painter: QPainter, vital: Sequence[int], top: float, columns: int, high: float) -> None:
        p, watched = self.px, self._watch.seen.watched
        wide = (self.width() - 2 * p(36) - p(28) * (columns - 1)) / columns
        name = 26 if columns == 4 else 38
        for k, i in enumerate(vital):
            left = p(36) + k % columns * (wide + p(28))
            y = top + k // columns * high
            self._text(painter, QRectF(left, y, wide, p(name + 10)), watched.names[i], name)
            self._ropes(painter, [i], QRectF(left, y + p(name + 10), wide, high - p(name + 20)), dim=True)

    @staticmethod
    def _rank(seen: Seen, i: int) -> tuple[int, int]:
        return seen.watched.importance.get(seen.watched.names[i], 5), i


def _hour(at: datetime) -> str:
    return f"{at:%H:%M}"
