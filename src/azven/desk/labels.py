"""Labels to cut or to print on sheets of 3 × 8: name and frequency large, and a code with the unit's id."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from azven.desk import theme as look
from azven.desk.pdf import on_paper, written
from azven.work.kit.printed import Label

_ACROSS, _DOWN = 3, 8
_MARGIN_MM, _AIR = 8.0, 36.0
_INK, _DIM, _CUT = QColor("#1D2A2E"), QColor("#5A625E"), QColor("#D3CBB8")
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


def write_labels(labels: Sequence[Label], path: Path) -> int:
    """Write labels as PDF; returns the number of pages. OSError when it cannot be written whole."""
    return written(path, lambda fresh: _draw(labels, fresh))


def _draw(labels: Sequence[Label], path: Path) -> int:
    writer = on_paper(path, "A4", _MARGIN_MM)
    painter = QPainter(writer)
    width, height = writer.width() / _ACROSS, writer.height() / _DOWN
    pages = 1
    for i, label in enumerate(labels):
        at = i % (_ACROSS * _DOWN)
        if i and not at:
            writer.newPage()
            pages += 1
        _label(painter, QRectF(at % _ACROSS * width, at // _ACROSS * height, width, height), label)
    painter.end()
    return pages


def _label(painter: QPainter, box: QRectF, label: Label) -> None:
    painter.setPen(QPen(_CUT, 2))
    painter.drawRect(box)
    inside = box.adjusted(_AIR, _AIR, -_AIR, -_AIR)
    side = min(inside.height(), inside.width() * 0.42)
    if label.code:
        _code(painter, QRectF(inside.right() - side, inside.top(), side, side), label.code)
    words = inside.adjusted(0, 0, -side - _AIR / 2 if label.code else 0, 0)
    lines = ((label.name, 46, True, _INK), (label.mhz, 42, True, _INK), (label.unit, 34, False, _DIM),
             (label.serial, 30, False, _DIM))  # fmt: skip
    step = words.height() / len(lines)
    for n, (text, size, bold, color) in enumerate(lines):
        painter.setFont(look.font(size, bold=bold))
        painter.setPen(color)
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, int(words.width()))
        painter.drawText(QRectF(words.left(), words.top() + n * step, words.width(), step), _LEFT, shown)


def _code(painter: QPainter, box: QRectF, code: tuple[tuple[bool, ...], ...]) -> None:
    module = box.width() / len(code)
    for y, line in enumerate(code):
        for x, dark in enumerate(line):
            if dark:
                left, top = round(box.left() + x * module), round(box.top() + y * module)
                right, bottom = round(box.left() + (x + 1) * module), round(box.top() + (y + 1) * module)
                painter.fillRect(left, top, right - left, bottom - top, QColor("black"))
