"""The instruments at hand: a row or a list of them, the controls of the one chosen, any number sweeping at once."""

from itertools import count

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from azven.desk.listen.instrument import InstrumentPanel
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, shortened

_IN_A_ROW = 16
"""More instruments than that are in a list to choose from."""
_TITLE_CHARS = ((2, 30), (4, 14))
"""Up to so many instruments, titles of so many letters; of more than that only the numbers find room."""


class Instruments(QWidget):
    """Holds the panels; passes on what any of them says."""

    changed = pyqtSignal()
    began = pyqtSignal(int)
    heard = pyqtSignal(int, object)
    ended = pyqtSignal(int)
    kept = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.panels: list[InstrumentPanel] = []
        self._stack, self._group = QStackedWidget(), QButtonGroup(self)
        self._stack.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Maximum)
        self._titles = QHBoxLayout()
        self._titles.setContentsMargins(6, 0, 0, 0)
        self._titles.setSpacing(4)
        self._list = choice([], "Instrument")
        self._list.setMinimumWidth(250)
        self._list.activated.connect(lambda at: self.choose(self.panels[at]))
        self._more = button("Add an instrument", self.add, "Each has its own place, settings and timetable", "flat")
        self._fewer = button("Take it away", self.remove, "The instrument that is shown", "flat")
        self._all = button("Sweep with all", self.take_all, "Start a sweep on every idle instrument", "flat")
        for made in (self._list, self._more, self._fewer, self._all):
            self._titles.addWidget(made)
        self._titles.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addLayout(self._titles)
        box.addWidget(self._stack)
        self.add()

    @property
    def current(self) -> InstrumentPanel:
        """The instrument whose controls are shown."""
        return next(p for p in self.panels if p is self._stack.currentWidget())

    def add(self) -> InstrumentPanel:
        """One more instrument, and its controls in view."""
        number = next(n for n in count(1) if n not in {p.number for p in self.panels})
        panel = InstrumentPanel(self._session, number)
        for mine, theirs in (
            (self.began, panel.began), (self.heard, panel.heard), (self.ended, panel.ended), (self.kept, panel.kept)
        ):  # fmt: skip
            theirs.connect(mine)
        panel.changed.connect(self._show)
        self.panels.append(panel)
        self._stack.addWidget(panel)
        title = button("", lambda: self.choose(panel), name="flat")
        title.setCheckable(True)
        self._group.addButton(title, number)
        self._titles.insertWidget(len(self.panels) - 1, title)
        self.choose(panel)
        return panel

    def remove(self) -> None:
        """Take the shown instrument away, unless it is the last or at work."""
        panel = self.current
        if len(self.panels) == 1 or panel.sweeping:
            return
        panel.stop_repeating()
        title = self._group.button(panel.number)
        self.panels.remove(panel)
        self._stack.removeWidget(panel)
        panel.deleteLater()
        if title is not None:
            self._group.removeButton(title)
            title.deleteLater()
        self.choose(self.panels[0])

    def look_round(self) -> None:
        """Offer what can be asked now."""
        for panel in self.panels:
            panel.look_round()

    def choose(self, panel: InstrumentPanel) -> None:
        """Show an instrument's controls."""
        self._stack.setCurrentWidget(panel)
        self._show()

    def take_all(self) -> None:
        """A sweep with every instrument that is ready."""
        for panel in self.panels:
            if panel.ready and not panel.repeating:
                panel.take()

    def _show(self) -> None:
        many = len(self.panels) > _IN_A_ROW
        listed = []
        for panel in self.panels:
            at_work = "  sweeping" if panel.sweeping else "  waiting" if panel.repeating else ""
            listed.append((f"{panel.number}  {panel.title}{at_work}", panel.number))
            made = self._group.button(panel.number)
            if made is not None:
                letters = next((c for n, c in _TITLE_CHARS if len(self.panels) <= n), 0)
                brief = f"{panel.number}{'…' if at_work else ''}"
                made.setText(shortened(panel.title, letters) + at_work if letters else brief)
                made.setToolTip(panel.title + at_work)
                made.setChecked(panel is self.current)
                made.setVisible(not many)
        self._list.setVisible(many)
        if many:
            fill(self._list, listed)
            self._list.setCurrentIndex(self.panels.index(self.current))
        several = len(self.panels) > 1
        self._fewer.setVisible(several)
        self._fewer.setEnabled(not self.current.sweeping)
        self._all.setVisible(several)
        self._all.setEnabled(any(p.ready and not p.repeating for p in self.panels))
        self.changed.emit()
