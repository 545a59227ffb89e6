"""Listen: take and import sweeps, see what they say together, own up to lines."""

from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from azven.book.formats import sweep_csv
from azven.book.formats.errors import FormatError
from azven.book.records import Sweep as SweepRecord
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.jobs import Job, Progress
from azven.desk.listen.pages import AdvicePage, ComparePage, SequencePage
from azven.desk.listen.plot import SweepPlot
from azven.desk.listen.waterfall import WaterfallPage
from azven.desk.session import Session
from azven.desk.stage import Stage, button, choice, label, row, rule
from azven.desk.tabs import Tabs
from azven.rf.venue import Settings
from azven.work import listen
from azven.work.listen import About, Taken
from azven.work.reasons import decibel, mhz
from azven.work.simulation import ANTENNAS
from azven.work.spectrum import Proposal

_RBW_HZ = (10_000, 30_000, 50_000, 100_000)
_POINTS = (1_001, 5_001, 10_001, 20_001)
_SIDE_W = 206
_PAGES = ("Sweeps", "Waterfall", "Compare", "What to sweep", "One by one")
_REPEAT: list[tuple[str, object]] = [
    ("once", -1), ("repeatedly", 0), ("every minute", 60), ("every 5 min", 300), ("every 10 min", 600),
    ("every 30 min", 1800),
]  # fmt: skip
_BREATH_MS, _WAIT_MS = 300, 5_000


class ListenStage(Stage):
    """Stack of sweeps and unclaimed lines on the left, plot and instrument on the right."""

    name, title = "listen", "Listen"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.plot = SweepPlot(session)
        self.waterfall, self.compare, self.advice = WaterfallPage(session), ComparePage(session), AdvicePage(session)
        self.sequence = SequencePage(session)
        self.sequence.sweep_wanted.connect(self._sweep_in_sequence)
        self._pages, self._tabs = QStackedWidget(), Tabs(_PAGES, self.show_page)
        self._timetable = QTimer(self, singleShot=True)
        self._timetable.timeout.connect(self._due)
        self.advice.wanted.connect(self._set_up)
        self.stack, self.lines = QListWidget(), QListWidget()
        for box in (self.stack, self.lines):
            box.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            box.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.stack.setAccessibleName("Sweeps, newest first")
        self.lines.setAccessibleName("Unclaimed lines")
        self._empty = label("", "dim", wrap=True)
        self._forecast = label("", "dim", wrap=True)
        self.repeat = choice(_REPEAT, "How often")
        self.until = QLineEdit()
        self.until.setPlaceholderText("until 19:30")
        self.until.setFixedWidth(96)
        self.until.setAccessibleName("Until, local time")
        self.until.setToolTip("Local time at which repeated sweeps end; empty: when you stop them")
        self._make_controls()
        self._lay_out()
        self.stack.currentItemChanged.connect(lambda item, _: self._select(item, "sweep"))
        self.lines.currentItemChanged.connect(lambda item, _: self._select(item, "line"))
        self.stack.itemChanged.connect(self._use)
        self._foretell()

    def _make_controls(self) -> None:
        addresses: list[tuple[str, object]] = []
        if self.session.venue is not None:
            addresses = [(f"stand-in: {ANTENNAS[k]}", a.resource) for k, a in self.session.venue.analysers.items()]
        self.address = choice(addresses, "Instrument address")
        self.address.setEditable(True)
        edit = self.address.lineEdit()
        if edit is not None and not addresses:
            edit.setPlaceholderText("TCPIP::192.0.2.7::5025::SOCKET")
        low, high = self.session.tuning_span()
        self.start, self.stop = QLineEdit(f"{round(low / 1e6)}"), QLineEdit(f"{round(high / 1e6)}")
        self.rbw = choice([(f"{r // 1000} kHz", r) for r in _RBW_HZ], "Resolution bandwidth")
        self.rbw.setCurrentIndex(1)
        self.count = choice([(f"{p} bins", p) for p in _POINTS], "Bins")
        self.count.setCurrentIndex(2)
        self.detector = choice([("average", "average"), ("peak", "peak")], "Detector")
        self.place, self.antenna = QLineEdit(), QLineEdit()
        self.place.setPlaceholderText("Where: room and spot")
        self.antenna.setPlaceholderText("Which antenna, how high")
        self.own_on = QCheckBox("our transmitters on")
        self.hears = choice(
            [
                ("for every use", "everyone"),
                ("for in-ear packs", "in-ears"),
                ("for receivers", "receivers"),
            ],
            "What the sweep counts for",
        )
        for field, name in (
            (self.start, "From MHz"),
            (self.stop, "To MHz"),
            (self.place, "Place"),
            (self.antenna, "Antenna"),
        ):
            field.setAccessibleName(name)
            field.textChanged.connect(self._foretell)
        for box in (self.rbw, self.count):
            box.currentIndexChanged.connect(self._foretell)
        self.address.currentIndexChanged.connect(self._name_antenna)
        self.address.editTextChanged.connect(lambda _: self.primary_changed.emit())
        self._name_antenna()

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
        right.addLayout(row(self._tabs, 1, spacing=4))
        for page in (self.plot, self.waterfall, self.compare, self.advice, self.sequence):
            self._pages.addWidget(page)
        right.addWidget(self._pages, 1)
        right.addWidget(rule())
        right.addLayout(self._controls())
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(side)
        box.addLayout(right, 1)

    def _controls(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        grid.setContentsMargins(10, 4, 0, 0)
        for field in (self.start, self.stop):
            field.setFixedWidth(54)
        self.rbw.setMinimumWidth(86)
        self.count.setMinimumWidth(108)
        self.detector.setMinimumWidth(86)
        span = row(
            self.start, label("to"), self.stop, label("MHz"), self.rbw, self.count, self.repeat, self.until, 1,
            spacing=6,
        )  # fmt: skip
        rows = (
            ("Instrument", row(self.address, self.detector, self.own_on)),
            ("Range", span),
            ("Place", row(self.place, self.antenna, self.hears)),
        )
        for i, (name, controls) in enumerate(rows):
            grid.addWidget(label(name, "dim"), i, 0)
            grid.addLayout(controls, i, 1)
        rows[0][1].setStretch(0, 1)
        grid.addWidget(self._forecast, len(rows), 0, 1, 2)
        grid.setColumnStretch(1, 1)
        return grid

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        records = listen.sweeps(self.session.store)
        picture = self.session.picture
        self._empty.setText("" if records else "No sweep yet. Take one with an instrument, or import a file.")
        self._empty.setVisible(not records)
        self._refill(self.stack, [self._sweep_item(r) for r in records])
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
        self._refresh_page()

    def show_page(self, number: int) -> None:
        """Sweeps, waterfall, compare or advice."""
        self._pages.setCurrentIndex(number)
        self._tabs.choose(number)
        self._refresh_page()

    def _refresh_page(self) -> None:
        page = self._pages.currentWidget()
        if isinstance(page, ComparePage | AdvicePage | SequencePage):
            page.refresh()
        elif page is not None:
            page.update()

    def _sweep_in_sequence(self, others_on: bool) -> None:
        """A sweep of the guided bring-up, with those on that have been brought up."""
        self.own_on.setChecked(others_on)
        self.repeat.setCurrentIndex(0)
        self._take()

    def _set_up(self, proposal: Proposal) -> None:
        self.start.setText(f"{proposal.low_hz / 1e6:g}")
        self.stop.setText(f"{proposal.high_hz / 1e6:g}")
        self.rbw.setCurrentIndex(self.rbw.findData(proposal.rbw_hz))
        self.count.setCurrentIndex(min(range(len(_POINTS)), key=lambda i: abs(_POINTS[i] - proposal.points)))
        self.show_page(0)

    def _sweep_item(self, record: SweepRecord) -> QListWidgetItem:
        now = self.session.now()
        own = " · ours on" if record.own_on else ""
        item = QListWidgetItem(f"{record.place}\n{record.antenna}\n{listen.age(record, now)}{own}")
        item.setToolTip(f"{record.place}, {record.antenna}, {record.taken_at:%Y-%m-%d %H:%M} UTC")
        item.setData(Qt.ItemDataRole.UserRole, record.id)
        item.setCheckState(Qt.CheckState.Checked if record.used else Qt.CheckState.Unchecked)
        if record.used:
            item.setIcon(self.plot.sample(record.id))
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

    def _select(self, item: QListWidgetItem | None, kind: str) -> None:
        if item is not None and (key := item.data(Qt.ItemDataRole.UserRole)) is not None:
            self.session.select(kind, key)

    def _use(self, item: QListWidgetItem) -> None:
        record = next(r for r in listen.sweeps(self.session.store) if r.id == item.data(Qt.ItemDataRole.UserRole))
        used = item.checkState() == Qt.CheckState.Checked
        self.session.do(lambda: listen.set_used(record, used))

    def primary(self) -> tuple[str, bool]:
        title = "Stop repeating" if self.repeating else "Sweep"
        return title, bool(self.address.currentText().strip())

    def actions_offered(self) -> list[Action]:
        return [
            Action("sweep", "Sweep now", self.run_primary),
            Action("import-sweep", "Import a sweep from CSV", self.import_file),
            Action("export-sweep", "Export the selected sweep as CSV", self.export_file, "", self._sweep_chosen),
            *self._tabs.as_actions("listen"),
        ]

    def _sweep_chosen(self) -> bool:
        return self.session.selection.kind == "sweep"

    # -- taking a sweep ------------------------------------------------------------------------------

    def settings(self) -> Settings:
        """What the controls say; ValueError when they make no sense."""
        try:
            low, high = (round(float(f.text().replace(",", ".")) * 1e6) for f in (self.start, self.stop))
        except (ValueError, OverflowError):
            raise ValueError("The range needs two numbers in MHz.") from None
        if not 0 < low < high:
            raise ValueError("The range has to end above its start.")
        return Settings(low, high, self.count.currentData(), float(self.rbw.currentData()), self.detector.currentData())

    def _foretell(self) -> None:
        try:
            text = listen.forecast(self.settings()).sentence
        except ValueError as error:
            text = str(error)
        self._forecast.setText(text)

    def _name_antenna(self) -> None:
        venue = self.session.venue
        if venue is None:
            return
        for name, analyser in venue.analysers.items():
            if analyser.resource == self._resource():
                self.antenna.setText(ANTENNAS[name])
                self.antenna.setCursorPosition(0)
                self.place.setText("Rope Hall, riser" if name == "omni" else "Rope Hall, receive antennas")
                self.hears.setCurrentIndex(1 if name == "omni" else 2)

    def _resource(self) -> str:
        text = self.address.currentText().strip()
        at = self.address.findText(text)
        return str(self.address.itemData(at)) if at >= 0 else text

    # -- repeatedly ------------------------------------------------------------------------------------

    @property
    def repeating(self) -> bool:
        """Whether another sweep is due by itself."""
        return self._timetable.isActive()

    def stop_repeating(self) -> None:
        """No further sweeps by themselves."""
        self._timetable.stop()
        self.primary_changed.emit()

    def _plan_next(self) -> None:
        """After a sweep: when the next one is due, if any."""
        every_s = float(self.repeat.currentData())
        if every_s < 0:
            return
        end = _local_time(self.until.text(), datetime.now())
        if end is not None and datetime.now() + timedelta(seconds=every_s) > end:
            self.session.say(f"The timetable ended at {end:%H:%M}.")
            return
        self._timetable.start(max(round(every_s * 1e3), _BREATH_MS))

    def _due(self) -> None:
        """A repeated sweep; when something else is running it waits for its turn."""
        if self.session.jobs.busy:
            self._timetable.start(_WAIT_MS)
        else:
            self._take()

    def run_primary(self) -> None:
        """Take a sweep with the instrument, or end repeated ones."""
        if self.repeating:
            self.stop_repeating()
        else:
            self._take()

    def _take(self) -> None:
        try:
            settings = self.settings()
        except ValueError as error:
            self.session.say(str(error), trouble=True)
            return
        about = About(self.place.text(), self.antenna.text(), self.own_on.isChecked(), self.hears.currentData())
        if self.session.venue is not None:
            self.session.venue.own_on = about.own_on
        self._sweep(self._resource(), settings, about)

    def _sweep(self, resource: str, settings: Settings, about: About) -> None:
        from azven.gear.instrument import ScpiInstrument

        holder: list[Job] = []

        def work(progress: Progress) -> tuple[Taken, str]:
            instrument = ScpiInstrument.at(resource)
            try:
                identity = instrument.identify()

                def part(freq: Any, level: Any, share: float) -> bool:
                    holder[0].tell((freq, level))
                    return progress(round(100 * share), 100)

                return listen.take(instrument, settings, part, lambda: ScpiInstrument.at(resource)), identity
            finally:
                instrument.close()

        self.plot.start_live()
        job = self.session.jobs.start("Sweeping", work, lambda found: self._keep(*found, about), self._draw)
        if job is None:
            self.plot.end_live()
            return
        holder.append(job)
        job.signals.failed.connect(self._failed)

    def _failed(self, _: object) -> None:
        """A sweep that brought nothing; a timetable goes on with the next."""
        self.plot.end_live()
        if float(self.repeat.currentData()) > 0:
            self._plan_next()

    def _draw(self, part: Any) -> None:
        self.plot.add_live(*part)

    def _keep(self, taken: Taken, identity: str, about: About) -> None:
        self.plot.end_live()
        sweep = taken.sweep
        store = self.session.store
        if self.session.do(lambda: listen.keep(store, sweep, about, identity)):
            low, high = sweep.freq_hz[0] / 1e6, sweep.freq_hz[-1] / 1e6
            text = f"Kept {len(sweep.freq_hz)} bins from {low:.1f} to {high:.1f} MHz."
            self.session.say(f"{text} {taken.remark}".strip(), trouble=bool(taken.remark))
            self.waterfall.add(sweep, self.session.now())
            self._plan_next()
        self.primary_changed.emit()

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
            names = ["the greatest of all", *file.columns]
            chosen, ok = QInputDialog.getItem(self, path.name, "Which column holds the levels?", names, 0, False)
            if not ok:
                return
            column = None if chosen == names[0] else chosen
        if file.unit_inferred:
            low, high = file.freq_hz[0] / 1e6, file.freq_hz[-1] / 1e6
            covers = f"{low:.3f} to {high:.3f} MHz"
            question = f"The file does not say its unit. Read as {file.unit} it covers {covers}. Is that right?"
            answer, ok = QInputDialog.getItem(self, path.name, question, ["Yes, keep it", "No, leave it out"], 0, False)
            if not ok or answer.startswith("No"):
                self.session.say(f"{path.name} was not read.")
                return
        store = self.session.store
        try:
            done = self.session.do(lambda: listen.import_sweep(store, path, file, column))
        except FormatError as error:
            self.session.say(str(error), trouble=True)
            return
        if done:
            remarks = f" {'; '.join(file.remarks)}." if file.remarks else ""
            self.session.say(f"Read {len(file.freq_hz)} bins from {path.name}.{remarks}")

    def export_file(self) -> None:
        if not self._sweep_chosen():
            return
        record = next(r for r in listen.sweeps(self.session.store) if r.id == self.session.selection.key)
        path = files.ask_where(self, "Export the sweep", f"{record.place}.csv", "CSV (*.csv)")
        if path:
            try:
                listen.export_sweep(self.session.store, record, path)
            except OSError as error:
                self.session.say(f"{path} could not be written: {error.strerror}.", trouble=True)


def _local_time(text: str, now: datetime) -> datetime | None:
    """The next moment a clock shows `HH:MM`; None for anything else."""
    try:
        hour, minute = (int(part) for part in text.strip().removeprefix("until").strip().split(":"))
        found = now.replace(hour=hour, minute=minute, second=0, microsecond=0)
    except ValueError:
        return None
    return found if found > now else found + timedelta(days=1)
