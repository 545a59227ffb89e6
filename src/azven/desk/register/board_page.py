"""Board: what is astray, and all campuses at a glance; a duty that is pointed at becomes the list."""

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.book.records import Show, Site
from azven.desk.register.board_view import BoardView
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, label, row, scrolled
from azven.desk.tables import Column, RecordTable
from azven.work import chosen, register
from azven.work.register import Asked, board
from azven.work.register.astray import Astray, astray

_LOOK_MS, _ROWS = 2_000, 3
_ROW_PX, _HEADING_PX = 24, 34


class BoardPage(RegisterPage):
    """Asks for the units of a campus in a state. What racks hear is looked at while the page is in view."""

    title = "Board"
    asked = pyqtSignal(object, str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.words = FittedLabel("dim")
        self.astray = RecordTable(_columns(), "Units that are astray")
        self.astray.theme = lambda: session.theme
        self.astray.setFixedHeight(_HEADING_PX + _ROWS * _ROW_PX)
        self.take = button("Take it in", self.take_in, "It is here and at work: assign it to this show, at this site")
        self.view = BoardView(session)
        self.view.asked.connect(self.asked)
        self.wrong = QWidget()
        above = QVBoxLayout(self.wrong)
        above.setContentsMargins(0, 0, 0, 2)
        above.setSpacing(2)
        self.heading = label("", "section")
        above.addLayout(row(self.heading, 1, self.take))
        above.addWidget(self.astray)
        self.wrong.hide()
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self._look)
        self.astray.picked.connect(lambda x: session.select(chosen.Unit(x.unit.id)) if x.unit is not None else None)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        box.addWidget(self.wrong)
        box.addWidget(self.words)
        box.addWidget(scrolled(self.view), 1)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._timer.start()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self._timer.stop()

    def show_now(self) -> None:
        now = self.session.now()
        rows = board.campuses(self.session.store, now)
        self.view.show_campuses(rows, now)
        units, missing = sum(c.total for c in rows), sum(c.of("missing").count for c in rows)
        late = sum(c.of("on loan").late for c in rows)
        named = (("missing", missing), ("late", late))
        wrong = ", ".join(f"{n} {what}" for what, n in named if n) or "nothing is missing or late"
        sites = sum(c.site is not None for c in rows)
        self.words.setText(f"{units:,}".replace(",", " ") + f" units at {sites} campuses; {wrong}.")
        self._look()

    def _look(self) -> None:
        session = self.session
        self.view.show_people(board.with_people(session.store, self.view.campuses))
        found = astray(session.store, session.scope, session.live, session.now())
        self.wrong.setVisible(bool(found))
        known, strange = {x.unit.id for x in found if x.unit is not None}, sum(x.unit is None for x in found)
        more = f"{strange} on the air whose unit is not said" if strange else ""
        wrong = f"Heard otherwise than written: {len(known)}" if known else ""
        self.heading.setText("; ".join(part for part in (wrong, more) if part))
        self.astray.show_live(found)

    def take_in(self) -> None:
        """The chosen units are at work here: that is written now."""
        session, rows = self.session, self.astray.chosen() or self.astray.records.records[:1]
        store = session.store
        show, site = store.get(Show, session.scope.show), store.get(Site, session.scope.site)
        known = {x.unit.id: x for x in rows if x.unit is not None}
        if not known:
            session.say("Say in Kit who wears which unit for this link; then it can be taken in.", trouble=True)
        for item in known.values():
            told = Asked(deed="assign", at=session.now(), by=store.author.who, site=site, show=show,
                         link=item.link.name, why="heard at work")  # fmt: skip
            session.do(lambda unit=item.unit, told=told: register.do(store, [unit], told))  # type: ignore[misc]
        self.refresh()

    def take_focus(self) -> None:
        self.view.setFocus()


def _columns() -> list[Column]:
    return [
        Column(title="Unit", width=90, show=lambda x: x.name, mark=_mark),
        Column(title="What", width=380, show=lambda x: x.words, prose=True),
        Column(title="Evidence", width=300, show=lambda x: x.evidence, prose=True),
        Column(title="Serial", width=76, show=lambda x: x.serial),
    ]


def _mark(x: Astray) -> str:
    return "tight" if x.code in ("campus", "unknown") else "broken"
