"""Painted marks: pennants by service, marks by state. Meaning is in the shape; colour only helps."""

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from azven.desk.theme import Theme

PENNANT_W, PENNANT_H = 12.0, 11.0
_ROLE = {"voice": "petrol", "in-ear": "plum", "intercom": "slate", "data": "ochre"}


def service_color(theme: Theme, service: str) -> QColor:
    return theme.color(_ROLE.get(service, "slate"))


def pennant_shape(service: str) -> list[tuple[float, float]]:
    """Outline in units of the pennant's size: voice swallow-tail, in-ear triangle, intercom notched square,
    data long streamer."""
    return {
        "voice": [(0, 0), (1, 0), (0.68, 0.5), (1, 1), (0, 1)],
        "in-ear": [(0, 0), (1.05, 0.5), (0, 1)],
        "intercom": [(0, 0), (1, 0), (1, 1), (0.65, 1), (0.65, 0.6), (0.35, 0.6), (0.35, 1), (0, 1)],
        "data": [(0, 0.15), (1.7, 0.35), (1.7, 0.55), (0, 0.75)],
    }.get(service, [(0, 0), (1, 0), (1, 1), (0, 1)])


def paint_pennant(
    painter: QPainter, at: QPointF, service: str, color: QColor, outlined: bool = False, hatched: bool = False
) -> None:
    """A pennant whose pole side's upper corner is `at`; neighbours are hatched with upright bars."""
    shape = QPolygonF([QPointF(at.x() + x * PENNANT_W, at.y() + y * PENNANT_H) for x, y in pennant_shape(service)])
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(color, 1))
    painter.setBrush(Qt.BrushStyle.NoBrush if outlined or hatched else QBrush(color))
    painter.drawPolygon(shape)
    if hatched:
        for x in (3, 6, 9):
            painter.drawLine(QLineF(at.x() + x, at.y(), at.x() + x, at.y() + PENNANT_H))
    painter.restore()


def paint_state(painter: QPainter, box: QRectF, state: str, theme: Theme) -> None:
    """Solid = sound, half = tight, open with a bar = broken, dotted = unknown or not placed."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    role = {"sound": "petrol", "tight": "ochre", "broken": "brick"}.get(state, "dim")
    color = theme.color(role)
    pen = QPen(color, 1.4)
    if state not in ("sound", "tight", "broken"):
        pen.setStyle(Qt.PenStyle.DotLine)
    painter.setPen(pen)
    painter.setBrush(QBrush(color) if state == "sound" else Qt.BrushStyle.NoBrush)
    painter.drawEllipse(box)
    if state == "tight":
        painter.setBrush(QBrush(color))
        painter.drawChord(box, 90 * 16, 180 * 16)
    elif state == "broken":
        painter.drawLine(box.topLeft() + QPointF(1, 1), box.bottomRight() - QPointF(1, 1))
    painter.restore()


def paint_lock(painter: QPainter, at: QPointF, color: QColor) -> None:
    """A small padlock, 7 × 9."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(color, 1.2))
    painter.drawArc(QRectF(at.x() + 1.5, at.y(), 4, 6), 0, 180 * 16)
    painter.fillRect(QRectF(at.x(), at.y() + 3.5, 7, 5.5), color)
    painter.restore()
