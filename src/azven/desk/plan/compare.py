"""Compare page: two plans link by link, out of the ones that were kept."""

from collections.abc import Mapping

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.book.records import KeptPlan
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.rf.coordinate import carriers_of
from azven.rf.products import Situation
from azven.rf.verdict import Margin, margins
from azven.work import chosen, ground, plan
from azven.work.ground.hours import Clock
from azven.work.plan import Board, history
from azven.work.plan.history import Difference
from azven.work.wording import mhz

_NONE = "No plan has been kept yet. Every plan that is adopted is kept with what it was made from."


class ComparePage(QWidget):
    """Which plans, what they were made from, what moved, and the way back."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.old, self.new = choice([], "Plan to compare"), choice([], "with this one")
        for box in (self.old, self.new):
            box.setMinimumWidth(220)
            box.activated.connect(self._compare)
        self.summary, self.origin = label(_NONE, wrap=True), label(name="dim", wrap=True)
        self.table = RecordTable(_columns(), "Differences link by link")
        self.back = button("Go back to it", self.go_back, "Make the plan on the left the plan of the show again")
        body = QVBoxLayout(self)
        body.setContentsMargins(14, 6, 12, 0)
        body.addLayout(row(self.old, label("against", "dim"), self.new, 1, self.back))
        body.addWidget(self.origin)
        body.addWidget(self.summary)
        body.addWidget(self.table, 1)
        self.table.picked.connect(lambda d: session.select(chosen.Link(d.id)))

    def show_board(self, board: Board) -> None:
        plans = history.kept_plans(self._session.store, self._session.scope)
        clock = ground.here(self._session.store, self._session.scope).clock
        listed: list[tuple[str, object]] = [(_title(k, clock), k.id) for k in plans]
        fill(self.old, listed)
        fill(self.new, [("the plan as it stands", 0), *listed])
        self._compare()

    def _chosen(self, key: object) -> KeptPlan | None:
        return next((k for k in history.kept_plans(self._session.store, self._session.scope) if k.id == key), None)

    def _compare(self) -> None:
        board, old = self._session.board, self._chosen(self.old.currentData())
        new = self._chosen(self.new.currentData())
        self.back.setEnabled(old is not None)
        if old is None:
            self.table.show_records([])
            return
        names = {**old.names, **{key: board.input.name(key) for key in board.input.links}}
        found = history.compare(
            names, _judged(board, old.frequencies), _judged(board, new.frequencies if new else board.frequencies)
        )
        self.table.show_records(found)
        self.summary.setText(history.summary(found))
        clock = ground.here(self._session.store, self._session.scope).clock
        by = f" by {old.made_by}" if old.made_by else ""
        made = clock.said(old.made_at, with_zone=True)
        self.origin.setText(f"Made {made}{by} from: " + "; ".join(old.made_from) + ".")

    def go_back(self) -> None:
        old = self._chosen(self.old.currentData())
        if old is not None:
            self._session.do(lambda: plan.go_back_to(self._session.store, self._session.scope, old))


def _judged(board: Board, frequencies: Mapping[str, int]) -> tuple[dict[str, int], dict[str, Margin]]:
    """Frequencies of links that are still there, and their margins under today's rules."""
    request = board.input.request
    known = {n: f for n, f in frequencies.items() if n in board.input.links}
    found = margins(Situation(carriers_of(request, known), request.profiles, request.relations))
    return known, {n: found.get(n, Margin(None, None)) for n in known}


def _title(plan_kept: KeptPlan, clock: Clock) -> str:
    return f"{plan_kept.title}, {clock.said(plan_kept.made_at)}, {len(plan_kept.frequencies)} links"


def _columns() -> list[Column]:
    def freq(hz: int | None) -> str:
        return "–" if hz is None else mhz(hz)

    def khz(hz: int | None, sign: bool = False) -> str:
        return "–" if hz is None else (f"{hz / 1e3:+g}" if sign else f"{hz / 1e3:g}").replace("-", "−")

    def by(d: Difference) -> str:
        return "" if d.old_hz is None or d.new_hz is None or d.change == "stays" else khz(d.new_hz - d.old_hz, True)

    return [
        Column(title="Link", width=150, show=lambda d: d.name),
        Column(title="What happened", width=110, show=lambda d: d.change),
        Column(title="From MHz", width=92, show=lambda d: freq(d.old_hz), right=True),
        Column(title="To MHz", width=92, show=lambda d: freq(d.new_hz), right=True),
        Column(title="By kHz", width=84, show=by, right=True),
        Column(title="Margin was", width=92, show=lambda d: khz(d.old_margin_hz), right=True),
        Column(title="Margin is", width=92, show=lambda d: khz(d.new_margin_hz), right=True),
        Column(title="Gained kHz", width=96, show=lambda d: khz(d.gained_hz, True), right=True),
    ]
