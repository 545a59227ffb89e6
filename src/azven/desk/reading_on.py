"""What was left for later as a book was opened is read in small steps while nobody waits for it."""

from PyQt6.QtCore import QObject, QTimer

from azven.book.edits import BookError
from azven.book.store import Store

_BEGINS_MS, _PAUSE_MS, _REST_MS = 300, 5, 400
"""After the window is there; between steps, for keys and painting; until one looks whether there is more, or whether a
server is back."""


class ReadingOn(QObject):
    """Reads on until everything is there, and again when so much was changed elsewhere that the book is read anew."""

    def __init__(self, store: Store, parent: QObject) -> None:
        super().__init__(parent)
        self._store = store
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._step)
        self._timer.start(_BEGINS_MS)

    def _step(self) -> None:
        try:
            more = self._store.read_on()
        except BookError:
            more = False
        self._timer.start(_PAUSE_MS if more else _REST_MS)

    def stop(self) -> None:
        self._timer.stop()
