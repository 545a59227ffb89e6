"""Board: all campuses at a glance; a duty that is pointed at becomes the list."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout

from azven.desk.register.board_view import BoardView
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, scrolled
from azven.work.register import board


class BoardPage(RegisterPage):
    """Asks for the units of a campus in a state."""

    title = "Board"
    asked = pyqtSignal(object, str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.words = FittedLabel("dim")
        self.view = BoardView(session)
        self.view.asked.connect(self.asked)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        box.addWidget(self.words)
        box.addWidget(scrolled(self.view), 1)

    def refresh(self) -> None:
        now = self.session.now()
        rows = board.campuses(self.session.store, now)
        self.view.show_campuses(rows, now)
        units, missing = sum(c.total for c in rows), sum(c.of("missing").count for c in rows)
        late = sum(c.of("on loan").late for c in rows)
        named = (("missing", missing), ("late", late))
        wrong = ", ".join(f"{n} {what}" for what, n in named if n) or "nothing is missing or late"
        sites = sum(c.site is not None for c in rows)
        self.words.setText(f"{units:,} units at {sites} campuses; {wrong}.".replace(",", " ", 1)
                           if units >= 1_000 else f"{units} units at {sites} campuses; {wrong}.")  # fmt: skip

    def take_focus(self) -> None:
        self.view.setFocus()
