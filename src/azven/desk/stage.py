"""What the window asks of a stage, and small pieces that all stages are made of."""

import html
from collections.abc import Callable, Sequence

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QSizePolicy, QWidget

from azven.desk.actions import Action
from azven.desk.session import Session
from azven.work.wording import one_line


class Stage(QWidget):
    """One stage. Subclasses say their one primary action and what else can be done."""

    primary_changed = pyqtSignal()
    name = ""
    title = ""
    shows_plan = False
    """Whether it shows how the plan stands, and so reads the book once that is judged."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("stage")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session

    def primary(self) -> tuple[str, bool]:
        """Title of the primary action and whether it is possible."""
        return "", False

    def run_primary(self) -> None:
        """Carry out the primary action."""

    def actions_offered(self) -> list[Action]:
        """Deeds for keys and palette."""
        return []

    def refresh(self) -> None:
        """Read the book anew."""

    def held(self) -> str:
        """What goes on here by itself and would end if one went to another show; empty for nothing."""
        return ""

    def take_focus(self) -> None:
        """Give the keyboard to what it is most used for here."""
        self.setFocus()


def label(text: str = "", name: str = "", wrap: bool = False) -> QLabel:
    """A line or paragraph of plain text: names that look like markup stay names."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setObjectName(name)
    made.setWordWrap(wrap)
    return made


class FittedLabel(QLabel):
    """One line of plain text that takes what width there is: what does not fit loses its end, and the tool tip has the
    whole."""

    def __init__(self, name: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setObjectName(name)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._tip = ""

    def setToolTip(self, text: str | None) -> None:
        """More than the text itself, where there is more to say."""
        self._tip = text or ""
        self._show_tip()

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self._show_tip()

    def _show_tip(self) -> None:
        super().setToolTip(tip(self._tip or self.text()))

    def minimumSizeHint(self) -> QSize:
        return QSize(0, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, style = QPainter(self), self.style()
        shown = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        if style is not None:
            left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            style.drawItemText(painter, self.contentsRect(), int(left), self.palette(), self.isEnabled(), shown,
                               self.foregroundRole())  # fmt: skip


def shortened(text: str, most: int) -> str:
    """At most so many characters on one line; what is too much is lost from the middle."""
    line = one_line(text)
    if len(line) <= most:
        return line
    return line[: most // 2] + "…" + line[len(line) - (most - most // 2 - 1) :]


def tip(text: str) -> str:
    """A text for a tool tip, where what looks like markup would be taken for it."""
    return html.escape(text) if Qt.mightBeRichText(text) else text  # type: ignore[attr-defined]


def rule() -> QFrame:
    """A hairline."""
    made = QFrame()
    made.setObjectName("rule")
    return made


def button(title: str, run: Callable[[], object], tip: str = "", name: str = "") -> QPushButton:
    made = QPushButton(title)
    made.setObjectName(name)
    made.setToolTip(tip)
    made.setAccessibleName(title)
    made.clicked.connect(lambda: run())
    return made


def put(there: QLabel, text: str) -> None:
    """Show a text where it is another than before: setting one lays out anew."""
    if there.text() != text:
        there.setText(text)


def put_title(there: QPushButton, text: str) -> None:
    """The same for a button, whose title is also what it is called aloud."""
    if there.text() != text:
        there.setText(text)
        there.setAccessibleName(text)


class Choice(QComboBox):
    """A box of named values whose list shows all of them where the screen has room.

    The style sheet says `combobox-popup: 0`: the other kind of list is measured before the sheet has padded its rows,
    and is cut after a few.
    """

    opening = pyqtSignal()
    """The list is about to be shown."""

    def keep_width(self, characters: int) -> None:
        """Do not measure every entry: with hundreds of them that is most of the time a change of theme takes."""
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(characters)

    def showPopup(self) -> None:
        self.opening.emit()
        self.setMaxVisibleItems(max(self.count(), 1))
        view = self.view()
        if view is not None:
            view.setMinimumWidth(view.sizeHintForColumn(0) + 24)
        super().showPopup()


def choice(items: Sequence[tuple[str, object]], name: str) -> Choice:
    """A box of named values."""
    made = Choice()
    made.setAccessibleName(name)
    made.setToolTip(name)
    fill(made, items)
    return made


def fill(box: QComboBox, items: Sequence[tuple[str, object]]) -> None:
    """Put items in a box, keeping the chosen value where it is still there; no signal is sent."""
    kept = box.currentData()
    box.blockSignals(True)
    box.clear()
    for text, value in items:
        box.addItem(text, value)
    at = next((i for i, (_, v) in enumerate(items) if v == kept), 0)
    box.setCurrentIndex(at if items else -1)
    box.blockSignals(False)


def pick(box: QComboBox, value: object) -> None:
    """Choose a value without a signal, the first where it is not offered."""
    at = next((i for i in range(box.count()) if box.itemData(i) == value), 0)
    box.blockSignals(True)
    box.setCurrentIndex(at if box.count() else -1)
    box.blockSignals(False)


def scrolled(inner: QWidget) -> QScrollArea:
    """An area that scrolls up and down over what is behind it."""
    area = QScrollArea()
    area.setWidget(inner)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    viewport = area.viewport()
    assert viewport is not None
    viewport.setAutoFillBackground(False)
    inner.setAutoFillBackground(False)
    return area


def row(*parts: QWidget | int, spacing: int = 8) -> QHBoxLayout:
    """Widgets side by side; a number is a stretch."""
    made = QHBoxLayout()
    made.setContentsMargins(0, 0, 0, 0)
    made.setSpacing(spacing)
    for part in parts:
        if isinstance(part, int):
            made.addStretch(part)
        else:
            made.addWidget(part)
    return made
