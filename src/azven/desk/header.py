"""The header: where we are, Find or do, the stage's one primary action, and what is running."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from azven.desk.jobs import Jobs
from azven.desk.stage import shortened, tip

_CRUMB_CHARS = 25


class Header(QWidget):
    """Slim bar over stage and panel."""

    searched = pyqtSignal()
    primary = pyqtSignal()
    menu = pyqtSignal()
    asked = pyqtSignal(str)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(46)
        self._jobs = jobs
        self.menu_button = QPushButton("Menu")
        self.menu_button.setObjectName("flat")
        self.menu_button.setToolTip("Books, printing, keys")
        self.menu_button.clicked.connect(self.menu)
        self.crumbs: dict[str, QPushButton] = {}
        self._where = QHBoxLayout()
        self._where.setSpacing(0)
        self._lasting = QLabel()
        self._lasting.setObjectName("bad")
        self._lasting.hide()
        self._find = QPushButton("Find or do      Ctrl+K")
        self._find.setMinimumWidth(220)
        self._find.setAccessibleName("Find or do")
        self._find.clicked.connect(self.searched)
        self.primary_button = QPushButton()
        self.primary_button.setObjectName("primary")
        self.primary_button.clicked.connect(self.primary)
        self._progress = QProgressBar()
        self._progress.setFixedWidth(200)
        self._note = QLabel()
        self._note.setObjectName("small")
        self._stop = QPushButton("Stop")
        self._stop.clicked.connect(jobs.stop)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 0)
        row.addWidget(self.menu_button)
        row.addLayout(self._where)
        row.addStretch(1)
        for widget in (self._lasting, self._note, self._progress, self._stop, self._find, self.primary_button):
            row.addWidget(widget)
        self._show_running(False)
        jobs.started.connect(self._started)
        jobs.progressed.connect(self._moved)
        jobs.noted.connect(self._note.setText)
        jobs.ended.connect(lambda: self._show_running(jobs.shown is not None))

    def show_place(self, parts: list[tuple[str, str, str]]) -> None:
        """Where we are, most general first, each part a button that opens a list; the widest give way to the others."""
        for kind, name, note in parts:
            if kind not in self.crumbs:
                self._add_crumb(kind)
            crumb = self.crumbs[kind]
            text = name + note
            crumb.setText((shortened(name, _CRUMB_CHARS) + note).replace("&", "&&"))
            crumb.setToolTip(tip(f"{kind.capitalize()}: {text}"))
            crumb.setAccessibleName(f"{kind.capitalize()}: {text}")

    def _add_crumb(self, kind: str) -> None:
        if self.crumbs:
            between = QLabel("›")
            between.setObjectName("dim")
            self._where.addWidget(between)
        made = self.crumbs[kind] = QPushButton()
        made.setObjectName("crumb")
        made.clicked.connect(lambda: self.asked.emit(kind))
        self._where.addWidget(made)

    def keep_saying(self, text: str, more: str) -> None:
        """Words that stay as long as the window does, with more where the pointer rests."""
        self._lasting.setText(text)
        self._lasting.setToolTip(tip(more))
        self._lasting.show()

    def stop_saying(self) -> None:
        """Take those words away."""
        self._lasting.hide()

    def show_primary(self, title: str, enabled: bool) -> None:
        self.primary_button.setText(title)
        self.primary_button.setEnabled(enabled and not self._jobs.busy)
        self.primary_button.setVisible(bool(title))

    def _started(self, title: str) -> None:
        self._title = title
        self._progress.setRange(0, 0)
        self._progress.setFormat(title)
        self._show_running(True)

    def _moved(self, done: int, total: int) -> None:
        self._progress.setRange(0, max(total, 1))
        self._progress.setValue(done)
        self._progress.setFormat(f"{self._title}  %p%")

    def _show_running(self, running: bool) -> None:
        self._note.clear()
        self._note.setVisible(running)
        self._progress.setVisible(running)
        self._stop.setVisible(running)
        self._find.setVisible(not running)
