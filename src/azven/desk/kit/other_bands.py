"""Other bands page: those that everybody shares, with who else is there, our links in turn, and what a radar does."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from azven.book.edits import Edit, remove
from azven.book.formats.errors import FormatError
from azven.book.records import Link, Occupant, RadarEvent
from azven.desk.bulk import BulkBar
from azven.desk.kit.band_chart import BandChart, RadarChart
from azven.desk.kit.band_columns import BandColumns
from azven.desk.kit.pages import KitPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, label, row, scrolled
from azven.desk.tables import RecordTable
from azven.desk.tabs import Tabs
from azven.rf import bands
from azven.rf.shared import place
from azven.work import chosen, ids
from azven.work.bands import others, views
from azven.work.bands.views import BandView

_HEAD_H, _ROW_H, _MOST_ROWS = 46, 24, 7
_CHART_H = 150
_NAMES = (bands.ISM, bands.RLAN, bands.DECT)
_CARE = {
    bands.ISM: "Look with everybody else on the air. Receivers 3 m from access points, phones off the belt.",
    bands.DECT: "Packs choose their carriers by themselves; what counts is how many slots there are for each system.",
}  # fmt: skip


class OtherBandsPage(KitPage):
    """2.4, 5 and 1.9 GHz, one at a time."""

    title, adds = "Other bands", "Assign channels"
    pastes = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.columns = BandColumns(session)
        self.found: BandView | None = None
        self.band = bands.named(bands.ISM)
        self.which = Tabs(_NAMES, self.show_band)
        self.summary, self.turn = FittedLabel("dim"), FittedLabel("strong")
        self.chart, self.radar = BandChart(session), RadarChart(session)
        self.of_ours = RecordTable(self.columns.ours(), "Our links in this band")
        self.of_others = RecordTable(self.columns.others(), "Others in this band")
        self.of_radars = RecordTable(self.columns.radars(), "Radar events")
        for table in (self.of_ours, self.of_others, self.of_radars):
            table.theme = lambda: self.session.theme
        self.next = button("Assign it", self.assign_next, "Give the link whose turn it is the channel that suits it")
        self.wrong, self.told = label("", "bad", wrap=True), label("", "", wrap=True)
        self._make_entries()
        self._lay_out()
        self.of_ours.picked.connect(lambda link: session.select(chosen.Link(ids.of(link))))
        self.one_of(self.of_others, self.of_radars)
        session.judged.connect(self._again)

    def _make_entries(self) -> None:
        self.who, self.where, self.level, self.duty = (QLineEdit() for _ in range(4))
        hints = ("Name of the network", "Channel, e.g. 6", "dBm, e.g. −62", "% on the air")
        for field, hint, width in zip(self._fields, hints, (150, 108, 100, 92), strict=True):
            field.setPlaceholderText(hint)
            field.setAccessibleName(hint)
            field.setMinimumWidth(width)
            field.returnPressed.connect(self.add_other)
        self.minute, self.channel = QSpinBox(), QSpinBox()
        self.minute.setRange(0, views.DAY_MIN)
        self.minute.setAccessibleName("Minute of the show")
        self.channel.setRange(36, 165)
        self.channel.setSingleStep(4)
        self.channel.setValue(100)
        self.channel.setAccessibleName("Channel of the radar")

    @property
    def _fields(self) -> tuple[QLineEdit, ...]:
        return self.who, self.where, self.level, self.duty

    def _lay_out(self) -> None:
        head = row(self.which, self.summary, spacing=10)
        head.setStretchFactor(self.summary, 1)
        self.box.addLayout(head)
        body = QWidget()
        box = QVBoxLayout(body)
        box.setContentsMargins(0, 0, 8, 0)
        box.setSpacing(6)
        box.addWidget(self.empty)
        self.chart.setFixedHeight(_CHART_H)
        box.addWidget(self.chart)
        step = row(self.turn, self.next)
        step.setStretchFactor(self.turn, 1)
        box.addLayout(step)
        box.addWidget(self.wrong)
        box.addWidget(self.of_ours)
        box.addWidget(self._radar_part())
        box.addWidget(self.told)
        add = button("Add", self.add_other, "Somebody else on this band: an access point, a camera, phones")
        box.addLayout(row(label("Others", "section"), *self._fields, add, 1))
        box.addWidget(self.of_others)
        box.addWidget(BulkBar(self.of_others, self.of_others.records.columns))
        box.addStretch(1)
        self.box.addWidget(scrolled(body), 1)

    def _radar_part(self) -> QWidget:
        self.radars = QWidget()
        both = QHBoxLayout(self.radars)
        both.setContentsMargins(0, 0, 0, 0)
        left = QVBoxLayout()
        left.setSpacing(3)
        add = button("Add radar", self.add_radar, "Suppose a radar on this channel in this minute of the show")
        left.addLayout(row(label("minute", "dim"), self.minute, label("on", "dim"), self.channel, add, 1, spacing=5))
        self.of_radars.setFixedHeight(_HEAD_H + 2 * _ROW_H)
        left.addWidget(self.of_radars)
        both.addWidget(self.radar, 3)
        both.addLayout(left, 2)
        return self.radars

    @property
    def table(self) -> RecordTable:
        return self.of_radars if self.of_radars.chosen() else self.of_others

    # -- showing -------------------------------------------------------------------------------------

    def show_band(self, number: int) -> None:
        """One of the shared bands."""
        self.band = bands.named(_NAMES[number])
        self.which.choose(number)
        if self.band in [b.band for b in self.session.view.bands]:
            self.session.view.choose(self.band.name)
        self.refresh()

    def read(self) -> BandView:
        session = self.session
        self.found = views.view(session.store, session.scope, session.shown, self.band)
        self.columns.read(self.found.ours)
        return self.found

    def _again(self) -> None:
        if self.isVisible():
            self.refresh()

    def show_view(self, view: BandView) -> None:
        store, scope = self.session.store, self.session.scope
        by_radar, slots = view.band.name == bands.RLAN, view.band.name == bands.DECT
        self.chart.show_view(view)
        self.of_ours.show_records([v.link for v in view.ours])
        self.of_others.show_records(view.others)
        self.radars.setVisible(by_radar and bool(view.ours))
        if by_radar:
            self.radar.show_view(view)
            self.of_radars.show_records(view.events)
        for table, rows in ((self.of_ours, view.ours), (self.of_others, view.others)):
            table.setFixedHeight(_HEAD_H + _ROW_H * min(max(len(rows), 1), _MOST_ROWS))
        self.turn.setText(view.turn)
        self.next.setVisible(not slots)
        self.next.setEnabled(view.to_hz is not None)
        care = views.listening(store, scope) if by_radar else _CARE[view.band.name]
        self.summary.setText(care)
        self.wrong.setText(" ".join(view.wrong))
        self.wrong.setVisible(bool(view.wrong))
        self.told.setText("\n".join(view.told))
        self.told.setVisible(bool(view.told))
        self.of_ours.setVisible(bool(view.ours))
        nobody = f"No link of ours works at {view.band.name}. Links, with a model of this band, puts them here."
        self.show_empty(nobody, not view.ours)

    def choose_rows(self, numbers: set[int]) -> None:
        self.of_others.choose(numbers)
        self.of_others.show_chosen()

    # -- deeds ---------------------------------------------------------------------------------------

    def add(self) -> None:
        """Channels for all links of the band, worked out beside the window."""
        session, board, band = self.session, self.session.board, self.band
        request, held, mine = views.to_assign(session.store, board, band)

        def keep(found: dict[str, int]) -> None:
            if not session.board.asks_the_same(board):
                session.say("What it worked on was changed meanwhile, so its answer was not used. Run it again.",
                            trouble=True)  # fmt: skip
                return
            placed = {k: f for k, f in found.items() if k in mine}
            if session.do(lambda: views.assigned(session.store, session.scope, board, band, placed)):
                session.say(f"{session.undo.undoText()}.")

        session.jobs.start("Assign channels", lambda progress: place(request, held, progress), keep)

    def assign_next(self) -> None:
        """The next in the sequence takes its channel."""
        session, found = self.session, self.found
        if found is not None:
            session.do(lambda: views.assign_next(session.store, session.scope, found, session.board))

    def add_other(self) -> None:
        """Somebody else, from the fields."""
        store, scope = self.session.store, self.session.scope
        said = [f.text() for f in self._fields]
        if self.session.do(lambda: others.add_other(store, scope, *said)):
            for field in self._fields:
                field.clear()
            self.who.setFocus()

    def add_radar(self) -> None:
        """A radar event, from the fields."""
        store, scope = self.session.store, self.session.scope
        self.session.do(lambda: views.add_radar(store, scope, self.channel.value(), self.minute.value()))

    def paste_text(self, text: str) -> None:
        if not text.strip():
            self.session.say("Copy rows first: name, channel, level in dBm, and perhaps per cent of the time.")
            return
        try:
            pasted = others.paste(self.session.store, self.session.scope, text)
        except FormatError as error:
            self.session.say(str(error), trouble=True)
            return
        if pasted.used:
            self.session.do(lambda: pasted.edit)
        self.session.say(pasted.sentence(), trouble=bool(pasted.refused))

    def remove(self, found: Sequence[Occupant | RadarEvent | Link]) -> None:
        names = [f"radar on {r.channel}" if isinstance(r, RadarEvent) else r.name for r in found]
        title = f"Remove {names[0]}" if len(names) == 1 else f"Remove {len(names)} others"
        self.session.do(lambda: Edit(title, remove(found)))
