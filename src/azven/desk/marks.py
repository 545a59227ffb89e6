"""Painted marks: pennants by service, marks by state. Meaning is in the shape; colour only helps."""

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPixmap, QPolygonF

from azven.desk.theme import Theme

PENNANT_W, PENNANT_H = 12.0, 11.0
NOT_ON = 0.22
"""How much is left of what is not on in the act that is looked at."""
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
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    key = service, color.rgba(), outlined, hatched, ratio
    if key not in _cut:
        _cut[key] = _cut_out(service, color, outlined, hatched, ratio)
    painter.drawPixmap(QPointF(at.x() - _AIR, at.y() - _AIR), _cut[key])


_AIR = 1.0
_cut: dict[tuple[str, int, bool, bool, float], QPixmap] = {}
"""Pennants painted once; two hundred of them stand on the spine while it is dragged."""


def _cut_out(service: str, color: QColor, outlined: bool, hatched: bool, ratio: float) -> QPixmap:
    widest = max(x for x, _ in pennant_shape(service)) * PENNANT_W
    made = QPixmap(round((widest + 2 * _AIR + 1) * ratio), round((PENNANT_H + 2 * _AIR + 1) * ratio))
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.translate(_AIR, _AIR)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(color, 1))
    painter.setBrush(Qt.BrushStyle.NoBrush if outlined or hatched else QBrush(color))
    painter.drawPolygon(QPolygonF([QPointF(x * PENNANT_W, y * PENNANT_H) for x, y in pennant_shape(service)]))
    if hatched:
        for x in (3, 6, 9):
            painter.drawLine(QLineF(x, 0, x, PENNANT_H))
    painter.end()
    return made


def paint_state(painter: QPainter, box: QRectF, state: str, theme: Theme) -> None:
    """Solid = sound, half = tight, open with a bar = broken, dotted = unknown or not placed."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    role = {"sound": "petrol", "tight": "ochre", "broken": "brick"}.get(state, "dim")
    color = theme.color(role)
    pen = QPen(color, max(1.4, box.width() / 10))
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


def paint_banner(painter: QPainter, box: QRectF, color: QColor, outlined: bool = False) -> None:
    """The flag of a wideband carrier: as wide as its box, with a notch at its right."""
    notch = min(box.height() * 0.6, box.width() / 3)
    shape = QPolygonF([
        box.topLeft(), box.topRight(), QPointF(box.right() - notch, box.center().y()), box.bottomRight(),
        box.bottomLeft(),
    ])  # fmt: skip
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(color, 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush if outlined else QBrush(color))
    painter.drawPolygon(shape)
    painter.restore()


def paint_lock(painter: QPainter, at: QPointF, color: QColor) -> None:
    """A small padlock, 7 × 9."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(color, 1.2))
    painter.drawArc(QRectF(at.x() + 1.5, at.y(), 4, 6), 0, 180 * 16)
    painter.fillRect(QRectF(at.x(), at.y() + 3.5, 7, 5.5), color)
    painter.restore()
