"""Where in the band the links of a campus are: pennants on poles, a skyline where they are many."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from azven.desk import theme as look
from azven.desk.axis import Axis
from azven.desk.marks import paint_pennant, service_color
from azven.desk.theme import Theme
from azven.work.register.board import Campus

_FOOT, _LEAST, _PILE, _HIGHEST = 8.0, 14.0, 11.0, 74.0
_MOST_PENNANTS = 90
_PIECE, _SKYLINE = 4.0, 54.0
"""How wide a piece of the band is, and how high the fullest one [px]."""
_RIGHT = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)


def paint_bands(
    painter: QPainter, theme: Theme, axis: Axis, rows: Sequence[Campus], tops: Sequence[float]
) -> None:  # fmt: skip
    """The band of each campus, from its top to that of the next one [px]; skylines on one scale for all rows."""
    counts = [skyline(axis, c) if len(c.running) > _MOST_PENNANTS else None for c in rows]
    highest = max((int(c.max(initial=0)) for c in counts if c is not None), default=0)
    for campus, count, (top, end) in zip(rows, counts, pairwise(tops), strict=True):
        base = end - _FOOT
        painter.setPen(QPen(theme.color("accent" if campus.running else "line"), 2 if campus.running else 1))
        painter.drawLine(QLineF(axis.left, base, axis.left + axis.width, base))
        if count is not None:
            _paint_skyline(painter, theme, axis, count, base, highest)
        else:
            _paint_pennants(painter, theme, axis, campus, base)
        if campus.running:
            links = len(campus.running)
            said = "1 link" if links == 1 else f"{links:,} links".replace(",", " ")
            painter.setFont(look.font(look.SMALL_PX))
            painter.setPen(theme.color("dim"))
            painter.drawText(QRectF(axis.left, top + 3, axis.width, 16), _RIGHT, said)


def skyline(axis: Axis, campus: Campus) -> NDArray[np.int64]:
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
    painter: QPainter, theme: Theme, axis: Axis, counts: NDArray[np.int64], base: float, highest: int
) -> None:  # fmt: skip
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color("petrol"))
    for k, count in enumerate(counts):
        if count:
            high = _SKYLINE * int(count) / highest
            painter.drawRect(QRectF(axis.left + _PIECE * k, base - high, _PIECE - 1, high))
