"""Chain's lists: what is wrong, parts and cables, settings side by side."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QSlider, QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.rf.chain.design import Design
from azven.rf.chain.tune import GainPlan
from azven.work import chain
from azven.work.chain import Document, Side, Trouble

_FARTHEST_M, _PER_M = 30, 2


class _Numbered:
    """Something without an id of its own, with one for the table."""

    def __init__(self, number: int, what: object) -> None:
        self.id, self.what = number, what


class TroublePage(QWidget):
    """Warnings with number and remedy, keep-away distances, and a hand-held radio that can be moved about."""

    radio_moved = pyqtSignal(str, float)
    picked = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.zone = choice([], "Room the radio is in")
        self.distance = QSlider(Qt.Orientation.Horizontal)
        self.distance.setRange(0, _FARTHEST_M * _PER_M)
        self.distance.setAccessibleName("Distance of the hand-held radio")
        self.said = label("no hand-held radio", "dim")
        self.keep_away = label("", "warn", wrap=True)
        self.table = RecordTable(
            [Column("What is wrong", 430, lambda n: n.what.text), Column("What helps", 330, lambda n: n.what.remedy)],
            "What is wrong with the design",
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        line = row(label("A 5 W radio at 460 MHz keys up in", "dim"), self.zone, self.distance, self.said)
        line.setStretch(2, 1)
        box.addLayout(line)
        box.addWidget(self.table, 1)
        box.addWidget(self.keep_away)
        self.distance.valueChanged.connect(self._move)
        self.zone.activated.connect(lambda: self._move(self.distance.value()))
        self.table.picked.connect(lambda n: self.picked.emit(n.what.block))

    def show_design(self, design: Design, troubles: list[Trouble]) -> None:
        fill(self.zone, [(z, z) for z in design.zones])
        shown = [_Numbered(i, t) for i, t in enumerate(troubles, start=1)]
        self.table.show_records(shown or [_Numbered(1, Trouble("", "Nothing is wrong with this design.", ""))])
        self.keep_away.setText("\n".join(chain.keep_away(design)))

    def _move(self, at: int) -> None:
        metres = at / _PER_M
        self.said.setText(f"{metres:g} m from its antenna" if metres else "no hand-held radio")
        if self.zone.currentData() is not None:
            self.radio_moved.emit(str(self.zone.currentData()), metres)


class PartsPage(QWidget):
    """What has to be in the case, and every cable with what another class would buy."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.parts = RecordTable(
            [
                Column("Number", 66, lambda p: str(p.count), right=True),
                Column("What", 230, lambda p: p.what),
                Column("Where", 300, lambda p: p.where),
            ],
            "Parts",
        )
        self.cables = RecordTable(
            [
                Column("Label", 50, lambda c: c.label),
                Column("From and to", 250, lambda c: c.where),
                Column("Class", 110, lambda c: c.what),
                Column("m", 50, lambda c: f"{c.length_m:g}", right=True),
                Column("Loss dB", 66, lambda c: f"{c.loss_db:.1f}", right=True),
                Column("Another class", 330, lambda c: c.choices),
            ],
            "Cables",
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.parts, 1)
        box.addWidget(self.cables, 1)

    def show_design(self, design: Design) -> None:
        self.parts.show_records(chain.parts(design))
        self.cables.show_records(chain.cables(design))


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
            return "   ".join(f"{zone} {figure(snr)}" for zone, snr in what.snr_db.items())

        return [
            Column("Setting", 150, lambda n: n.what.name),
            Column("Headroom dB", 108, lambda n: figure(n.what.headroom_db), right=True),
            Column("Strongest 3T3O dBm", 160, lambda n: figure(n.what.products_dbm), right=True),
            Column("Over noise dB, by room", 380, rooms),
        ]

    def show_document(self, document: Document) -> None:
        if document is not self._document:
            self._document = document
            up = chain.read(chain.everything_up(document))
            sides = [chain.side("as it is", chain.read(document)), chain.side("everything turned up", up)]
            if self._best is not None:
                sides.append(self._best)
            self.table.show_records([_Numbered(i, s) for i, s in enumerate(sides, start=1)])

    def _ask(self) -> None:
        if self._document is None:
            return
        design = chain.read(self._document)

        def work(_: object) -> tuple[GainPlan, Side]:
            plan = chain.plan_gains(design)
            return plan, chain.side("Set gains", design.with_settings(plan.settings))

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
