"""From a table: deeds of a CSV file, what each would do shown before anything is done."""

from pathlib import Path

from PyQt6.QtWidgets import QVBoxLayout

from azven.book.formats.errors import FormatError
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.work import chosen
from azven.work.register import taking_in
from azven.work.register.taking_in import Line, Progress, Table

_AT_FIRST = (
    f"A table (CSV) with a column “deed”, and “serial” or “unit” to say which; it may have "
    f"{', '.join(c for c in taking_in.COLUMNS if c not in ('serial', 'unit', 'deed'))}. "
    "What it would do is shown here first."
)


class TablePage(RegisterPage):
    """A table is chosen, looked through, and taken in or left."""

    title = "From a table"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.read_in: Table | None = None
        self._path = Path()
        self.which = button("Choose a table …", self.choose, "Nothing is changed yet")
        self.leave = button("Leave it", self.forget, "Forget the table; nothing was changed", "flat")
        self.words, self.unknown = label(_AT_FIRST, "dim", wrap=True), label("", "warn", wrap=True)
        self.table = RecordTable(_columns(), "What the table would do")
        self.table.theme = lambda: session.theme
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(6)
        line = row(self.which, self.leave, spacing=8)
        line.addStretch(1)
        box.addLayout(line)
        box.addWidget(self.words)
        box.addWidget(self.unknown)
        box.addWidget(self.table, 1)
        self.table.picked.connect(lambda x: session.select(chosen.Unit(x.unit.id)) if x.unit is not None else None)

    def choose(self) -> None:
        """Ask which table, and look through it."""
        path = files.ask_which(self, "A table of deeds", "Tables (*.csv *.txt *.tsv)")
        if path is not None:
            self.look_through(path)

    def look_through(self, path: Path) -> None:
        """Read a table and show what it would do, with progress, stoppable."""
        session = self.session
        try:
            text = taking_in.read(path)
        except FormatError as error:
            session.say(str(error), trouble=True)
            return
        where, clock, now = session.store.place, session.clock, session.now()

        def work(progress: Progress) -> Table:
            return taking_in.table_in(where, text, clock, now, progress)

        session.jobs.start(f"Looking through {path.name}", work, lambda found: self.show_table(path, found))

    def show_table(self, path: Path, found: Table) -> None:
        """What a table would do."""
        self._path, self.read_in = path, found
        self._show()

    def forget(self) -> None:
        """Leave the table."""
        self.read_in = None
        self._show()

    def show_now(self) -> None:
        self._show()

    def _show(self) -> None:
        found = self.read_in
        self.table.show_records(found.lines if found is not None else [])
        self.words.setText(_AT_FIRST if found is None else taking_in.in_words(found, self._path.name))
        unknown = found.unknown if found is not None else ()
        self.unknown.setText(f"Columns that are not known are left alone: {', '.join(unknown)}.")
        self.unknown.setVisible(bool(unknown))
        self.leave.setEnabled(found is not None)
        self.primary_changed.emit()

    def primary(self) -> tuple[str, bool]:
        found = self.read_in
        count = len(found.orders) if found is not None else 0
        return (f"Do {count} deed{'' if count == 1 else 's'}" if count else "Do them"), count > 0

    def run_primary(self) -> None:
        """All that the table does, as one step that can be undone."""
        session, found = self.session, self.read_in
        if found is not None and session.do(lambda: taking_in.take(session.store, found, self._path.name)):
            session.say(f"{len(found.orders)} deeds from {self._path.name} are done.")
            self.forget()

    def actions_offered(self) -> list[Action]:
        return [Action("register-table", "Register: deeds from a table…", self.choose)]

    def take_focus(self) -> None:
        self.which.setFocus()


def _columns() -> list[Column]:
    return [
        Column(title="Line", width=52, show=lambda x: str(x.id), right=True),
        Column(title="Unit", width=104, show=lambda x: x.name, mark=_mark),
        Column(title="Deed", width=108, show=lambda x: x.asked.deed if x.asked is not None else ""),
        Column(title="Is", width=84, show=lambda x: x.before),
        Column(title="Would be", width=84, show=lambda x: x.after),
        Column(title="About", width=330, show=_about, prose=True),
    ]  # fmt: skip


def _mark(x: Line) -> str:
    return "broken" if x.asked is None else "tight" if x.trouble and x.goes else ""


def _about(x: Line) -> str:
    if x.trouble or x.asked is None:
        return x.trouble
    asked = x.asked
    parts = [f"to {asked.to}" if asked.to else "", f"for {asked.show.name}" if asked.show is not None else "",
             asked.place, asked.site.name if asked.site is not None else "", asked.why]  # fmt: skip
    return ", ".join(p for p in parts if p)
