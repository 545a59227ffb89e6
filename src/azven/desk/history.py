"""The history of the book: who changed what and when, found by words, and taken back long after."""

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QCheckBox, QDialog, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from azven.book.edits import BookError, Edit
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, label, row, rule
from azven.desk.tables import Column, RecordTable
from azven.refusal import Refusal
from azven.work.desks import past
from azven.work.desks.past import Detail, Line

_PAGE = 200
_TYPED_MS = 200
_SIZE = 980, 640


class HistoryDialog(QDialog):
    """The lines above, what one changed below, how much is kept at the foot."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("History of the book")
        self.resize(*_SIZE)
        self._session = session
        self._lines: list[Line] = []
        self._more = False
        self.words = QLineEdit()
        self.words.setPlaceholderText("Search titles, people, desks and values")
        self.words.setAccessibleName("Search the history")
        self.words.setClearButtonEnabled(True)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.timeout.connect(self.refresh)
        self.words.textChanged.connect(lambda: self._pause.start(_TYPED_MS))
        self.lines = RecordTable(self._line_columns(), "Edits")
        self.details = RecordTable(self._detail_columns(), "What it changed")
        self.lines.picked.connect(self._show)
        self._found = label("", "small")
        self._what = FittedLabel("section")
        self._zone = session.clock.zone
        self.older = button("Show older", self._show_older, "The next edits further back")
        self.back = button("Take it back", self.take_back, "A new edit that sets back what this one changed")
        self.edits, self.bulky = QSpinBox(), QCheckBox("with bins of sweeps and drawings")
        self._lay_out()
        session.edited.connect(self.refresh)
        self.refresh()
        self.words.setFocus()

    def _lay_out(self) -> None:
        self.edits.setRange(past.FEWEST_EDITS, past.MOST_EDITS)
        self.edits.setGroupSeparatorShown(True)
        self.edits.setAccessibleName("How many edits are kept")
        self.bulky.setToolTip("Without them, a sweep or drawing that was removed cannot be brought back from here")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 12, 14, 12)
        box.setSpacing(8)
        box.addLayout(row(self.words, self._found))
        box.addWidget(self.lines, 3)
        box.addLayout(row(self.older, 1))
        box.addWidget(rule())
        chosen = row(self._what, self.back)
        chosen.setStretch(0, 1)
        box.addLayout(chosen)
        box.addWidget(self.details, 2)
        box.addWidget(rule())
        keep = button("Keep so many", self._keep, "Older lines go as new ones come")
        box.addLayout(row(label("Kept: the last"), self.edits, label("edits"), self.bulky, keep, 1))

    def _line_columns(self) -> list[Column]:
        tz = self._session.clock.tz
        return [
            Column(title="When", width=176, show=lambda x: f"{x.at.astimezone(tz):%Y-%m-%d %H:%M:%S}"),
            Column(title="What", width=360, show=lambda x: x.title, prose=True),
            Column(title="Who", width=130, show=lambda x: x.who),
            Column(title="Desk", width=150, show=lambda x: x.desk),
            Column(title="Records", width=70, show=lambda x: str(x.records), right=True),
        ]

    def _detail_columns(self) -> list[Column]:
        return [
            Column(title="Of", width=260, show=lambda x: x.thing),
            Column(title="Field", width=160, show=lambda x: x.field),
            Column(title="Before", width=230, show=lambda x: x.before, prose=True),
            Column(title="After", width=230, show=lambda x: x.after, prose=True),
        ]

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read the lines anew, the chosen one staying so."""
        chosen = self._chosen()
        self._lines = self._read(None)
        self._list(chosen.id if chosen is not None else None)
        kept = past.kept(self._session.store)
        self.edits.setValue(kept.edits)
        self.bulky.setChecked(kept.bulky)

    def _read(self, below: int | None) -> list[Line]:
        try:
            found = past.lines(self._session.store, self.words.text(), below, _PAGE)
        except BookError as error:
            self._found.setText(str(error))
            return []
        self._more = len(found) == _PAGE
        return found

    def _show_older(self) -> None:
        chosen = self._chosen()
        self._lines = [*self._lines, *self._read(self._lines[-1].id if self._lines else None)]
        self._list(chosen.id if chosen is not None else None)

    def _list(self, number: int | None) -> None:
        self.lines.show_records(self._lines)
        self.older.setVisible(self._more)
        count = f"{len(self._lines)} edits" if len(self._lines) != 1 else "1 edit"
        shown = f"the newest {count}" if self._more else count
        self._found.setText(f"{shown}, times in {self._zone}")
        at = next((i for i, x in enumerate(self._lines) if x.id == number), 0)
        if self._lines:
            self.lines.selectRow(at)
        self._show(self._chosen())

    def _chosen(self) -> Line | None:
        index = self.lines.currentIndex()
        return self._lines[index.row()] if 0 <= index.row() < len(self._lines) else None

    def _show(self, line: Line | None) -> None:
        self.back.setEnabled(line is not None)
        found: list[Detail] = []
        if line is None:
            self._what.setText("Nothing is found" if self.words.text() else "Nothing has been done yet")
        else:
            self._what.setText(f"{line.title}, by {line.who} at {line.desk}")
            try:
                found = past.details(self._session.store, line.id)
            except Refusal as error:
                self._what.setText(str(error))
        self.details.show_records(found)

    # -- deeds ---------------------------------------------------------------------------------------

    def take_back(self) -> None:
        """Take the chosen edit back, as a new edit that can be undone itself."""
        line = self._chosen()
        if line is None:
            return
        refused: list[str] = []

        def make() -> Edit:
            try:
                return past.taken_back(self._session.store, line)
            except Refusal as refusal:
                refused.append(str(refusal))
                raise

        if self._session.do(make):
            self._session.say(f"Taken back: {line.title}")
        elif refused:
            self._what.setText(refused[0])

    def _keep(self) -> None:
        self._session.do(lambda: past.keep(self._session.store, self.edits.value(), self.bulky.isChecked()))
