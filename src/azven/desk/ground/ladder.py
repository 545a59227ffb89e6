"""The permission ladder: a rung per permitted or reserved range, the raster under it, neighbours as marks."""

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QFontMetrics, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from azven.book.records import Neighbour
from azven.book.regions import Rule, Territory
from azven.desk import theme as look
from azven.desk.axis import paint_mhz
from azven.desk.session import Session
from azven.desk.stage import tip
from azven.rf import bands
from azven.work import chosen, ground
from azven.work.wording import mhz, one_line

_ROW, _LEFT, _TOP = 24, 14, 6
_NAMES_SHARE = 0.8
"""Rungs of a shared band fill it: so much of its width is kept free beside them for their names."""
_RASTER, _MHZ, _LABEL, _LABEL_ROWS, _LABEL_W = 16, 15, 15, 3, 150
"""Heights of the rows under the rungs; names of neighbours stand in up to three of them, so wide [px] at most."""

_NO_REGION = "Choose a region above: its rules make the ladder."
_KIND_ROLE = {"neighbour": "slate", "avoid": "brick", "ours": "accent"}
_KIND_LINE = {"neighbour": Qt.PenStyle.DotLine, "avoid": Qt.PenStyle.DashLine, "ours": Qt.PenStyle.SolidLine}
"""A neighbour's line is dotted, one to be avoided dashed, one of ours solid."""


class Ladder(QWidget):
    """All ranges of the region, low to high from top to bottom, each where it lies in frequency."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setAccessibleName("Permission ladder")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._session = session
        self._neighbours: list[Neighbour] = []
        for signal in (session.edited, session.selected, session.themed, session.view.changed):
            signal.connect(self._refresh)
        self._refresh()

    def _refresh(self) -> None:
        region = self._region()
        self._neighbours = ground.neighbours(self._session.store, self._session.scope)
        rows = _LABEL_ROWS if self._neighbours else 0
        below = (_RASTER if region else 0) + _MHZ + rows * _LABEL + 6
        self.setMinimumHeight(_TOP + below + _ROW * (len(self._rules(region)) if region else 1))
        self.update()

    def _region(self) -> Territory | None:
        return ground.here(self._session.store, self._session.scope).region

    def _rules(self, region: Territory) -> list[tuple[int, Rule]]:
        """Rules with their numbers: those of the shared band in view, else of all other bands; together there would be
        no room to see any."""
        band = self._session.view.band
        numbered = list(enumerate(region.rules))
        if band.shared:
            here = [(i, r) for i, r in numbered if bands.of_range(r.low_hz, r.high_hz) is band]
        else:
            here = [(i, r) for i, r in numbered if not bands.of_range(r.low_hz, r.high_hz).shared]
        return here or numbered

    def _span(self, region: Territory) -> tuple[float, float]:
        """The whole of the rules of the bands in view."""
        shown = [rule for _, rule in self._rules(region)]
        low, high = min(r.low_hz for r in shown), max(r.high_hz for r in shown)
        beside = _NAMES_SHARE if self._session.view.band.shared else 0.01
        return low - beside * (high - low), high + 0.01 * (high - low)

    def _x(self, freq: float, span: tuple[float, float]) -> float:
        return _LEFT + (freq - span[0]) / (span[1] - span[0]) * (self.width() - 2 * _LEFT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        region = self._region()
        span = self._span(region) if region is not None else self._session.view.whole()
        foot = self._foot(region)
        if region is None:
            painter.setPen(theme.color("dim"))
            painter.drawText(QRectF(_LEFT, _TOP, self.width(), _ROW), 0, _NO_REGION)
        else:
            self._paint_raster(painter, region, span)
        self._paint_neighbours(painter, span, foot)
        for row, (i, rule) in enumerate(self._rules(region) if region is not None else ()):
            self._paint_rung(painter, row, i, rule, span)
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        top = foot + (_RASTER if region is not None else 0)
        paint_mhz(painter, _LEFT, self.width() - 2 * _LEFT, span, top, _MHZ)

    def _foot(self, region: Territory | None) -> float:
        """Where the rungs end and the rows of figures begin."""
        return _TOP + _ROW * (len(self._rules(region)) if region is not None else 1) + 2

    def _paint_raster(self, painter: QPainter, region: Territory, span: tuple[float, float]) -> None:
        theme = self._session.theme
        painter.setFont(look.font(look.SMALL_PX))
        bottom = self._foot(region)
        last_label = -100.0
        for channel in region.channels:
            left, right = self._x(channel.low_hz, span), self._x(channel.high_hz, span)
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(left, _TOP, left, bottom))
            if (left + right) / 2 - last_label > 24:
                last_label = (left + right) / 2
                painter.setPen(theme.color("dim"))
                box = QRectF(last_label - 14, bottom, 28, _RASTER)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, channel.name)

    def _paint_rung(self, painter: QPainter, row: int, i: int, rule: Rule, span: tuple[float, float]) -> None:
        theme = self._session.theme
        left, right = self._x(rule.low_hz, span), self._x(rule.high_hz, span)
        y = _TOP + row * _ROW
        if self._session.selection == chosen.Rule(i):
            painter.fillRect(QRectF(0, y, self.width(), _ROW), theme.color("chosen"))
        rung = QRectF(left, y + 7, max(right - left, 3), 10)
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
        else:
            taken = min(wide, box.width())
            left = box.left() - 3 if side == Qt.AlignmentFlag.AlignLeft else box.right() - taken + 5
            painter.fillRect(QRectF(left, y + 4, taken, _ROW - 8), theme.color("ground"))
        painter.setPen(theme.color("ink"))
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, shown)

    def _labels(self, span: tuple[float, float], metrics: QFontMetrics) -> list[tuple[Neighbour, float, QRectF, str]]:
        """Neighbours in order of frequency: where each stands, where its name is written, and what of it fits."""
        placed = sorted(((self._x(n.freq_hz, span), n) for n in self._neighbours), key=lambda p: p[0])
        shown = [(x, n) for x, n in placed if 0 <= x <= self.width()]
        texts = [metrics.elidedText(f"{one_line(n.name)} {mhz(n.freq_hz)}", Qt.TextElideMode.ElideMiddle, _LABEL_W)
                 for _, n in shown]  # fmt: skip
        top = self._foot(self._region()) + (_RASTER if self._region() is not None else 0) + _MHZ + 2
        ends = [-1e9] * _LABEL_ROWS
        out = []
        for (x, n), text in zip(shown, texts, strict=True):
            wide = metrics.horizontalAdvance(text) + 14
            left = min(x - 1, self.width() - wide - 2)
            free = next((r for r in range(_LABEL_ROWS) if ends[r] < left), None)
            if free is None:
                out.append((n, x, QRectF(), ""))
            else:
                ends[free] = left + wide + 4
                out.append((n, x, QRectF(left, top + free * _LABEL, wide, _LABEL), text))
        return out

    def _paint_neighbours(self, painter: QPainter, span: tuple[float, float], foot: float) -> None:
        """Each with its own line down to its own name; the one that is selected stands out."""
        theme = self._session.theme
        painter.setFont(look.font(look.SMALL_PX))
        for n, x, box, text in self._labels(span, painter.fontMetrics()):
            here = self._session.selection == chosen.Neighbour(n.id)
            color = theme.color("accent" if here else _KIND_ROLE.get(n.kind, "slate"))
            style = Qt.PenStyle.SolidLine if here else _KIND_LINE.get(n.kind, Qt.PenStyle.DotLine)
            painter.setPen(QPen(color, 2 if here else 1, style))
            painter.drawLine(QLineF(x, _TOP, x, box.bottom() - 3 if text else foot))
            if text:
                painter.fillRect(box.adjusted(0, 1, 0, -1), theme.color("chosen" if here else "ground"))
                painter.fillRect(QRectF(box.left(), box.top() + 2, 3, box.height() - 4), color)
                painter.setPen(theme.color("ink"))
                painter.drawText(box.adjusted(8, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def neighbour_at(self, at: QPointF) -> Neighbour | None:
        """The neighbour whose name or line is at a point."""
        region = self._region()
        span = self._span(region) if region is not None else self._session.view.whole()
        labels = self._labels(span, QFontMetrics(look.font(look.SMALL_PX)))
        named = next((n for n, _, box, _ in labels if box.contains(at)), None)
        near = min(labels, key=lambda entry: abs(entry[1] - at.x()), default=None)
        return named or (near[0] if near is not None and abs(near[1] - at.x()) < 4 else None)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        found = self.neighbour_at(event.position()) if event is not None else None
        self.setToolTip(tip(f"{found.name}  {mhz(found.freq_hz)} MHz, {found.kind}") if found is not None else "")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        region = self._region()
        if event is None:
            return
        if (found := self.neighbour_at(event.position())) is not None:
            self._session.select(chosen.Neighbour(found.id))
        elif region is not None:
            at = int((event.position().y() - _TOP) // _ROW)
            shown = self._rules(region)
            if 0 <= at < len(shown):
                self._session.select(chosen.Rule(shown[at][0]))
