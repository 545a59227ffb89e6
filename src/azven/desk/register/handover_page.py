"""Hand-over: the package for the next engineer written, and one taken over, with what it would change shown before."""

from contextlib import closing
from pathlib import Path
from tempfile import TemporaryDirectory

from PyQt6.QtWidgets import QPlainTextEdit, QVBoxLayout, QWidget

from azven.book.formats import handover as package_format
from azven.book.formats.handover import Package
from azven.book.records import Show
from azven.book.store import Store
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.work import ground
from azven.work.plan import sheet
from azven.work.register import handover
from azven.work.register.handover import Takeover
from azven.work.scope import of_show
from azven.work.wording import one_line

_KINDS = "Hand-over packages (*.zip)"
_IN_IT = (
    "In it: the site with rooms, neighbours and sweeps, antenna systems, the show with its links and frequencies, the "
    "units of the site with all that was done with them, your notes, and the frequency sheet as PDF. Persons and their "
    "telephones are not in it."
)
_AT_FIRST = "A package from somebody else. What it would change is shown here before anything is changed."
_MARKS = {"differs": "tight", "left out": "broken"}


class HandoverPage(RegisterPage):
    """Above what goes out, below what comes in."""

    title = "Hand-over"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._package: Package | None = None
        self._takeover: Takeover | None = None
        self._path = Path()
        self.what = label("", "strong", wrap=True)
        self.notes = QPlainTextEdit()
        self.notes.setAccessibleName("Notes for the next engineer")
        self.notes.setPlaceholderText("Notes for the next engineer: what to mind, whom to ask, what failed last time")
        self.notes.setFixedHeight(72)
        self.notes.setTabChangesFocus(True)
        self.give = button("Hand over …", self.hand_over, "One file for the next engineer")
        self.which = button("Choose a package …", self.choose, "Nothing is changed yet")
        self.leave = button("Leave it", self.forget, "Forget the package; nothing was changed", "flat")
        self.words, self.said = label(_AT_FIRST, "dim", wrap=True), label("", wrap=True)
        self.table = RecordTable(_columns(), "What the package would change")
        self.table.theme = lambda: session.theme
        self._lay_out()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(6)
        self.out = QWidget()
        out = QVBoxLayout(self.out)
        out.setContentsMargins(0, 0, 0, 6)
        out.setSpacing(6)
        out.addWidget(self.what)
        out.addWidget(label(_IN_IT, "dim", wrap=True))
        out.addWidget(self.notes)
        out.addLayout(row(self.give, 1))
        box.addWidget(self.out)
        box.addWidget(label("Take over", "strong"))
        box.addLayout(row(self.which, self.leave, 1, spacing=8))
        box.addWidget(self.words)
        box.addWidget(self.said)
        box.addWidget(self.table, 1)

    def show_now(self) -> None:
        place = ground.here(self.session.store, self.session.scope)
        self.what.setText(f"Hand over {one_line(place.show.name)}, {one_line(place.site.name)}")
        if self._package is not None:
            self._preview(self._package)
        self._show()

    def _preview(self, package: Package) -> None:
        """Look beside the window what a package would change of the book as it is now."""
        where = self.session.store.place
        self._takeover = None

        def work(_: object) -> Takeover:
            with closing(Store.open(where)) as store:
                return handover.preview(store, package)

        self.session.jobs.quiet("what a package would change", work, lambda found: self._previewed(package, found))

    def _previewed(self, package: Package, found: Takeover) -> None:
        if package is self._package:
            self._takeover = found
            self._show()

    # giving

    def hand_over(self) -> None:
        """Ask where the package goes."""
        if not self.session.ready():
            return
        place = ground.here(self.session.store, self.session.scope)
        path = files.ask_where(self, "Hand over", f"{place.show.name}.azven-handover.zip", _KINDS)
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """Write the package, with progress, stoppable."""
        session = self.session
        if not handover.key_of(session.store) and not session.do(lambda: handover.with_key(session.store)):
            return
        where, scope, now, by = session.store.place, session.scope, session.now(), session.store.author.who
        notes, pages = self.notes.toPlainText(), self._sheet()
        session.jobs.start(
            "Writing the hand-over",
            lambda progress: handover.write(where, scope, path, notes, pages, by, now, progress),
            lambda written: session.say(written.sentence(path.name), trouble=bool(written.site.left_out)),
        )

    def _sheet(self) -> bytes:
        """The frequency sheet as PDF."""
        from azven.desk.pdf import write_pdf

        session = self.session
        html = sheet.html(session.store, session.scope, session.board, session.now())
        with TemporaryDirectory(prefix="azven-handover-") as folder:
            path = Path(folder) / "sheet.pdf"
            write_pdf(html, path)
            return path.read_bytes()

    # taking

    def choose(self) -> None:
        """Ask which package, and look through it."""
        path = files.ask_which(self, "Take over", _KINDS)
        if path is not None:
            self.look_through(path)

    def look_through(self, path: Path) -> None:
        """Read a package and show what it would change."""
        self.session.jobs.start(
            f"Reading {path.name}", lambda _: package_format.read(path), lambda found: self.show_package(path, found)
        )

    def show_package(self, path: Path, package: Package) -> None:
        """What a package would change."""
        self._path, self._package = path, package
        self.refresh()

    def forget(self) -> None:
        """Leave the package."""
        self._package = self._takeover = None
        self._show()

    def _show(self) -> None:
        package, takeover = self._package, self._takeover
        self.table.show_records(takeover.lines if takeover is not None else [])
        self.words.setText(_AT_FIRST if package is None else _in_words(package, takeover, self._path.name))
        self.said.setText(package.notes.strip() if package is not None else "")
        self.said.setVisible(bool(self.said.text()))
        self.leave.setEnabled(package is not None)
        self.out.setVisible(package is None)  # what comes in has the room then
        self.primary_changed.emit()

    def primary(self) -> tuple[str, bool]:
        return "Take it over", self._takeover is not None and bool(self._takeover.edit)

    def run_primary(self) -> None:
        """All that the package brings, as one step that can be undone; one goes there to look at it."""
        session, takeover = self.session, self._takeover
        if takeover is not None and session.do(lambda: takeover.edit):
            session.say(f"Took over {self._path.name}; this is its show.")
            self.forget()
            session.go(of_show(session.store.get(Show, takeover.show)))

    def actions_offered(self) -> list[Action]:
        return [
            Action("hand-over", "Register: hand over to the next engineer…", self.hand_over),
            Action("take-over", "Register: take over a package…", self.choose),
        ]

    def take_focus(self) -> None:
        self.notes.setFocus()


def _in_words(package: Package, takeover: Takeover | None, name: str) -> str:
    about = package.about
    by = f" by {one_line(about.by)}" if about.by else ""
    made = about.made[:16].replace("T", " ")
    told = f"{name}: {one_line(about.show_name)}, {one_line(about.site_name)}, written{by} {made} UTC."
    if takeover is None:
        return f"{told} Looking what it would change …"
    return told if takeover.edit else f"{told} Everything in it is here already."


def _columns() -> list[Column]:
    return [
        Column(title="Here", width=84, show=lambda x: x.fate, mark=lambda x: _MARKS.get(x.fate, "")),
        Column(title="What", width=120, show=lambda x: x.what),
        Column(title="About", width=440, show=lambda x: x.words, prose=True),
    ]
