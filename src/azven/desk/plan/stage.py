"""Plan: the lane chart with its deeds."""

import time
from collections.abc import Callable, Iterable
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt, QUrl
from PyQt6.QtGui import QBrush, QDesktopServices, QPainter, QPaintEvent
from PyQt6.QtWidgets import QButtonGroup, QFileDialog, QStackedWidget, QVBoxLayout, QWidget

from azven.desk import theme as look
from azven.desk.actions import Action
from azven.desk.jobs import Progress
from azven.desk.plan.density import DensitySlider
from azven.desk.plan.lanes import LaneChart, cause_color
from azven.desk.plan.products import ProductList
from azven.desk.session import Session
from azven.desk.stage import Points, Stage, button, label, row
from azven.rf.coordinate import Plan
from azven.rf.density import STEPS
from azven.work import ground, plan, plan_input, sheet
from azven.work.plan import Board, Price

Search = Callable[[Board, Progress, Callable[[], float]], Plan]
_NOTHING = "There is nothing to plan yet. Say which links there are, and they get their lanes here."
_LEGEND = (
    ("permission", "not allowed here"),
    ("television", "television"),
    ("sweep", "sweep"),
    ("neighbour", "neighbour"),
    ("spacing", "spacing"),
    ("intermodulation", "products"),
)


class PlanStage(Stage):
    """Where each link stands, what keeps it from the rest, and the search."""

    name, title = "plan", "Plan"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.chart = LaneChart(session)
        self.products = ProductList(session)
        self._pages, self._tabs = QStackedWidget(), QButtonGroup(self)
        self.density = DensitySlider(session)
        self._prices: dict[int, Price] = {}
        self._priced_board: Board | None = None
        self._summary = label(name="title")
        self._detail = label(name="dim")
        self._words = label(name="small")
        self._to_kit = button("Add links in Kit", lambda: self.window().show_stage("kit"))  # type: ignore[union-attr]
        self._mend = button(
            "Mend broken", self.mend, "Move only what is broken and place what has no frequency (Ctrl+M)"
        )
        self._add = button(
            "Add missing", self.add_missing, "Place what has no frequency without moving anyone (Ctrl+Shift+A)"
        )
        self._spares = button("More spares", self.more_spares, "As many spares of each kind as find room; nobody moves")
        self._lock = button("Lock", self.lock, "Hold the selected link where it is (Ctrl+L)")
        self._sheet = button(
            "Sheet", self.print_sheet, "Print the frequency sheet as PDF, with the CSV beside it (Ctrl+P)"
        )
        self._lay_out()
        self.chart.moved.connect(self.move_link)
        self.density.chosen.connect(self._set_density)
        self.density.hovered.connect(self._explain_density)
        session.selected.connect(self._refresh_lock)
        session.hinted.connect(self._hint)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        head = QVBoxLayout()
        head.setContentsMargins(14, 8, 12, 4)
        head.setSpacing(3)
        head.addLayout(
            row(self._summary, self._detail, 1, self._mend, self._add, self._spares, self._lock, self._sheet, spacing=6)
        )
        head.addLayout(row(self._words, 1, self.density))
        box.addLayout(head)
        self._nothing = QWidget()
        empty = QVBoxLayout(self._nothing)
        empty.setContentsMargins(14, 40, 14, 0)
        empty.addWidget(label(_NOTHING, "dim"))
        empty.addLayout(row(self._to_kit, 1))
        empty.addStretch(1)
        box.addWidget(self._nothing, 1)
        self._pages.addWidget(self.chart)
        self._pages.addWidget(self.products)
        box.addWidget(self._pages, 1)
        tabs = [button(t, lambda n=i: self.show_page(n), name="flat") for i, t in enumerate(("Lanes", "Products"))]
        for i, tab in enumerate(tabs):
            tab.setCheckable(True)
            tab.setChecked(i == 0)
            self._tabs.addButton(tab, i)
        self._legend = _Legend(self.session)
        foot = row(self._legend, 1, *tabs, spacing=2)
        foot.setContentsMargins(0, 0, 10, 0)
        box.addLayout(foot)

    def take_focus(self) -> None:
        self.chart.setFocus()

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        board = self.session.board
        some = bool(board.verdicts)
        self._nothing.setVisible(not some)
        self._pages.setVisible(some)
        if board is not self._priced_board:
            self._priced_board = board
            self._prices.clear()
        self.chart.show_board(board)
        if self._pages.currentWidget() is self.products:
            self.products.show_board(board)
        self._summary.setText(f"{len(board.verdicts)} links")
        self._detail.setText(_detail(board))
        self._mend.setEnabled(board.count("broken", "unplaced") > 0 and not self.session.jobs.busy)
        self._add.setEnabled(board.count("unplaced") > 0 and not self.session.jobs.busy)
        self._spares.setEnabled(bool(board.frequencies) and not self.session.jobs.busy)
        self._sheet.setEnabled(some)
        if some and self.session.selection.kind == "" and (tightest := _tightest(board)):
            self.session.select("link", tightest)
        self.density.show_step(ground.current(self.session.store).show.density)
        self._explain_density(-1)
        self._refresh_lock()

    def show_page(self, page: int) -> None:
        """Lanes (0) or the list of products (1)."""
        self._pages.setCurrentIndex(page)
        self._legend.setVisible(page == 0)
        tab = self._tabs.button(page)
        if tab is not None:
            tab.setChecked(True)
        if page:
            self.products.show_board(self.session.board)

    def _refresh_lock(self) -> None:
        name = self.session.link_name
        verdict = self.session.board.verdict(name) if name else None
        self._lock.setText("Unlock" if verdict and verdict.locked else "Lock")
        self._lock.setEnabled(verdict is not None and verdict.freq_hz is not None)

    def _explain_density(self, step: int) -> None:
        """Words for a step, −1 for the one in use; under the pointer its price follows from a quiet job."""
        shown = ground.current(self.session.store).show.density if step < 0 else step
        words = f"{STEPS[shown].name.capitalize()}: {STEPS[shown].gives_up}"
        priced = self._prices.get(shown)
        if step >= 0 and priced is None and self.session.board.verdicts:
            self._ask_price(shown)
        self._words.setText(
            f"{STEPS[shown].name.capitalize()}: {priced.sentence()}." if step >= 0 and priced else words
        )
        self._words.setToolTip(words)

    def _ask_price(self, step: int) -> None:
        session, board = self.session, self.session.board
        asked, cautious = (plan_input.input_for(session.store, session.picture, density=d) for d in (step, 0))
        started = time.monotonic()

        def work(progress: Progress) -> Price:
            return plan.price(asked, cautious, step, progress, lambda: time.monotonic() - started)

        def show(found: Price) -> None:
            if board is self.session.board:
                self._prices[step] = found
                self._explain_density(step if self.density.underMouse() else -1)

        session.jobs.quiet("price", work, show)

    def _hint(self, text: object) -> None:
        if text is None:
            self._explain_density(-1)
        else:
            self._words.setText(str(text))

    @staticmethod
    def points(session: Session) -> Points:
        board = session.board
        out = []
        if broken := board.count("broken"):
            out.append((f"{broken} broken", "brick_text"))
        if unplaced := board.count("unplaced"):
            out.append((f"{unplaced} unplaced", "brick_text"))
        if board.stale and len(out) < 2:
            out.append(("stale", "ochre_text"))
        return tuple(out)

    def primary(self) -> tuple[str, bool]:
        return "Plan all", bool(self.session.board.verdicts)

    def actions_offered(self) -> list[Action]:
        return [
            Action("plan-all", "Plan all", self.run_primary, "Ctrl+Return", lambda: bool(self.session.board.verdicts)),
            Action("mend", "Mend broken", self.mend, "Ctrl+M"),
            Action("add-missing", "Add missing links without moving anyone", self.add_missing, "Ctrl+Shift+A"),
            Action("lanes", "Show the lanes", lambda: self.show_page(0)),
            Action("products", "List the products near our links", lambda: self.show_page(1)),
            Action("spares", "More spares", self.more_spares),
            Action("lock", "Lock or unlock the link", self.lock, "Ctrl+L", lambda: self.session.link_name is not None),
            Action("sheet", "Print the frequency sheet", self.print_sheet, "Ctrl+P"),
        ]

    # -- deeds ---------------------------------------------------------------------------------------

    def run_primary(self) -> None:
        """Plan all."""
        self._search("Plan all", plan.plan_all, self.session.board.locked)

    def mend(self) -> None:
        """Move only what is broken, and place what has no frequency."""
        board = self.session.board
        if board.count("broken", "unplaced"):
            self._search("Mend broken", plan.mend, board.locked)
        else:
            self.session.say("Nothing is broken.")

    def add_missing(self) -> None:
        """Place what has no frequency and move nobody."""
        board = self.session.board
        if board.count("unplaced"):
            self._search("Add missing", plan.add_missing, board.frequencies)
        else:
            self.session.say("Every link has a frequency.")

    def _search(self, title: str, search: Search, held: Iterable[str]) -> None:
        """Run a search on the plan as it stands; its answer replaces everything but the `held` links."""
        board = self.session.board
        kept = {name: board.frequencies[name] for name in held}
        started = time.monotonic()

        def work(progress: Progress) -> Plan:
            return search(board, progress, lambda: time.monotonic() - started)

        self.session.jobs.start(title, work, lambda found: self._adopt(found, title, board, kept))

    def more_spares(self) -> None:
        """Spares of every kind that find room beside the plan as it stands."""
        session = self.session
        board, spares = session.board, plan.spare_links(session.store)
        asked = plan_input.input_for(session.store, session.picture, extra=spares)
        started = time.monotonic()

        def work(progress: Progress) -> Plan:
            return plan.more_spares(asked, board, spares, progress, lambda: time.monotonic() - started)

        def keep(found: Plan) -> None:
            if session.do(lambda: plan.keep_spares(session.store, spares, found)):
                session.say(f"{len(found.assignments)} spares found room; {len(found.unplaced)} more would not fit.")
            else:
                session.say("No further spare finds room.")

        session.jobs.start("Looking for spares", work, keep)

    def _adopt(self, found: Plan, title: str, before: Board, kept: dict[str, int]) -> None:
        if self.session.board is not before:
            text = f"{title}: the book changed meanwhile, so its answer was not used. Run it again."
            self.session.say(text, trouble=True)
            return
        self.session.do(lambda: plan.adopt(self.session.store, found, title, kept))
        after = self.session.board
        moved = sum(after.frequencies.get(n) != f for n, f in before.frequencies.items())
        missing = after.count("unplaced")
        text = f"{title}: {len(after.frequencies)} placed, {moved} moved"
        self.session.say(text + (f", {missing} found no room; select one to see why." if missing else "."))

    def move_link(self, name: str, freq_hz: int) -> None:
        store = self.session.store
        self.session.do(lambda: plan.set_frequencies(store, {name: freq_hz}, f"Move {name}"))

    def lock(self) -> None:
        name = self.session.link_name
        if name:
            verdict = self.session.board.verdict(name)
            self.session.do(lambda: plan.lock(self.session.store, verdict.link, not verdict.locked))

    def _set_density(self, step: int) -> None:
        self.session.do(lambda: plan.set_density(self.session.store, step))

    def print_sheet(self) -> None:
        """Ask where, write PDF and CSV, open the PDF."""
        suggested = f"{ground.current(self.session.store).show.name} frequencies.pdf"
        name, _ = QFileDialog.getSaveFileName(self, "Frequency sheet", suggested, "PDF (*.pdf)")
        if name:
            self.write_sheet(Path(name))

    def write_sheet(self, path: Path, show: bool = True) -> None:
        """Write the sheet as PDF to `path` and as CSV beside it."""
        from azven.desk.plan.sheet_pdf import write_pdf

        path = path.with_suffix(".pdf")
        session = self.session
        try:
            pages = write_pdf(sheet.html(session.store, session.board, session.now()), path)
            sheet.write_csv(session.store, session.board, path.with_suffix(".csv"))
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
    parts = [f"{len(placed)} placed"]
    if broken := board.count("broken"):
        parts.append(f"{broken} broken")
    if tightest := _tightest(board):
        parts.append(f"tightest {tightest}")
    if board.stale:
        parts.append("made before a change in " + ", ".join(board.stale))
    return " · ".join(parts)


def _tightest(board: Board) -> str:
    """Name of the placed link with the least margin, empty when nothing limits any."""
    bounded = [v for v in board.verdicts if v.margin_hz is not None]
    return min(bounded, key=lambda v: v.margin_hz or 0).link.name if bounded else ""


class _Legend(QWidget):
    """What the tints mean."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setFixedSize(552, 22)
        self.setAccessibleName("Tints: " + ", ".join(words for _, words in _LEGEND))
        session.themed.connect(self.update)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = self._session.theme
        painter = QPainter(self)
        painter.setFont(look.font(look.SMALL_PX))
        x = 14.0
        for cause, words in _LEGEND:
            box = QRectF(x, 5, 14, 11)
            painter.fillRect(box, theme.color("lane"))
            painter.fillRect(box, cause_color(theme, cause))
            if cause == "television":
                painter.fillRect(box, QBrush(theme.color("slate", 110), Qt.BrushStyle.BDiagPattern))
            painter.setPen(theme.color("line"))
            painter.drawRect(box)
            painter.setPen(theme.color("dim"))
            width = painter.fontMetrics().horizontalAdvance(words)
            painter.drawText(QRectF(x + 19, 0, width + 4, 22), Qt.AlignmentFlag.AlignVCenter, words)
            x += 19 + width + 13
