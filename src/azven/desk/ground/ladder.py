"""The permission ladder: a rung per permitted or reserved range, the raster under it, neighbours as marks."""

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from azven.book.regions import Rule, Territory
from azven.desk import theme as look
from azven.desk.marks import paint_pennant
from azven.desk.session import Session
from azven.work import ground

_ROW, _LEFT, _TOP, _FOOT = 26, 14, 8, 40


class Ladder(QWidget):
    """All ranges of the region, low to high from top to bottom, each where it lies in frequency."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setAccessibleName("Permission ladder")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._session = session
        for signal in (session.edited, session.selected, session.themed):
            signal.connect(self._refresh)
        self._refresh()

    def _refresh(self) -> None:
        region = self._region()
        self.setMinimumHeight(_TOP + _FOOT + _ROW * (len(region.rules) if region else 2))
        self.update()

    def _region(self) -> Territory | None:
        return ground.current(self._session.store).region

    def _span(self, region: Territory) -> tuple[float, float]:
        """The whole of the rules, or the ranges around the raster when rules reach far beyond."""
        low, high = min(r.low_hz for r in region.rules), max(r.high_hz for r in region.rules)
        return low - 0.01 * (high - low), high + 0.01 * (high - low)

    def _x(self, freq: float, span: tuple[float, float]) -> float:
        return _LEFT + (freq - span[0]) / (span[1] - span[0]) * (self.width() - 2 * _LEFT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        region = self._region()
        if region is None:
            painter.setPen(theme.color("dim"))
            painter.drawText(
                QRectF(_LEFT, _TOP, self.width(), 40), 0, "Choose a region above: its rules make the ladder."
            )
            return
        span = self._span(region)
        self._paint_raster(painter, region, span)
        self._paint_neighbours(painter, span, _TOP + len(region.rules) * _ROW)
        for i, rule in enumerate(region.rules):
            self._paint_rung(painter, i, rule, span)

    def _paint_raster(self, painter: QPainter, region: Territory, span: tuple[float, float]) -> None:
        theme = self._session.theme
        painter.setFont(look.font(look.SMALL_PX))
        bottom = _TOP + len(region.rules) * _ROW + 16
        last_label = -100.0
        for channel in region.channels:
            left, right = self._x(channel.low_hz, span), self._x(channel.high_hz, span)
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(left, _TOP, left, bottom))
            if (left + right) / 2 - last_label > 24:
                last_label = (left + right) / 2
                painter.setPen(theme.color("dim"))
                box = QRectF(last_label - 14, bottom - 2, 28, 16)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, channel.name)

    def _paint_rung(self, painter: QPainter, i: int, rule: Rule, span: tuple[float, float]) -> None:
        theme = self._session.theme
        left, right = self._x(rule.low_hz, span), self._x(rule.high_hz, span)
        y = _TOP + i * _ROW
        if self._session.selection.kind == "rule" and self._session.selection.key == i:
            painter.fillRect(QRectF(0, y, self.width(), _ROW), theme.color("chosen"))
        rung = QRectF(left, y + 8, max(right - left, 3), 10)
        permitted = rule.kind == "permitted"
        if permitted:
            painter.fillRect(rung, theme.color("accent"))
        else:
            painter.fillRect(rung, theme.color("side"))
            painter.fillRect(rung, QBrush(theme.color("brick"), Qt.BrushStyle.BDiagPattern))
            painter.setPen(theme.color("brick"))
            painter.drawRect(rung)
        text = f"{rule.low_hz / 1e6:g}–{rule.high_hz / 1e6:g}   {rule.title}"
        if rule.power_mw is not None:
            text += f", {rule.cap_text()}"
        self._paint_words(painter, text, rung, y)

    def _paint_words(self, painter: QPainter, text: str, rung: QRectF, y: float) -> None:
        """Beside the rung, on the side that has more room."""
        theme = self._session.theme
        painter.setFont(look.font(12))
        metrics = painter.fontMetrics()
        wide = metrics.horizontalAdvance(text) + 8
        room_right = self.width() - rung.right() - 12
        if room_right >= wide or room_right >= rung.left():
            box = QRectF(rung.right() + 8, y, room_right, _ROW)
            side = Qt.AlignmentFlag.AlignLeft
        else:
            box = QRectF(4, y, rung.left() - 12, _ROW)
            side = Qt.AlignmentFlag.AlignRight
        if box.width() < 90:
            box = QRectF(rung.left() + 6, y, min(wide, rung.width() - 12), _ROW)
            side = Qt.AlignmentFlag.AlignLeft
            painter.fillRect(box.adjusted(-3, 5, 3, -5), theme.color("ground"))
        elif box.width() >= wide:
            left = box.left() - 3 if side == Qt.AlignmentFlag.AlignLeft else box.right() - wide + 5
            painter.fillRect(QRectF(left, y + 4, wide, _ROW - 8), theme.color("ground"))
        painter.setPen(theme.color("ink"))
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, shown)

    def _paint_neighbours(self, painter: QPainter, span: tuple[float, float], y: float) -> None:
        theme = self._session.theme
        for n in ground.neighbours(self._session.store):
            x = self._x(n.freq_hz, span)
            if 0 <= x <= self.width():
                painter.setPen(QPen(theme.color("slate"), 1, Qt.PenStyle.DotLine))
                painter.drawLine(QLineF(x, _TOP, x, y + 14))
                paint_pennant(painter, QPointF(x, y + 2), "", theme.color("slate"), hatched=True)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        region = self._region()
        if event is not None and region is not None:
            at = int((event.position().y() - _TOP) // _ROW)
            if 0 <= at < len(region.rules):
                self._session.select("rule", at)
