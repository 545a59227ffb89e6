"""Listen's pages beside the plot: two sweeps compared, and what should be swept."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QScrollArea, QVBoxLayout, QWidget

from azven.book.edits import BookError
from azven.book.records import Sweep as SweepRecord
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.rf.detect import Difference
from azven.work import ground
from azven.work.listen import sequence, spectrum, views
from azven.work.listen.sequence import Step
from azven.work.listen.spectrum import Proposal
from azven.work.listen.views import Advice, Comparable
from azven.work.plan import Board


class _Numbered:
    """Something without an id of its own, with one for the table."""

    def __init__(self, number: int, what: Difference) -> None:
        self.id, self.what = number, what


class ComparePage(Page):
    """What appeared, went or grew between two sweeps."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.old, self.new = choice([], "Earlier sweep"), choice([], "Later sweep")
        self.words = label("", wrap=True)
        self.folded = button("Show small changes", self._unfold, "Changes no greater than noise makes", "flat")
        self._all = False
        self._view = Comparable((), ())
        self._found: list[Difference] = []
        self.table = RecordTable(_difference_columns(), "Differences between two sweeps")
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 0, 0, 0)
        yesterday = button("Since yesterday", self.since_yesterday, "The newest sweep against one a day before, here")
        box.addLayout(row(self.old, label("then", "dim"), self.new, yesterday, 1))
        line = row(self.words, self.folded)
        line.setStretch(0, 1)
        box.addLayout(line)
        box.addWidget(self.table, 1)
        for chooser in (self.old, self.new):
            chooser.activated.connect(self._compare)
        self.table.picked.connect(self._show)

    def read(self) -> Comparable:
        return views.comparable(self._session.store, self._session.scope, self._session.now())

    def show_view(self, view: Comparable) -> None:
        self._view, fresh = view, self.old.count() == 0
        entries: list[tuple[str, object]] = [(n, r.id) for r, n in zip(view.sweeps, view.called, strict=True)]
        fill(self.old, entries)
        fill(self.new, entries)
        if fresh and view.pair is not None:
            for chooser, key in zip((self.new, self.old), view.pair, strict=True):
                chooser.setCurrentIndex(chooser.findData(key))
        self._compare()

    def since_yesterday(self) -> None:
        """The newest sweep against the one that was taken here a day before."""
        found = spectrum.since_yesterday(self._session.store, self._session.scope)
        if found is None:
            self._session.say("No sweep is half a day older than the newest one; there is nothing to compare with yet.")
            return
        for chooser, record in zip((self.old, self.new), found, strict=True):
            chooser.setCurrentIndex(chooser.findData(record.id))
        self._compare()

    def _record(self, key: object) -> SweepRecord | None:
        return next((r for r in self._view.sweeps if r.id == key), None)

    def _compare(self) -> None:
        old, new = self._record(self.old.currentData()), self._record(self.new.currentData())
        if old is None or new is None or old.id == new.id:
            self.words.setText("Two sweeps are needed: what appeared, went or grew between them is listed here.")
            self._found = []
        else:
            try:
                self._found = spectrum.compare(self._session.store, old, new)
                self.words.setText(spectrum.compared_in_words(self._found))
            except BookError as error:
                self._found = []
                self.words.setText(str(error))
        self._list()

    def _unfold(self) -> None:
        self._all = not self._all
        self._list()

    def _list(self) -> None:
        """What matters, and the rest where it is asked for."""
        shown = [d for d in self._found if d.matters or self._all]
        self.folded.setText("Hide small changes" if self._all else "Show small changes")
        self.folded.setVisible(any(not d.matters for d in self._found))
        self.table.show_records([_Numbered(i, d) for i, d in enumerate(shown, start=1)])

    def _show(self, numbered: _Numbered) -> None:
        d = numbered.what
        air = max(2_000_000, d.high_hz - d.low_hz)
        self._session.view.show(d.low_hz - air, d.high_hz + air)


def _difference_columns() -> list[Column]:
    def figure(value: float, sign: str = "") -> str:
        return f"{value:{sign}.0f}".replace("-", "−")

    return [
        Column(title="What happened", width=120, show=lambda n: n.what.kind),
        Column(title="From MHz", width=96, show=lambda n: f"{n.what.low_hz / 1e6:.3f}", right=True),
        Column(title="To MHz", width=96, show=lambda n: f"{n.what.high_hz / 1e6:.3f}", right=True),
        Column(title="Width kHz", width=96, show=lambda n: f"{(n.what.high_hz - n.what.low_hz) / 1e3:.0f}", right=True),
        Column(title="By dB", width=76, show=lambda n: figure(n.what.by_db, "+"), right=True),
        Column(title="Level dBm", width=96, show=lambda n: figure(n.what.level_dbm), right=True),
    ]


class AdvicePage(Page):
    """Ranges worth sweeping for the kit at hand, and what is wrong with the sweeps there are."""

    wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        inside = QWidget()
        inside.setObjectName("stage")
        self._box = QVBoxLayout(inside)
        self._box.setContentsMargins(10, 0, 10, 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        outside = QVBoxLayout(self)
        outside.setContentsMargins(0, 0, 0, 0)
        outside.addWidget(scroll)

    def read(self) -> Advice:
        session = self._session
        return views.advice(session.store, session.scope, session.picture, session.now())

    def show_view(self, view: Advice) -> None:
        self._clear()
        self._box.addWidget(label("Ranges to sweep for this kit", "section"))
        if not view.proposals:
            self._box.addWidget(label("No links yet: add them in Kit, and their ranges are proposed here.", "dim"))
        for p in view.proposals:
            line = row(label(p.sentence(), wrap=True), button("Set it up", partial(self._ask, p)))
            line.setStretch(0, 1)
            self._box.addLayout(line)
        self._box.addWidget(
            label("Sweep twice each time: with an omni antenna at performer height, and through the receive antennas.")
        )
        self._section("What is wrong with the sweeps there are", view.warnings,
                      "Nothing: every use is served, fresh and fine enough.")  # fmt: skip
        self._section("Where the antennas disagree", view.silent, "Nowhere: every sweep sees the same multiplexes.")
        self._list_of_stations(view)
        self._section("Heard by one antenna only", view.one_sided, "Nothing: every line is heard about equally.")
        self._section("Lines that are ours", view.ours, "None: our transmitters were off, or are not seen.")
        self._box.addStretch(1)

    def _clear(self) -> None:
        while (item := self._box.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
            elif (layout := item.layout()) is not None:
                while (part := layout.takeAt(0)) is not None:
                    if (inner := part.widget()) is not None:
                        inner.deleteLater()

    def _list_of_stations(self, view: Advice) -> None:
        """The list of television transmitters for this place, editable, and where the sweeps disagree with it."""
        listed = QLineEdit(", ".join(view.stations))
        listed.setPlaceholderText("channels, such as 24, 31, 36")
        listed.setAccessibleName("Channels listed for this place")
        listed.setToolTip("What the regulator's list or a coverage map gives for this place")
        listed.editingFinished.connect(lambda: self._set_stations(listed, view.stations))
        self._section("Against the list of television stations", view.against_list,
                      "No difference." if listed.text() else "No list yet: enter its channels to compare.",
                      row(label("Listed here:", "dim"), listed))  # fmt: skip

    def _set_stations(self, listed: QLineEdit, before: tuple[str, ...]) -> None:
        session = self._session
        if listed.text() != ", ".join(before):
            session.do(lambda: ground.set_stations(session.store, session.scope, listed.text()))

    def _section(self, title: str, lines: Sequence[str], nothing: str, above: QHBoxLayout | None = None) -> None:
        self._box.addSpacing(8)
        self._box.addWidget(label(title, "section"))
        if above is not None:
            self._box.addLayout(above)
        for text in lines[:12]:
            self._box.addWidget(label(text, wrap=True))
        if len(lines) > 12:
            self._box.addWidget(label(f"and {len(lines) - 12} more", "dim"))
        if not lines:
            self._box.addWidget(label(nothing, "dim"))

    def _ask(self, proposal: Proposal) -> None:
        self.wanted.emit(proposal)


class SequencePage(Page):
    """Guided bring-up of a few links: all off, sweep, choose, switch on, next."""

    sweep_wanted = pyqtSignal(bool)
    _NOTHING = "Links that have no frequency yet are brought up here one after another. There is none."

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._steps: list[Step] = []
        self._at = 0
        self.list = QListWidget()
        self.list.setAccessibleName("Steps of the bring-up")
        self.words = label("", wrap=True)
        self.go = button("Begin", self.next_step)
        self.again = button("Start over", self.restart, "", "flat")
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 0, 10, 0)
        line = row(self.words, self.go, self.again)
        line.setStretch(0, 1)
        box.addLayout(line)
        box.addWidget(self.list, 1)

    def read(self) -> Board:
        return self._session.shown

    def show_view(self, view: Board) -> None:
        if not self._steps:
            names = sequence.candidates(view)
            self.words.setText(sequence.caution(len(names)) if names else self._NOTHING)
            self.go.setEnabled(bool(names))
        self.list.clear()
        for i, step in enumerate(self._steps):
            mark = "done   " if i < self._at else "now     " if i == self._at else "            "
            self.list.addItem(mark + step.text)

    def restart(self) -> None:
        self._steps, self._at = [], 0
        self.go.setText("Begin")
        self.refresh()

    def next_step(self) -> None:
        """Carry out the step that is due; what only hands can do is confirmed."""
        if not self._steps:
            board = self._session.board
            self._steps = sequence.steps(board, sequence.candidates(board))
            self._at = 0
        elif self._at < len(self._steps):
            self._carry_out(self._steps[self._at])
        self._show_due()

    def _carry_out(self, step: Step) -> None:
        session = self._session
        if step.kind == "sweep":
            self.sweep_wanted.emit(any(s.kind == "switch on" for s in self._steps[: self._at]))
        elif step.kind == "choose":
            try:
                edit, text = sequence.choose(session.store, session.scope, session.board, step.link)
            except ValueError as error:
                session.say(str(error), trouble=True)
                return
            session.do(lambda: edit)
            session.say(text)
        self._at += 1

    def _show_due(self) -> None:
        if self._at < len(self._steps):
            step = self._steps[self._at]
            self.words.setText(step.text)
            self.go.setText({"sweep": "Sweep", "choose": "Choose"}.get(step.kind, "Done"))
        else:
            self.words.setText("All links are on. Check them together: every transmitter on, walk the room.")
            self.go.setText("Begin")
            self._steps, self._at = [], 0
        self.refresh_list()

    def refresh_list(self) -> None:
        words = self.words.text()
        self.refresh()
        self.words.setText(words)
