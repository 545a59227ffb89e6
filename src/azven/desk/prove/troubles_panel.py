"""What is wrong with the racks, each sentence with the button that mends it."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from azven.desk.stage import button, label, scrolled
from azven.work.prove.troubles import Trouble

_SHOWN, _ROW_PX = 3, 36


class TroublesPanel(QWidget):
    """Up to three in view, more by scrolling. `wanted` carries the trouble whose button was pressed."""

    wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.troubles: list[Trouble] = []
        self._inside = QWidget()
        self._rows = QVBoxLayout(self._inside)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(2)
        self._within = scrolled(self._inside)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self._within)
        self._show([])

    def show_troubles(self, troubles: Sequence[Trouble]) -> None:
        """Show them anew where they have changed: a button that somebody is about to press stays."""
        if list(troubles) != self.troubles:
            self._show(troubles)

    def _show(self, troubles: Sequence[Trouble]) -> None:
        self.troubles = list(troubles)
        while (item := self._rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        if not troubles:
            self._rows.addWidget(label("Nothing is wrong with what is known of the racks.", "dim"))
        for trouble in troubles:
            self._rows.addWidget(self._row(trouble))
        self._rows.addStretch(1)
        shown = min(max(len(troubles), 1), _SHOWN)
        self._within.setFixedHeight(shown * (_ROW_PX + 2) + 4)

    def _row(self, trouble: Trouble) -> QWidget:
        made, said = QWidget(), label(trouble.said, "bad", wrap=True)
        said.setToolTip(trouble.said)
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(said, 1)
        if trouble.title:
            mend = button(trouble.title, partial(self.wanted.emit, trouble), "Mends it; it is written down who did it")
            mend.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
            box.addWidget(mend)
        made.setFixedHeight(_ROW_PX)
        return made

    def buttons(self) -> list[str]:
        """Titles of the buttons that are shown."""
        return [t.title for t in self.troubles if t.title]

    def words(self) -> list[str]:
        """The sentences that are shown."""
        return [w.text() for w in self._inside.findChildren(QLabel)]
