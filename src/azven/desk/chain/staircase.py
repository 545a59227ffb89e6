"""The staircase: noise, weakest wanted signal, strongest composite and compression at every joint of a branch."""

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.work.chain import Stair

_LEFT, _RIGHT, _TOP, _BOTTOM = 50, 150, 12, 40
_LINES = (
    ("peak_dbm", "ochre", "all carriers, peak", Qt.PenStyle.SolidLine),
    ("wanted_dbm", "petrol", "weakest wanted", Qt.PenStyle.SolidLine),
    ("noise_dbm", "slate", "noise", Qt.PenStyle.DashLine),
)


class Staircase(QWidget):
    """Levels in dBm over the joints of one branch."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.stairs: list[Stair] = []
        self.setMinimumHeight(170)
        self.setAccessibleName("Levels at every joint")
        session.themed.connect(self.update)

    def show_stairs(self, stairs: list[Stair]) -> None:
        self.stairs = stairs
        self.update()

    def _range(self) -> tuple[float, float]:
        values = [
            v for s in self.stairs for v in (s.noise_dbm, s.wanted_dbm, s.peak_dbm, s.compression_dbm) if v is not None
        ]
        low, high = min(values, default=-120.0), max(values, default=0.0)
        return 10 * (low // 10) - 5, 10 * (high // 10) + 15

    def _y(self, level: float, span: tuple[float, float]) -> float:
        room = self.height() - _TOP - _BOTTOM
        return _TOP + room * (1 - (level - span[0]) / (span[1] - span[0]))

    def _x(self, i: float) -> float:
        room = self.width() - _LEFT - _RIGHT
        return _LEFT + room * i / max(len(self.stairs), 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        painter.setFont(look.font(look.SMALL_PX))
        if not self.stairs:
            painter.setPen(theme.color("dim"))
            painter.drawText(QRectF(_LEFT, _TOP, 500, 20), 0, "No way from an antenna to a receiver to show.")
            return
        span = self._range()
        self._paint_grid(painter, theme, span)
        labels: list[tuple[float, str, str]] = []
        for attribute, role, words, style in _LINES:
            last = self._paint_line(painter, theme, attribute, role, style, span)
            if last is not None:
                labels.append((last, role, words))
        self._paint_compression(painter, theme, span)
        self._paint_labels(painter, theme, labels)

    def _paint_grid(self, painter: QPainter, theme: look.Theme, span: tuple[float, float]) -> None:
        level = 20 * (int(span[0]) // 20 + 1)
        while level < span[1]:
            y = self._y(level, span)
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(_LEFT, y, self.width() - _RIGHT, y))
            painter.setPen(theme.color("dim"))
            painter.drawText(QRectF(0, y - 8, _LEFT - 6, 16), Qt.AlignmentFlag.AlignRight, f"{level}".replace("-", "−"))
            level += 20
        painter.drawText(QRectF(4, 0, _LEFT, 14), 0, "dBm")
        for i, stair in enumerate(self.stairs):
            box = QRectF(self._x(i), self.height() - _BOTTOM + 4, self._x(i + 1) - self._x(i), _BOTTOM - 6)
            name = painter.fontMetrics().elidedText(stair.short, Qt.TextElideMode.ElideMiddle, int(box.width()) - 4)
            gain = "0" if abs(stair.gain_db) < 0.05 else f"{stair.gain_db:+.1f}".replace("-", "−")
            gain = "" if stair.kind in ("antenna", "receiver") else gain
            painter.setPen(theme.color("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, name)
            painter.setPen(theme.color("dim"))
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom, gain)

    def _paint_line(
        self, painter: QPainter, theme: look.Theme, attribute: str, role: str, style: Qt.PenStyle,
        span: tuple[float, float],
    ) -> float | None:  # fmt: skip
        points = QPolygonF()
        last = None
        for i, stair in enumerate(self.stairs):
            level = getattr(stair, attribute)
            if level is not None:
                last = self._y(level, span)
                points.append(QPointF(self._x(i), last))
                points.append(QPointF(self._x(i + 1), last))
        painter.setPen(QPen(theme.color(role), 1, style))
        painter.drawPolyline(points)
        return last

    def _paint_compression(self, painter: QPainter, theme: look.Theme, span: tuple[float, float]) -> None:
        """Where a block compresses: a bar over its step; the arrow to the peak is its headroom."""
        for i, stair in enumerate(self.stairs):
            if stair.compression_dbm is None:
                continue
            y, middle = self._y(stair.compression_dbm, span), (self._x(i) + self._x(i + 1)) / 2
            painter.setPen(QPen(theme.color("brick"), 2))
            painter.drawLine(QLineF(self._x(i) + 4, y, self._x(i + 1) - 4, y))
            if stair.peak_dbm is not None:
                painter.setPen(QPen(theme.color("brick"), 1, Qt.PenStyle.DotLine))
                painter.drawLine(QLineF(middle, y, middle, self._y(stair.peak_dbm, span)))
                painter.setPen(theme.color("brick_text"))
                room = f"{stair.compression_dbm - stair.peak_dbm:+.1f}".replace("-", "−")
                painter.drawText(QPointF(middle + 4, y - 4), room)

    def _paint_labels(self, painter: QPainter, theme: look.Theme, labels: list[tuple[float, str, str]]) -> None:
        last = -20.0
        for y, role, words in sorted([*labels, (_TOP - 2.0, "brick", "compression, headroom")]):
            y = max(y, last + 15)
            last = y
            painter.setPen(theme.color(role))
            painter.drawLine(QLineF(self.width() - _RIGHT + 4, y, self.width() - _RIGHT + 14, y))
            painter.setPen(theme.color("dim"))
            painter.drawText(QPointF(self.width() - _RIGHT + 18, y + 4), words)
