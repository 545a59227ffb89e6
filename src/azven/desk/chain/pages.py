"""Chain's lists: what is wrong, parts and cables, settings side by side."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.desk.chain.threat_row import ThreatRow
from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.rf.chain.design import Design
from azven.rf.chain.tune import GainPlan
from azven.work import chain
from azven.work.chain import Document, Side, parts, threats
from azven.work.chain import troubles as chain_troubles
from azven.work.chain.troubles import Trouble


class _Numbered:
    """Something without an id of its own, with one for the table."""

    def __init__(self, number: int, what: object) -> None:
        self.id, self.what = number, what


class TroublePage(QWidget):
    """Warnings with number and remedy, keep-away distances, and a strong transmitter that can be moved about."""

    picked = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.row = ThreatRow(session)
        self.keep_away = label("", "warn", wrap=True)
        self.table = RecordTable(
            [
                Column(title="What is wrong", width=510, show=lambda n: n.what.text),
                Column(title="What helps", width=340, show=lambda n: n.what.remedy),
            ],
            "What is wrong with the design",
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.row)
        box.addWidget(self.table, 1)
        box.addWidget(self.keep_away)
        self.table.picked.connect(lambda n: self.picked.emit(n.what.block))

    def show_design(self, document: Document, design: Design, troubles: list[Trouble]) -> None:
        self.row.show_design(document, design)
        shown = [_Numbered(i, t) for i, t in enumerate(troubles, start=1)]
        self.table.show_records(shown or [_Numbered(1, Trouble("", "Nothing is wrong with this design.", ""))])
        self.keep_away.setText("\n".join(chain_troubles.keep_away(design)))


class PartsPage(QWidget):
    """What has to be in the case, and every cable with what another class would buy."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.parts = RecordTable(
            [
                Column(title="Number", width=66, show=lambda p: str(p.count), right=True),
                Column(title="What", width=230, show=lambda p: p.what),
                Column(title="Where", width=300, show=lambda p: p.where),
            ],
            "Parts",
        )
        self.cables = RecordTable(
            [
                Column(title="Label", width=50, show=lambda c: c.label),
                Column(title="From and to", width=220, show=lambda c: c.where),
                Column(title="Class", width=126, show=lambda c: c.what),
                Column(title="m", width=44, show=lambda c: f"{c.length_m:g}", right=True),
                Column(title="Loss dB", width=66, show=lambda c: f"{c.loss_db:.1f}", right=True),
                Column(title="Another class: dB it buys (+) or costs (−)", width=340, show=lambda c: c.choices),
            ],
            "Cables",
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.parts, 1)
        box.addWidget(self.cables, 1)

    def show_design(self, design: Design) -> None:
        self.parts.show_records(parts.parts(design))
        self.cables.show_records(parts.cables(design))


class ComparePage(QWidget):
    """The design as it is, everything turned up, as Set gains would have it, and what each gain is for."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.table = RecordTable(self._columns(), "Settings side by side")
        self.reasons = label("Set gains says here what each gain is for.", "dim", wrap=True)
        self._best: Side | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(row(button("Work out the best settings too", self._ask), 1))
        box.addWidget(self.table, 1)
        box.addWidget(self.reasons)
        self._document: Document | None = None

    def _columns(self) -> list[Column]:
        def figure(value: float | None) -> str:
            return "–" if value is None else f"{value:.1f}".replace("-", "−")

        def rooms(n: _Numbered) -> str:
            what = n.what
            assert isinstance(what, Side)
            return " · ".join(figure(snr) for snr in what.snr_db.values())

        return [
            Column(title="Setting", width=192, show=lambda n: n.what.name),
            Column(title="Headroom dB", width=102, show=lambda n: figure(n.what.headroom_db), right=True),
            Column(title="with a radio at 3 m", width=140, show=lambda n: figure(n.what.radio_headroom_db), right=True),
            Column(title="a+b-c dBm", width=84, show=lambda n: figure(n.what.products_dbm), right=True),
            Column(title="Over noise dB, rooms in order", width=200, show=rooms),
        ]

    def show_document(self, document: Document) -> None:
        if document is not self._document:
            self._document = document
            sides = threats.sides(document)
            if self._best is not None:
                sides.append(self._best)
            sides += threats.others(self._session.store, self._session.scope, document)
            self.table.show_records([_Numbered(i, s) for i, s in enumerate(sides, start=1)])

    def _ask(self) -> None:
        if self._document is None:
            return
        document = self._document
        design = chain.read(document)

        def work(_: object) -> tuple[GainPlan, Side]:
            plan = chain.plan_gains(design)
            return plan, threats.side_with_radio("Set gains", document, plan.settings)

        def show(found: tuple[GainPlan, Side]) -> None:
            self._best = found[1]
            self.explain(found[0])
            document, self._document = self._document, None
            if document is not None:
                self.show_document(document)

        self._session.jobs.quiet("best gains", work, show)

    def explain(self, plan: GainPlan) -> None:
        """What each gain is for."""
        self.reasons.setText("   ".join(f"{name}: {text}." for name, text in plan.reasons.items()))
