"""The room with where people are: the chosen ones' ways with numbers at their corners, everybody else as a dot."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF

from azven.desk import theme as look
from azven.desk.reach.plan_view import PlanView
from azven.desk.session import Session
from azven.work.rehearse.staging import Placed

_R, _DOT = 8.0, 3.5


class StagingPlan(PlanView):
    """A click says a place."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.picking = False
        self._placed: Sequence[Placed] = ()
        self._chosen: frozenset[int] = frozenset()
        self.setAccessibleName("Room plan with where people are")

    def _shades(self, theme: look.Theme) -> list[tuple[QColor | None, str]]:
        return []  # there is no map under the people

    def show_people(self, placed: Sequence[Placed], chosen: frozenset[int]) -> None:
        """Links with their ways; those in `chosen`, by number, stand out."""
        self._placed, self._chosen = placed, chosen
        self.update()

    def _label(self, painter: QPainter, at: QPointF, text: str) -> None:
        """Antennas are known from Reach: here only people have names."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.room is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(look.SMALL_PX))
        theme = self._session.theme
        there = [p for p in self._placed if p.said is not None and p.said.corners]
        chosen = [p for p in there if p.id in self._chosen]
        for item in (p for p in there if p.id not in self._chosen):
            self._paint_way(painter, self._points(item), QPen(theme.color("dim"), 1, Qt.PenStyle.DotLine))
        for item in chosen:
            self._paint_way(painter, self._points(item), QPen(theme.color("petrol"), 2))
            self._number(painter, self._points(item))
        taken: list[QRectF] = []
        for item in (*chosen, *there):
            self._name(painter, item, taken)

    def _points(self, item: Placed) -> list[QPointF]:
        return [self.pixel(x, y) for x, y in item.said.corners] if item.said is not None else []

    def _paint_way(self, painter: QPainter, points: list[QPointF], pen: QPen) -> None:
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(pen.color())
        painter.drawEllipse(points[0], _DOT, _DOT)

    def _number(self, painter: QPainter, points: list[QPointF]) -> None:
        """Corners in the order in which they are walked."""
        theme = self._session.theme
        for k, at in enumerate(points, start=1):
            painter.setPen(QPen(theme.color("petrol"), 2))
            painter.setBrush(theme.color("field"))
            painter.drawEllipse(at, _R, _R)
            painter.setPen(theme.color("ink"))
            box = QRectF(at.x() - _R, at.y() - _R, 2 * _R, 2 * _R)
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), str(k))

    def _name(self, painter: QPainter, item: Placed, taken: list[QRectF]) -> None:
        """Beside the first corner, where there is room for it yet: the chosen ones come first."""
        chosen = item.id in self._chosen
        name, metrics = item.wearer or item.link.name, painter.fontMetrics()
        at = self._points(item)[0] + QPointF(_R + 3, 0)
        box = QRectF(at.x(), at.y() - metrics.height() / 2, metrics.horizontalAdvance(name), metrics.height())
        if any(box.intersects(other) for other in taken):
            return
        taken.append(box)
        painter.setPen(self._session.theme.color("ink" if chosen else "dim"))
        painter.drawText(box, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), name)
