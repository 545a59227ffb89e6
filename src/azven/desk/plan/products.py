"""The list of products near our links: filter, select, export."""

from pathlib import Path

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from azven.desk import files
from azven.desk.session import Session
from azven.desk.stage import button, choice, label, row
from azven.desk.tables import Column, RecordTable
from azven.rf.request import KINDS
from azven.work import chosen
from azven.work.plan import Board, threats
from azven.work.plan.threats import ThreatList
from azven.work.wording import decibel, formula, khz, mhz, product

_WITHIN_HZ = (0, 25_000, 50_000, 100_000, 250_000)
_LEVELS_DBM = (None, -110, -100, -90, -80, -70)


class ProductList(QWidget):
    """Worked out off the GUI thread when it is in view; the tightest first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._board: Board | None = None
        self.listed = ThreatList((), 0)
        self.victim, self.source = _words("Falls near"), _words("Product of")
        self.kind = choice([("every kind", ""), *((product(k), k) for k in KINDS)], "Kind of product")
        self.kind.setMaximumWidth(140)
        self.within = choice([(_within(w), w) for w in _WITHIN_HZ], "How far beyond the guard")
        self.within.setCurrentIndex(2)
        self.level = choice([(_at_least(level), level) for level in _LEVELS_DBM], "Least level at the receiver")
        self.table = RecordTable(_columns(), "Products near our links")
        self._summary, self._count = label(name="dim"), label(name="small")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 4, 12, 0)
        box.addLayout(row(self._summary, 1, self._count))
        export = button("Export", self.export, "Write what is listed as CSV")
        box.addLayout(row(self.victim, self.source, self.kind, self.within, self.level, 1, export, spacing=4))
        box.addWidget(self.table, 1)
        for words in (self.victim, self.source):
            words.textChanged.connect(self.show_matching)
        for field in (self.kind, self.level):
            field.currentIndexChanged.connect(self.show_matching)
        self.within.currentIndexChanged.connect(self._ask)
        self.table.picked.connect(lambda threat: session.select(chosen.Link(threat.victim_id)))

    def show_board(self, board: Board) -> None:
        """List the products of another plan."""
        if board is not self._board:
            self._board = board
            self._summary.setText(threats.summary(board))
            self._ask()

    def _ask(self) -> None:
        board, within = self._board, int(self.within.currentData())
        if board is not None:
            self._session.jobs.quiet("products", lambda _: threats.threats(board, within), self._listed)

    def _listed(self, found: ThreatList) -> None:
        self.listed = found
        self.show_matching()

    def show_matching(self) -> None:
        rows = threats.matching(
            self.listed, self.victim.text(), self.source.text(), self.kind.currentData(), self.level.currentData()
        )
        self.table.show_records(rows)
        more = f", the nearest {threats.MOST} of {self.listed.found} kept" if self.listed.found > threats.MOST else ""
        self._count.setText(f"{len(rows)} products{more}")

    def export(self) -> None:
        path = files.ask_where(self, "Products as CSV", "products.csv", "CSV (*.csv)")
        if path:
            self.write(path)

    def write(self, path: Path) -> None:
        """Write the listed rows to `path`."""
        rows = self.table.records.records
        files.write_text(self._session, path, threats.csv_text(rows), f"{len(rows)} products")


def _within(hz: int) -> str:
    return f"up to {khz(hz)} beyond the guard" if hz else "inside the guard only"


def _at_least(level_dbm: int | None) -> str:
    return "any level" if level_dbm is None else f"{decibel(level_dbm)} or more"


def _words(what: str) -> QLineEdit:
    made = QLineEdit()
    made.setPlaceholderText(what)
    made.setAccessibleName(f"{what}: only with these letters")
    made.setMinimumWidth(96)
    made.setMaximumWidth(130)
    return made


def _columns() -> list[Column]:
    def figure(hz: int) -> str:
        return f"{hz / 1e3:g}".replace("-", "−")

    return [
        Column(title="Falls near", width=118, show=lambda t: t.victim),
        Column(title="Kind", width=84, show=lambda t: formula(t.kind)),
        Column(title="Product MHz", width=96, show=lambda t: mhz(t.product_hz), right=True),
        Column(title="Away kHz", width=86, show=lambda t: figure(t.distance_hz), right=True),
        Column(title="Beyond guard", width=116, show=lambda t: figure(t.slack_hz), right=True),
        Column(
            title="Level dBm",
            width=92,
            show=lambda t: "" if t.level_dbm is None else decibel(t.level_dbm, "").strip(),
            right=True,
        ),
        Column(title="Product of", width=300, show=lambda t: t.formula),
    ]
