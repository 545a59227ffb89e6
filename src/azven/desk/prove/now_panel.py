"""The step that is due: an order in large type, what must hold, the trace, the figure, and what one may say to it."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from azven.book.records import ProofStep
from azven.desk.prove.trace import TraceView
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, label, put, put_title, row
from azven.work.prove.offers import Offer
from azven.work.prove.proofs import Lane
from azven.work.prove.steps import HOLD_S, TOGETHER, Judged, Seen, order
from azven.work.wording import mhz

_SENDS: dict[ProofStep, str] = {
    "network": "Send name", "frequency": "Send frequency", "sync": "Sync", "level": "Send setting",
    "lock": "Send setting", "squelch": "Send setting",
}  # fmt: skip


class NowPanel(QWidget):
    """Shows one step of one link. `said` carries what a person says to it: held, failed, left open, send."""

    said = pyqtSignal(str)
    offered = pyqtSignal(object)
    """What was offered because the step fails, and was taken."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.where = FittedLabel("dim")
        self.order, self.must = label("", "order", wrap=True), label("", wrap=True)
        self.figure, self.beside = label("", "big"), FittedLabel("dim")
        self.stands = label("", wrap=True)
        self.trace = TraceView(session)
        self.holds = button("It holds", lambda: self.said.emit("held"), "", "primary")
        self.fails = button("It fails", lambda: self.said.emit("failed"), "Write down that it does not hold")
        self.open = button(
            "Leave open …", lambda: self.said.emit("left open"), "Go on without it; a reason is asked for"
        )
        self.sends = button("Send", lambda: self.said.emit("send"))
        self.all = button(
            "All that stand here hold", lambda: self.said.emit("all"), "For every link at this step at once"
        )
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setObjectName("thin")
        self._lay_out()

    def _lay_out(self) -> None:
        big = QFont(self.font())
        big.setPixelSize(23)
        big.setBold(True)
        self.order.setFont(big)
        self.order.setStyleSheet("font-size: 23px; font-weight: bold;")
        self.figure.setStyleSheet("font-size: 26px; font-weight: bold;")
        self._offers: list[Offer] = []
        self.offers = QVBoxLayout()
        self.offers.setSpacing(4)
        left = QVBoxLayout()
        left.setSpacing(3)
        for part in (self.where, self.order, self.must):
            left.addWidget(part)
        say = QVBoxLayout()
        say.setSpacing(4)
        say.addWidget(self.holds)
        say.addWidget(self.progress)
        say.addWidget(self.sends)
        say.addWidget(self.all)
        say.addLayout(row(self.fails, self.open, spacing=6))
        say.addLayout(self.offers)
        say.addStretch(1)
        side = QWidget()
        side.setLayout(say)
        side.setFixedWidth(226)
        figures = QVBoxLayout()
        figures.setSpacing(2)
        figures.addWidget(self.figure)
        figures.addWidget(self.beside)
        figures.addStretch(1)
        below = QHBoxLayout()
        below.addWidget(self.trace, 3)
        below.addLayout(figures, 2)
        left.addLayout(below)
        self.stands.setMinimumHeight(2 * self.fontMetrics().height() + 4)
        self.stands.setAlignment(Qt.AlignmentFlag.AlignTop)
        left.addWidget(self.stands)
        both = QHBoxLayout(self)
        both.setContentsMargins(0, 0, 0, 0)
        both.addLayout(left, 1)
        both.addWidget(side)

    def show_nothing(self, words: str) -> None:
        """Nothing is due, and why."""
        self.where.setText("")
        self.order.setText(words)
        for text in (self.must, self.figure, self.beside, self.stands):
            text.setText("")
        for part in (self.trace, self.holds, self.fails, self.open, self.sends, self.all, self.progress):
            part.setVisible(False)
        self.show_offers([])

    def show_offers(self, offers: Sequence[Offer]) -> None:
        """Buttons for what may be done about a step that fails."""
        if list(offers) == self._offers:
            return
        self._offers = list(offers)
        while (item := self.offers.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        for offer in offers:
            self.offers.addWidget(button(offer.title, partial(self.offered.emit, offer)))

    def show_step(self, lane: Lane, step: ProofStep, seen: Seen, judged: Judged, goes_on: bool) -> None:
        """A step as it stands now."""
        what, must = order(step, seen)
        number = lane.steps.index(step) + 1
        freq = f" · {mhz(seen.freq_hz)}" if seen.freq_hz else ""
        put(self.where, f"Now: {lane.link.name}{freq} · step {number} of {len(lane.steps)}")
        put(self.order, what)
        put(self.must, must)
        put(self.figure, judged.figure)
        put(self.beside, judged.beside)
        put(self.stands, judged.said)
        wrong = "bad" if judged.state == "fails" else ""
        if self.stands.objectName() != wrong:
            self.stands.setObjectName(wrong)
            self.stands.setStyle(self.stands.style())
        self.trace.setVisible(step in ("off", "on", "sync"))
        self.trace.show_traces(seen.traces, judged.limit_dbm, step == "on")
        for part in (self.holds, self.fails, self.open, self.progress):
            part.setVisible(True)
        sends = _SENDS.get(step, "")
        if seen.is_ear and step in ("off", "on"):
            sends = "Sync" if step == "off" and seen.off else f"Switch the transmitter {step}"
        self.sends.setVisible(bool(sends))
        put_title(self.sends, sends)
        self.sends.setEnabled(judged.state != "holds" and seen.on_channel)
        self.all.setVisible(step in TOGETHER)
        self._countdown(judged, goes_on)

    def _countdown(self, judged: Judged, goes_on: bool) -> None:
        held = min(judged.held_s / HOLD_S, 1.0) if judged.state in ("holds", "waits") else 0.0
        self.progress.setVisible(held > 0)
        self.progress.setValue(round(100 * held))
        put_title(
            self.holds, "It holds" if not (goes_on and 0 < held < 1) else f"It holds, in {HOLD_S - judged.held_s:.0f} s"
        )
        self.holds.setEnabled(judged.state in ("holds", "by hand"))
        tips = {"fails": "It does not hold: say that it fails, leave it open, or mend it.", "waits": judged.said}
        self.holds.setToolTip(tips.get(judged.state, ""))
