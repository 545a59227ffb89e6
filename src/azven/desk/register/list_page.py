"""Units found by what is asked of them, deeds done with those that are chosen, labels scanned."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout

from azven.book.edits import BookError, Edit
from azven.book.records import Deed, Model, Site, Unit
from azven.desk.actions import Action
from azven.desk.register.deed_row import DEEDS, DeedRow
from azven.desk.register.page import RegisterPage
from azven.desk.register.question_rows import QuestionRows
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, label, pick, row
from azven.desk.tables import Column, RecordTable
from azven.work import chosen, register
from azven.work.reasons.unit import late
from azven.work.register import Asked, Question

_ASK_MS = 150


class ListPage(RegisterPage):
    """The database finds; what is shown is a page of it."""

    title = "List"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_ASK_MS)
        self._timer.timeout.connect(self._show)
        self.asked = QuestionRows(session, self._show, self._timer.start)
        self.words = FittedLabel("dim")
        self.table = RecordTable(self._columns(), "Units")
        self.table.theme = lambda: session.theme
        self.deeds = DeedRow(session, self.do_chosen)
        self.label = QLineEdit()
        self.label.setPlaceholderText("scan a label, or type its serial and Enter")
        self.label.setAccessibleName("Scan a label")
        self.scanned = FittedLabel()
        self._models: dict[int, str] = {}
        self._lay_out()
        self.table.picked.connect(lambda u: session.select(chosen.Unit(u.id)))
        self.table.selected.connect(self.primary_changed)
        self.deeds.deed.activated.connect(lambda _: self.primary_changed.emit())
        self.label.returnPressed.connect(self.scan)

    def _lay_out(self) -> None:
        self.label.setFixedWidth(310)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(6)
        box.addWidget(self.asked)
        box.addWidget(self.words)
        box.addWidget(self.table, 1)
        box.addWidget(self.deeds)
        scan = row(label("Label", "dim"), self.label, spacing=6)
        scan.addWidget(self.scanned, 1)
        box.addLayout(scan)

    def _columns(self) -> list[Column]:
        session = self.session
        return [
            Column(title="Unit", width=90, show=lambda u: u.name, mark=self._mark),
            Column(title="Serial", width=82, show=lambda u: u.serial),
            Column(title="Model", width=150, show=lambda u: self._models.get(u.model_id, "")),
            Column(title="State", width=74, show=lambda u: register.state_at(u, session.now())),
            Column(title="Where", width=150, show=lambda u: register.where_said(session.store, u)),
            Column(title="Who has it", width=90, show=lambda u: u.holder),
            Column(title="Since", width=104, show=lambda u: session.clock.day_said(u.since)),
            Column(title="Until", width=104, show=lambda u: session.clock.day_said(u.until)),
        ]  # fmt: skip

    def _mark(self, unit: Unit) -> str:
        """Broken: missing; tight: lent past its day."""
        now = self.session.now()
        return "broken" if unit.state == "missing" else "tight" if late(unit, now) else ""

    # finding

    def show_now(self) -> None:
        store = self.session.store
        self._models = {m.id: m.name for m in store.all(Model)}
        self.asked.refresh()
        self.deeds.refresh()
        self._show()

    def ask(self, asked: Question) -> None:
        """Ask this, and nothing else."""
        self.refresh()
        self.asked.ask(asked)

    def _show(self) -> None:
        store, asked, now = self.session.store, self.asked.question(), self.session.now()
        try:
            units, count = register.page(store, asked, now)
        except BookError as error:
            self.session.say(str(error), trouble=True)
            return
        self.table.show_records(units)
        whole = f"{count} unit{'' if count == 1 else 's'}"
        self.words.setText(f"{whole}; the first {len(units)} are shown" if count > len(units) else whole
                           if count else "No unit is like that.")  # fmt: skip

    # doing

    def primary(self) -> tuple[str, bool]:
        count = len(self.table.chosen())
        title = self.deeds.deed.currentText().capitalize()
        return (f"{title}, {count} units" if count > 1 else title), count > 0

    def run_primary(self) -> None:
        self.do_chosen()

    def do_chosen(self) -> None:
        """The deed that is filled in, with the units that are chosen."""
        units = self.table.chosen()
        if self._do(lambda: register.do(self.session.store, units, self.deeds.ask()), units):
            self.deeds.clear()

    def _do(self, make: Callable[[], Edit], units: list[Unit]) -> bool:
        store = self.session.store
        if not self.session.do(make):
            return False
        refused = [u.name for u in units if _last(store.all(Deed, unit_id=u.id)).refused]
        if refused:
            self.session.say(f"Kept, but refused: {', '.join(refused[:5])} cannot be taken so (retired, or not).",
                             trouble=True)  # fmt: skip
        return True

    def scan(self) -> None:
        """The unit with this serial was here now: it is where the show is, and a missing one is found."""
        serial, session = self.label.text().strip(), self.session
        self.label.clear()
        if not serial:
            return
        found = session.store.page(Unit, 0, 2, serial=serial)
        if len(found) != 1:
            many = "Several units have" if found else "No unit has"
            self.scanned.setText(f"{many} the serial {serial}.")
            return
        (unit,) = found
        site = session.store.get(Site, session.scope.site)
        asked = Asked(deed="scan", at=session.now(), by=session.store.author.who, site=site)
        before = register.state_at(unit, session.now())
        if self._do(lambda: register.do(session.store, [unit], asked), [unit]):
            now = register.state_at(session.store.get(Unit, unit.id), session.now())
            change = f"was {before}, is {now}" if now != before else now
            self.scanned.setText(f"{unit.name}: {change}, at {site.name}.")
            session.select(chosen.Unit(unit.id))

    def actions_offered(self) -> list[Action]:
        return [
            *(Action(f"deed-{data}", f"Register: {title}", partial(self._choose, data)) for title, data in DEEDS),
            Action("scan-label", "Register: scan a label", self.label.setFocus),
        ]

    def _choose(self, deed: object) -> None:
        pick(self.deeds.deed, deed)
        self.deeds._turned()
        self.primary_changed.emit()

    def take_focus(self) -> None:
        self.asked.text.setFocus()


def _last(deeds: list[Deed]) -> Deed:
    return max(deeds, key=lambda d: d.id)
