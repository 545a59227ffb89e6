"""The frame: rail, header, stage, spine, Reasons, and the line that says what happened."""

from PyQt6.QtCore import QSize, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QKeySequence, QShowEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QMenu, QStackedWidget, QVBoxLayout, QWidget

from azven.desk import theme as look
from azven.desk.actions import Action, Actions
from azven.desk.books import Books
from azven.desk.header import Header
from azven.desk.palette import Entry as Find
from azven.desk.palette import Palette
from azven.desk.places import Places
from azven.desk.rail import Entry, Rail
from azven.desk.reasons import ReasonsPanel
from azven.desk.session import Session
from azven.desk.spine import Spine
from azven.desk.stage import FittedLabel, Stage
from azven.desk.stages import STAGES, spec
from azven.work import ground, ids, kit
from azven.work.wording import mhz, one_line

LEAST, MADE_FOR = (1100, 700), (1280, 800)
_FRAMED_MS = 150
"""The window manager puts its frame around the window a moment after it is shown."""


class Window(QMainWindow):
    """One window, made for 1280×800."""

    def __init__(self, session: Session, note: str = "", books: Books | None = None) -> None:
        super().__init__()
        self.application: QApplication | None = None
        self._placed = False
        self.lasting = False
        self.books = books or Books()
        self.session = session
        self.setMinimumSize(*LEAST)
        self.resize(*MADE_FOR)
        self.setWindowTitle(f"{session.store.path.name} – Azven")
        self._made: dict[str, Stage] = {}
        self.rail, self.header = Rail(session), Header(session.jobs)
        self.spine, self.panel = Spine(session), ReasonsPanel(session)
        self.actions_table = Actions(self)
        self._stack = QStackedWidget()
        self._said = FittedLabel("small")
        self._said.setContentsMargins(14, 2, 14, 3)
        if damaged := session.store.damaged:
            self.header.keep_saying(f"Reading only: {len(damaged)} damaged", session.store.damage_in_words())
        self.tell(note)
        self.places = Places(self)
        self._lay_out()
        self._connect()
        self._offer_actions()
        self.panel.refresh()

    def _lay_out(self) -> None:
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._stack, 1)
        middle.addWidget(self.panel)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.header)
        right.addLayout(middle, 1)
        right.addWidget(self._said)
        right.addWidget(self.spine)
        body = QWidget()
        whole = QHBoxLayout(body)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.rail)
        whole.addLayout(right, 1)
        self.setCentralWidget(body)

    def _connect(self) -> None:
        session = self.session
        self.rail.chosen.connect(self.show_stage)
        self.header.find.connect(self.find)
        self.header.asked.connect(self.places.open)
        self.header.menu.connect(self.open_menu)
        self.header.primary.connect(lambda: self.stage.run_primary())
        session.edited.connect(self.refresh)
        session.said.connect(self._say)
        session.themed.connect(self._dress)
        session.moved.connect(self._arrived)
        session.acted.connect(self._show_act)
        session.selected.connect(self._show_threats)
        session.jobs.started.connect(lambda _: self._refresh_primary())
        session.jobs.ended.connect(self._refresh_primary)

    @property
    def stage(self) -> Stage:
        """The stage in view."""
        widget = self._stack.currentWidget()
        assert isinstance(widget, Stage)
        return widget

    def open_stage(self, name: str) -> Stage:
        """The widget of a stage, made when it is first asked for."""
        if name not in self._made:
            stage = self._made[name] = spec(name).load()(self.session)
            self._stack.addWidget(stage)
            stage.primary_changed.connect(self._refresh_primary)
            self.actions_table.add(*stage.actions_offered())
        return self._made[name]

    def show_stage(self, name: str) -> None:
        """Bring a stage into view; it reads the book when it comes."""
        self._stack.setCurrentWidget(self.open_stage(name))
        self.refresh()
        self.stage.take_focus()

    def refresh(self) -> None:
        """Everything that depends on the book, for the stage in view and the frame around it."""
        self.stage.refresh()
        self.header.show_place(self.places.crumbs())
        entries = [Entry(s.name, s.title, s.points(self.session)) for s in STAGES]
        self.rail.show_entries(entries, self.stage.name)
        self._refresh_primary()
        self._show_threats()

    def _refresh_primary(self) -> None:
        self.header.show_primary(*self.stage.primary())

    def _show_threats(self) -> None:
        shown = self.panel.shown
        self.spine.show_threats(shown.threats if shown is not None else ())

    # -- telling -------------------------------------------------------------------------------------

    def _say(self, text: str, trouble: bool) -> None:
        """It stays, with its time, until something else is said: whoever was called away has not missed it."""
        self._said.setObjectName("bad" if trouble else "small")
        self._said.setStyleSheet("/* role changed */")
        self.tell(f"{self.session.local_now():%H:%M}  {text}")

    def tell(self, note: str) -> None:
        """Keep a line under the stage until something else is said; an empty one folds it."""
        self._said.setText(note)
        self._said.setVisible(bool(note))

    def said(self) -> str:
        """What the line under the stage says, empty when it is hidden."""
        return self._said.text() if not self._said.isHidden() else ""

    def _arrived(self) -> None:
        """Another site or show: stages that are open forget what they showed of the last one."""
        shown = self.stage.name
        for stage in self._made.values():
            self._stack.removeWidget(stage)
            stage.deleteLater()
        self._made.clear()
        self.show_stage(shown)

    def _show_act(self) -> None:
        self.header.show_place(self.places.crumbs())
        self.stage.show_act()
        self.spine.update()

    def _dress(self) -> None:
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        look.apply(app, self.session.theme)
        self.update()

    # -- deeds ---------------------------------------------------------------------------------------

    def _offer_actions(self) -> None:
        session = self.session
        self.actions_table.add(
            Action("find", "Find or do", self.find, "Ctrl+K"),
            Action("undo", "Undo", session.step_back, "Ctrl+Z"),
            Action("redo", "Redo", session.step_forward, "Ctrl+Shift+Z"),
            Action("theme", "Daylight or Backstage", self._other_theme, "Ctrl+Shift+B"),
            Action("spine", "Fold the spine", lambda: self.spine.setVisible(self.spine.isHidden()), "F6"),
            Action("reasons", "Fold Reasons", lambda: self.panel.setVisible(self.panel.isHidden()), "F7"),
            Action("whole", "Show the whole band", lambda: session.show_band(*session.full_view()), "Ctrl+0"),
            Action("stop", "Stop what is running", session.jobs.stop, "Ctrl+.", lambda: session.jobs.shown is not None),
        )
        for i, each in enumerate(STAGES, start=1):
            name, title = f"stage-{each.name}", f"Go to {each.title}"
            self.actions_table.add(Action(name, title, lambda n=each.name: self.show_stage(n), f"Ctrl+{i}"))
        self.actions_table.add(*self.places.actions())

    def _other_theme(self) -> None:
        dark = self.session.theme is look.BACKSTAGE
        self.session.set_theme(look.DAYLIGHT if dark else look.BACKSTAGE)

    def find_entries(self) -> list[Find]:
        """All that can be found or done now."""
        session = self.session
        self.actions_table.add(*self.places.actions())
        for each in STAGES:
            self.open_stage(each.name)
        out = [
            Find(a.title + (f"  ({a.key})" if a.key else ""), "do", a.run)
            for a in self.actions_table.all()
            if a.enabled() and a.id != "find"
        ]
        for link in kit.links(session.store, session.scope):
            key = ids.of(link)
            freq = session.board.frequencies.get(key)
            where = f"{mhz(freq)} MHz" if freq else "no frequency"
            out.append(Find(f"{one_line(link.name)}   {where}", "link", lambda k=key: self._go("plan", "link", k)))
        for n in ground.neighbours(session.store, session.scope):
            title = f"{one_line(n.name)}   {mhz(n.freq_hz)} MHz"
            out.append(Find(title, "neighbour", lambda key=n.id: self._go("ground", "neighbour", key)))
        out += [
            Find(one_line(z.name), "room", lambda: self.show_stage("ground"))
            for z in ground.zones(session.store, session.scope)
        ]
        out += [
            Find(one_line(u.name), "unit", lambda: self.show_stage("kit"))
            for u in kit.units(session.store, session.scope)
        ]
        return out

    def _go(self, stage: str, kind: str, key: object) -> None:
        self.show_stage(stage)
        self.session.select(kind, key)

    def find(self) -> None:
        """Open Find or do under the header."""
        palette = Palette(self, self.find_entries())
        palette.move(self.mapToGlobal(self.header.geometry().bottomRight()) - palette.rect().topRight())
        palette.show()

    def open_menu(self) -> None:
        """What every desktop program has, under its button."""
        menu = QMenu(self)
        for name in self.places.MENU:
            if not name:
                menu.addSeparator()
                continue
            action = self.actions_table.get(name)
            entry = QAction(action.title, menu)
            entry.setShortcut(QKeySequence(action.key))
            entry.setEnabled(action.enabled())
            entry.triggered.connect(lambda _=False, a=action: a.run())
            menu.addAction(entry)
        menu.popup(self.header.menu_button.mapToGlobal(self.header.menu_button.rect().bottomLeft()))

    def showEvent(self, event: QShowEvent | None) -> None:
        """Open inside the free part of the screen, once the frame around the window is known."""
        super().showEvent(event)
        if event is not None and not event.spontaneous() and not self._placed:
            self._placed = True
            self.fit_screen()
            QTimer.singleShot(_FRAMED_MS, self.fit_screen)

    def fit_screen(self) -> None:
        """Bring the window, its frame included, inside the free part of its screen; a smaller screen wins over the
        least size that the window is made for."""
        screen = self.screen()
        if screen is None or self.isMaximized() or self.isFullScreen() or QApplication.platformName() == "offscreen":
            return
        free, frame, inner = screen.availableGeometry(), self.frameGeometry(), self.geometry()
        across, down = frame.width() - inner.width(), frame.height() - inner.height()
        most = free.width() - across, free.height() - down
        least = QSize(min(LEAST[0], most[0]), min(LEAST[1], most[1]))
        if least != self.minimumSize():
            self.setMinimumSize(least)
        self.resize(min(inner.width(), most[0]), min(inner.height(), most[1]))
        wide, tall = self.width() + across, self.height() + down
        x = min(max(frame.x(), free.x()), free.x() + free.width() - wide)
        y = min(max(frame.y(), free.y()), free.y() + free.height() - tall)
        if (x, y) != (frame.x(), frame.y()):
            self.move(x, y)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.session.jobs.wait()
        super().closeEvent(event)
        self.books.closed(self)
