"""Waterfall: sweeps one under the other, the newest on top, with the trace they add up to."""

from collections.abc import Callable
from datetime import datetime

import numpy as np
from PyQt6.QtCore import QLineF, QRectF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.desk import theme as look
from azven.desk.axis import BandView, paint_mhz, polygon, silhouette
from azven.desk.session import Session
from azven.desk.stage import button, choice, label, row
from azven.rf.levels import dbm, milliwatts
from azven.rf.sweep import Sweep

_LEFT, _RIGHT, _TRACE_H = 50, 12, 150
_MHZ = 15
_TOP_DBM, _BOTTOM_DBM = -30.0, -130.0
_MOST_ROWS = 200
_MODES: list[tuple[str, object]] = [("the last sweep", "last"), ("average", "average"), ("maximum held", "hold")]


class WaterfallPage(QWidget):
    """What has been swept since the page was cleared: trace modes, freeze, peaks."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.view = Waterfall(session)
        self.mode = choice(_MODES, "What the trace shows")
        self.frozen = button("Freeze", self._freeze, "Freeze the display; sweeps continue")
        self.frozen.setCheckable(True)
        self.told = label("Every sweep that is taken adds a row.", "dim")
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 2, 0, 0)
        box.addLayout(
            row(label("Trace:", "dim"), self.mode, self.frozen, button("Clear", self.view.clear), 1, self.told)
        )
        box.addWidget(self.view, 1)
        self.mode.currentIndexChanged.connect(lambda: self.view.show_mode(str(self.mode.currentData())))
        self.view.tell = self.told.setText

    def _freeze(self) -> None:
        self.view.frozen = self.frozen.isChecked()
        self.frozen.setText("Go on" if self.view.frozen else "Freeze")

    def add(self, sweep: Sweep, moment: datetime) -> None:
        self.view.add(sweep, moment)


class Waterfall(BandView):
    """Rows of levels over frequency; shares its zoom with the spine."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setAccessibleName("Waterfall")
        self.setMinimumHeight(240)
        self.rows: list[tuple[datetime, Sweep]] = []
        self.frozen, self.mode = False, "last"
        self.tell: Callable[[str], object] = lambda text: None
        self._pointer: tuple[float, float] | None = None

    def clear(self) -> None:
        self.rows.clear()
        self.update()

    def show_mode(self, mode: str) -> None:
        self.mode = mode
        self.update()

    def add(self, sweep: Sweep, moment: datetime) -> None:
        """Put a sweep on top, unless frozen."""
        if not self.frozen:
            self.rows.insert(0, (moment, sweep))
            del self.rows[_MOST_ROWS:]
            self.update()

    def trace(self) -> Sweep | None:
        """The trace of the chosen mode over the rows taken with the newest one's settings."""
        if not self.rows:
            return None
        newest = self.rows[0][1]
        alike = [s for _, s in self.rows if np.array_equal(s.freq_hz, newest.freq_hz)]
        if self.mode == "last" or len(alike) == 1:
            return newest
        stack = np.stack([s.level_dbm for s in alike])
        level = stack.max(axis=0) if self.mode == "hold" else dbm(milliwatts(stack).mean(axis=0))
        return Sweep(newest.freq_hz, level, newest.rbw_hz, newest.detector)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._axis.place(_LEFT, self.width() - _LEFT - _RIGHT)

    def _row_height(self) -> float:
        room = self.height() - _TRACE_H - 6 - _MHZ
        return max(2.0, min(16.0, room / max(len(self.rows), 12)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        painter.setFont(look.font(look.SMALL_PX))
        self._paint_trace(painter, theme)
        tall, width, zone = self._row_height(), int(self._axis.width), self._session.clock.tz
        last_label = -20.0
        for i, (moment, sweep) in enumerate(self.rows):
            top = _TRACE_H + 6 + i * tall
            if top > self.height() - _MHZ:
                break
            painter.drawImage(QRectF(_LEFT, top, width, tall), self._image(sweep, width, theme))
            if top - last_label >= 16:
                last_label = top
                painter.setPen(theme.color("dim"))
                said = f"{moment.astimezone(zone):%H:%M}"
                painter.drawText(QRectF(0, top - 2, _LEFT - 6, 16), Qt.AlignmentFlag.AlignRight, said)
        painter.fillRect(QRectF(0, self.height() - _MHZ, self.width(), _MHZ), theme.color("ground"))
        painter.setPen(theme.color("dim"))
        paint_mhz(painter, self._axis.left, self._axis.width, self._session.view.hz, self.height() - _MHZ, _MHZ)
        self._paint_pointer(painter, theme)

    def _paint_trace(self, painter: QPainter, theme: look.Theme) -> None:
        for line_dbm in range(-40, -121, -20):
            y = self._y(float(line_dbm))
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(_LEFT, y, self.width() - _RIGHT, y))
            painter.setPen(theme.color("dim"))
            painter.drawText(QRectF(0, y - 8, _LEFT - 6, 16), Qt.AlignmentFlag.AlignRight, f"−{-line_dbm}")
        trace = self.trace()
        if trace is not None:
            share, level = silhouette(trace.freq_hz, trace.level_dbm, *self._session.view.hz, int(self._axis.width))
            painter.setPen(QPen(theme.color("petrol"), 1))
            curve = _TRACE_H - (np.clip(level, _BOTTOM_DBM, _TOP_DBM) - _BOTTOM_DBM) / 100 * (_TRACE_H - 10)
            painter.drawPolyline(polygon(self._axis.left + share * self._axis.width, curve))

    def _y(self, level: float) -> float:
        return _TRACE_H - (level - _BOTTOM_DBM) / (_TOP_DBM - _BOTTOM_DBM) * (_TRACE_H - 10)

    def _image(self, sweep: Sweep, width: int, theme: look.Theme) -> QImage:
        """One row as pixels between the ground and the ink: the stronger, the darker (by day) or the lighter."""
        share, level = silhouette(sweep.freq_hz, sweep.level_dbm, *self._session.view.hz, width)
        columns = np.full(width, _BOTTOM_DBM)
        np.maximum.at(columns, np.clip((share * width).astype(int), 0, width - 1), level)
        part = np.clip((columns - _BOTTOM_DBM) / 90, 0, 1)[:, None]
        low, high = (np.array(theme.color(role).getRgb()[:3], float) for role in ("ground", "petrol"))
        pixels = np.ascontiguousarray(low + part * (high - low), np.uint8)
        return QImage(pixels.tobytes(), width, 1, 3 * width, QImage.Format.Format_RGB888).copy()

    def _paint_pointer(self, painter: QPainter, theme: look.Theme) -> None:
        if self._pointer is None or not self._axis.inside(self._pointer[0]):
            return
        painter.setPen(QPen(theme.color("dim"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QLineF(self._pointer[0], 0, self._pointer[0], self.height()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        self._pointer = (at.x(), at.y())
        if event.buttons():
            self._axis.drag(event)
        self.tell(self.words_at(at.x(), at.y()))
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._axis.press(event)

    def words_at(self, x: float, y: float) -> str:
        """Frequency, level and time under a point."""
        i = int((y - _TRACE_H - 6) // self._row_height())
        sweep = self.trace() if i < 0 else self.rows[i][1] if i < len(self.rows) else None
        freq = self._axis.hz(x)
        if sweep is None:
            return f"{freq / 1e6:.3f} MHz"
        half = self._axis.hz_per_pixel
        levels = sweep.level_dbm[sweep.between(int(freq - half), int(freq + half) + 1)]
        level = f"   {levels.max():.0f} dBm".replace("-", "−") if len(levels) else ""
        zone = self._session.clock.tz
        when = f"   {self.rows[i][0].astimezone(zone):%H:%M:%S %Z}" if 0 <= i < len(self.rows) else ""
        return f"{freq / 1e6:.3f} MHz{level}{when}"
