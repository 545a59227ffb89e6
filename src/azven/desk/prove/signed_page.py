"""What is left open, and the sign-off: who, when, and what has changed since."""

from typing import Any

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout

from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.work import chosen, ids
from azven.work.prove import signing
from azven.work.prove.proofs import Lane
from azven.work.prove.steps import TITLES


class OpenRow:
    """Something of a link that is not proven."""

    def __init__(self, number: int, lane: Lane, step: str, said: str, why: str, by: str) -> None:
        self.id, self.lane, self.step, self.said, self.why, self.by = number, lane, step, said, why, by


class SignedPage(Page):
    """The list of what is open stands on the sign-off as it is when somebody signs."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.standing = label("", wrap=True)
        self.changed = label("", "bad", wrap=True)
        self.who = QLineEdit()
        self.who.setPlaceholderText("Name of whoever signs")
        self.who.setAccessibleName("Name of whoever signs")
        self.note = QLineEdit()
        self.note.setPlaceholderText("A remark, if there is one")
        self.note.setAccessibleName("Remark")
        self.open = RecordTable(_columns(), "What is left open")
        self.count = label("", "section")
        self.sign_button = button("Sign off", self.sign, "With what is left open, as it stands now")
        self.back = button("Take it back", self.take_back, "The sign-off is taken back", "flat")
        self._lay_out()
        self.open.picked.connect(lambda r: session.select(chosen.Link(ids.of(r.lane.link))))

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 6, 0, 0)
        box.setSpacing(6)
        box.addWidget(self.standing)
        box.addWidget(self.changed)
        box.addLayout(row(self.who, self.note, self.sign_button, self.back, spacing=6))
        box.addWidget(self.count)
        box.addWidget(self.open, 1)

    def read(self) -> tuple[signing.Standing, list[OpenRow]]:
        session = self._session
        rows: list[OpenRow] = []
        for lane in session.racks.now.lanes:
            for p in lane.open:
                by = f"{p.made_by} {p.made_at.astimezone(session.clock.tz):%H:%M}"
                rows.append(OpenRow(len(rows) + 1, lane, TITLES[p.step], p.outcome, p.note, by))
            if lane.at is not None:
                left = len([s for s in lane.steps if s not in lane.ended])
                rows.append(OpenRow(len(rows) + 1, lane, TITLES[lane.at], "not proven", f"{left} steps to go", ""))
        return signing.standing(session.store, session.scope, session.firmware()), rows

    def show_view(self, view: Any) -> None:
        found, rows = view
        signed = found.signed
        self.back.setVisible(signed is not None)
        if signed is None:
            self.standing.setText("Nothing is signed off yet. What is open below will stand on the sign-off.")
        else:
            when = signed.made_at.astimezone(self._session.clock.tz)
            left = f", {len(signed.left_open)} points left open" if signed.left_open else ", nothing left open"
            note = f" “{signed.note}”" if signed.note else ""
            self.standing.setText(f"Signed off by {signed.made_by}, {when:%d %b %H:%M}{left}.{note}")
        names = [x.name for x in found.changed]
        more = f" and {len(names) - 6} more" if len(names) > 6 else ""
        self.changed.setText(f"Changed since, and no longer signed off: {', '.join(names[:6])}{more}." if names else "")
        self.changed.setVisible(bool(names))
        self.count.setText(f"Left open: {len(rows)}" if rows else "Nothing is left open")
        self.open.show_records(rows)

    def sign(self) -> None:
        session = self._session
        if session.do(
            lambda: signing.sign(
                session.store,
                session.scope,
                self.who.text(),
                session.now(),
                self.note.text(),
                session.firmware(),
                session.unit_settings(),
            )
        ):
            session.say(f"Signed off by {self.who.text().strip()}.")
            self.note.clear()

    def take_back(self) -> None:
        session = self._session
        session.do(lambda: signing.take_back(session.store, session.scope))


def _columns() -> list[Column]:
    return [
        Column(title="Link", width=160, show=lambda r: r.lane.link.name),
        Column(title="Step", width=90, show=lambda r: r.step),
        Column(title="How", width=90, show=lambda r: r.said),
        Column(title="Why", width=280, show=lambda r: r.why, prose=True),
        Column(title="By, at", width=120, show=lambda r: r.by),
    ]  # fmt: skip
