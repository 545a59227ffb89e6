"""The spine: the band we work in, the same in every stage."""

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QToolTip

from azven.desk import theme as look
from azven.desk.axis import BandView, paint_mhz, polygon, silhouette, stacked
from azven.desk.band_switch import SWITCH_W, BandSwitch
from azven.desk.marks import NOT_ON, PENNANT_W, paint_banner, paint_pennant, service_color
from azven.desk.session import Session
from azven.desk.stage import tip
from azven.work import chosen, ground, kit
from azven.work.ground import permission
from azven.work.kit import wide_places
from azven.work.plan import Verdict
from azven.work.wording import mhz

_HEIGHT, _RASTER, _MHZ, _ROWS = 128, 17, 14, 4
_LEVELS_DBM = (-125.0, -45.0)
_LABEL_W = 240


class Spine(BandView):
    """Permitted ranges, raster, merged sweep and every planned carrier, painted from arrays."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName("Spine: the band we work in")
        self.threats: tuple[int, ...] = ()
        self.switch = BandSwitch(session, self)
        self.switch.changed.connect(self._place)
        session.acted.connect(self.update)

    def show_threats(self, threats: tuple[int, ...]) -> None:
        """Thin lines at the products [Hz] that threaten what is selected."""
        self.threats = threats
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._place()

    def _place(self) -> None:
        """The axis beside the names of the bands, where there are several."""
        self.switch.setGeometry(0, 2, SWITCH_W, self.height() - 4)
        left = SWITCH_W + 8 if self.switch.several else 14
        self._axis.place(left, self.width() - left - 14)
        self.update()

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = self._session.theme
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("side"))
        painter.setPen(theme.color("line"))
        painter.drawLine(0, 0, self.width(), 0)
        place = ground.here(self._session.store, self._session.scope)
        painter.setClipRect(QRectF(self._axis.left, 1, self._axis.width, self.height()))
        self._paint_raster(painter)
        self._paint_silhouette(painter)
        self._paint_permitted(painter, place)
        self._paint_threats(painter)
        self._paint_wideband(painter)
        self._paint_carriers(painter)

    @property
    def _floor(self) -> float:
        return self.height() - _RASTER - _MHZ - 4

    def _paint_silhouette(self, painter: QPainter) -> None:
        merged = self._session.picture.merged(*self._session.view.hz)
        if merged is None:
            return
        low, high = self._session.view.hz
        share, level = silhouette(merged.freq_hz, merged.level_dbm, low, high, int(self._axis.width))
        if not len(share):
            return
        bottom, top = _LEVELS_DBM
        height = (level.clip(bottom, top) - bottom) / (top - bottom) * (self._floor - 30)
        x = self._axis.left + share * self._axis.width
        shape = polygon(np.r_[x[:1], x, x[-1:]], np.r_[self._floor, self._floor - height, self._floor])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._session.theme.color("silhouette"))
        painter.drawPolygon(shape)

    def _paint_raster(self, painter: QPainter) -> None:
        theme = self._session.theme
        picture = self._session.picture
        painter.setFont(look.font(look.SMALL_PX))
        hatch = QBrush(theme.color("slate", 70), Qt.BrushStyle.BDiagPattern)
        for decision in picture.cells("voice"):
            channel = decision.reading.channel
            left, right = self._axis.x(channel.low_hz), self._axis.x(channel.high_hz)
            if right < self._axis.left or left > self._axis.left + self._axis.width:
                continue
            if decision.reading.occupancy == "taken":
                painter.fillRect(QRectF(left, 4, right - left, self._floor - 4), hatch)
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(left, self._floor, left, self._floor + _RASTER + 2))
            if right - left > 18:
                painter.setPen(theme.color("dim"))
                box = QRectF(left, self._floor + 4, right - left, _RASTER - 3)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, channel.name)

        painter.setPen(theme.color("dim"))
        axis = self._axis
        paint_mhz(painter, axis.left, axis.width, self._session.view.hz, self.height() - _MHZ, _MHZ - 1)

    def _paint_permitted(self, painter: QPainter, place: ground.Place) -> None:
        low, high = (int(edge) for edge in self._session.view.hz)
        acts = kit.acts(self._session.store, self._session.scope)
        for a, b, rule in permission.permitted(place.region, low, high, place.permits, acts):
            box = QRectF(self._axis.x(a), self._floor, self._axis.x(b) - self._axis.x(a), 4)
            if rule is not None and rule.kind == "permitted":
                painter.fillRect(box, self._session.theme.color("accent"))
            elif rule is not None:
                painter.fillRect(box, QBrush(self._session.theme.color("brick"), Qt.BrushStyle.Dense5Pattern))

    def _paint_threats(self, painter: QPainter) -> None:
        painter.setPen(QPen(self._session.theme.color("brick"), 1, Qt.PenStyle.DashLine))
        for freq in self.threats:
            painter.drawLine(QLineF(self._axis.x(freq), 4, self._axis.x(freq), self._floor))

    def _paint_wideband(self, painter: QPainter) -> None:
        """Carriers that fill a channel, over their whole width."""
        store, scope, color = self._session.store, self._session.scope, self._session.theme.color("petrol")
        for carrier in wide_places.carriers(store, scope):
            span = wide_places.span_hz(store, scope, carrier)
            if span is None:
                continue
            left, right = (self._axis.x(edge) for edge in span)
            painter.fillRect(QRectF(left, 6, right - left, self._floor - 6),
                             self._session.theme.color("petrol", 36))  # fmt: skip
            paint_banner(painter, QRectF(left, self._floor - 34, right - left, 14), color, carrier.spare)

    def _carriers(self) -> list[tuple[float, Verdict]]:
        placed = [(self._axis.x(v.freq_hz), v) for v in self._session.shown.verdicts
                  if v.freq_hz is not None and self._session.view.holds(v.link)]  # fmt: skip
        return sorted(placed, key=lambda item: item[0])

    def _rows(self, carriers: list[tuple[float, Verdict]]) -> list[float]:
        return [6.0 + 13 * r for r in stacked([x for x, _ in carriers], PENNANT_W + 1, _ROWS)]

    def _paint_carriers(self, painter: QPainter) -> None:
        theme = self._session.theme
        chosen = self._session.link_id
        for carrier in self._session.shown.input.request.carriers:
            x = self._axis.x(carrier.freq_hz)
            painter.setPen(QPen(theme.color("slate"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QLineF(x, self._floor - 34, x, self._floor))
            paint_pennant(painter, QPointF(x, self._floor - 34), "", theme.color("slate"), hatched=True)
        carriers = self._carriers()
        rows = self._rows(carriers)
        first, last = self._axis.left - 2 * PENNANT_W, self._axis.left + self._axis.width
        for (x, verdict), y in zip(carriers, rows, strict=True):
            if not first <= x <= last:
                continue
            color = service_color(theme, verdict.link.service)
            if verdict.state == "broken":
                color = theme.color("brick")
            here = verdict.id == chosen
            painter.setOpacity(1.0 if self._session.is_on(verdict.link) else NOT_ON)
            painter.setPen(QPen(color, 2 if here else 1))
            painter.drawLine(QLineF(x, y, x, self._floor))
            paint_pennant(painter, QPointF(x, y), verdict.link.service, color, outlined=verdict.link.spare)
        painter.setOpacity(1.0)
        for (x, verdict), y in zip(carriers, rows, strict=True):
            if verdict.id == chosen:
                self._paint_label(painter, x, y, verdict)

    def _paint_label(self, painter: QPainter, x: float, y: float, verdict: Verdict) -> None:
        theme = self._session.theme
        painter.setFont(look.font(12, bold=True))
        name = self._session.shown.input.name(verdict.id)
        name = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, _LABEL_W)
        text = f"{name}  {mhz(verdict.freq_hz or 0)}"
        width = painter.fontMetrics().horizontalAdvance(text) + 10
        left = min(x + PENNANT_W + 4, self._axis.left + self._axis.width - width)
        box = QRectF(left, y - 3, width, 17)
        painter.fillRect(box, theme.color("chosen"))
        painter.setPen(theme.color("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    # -- mouse ---------------------------------------------------------------------------------------

    def link_at(self, at: QPointF) -> str | None:
        """Id of the link whose pennant or pole is at a point."""
        carriers = self._carriers()
        for (x, verdict), y in zip(carriers, self._rows(carriers), strict=True):
            if x - 2 <= at.x() <= x + PENNANT_W and y <= at.y() <= y + 12:
                return verdict.id
        near = [(abs(x - at.x()), v.id) for x, v in carriers if abs(x - at.x()) < 3]
        return min(near)[1] if near else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        found = self.link_at(event.position())
        if found:
            self._session.select(chosen.Link(found))
        self._axis.press(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if event.buttons():
            self._axis.drag(event)
        elif found := self.link_at(event.position()):
            name, freq = self._session.shown.input.name(found), self._session.shown.frequencies.get(found, 0)
            QToolTip.showText(event.globalPosition().toPoint(), tip(f"{name}  {mhz(freq)} MHz"), self)
        else:
            QToolTip.hideText()
