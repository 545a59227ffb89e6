"""The frame: rail, header, stage, spine, Reasons, and the line that says what happened.

What needs a book is imported where it is first used: the frame is on the screen before the rest is loaded.
"""

from functools import partial
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QChildEvent, QSize, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QKeySequence, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from azven.desk import theme as look
from azven.desk.actions import Action, Actions
from azven.desk.palette import Palette
from azven.desk.waiting import Waiting

if TYPE_CHECKING:
    from azven.desk.books import Books
    from azven.desk.session import Session
    from azven.desk.stage import Stage

LEAST, MADE_FOR = (1100, 700), (1280, 800)
_DIAL_MS, _LOOKS_CLOSER_MS = 1_500, 4_000
_FRAMED_MS, _LOOKS, _SETTLED = 150, 40, 4
"""The window manager puts its frame around the window a moment after it is shown, and may place it again; one looks so
often, every so many ms, until it has stayed inside the screen for so many looks. Some managers put no frame."""


class Window(QMainWindow):
    """One window, made for 1280×800. Without a session it shows its frame alone; `fill` puts a book into it, and loads
    what that needs, which takes as long as all the rest of a start."""

    def __init__(self, session: "Session | None" = None, note: str = "", books: "Books | None" = None) -> None:
        super().__init__()
        self.application: QApplication | None = None
        self._placed = self.filled = self.lasting = False
        self._made: dict[str, Stage] = {}
        self.theme = look.DAYLIGHT
        """What it waits in, until a session has its own."""
        self.actions_table = Actions(self)
        self._fitting = QTimer(self)
        self._fitting.timeout.connect(self._look)
        self._looks = self._unsettled = 0
        self.setMinimumSize(*LEAST)
        self.resize(*MADE_FOR)
        self.setWindowTitle("Azven")
        if session is not None:
            self.fill(session, note, books)

    def wait(self, theme: look.Theme) -> None:
        """Show the frame until there is a book."""
        self.theme = theme
        self.setCentralWidget(Waiting(theme))

    def tell_opening(self, words: str) -> None:
        """What goes on while a book is opened: in the frame while it has none, else in the line of its own book."""
        frame = self.centralWidget()
        if isinstance(frame, Waiting):
            frame.say(words)
        else:
            self.session.say(words)

    def fill(self, session: "Session", note: str = "", books: "Books | None" = None) -> None:
        """Show a book."""
        from azven.desk.books import Books
        from azven.desk.header import Header
        from azven.desk.places import Places
        from azven.desk.rail import Rail
        from azven.desk.reasons import ReasonsPanel
        from azven.desk.spine import Spine
        from azven.desk.stage import FittedLabel

        self.session, self.books = session, books or Books()
        self.setWindowTitle(f"{session.store.place.title} – Azven")
        self.rail, self.header = Rail(session), Header(session.jobs)
        self.spine, self.panel = Spine(session), ReasonsPanel(session)
        self._stack = QStackedWidget()
        self._said = FittedLabel("small")
        self._said.setContentsMargins(14, 2, 14, 3)
        self._foot = QWidget()
        self._foot.setObjectName("stage")
        self._foot.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        foot = QVBoxLayout(self._foot)
        foot.setContentsMargins(0, 0, 0, 0)
        foot.addWidget(self._said)
        self._say_lasting()
        self.places = Places(self)
        self._dress()
        self._lay_out()
        self.tell(note)  # once it has its place: shown before, it would be a window of its own
        self._connect()
        self._offer_actions()
        self.panel.refresh()
        self.filled = True
        QTimer.singleShot(_DIAL_MS, self._hear_racks)
        QTimer.singleShot(_LOOKS_CLOSER_MS, self._look_closer)

    def _say_lasting(self) -> None:
        """What is so for as long as the book is open: that it can only be read, or only in part be written."""
        from azven.book.records import Site

        store = self.session.store
        self._damage_said = store.damaged
        if store.damaged:
            self.header.keep_saying(f"Reading only: {len(store.damaged)} damaged", store.damage_in_words())
        elif store.rights.right == "read":
            self.header.keep_saying("Reading only", "Your role at the server may not change this book.")
        elif store.rights.right == "campus":
            names = ", ".join(s.name for s in store.all(Site) if s.id in store.rights.sites)
            self.header.keep_saying(f"Writes for {names}", "Your role at the server changes nothing of other campuses.")

    def _look_closer(self) -> None:
        """Look through all of a book in a file, beside the work: what is many is not looked at as it is opened. Once
        what was left for later has been read, for two that read keep one another waiting."""
        from azven.book.place import File
        from azven.work import books

        session = self.session
        where = session.store.place
        if session.store.damaged:
            self._tell_damage()
        elif session.store.unread and not session.jobs.closed:
            QTimer.singleShot(_LOOKS_CLOSER_MS, self._look_closer)
        elif isinstance(where, File) and not session.jobs.closed:
            session.jobs.quiet("looking through the book", lambda _: books.is_damaged(where), self._looked_closer)

    def _looked_closer(self, damaged: bool) -> None:
        if damaged:
            self.session.store.look_closer()
            self._tell_damage()

    def _tell_damage(self) -> None:
        """Say of damage what was found since it was last said."""
        from azven.desk.books import damage_note

        session = self.session
        if session.store.damaged != self._damage_said:
            self._say_lasting()
            session.say(damage_note(session.store), trouble=True)

    def _hear_racks(self) -> None:
        """Racks of the list are heard from the start: a window that comes back in mid-show watches again."""
        from azven.book.records import ListedRack

        session = self.session
        if session.jobs.closed:
            return
        if any(r.address for r in session.store.all(ListedRack, site_id=session.scope.site)):
            session.racks.keep_ticking()

    def _lay_out(self) -> None:
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._stack, 1)
        middle.addWidget(self.panel)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.header)
        right.addLayout(middle, 1)
        right.addWidget(self._foot)
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
        self.header.searched.connect(self.look_up)
        self.header.asked.connect(self.places.open)
        self.header.menu.connect(self.open_menu)
        self.header.primary.connect(lambda: self.stage.run_primary())
        session.edited.connect(self._edited)
        session.judged.connect(self._judged)
        session.said.connect(self._say)
        session.themed.connect(self._dress)
        session.moved.connect(self._arrived)
        session.acted.connect(lambda: self.header.show_place(self.places.crumbs()))
        session.held = lambda: next(filter(None, (stage.held() for stage in self._made.values())), "")
        session.selected.connect(self._show_threats)
        session.reached.connect(self._show_reach)
        session.counted.connect(self._show_counts)
        session.drops = self._ask_to_drop
        session.jobs.started.connect(lambda _: self._refresh_primary())
        session.jobs.ended.connect(self._refresh_primary)

    @property
    def stage(self) -> "Stage":
        """The stage in view."""
        return cast("Stage", self._stack.currentWidget())

    def open_stage(self, name: str) -> "Stage":
        """The widget of a stage, made when it is first asked for."""
        from azven.desk.stages import spec

        if name not in self._made:
            stage = self._made[name] = spec(name).load()(self.session)
            self._clothe(stage)
            self._stack.addWidget(stage)
            stage.primary_changed.connect(self._refresh_primary)
            self.actions_table.add(*stage.actions_offered())
        return self._made[name]

    def show_stage(self, name: str) -> None:
        """Bring a stage into view; it reads the book when it comes."""
        self._clothe(self.open_stage(name))
        self._stack.setCurrentWidget(self.open_stage(name))
        self.refresh()
        self.stage.take_focus()

    def refresh(self) -> None:
        """Everything that depends on the book, for the stage in view and the frame around it."""
        if not (self.session.judging and self.stage.shows_plan):
            self.stage.refresh()
        self.header.show_place(self.places.crumbs())
        if not self.session.judging:
            self._show_judged()

    def _edited(self) -> None:
        if self._stack.currentWidget() is not None and not self.stage.shows_plan:
            self.stage.refresh()
        self.header.show_place(self.places.crumbs())

    def _judged(self) -> None:
        if self._stack.currentWidget() is None:  # before the first is shown
            return
        if self.stage.shows_plan:
            self.stage.refresh()
        self._show_judged()

    def _show_judged(self) -> None:
        self.rail.show_stages(self.stage.name)
        self._refresh_primary()
        self._show_threats()

    def _show_counts(self) -> None:
        if self._stack.currentWidget() is not None:
            self.rail.show_stages(self.stage.name)
            self._refresh_primary()

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
        self._foot.setVisible(bool(note))

    def said(self) -> str:
        """What the line under the stage says, empty when it is hidden."""
        return self._said.text() if not self._foot.isHidden() else ""

    def _show_reach(self) -> None:
        """Say for as long as it lasts that the server of the book is away, and what waits for it."""
        session, waiting, collided = self.session, self.session.store.waiting, len(self.session.store.collided)
        if session.away_since is not None:
            since = f"{session.away_since.astimezone(session.clock.tz):%H:%M:%S}"
            kept = f", {_edits(waiting)} waiting" if waiting else ""
            goes_on = "what you change is kept here and written once it is back."
            waits = "nothing can be changed until it is back."
            more = f"You see the book as it was then; {goes_on if session.store.goes_on else waits}"
            self.header.keep_saying(f"Server away since {since}{kept}", more)
            if not waiting:
                session.say(f"The server of the book does not answer since {since}. {more}", trouble=True)
        elif collided:
            self.header.keep_saying(f"{_edits(collided)} to settle", "Others have changed the same things meanwhile.")
            self._settle()
        else:
            self.header.stop_saying()
            session.say("The server answers again; everything is written, and what others did is taken over.")

    def _settle(self) -> None:
        """Show what waited for the server and met what others had done."""
        from azven.desk.collided import CollidedDialog

        if self.session.store.collided and not self.findChildren(CollidedDialog):
            CollidedDialog(self, self.session).show()

    def _ask_to_drop(self, title: str, why: str) -> bool:
        """Whether an undo step that others have overtaken is to be dropped, so that those before it work."""
        box = QMessageBox(self)
        box.setIcon(QMessageBox.Icon.Question)
        box.setWindowTitle("Overtaken by another desk")
        box.setText(f"“{title}” cannot be undone.")
        box.setInformativeText(f"{why}\n\nDrop this step to undo the ones before it? Nothing in the book changes.")
        drop = box.addButton("Drop this step", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Keep it", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is drop

    def _arrived(self) -> None:
        """Another site or show: stages that are open forget what they showed of the last one. `edited`, which follows,
        lets the one in view read the book."""
        shown = self.stage.name
        for stage in self._made.values():
            self._stack.removeWidget(stage)
            stage.deleteLater()
        self._made.clear()
        self._stack.setCurrentWidget(self.open_stage(shown))
        self.stage.take_focus()

    # -- the theme -----------------------------------------------------------------------------------

    def _dress(self) -> None:
        """Dress what is in view; a stage that is not, is dressed when it comes."""
        for part in (self.rail, self.header, self.spine, self.panel, self._foot, self._stack.currentWidget()):
            self._clothe(part)
        self.update()

    def _clothe(self, part: QWidget | None) -> None:
        sheet = look.sheet(self.session.theme)
        if part is not None and part.styleSheet() != sheet:
            part.setStyleSheet(sheet)

    def childEvent(self, event: QChildEvent | None) -> None:
        """Dialogs and menus over the window are dressed as it is, just before they are shown."""
        super().childEvent(event)
        if event is not None and event.polished() and self.filled:
            child = event.child()
            if isinstance(child, QWidget) and child.isWindow():
                self._clothe(child)

    # -- deeds ---------------------------------------------------------------------------------------

    def _offer_actions(self) -> None:
        from azven.desk.stages import STAGES

        session, view = self.session, self.session.view
        self.actions_table.add(
            Action("find", "Find or do", self.look_up, "Ctrl+K"),
            Action("undo", "Undo", session.step_back, "Ctrl+Z"),
            Action("redo", "Redo", session.step_forward, "Ctrl+Shift+Z"),
            Action("theme", "Daylight or Backstage", self._other_theme, "Ctrl+Shift+B"),
            Action("spine", "Fold the spine", lambda: self.spine.setVisible(self.spine.isHidden()), "F6"),
            Action("reasons", "Fold Reasons", lambda: self.panel.setVisible(self.panel.isHidden()), "F7"),
            Action("whole", "Show the whole band", lambda: view.show(*view.whole()), "Ctrl+0"),
            Action("next-band", "Show the next band", view.choose_next, "Ctrl+B", lambda: len(view.bands) > 1),
            Action("settle", "Settle edits that met others'…", self._settle, "", lambda: bool(session.store.collided)),
            Action("stop", "Stop what is running", session.jobs.stop, "Ctrl+.", lambda: session.jobs.shown is not None),
        )
        for i, each in enumerate(STAGES, start=1):
            name, title = f"stage-{each.name}", f"Go to {each.title}"
            self.actions_table.add(Action(name, title, partial(self.show_stage, each.name), f"Ctrl+{i}"))
        self.actions_table.add(*self.places.actions())

    def _other_theme(self) -> None:
        dark = self.session.theme is look.BACKSTAGE
        self.session.set_theme(look.DAYLIGHT if dark else look.BACKSTAGE)

    def look_up(self) -> None:
        """Open Find or do under the header."""
        from azven.desk.finding import entries

        palette = Palette(self, entries(self))
        palette.move(self.mapToGlobal(self.header.geometry().bottomRight()) - palette.rect().topRight())
        palette.show()

    def open_menu(self) -> None:
        """What every desktop program has, under its button."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in self.places.MENU:
            if not name:
                menu.addSeparator()
                continue
            action = self.actions_table.get(name)
            entry = QAction(action.title, menu)
            entry.setShortcut(QKeySequence(action.key))
            entry.setEnabled(action.enabled())
            entry.triggered.connect(lambda _=False, n=name: self.actions_table.run(n))
            menu.addAction(entry)
        menu.popup(self.header.menu_button.mapToGlobal(self.header.menu_button.rect().bottomLeft()))

    def showEvent(self, event: QShowEvent | None) -> None:
        """Open inside the free part of the screen, once the frame around the window is known."""
        super().showEvent(event)
        if event is not None and not event.spontaneous() and not self._placed:
            self._placed = True
            self._looks, self._unsettled = _LOOKS, _SETTLED
            self._fitting.start(_FRAMED_MS)
            self._look()

    def _look(self) -> None:
        """Fit the window, until it has stayed where it is or enough has been tried."""
        before = self.geometry()
        self.fit_screen()
        stayed = self.geometry() == before and self.frameGeometry() != before
        self._looks, self._unsettled = self._looks - 1, self._unsettled - 1 if stayed else _SETTLED
        if not (self._looks and self._unsettled and self.isVisible()):
            self._fitting.stop()

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
        super().closeEvent(event)
        if self.filled:
            self.books.closed(self, self.session.jobs.wait())


def _edits(count: int) -> str:
    return f"{count} edit" if count == 1 else f"{count} edits"
