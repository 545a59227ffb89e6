"""The plot of sweeps: each on its own and the merged worst case, with the class of every raster channel under it."""

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QBrush,
    QIcon,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)

from azven.desk import theme as look
from azven.desk.axis import BandView, paint_mhz, polygon, silhouette
from azven.desk.session import Session
from azven.rf.sweep import Line, Sweep, band_power_dbm
from azven.work import chosen
from azven.work.listen import USES

_LEFT, _RIGHT, _TOP, _CELL, _MHZ = 50, 12, 10, 18, 14
_TOP_DBM, _BOTTOM_DBM, _GRID_DB = -30.0, -130.0, 20
_KEY = "grey: worst of all sweeps · ring: unclaimed line · cells: open quiet, half usable, hatched taken"
_LABEL_PX = 18
CURVES = 8
"""Sweeps drawn as curves of their own, the newest; the grey silhouette holds all of them."""
_ROLES = ("petrol", "plum", "slate", "ochre")


class SweepPlot(BandView):
    """Painted from arrays; shares its zoom with the spine."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setMinimumHeight(240)
        self.setAccessibleName("Sweeps over frequency")
        self.live: dict[int, tuple[list[np.ndarray], list[np.ndarray]]] = {}
        self._pointer: float | None = None
        self._marker: float | None = None
        self.setToolTip("Right click sets a marker; the pointer then shows the difference to it.")

    def samples(self) -> dict[int, QIcon]:
        """A bit of the line of every sweep that is drawn as one of its own, by its id."""
        out = {}
        for i, (record, _) in enumerate(self._session.picture.sweeps[:CURVES]):
            pixmap = QPixmap(12, 4)
            pixmap.fill(self._session.theme.color(_ROLES[i % len(_ROLES)]))
            out[record.id] = QIcon(pixmap)
        return out

    def start_live(self, instrument: int) -> None:
        """Begin drawing a sweep that is being taken."""
        self.live[instrument] = ([], [])
        self.update()

    def add_live(self, instrument: int, freq: np.ndarray, level: np.ndarray) -> None:
        if instrument in self.live:
            freqs, levels = self.live[instrument]
            if freqs and freq[0] <= freqs[-1][-1]:  # it begins anew, behind an attenuator
                freqs.clear()
                levels.clear()
            freqs.append(freq)
            levels.append(level)
            self.update()

    def end_live(self, instrument: int) -> None:
        self.live.pop(instrument, None)
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._axis.place(_LEFT, self.width() - _LEFT - _RIGHT)

    @property
    def _bottom(self) -> float:
        return self.height() - _CELL * (len(USES) + 1) - _MHZ - 8

    def _y(self, level: np.ndarray) -> np.ndarray:
        share = (np.clip(level, _BOTTOM_DBM, _TOP_DBM) - _BOTTOM_DBM) / (_TOP_DBM - _BOTTOM_DBM)
        return np.asarray(self._bottom - share * (self._bottom - _TOP))

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._session.theme.color("ground"))
        self._paint_grid(painter)
        self._paint_key(painter)
        painter.save()
        painter.setClipRect(QRectF(self._axis.left, _TOP, self._axis.width, self.height()))
        self._paint_merged(painter)
        selected = self._session.selection
        for i, (record, sweep) in enumerate(self._session.picture.sweeps):
            bold = selected == chosen.Sweep(record.id)
            if i >= CURVES and not bold:
                continue
            self._paint_sweep(painter, sweep, _ROLES[i % len(_ROLES)], bold)
        for freqs, levels in self.live.values():
            if freqs:
                self._paint_curve(painter, np.concatenate(freqs), np.concatenate(levels), "brick", 1)
        self._paint_lines(painter)
        self._paint_cells(painter)
        painter.restore()
        self._paint_pointer(painter)

    def _paint_grid(self, painter: QPainter) -> None:
        theme = self._session.theme
        painter.setFont(look.font(look.SMALL_PX))
        for level in range(int(_TOP_DBM) - 10, int(_BOTTOM_DBM) - 1, -_GRID_DB):
            y = float(self._y(np.array([level], float))[0])
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(_LEFT, y, self.width() - _RIGHT, y))
            painter.setPen(theme.color("dim"))
            text = f"{level}".replace("-", "−")
            painter.drawText(QRectF(0, y - 8, _LEFT - 6, 16), Qt.AlignmentFlag.AlignRight, text)
        painter.drawText(QRectF(4, _TOP - 8, _LEFT, 16), Qt.AlignmentFlag.AlignLeft, "dBm")

    def _paint_key(self, painter: QPainter) -> None:
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(self._session.theme.color("dim"))
        box = QRectF(_LEFT, _TOP - 8, self.width() - _LEFT - _RIGHT, 16)
        shown = painter.fontMetrics().elidedText(_KEY, Qt.TextElideMode.ElideRight, int(box.width()) - 30)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight, shown)

    def _paint_merged(self, painter: QPainter) -> None:
        merged = self._session.picture.merged(*self._session.view.hz)
        if merged is None:
            return
        share, level = silhouette(merged.freq_hz, merged.level_dbm, *self._session.view.hz, int(self._axis.width))
        if len(share):
            x = self._axis.left + share * self._axis.width
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._session.theme.color("silhouette", 130))
            shape = np.r_[self._bottom, self._y(level), self._bottom]
            painter.drawPolygon(polygon(np.r_[x[:1], x, x[-1:]], shape))

    def _paint_sweep(self, painter: QPainter, sweep: Sweep, role: str, bold: bool) -> None:
        self._paint_curve(painter, sweep.freq_hz, sweep.level_dbm, role, 2 if bold else 1)

    def _paint_curve(self, painter: QPainter, freq: np.ndarray, level: np.ndarray, role: str, width: int) -> None:
        share, level = silhouette(freq, level, *self._session.view.hz, int(self._axis.width))
        painter.setPen(QPen(self._session.theme.color(role), width))
        painter.drawPolyline(polygon(self._axis.left + share * self._axis.width, self._y(level)))

    def _paint_lines(self, painter: QPainter) -> None:
        theme = self._session.theme
        for line in self._session.picture.lines:
            x, y = self._axis.x(line.freq_hz), float(self._y(np.array([line.level_dbm]))[0])
            here = self._session.selection == chosen.Line(line)
            painter.setPen(QPen(theme.color("brick"), 2 if here else 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, y - 8), 5, 5)
            painter.drawLine(QLineF(x, y - 3, x, y + 2))

    def _paint_cells(self, painter: QPainter) -> None:
        theme = self._session.theme
        picture = self._session.picture
        painter.setFont(look.font(look.SMALL_PX))
        for n, use in enumerate(USES):
            top = self._bottom + 4 + n * _CELL
            for decision in picture.cells(use):
                channel = decision.reading.channel
                left = self._axis.x(channel.low_hz)
                box = QRectF(left, top, self._axis.x(channel.high_hz) - left - 1, _CELL - 2)
                self._paint_cell(painter, box, decision.reading.occupancy)
        last_label = -1e9
        for decision in picture.cells("voice"):
            channel = decision.reading.channel
            left = self._axis.x(channel.low_hz)
            box = QRectF(left, self._bottom + 4 + _CELL * len(USES), self._axis.x(channel.high_hz) - left, _CELL)
            if box.center().x() - last_label >= _LABEL_PX:
                last_label = box.center().x()
                painter.setPen(theme.color("dim"))
                painter.drawText(box.adjusted(-4, 0, 4, 0), Qt.AlignmentFlag.AlignCenter, channel.name)
        painter.setPen(theme.color("dim"))
        axis, top = self._axis, self._bottom + 5 + _CELL * (len(USES) + 1)
        paint_mhz(painter, axis.left, axis.width, self._session.view.hz, top, _MHZ)
        painter.setClipping(False)
        for n, use in enumerate(USES):
            box = QRectF(0, self._bottom + 3 + n * _CELL, _LEFT - 6, _CELL)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, use)

    def _paint_cell(self, painter: QPainter, box: QRectF, occupancy: str) -> None:
        """quiet: open; usable: half filled; taken: hatched; unknown: dotted outline."""
        theme = self._session.theme
        if occupancy == "taken":
            painter.fillRect(box, theme.color("slate", 60))
            painter.fillRect(box, QBrush(theme.color("slate"), Qt.BrushStyle.BDiagPattern))
        elif occupancy == "usable":
            painter.fillRect(box, theme.color("lane"))
            painter.fillRect(box.adjusted(0, box.height() / 2, 0, 0), theme.color("ochre"))
        elif occupancy == "quiet":
            painter.fillRect(box, theme.color("lane"))
        style = Qt.PenStyle.DotLine if occupancy == "unknown" else Qt.PenStyle.SolidLine
        painter.setPen(QPen(theme.color("line"), 1, style))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)

    def _paint_pointer(self, painter: QPainter) -> None:
        if self._pointer is None or not self._axis.inside(self._pointer):
            return
        theme = self._session.theme
        freq = self._axis.hz(self._pointer)
        painter.setPen(QPen(theme.color("dim"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QLineF(self._pointer, _TOP, self._pointer, self._bottom))
        text = self.words_at(freq)
        if self._marker is not None:
            x = self._axis.x(self._marker)
            painter.drawLine(QLineF(x, _TOP, x, self._bottom))
        painter.setFont(look.font())
        width = painter.fontMetrics().horizontalAdvance(text) + 12
        left = min(self._pointer + 8, self.width() - width - _RIGHT)
        box = QRectF(left, _TOP, width, 20)
        painter.fillRect(box, theme.color("field"))
        painter.setPen(theme.color("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def words_at(self, freq: float) -> str:
        """Frequency and level under the pointer, power in the channel, and the difference to the marker."""
        merged = self._session.picture.merged(*self._session.view.hz)
        text = f"{freq / 1e6:.3f} MHz"
        if merged is None:
            return text
        level = self._level_at(merged, freq)
        if level is not None:
            text += f"   {level:.0f} dBm"
        for decision in self._session.picture.cells("voice"):
            channel = decision.reading.channel
            if channel.low_hz <= freq < channel.high_hz:
                power = band_power_dbm(merged, channel.low_hz, channel.high_hz)
                text += f"   channel {channel.name} {power:.0f} dBm" if power is not None else ""
        if self._marker is not None:
            there = self._level_at(merged, self._marker)
            by = f" {level - there:+.0f} dB" if level is not None and there is not None else ""
            text += f"   from the marker {(freq - self._marker) / 1e6:+.3f} MHz{by}"
        return text.replace("-", "−")

    def _level_at(self, merged: Sweep, freq: float) -> float | None:
        half = self._axis.hz_per_pixel
        levels = merged.level_dbm[merged.between(int(freq - half), int(freq + half) + 1)]
        return float(levels.max()) if len(levels) else None

    # -- mouse ---------------------------------------------------------------------------------------

    def line_at(self, at: QPointF) -> Line | None:
        """The unclaimed line whose ring is at a point."""
        for line in self._session.picture.lines:
            y = float(self._y(np.array([line.level_dbm]))[0]) - 8
            if abs(self._axis.x(line.freq_hz) - at.x()) < 8 and abs(y - at.y()) < 10:
                return line
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if event.button() == Qt.MouseButton.RightButton:
            self._marker = None if self._marker is not None else self._axis.hz(at.x())
            self.update()
            return
        if (line := self.line_at(at)) is not None:
            self._session.select(chosen.Line(line))
            return
        use_row = int((at.y() - self._bottom - 4) // _CELL)
        if 0 <= use_row < len(USES):
            freq = self._axis.hz(at.x())
            for decision in self._session.picture.cells(USES[use_row]):
                if decision.reading.channel.low_hz <= freq < decision.reading.channel.high_hz:
                    found = decision.reading.channel
                    low_hz = found.low_hz if decision in self._session.picture.shared else 0
                    self._session.select(chosen.Channel(USES[use_row], found.name, low_hz))
            return
        self._axis.press(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._pointer = event.position().x()
            if event.buttons():
                self._axis.drag(event)
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self.update()
