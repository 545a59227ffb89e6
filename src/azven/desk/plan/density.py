"""Cautious … dense: one slider of five steps, with words and the price of what each gives up."""

import time

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.desk.stage import FittedLabel
from azven.rf.density import STEPS
from azven.work import ground, plan
from azven.work.plan import Board, Progress, search
from azven.work.plan import input as plan_input
from azven.work.plan.search import Price

_BOX, _GAP, _LABEL = 13, 5, 66


class DensitySlider(QWidget):
    """Boxes from cautious to dense; the chosen one is filled."""

    chosen = pyqtSignal(int)
    hovered = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._step = 1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setFixedSize(self.sizeHint())
        session.themed.connect(self.update)
        self.show_step(self._step)

    def sizeHint(self) -> QSize:
        return QSize(_LABEL * 2 + len(STEPS) * (_BOX + _GAP) - 16, 24)

    def show_step(self, step: int) -> None:
        self._step = step
        self.setAccessibleName(f"Density: {STEPS[step].name}. {STEPS[step].gives_up}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = self._session.theme
        painter = QPainter(self)
        painter.setFont(look.font())
        painter.setPen(theme.color("dim"))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, 0, _LABEL - 8, 24), middle | Qt.AlignmentFlag.AlignRight, STEPS[0].name)
        for i in range(len(STEPS)):
            box = QRectF(_LABEL + i * (_BOX + _GAP), 5.5, _BOX, _BOX)
            painter.fillRect(box, theme.color("accent" if i == self._step else "line"))
            if i == self._step and self.hasFocus():
                painter.setPen(theme.color("ink"))
                painter.drawRect(box.adjusted(-2, -2, 1, 1))
        painter.setPen(theme.color("dim"))
        painter.drawText(QRectF(_LABEL + len(STEPS) * (_BOX + _GAP) + 4, 0, _LABEL, 24), middle, STEPS[-1].name)

    def _at(self, x: float) -> int:
        return int((x - _LABEL) // (_BOX + _GAP))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and 0 <= (step := self._at(event.position().x())) < len(STEPS):
            self.chosen.emit(step)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            step = self._at(event.position().x())
            self.hovered.emit(step if 0 <= step < len(STEPS) else -1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key())) if event else None
        if by is None:
            super().keyPressEvent(event)
        elif 0 <= self._step + by < len(STEPS):
            self.chosen.emit(self._step + by)


class DensityRow(QWidget):
    """The slider behind its words; a step under the pointer is priced by planning it, out of sight."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.slider, self.words = DensitySlider(session), FittedLabel("small")
        self._prices: dict[int, Price] = {}
        self._priced: Board | None = None
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.words, 1)
        box.addWidget(self.slider)
        self.slider.chosen.connect(self._choose)
        self.slider.hovered.connect(self.explain)
        session.hinted.connect(self._hint)

    def refresh(self) -> None:
        board = self._session.board
        if self._priced is None or not board.asks_the_same(self._priced):
            self._prices.clear()
        self._priced = board
        self.slider.show_step(ground.here(self._session.store, self._session.scope).show.density)
        self.explain(-1)

    def explain(self, step: int) -> None:
        """Words for a step, −1 for the one in use; under the pointer its price follows from a quiet job."""
        shown = ground.here(self._session.store, self._session.scope).show.density if step < 0 else step
        words = f"{STEPS[shown].name.capitalize()}: {STEPS[shown].gives_up}"
        priced = self._prices.get(shown)
        if step >= 0 and priced is None and self._session.links:
            self._ask_price(shown)
        text = f"{STEPS[shown].name.capitalize()}: {priced.sentence()}." if step >= 0 and priced else words
        self.words.setText(text)
        self.words.setToolTip(words)

    def _ask_price(self, step: int) -> None:
        session, board = self._session, self._session.board
        asked, cautious = (
            plan_input.input_for(session.store, session.scope, session.picture, density=d) for d in (step, 0)
        )
        started = time.monotonic()

        def work(progress: Progress) -> Price:
            return search.price(asked, cautious, step, progress, lambda: time.monotonic() - started)

        def show(found: Price) -> None:
            if self._session.still_holds(board):
                self._prices[step] = found
                self.explain(step if self.slider.underMouse() else -1)

        session.jobs.quiet("price", work, show)

    def _hint(self, text: object) -> None:
        if text is None:
            self.explain(-1)
        else:
            self.words.setText(str(text))

    def _choose(self, step: int) -> None:
        self._session.do(lambda: plan.set_density(self._session.store, self._session.scope, step))
