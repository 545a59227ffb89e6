"""The rope: a link's levels on a walk as a band, A on one side and B on the other, in dB over need. It tells by shape:
thin is weak, half missing one antenna lost, a gap a dropout, hatched strong but disturbed."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.reach.plan_view import PlanView
from azven.desk.session import Session
from azven.rf.levels import Floats
from azven.work.prove.walks import Told

_FULL_DB, _HALF_PX, _PLAN_PX = 40.0, 44.0, 11.0
_SIDE_W, _FOOT_H = 54.0, 20.0


def over(told: Told) -> tuple[Floats, Floats]:
    """A and B over need (n,) [dB], 0 where it is lost or not told."""
    limit = told.need.level_dbm
    a, b = told.readings.a - limit, told.readings.b - limit
    return np.nan_to_num(np.clip(a, 0, _FULL_DB)), np.nan_to_num(np.clip(b, 0, _FULL_DB))


class RopeGraph(QWidget):
    """A walk rolled out: seconds to the right, A upwards, B downwards; dashed what Reach reckons."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._told: Told | None = None
        self._marks: tuple[tuple[Any, ...], ...] = ()
        self._reckoned: Floats | None = None
        self._earlier: Floats | None = None
        self.setAccessibleName("The walk rolled out: antenna A upwards, B downwards, in dB over need")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(500, int(2 * _HALF_PX + _FOOT_H + 16))

    def show_walk(
        self, told: Told | None, marks: object, reckoned: Floats | None, earlier: Floats | None = None
    ) -> None:  # fmt: skip
        """A walk with what Reach reckons and what an earlier walk had at its places, both over need (n,) [dB]."""
        self._told, self._reckoned, self._earlier = told, reckoned, earlier
        self._marks = tuple(marks)  # type: ignore[arg-type]
        self.update()

    def _x(self, t: float) -> float:
        assert self._told is not None
        end = max(float(self._told.readings.at_s[-1]), 1.0)
        return _SIDE_W + t / end * (self.width() - _SIDE_W - 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        font = painter.font()
        font.setPixelSize(look.SMALL_PX)
        painter.setFont(font)
        middle = 8 + _HALF_PX
        told = self._told
        if told is None or not len(told.readings.at_s):
            painter.setPen(theme.color("dim"))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), "no walk of this link yet")
            return
        for level in (0, 20, 40):
            for sign in (1, -1) if level else (1,):
                y = middle - sign * level / _FULL_DB * _HALF_PX
                painter.setPen(theme.color("line"))
                painter.drawLine(QLineF(_SIDE_W, y, self.width() - 8, y))
                painter.setPen(theme.color("dim"))
                painter.drawText(QRectF(0, y - 7, _SIDE_W - 6, 14), int(Qt.AlignmentFlag.AlignRight), f"{level} dB")
        self._paint_band(painter, told, middle)
        self._paint_line(painter, middle, self._reckoned, QPen(theme.color("ink"), 1, Qt.PenStyle.DashLine))
        self._paint_line(painter, middle, self._earlier, QPen(theme.color("brick_text"), 1.4, Qt.PenStyle.DotLine))
        self._paint_foot(painter, told, middle + _HALF_PX + 4)

    def _paint_band(self, painter: QPainter, told: Told, middle: float) -> None:
        theme = self._session.theme
        painter.setPen(Qt.PenStyle.NoPen)
        x = np.array([self._x(float(t)) for t in told.readings.at_s])
        for levels, role, sign in zip(over(told), ("petrol", "plum"), (-1, 1), strict=True):
            top = [QPointF(a, middle + sign * b / _FULL_DB * _HALF_PX) for a, b in zip(x, levels, strict=True)]
            painter.setBrush(QBrush(theme.color(role)))
            painter.drawPolygon(QPolygonF([QPointF(x[0], middle), *top, QPointF(x[-1], middle)]))
        for lost in told.dropouts:
            left, right = self._x(lost.from_s), self._x(max(lost.to_s, lost.from_s + 0.2))
            box = QRectF(left, middle - _HALF_PX, max(right - left, 2.0), 2 * _HALF_PX)
            pattern = Qt.BrushStyle.BDiagPattern if lost.sort == "interference" else Qt.BrushStyle.NoBrush
            painter.fillRect(box, QBrush(theme.color("ochre"), pattern) if pattern else QBrush(theme.color("ground")))
            painter.setPen(QPen(theme.color("brick"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box)
            painter.setPen(Qt.PenStyle.NoPen)

    def _paint_line(self, painter: QPainter, middle: float, levels: Floats | None, pen: QPen) -> None:
        """Levels over need (n,) [dB] along the walk; where they are not known the line is broken."""
        if self._told is None or levels is None:
            return
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        known = np.isfinite(levels)
        edges = np.flatnonzero(np.diff(np.r_[False, known, False].astype(np.int8))).reshape(-1, 2)
        for first, end in edges.tolist():
            points = [
                QPointF(self._x(float(t)), middle - float(np.clip(v, 0, _FULL_DB)) / _FULL_DB * _HALF_PX)
                for t, v in zip(self._told.readings.at_s[first:end], levels[first:end], strict=True)
            ]
            painter.drawPolyline(QPolygonF(points))

    def _paint_foot(self, painter: QPainter, told: Told, y: float) -> None:
        theme = self._session.theme
        for t, _, _, letter, *_ in self._marks:
            x = self._x(min(float(t), float(told.readings.at_s[-1])))
            painter.setPen(theme.color("ink"))
            painter.drawLine(QLineF(x, y, x, y + 4))
            painter.drawText(QRectF(x - 20, y + 4, 40, 14), int(Qt.AlignmentFlag.AlignCenter), letter)
        painter.setPen(theme.color("brick_text"))
        for k, lost in enumerate(told.dropouts[:30], start=1):
            x = self._x(lost.from_s)
            painter.drawText(QRectF(x - 20, y + 4, 40, 14), int(Qt.AlignmentFlag.AlignCenter), str(k))
        painter.setPen(theme.color("dim"))
        for name, level in (("A", y - 4 - 2 * _HALF_PX + 6), ("B", y - 14)):
            painter.drawText(QRectF(0, level, 20, 14), int(Qt.AlignmentFlag.AlignLeft), name)


class RopePlan(PlanView):
    """The room with the rope laid along the way, letters for places that were told, numbers for dropouts."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.picking = False
        self._told: Told | None = None
        self._marks: tuple[tuple[Any, ...], ...] = ()
        self._letters: tuple[tuple[str, float, float], ...] = ()

    def _shades(self, theme: look.Theme) -> list[tuple[QColor | None, str]]:
        return []  # there is no map under the rope

    def show_rope(self, told: Told | None, marks: object, letters: Sequence[tuple[str, float, float]] = ()) -> None:
        """The rope with its marks; `letters` stand where a walker may say them."""
        self._told, self._marks, self._letters = told, tuple(marks), tuple(letters)  # type: ignore[arg-type]
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.room is None:
            return
        painter, theme = QPainter(self), self._session.theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._told is not None and np.isfinite(self._told.place_m).any():
            self._paint_rope(painter, self._told)
        font = painter.font()
        font.setPixelSize(look.SMALL_PX)
        painter.setFont(font)
        for letter, x, y in self._letters:
            self._paint_sign(painter, self.pixel(x, y), letter, "dim")
        for _, x, y, letter, *heard in self._marks:
            self._paint_sign(painter, self.pixel(x, y), letter, "ink")
            if heard and heard[0]:
                at = self.pixel(x, y) + QPointF(11, 5)
                painter.drawText(at, heard[0])
        if self._told is not None:
            for k, lost in enumerate(self._told.dropouts[:30], start=1):
                i = int(np.argmin(np.abs(self._told.readings.at_s - lost.from_s)))
                place = self._told.place_m[i]
                if np.isfinite(place).all():
                    at = self.pixel(float(place[0]), float(place[1])) + QPointF(0, -16)
                    self._paint_sign(painter, at, str(k), "brick_text")
        painter.setPen(theme.color("dim"))

    def _paint_rope(self, painter: QPainter, told: Told) -> None:
        theme = self._session.theme
        points = [self.pixel(float(x), float(y)) for x, y in told.place_m]
        a, b = over(told)
        for levels, role, sign in ((a, "petrol", -1.0), (b, "plum", 1.0)):
            painter.setPen(QPen(theme.color(role), 1))
            for i in range(1, len(points)):
                way = points[i] - points[i - 1]
                length = max((way.x() ** 2 + way.y() ** 2) ** 0.5, 1e-6)
                if length < 1e-3:
                    continue
                side = QPointF(-way.y(), way.x()) * (-sign / length) * (levels[i] / _FULL_DB * _PLAN_PX)
                painter.drawLine(QLineF(points[i], points[i] + side))
        painter.setPen(QPen(theme.color("field"), 1))
        painter.drawPolyline(QPolygonF(points))

    def _paint_sign(self, painter: QPainter, at: QPointF, text: str, role: str) -> None:
        theme = self._session.theme
        painter.setPen(QPen(theme.color(role), 1.2))
        painter.setBrush(QBrush(theme.color("field")))
        painter.drawEllipse(at, 8, 8)
        painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), int(Qt.AlignmentFlag.AlignCenter), text)
