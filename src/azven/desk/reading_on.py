"""What was left for later as a book was opened is read in small steps while nobody waits for it."""

from PyQt6.QtCore import QObject, QTimer

from azven.book.edits import BookError
from azven.book.store import Store

_BEGINS_MS, _PAUSE_MS, _AWAY_MS = 300, 5, 400
"""After the window is there; between steps, for keys and painting; until one looks whether a server is back."""


class ReadingOn(QObject):
    """Reads on until everything is there."""

    def __init__(self, store: Store, parent: QObject) -> None:
        super().__init__(parent)
        self._store = store
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._step)
        self._timer.start(_BEGINS_MS)

    def _step(self) -> None:
        try:
            more, pause_ms = self._store.read_on(), _PAUSE_MS
        except BookError:
            more, pause_ms = True, _AWAY_MS
        if more:
            self._timer.start(pause_ms)

    def stop(self) -> None:
        self._timer.stop()
