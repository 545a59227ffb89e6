"""What somebody wants to do is asked once, in the page: nothing that comes up stands in the way."""

from collections.abc import Callable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QFrame, QLineEdit, QVBoxLayout, QWidget

from azven.desk.stage import button, label, row


class Asking(QFrame):
    """A strip with a question, its caution and two answers; with a field where words are wanted. One at a time."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("asking")
        self.words, self.caution = label("", "strong", wrap=True), label("", "warn", wrap=True)
        self.field = QLineEdit()
        self.yes = button("", self._carry_out, name="primary")
        self.no = button("Never mind", self._leave)
        self._then: Callable[[str], Any] = lambda text: None
        self._came_from: QWidget | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 6, 10, 6)
        box.setSpacing(4)
        box.addWidget(self.words)
        box.addWidget(self.caution)
        box.addLayout(row(self.field, self.no, self.yes, spacing=6))
        self.field.returnPressed.connect(self._carry_out)
        self.hide()

    def ask(
        self, words: str, yes: str, then: Callable[[str], Any], caution: str = "", field: str | None = None
    ) -> None:
        """Ask; `then` is called with what was typed when the answer is yes. `field`: what the field is for."""
        self.words.setText(words)
        self.caution.setText(caution)
        self.caution.setVisible(bool(caution))
        self.field.setVisible(field is not None)
        self.field.clear()
        self.field.setPlaceholderText(field or "")
        self.field.setAccessibleName(field or "")
        self.yes.setText(yes)
        self.yes.setAccessibleName(yes)
        self._then = then
        self._came_from = QApplication.focusWidget()
        self.show()
        (self.field if field is not None else self.yes).setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self._leave()
        else:
            super().keyPressEvent(event)

    def _carry_out(self) -> None:
        self._leave()
        self._then(self.field.text().strip())

    def _leave(self) -> None:
        """The keyboard goes back to whoever asked, if that is still there."""
        self.hide()
        back, self._came_from = self._came_from, None
        if back is not None and not sip.isdeleted(back) and back.isVisible():
            back.setFocus()


class Order(QFrame):
    """What the person at a pack has to do, in large letters, until it is done."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("order")
        self.words = label("", "order", wrap=True)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 8)
        box.addLayout(row(self.words, button("It is done", self.hide, name="primary"), spacing=10))
        self.hide()

    def show_order(self, words: str) -> None:
        self.words.setText(words)
        self.show()
