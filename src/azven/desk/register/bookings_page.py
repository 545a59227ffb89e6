"""Bookings: what a show wants of each model, what is booked, what is short and where it could come from."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout

from azven.book.records import Booking, Show, Unit
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, pick, row
from azven.desk.tables import Column, RecordTable
from azven.refusal import Refusal
from azven.work import chosen, ids
from azven.work.register import booked, times
from azven.work.register.booked import Need


@dataclass(frozen=True)
class _Row:
    """A unit that is booked, with what that collides with."""

    unit: Unit
    collides: str

    @property
    def id(self) -> int:
        return self.unit.id


class BookingsPage(RegisterPage):
    """One show at a time."""

    title = "Bookings"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.show_ = choice([], "Show")
        self.load_in, self.load_out = QLineEdit(), QLineEdit()
        for field, name in ((self.load_in, "Load-in"), (self.load_out, "Load-out")):
            field.setAccessibleName(name)
            field.setPlaceholderText("2026-09-12 18:00")
            field.setFixedWidth(176)
            field.editingFinished.connect(self._times_set)
        self.words = FittedLabel("dim")
        self.needs = RecordTable(self._need_columns(), "What the show wants")
        self.units = RecordTable(self._unit_columns(), "Units that are booked")
        for table in (self.needs, self.units):
            table.theme = lambda: session.theme
        self.here = button("Book what is here", self.book_here, "Free units whose home this site is, as many as wanted")
        self.anywhere = button("Book from everywhere", self.book_everywhere,
                               "Those too that are free at other campuses, the nearest first", "flat")  # fmt: skip
        self.out = button("Take out", self.take_out, "The chosen units are not for this show any more", "flat")
        self._lay_out()
        self.show_.activated.connect(self.refresh)
        self.units.picked.connect(lambda r: session.select(chosen.Unit(r.id)))
        self._known: list[Need] = []
        self._of: int | None = None

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        when = label("from", "dim"), self.load_in, label("to", "dim"), self.load_out
        box.addLayout(row(self.show_, *when, 1, spacing=6))
        box.addWidget(self.words)
        box.addWidget(self.needs, 3)
        box.addLayout(row(self.here, self.anywhere, 1, self.out, spacing=6))
        box.addWidget(self.units, 2)

    def _need_columns(self) -> list[Column]:
        return [
            Column(title="", width=24, show=lambda n: "", mark=_state,
                   hint="Open: short; half: units come from elsewhere, or are not booked yet"),
            Column(title="Model", width=196, show=lambda n: n.model.name),
            Column(title="Band", width=104, show=lambda n: n.band),
            Column(title="Wanted", width=62, show=lambda n: str(n.wanted), right=True),
            Column(title="Booked", width=62, show=lambda n: str(len(n.booked)), right=True),
            Column(title="Free here", width=70, show=lambda n: str(len(n.supply.home)), right=True,
                   hint="Free and at home at the show's site, of those that are still wanted"),
            Column(title="Short", width=52, show=lambda n: str(n.short) if n.short else "", right=True),
            Column(title="From elsewhere", width=160, show=self._elsewhere, prose=True),
        ]  # fmt: skip

    def _unit_columns(self) -> list[Column]:
        return [
            Column(title="Unit", width=110, show=lambda r: r.unit.name, mark=lambda r: "broken" if r.collides else ""),
            Column(title="Serial", width=90, show=lambda r: r.unit.serial),
            Column(title="Home", width=140, show=lambda r: self._sites.get(str(r.unit.site_home_id), "")),
            Column(title="Collides with", width=200, show=lambda r: r.collides, prose=True),
        ]  # fmt: skip

    def _elsewhere(self, need: Need) -> str:
        return ", ".join(
            f"{len(x.units)} at {self._sites.get(x.site, 'a place nobody knows')}, {x.travel_min:.0f} min"
            for x in need.supply.others
        )

    # showing

    def show_record(self) -> Show | None:
        number = self.show_.currentData()
        return next((s for s in self.session.store.all(Show) if s.id == number), None)

    def show_now(self) -> None:
        session = self.session
        self._sites = booked.sites_of(session.store)
        shows = [s for s in session.store.all(Show) if not s.archived]
        fill(self.show_, ids.choices_of(shows))
        if self._of != session.scope.show:
            self._of = session.scope.show
            pick(self.show_, session.scope.show)
        show = self.show_record()
        if show is None:
            self.words.setText("There is no show yet.")
            return
        self._show_times(show)
        try:
            self._known = booked.needs(session.store, show, session.now())
            self._say(show)
        except Refusal as refusal:
            self._known = []
            self.words.setText(str(refusal))
        self.needs.show_records(self._known)
        hits = booked.collisions(session.store, show)
        units = [session.store.get(Unit, b.unit_id) for b in session.store.all(Booking, show_id=show.id)]
        self.units.show_records([_Row(u, hits.get(u.id, "")) for u in sorted(units, key=lambda u: u.name)])
        self.primary_changed.emit()

    def _show_times(self, show: Show) -> None:
        clock, when = self.session.clock, times.span(self.session.store, show)
        for field, said, moment in (
            (self.load_in, show.load_in, when.load_in if when else None),
            (self.load_out, show.load_out, when.load_out if when else None),
        ):
            if not field.hasFocus():
                field.setText(clock.said(said) if said is not None else "")
                field.setPlaceholderText(f"acts: {clock.said(moment)}" if moment is not None else "2026-09-12 18:00")

    def _say(self, show: Show) -> None:
        wanted = sum(n.wanted for n in self._known)
        held, short = sum(len(n.booked) for n in self._known), sum(n.short for n in self._known)
        short_words = f"; {short} are short, nobody has them free" if short else "; the rest is free somewhere"
        self.words.setText(f"{held} of {wanted} are booked{short_words if held < wanted else ''}.")

    # booking

    def primary(self) -> tuple[str, bool]:
        return "Book what is here", any(n.supply.home for n in self._known)

    def run_primary(self) -> None:
        self.book_here()

    def book_here(self) -> None:
        """Book free units at home."""
        self._book([u for n in self._known for u in n.supply.home])

    def book_everywhere(self) -> None:
        """Book free units of all campuses."""
        self._book([u for n in self._known for u in (*n.supply.home, *(x for o in n.supply.others for x in o.units))])

    def _book(self, numbers: Sequence[str]) -> None:
        show, store = self.show_record(), self.session.store
        if show is None or not numbers:
            self.session.say("Nothing that is wanted is free there.", trouble=True)
            return
        units = [store.get(Unit, int(n)) for n in numbers]
        self.session.do(lambda: booked.book(store, show, units))

    def take_out(self) -> None:
        """Take the chosen units out of the show."""
        show, units = self.show_record(), [r.unit for r in self.units.chosen()]
        if show is not None:
            self.session.do(lambda: booked.unbook(self.session.store, show, units))

    def _times_set(self) -> None:
        show = self.show_record()
        if show is None:
            return
        told = self.load_in.text().strip(), self.load_out.text().strip()
        clock = self.session.clock
        if told == tuple(clock.said(m) if m is not None else "" for m in (show.load_in, show.load_out)):
            return

        def moment(text: str) -> datetime | None:
            return clock.moment(text) if text else None

        self.session.do(lambda: times.set_span(show, moment(told[0]), moment(told[1])))

    def take_focus(self) -> None:
        self.needs.setFocus()


def _state(need: Need) -> str:
    if need.short:
        return "broken"
    return "sound" if len(need.booked) >= need.wanted else "tight"
