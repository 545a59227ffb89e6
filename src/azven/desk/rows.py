"""Painted rows of any height that are chosen like those of a list, with the mouse or with the keys."""

from collections.abc import Sequence

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QScrollArea, QWidget

from azven.desk.stage import tip

_SHIFT, _CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
_PAGE = 10


class ChosenRows(QWidget):
    """Subclasses paint row `i` from `tops[i]` to `tops[i + 1]` and say each in a `sentence`."""

    chosen_changed = pyqtSignal()
    asked = pyqtSignal()
    """Enter or a double click: something is to be changed."""

    def __init__(self) -> None:
        super().__init__()
        self.within: QScrollArea | None = None
        self.tops: list[float] = [0.0]
        self.current = self._anchor = 0
        self._ids: list[int] = []
        self._chosen: set[int] = set()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def sentence(self, at: int) -> str:
        """What is said of a row where the pointer rests on it."""
        raise NotImplementedError

    def show_rows(self, numbers: Sequence[int], heights: Sequence[float]) -> None:
        """Rows by their numbers and heights [px]; what was chosen stays chosen."""
        self._ids = list(numbers)
        self.tops = [0.0]
        for height in heights:
            self.tops.append(self.tops[-1] + height)
        self._chosen &= set(self._ids)
        self.current = min(self.current, max(len(self._ids) - 1, 0))
        self.setMinimumHeight(int(self.tops[-1]) + 4)
        self._tell()

    def sizeHint(self) -> QSize:
        return QSize(600, 200)

    def chosen(self) -> list[int]:
        """Numbers of the chosen rows, from top to bottom."""
        return [n for n in self._ids if n in self._chosen]

    def is_chosen(self, number: int) -> bool:
        return number in self._chosen

    def choose(self, numbers: set[int]) -> None:
        """Choose rows by their numbers."""
        self._chosen = set(numbers) & set(self._ids)
        at = next((i for i, n in enumerate(self._ids) if n in numbers), self.current)
        self._anchor = at
        self._go(at)

    def _row_at(self, y: float) -> int | None:
        return next((i for i in range(len(self._ids)) if self.tops[i] <= y < self.tops[i + 1]), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        at = self._row_at(event.position().y()) if event else None
        if event is not None and at is not None:
            self._take(at, event.modifiers())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.asked.emit()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        at = self._row_at(event.position().y()) if event else None
        self.setToolTip("" if at is None else tip(self.sentence(at)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        last, key, how = len(self._ids) - 1, event.key(), event.modifiers()
        steps = {
            Qt.Key.Key_Up: self.current - 1, Qt.Key.Key_Down: self.current + 1, Qt.Key.Key_Home: 0,
            Qt.Key.Key_End: last, Qt.Key.Key_PageUp: self.current - _PAGE, Qt.Key.Key_PageDown: self.current + _PAGE,
        }  # fmt: skip
        if last >= 0 and key in steps:
            self._take(max(0, min(last, steps[Qt.Key(key)])), how & _SHIFT)
        elif last >= 0 and key == Qt.Key.Key_A and how & _CONTROL:
            self.choose(set(self._ids))
        elif last >= 0 and key == Qt.Key.Key_Space:
            self._take(self.current, _CONTROL)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.asked.emit()
        else:
            super().keyPressEvent(event)

    def _take(self, at: int, how: Qt.KeyboardModifier) -> None:
        number = self._ids[at]
        if how & _SHIFT:
            low, high = sorted((min(self._anchor, len(self._ids) - 1), at))
            self._chosen = set(self._ids[low : high + 1])
        elif how & _CONTROL:
            self._chosen ^= {number}
            self._anchor = at
        else:
            self._chosen, self._anchor = {number}, at
        self._go(at)

    def _go(self, at: int) -> None:
        self.current = at
        self._tell()
        QTimer.singleShot(0, self._into_view)  # what comes and goes below has found its place by then

    def _into_view(self) -> None:
        at = self.current
        if self.within is not None and at + 1 < len(self.tops):
            middle = (self.tops[at] + self.tops[at + 1]) / 2
            self.within.ensureVisible(0, int(middle), 0, int(self.tops[at + 1] - self.tops[at]))

    def _tell(self) -> None:
        self.setAccessibleDescription(self.sentence(self.current) if self._ids else "")
        self.chosen_changed.emit()
        self.update()
