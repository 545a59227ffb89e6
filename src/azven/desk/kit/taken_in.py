"""What became of every row of a file, before any of it is in the book."""

from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.work.kit.lists import Row, TakenIn

_ORDER = {"refused": 0, "changed": 1, "new": 2, "same": 3}
_WORDS = {"refused": "not taken", "changed": "changes", "new": "is new", "same": "as it was"}


class _Told:
    """A row with the id that a table asks for."""

    def __init__(self, row: Row) -> None:
        self.id, self.row = row.number, row


class TakingIn(QDialog):
    """Rows that are not taken first. Nothing is in the book until it is taken in."""

    def __init__(self, session: Session, parent: QWidget, name: str, found: TakenIn) -> None:
        super().__init__(parent)
        self._session, self._found = session, found
        self.setWindowTitle(f"Take in {name}")
        self.resize(760, 460)
        columns = [
            Column(title="Row", width=54, show=lambda t: str(t.row.number), right=True),
            Column(title="What", width=180, show=lambda t: t.row.name),
            Column(title="Fate", width=90, show=lambda t: _WORDS[t.row.fate]),
            Column(title="Why", width=380, show=lambda t: t.row.text, prose=True),
        ]
        self.table = RecordTable(columns, "What becomes of every row")
        told = sorted(found.rows, key=lambda r: (_ORDER[r.fate], r.number))
        self.table.show_records([_Told(r) for r in told])
        box = QVBoxLayout(self)
        box.addWidget(label(f"{name}: {found.sentence()}.", "strong", wrap=True))
        box.addWidget(label("Rows that are not taken leave everything as it is.", "dim"))
        box.addWidget(self.table, 1)
        self.take = button("Take in", self.accept, "Put what can be used into the book; undo takes it back", "primary")
        self.take.setEnabled(bool(found.edit))
        box.addLayout(row(1, button("Leave it", self.reject), self.take))
        self.take.setDefault(True)

    def accept(self) -> None:
        refused = self._found.count("refused")
        if self._session.do(lambda: self._found.edit):
            self._session.say(f"Taken in: {self._found.sentence()}.", trouble=bool(refused))
        super().accept()
