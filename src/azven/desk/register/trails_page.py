"""Trails: what somebody did and had, and who stood on a frequency here, before and now."""

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout

from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, choice, row
from azven.desk.tables import Column, RecordTable
from azven.refusal import Refusal
from azven.work import chosen, ground
from azven.work.register import trails
from azven.work.register.trails import Entry
from azven.work.wording import khz, mhz

_WITHIN: list[tuple[str, object]] = [
    ("± 25 kHz", 25_000), ("± 100 kHz", 100_000), ("± 500 kHz", 500_000), ("± 4 MHz", 4_000_000),
]  # fmt: skip
_AT_FIRST = "A number is a frequency in MHz at this site; anything else is the beginning of a person's name."


class TrailsPage(RegisterPage):
    """Asked with Enter: what is asked stays while the book changes."""

    title = "Trails"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.text = QLineEdit()
        self.text.setPlaceholderText("a frequency, as 518.025, or a person's name; then Enter")
        self.text.setAccessibleName("Whose trail, or of which frequency")
        self.text.setClearButtonEnabled(True)
        self.within = choice(_WITHIN, "How near a frequency")
        self.words = FittedLabel("dim")
        self.table = RecordTable(self._columns(), "The trail")
        self.table.theme = lambda: session.theme
        self._asked = ""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(6)
        line = row(self.text, self.within, spacing=6)
        line.setStretchFactor(self.text, 1)
        box.addLayout(line)
        box.addWidget(self.words)
        box.addWidget(self.table, 1)
        self.text.returnPressed.connect(self.ask)
        self.within.activated.connect(lambda _: self.refresh())
        self.table.picked.connect(lambda e: session.select(chosen.Unit(e.unit)) if e.unit is not None else None)

    def _columns(self) -> list[Column]:
        return [
            Column(title="When", width=156, show=self._when),
            Column(title="What", width=104, show=lambda e: e.what),
            Column(title="MHz", width=86, show=lambda e: mhz(e.freq_hz) if e.freq_hz is not None else "", right=True),
            Column(title="Which", width=420, show=lambda e: e.words, prose=True),
        ]

    def _when(self, e: Entry) -> str:
        return self.session.clock.said(e.at) if e.at is not None else "now"

    def ask(self) -> None:
        """Look for what is typed."""
        self._asked = self.text.text().strip()
        self.refresh()

    def show_now(self) -> None:
        found, said = self._found()
        self.words.setText(said)
        self.table.show_records(found)

    def _found(self) -> tuple[list[Entry], str]:
        session, asked = self.session, self._asked
        if not asked:
            return [], _AT_FIRST
        freq = _frequency(asked)
        if freq is None:
            found = trails.of_person(session.store, asked)
            return found, f"{_count(found, 'deed')} by or with somebody whose name begins with “{asked}”."
        within = int(self.within.currentData())
        found = trails.of_frequency(session.store, session.scope, freq, within, session.clock, session.now())
        return found, f"{_count(found, 'entry', 'entries')} within {khz(within)} of {mhz(freq)} MHz at this site."

    def take_focus(self) -> None:
        self.text.setFocus()


def _frequency(text: str) -> int | None:
    """What is typed in hertz, where it is a frequency."""
    plain = text.removesuffix("MHz").strip()
    try:
        found = ground.hertz(plain)
        ground.check_frequency(found)
    except Refusal:
        return None
    return found


def _count(found: list[Entry], one: str, many: str = "") -> str:
    n = len(found)
    word = one if n == 1 else many or f"{one}s"
    return f"The newest {n} {word}" if n == trails.MOST else f"{n or 'No'} {word}"
