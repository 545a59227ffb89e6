"""A frequency axis that several views share: hertz to pixels, mouse to zoom and pan."""

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QWidget

from azven.desk.session import Session


class Axis:
    """The session's band laid over pixels `left … left + width` of a widget."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.left, self.width = 0.0, 1.0
        self._dragged_from: float | None = None

    def place(self, left: float, width: float) -> None:
        self.left, self.width = left, max(width, 1.0)

    def x(self, freq_hz: float) -> float:
        low, high = self._session.view.hz
        return self.left + (freq_hz - low) / (high - low) * self.width

    def hz(self, x: float) -> float:
        low, high = self._session.view.hz
        return low + (x - self.left) / self.width * (high - low)

    @property
    def hz_per_pixel(self) -> float:
        low, high = self._session.view.hz
        return (high - low) / self.width

    def inside(self, x: float) -> bool:
        return self.left <= x <= self.left + self.width

    def wheel(self, event: QWheelEvent) -> None:
        """Zoom around the pointer."""
        self._session.view.zoom(0.8 if event.angleDelta().y() > 0 else 1.25, self.hz(event.position().x()))

    def press(self, event: QMouseEvent) -> None:
        self._dragged_from = event.position().x()

    def drag(self, event: QMouseEvent) -> None:
        if self._dragged_from is not None:
            self._session.view.pan((self._dragged_from - event.position().x()) * self.hz_per_pixel)
            self._dragged_from = event.position().x()

    def release(self) -> None:
        self._dragged_from = None

    def whole(self) -> None:
        self._session.view.show(*self._session.view.whole())


class BandView(QWidget):
    """A painted widget whose x axis is the session's band: wheel zooms, drag pans, double click shows the whole."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setMouseTracking(True)
        self._session = session
        self._axis = Axis(session)
        for signal in (session.edited, session.judged, session.selected, session.view.changed, session.themed):
            signal.connect(self.update)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._axis.release()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._axis.whole()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._axis.wheel(event)


def mhz_ticks(low_hz: float, high_hz: float, width: float, least_px: float = 58.0) -> list[tuple[float, str]]:
    """Round frequencies [Hz] of a band drawn `width` pixels wide, at least `least_px` apart, with their MHz as text."""
    least = max(least_px * (high_hz - low_hz) / max(width, 1.0), 1.0)
    decade = 10.0 ** math.floor(math.log10(least))
    step = next(m * decade for m in (1, 2, 5, 10) if m * decade >= least)
    decimals = max(0, round(6 - math.floor(math.log10(step) + 1e-9)))
    first, last = math.ceil(low_hz / step), math.floor(high_hz / step)
    return [(n * step, f"{n * step / 1e6:.{decimals}f}") for n in range(first, last + 1)]


def paint_mhz(
    painter: QPainter, left: float, width: float, band_hz: tuple[float, float], top: float, height: float
) -> None:
    """A row of MHz figures with their ticks under a band drawn from `left`, in the painter's pen; the last place is
    kept for the unit."""
    low, high = band_hz
    right = left + width
    unit = painter.fontMetrics().horizontalAdvance("MHz") + 4
    painter.drawText(QRectF(right - unit, top, unit, height), Qt.AlignmentFlag.AlignCenter, "MHz")
    for freq, text in mhz_ticks(low, high, width):
        x, half = left + (freq - low) / (high - low) * width, painter.fontMetrics().horizontalAdvance(text) / 2 + 2
        if left <= x - half and x + half <= right - unit:
            painter.drawText(QRectF(x - half, top, 2 * half, height), Qt.AlignmentFlag.AlignCenter, text)
            painter.drawLine(QLineF(x, top - 2, x, top + 1))


def silhouette(
    freq_hz: NDArray[np.int64], level_dbm: NDArray[np.float64], low_hz: float, high_hz: float, columns: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Greatest level in each pixel column of a band: column middles as shares 0…1 (m,) and levels (m,), m ≤ columns."""
    start, stop = (int(i) for i in np.searchsorted(freq_hz, (low_hz, high_hz)))
    start, stop = max(start - 1, 0), min(stop + 1, len(freq_hz))
    count = stop - start
    if count <= 0 or columns <= 0:
        return np.empty(0), np.empty(0)
    freq, level = freq_hz[start:stop], level_dbm[start:stop]
    if count > 2 * columns:
        cuts = np.linspace(0, count, columns, endpoint=False).astype(np.intp)
        level = np.maximum.reduceat(level, cuts)
        freq = freq[np.minimum(cuts + count // columns // 2, count - 1)]
    return np.asarray((freq - low_hz) / (high_hz - low_hz), np.float64), level


def polygon(x: NDArray[np.float64], y: NDArray[np.float64]) -> QPolygonF:
    """Points (m,) as a polygon, without a Python object per point."""
    made = QPolygonF([QPointF()] * len(x))
    if len(x):
        pointer = made.data()
        pointer.setsize(16 * len(x))
        buffer = np.frombuffer(pointer, np.float64)  # type: ignore[call-overload]
        buffer[0::2], buffer[1::2] = x, y
    return made


def stacked(positions: Sequence[float], width: float, rows: int) -> list[int]:
    """A row for each of the ascending `positions`, so that marks `width` wide overlap as little as possible."""
    ends = [-1e9] * rows
    out = []
    for x in positions:
        row = next((r for r in range(rows) if ends[r] <= x), min(range(rows), key=lambda r: ends[r]))
        ends[row] = x + width
        out.append(row)
    return out
