"""The site's plan with the places of an intercom: where transceivers go, where cables are too long."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from azven.book.records import Wall, Zone
from azven.desk import theme as look
from azven.desk.kit import columns as typed
from azven.desk.kit.columns import Columns
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.work.kit import intercom_book
from azven.work.kit.intercom import Cable, Sized
from azven.work.wording import one_line

_EDGE, _MARK, _LABEL_W = 14.0, 9.0, 150
KEY = "filled: transceiver · crossed: cable too long · ring: base"


class IntercomPlan(QWidget):
    """Rooms that are to be covered, walls, and every mounting place."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._found: Sized | None = None
        self._zones: Sequence[Zone] = ()
        self._walls: Sequence[Wall] = ()
        self.setMinimumHeight(150)
        self.setAccessibleName("Plan of the intercom")
        self.setToolTip(KEY)
        session.themed.connect(self.update)

    def show_sized(self, found: Sized, zones: Sequence[Zone]) -> None:
        self._found, self._zones = found, zones
        self._walls = [w for z in zones[:1] for w in self._session.store.all(Wall, site_id=z.site_id)]
        self.update()

    def _scale(self, found: Sized) -> tuple[float, float, float, float]:
        """Pixels a metre, and where the plan's origin comes to lie."""
        spots = [p for z in self._zones for p in z.shape] + [(c.mount.x_m, c.mount.y_m) for c in found.cables]
        xs, ys = [x for x, _ in spots] or [0.0], [y for _, y in spots] or [0.0]
        wide, high = max(max(xs) - min(xs), 1.0), max(max(ys) - min(ys), 1.0)
        each = min((self.width() - 2 * _EDGE) / wide, (self.height() - 2 * _EDGE - 16) / high)
        left = (self.width() - each * wide) / 2 - each * min(xs)
        return each, left, _EDGE - each * min(ys), high

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, found = QPainter(self), self._session.theme, self._found
        painter.fillRect(self.rect(), theme.color("field"))
        if found is None or not self._zones:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        each, left, top, _ = self._scale(found)

        def at(x: float, y: float) -> QPointF:
            return QPointF(left + each * x, top + each * y)

        painter.setFont(look.font(look.SMALL_PX))
        for zone in self._zones:
            chosen = zone.id in found.asked.rooms
            shape = QPolygonF([at(x, y) for x, y in zone.shape])
            painter.setPen(QPen(theme.color("ink" if chosen else "dim"), 1.4 if chosen else 0.8))
            painter.setBrush(theme.color("petrol", 28) if chosen else Qt.BrushStyle.NoBrush)
            painter.drawPolygon(shape)
            painter.setPen(theme.color("ink" if chosen else "dim"))
            box = shape.boundingRect().adjusted(4, 2, -4, -2)
            name = painter.fontMetrics().elidedText(one_line(zone.name), Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, name)
        painter.setPen(QPen(theme.color("slate"), 2))
        for wall in self._walls:
            painter.drawLine(at(wall.x1_m, wall.y1_m), at(wall.x2_m, wall.y2_m))
        for cable in found.cables:
            self._paint_place(painter, at(cable.mount.x_m, cable.mount.y_m), cable, found.asked.base)
        painter.setPen(theme.color("dim"))
        painter.drawText(QRectF(6, self.height() - 17, self.width() - 12, 15), Qt.AlignmentFlag.AlignLeft, KEY)

    def _paint_place(self, painter: QPainter, at: QPointF, cable: Cable, base: int) -> None:
        theme = self._session.theme
        color = theme.color("petrol" if cable.used else "brick" if cable.too_long else "dim")
        box = QRectF(at.x() - _MARK / 2, at.y() - _MARK / 2, _MARK, _MARK)
        painter.setPen(QPen(color, 1.4))
        painter.setBrush(color if cable.used else Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        if cable.too_long:
            painter.drawLine(box.topLeft(), box.bottomRight())
            painter.drawLine(box.topRight(), box.bottomLeft())
        if cable.mount.id == base:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("ink"), 1.4))
            painter.drawEllipse(box.adjusted(-5, -5, 5, 5))
        if cable.used:
            painter.setPen(theme.color("ink"))
            name = painter.fontMetrics().elidedText(one_line(cable.mount.name), Qt.TextElideMode.ElideRight, _LABEL_W)
            painter.drawText(QPointF(at.x() + _MARK, at.y() - 4), name)


class GroupColumns(Columns):
    """The columns of talk groups."""

    def all(self) -> list[Column]:
        return [
            self.field("Talk group", 130, "name", typed.name, lambda g: g.name, many=False),
            self.field("People", 310, "people", lambda v: intercom_book.read_people(str(v)),
                       lambda g: ", ".join(g.people), prose=True, hint="Names, separated by commas."),
            self.field("At once", 62, "at_once", typed.whole(0, 500), lambda g: str(g.at_once), right=True,
                       hint="How many of them must be able to talk at once."),
        ]  # fmt: skip
