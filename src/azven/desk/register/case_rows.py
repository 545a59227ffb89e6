"""Cases of the board as rows: number, who and what in one sentence, why it is thought so, and the next step."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QFont, QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from azven.desk import theme as look
from azven.desk.case_mark import CaseMark
from azven.desk.session import Session
from azven.desk.stage import button, put_title, scrolled, tip
from azven.work.register.cases import Case, ended

_H, _STEP_W, _SHOWN, _WHO_SHARE = 44, 190, 3, 0.45
"""`_WHO_SHARE`: of a row that is too long, who takes no more than this, so that what is said of them is seen."""
_LEFT = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)


class _Words(QWidget):
    """Two lines: who in bold and what, then the evidence; what does not fit loses its end."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.case: Case | None = None
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_H - 2)

    def show_case(self, case: Case) -> None:
        self.case = case
        self.setToolTip(tip(f"{case.sentence} {case.evidence}"))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.case is None:
            return
        painter, theme, what = QPainter(self), self._session.theme, ended(self.case.what)
        plain, bold = look.font(look.BODY_PX), look.font(look.BODY_PX, bold=True)
        left = max(self.width() - QFontMetrics(plain).horizontalAdvance(what), round(_WHO_SHARE * self.width()))
        painter.setPen(theme.color("ink"))
        x = self._put(painter, bold, self.case.who, QRectF(0, 3, left - 8, 18)) + 5
        self._put(painter, plain, what, QRectF(x, 3, self.width() - x - 6, 18))
        painter.setPen(theme.color("dim"))
        self._put(painter, look.font(look.SMALL_PX), self.case.evidence, QRectF(0, 22, self.width() - 6, 18))

    def _put(self, painter: QPainter, font: QFont, text: str, box: QRectF) -> float:
        """Draw what fits into a box; how wide that is."""
        painter.setFont(font)
        said = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(box, _LEFT, said)
        return float(painter.fontMetrics().horizontalAdvance(said))


class BoardCaseRow(QWidget):
    """A click or Enter selects its case, the button takes the step."""

    picked = pyqtSignal(object)
    stepped = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.case: Case | None = None
        self.is_selected = False
        self.mark, self.words = CaseMark(session), _Words(session)
        self.step = button("", lambda: self.stepped.emit(self.case), name="step")
        self.step.setFixedWidth(_STEP_W)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 4, 1)
        line.setSpacing(6)
        line.addWidget(self.mark)
        line.addWidget(self.words, 1)
        line.addWidget(self.step)
        self.setFixedHeight(_H)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_case(self, case: Case, number: int, step: str, why: str) -> None:
        self.case = case
        self.mark.show_case(case.mark, number)
        self.words.show_case(case)
        put_title(self.step, step)
        self.step.setToolTip(tip(why))
        self.step.setVisible(bool(step))
        self.setAccessibleName(f"Case {number}: {case.who} {case.what}")
        self.setAccessibleDescription(case.evidence)

    def show_selected(self, selected: bool) -> None:
        if selected != self.is_selected:
            self.is_selected = selected
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        if self.is_selected:
            painter.fillRect(self.rect(), theme.color("side"))
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        if self.hasFocus():
            painter.setPen(QPen(theme.color("accent"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.setFocus()
        self.picked.emit(self.case)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.picked.emit(self.case)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()


class CaseRows(QWidget):
    """As many rows as there are cases; three are in sight, the others are scrolled to. `step_of` says the title of a
    case's step and what it does; it is asked once for each case that is new."""

    picked = pyqtSignal(object)
    stepped = pyqtSignal(object)

    def __init__(self, session: Session, step_of: Callable[[Case], tuple[str, str]]) -> None:
        super().__init__()
        self._session, self._step_of = session, step_of
        self.rows: list[BoardCaseRow] = []
        self._inner = QWidget()
        self._list = QVBoxLayout(self._inner)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(0)
        self.area: QScrollArea = scrolled(self._inner)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.area)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    @property
    def cases(self) -> list[Case]:
        return [r.case for r in self.rows if r.case is not None]

    def show_cases(self, cases: Sequence[Case], anew: bool) -> None:
        """Show cases in this order; `anew`: the book has changed, and with it what a step would do. Where the pointer
        is on the rows they stay in their places: a step must not become that of another case under it."""
        if not anew and self.area.underMouse() and [c.key for c in cases] != [c.key for c in self.cases]:
            now = {c.key: c for c in cases}
            cases = [now.get(c.key, c) for c in self.cases]
        while len(self.rows) > len(cases):
            gone = self.rows.pop()
            self._list.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        while len(self.rows) < len(cases):
            made = BoardCaseRow(self._session)
            made.picked.connect(self.picked)
            made.stepped.connect(self.stepped)
            self.rows.append(made)
            self._list.addWidget(made)
        for k, (shown, case) in enumerate(zip(self.rows, cases, strict=True), start=1):
            if anew or shown.case != case:
                shown.show_case(case, k, *self._step_of(case))
        self.setFixedHeight(min(len(cases), _SHOWN) * _H)
        self.setVisible(bool(cases))

    def show_selected(self, key: str) -> None:
        """Which case is looked at."""
        for shown in self.rows:
            shown.show_selected(shown.case is not None and shown.case.key == key)

    def sizeHint(self) -> QSize:
        return QSize(820, min(len(self.rows), _SHOWN) * _H)
