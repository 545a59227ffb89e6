"""A shared band, painted: what sweeps heard, others as plates as wide as they send, our links as pennants."""

import numpy as np
from PyQt6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QHelpEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from azven.desk import theme as look
from azven.desk.axis import paint_mhz, polygon, silhouette
from azven.desk.marks import PENNANT_W, paint_pennant, service_color
from azven.desk.session import Session
from azven.desk.stage import tip
from azven.rf import bands
from azven.rf.shared import Spell
from azven.work.bands.others import channel_text
from azven.work.bands.views import BandView, Timeline
from azven.work.kit.bands import SHARED_VIEW_HZ
from azven.work.plan import Verdict
from azven.work.wording import decibel, one_line

_LEFT, _RIGHT, _FOOT, _ROW = 34, 10, 32, 15
_TOP_DBM, _BOTTOM_DBM, _GRID_DB = -30.0, -110.0, 20
_LEAST_PX = 3.0


class BandChart(QWidget):
    """Levels upwards, frequency to the right, the whole band."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._view: BandView | None = None
        self.setMinimumHeight(120)
        self.setAccessibleName("The shared band: others, sweeps and our links")
        session.themed.connect(self.update)

    def show_view(self, view: BandView) -> None:
        self._view = view
        self.update()

    def _x(self, freq_hz: float) -> float:
        assert self._view is not None
        low, high = SHARED_VIEW_HZ[self._view.band.name]
        return _LEFT + (freq_hz - low) / (high - low) * (self.width() - _LEFT - _RIGHT)

    @property
    def _floor(self) -> float:
        return self.height() - _FOOT

    def _y(self, level_dbm: float) -> float:
        share = (min(max(level_dbm, _BOTTOM_DBM), _TOP_DBM) - _BOTTOM_DBM) / (_TOP_DBM - _BOTTOM_DBM)
        return self._floor - share * (self._floor - 2 * _ROW)

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._session.theme.color("field"))
        if self._view is None:
            return
        painter.setFont(look.font(look.SMALL_PX))
        self._paint_grid(painter, self._view)
        painter.setClipRect(QRectF(_LEFT, 0, self.width() - _LEFT - _RIGHT, self.height()))
        self._paint_swept(painter, self._view)
        self._paint_others(painter)
        self._paint_ours(painter, self._view)

    def _paint_grid(self, painter: QPainter, view: BandView) -> None:
        theme = self._session.theme
        for level in range(int(_TOP_DBM), int(_BOTTOM_DBM) - 1, -_GRID_DB):
            y = self._y(level)
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(_LEFT, y, self.width() - _RIGHT, y))
            painter.setPen(theme.color("dim"))
            painter.drawText(QRectF(0, y - 8, _LEFT - 5, 16), Qt.AlignmentFlag.AlignRight, f"{level}".replace("-", "−"))
        painter.drawText(QRectF(4, 1, 40, 14), Qt.AlignmentFlag.AlignLeft, "dBm")
        last = -1e9
        for channel in bands.channels(view.band):
            left, right = self._x(channel.low_hz), self._x(channel.high_hz)
            if (left + right) / 2 - last < 20:
                continue
            last = (left + right) / 2
            box = QRectF(last - 14, self._floor + 1, 28, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, channel.name)
        edges = SHARED_VIEW_HZ[view.band.name]
        paint_mhz(painter, _LEFT, self.width() - _LEFT - _RIGHT, edges, self.height() - 15, 14)

    def _paint_swept(self, painter: QPainter, view: BandView) -> None:
        low, high = SHARED_VIEW_HZ[view.band.name]
        merged = self._session.picture.merged(low, high)
        if merged is None:
            return
        width = self.width() - _LEFT - _RIGHT
        share, level = silhouette(merged.freq_hz, merged.level_dbm, low, high, int(width))
        if len(share):
            x = _LEFT + share * width
            y = np.array([self._y(v) for v in level.tolist()])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._session.theme.color("silhouette", 150))
            painter.drawPolygon(polygon(np.r_[x[:1], x, x[-1:]], np.r_[self._floor, y, self._floor]))

    def plates(self) -> list[tuple[QRectF, str]]:
        """Every other with its box, and what the tip says."""
        out = []
        for stranger in self._view.others if self._view else ():
            half = stranger.width_hz / 2
            left, right = self._x(stranger.centre_hz - half), self._x(stranger.centre_hz + half)
            top = self._y(stranger.level_dbm)
            box = QRectF(left, top, max(right - left, _LEAST_PX), self._floor - top)
            said = (
                f"{one_line(stranger.name)}: {channel_text(stranger)}, {decibel(stranger.level_dbm)}, "
                f"{100 * stranger.duty:g} % of the time"
            )
            out.append((box, said))
        return out

    def _paint_others(self, painter: QPainter) -> None:
        theme, metrics = self._session.theme, painter.fontMetrics()
        names = [one_line(o.name) for o in (self._view.others if self._view else ())]
        ends = [-1e9] * 2
        for (box, _), name in sorted(zip(self.plates(), names, strict=True), key=lambda p: p[0][0].left()):
            painter.fillRect(box, QBrush(theme.color("slate", 90), Qt.BrushStyle.BDiagPattern))
            painter.setPen(QPen(theme.color("slate"), 1.4))
            painter.drawLine(box.topLeft(), box.topRight())
            row = 0 if ends[0] <= box.left() else 1
            room = 150 if ends[row] <= box.left() else 0
            said = metrics.elidedText(name, Qt.TextElideMode.ElideRight, room)
            if room:
                ends[row] = box.left() + metrics.horizontalAdvance(said) + 8
                painter.setPen(theme.color("dim"))
                painter.drawText(QPointF(box.left() + 2, 12.0 + row * _ROW), said)

    def _paint_ours(self, painter: QPainter, view: BandView) -> None:
        theme, selected = self._session.theme, self._session.link_id
        ends = [-1e9] * 3
        placed = sorted((v for v in view.ours if v.freq_hz is not None), key=lambda v: v.freq_hz or 0)
        for verdict in placed:
            x = self._x(verdict.freq_hz or 0)
            row = next((r for r in range(3) if ends[r] <= x), 0)
            ends[row] = x + PENNANT_W + 2
            y = 2.2 * _ROW + 14 * row
            color = theme.color("brick") if verdict.state == "broken" else service_color(theme, verdict.link.service)
            painter.setPen(QPen(color, 2 if verdict.id == selected else 1))
            painter.drawLine(QLineF(x, y, x, self._floor))
            paint_pennant(painter, QPointF(x, y), verdict.link.service, color, outlined=verdict.link.spare)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            at = QPointF(event.pos())
            said = [words for box, words in self.plates() if box.contains(at)]
            QToolTip.showText(event.globalPos(), tip("\n".join(said)), self)
            return True
        return super().event(event)


class RadarChart(QWidget):
    """Transceivers at 5 GHz over the minutes of the show: the channel each is on, and when it is silent."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._view: BandView | None = None
        self.setAccessibleName("What radar events do, minute by minute")
        session.themed.connect(self.update)

    def show_view(self, view: BandView) -> None:
        self._view = view
        self.setMinimumHeight(22 * max(len(view.timelines), 1) + 20)
        self.update()

    def _x(self, second: float) -> float:
        assert self._view is not None
        return 120 + min(second / (60 * self._view.show_min), 1.0) * (self.width() - 130)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, view = QPainter(self), self._session.theme, self._view
        painter.fillRect(self.rect(), theme.color("field"))
        if view is None:
            return
        painter.setFont(look.font(look.SMALL_PX))
        for i, line in enumerate(view.timelines):
            verdict = next(v for v in view.ours if v.id == line.link_id)
            self._paint_line(painter, verdict, line, 3 + 22.0 * i)
        painter.setPen(theme.color("dim"))
        step = max(view.show_min // 8 // 15 * 15, 15)
        for minute in range(0, view.show_min + 1, step):
            painter.drawText(QRectF(self._x(60 * minute) - 20, self.height() - 16, 40, 14),
                             Qt.AlignmentFlag.AlignCenter, f"{minute}")  # fmt: skip
        painter.drawText(QRectF(4, self.height() - 16, 110, 14), Qt.AlignmentFlag.AlignLeft, "minute of the show")
        painter.setPen(QPen(theme.color("brick"), 1, Qt.PenStyle.DashLine))
        for radar in view.events:
            x = self._x(60.0 * radar.minute)
            painter.drawLine(QLineF(x, 0, x, self.height() - 17))

    def _paint_line(self, painter: QPainter, verdict: Verdict, line: Timeline, y: float) -> None:
        theme = self._session.theme
        painter.setPen(theme.color("ink"))
        name = painter.fontMetrics().elidedText(
            self._session.shown.input.name(verdict.id), Qt.TextElideMode.ElideRight, 112
        )
        painter.drawText(QRectF(4, y, 114, 18), Qt.AlignmentFlag.AlignVCenter, name)
        for spell in line.spells:
            self._paint_spell(painter, spell, y)

    def _paint_spell(self, painter: QPainter, spell: Spell, y: float) -> None:
        theme, view = self._session.theme, self._view
        assert view is not None
        end = 60.0 * view.show_min if spell.to_s is None else spell.to_s
        left, right = self._x(spell.from_s), self._x(end)
        box = QRectF(left, y + 1, max(right - left, _LEAST_PX if spell.silent else 0.0), 16)
        if spell.silent:
            painter.fillRect(box, theme.color("brick"))
            return
        painter.fillRect(box, theme.color("petrol", 40))
        painter.setPen(QPen(theme.color("petrol"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.setPen(theme.color("ink"))
        painter.drawText(box.adjusted(6, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, f"{spell.channel}")
