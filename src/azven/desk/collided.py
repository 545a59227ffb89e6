"""Edits that waited for the server and met what others had done: both versions, and a choice."""

from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from azven.book.cut_off import SharedStore
from azven.book.waiting import Waiting
from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.refusal import Refusal
from azven.work.desks import collisions

_SIZE = 860, 380


class CollidedDialog(QDialog):
    """One edit at a time, the oldest first."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.setWindowTitle("Edits that met others")
        self.resize(*_SIZE)
        self._session = session
        self._title, self._why = label("", "section"), label("", "small", wrap=True)
        self.table = RecordTable(
            [
                Column(title="Of", width=250, show=lambda x: x.thing),
                Column(title="Field", width=150, show=lambda x: x.field),
                Column(title="In the book now", width=210, show=lambda x: x.theirs, prose=True),
                Column(title="Yours", width=210, show=lambda x: x.ours, prose=True),
            ],
            "Both versions",
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 12, 14, 12)
        box.addWidget(self._title)
        box.addWidget(self._why)
        box.addWidget(self.table, 1)
        self.theirs = button("Leave the book as it is", lambda: self._settle(False), "Your edit is given up")
        self.mine = button("Write mine", lambda: self._settle(True), "Your fields replace theirs; this can be undone")
        later = button("Later", self.close, "It is kept on this computer; find it again by Find or do: settle")
        box.addLayout(row(later, 1, self.theirs, self.mine))
        self._show_next()

    def _show_next(self) -> None:
        store = self._session.store
        if not (store.collided and isinstance(store, SharedStore)):
            self.deleteLater()
            self.close()
            return
        waiting: Waiting = store.collided[0]
        more = len(store.collided) - 1
        self._title.setText(f"“{waiting.edit.title}”, {waiting.at.astimezone(self._session.clock.tz):%H:%M:%S}")
        self._why.setText(
            "You did this while the server was away. Meanwhile others have changed the same things."
            + (f" {more} more after this." if more else "")
        )
        try:
            self.table.show_records(collisions.met(store, waiting, store.theirs(waiting)))
        except Refusal as refusal:
            self._why.setText(str(refusal))

    def _settle(self, mine: bool) -> None:
        store = self._session.store
        assert isinstance(store, SharedStore)
        try:
            self._session.landed_late(store.settle(store.collided[0], mine))
        except Refusal as refusal:
            self._why.setText(str(refusal))
            return
        self._show_next()
