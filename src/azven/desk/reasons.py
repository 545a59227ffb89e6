"""The Reasons panel: verdict, arithmetic, origins, and what could be done, for whatever is selected."""

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from azven.desk.jobs import Progress
from azven.desk.session import Session
from azven.work import chosen, reasons
from azven.work.plan import Board, ways_out
from azven.work.reasons import Option, Reasons, Row
from azven.work.reasons.finding import reasons_for

_WIDTH = 288
_ROOM = _WIDTH - 58
"""What a name and a value have on one line beside margins and the bar that scrolls."""
_EMPTY = "Select a link, a sweep, a line, a channel or a range, and this panel says why it is as it is."
_STATE_ROLE = {"broken": "bad", "no room": "bad", "taken": "bad", "holds, barely": "warn", "usable": "warn"}


class ReasonsPanel(QScrollArea):
    """Shows `Reasons`; the slow part, alternatives that are tried out, follows from a quiet job."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("side")
        self.setFixedWidth(_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Reasons")
        self._session = session
        self.shown: Reasons | None = None
        session.selected.connect(self.refresh)
        session.judged.connect(self.refresh)
        session.counted.connect(self._count)

    def refresh(self) -> None:
        """Work out the reasons for the selection anew; those for a link wait until the plan is judged."""
        if self._session.judging and self._session.link_id is not None:
            return
        self.shown = reasons_for(self._session, self._session.selection)
        self._lay_out(self.shown)
        link_id = self._session.link_id
        if link_id is not None:
            self._ask_for_alternatives(link_id)

    def _count(self) -> None:
        if isinstance(self._session.selection, chosen.Case):
            self.refresh()

    def _ask_for_alternatives(self, link_id: str) -> None:
        session = self._session
        board, store, scope = session.board, session.store, session.scope
        stuck = self.shown is not None and self.shown.state == "no room"
        tries = (
            ways_out.variants(store, scope, session.picture, board.input, board.input.links[link_id]) if stuck else ()
        )

        def work(progress: Progress) -> tuple[Option, ...]:
            if stuck:
                return ways_out.ways_out(store, scope, board, link_id, tries, progress)
            return reasons.better_place(store, scope, board, link_id, progress)

        session.jobs.quiet("alternatives", work, lambda options: self._add_options(board, options))

    def _add_options(self, board: Board, options: tuple[Option, ...]) -> None:
        if options and self.shown is not None and self._session.still_holds(board):
            self.shown = self.shown.with_options(options + self.shown.options)
            self._lay_out(self.shown)

    # -- layout --------------------------------------------------------------------------------------

    def _lay_out(self, found: Reasons | None) -> None:
        body = QWidget()
        body.setObjectName("sideBody")
        box = QVBoxLayout(body)
        box.setContentsMargins(16, 14, 14, 14)
        box.setSpacing(6)
        if found is None:
            box.addWidget(_label(_EMPTY, "dim"))
        else:
            self._fill(box, found)
        box.addStretch(1)
        self.setWidget(body)

    def _fill(self, box: QVBoxLayout, found: Reasons) -> None:
        box.addWidget(_label(found.title, "title"))
        head = QGridLayout()
        head.setColumnStretch(0, 1)
        head.addWidget(_label(found.figure, "figure"), 0, 0)
        head.addWidget(_label(found.state, _STATE_ROLE.get(found.state, "section"), wrap=False), 0, 1)
        box.addLayout(head)
        box.addWidget(_label(found.verdict))
        self._rows(box, found.heading, found.arithmetic)
        self._rows(box, "Where it comes from", found.origins)
        if found.options or found.steps:
            self._heading(box, "What could be done")
            for step in found.steps:
                box.addWidget(_label(step))
            for option in found.options:
                box.addWidget(self._option(option))

    def _heading(self, box: QVBoxLayout, title: str) -> None:
        rule = QFrame()
        rule.setObjectName("rule")
        box.addSpacing(6)
        box.addWidget(rule)
        box.addWidget(_label(title, "section"))

    def _rows(self, box: QVBoxLayout, title: str, rows: tuple[Row, ...]) -> None:
        if not rows:
            return
        self._heading(box, title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(0, 1)
        metrics = self.fontMetrics()
        for i, (name, value) in enumerate(rows):
            strong = name == "margin"
            left = _label(name, "strong" if strong else "dim")
            long = metrics.horizontalAdvance(name) + metrics.horizontalAdvance(value) > _ROOM
            right = _label(value, "strong" if strong else "", wrap=long)
            right.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            grid.addWidget(left, 2 * i, 0, 1, 2 if long else 1)
            if long:
                grid.addWidget(right, 2 * i + 1, 0, 1, 2)
            else:
                right.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
                grid.addWidget(right, 2 * i, 1)
        box.addLayout(grid)

    def _option(self, option: Option) -> QPushButton:
        """A button of two lines: what, and its effect."""
        button = QPushButton()
        button.setObjectName("option")
        button.setAccessibleName(f"{option.title}: {option.effect}")
        lines = QVBoxLayout(button)
        lines.setContentsMargins(10, 6, 10, 6)
        lines.setSpacing(1)
        for text, name in ((option.title, "optionTitle"), (option.effect, "dim")):
            line = _label(text, name)
            line.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            lines.addWidget(line)
        button.ensurePolished()
        inside = QRect(0, 0, _WIDTH - 60, 1_000)
        wrapped = button.fontMetrics().boundingRect(inside, int(Qt.TextFlag.TextWordWrap), option.effect)
        tall = wrapped.height() + button.fontMetrics().height() + 14
        button.setStyleSheet(f"QPushButton#option {{ min-height: {tall}px; }}")
        button.clicked.connect(lambda: self._session.do(option.edit))
        return button


def _label(text: str, name: str = "", wrap: bool = True) -> QLabel:
    label = QLabel(text)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setObjectName(name)
    label.setWordWrap(wrap)
    return label
