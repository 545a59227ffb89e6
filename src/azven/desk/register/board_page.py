"""Board: what is astray as cases, and all campuses at a glance; a duty that is pointed at becomes the list."""

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QInputDialog, QVBoxLayout, QWidget

from azven.book.records import Inquiry
from azven.desk.actions import Action
from azven.desk.register.board_view import BoardView
from azven.desk.register.case_rows import CaseRows
from azven.desk.register.due_page import DueLine
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, choice, fill, pick, put, row, scrolled
from azven.work import chosen, sites
from azven.work.reasons import board_case
from azven.work.register import Question, across, asking, board, cases, dues
from azven.work.register.across import Pair, Progress
from azven.work.register.astray import astray
from azven.work.register.board import Campus
from azven.work.register.cases import Case
from azven.work.scope import Scope
from azven.work.wording import one_line

_LOOK_MS = 2_000
_EACH, _BY_DISTRICT = 0, 1
_CHOICE_W = 180
_MANY = 12
"""More campuses than this are shown by their districts, unless somebody chooses otherwise."""
_ELSEWHERE = {
    "missing": ("Show them", "", "The list of what is missing"),
    "far": ("See the pairs", "Across campuses", "Every pair with its levels, and a plan of all campuses together"),
    "unknown": ("Name them in Kit", "kit", "Say in Kit, Persons, who wears which unit"),
    "frequency": ("Send the plan, in Prove", "prove", "Packs and receivers get the frequencies of the plan again"),
    "over": ("Look at the times", "Bookings", "When the gear of the show goes"),
    "asked": ("Answer …", "", "Whoever asked sees the answer within a second or two"),
    "waiting": ("Ask no more", "", "The question is taken back"),
    "state": ("Look at the times", "Bookings", "It is taken in until its show loads out: that is over, or not said"),
}
"""By its cause: what is offered where no edit makes a case right, where that is, and why."""


class BoardPage(RegisterPage):
    """Asks for the units of a campus in a state. What racks hear is looked at while the page is in view."""

    title = "Board"
    asked = pyqtSignal(object)
    """A question for units."""
    went = pyqtSignal(str)
    """To another page, by its title, or to another stage, by its name."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.words = FittedLabel("dim")
        self.rows = choice([], "Which campuses the board shows")
        self.rows.setMaximumWidth(_CHOICE_W)
        self._chosen: object = None
        self._campuses: list[Campus] = []
        self.cases = CaseRows(session, self._step_of)
        self.view, self.due = BoardView(session), DueLine(session)
        self._counted = ""
        self._written: list[Case] = []
        self._far: list[Case] = []
        self._far_of: Scope | None = None
        """Where one was as links of other campuses were looked at."""
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self._look)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_LOOK_MS)
        self._later.timeout.connect(self._look_across)
        self.view.asked.connect(self.asked)
        self.view.opened.connect(self.choose)
        self.rows.activated.connect(lambda _: self.choose(self.rows.currentData()))
        self.cases.picked.connect(lambda case: session.select(chosen.BoardCase(case)))
        self.cases.stepped.connect(self.take_step)
        session.selected.connect(self._show_selected)
        self._lay_out()

    def _lay_out(self) -> None:
        below = QWidget()
        inner = QVBoxLayout(below)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(2)
        inner.addWidget(self.view)
        inner.addWidget(self.due)
        inner.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        above = row(self.words, self.rows, spacing=8)
        above.setStretchFactor(self.words, 1)
        box.addLayout(above)
        box.addWidget(self.cases)
        box.addWidget(scrolled(below), 1)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._timer.start()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self._timer.stop()
        self._later.stop()

    def show_now(self) -> None:
        session, now = self.session, self.session.now()
        self._campuses = board.campuses(session.store, now)
        self._show_choices()
        self.view.show_campuses(self._shown(), now)
        items = dues.dues(session.store, now)
        self.due.show_items(items, now)
        self.due.setVisible(bool(items))
        self._counted = _in_words(self._campuses)
        self._written = [*cases.asked(session.store, session.scope, session.clock),
                         *cases.missing(session.store, session.clock, now)]  # fmt: skip
        self._look(anew=True)
        self._look_across()

    def _show_choices(self) -> None:
        """What of the campuses can be shown, where any is in a district."""
        districts = sites.districts(self.session.store)
        self.rows.setVisible(bool(districts))
        fill(self.rows, [("every campus", _EACH), ("by district", _BY_DISTRICT),
                         *((f"in {one_line(d)}", d) for d in districts)])  # fmt: skip
        many = len(self._campuses) > _MANY
        pick(self.rows, self._chosen if self._chosen is not None else _BY_DISTRICT if many and districts else _EACH)

    def _shown(self) -> list[Campus]:
        """The campuses that are chosen, or their districts."""
        chosen_now = self.rows.currentData()
        if chosen_now == _BY_DISTRICT:
            return board.by_district(self._campuses)
        return [c for c in self._campuses if chosen_now == _EACH or any(s.district == chosen_now for s in c.sites)]

    def choose(self, which: object) -> None:
        """Show every campus, the districts, or the campuses of the district with a name."""
        self._chosen = which
        pick(self.rows, which)
        self.view.show_campuses(self._shown(), self.session.now())
        self._look(anew=True)

    def _look_across(self) -> None:
        """Links that other campuses hear, beside the window: many shows at many campuses take a while. Of a large book
        it is first read to its end."""
        session = self.session
        if session.store.unread:
            self._later.start()
            return
        held, scope = session.store.snapshot(), session.scope

        def work(go_on: Progress) -> tuple[list[Pair], list[str]]:
            return across.pairs(held, scope, go_on)

        session.jobs.quiet("links of other campuses", work, self._looked_across)

    def _looked_across(self, found: tuple[list[Pair], list[str]]) -> None:
        self._far, self._far_of = cases.far(found[0], self.session.scope), self.session.scope
        self._look()

    def _look(self, anew: bool = False) -> None:
        session = self.session
        self._campuses = board.with_people(session.store, self._campuses)
        self.view.show_people(self._shown())
        found = astray(session.store, session.scope, session.live, session.now())
        known = self._far_of == session.scope
        far = self._far if known else []
        shown = cases.in_order([*cases.heard(found, session.scope, session.clock), *far, *self._written])
        self.cases.show_cases(shown, anew)
        self.view.show_cases(self.cases.cases)
        count = f"{len(shown)} case{'' if len(shown) == 1 else 's'}. " if shown else ""
        deaf = self._deaf()
        nothing = "Nothing is astray. " if known and not (shown or deaf) else ""
        pending = "" if known else " Other campuses are still being looked at."
        put(self.words, count + deaf + nothing + self._counted + pending)
        self._follow(shown)

    def _deaf(self) -> str:
        """What is not heard, since nothing is known of it; empty where every link is."""
        live = self.session.live
        racks = {x.id for x in self.session.racks.here.hub.links if x.state == "live"} if live is not None else set()
        keys = live.watched.keys if live is not None else ()
        heard = sum(key is not None and key[0] in racks for key in keys)
        if not heard:
            return "No rack is heard, so nobody knows what is on the air. "
        return f"{heard} of {len(keys)} links are heard, nobody knows of the others. " if heard < len(keys) else ""

    def _follow(self, shown: list[Case]) -> None:
        """The case that is looked at as it is now; nothing where it is over."""
        looked_at = self.session.selection
        if isinstance(looked_at, chosen.BoardCase):
            now = next((c for c in shown if c.key == looked_at.case.key), None)
            if now != looked_at.case:
                self.session.select(chosen.BoardCase(now) if now is not None else None)
        self._show_selected()

    def _show_selected(self) -> None:
        looked_at = self.session.selection
        self.cases.show_selected(looked_at.case.key if isinstance(looked_at, chosen.BoardCase) else "")

    # what is done

    def _step_of(self, case: Case) -> tuple[str, str]:
        """The title of the next step of a case, and what it does."""
        options = board_case.mending(self.session, case)
        if options:
            return options[0].title, options[0].effect
        title, _, why = _ELSEWHERE[case.cause]
        return title if case.count > 1 or case.cause != "missing" else "Show it", why

    def take_step(self, case: Case) -> None:
        """The likeliest edit that makes a case right; where there is none, to where something can be done."""
        options, question = board_case.mending(self.session, case), case.question
        if options:
            self.session.do(options[0].edit)
            self.refresh()
        elif question is not None and case.cause == "waiting":
            self.session.do(lambda: asking.close(question))
            self.refresh()
        elif question is not None:
            self._answer(question)
        elif case.cause == "missing":
            self.asked.emit(Question(state="missing"))
        else:
            self.went.emit(_ELSEWHERE[case.cause][1])

    def _answer(self, question: Inquiry) -> None:
        """Ask for the answer, and give it."""
        session = self.session
        words, given = QInputDialog.getText(self, "Answer", question.words)
        if given and session.do(lambda: asking.answer(question, words, session.now(), session.store.author.who)):
            self.refresh()

    def actions_offered(self) -> list[Action]:
        """The next step of every case by name."""
        return [
            Action(f"board-case-{k}", f"Register: case {k + 1}, next step", lambda k=k: self._step_at(k),  # type: ignore[misc]
                   enabled=lambda k=k: k < len(self.cases.cases))  # type: ignore[misc]
            for k in range(3)
        ]  # fmt: skip

    def _step_at(self, k: int) -> None:
        self.take_step(self.cases.cases[k])

    def take_focus(self) -> None:
        (self.cases.rows[0] if self.cases.rows else self.view).setFocus()


def _in_words(rows: list[Campus]) -> str:
    units, missing = sum(c.total for c in rows), sum(c.of("missing").count for c in rows)
    late = sum(c.of("on loan").late for c in rows)
    named = (("missing", missing), ("late", late))
    wrong = ", ".join(f"{n} {what}" for what, n in named if n) or "nothing is missing or late"
    known = sum(bool(c.sites) for c in rows)
    count = f"{units:,}".replace(",", " ")
    return f"{count} unit{'' if units == 1 else 's'} at {known} campus{'' if known == 1 else 'es'}; {wrong}."
