"""The books that are open, a window each: opening, new ones, copies, and what is remembered when one closes."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QWidget

from azven.book.place import SUFFIX, File, Place
from azven.book.store import Store
from azven.desk import faults, servers
from azven.desk import theme as look
from azven.desk.remembered import Remembered
from azven.desk.session import Session
from azven.desk.window import Window
from azven.refusal import Refusal
from azven.work import books, scope

if TYPE_CHECKING:
    from azven.work.surroundings import Surroundings

_KINDS = f"Azven books (*{SUFFIX})"


class Books:
    """Every open book with its window, the one used last at the end."""

    def __init__(self) -> None:
        self.remembered = Remembered()
        self.windows: list[Window] = []
        self.all_ended = True
        """Whether all jobs of the windows that were closed have ended in time."""

    def show(
        self, store: Store, stage: str, theme: look.Theme, note: str = "", lasting: bool = True,
        frame: Window | None = None, venue: "Surroundings | None" = None,
    ) -> Window:  # fmt: skip
        """A window over an open book, at the place where one was last, in a `frame` that is there already or a new one;
        `lasting` books are remembered."""
        stayed = self.remembered.stayed(store.place) if lasting else None
        there = stayed is not None and scope.exists(store, scope.Scope(*stayed))
        session = Session(store, scope.Scope(*stayed) if stayed and there else scope.opening(store), venue)
        session.theme = theme
        window = frame or Window()
        window.fill(session, note, self)
        window.lasting = lasting
        self.windows.append(window)
        window.show_stage(stage)
        if lasting:
            self.remembered.opened(store.place)
        return window

    def open(self, place: Place, beside: Window, make: Callable[[Place], Store] = books.open_there) -> None:
        """Open a book in a window of its own, or bring forward the one it has; trouble is said in `beside`."""
        known = next((w for w in self.windows if w.session.store.place.key == place.key), None)
        if known is not None:
            known.raise_()
            known.activateWindow()
            return
        try:
            store = servers.book_at(place, make, beside)
            window = self.show(store, "ground", beside.session.theme, damage_note(store))
        except Refusal as refusal:
            beside.session.say(faults.sentence(refusal), trouble=True)
            return
        window.application = beside.application
        window.move(beside.pos().x() + 40, beside.pos().y() + 40)
        window.show()

    def ask_new(self, beside: Window) -> None:
        """A new book where the user says."""
        if path := _ask_where(beside, "New book", f"book{SUFFIX}"):
            self.open(File(path), beside, books.new_book)

    def ask_open(self, beside: Window) -> None:
        """A book that the user chooses."""
        name, _ = QFileDialog.getOpenFileName(beside, "Open a book", str(beside.session.store.place.folder), _KINDS)
        if name:
            self.open(File(Path(name)), beside)

    def ask_copy(self, of: Window) -> None:
        """The book as it stands, as a file under another name; the window stays with the one it has."""
        path = _ask_where(of, "Save a copy", f"{of.session.store.place.stem} copy{SUFFIX}")
        if path is not None:
            self.copy(of, File(path))

    def copy(self, of: Window, target: Place) -> None:
        """Copy the book of a window to a place, beside the window where that may take long."""
        from azven.book import copying

        session = of.session
        if any(w.session.store.place.key == target.key for w in self.windows):
            session.say(f"{target.title} is open; a copy needs another name.", trouble=True)
            return
        source = session.store.place

        def said(_: object) -> None:
            session.say(f"Wrote a copy of the book to {target.title}; you go on in {source.title}.")

        if isinstance(source, File) and isinstance(target, File):
            try:
                copying.save_copy(session.store, target.path)
            except Refusal as refusal:
                session.say(faults.sentence(refusal), trouble=True)
            else:
                said(None)
            return
        session.jobs.start(f"Copying to {target.title}", lambda go_on: _copied(source, target, go_on), said)

    def closed(self, window: Window, ended: bool) -> None:
        """A window has gone: remember where it was, and let go of its book, if all its jobs have `ended`."""
        session = window.session
        session.rest()
        if window not in self.windows:
            return
        self.windows.remove(window)
        self.remembered.theme = session.theme.name
        if window.lasting:
            self.remembered.stay(session.store.place, session.scope.site, session.scope.show)
            self.remembered.geometry = window.saveGeometry()
        if session.venue is not None:
            session.venue.stop()
        if ended:
            session.store.close()
        else:
            self.all_ended = False


def _copied(source: Place, target: Place, go_on: Callable[[int, int], bool]) -> None:
    """Copy on a connection of its own; that an older file at the target goes has been agreed to."""
    from azven.book import copying

    store = Store.open(source)
    try:
        if isinstance(target, File):
            copying.save_copy(store, target.path, go_on)
        else:
            copying.copy(store, target, go_on)
    finally:
        store.close()


def damage_note(store: Store) -> str:
    """What is said when a book with damage is opened; nothing where it is sound."""
    if not store.damaged:
        return ""
    return f"Open for reading only. {len(store.damaged)} damaged records are set aside: {store.damage_in_words()}."


def _ask_where(parent: QWidget, title: str, name: str) -> Path | None:
    chosen, _ = QFileDialog.getSaveFileName(parent, title, name, _KINDS)
    if not chosen:
        return None
    return Path(chosen) if chosen.endswith(SUFFIX) else Path(chosen + SUFFIX)
