"""Find or do: links, frequencies, rooms, units and every action, by name."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QShowEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

_MOST = 60
HERE = "here"
"""The kind of what is chosen already."""


@dataclass(frozen=True)
class Entry:
    """One line: its title, what kind of thing it is, if that has to be said, and what choosing it does."""

    title: str
    kind: str
    run: Callable[[], object]


def matching(entries: list[Entry], text: str) -> list[Entry]:
    """Entries that hold every word of `text`, those that begin with it first."""
    words = text.lower().split()
    found = [e for e in entries if all(w in f"{e.title} {e.kind}".lower() for w in words)]
    return sorted(found, key=lambda e: not e.title.lower().startswith(text.lower().strip()))[:_MOST]


class Palette(QDialog):
    """A popover over the window: type, arrow, Enter."""

    def __init__(self, parent: QWidget, entries: list[Entry], ask: str = "", name: str = "Find or do") -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popover")
        self._entries = entries
        self._shown: list[Entry] = []
        self._text = QLineEdit()
        self._text.setPlaceholderText(ask or "A link, a frequency, a room, or what to do")
        self._text.setAccessibleName(name)
        self._list = QListWidget()
        self._list.setAccessibleName("What was found")
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 10, 10, 10)
        box.addWidget(self._text)
        box.addWidget(self._list)
        self.resize(460, 340)
        self._text.textChanged.connect(self._refresh)
        self._text.returnPressed.connect(self._take)
        self._list.itemActivated.connect(lambda _: self._take())
        self._list.itemClicked.connect(lambda _: self._take())
        self._text.installEventFilter(self)
        self._refresh("")

    def showEvent(self, event: QShowEvent | None) -> None:
        """A popup gets no keyboard by itself on X11: its field takes it."""
        super().showEvent(event)
        self.activateWindow()
        self._text.setFocus(Qt.FocusReason.PopupFocusReason)

    def _refresh(self, text: str) -> None:
        self._shown = matching(self._entries, text)
        self._list.clear()
        for entry in self._shown:
            self._list.addItem(QListWidgetItem(f"{entry.title}   ·   {entry.kind}" if entry.kind else entry.title))
        if self._shown:
            here = next((i for i, e in enumerate(self._shown) if e.kind == HERE), 0)
            self._list.setCurrentRow(0 if text.strip() else here)  # Enter at once leaves everything as it is

    def _take(self) -> None:
        at = self._list.currentRow()
        if 0 <= at < len(self._shown):
            self.accept()
            self._shown[at].run()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None and self._shown:
                self._list.setCurrentRow((self._list.currentRow() + step) % len(self._shown))
                return True
        return super().eventFilter(watched, event)
