"""Where in the band the links of a campus are: pennants on poles, a skyline where they are many."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from azven.desk.axis import Axis
from azven.desk.marks import paint_pennant, service_color
from azven.desk.theme import Theme
from azven.work.register.board import Campus

_FOOT, _LEAST, _PILE, _HIGHEST = 8.0, 14.0, 11.0, 74.0
_MOST_PENNANTS = 90
_PIECE, _SKYLINE = 4.0, 54.0
"""How wide a piece of the band is, and how high the fullest one [px]."""


def paint_band(
    painter: QPainter, theme: Theme, axis: Axis, campus: Campus, edges: tuple[float, float], fullest: int
) -> None:  # fmt: skip
    """The band of a campus between two edges [px]; `fullest` is the count to which a skyline is drawn."""
    top, base = edges[0], edges[1] - _FOOT
    painter.setPen(QPen(theme.color("accent" if campus.running else "line"), 2 if campus.running else 1))
    painter.drawLine(QLineF(axis.left, base, axis.left + axis.width, base))
    if not campus.running:
        return
    if _are_many(campus):
        _paint_skyline(painter, theme, axis, campus, base, fullest)
    else:
        _paint_pennants(painter, theme, axis, campus, base)
    count = len(campus.running)
    said = "1 link" if count == 1 else f"{count:,} links".replace(",", " ")
    painter.setPen(theme.color("dim"))
    right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    painter.drawText(QRectF(axis.left, top + 3, axis.width, 16), right, said)


def fullest(axis: Axis, rows: Iterable[Campus]) -> int:
    """The most links in any piece of the band among those that are drawn as skylines: one scale for all rows."""
    return max((int(_counts(axis, c).max(initial=0)) for c in rows if _are_many(c)), default=0)


def _are_many(campus: Campus) -> bool:
    return len(campus.running) > _MOST_PENNANTS


def _counts(axis: Axis, campus: Campus) -> NDArray[np.int64]:
    """How many links of a campus are in each piece of the axis."""
    at = np.array([axis.x(c.freq_hz) for c in campus.running]) - axis.left
    pieces = max(int(axis.width // _PIECE), 1)
    return np.histogram(at, pieces, (0.0, pieces * _PIECE))[0]


def _paint_pennants(painter: QPainter, theme: Theme, axis: Axis, campus: Campus, base: float) -> None:
    """Piled where they are near one another."""
    last, pile = -100.0, 0
    for carrier in campus.running:
        x = axis.x(carrier.freq_hz)
        if not axis.inside(x):
            continue
        pile = pile + 1 if x - last < _PILE else 0
        last = x
        color = service_color(theme, carrier.service)
        high = min(_LEAST + _PILE * pile, _HIGHEST)
        painter.setPen(QPen(color, 1))
        painter.drawLine(QLineF(x, base, x, base - high))
        paint_pennant(painter, QPointF(x, base - high), carrier.service, color)


def _paint_skyline(
    painter: QPainter, theme: Theme, axis: Axis, campus: Campus, base: float, highest: int
) -> None:  # fmt: skip
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color("petrol"))
    for k, count in enumerate(_counts(axis, campus)):
        if count:
            high = _SKYLINE * int(count) / max(highest, 1)
            painter.drawRect(QRectF(axis.left + _PIECE * k, base - high, _PIECE - 1, high))
