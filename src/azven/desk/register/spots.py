"""Where cases show on the board: a ring in the band of a campus, named; a dashed line to the campus that it meets."""

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from azven.desk import theme as look
from azven.desk.axis import Axis
from azven.desk.theme import Theme
from azven.work.register.cases import Case

_HIGH, _R, _SMALL_R, _MANY, _LABEL_H = 14.0, 8.0, 4.0, 6, 15.0
_COUNT_W = 64.0
"""What the number of links takes at the right of each band."""


def paint_spots(
    painter: QPainter, theme: Theme, axis: Axis, cases: Sequence[Case], bases: Mapping[int, tuple[float, float]]
) -> None:  # fmt: skip
    """Rings of cases, by the numbers that their rows have; `bases` are top and base line of each campus [px]. A name is
    left out where it would lie on another one: the ring stays."""
    right = axis.left + axis.width - _COUNT_W
    taken = [QRectF(right, top + 3, _COUNT_W, _LABEL_H) for top, _ in bases.values()]
    painter.setFont(look.font(look.SMALL_PX, bold=True))
    for number, case in enumerate(cases, start=1):
        role, many = "brick" if case.mark == "broken" else "ochre", len(case.spots) > _MANY
        for spot in case.spots:
            x = axis.x(spot.freq_hz)
            if spot.site not in bases or not axis.inside(x):
                continue
            top, base = bases[spot.site]
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if spot.toward is not None and spot.toward in bases:
                painter.setPen(QPen(theme.color(role), 1, Qt.PenStyle.DashLine))
                painter.drawLine(QLineF(x, base, x, bases[spot.toward][1]))
            painter.setPen(QPen(theme.color(role), 1 if many else 2))
            radius = _SMALL_R if many else _R
            painter.drawEllipse(QPointF(x, base - _HIGH + 2), radius, radius)
            _name(painter, theme, axis, f"{number} {spot.name}", f"{role}_text", x, top, taken)


def _name(
    painter: QPainter, theme: Theme, axis: Axis, words: str, role: str, x: float, top: float, taken: list[QRectF]
) -> None:  # fmt: skip
    wide = painter.fontMetrics().horizontalAdvance(words) + 6.0
    left = x + 4 if x + 4 + wide <= axis.left + axis.width else x - 4 - wide
    box = QRectF(left, top + 3, wide, _LABEL_H)
    if left < axis.left or any(box.intersects(other) for other in taken):
        return
    taken.append(box)
    painter.fillRect(box, theme.color("ground"))
    painter.setPen(theme.color(role))
    painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), words)
