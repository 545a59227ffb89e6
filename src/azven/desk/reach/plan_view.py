"""The room to scale: walls, stage, audience, antennas, and a map of what they hear."""

import math

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QTransform
from PyQt6.QtWidgets import QWidget

from azven.book.records import Antenna
from azven.desk import theme as look
from azven.desk.session import Session
from azven.rf.links import WALL_DB
from azven.rf.reach import SERVED_OUTAGE, Coverage
from azven.work import reach
from azven.work.reach import Room
from azven.work.reach.backdrop import Known, place
from azven.work.wording import one_line

_EDGE, _HIT, _FAINT, _GLYPH = 26, 11, 0.4, 24
MAPS = ("margin", "which antenna carries", "dropout risk")
_ROLES = ("petrol", "plum", "slate", "ochre")
_SHADE_DB, _MOST_DB, _DECADES = 10, 60, 6
"""Margin in shades of 10 dB up to 60; dropout in decades down to a millionth."""
_FAINTEST, _DEEPENED, _NAMED = 0.06, 0.5, 6


def _between(a: QColor, b: QColor, share: float) -> QColor:
    """A colour on the way from one to another."""
    parts = ((a.red(), b.red()), (a.green(), b.green()), (a.blue(), b.blue()))
    return QColor(*(round(x + share * (y - x)) for x, y in parts))


class PlanView(QWidget):
    """Painted in metres; clicks and drags come out as metres too."""

    antenna_picked = pyqtSignal(int)
    antenna_moved = pyqtSignal(int, float, float)
    pointed = pyqtSignal(float, float)
    drawn = pyqtSignal(float, float, float, float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.room: Room | None = None
        self.coverage: Coverage | None = None
        self.map = MAPS[0]
        self.walk: list[tuple[float, float]] = []
        self.selected = 0
        self.drawing = ""
        """What a drag draws: `line`, `box`, or nothing."""
        self.picking = True
        """Whether a click on an antenna picks it."""
        self.backdrop: tuple[QImage, tuple[Known, ...]] | None = None
        self._drag: tuple[float, float] | None = None
        self._at: tuple[float, float] | None = None
        self.setMinimumHeight(150)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Room plan")
        session.themed.connect(self.update)

    def show_room(self, room: Room, coverage: Coverage | None, walk: list[tuple[float, float]]) -> None:
        self.room, self.coverage, self.walk = room, coverage, walk
        self.update()

    # -- metres and pixels -----------------------------------------------------------------------------

    def _scale(self) -> tuple[float, float, float]:
        """Pixels per metre, and where the corner of the room with the lowest x and y is drawn."""
        assert self.room is not None
        wide, deep = (max(h - lo, 1.0) for lo, h in zip(self.room.low, self.room.high, strict=True))
        # long rooms lie along the screen, seen from above: y of the room runs to the right, x downwards
        k = min((self.width() - 2 * _EDGE) / deep, (self.height() - 2 * _EDGE) / wide)
        return k, (self.width() - k * deep) / 2, (self.height() - k * wide) / 2

    def pixel(self, x: float, y: float) -> QPointF:
        k, left, top = self._scale()
        assert self.room is not None
        return QPointF(left + (y - self.room.low[1]) * k, top + (x - self.room.low[0]) * k)

    def metres(self, at: QPointF) -> tuple[float, float]:
        k, left, top = self._scale()
        assert self.room is not None
        return (at.y() - top) / k + self.room.low[0], (at.x() - left) / k + self.room.low[1]

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        if self.room is None:
            return
        painter.setFont(look.font(look.SMALL_PX))
        if self.coverage is not None:
            self._paint_map(painter, theme, self.coverage)
        if self.backdrop is not None:
            self._paint_backdrop(painter, *self.backdrop)
        self._paint_shapes(painter, theme)
        self._paint_scale(painter, theme)
        hearing = [a.id for a in reach.receive(self.room)]
        for antenna in self.room.antennas:
            i = hearing.index(antenna.id) if antenna.id in hearing else 0
            self._paint_antenna(painter, theme, i, antenna)
        if self.drawing and self._drag and self._at:
            painter.setPen(QPen(theme.color("brick"), 2, Qt.PenStyle.DashLine))
            start, end = self.pixel(*self._drag), self.pixel(*self._at)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if self.drawing == "box":
                painter.drawRect(QRectF(start, end).normalized())
            else:
                painter.drawLine(start, end)

    def _paint_map(self, painter: QPainter, theme: look.Theme, found: Coverage) -> None:
        """Cells between ground and a hue; where a place is not served, brick shows through."""
        ny, nx = found.margin_db.shape
        ground, good, bad = (np.array(theme.color(r).getRgb()[:3], float) for r in ("ground", "petrol", "brick"))
        if self.map == MAPS[1]:
            hues = np.array([theme.color(_ROLES[i % 4]).getRgb()[:3] for i in range(len(found.levels_dbm))], float)
            pixels = ground + 0.4 * (hues[found.best] - ground)
        else:
            if self.map == MAPS[0]:
                share = np.floor(np.clip(found.margin_db, 0, _MOST_DB - 1) / _SHADE_DB) * _SHADE_DB / _MOST_DB
            else:
                share = np.clip(-np.log10(np.maximum(found.outage, 10.0**-_DECADES)) / _DECADES, 0, 1)
            pixels = ground + (_FAINTEST + _DEEPENED * share[..., None]) * (good - ground)
            poor = (found.outage > SERVED_OUTAGE)[..., None]
            pixels = np.where(poor, ground + 0.5 * (bad - ground), pixels)
        image = np.ascontiguousarray(np.transpose(pixels, (1, 0, 2)), np.uint8)
        picture = QImage(image.tobytes(), ny, nx, 3 * ny, QImage.Format.Format_RGB888).copy()
        assert self.room is not None
        box = QRectF(self.pixel(*self.room.low), self.pixel(*self.room.high))
        painter.drawImage(box, picture)

    def _paint_backdrop(self, painter: QPainter, image: QImage, points: tuple[Known, ...]) -> None:
        """The drawing over the map and under the lines, faint."""
        origin, right, down = (
            self.pixel(*place(points, px, py)) for px, py in ((0, 0), (image.width(), 0), (0, image.height()))
        )
        across, along = (right - origin) / image.width(), (down - origin) / image.height()
        painter.save()
        painter.setOpacity(_FAINT)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setTransform(QTransform(across.x(), across.y(), along.x(), along.y(), origin.x(), origin.y()), True)
        painter.drawImage(QPointF(0, 0), image)
        painter.restore()

    def _paint_shapes(self, painter: QPainter, theme: look.Theme) -> None:
        assert self.room is not None
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for area in self.room.areas:
            painter.setPen(QPen(theme.color("ink"), 1, Qt.PenStyle.DashLine))
            corners = QPolygonF([self.pixel(*p) for p in area.shape])
            painter.drawPolygon(corners)
            low = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom
            painter.drawText(corners.boundingRect().adjusted(4, 0, 0, -3), low, area.name)
        painter.setPen(QPen(theme.color("ink"), 1))
        painter.drawPolygon(QPolygonF([self.pixel(*p) for p in self.room.zone.shape]))
        for wall in self.room.walls:
            loss = WALL_DB.get(wall.material, 6.0) if wall.loss_db is None else wall.loss_db
            start, end = self.pixel(wall.x1_m, wall.y1_m), self.pixel(wall.x2_m, wall.y2_m)
            painter.setPen(QPen(theme.color("ink"), 1 + min(loss / 6, 4)))
            painter.drawLine(start, end)
        painter.setPen(QPen(theme.color("ink"), 1))
        for mount in self.room.mounts:
            at = self.pixel(mount.x_m, mount.y_m)
            painter.drawLine(QLineF(at.x() - 4, at.y() - 4, at.x() + 4, at.y() + 4))
            painter.drawLine(QLineF(at.x() - 4, at.y() + 4, at.x() + 4, at.y() - 4))
            taken = any(math.dist((a.x_m, a.y_m), (mount.x_m, mount.y_m)) < 0.5 for a in self.room.antennas)
            if not taken:
                self._label(painter, at + QPointF(6, -4), mount.name)
        if len(self.walk) > 1:
            painter.setPen(QPen(theme.color("ink"), 1, Qt.PenStyle.DotLine))
            painter.drawPolyline(QPolygonF([self.pixel(*p) for p in self.walk]))

    def _paint_antenna(self, painter: QPainter, theme: look.Theme, i: int, antenna: Antenna) -> None:
        """A wedge in its direction as wide as its beam; a transmitting one with its keep-away circle."""
        at, k = self.pixel(antenna.x_m, antenna.y_m), self._scale()[0]
        chosen = antenna.id == self.selected
        if antenna.role == "transmit":
            painter.setPen(QPen(theme.color("brick"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            radius = max(reach.keep_away(antenna)[0] * k, 4)
            painter.drawEllipse(at, radius, radius)
        painter.setPen(QPen(theme.color("ink"), 2 if chosen else 1))
        role = "brick" if antenna.role == "transmit" else _ROLES[i % 4]
        painter.setBrush(theme.color(role))
        if antenna.kind == "omni":
            painter.drawEllipse(at, 6, 6)
        else:
            half = math.radians(min(antenna.beamwidth_deg, 170) / 2)
            facing = math.radians(antenna.azimuth_deg)
            tip = [
                QPointF(at.x() + _GLYPH * math.cos(facing + d), at.y() + _GLYPH * math.sin(facing + d))
                for d in (-half, 0, half)
            ]
            painter.drawPolygon(QPolygonF([at, *tip]))
        painter.setPen(theme.color("ink"))
        self._label(painter, at + QPointF(_GLYPH + 4, 4), f"{antenna.name}, {antenna.z_m:g} m")

    def _label(self, painter: QPainter, at: QPointF, text: str) -> None:
        """A name beside a point, kept inside the picture."""
        wide = painter.fontMetrics().horizontalAdvance(text)
        painter.drawText(QPointF(min(at.x(), self.width() - wide - 4.0), at.y()), text)

    def _paint_scale(self, painter: QPainter, theme: look.Theme) -> None:
        k = self._scale()[0]
        metres = 10 if k * 10 < 200 else 5
        y = self.height() - 8.0
        painter.setPen(QPen(theme.color("ink"), 1))
        painter.drawLine(QLineF(_EDGE, y, _EDGE + metres * k, y))
        painter.drawText(QPointF(_EDGE, y - 4), f"{metres} m")
        x = _EDGE + metres * k + 18
        for color, text in self._shades(theme):
            if color is not None:
                painter.fillRect(QRectF(x, y - 11, 14, 11), color)
                x += 18
            painter.drawText(QPointF(x, y - 1), text)
            x += painter.fontMetrics().horizontalAdvance(text) + 10

    def _shades(self, theme: look.Theme) -> list[tuple[QColor | None, str]]:
        """What each shade of the map says, in figures."""

        def shade(share: float) -> QColor:
            return _between(theme.color("ground"), theme.color("petrol"), _FAINTEST + _DEEPENED * share)

        poor = _between(theme.color("ground"), theme.color("brick"), 0.5), "dropout over 1 %"
        if self.map == MAPS[1]:
            heard = reach.receive(self.room) if self.room is not None else []
            named = [
                (_between(theme.color("ground"), theme.color(_ROLES[i % 4]), 0.4), one_line(a.name))
                for i, a in enumerate(heard[:_NAMED])
            ]
            return [*named, (None, f"and {len(heard) - _NAMED} more")] if len(heard) > _NAMED else list(named)
        if self.map == MAPS[0]:
            steps = range(0, _MOST_DB, _SHADE_DB)
            last = _MOST_DB - _SHADE_DB
            shades = [(shade(db / _MOST_DB), f"{db}{' and more' if db == last else ''}") for db in steps]
            return [poor, (None, "dB over need:"), *shades]
        return [poor, *((shade(n / _DECADES), f"{100 / 10**n:g} %") for n in range(2, _DECADES + 1))]

    # -- mouse ---------------------------------------------------------------------------------------

    def antenna_at(self, at: QPointF) -> Antenna | None:
        """The antenna under a point."""
        if self.room is None:
            return None
        near = [(self._far(a, at), a) for a in self.room.antennas]
        close = [n for n in near if n[0] <= _HIT]
        return min(close, key=lambda n: n[0])[1] if close else None

    def _far(self, antenna: Antenna, at: QPointF) -> float:
        here = self.pixel(antenna.x_m, antenna.y_m)
        return math.hypot(here.x() - at.x(), here.y() - at.y())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.room is None:
            return
        found = self.antenna_at(event.position()) if self.picking and not self.drawing else None
        self._drag = self.metres(event.position())
        if found is not None:
            self.selected = found.id
            self.antenna_picked.emit(found.id)
            self.update()
        elif not self.drawing:
            self._drag = None
            self.pointed.emit(*self.metres(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.room is not None:
            self._at = self.metres(event.position())
            if self._drag is not None:
                self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.room is None or self._drag is None:
            return
        start, end = self._drag, self.metres(event.position())
        self._drag = None
        if self.drawing:
            self.drawn.emit(*start, *end)
        elif math.dist(start, end) > 0.2 and self.selected:
            self.antenna_moved.emit(self.selected, *end)
