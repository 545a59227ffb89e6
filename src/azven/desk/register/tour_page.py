"""Tour: the show at the next site, what stays there and what moves, before anybody takes it."""

import time
from pathlib import Path

from PyQt6.QtWidgets import QVBoxLayout

from azven.book.records import Show, Site
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.rf.coordinate.tour import Progress
from azven.work import chosen, ids
from azven.work.register import touring
from azven.work.register.touring import Leg
from azven.work.scope import of_show
from azven.work.wording import mhz

_AT_FIRST = "Choose where the show goes: its links, names and units stay, frequencies move only where they must."


class TourPage(RegisterPage):
    """The show that is open goes from site to site."""

    title = "Tour"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.leg: Leg | None = None
        self.to = choice([], "The next site")
        self.work = button("Work out", self.work_out, "What stays and what moves there; nothing is changed yet")
        self.out = button("Sheet …", self.save, "For the crew: what changes first, as CSV", "flat")
        self.words, self.missing = label("", "dim", wrap=True), label("", "warn", wrap=True)
        self.table = RecordTable(_columns(), "Links at the next site")
        self.table.theme = lambda: session.theme
        self._lay_out()
        self.to.activated.connect(lambda _: self._forget())
        self.table.picked.connect(lambda s: session.select(chosen.Link(s.id)))

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(6)
        line = row(label("This show goes to", "dim"), self.to, self.work, spacing=8)
        line.addStretch(1)
        line.addWidget(self.out)
        box.addLayout(line)
        box.addWidget(self.words)
        box.addWidget(self.missing)
        box.addWidget(self.table, 1)

    def show_now(self) -> None:
        session = self.session
        store, scope = session.store, session.scope
        show = store.get(Show, scope.show)
        others = [s for s in store.all(Site) if s.id != scope.site and not s.archived]
        fill(self.to, ids.choices_of(others))
        self.work.setEnabled(bool(others))
        if self.leg is not None and (self.leg.show.id != show.id or self.leg.site.id not in {s.id for s in others}):
            self.leg = None
        self._show_leg()

    def _forget(self) -> None:
        self.leg = None
        self._show_leg()

    def _show_leg(self) -> None:
        leg = self.leg
        self.table.show_records(leg.steps if leg is not None else [])
        nowhere = not self.to.count()
        at_first = "There is no other site in this book; add one first." if nowhere else _AT_FIRST
        self.words.setText(touring.in_words(leg) if leg is not None else at_first)
        self.missing.setText(" ".join(leg.missing) if leg is not None else "")
        self.missing.setVisible(leg is not None and bool(leg.missing))
        self.out.setEnabled(leg is not None)
        self.primary_changed.emit()

    # -- deeds -----------------------------------------------------------------------------------------

    def work_out(self) -> None:
        """Look for frequencies at the next site, with progress, stoppable."""
        session, site = self.session, self.to.currentData()
        if site is None:
            return
        where, show, begun = session.store.place, session.scope.show, time.monotonic()

        def work(progress: Progress) -> Leg:
            return touring.leg_of(where, show, site, progress, lambda: time.monotonic() - begun)

        session.jobs.start("Looking for frequencies at the next site", work, self._worked_out)

    def _worked_out(self, leg: Leg) -> None:
        if leg.show.id == self.session.scope.show and leg.site.id == self.to.currentData():
            self.leg = leg
            self._show_leg()

    def primary(self) -> tuple[str, bool]:
        leg = self.leg
        if leg is None:
            return "Take it there", False
        return f"Take it to {leg.site.name}", not leg.stopped

    def run_primary(self) -> None:
        """The show at the next site, as worked out; one goes there to look at it."""
        session, leg = self.session, self.leg
        if leg is None or leg.stopped:
            return
        known = {s.id for s in session.store.all(Show)}
        if session.do(lambda: touring.take(session.store, leg)):
            new = next(s for s in session.store.all(Show, site_id=leg.site.id) if s.id not in known)
            self.leg = None
            session.go(of_show(new))

    def save(self) -> None:
        """Ask where the sheet goes."""
        leg = self.leg
        if leg is None:
            return
        path = files.ask_where(self, "Sheet of changes", f"{leg.show.name} at {leg.site.name}.csv", "CSV (*.csv)")
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """The sheet as a file, whole or not at all."""
        if self.leg is not None:
            files.write_text(self.session, path, touring.csv_text(self.leg.steps), "the sheet of changes")

    def actions_offered(self) -> list[Action]:
        return [Action("register-tour", "Work out the show at the next site", self.work_out)]

    def take_focus(self) -> None:
        self.to.setFocus()


def _columns() -> list[Column]:
    return [
        Column(title="Link", width=128, show=lambda s: s.name,
               mark=lambda s: "broken" if s.broken else _MARKS[s.change]),
        Column(title="Before", width=86, show=lambda s: _mhz(s.before_hz), right=True, hint="MHz, where it stands now"),
        Column(title="There", width=86, show=lambda s: _mhz(s.there_hz), right=True, hint="MHz at the next site"),
        Column(title="Change", width=84, show=lambda s: "BROKEN" if s.broken else s.change),
        Column(title="Why", width=360, show=lambda s: s.why, prose=True),
        Column(title="Room", width=110, show=lambda s: s.room),
    ]  # fmt: skip


_MARKS = {"no place": "broken", "moves": "tight", "new": "tight", "stays": "", "own choice": ""}


def _mhz(hz: int | None) -> str:
    return mhz(hz) if hz is not None else ""
