"""Plan: the lane chart with its deeds."""

import time
from collections.abc import Callable, Iterable, Mapping
from importlib import import_module
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from azven.desk import files
from azven.desk.actions import Action
from azven.desk.jobs import Progress
from azven.desk.plan.density import DensityRow
from azven.desk.plan.lanes import LaneChart
from azven.desk.plan.legend import Legend
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, Stage, button, choice, label, row
from azven.desk.tabs import Tabs
from azven.rf.coordinate import Best, Mended, Plan, Swap
from azven.work import chosen, ground, plan
from azven.work.plan import Board, sheet
from azven.work.plan import input as plan_input
from azven.work.plan import search as planning
from azven.work.wording import proved, why_moved

Search = Callable[[Board, Progress, Callable[[], float]], Plan | Mended]
_NOTHING = "There is nothing to plan yet. Add links in Kit; each then has a lane here."
_SCHOOLS: list[tuple[str, object]] = [
    ("judge by spacing", "spacing"),
    ("spacing, harmless excused", "both"),
    ("judge by level", "level"),
]


class LanesPage(QWidget):
    """The lane chart over the meaning of its tints."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.chart = LaneChart(session)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.chart, 1)
        box.addWidget(Legend(session))

    def show_board(self, board: Board) -> None:
        self.chart.show_board(board)


_PAGES = (
    ("Lanes", ""),
    ("Products", "products.ProductList"),
    ("Margins", "margins.MarginsPage"),
    ("Pairs", "pairs.PairsPage"),
    ("Compare", "compare.ComparePage"),
    ("What if", "what_if.WhatIfPage"),
    ("Groups", "groups.GroupsPage"),
)
"""Titles with the module and class of each page, loaded when it is first shown."""


class PlanStage(Stage):
    """Where each link stands, what keeps it from the rest, and the search."""

    name, title = "plan", "Plan"
    shows_plan = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._pages = QStackedWidget()
        self._tabs = Tabs([title for title, _ in _PAGES], self.show_page)
        self._made: dict[int, Any] = {}
        self._page = 0
        self.density = DensityRow(session)
        self.school = choice(_SCHOOLS, "The method by which plans are made and judged")
        self._summary = label(name="title")
        self._detail = FittedLabel("dim")
        self._to_kit = button("Add links in Kit", lambda: self.window().show_stage("kit"))  # type: ignore[union-attr]
        self._mend = button(
            "Mend broken", self.mend, "Move as few links as possible and place what has no frequency (Ctrl+M)"
        )
        self._add = button(
            "Add missing", self.add_missing, "Place what has no frequency without moving anyone (Ctrl+Shift+A)"
        )
        self._spares = button(
            "More spares", self.more_spares, "As many spares of each kind as find room; no link moves"
        )
        self._lock = button("Lock", self.lock, "Hold the selected link where it is (Ctrl+L)")
        self._sheet = button(
            "Sheet", self.print_sheet, "Print the frequency sheet as PDF, with the CSV beside it (Ctrl+P)"
        )
        self._lay_out()
        self.chart.moved.connect(self.move_link)
        self.school.activated.connect(self._set_school)
        session.selected.connect(self._refresh_lock)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        head = QVBoxLayout()
        head.setContentsMargins(14, 8, 12, 2)
        head.setSpacing(3)
        deeds = (self._mend, self._add, self._spares, self._lock, self._sheet)
        line = row(self._summary, self._detail, *deeds, spacing=6)
        line.setStretch(1, 1)
        head.addLayout(line)
        head.addWidget(self.density)
        head.addLayout(row(self._tabs, 1, self.school, spacing=4))
        box.addLayout(head)
        self._nothing = QWidget()
        empty = QVBoxLayout(self._nothing)
        empty.setContentsMargins(14, 40, 14, 0)
        empty.addWidget(label(_NOTHING, "dim"))
        empty.addLayout(row(self._to_kit, 1))
        empty.addStretch(1)
        box.addWidget(self._nothing, 1)
        box.addWidget(self._pages, 1)
        self.page(0)

    def page(self, number: int) -> Any:
        """A page of the stage, made when it is first asked for."""
        if number not in self._made:
            module, _, name = _PAGES[number][1].partition(".")
            kind = getattr(import_module(f"azven.desk.plan.{module}"), name) if module else LanesPage
            self._made[number] = kind(self.session)
            self._pages.addWidget(self._made[number])
        return self._made[number]

    @property
    def chart(self) -> LaneChart:
        return self.page(0).chart  # type: ignore[no-any-return]

    def take_focus(self) -> None:
        self.chart.setFocus()

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        board = self.session.board
        some = bool(board.verdicts)
        self._nothing.setVisible(not some)
        self._pages.setVisible(some)
        self.chart.show_board(board)
        if self._page:
            self.page(self._page).show_board(board)
        self._summary.setText(f"{len(board.verdicts)} links")
        self._detail.setText(_detail(board))
        changed = "; ".join(c.words() for c in board.changed)
        self._detail.setToolTip(f"Since the plan was made: {changed}." if changed else "")
        self._mend.setEnabled(board.count("broken", "unplaced") > 0 and not self.session.jobs.busy)
        self._add.setEnabled(board.count("unplaced") > 0 and not self.session.jobs.busy)
        self._spares.setEnabled(bool(board.frequencies) and not self.session.jobs.busy)
        self._sheet.setEnabled(some)
        if some and self.session.selection is None and (tightest := _tightest(board)):
            self.session.select(chosen.Link(tightest))
        self.density.refresh()
        at = self.school.findData(ground.here(self.session.store, self.session.scope).show.school)
        self.school.setCurrentIndex(at)
        self._refresh_lock()

    def show_page(self, number: int) -> None:
        """Lanes, products, margins, pairs, compare, what if or groups, in the order of the tabs."""
        self._page = number
        page = self.page(number)
        self._pages.setCurrentWidget(page)
        self._tabs.choose(number)
        if number:
            page.show_board(self.session.board)

    def _set_school(self) -> None:
        school = self.school.currentData()
        self.session.do(lambda: plan.set_school(self.session.store, self.session.scope, school))

    def _refresh_lock(self) -> None:
        chosen = self.session.link_id
        verdict = next((v for v in self.session.shown.verdicts if v.id == chosen), None)
        self._lock.setText("Unlock" if verdict and verdict.locked else "Lock")
        self._lock.setEnabled(verdict is not None and verdict.freq_hz is not None)

    def primary(self) -> tuple[str, bool]:
        return "Plan all", bool(self.session.links)

    def actions_offered(self) -> list[Action]:
        return [
            Action("plan-all", "Plan all", self.run_primary, "Ctrl+Return", lambda: bool(self.session.links)),
            Action("mend", "Mend broken", self.mend, "Ctrl+M"),
            Action("add-missing", "Add missing links without moving anyone", self.add_missing, "Ctrl+Shift+A"),
            *self._tabs.as_actions("plan"),
            Action("spares", "More spares", self.more_spares),
            Action("lock", "Lock or unlock the link", self.lock, "Ctrl+L", lambda: self.session.link_id is not None),
            Action("sheet", "Print the frequency sheet", self.print_sheet, "Ctrl+P"),
        ]

    # -- deeds ---------------------------------------------------------------------------------------

    def run_primary(self) -> None:
        """Plan all."""
        jobs = self.session.jobs

        def say(best: Best) -> None:
            tightest = "" if best.margin_hz is None else f", tightest {best.margin_hz / 1e3:g} kHz"
            most = "" if best.bound is None else f" of at most {best.bound} that can be"
            jobs.note(f"best so far: {best.placed} placed{most}{tightest}, {best.elapsed_s:.0f} s")

        def search(board: Board, progress: Progress, elapsed: Callable[[], float]) -> Plan:
            return planning.plan_all(board, progress, elapsed, on_better=say)

        self._search("Plan all", search, self.session.board.locked)

    def mend(self) -> None:
        """Move only what is broken, and place what has no frequency."""
        board = self.session.board
        if board.count("broken", "unplaced"):
            self._search("Mend broken", planning.mend, board.locked)
        else:
            self.session.say("Nothing is broken.")

    def add_missing(self) -> None:
        """Place what has no frequency and move nobody."""
        board = self.session.board
        if board.count("unplaced"):
            self._search("Add missing", planning.add_missing, board.frequencies)
        else:
            self.session.say("Every link has a frequency.")

    def _search(self, title: str, search: Search, held: Iterable[str]) -> None:
        """Run a search on the plan as it stands; its answer replaces everything but the `held` links."""
        if not self.session.ready():
            return
        board = self.session.board
        staying = {key: board.frequencies[key] for key in held}
        started = time.monotonic()

        def work(progress: Progress) -> Plan | Mended:
            return search(board, progress, lambda: time.monotonic() - started)

        self.session.jobs.start(title, work, lambda found: self._adopt(found, title, board, staying))

    def more_spares(self) -> None:
        """Spares of every kind that find room beside the plan as it stands."""
        session = self.session
        if not session.ready():
            return
        board, spares = session.board, planning.spare_links(session.store, session.scope)
        asked = plan_input.input_for(session.store, session.scope, session.picture, extra=spares)
        started = time.monotonic()

        def work(progress: Progress) -> Plan:
            return planning.more_spares(asked, board, spares, progress, lambda: time.monotonic() - started)

        def keep(found: Plan) -> None:
            if session.do(lambda: planning.keep_spares(session.store, session.scope, spares, found)):
                session.say(f"{len(found.assignments)} spares found room; {len(found.unplaced)} more would not fit.")
            else:
                session.say("No further spare finds room.")

        session.jobs.start("Looking for spares", work, keep)

    def _adopt(self, answer: Plan | Mended, title: str, before: Board, staying: dict[str, int]) -> None:
        found, moves = (answer.plan, answer.moves) if isinstance(answer, Mended) else (answer, ())
        if not self.session.board.asks_the_same(before):
            text = f"{title}: what it worked on was changed meanwhile, so its answer was not used. Run it again."
            self.session.say(text, trouble=True)
            return
        self.session.do(lambda: plan.adopt(self.session.store, self.session.scope, found, title, staying))
        after = self.session.board
        moved = sum(after.frequencies.get(k) != f for k, f in before.frequencies.items())
        missing = after.count("unplaced")
        text = f"{title}: {len(after.frequencies)} placed, {moved} moved"
        if moves:
            name = after.input.name
            text += f" ({name(moves[0].id)}: {why_moved(moves[0], name)})" if len(moves) == 1 else ""
        if missing:
            text += f", {missing} found no room; {proved(found.stats) or 'select one to see why'}"
        self.session.say(f"{text}.")

    def move_link(self, link_id: str, freq_hz: int) -> None:
        store, scope, name = self.session.store, self.session.scope, self.session.board.input.name(link_id)
        self.session.do(lambda: plan.set_frequencies(store, scope, {link_id: freq_hz}, f"Move {name}"))

    def lock(self) -> None:
        chosen = self.session.link_id
        if chosen:
            verdict = self.session.board.verdict(chosen)
            self.session.do(lambda: plan.lock(self.session.store, self.session.scope, verdict.link, not verdict.locked))

    def print_sheet(self) -> None:
        """Ask where, write PDF and CSV, open the PDF."""
        if not self.session.ready():
            return
        suggested = f"{ground.here(self.session.store, self.session.scope).show.name} frequencies.pdf"
        path = files.ask_where(self, "Frequency sheet", suggested, "PDF (*.pdf)")
        if path:
            board = self.session.board
            self.session.jobs.start(
                "Looking for swap spares", lambda progress: planning.swap_spares(board, progress),
                lambda swaps: self.write_sheet(path, swaps=swaps if self.session.board.asks_the_same(board) else None),
            )  # fmt: skip

    def write_sheet(self, path: Path, show: bool = True, swaps: Mapping[str, Swap] | None = None) -> None:
        """Write the sheet as PDF to `path` and as CSV beside it."""
        from azven.desk.pdf import write_pdf

        path = path.with_suffix(".pdf")
        session = self.session
        try:
            pages = write_pdf(sheet.html(session.store, session.scope, session.board, session.now(), swaps), path)
            sheet.write_csv(session.store, session.scope, session.board, path.with_suffix(".csv"))
        except OSError as error:
            session.say(f"{path} could not be written: {error.strerror or error}.", trouble=True)
            return
        length = f"{pages} page{'s' if pages > 1 else ''}"
        session.say(f"Wrote {path.name} ({length}) and {path.with_suffix('.csv').name} in {path.parent}.")
        if show:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))


def _detail(board: Board) -> str:
    """One line on how the plan stands."""
    if not board.verdicts:
        return ""
    placed = [v for v in board.verdicts if v.freq_hz is not None]
    parts = [f"{len(placed)} placed{_of_at_most(board)}"]
    if own := sum(v.settled and v.freq_hz is None for v in board.verdicts):
        parts.append(f"{own} choose by themselves")
    if broken := board.count("broken"):
        parts.append(f"{broken} broken")
    if tightest := _tightest(board):
        parts.append(f"tightest {board.input.name(tightest)}")
    if board.stale:
        parts.append(f"stale, {' and '.join(board.stale)} changed")
    return " · ".join(parts)


def _of_at_most(board: Board) -> str:
    """What is known of how many more could be placed."""
    if board.ceiling.proof is not None:
        return ", no more can be"
    return "" if board.ceiling.bound is None else f" of at most {board.ceiling.bound} that can be"


def _tightest(board: Board) -> str:
    """Id of the placed link with the least margin, empty when nothing limits any."""
    bounded = [v for v in board.verdicts if v.margin_hz is not None]
    return min(bounded, key=lambda v: v.margin_hz or 0).id if bounded else ""
