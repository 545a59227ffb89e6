"""Listen: take and import sweeps, see what they say together, say whose a line is."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from azven.book.edits import BookError
from azven.book.formats import sweep_csv
from azven.book.formats.errors import FormatError
from azven.book.records import Sweep as SweepRecord
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.listen.instrument import InstrumentPanel
from azven.desk.listen.instruments import Instruments
from azven.desk.listen.pages import AdvicePage, ComparePage, SequencePage
from azven.desk.listen.peaks import PeaksPage
from azven.desk.listen.plot import CURVES, SweepPlot
from azven.desk.listen.waterfall import WaterfallPage
from azven.desk.session import Session
from azven.desk.stage import Stage, button, label, row, rule
from azven.desk.tabs import Pages
from azven.rf import bands
from azven.rf.sweep import Sweep
from azven.work import chosen, listen
from azven.work.chosen import Chosen
from azven.work.listen import files as sweep_files
from azven.work.listen.spectrum import Proposal
from azven.work.wording import decibel, mhz

_SIDE_W = 206
_PAGES = ("Sweeps", "Waterfall", "Peaks", "Compare", "What to sweep", "One by one")

_KEEP = "Yes, keep it"


class ListenStage(Stage):
    """Stack of sweeps and unclaimed lines on the left, plot and instrument on the right."""

    name, title = "listen", "Listen"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.plot = SweepPlot(session)
        self.waterfall, self.peaks, self.compare = WaterfallPage(session), PeaksPage(session), ComparePage(session)
        self.advice, self.sequence = AdvicePage(session), SequencePage(session)
        self.instruments = Instruments(session)
        shown = (self.plot, self.waterfall, self.peaks, self.compare, self.advice, self.sequence)
        self._pages = Pages(list(zip(_PAGES, shown, strict=True)))
        self.stack, self.lines = QListWidget(), QListWidget()
        for box in (self.stack, self.lines):
            box.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            box.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.stack.setTextElideMode(Qt.TextElideMode.ElideMiddle)  # long names differ at their ends
        self.stack.setAccessibleName("Sweeps, newest first")
        self.lines.setAccessibleName("Unclaimed lines")
        self._empty = label("", "dim", wrap=True)
        self._lay_out()
        self._connect()

    def _connect(self) -> None:
        self.stack.currentItemChanged.connect(lambda item, _: self._select(item, chosen.Sweep))
        self.lines.currentItemChanged.connect(lambda item, _: self._select(item, chosen.Line))
        self.stack.itemChanged.connect(self._use)
        self.advice.wanted.connect(self._set_up)
        self.sequence.sweep_wanted.connect(lambda others_on: self.instrument.take(others_on))
        self.instruments.changed.connect(self.primary_changed)
        self.instruments.began.connect(self.plot.start_live)
        self.instruments.heard.connect(lambda number, part: self.plot.add_live(number, *part))
        self.instruments.ended.connect(self.plot.end_live)
        self.instruments.kept.connect(self._kept)

    @property
    def instrument(self) -> InstrumentPanel:
        """The instrument whose controls are shown."""
        return self.instruments.current

    def _kept(self, sweep: Sweep) -> None:
        self.waterfall.add(sweep, self.session.now())

    def _lay_out(self) -> None:
        side = QWidget()
        side.setFixedWidth(_SIDE_W)
        left = QVBoxLayout(side)
        left.setContentsMargins(14, 10, 6, 6)
        left.setSpacing(4)
        left.addLayout(
            row(
                label("Sweeps", "section"),
                1,
                button("Import", self.import_file, "Read a sweep from a CSV file", "flat"),
            )
        )
        left.addWidget(self._empty)
        left.addWidget(self.stack, 3)
        left.addWidget(label("Unclaimed lines", "section"))
        left.addWidget(self.lines, 2)
        right = QVBoxLayout()
        right.setContentsMargins(0, 8, 12, 6)
        right.addLayout(row(self._pages.tabs, 1, spacing=4))
        right.addWidget(self._pages, 1)
        right.addWidget(rule())
        right.addWidget(self.instruments)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(side)
        box.addLayout(right, 1)

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        self.instruments.look_round()
        records = listen.sweeps(self.session.store, self.session.scope)
        picture = self.session.picture
        used = len(picture.sweeps)
        few = f"{used} in use: the {CURVES} newest as lines, all of them in grey." if used > CURVES else ""
        if lost := ", ".join(r.place for r in picture.unreadable):
            few = f"Damaged: {lost}. No channel it covers counts as quiet; sweep there again and set it aside."
        self._empty.setText(few if records else "No sweep yet. Take one with an instrument, or import a file.")
        self._empty.setVisible(bool(few) or not records)
        samples = self.plot.samples()
        self._refill(self.stack, [self._sweep_item(r, samples.get(r.id)) for r in records])
        items = []
        for line in picture.lines:
            item = QListWidgetItem(f"{mhz(line.freq_hz)}   {decibel(line.level_dbm)}")
            item.setData(Qt.ItemDataRole.UserRole, line)
            items.append(item)
        if not items:
            item = QListWidgetItem("none: everything heard is accounted for" if records else "")
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            items.append(item)
        self._refill(self.lines, items)
        self._pages.refresh()

    def show_page(self, number: int) -> None:
        """The plot, or another page."""
        self._pages.show_page(number)

    def _set_up(self, proposal: Proposal) -> None:
        self.instrument.set_up(proposal)
        self.show_page(0)

    def _band_of(self, record: SweepRecord) -> str:
        """The band of a sweep, where there are several."""
        return f"{bands.of_range(record.low_hz, record.high_hz).name} · " if len(self.session.view.bands) > 1 else ""

    def _sweep_item(self, record: SweepRecord, sample: QIcon | None) -> QListWidgetItem:
        now = self.session.now()
        own = " · ours on" if record.own_on else ""
        when = f"{self._band_of(record)}{listen.age(record, now)}{own}"
        item = QListWidgetItem(f"{record.place}\n{record.antenna}\n{when}")
        item.setToolTip(f"{record.place}, {record.antenna}, {self.session.clock.said(record.taken_at, with_zone=True)}")
        item.setData(Qt.ItemDataRole.UserRole, record.id)
        item.setCheckState(Qt.CheckState.Checked if record.used else Qt.CheckState.Unchecked)
        if sample is not None:
            item.setIcon(sample)
        return item

    @staticmethod
    def _refill(box: QListWidget, items: list[QListWidgetItem]) -> None:
        at = box.currentRow()
        box.blockSignals(True)
        box.clear()
        for item in items:
            box.addItem(item)
        box.setCurrentRow(at)
        box.blockSignals(False)

    def _select(self, item: QListWidgetItem | None, kind: Callable[[Any], Chosen]) -> None:
        if item is not None and (key := item.data(Qt.ItemDataRole.UserRole)) is not None:
            self.session.select(kind(key))

    def _use(self, item: QListWidgetItem) -> None:
        record = next(
            r
            for r in listen.sweeps(self.session.store, self.session.scope)
            if r.id == item.data(Qt.ItemDataRole.UserRole)
        )
        used = item.checkState() == Qt.CheckState.Checked
        self.session.do(lambda: listen.set_used(record, used))

    def primary(self) -> tuple[str, bool]:
        if self.instrument.repeating:
            return "Stop repeating", True
        return "Sweep", self.instrument.ready

    def run_primary(self) -> None:
        """Take a sweep with the instrument that is shown, or end repeated ones."""
        if self.instrument.repeating:
            self.instrument.stop_repeating()
        else:
            self.instrument.take()

    def held(self) -> str:
        """The timetable of an instrument, which would end with the panels."""
        repeating = [p.number for p in self.instruments.panels if p.repeating]
        return f"The timetable of instrument {repeating[0]}" if repeating else ""

    def actions_offered(self) -> list[Action]:
        return [
            Action("sweep", "Sweep now", self.run_primary),
            Action("sweep-all", "Sweep with all instruments", self.instruments.take_all),
            Action("add-instrument", "Add an instrument", self.instruments.add),
            Action("overload", "Sweep twice to find an overload", lambda: self.instrument.prove()),
            Action("import-sweep", "Import a sweep from CSV", self.import_file),
            Action(
                "export-sweep",
                "Export the selected sweep as CSV",
                self.export_file,
                "",
                lambda: self._chosen() is not None,
            ),
            *self._pages.tabs.as_actions("listen"),
        ]

    def _chosen(self) -> SweepRecord | None:
        """The selected sweep, as long as it is there."""
        selected = self.session.selection
        records = listen.sweeps(self.session.store, self.session.scope)
        return next((r for r in records if selected == chosen.Sweep(r.id)), None)

    # -- files ---------------------------------------------------------------------------------------

    def import_file(self) -> None:
        path = files.ask_which(self, "Import a sweep", "Sweeps (*.csv *.txt *.tsv);;All files (*)")
        if path:
            self.import_path(path)

    def import_path(self, path: Path) -> None:
        """Read a sweep file off this thread; ask what the file leaves open; keep it."""
        self.session.jobs.start("Reading", lambda _: sweep_csv.read(path), lambda file: self._imported(path, file))

    def _imported(self, path: Path, file: sweep_csv.SweepFile) -> None:
        column: str | None = None
        if len(file.columns) > 1:
            names = ["the highest of all columns", *file.columns]
            picked, ok = QInputDialog.getItem(self, path.name, "Which column holds the levels?", names, 0, False)
            if not ok:
                return
            column = None if picked == names[0] else picked
        if file.unit_inferred:
            low, high = file.freq_hz[0] / 1e6, file.freq_hz[-1] / 1e6
            covers = f"{low:.3f} to {high:.3f} MHz"
            question = f"The file does not say its unit. Read as {file.unit} it covers {covers}. Is that right?"
            answer, ok = QInputDialog.getItem(self, path.name, question, [_KEEP, "No, leave it out"], 0, False)
            if not ok or answer != _KEEP:
                self.session.say(f"{path.name} was not read.")
                return
        store, scope = self.session.store, self.session.scope
        try:
            done = self.session.do(lambda: sweep_files.import_sweep(store, scope, path, file, column))
        except FormatError as error:
            self.session.say(str(error), trouble=True)
            return
        if done:
            remarks = f" {'; '.join(file.remarks)}." if file.remarks else ""
            self.session.say(f"Read {len(file.freq_hz)} bins from {path.name}.{remarks}")

    def export_file(self) -> None:
        record = self._chosen()
        if record is None:
            return
        path = files.ask_where(self, "Export the sweep", f"{record.place}.csv", "CSV (*.csv)")
        if path:
            try:
                sweep_files.export_sweep(self.session.store, record, path)
            except OSError as error:
                self.session.say(f"{path} could not be written: {error.strerror}.", trouble=True)
            except BookError as error:
                self.session.say(str(error), trouble=True)
