"""A case as a row: who, what, for how long, why it is thought so, its picture, the next step, and who has it."""

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from azven.desk.case_mark import CaseMark
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, label, put, put_title, row
from azven.desk.watch.desk import WatchDesk
from azven.desk.watch.pictures import PICTURE_W, CasePicture
from azven.work.watch import said
from azven.work.watch.cases import Case
from azven.work.watch.deeds import Deed

_BUTTONS_W, _NARROW_BUTTONS_W, _NARROW_PICTURE = 218, 180, 96


class CaseRow(QFrame):
    """Shows one case; `asked` carries what somebody wants: take, the deed, or to see it."""

    asked = pyqtSignal(str, object)

    def __init__(self, session: Session, watch: WatchDesk, large: bool) -> None:
        super().__init__()
        self._session, self._watch, self.large = session, watch, large
        self.case: Case | None = None
        self.deed: Deed | None = None
        self.mark = CaseMark(session)
        self.who, self.what = FittedLabel("title" if large else "strong"), FittedLabel()
        self.evidence = label("", "dim", wrap=True) if large else FittedLabel("dim")
        self.lasts = QLabel()
        self.picture = CasePicture(session, watch, 54 if large else 26)
        self.step = button("", lambda: self.asked.emit("deed", self.deed), name="step")
        self.proof = label("", "small", wrap=True) if large else FittedLabel("small")
        self.take = button(
            "I have it", partial(self._ask, "take"), "It is yours; it asks again later, or if worse", "flat"
        )
        self.hush = button(
            "Hush", partial(self._ask, "hush"), "Known: not to be heard of for a while, unless worse", "flat"
        )
        self._lay_out()

    def _lay_out(self) -> None:
        self.lasts.setObjectName("dim")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.step.setMinimumWidth(_BUTTONS_W if self.large else 124)
        words = QVBoxLayout()
        words.setContentsMargins(0, 4, 0, 4)
        words.setSpacing(1)
        first = QHBoxLayout()
        first.setSpacing(8)
        first.addWidget(self.who, 2)
        if not self.large:
            first.addWidget(self.what, 3)
        first.addWidget(self.lasts)
        words.addLayout(first)
        if self.large:
            words.addWidget(self.what)
            self.evidence.setAlignment(Qt.AlignmentFlag.AlignTop)
        words.addWidget(self.evidence)
        words.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 4, 0)
        whole.setSpacing(6)
        whole.addWidget(self.mark)
        whole.addLayout(words, 1)
        whole.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignVCenter)
        whole.addWidget(self._side())

    def _side(self) -> QWidget:
        deeds = QVBoxLayout()
        deeds.setContentsMargins(0, 5, 0, 4)
        deeds.setSpacing(1)
        if self.large:
            deeds.addWidget(self.step)
            deeds.addWidget(self.proof)
            deeds.addLayout(row(1, self.hush, self.take, spacing=4))
        else:
            line = QHBoxLayout()
            line.setSpacing(2)
            line.addWidget(self.step)
            line.addWidget(self.proof, 1)
            line.addWidget(self.take)
            self.hush.hide()
            deeds.addLayout(line)
        deeds.addStretch(1)
        self._deeds = QWidget()
        self._deeds.setLayout(deeds)
        self._deeds.setFixedWidth(_BUTTONS_W)
        return self._deeds

    def fit(self, narrow: bool) -> None:
        """Take less room for picture and buttons, so that words have some."""
        self.picture.widen(_NARROW_PICTURE if narrow else PICTURE_W)
        self._deeds.setFixedWidth(_NARROW_BUTTONS_W if narrow else _BUTTONS_W)
        self.step.setMinimumWidth(
            (_NARROW_BUTTONS_W if narrow else _BUTTONS_W) if self.large else 100 if narrow else 124
        )

    def _ask(self, what: str) -> None:
        self.asked.emit(what, self.case)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._ask("see")

    def show_case(self, case: Case, deed: Deed | None, t: float) -> None:
        """Show how a case stands; figures change with it, words only when they do."""
        self.case, self.deed = case, deed
        self.mark.show_case(case.mark, case.number)
        sure = said.sure(case)
        put(self.who, said.who(case))
        put(self.what, f"{said.what(case)}{f' ({sure})' if sure else ''}")
        put(self.evidence, " ".join(case.incident.evidence[:2]))
        if self.large:  # two whole lines: all of it is in Reasons
            self.evidence.setMaximumHeight(2 * self.evidence.fontMetrics().lineSpacing() + 1)
        late = " · nobody has it" if case.nobody and self.large else ""
        put(self.lasts, f"for {said.lasting(t - case.since_s)}{late}")
        advice = case.incident.next[-1] if case.incident.next else ""
        put_title(self.step, deed.title if deed else "")
        self.step.setVisible(deed is not None)
        put(self.proof, deed.effect if deed else advice)
        self.proof.setVisible(self.large or deed is None)
        self.step.setToolTip(deed.effect if deed else "")
        self.picture.show_case(case)
        self.setAccessibleName(f"Case {case.number}, {said.who(case)}: {said.what(case)}")


class TakenRow(QWidget):
    """A case that somebody has, as a line."""

    asked = pyqtSignal(str, object)

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._watch = watch
        self.case: Case | None = None
        self.mark = CaseMark(session)
        self.mark.setFixedHeight(24)
        self.words = FittedLabel("dim")
        self.open: QPushButton = button("Open again", lambda: self.asked.emit("open", self.case), name="flat")
        self.close_case = button(
            "Close", lambda: self.asked.emit("close", self.case), "It is over: say what it was", "flat"
        )
        self.note = button("Note", lambda: self.asked.emit("note", self.case), "Write something to it", "flat")
        line = row(self.mark, self.words, self.note, self.close_case, self.open, spacing=6)
        self.setLayout(line)
        self.setFixedHeight(26)

    def show_case(self, case: Case) -> None:
        self.case = case
        self.mark.show_case(case.mark, case.number)
        until = f"{self._watch.moment(case.until_s):%H:%M}"
        since = f"{self._watch.moment(case.taken_s):%H:%M}"
        put(self.words, f"{said.who(case)}  {said.what(case)}  {said.has_it(case, since, until)}")
