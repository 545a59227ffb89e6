"""Margins page: the tightest links, both schools side by side, and who does most harm."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import label
from azven.desk.tables import Column, RecordTable
from azven.work import chosen
from azven.work.plan import Board, Progress, margins, search
from azven.work.plan import input as plan_input
from azven.work.plan.margins import Row
from azven.work.wording import formula, mhz

_STATE = {"sound": "holds", "tight": "tight", "broken": "broken"}


class MarginsPage(QWidget):
    """Worked out off the GUI thread when it comes into view."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._board: Board | None = None
        self.schools, self.kinds = label(name="", wrap=True), label(name="dim", wrap=True)
        self.harm, self.acts = label(name="dim", wrap=True), label(name="dim", wrap=True)
        self.table = RecordTable(_columns(), "Margins of every link, the tightest first")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 12, 0)
        box.setSpacing(4)
        for line in (self.schools, self.kinds, self.harm, self.acts):
            box.addWidget(line)
        box.addWidget(self.table, 1)
        self.table.picked.connect(lambda found: session.select(chosen.Link(found.id)))

    def show_board(self, board: Board) -> None:
        """Judge another plan both ways."""
        if board is self._board:
            return
        self._board = board
        session = self._session
        asked = plan_input.input_for(session.store, session.scope, session.picture)

        def work(progress: Progress) -> tuple[list[Row], margins.Harm | None, search.ActGain | None]:
            rows = margins.rows(*margins.judged_both_ways(asked, board))
            return rows, margins.most_harmful(board, progress), search.act_gain(asked, progress, lambda: 0.0)

        session.jobs.quiet("margins", work, lambda found: self._show(board, *found))

    def _show(self, board: Board, rows: list[Row], harm: margins.Harm | None, gain: search.ActGain | None) -> None:
        if board is not self._board:
            return
        self.table.show_records(rows)
        self.schools.setText(margins.in_words(rows))
        self.kinds.setText(margins.limits_by_kind(board))
        self.harm.setText(harm.sentence() if harm else "")
        self.acts.setText(gain.sentence() if gain else "")
        for line in (self.harm, self.acts):
            line.setVisible(bool(line.text()))


def _columns() -> list[Column]:
    def khz(row: Row) -> str:
        return "–" if row.margin_hz is None else f"{row.margin_hz / 1e3:g}".replace("-", "−")

    def spare(row: Row) -> str:
        return f"{row.ratio_db - row.needed_db:+.0f}".replace("-", "−")

    return [
        Column(title="Link", width=118, show=lambda r: r.name),
        Column(title="MHz", width=76, show=lambda r: mhz(r.freq_hz), right=True),
        Column(title="Margin kHz", width=96, show=khz, right=True),
        Column(title="Set by", width=78, show=lambda r: formula(r.kind)),
        Column(title="of", width=128, show=lambda r: r.set_by),
        Column(title="Ratio dB", width=78, show=lambda r: f"{r.ratio_db:.0f}", right=True),
        Column(title="Spare dB", width=80, show=spare, right=True),
        Column(title="Spacing", width=68, show=lambda r: _STATE[r.by_spacing]),
        Column(title="Level", width=60, show=lambda r: _STATE[r.by_level]),
        Column(title="Schools", width=70, show=lambda r: r.schools),
    ]
