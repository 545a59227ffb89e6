"""The live trace of a link: both antennas over the last seconds, with the limit that they are judged by."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.work.watch.traces import Traces
from azven.work.wording import decibel

_LOW_DBM, _HIGH_DBM = -115.0, -25.0
_FIGURES_W = 66.0
_STEP_DB = 20


class TraceView(QWidget):
    """Levels upwards, the newest at the right; A drawn solid, B thinner; the limit dashed, with its figure."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._traces: Traces | None = None
        self._limit: float | None = None
        self._above = False
        self.setAccessibleName("Level at both antennas over the last seconds")
        self.setMinimumHeight(76)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(380, 84)

    def show_traces(self, traces: Traces | None, limit_dbm: float | None, above: bool) -> None:
        """Traces with a limit [dBm]; `above`: levels should lie over it, else under it."""
        self._traces, self._limit, self._above = traces, limit_dbm, above
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        area = QRectF(_FIGURES_W, 4, self.width() - _FIGURES_W - 4, self.height() - 8)
        painter.fillRect(area, theme.color("field"))
        font = painter.font()
        font.setPixelSize(look.SMALL_PX)
        painter.setFont(font)
        painter.setPen(theme.color("dim"))
        for level in range(-100, int(_HIGH_DBM), _STEP_DB * 2):
            y = self._y(area, level)
            painter.drawText(QRectF(0, y - 8, _FIGURES_W - 6, 16), int(_RIGHT), decibel(level))
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(area.left(), y, area.right(), y))
            painter.setPen(theme.color("dim"))
        if self._limit is not None:
            self._paint_limit(painter, area)
        traces = self._traces
        if traces is None or not np.isfinite(traces.louder).any():
            painter.setPen(theme.color("dim"))
            painter.drawText(area, int(Qt.AlignmentFlag.AlignCenter), "no level comes")
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_line(painter, area, traces.b, QPen(theme.color("plum"), 1.0))
        self._paint_line(painter, area, traces.a, QPen(theme.color("petrol"), 1.0))
        for k, (name, role) in enumerate((("A", "petrol"), ("B", "plum"))):
            painter.setPen(theme.color(role))
            painter.drawText(QPointF(area.left() + 6 + 16 * k, area.top() + 13), name)

    def _y(self, area: QRectF, level: float) -> float:
        share = (level - _LOW_DBM) / (_HIGH_DBM - _LOW_DBM)
        return area.bottom() - min(max(share, 0.0), 1.0) * area.height()

    def _paint_limit(self, painter: QPainter, area: QRectF) -> None:
        assert self._limit is not None
        theme, y = self._session.theme, self._y(area, self._limit)
        painter.setPen(QPen(theme.color("brick"), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(QLineF(area.left(), y, area.right(), y))
        painter.setPen(theme.color("brick_text"))
        words = f"must stay {'over' if self._above else 'under'} {decibel(self._limit)}"
        top = y - 15 if y - 15 > area.top() else y + 1
        painter.drawText(QRectF(area.left() + 44, top, area.width() - 50, 14), int(_RIGHT), words)

    def _paint_line(self, painter: QPainter, area: QRectF, levels: NDArray[np.float32], pen: QPen) -> None:
        x = np.linspace(area.left(), area.right(), len(levels))
        known = np.isfinite(levels)
        points = [QPointF(float(a), self._y(area, float(b))) for a, b in zip(x[known], levels[known], strict=True)]
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(points))


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
