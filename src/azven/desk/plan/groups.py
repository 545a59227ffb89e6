"""Groups page: hardware group tables computed or read, and judged in a room."""

from pathlib import Path

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from azven.book.records import Model
from azven.desk import files
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.rf.groups import GroupVerdict
from azven.work import ground, ids
from azven.work.kit import group_gear
from azven.work.plan import Board, Progress, group_tables
from azven.work.plan.group_tables import Judged, Table

_EXPLAIN = (
    "Many receivers ship fixed groups that are clean within themselves. Compute such a table for a model, or read "
    "one from CSV (group, frequency), and see which group is free in a room. One room, one group: never mix them."
)


class GroupsPage(QWidget):
    """Model, band and room above, the groups below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.table_read: Table = {}
        self.model, self.band, self.room = choice([], "Model"), choice([], "Band"), choice([], "Room")
        self.groups, self.channels = QLineEdit("8"), QLineEdit("12")
        for field, name in ((self.groups, "Groups"), (self.channels, "Channels in a group")):
            field.setFixedWidth(44)
            field.setAccessibleName(name)
        self.words, self.warning = label(_EXPLAIN, "dim", wrap=True), label("", "warn", wrap=True)
        self.table = RecordTable(_columns(), "Groups, the best first")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 12, 0)
        box.addLayout(row(self.model, self.band, self.room, 1, spacing=6))
        box.addLayout(
            row(
                self.groups, label("groups of", "dim"), self.channels, button("Compute", self.compute),
                button("Read CSV", self.load), button("Export", self.export),
                button("Give to the model", self.give, "Make these the groups of this model"),
                1, spacing=6,
            )
        )  # fmt: skip
        box.addWidget(self.words)
        box.addWidget(self.warning)
        box.addWidget(self.table, 1)
        self.warning.hide()
        self.model.currentIndexChanged.connect(self._show_bands)
        for box_ in (self.band, self.room):
            box_.currentIndexChanged.connect(self._judge)

    def show_board(self, board: Board) -> None:
        store, scope = self._session.store, self._session.scope
        fill(self.model, ids.choices_of(ground.models(store)))
        rooms = ids.told_apart(ground.zones(store, scope), lambda z: f"no. {z.id}")
        fill(self.room, [(name, key) for key, name in rooms.items()])
        self._show_bands()

    def _model(self) -> Model | None:
        return next((m for m in ground.models(self._session.store) if m.id == self.model.currentData()), None)

    def _show_bands(self) -> None:
        model = self._model()
        fill(self.band, [(b[0], b[0]) for b in model.bands] if model else [])
        self._judge()

    def compute(self) -> None:
        model, session = self._model(), self._session
        counts = [int(f.text()) if f.text().strip().isdigit() else 0 for f in (self.groups, self.channels)]
        if model is None or not all(1 <= n <= 60 for n in counts):
            session.say("Between 1 and 60 groups of 1 to 60 channels.", trouble=True)
            return
        profile = group_tables.profile_of(session.store, session.scope, model)
        board, band, room = session.board, self.band.currentData(), self.room.currentData()

        def work(progress: Progress) -> Table:
            return group_tables.compute(board, model, band, room, profile, counts[0], counts[1], progress)

        session.jobs.start("Computing groups", work, self.take)

    def load(self) -> None:
        path = files.ask_which(self, "Group table", "CSV (*.csv *.txt)")
        if path:
            self.read(path)

    def read(self, path: Path) -> None:
        """Read a table and judge it; lines that could not be used are said."""
        try:
            table, refused = group_tables.read(path)
        except (OSError, ValueError) as error:
            self._session.say(str(error), trouble=True)
            return
        lost = f"; {len(refused)} lines were not used ({refused[0]})" if refused else ""
        self._session.say(f"Read {len(table)} groups from {path.name}{lost}.", trouble=bool(refused))
        self.take(table)

    def take(self, table: Table) -> None:
        self.table_read = table
        self._judge()

    def _judge(self) -> None:
        session, model = self._session, self._model()
        band, room, table, board = self.band.currentData(), self.room.currentData(), self.table_read, session.board
        if not table or model is None or band is None or room is None:
            return
        profile = group_tables.profile_of(session.store, session.scope, model)
        session.jobs.quiet(
            "groups", lambda _: group_tables.judge(table, profile, board, model, band, room), self._show
        )  # fmt: skip

    def _show(self, found: Judged) -> None:
        self.table.show_records([_Row(i, g) for i, g in enumerate(found.groups, start=1)])
        self.words.setText(found.advice)
        self.warning.setText(found.warning)
        self.warning.setVisible(bool(found.warning))

    def give(self) -> None:
        """Make the table that of the model."""
        model, session = self._model(), self._session
        if model is None or not self.table_read:
            session.say("Compute or read a table first.")
            return
        try:
            edit, said = group_gear.set_groups(model, dict(self.table_read))
        except ValueError as error:
            session.say(str(error), trouble=True)
            return
        if session.do(lambda: edit):
            session.say(f"{model.name}: {said}")

    def export(self) -> None:
        if not self.table_read:
            self._session.say("Compute or read a table first.")
            return
        path = files.ask_where(self, "Group table", "groups.csv", "CSV (*.csv)")
        if path:
            text = group_tables.write(self.table_read)
            files.write_text(self._session, path, text, f"{len(self.table_read)} groups")


class _Row:
    """A group with the id that the table asks for."""

    def __init__(self, number: int, verdict: GroupVerdict) -> None:
        self.id, self.verdict = number, verdict


def _columns() -> list[Column]:
    def clean(r: _Row) -> str:
        return "clean" if not r.verdict.own_conflicts else f"{r.verdict.own_conflicts} conflicts of its own"

    def freqs(r: _Row) -> str:
        return "  ".join(f"{f / 1e6:.3f}" for f in r.verdict.free_hz) or "none"

    return [
        Column(title="Group", width=64, show=lambda r: r.verdict.name),
        Column(title="Channels", width=84, show=lambda r: str(len(r.verdict.freq_hz)), right=True),
        Column(title="Free here", width=76, show=lambda r: str(len(r.verdict.free_hz)), right=True),
        Column(title="Within itself", width=150, show=clean),
        Column(title="Free channels MHz", width=500, show=freqs),
    ]
