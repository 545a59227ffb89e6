"""Opening the window: the book, the demonstration, the picture for `--shot`, and what happens when something breaks."""

import gc
import logging
import os
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, NoReturn

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from azven.desk import faults
from azven.desk import theme as look
from azven.refusal import Refusal

if TYPE_CHECKING:
    from azven.book.place import Place
    from azven.desk.session import Session
    from azven.desk.window import Window

_VENUE_MS = 300
_WRITING_MS = 100
_QUIET_MS = 80
_SWITCH_S = 0.0005
"""A painting window gets the interpreter back from a computing thread ten times sooner than by default."""


def application() -> QApplication:
    """The one QApplication, with the shipped type loaded."""
    app = QApplication.instance()
    if isinstance(app, QApplication):
        return app
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Azven")
    sys.setswitchinterval(_SWITCH_S)
    app.setStyle("Fusion")
    look.load_fonts()
    app.setFont(look.font())
    return app


def frame(theme: str | None, stood: bool = True) -> "Window":
    """The window's frame on the screen, before anything of a book is loaded; where it `stood` the last time."""
    app = application()
    from azven.desk.remembered import Remembered
    from azven.desk.window import Window

    remembered = Remembered()
    chosen = look.THEMES.get(theme or remembered.theme, look.DAYLIGHT)
    window = Window()
    window.application = app  # Qt takes all widgets down with the last reference to it
    window.wait(chosen)
    if stood and (geometry := remembered.geometry) is not None:
        window.restoreGeometry(geometry)
    window.show()
    app.processEvents()
    return window


def start(demonstrate: bool, book: "Place | Path | None", stage: str, theme: str | None) -> "Window":
    """Show the window, then the book in it; Refusal in one sentence when that cannot be opened.

    The collector rests while thousands of lasting objects are made, which is a tenth of the time.
    """
    gc.disable()
    window = frame(theme, stood=not demonstrate)
    try:
        _fill(window, demonstrate, book, stage)
    except Refusal:
        window.close()
        raise
    application().processEvents()
    gc.freeze()
    gc.enable()
    QTimer.singleShot(_WRITING_MS, _load_writing)
    return window


def _load_writing() -> None:
    """Load what the first edit needs, beside the painted window."""
    from azven.work import books

    threading.Thread(target=books.load_writing, daemon=True).start()


def _fill(window: "Window", demonstrate: bool, book: "Place | Path | None", stage: str) -> None:
    """Load what a book needs, and show it."""
    from azven.book.place import File
    from azven.desk import servers
    from azven.desk.books import Books, damage_note
    from azven.work import books, demo

    shelf = Books()
    if demonstrate:
        store = demo.build()
    else:
        place = File(book) if isinstance(book, Path) else book or books.default_book()
        nobody = QApplication.platformName() == "offscreen"
        store = books.open_book(place) if nobody else servers.book_at(place, books.open_book, window)
    note = f"Demonstration: a fresh copy in {store.place.folder}. Nothing you do here touches a book of yours."
    venue = demo.surroundings(store) if demonstrate and stage == "listen" else None
    said = note if demonstrate else damage_note(store)
    shelf.show(store, stage, window.theme, said, not demonstrate, window, venue)
    sys.excepthook = _Apology(lambda: next((w for w in shelf.windows if w.isActiveWindow()), window))
    if demonstrate:
        QTimer.singleShot(_VENUE_MS, lambda: _attach_venue(window.session))


def _attach_venue(session: "Session") -> None:
    """The stand-ins come once the window is there; nobody can sweep before."""
    if session.venue is None and not session.jobs.closed:
        from azven.work import demo

        session.venue = demo.surroundings(session.store)
        session.venue.follow(session.scope)


def run(demonstrate: bool, book: "Place | None", stage: str, theme: str | None, shot: Path | None) -> int:
    """Show the window until it is closed. Returns the exit status."""
    app = application()
    try:
        window = start(demonstrate, book, stage, theme)
    except Refusal as error:
        return _cannot_open(str(error), shot)
    if shot is not None:
        _shoot_when_quiet(app, window, shot)
    status = app.exec()
    for left in list(window.books.windows):
        left.close()
    if not window.books.all_ended:
        _leave(status)
    return status


def _leave(status: int) -> NoReturn:
    """End now, as a job does not heed the wish to stop: what was edited is on disk already."""
    logging.getLogger(__name__).warning("a job did not end in time")
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(status)


def _cannot_open(message: str, shot: Path | None) -> int:
    if shot is None and QApplication.platformName() != "offscreen":
        box = QMessageBox(QMessageBox.Icon.Warning, "Azven", message)
        box.setStyleSheet(look.sheet(look.DAYLIGHT))
        box.exec()
    print(message, file=sys.stderr)
    return 2


def _shoot_when_quiet(app: QApplication, window: "Window", path: Path) -> None:
    """Grab the window once no job has run for a moment, then leave."""
    timer = QTimer(window)
    timer.setInterval(_QUIET_MS)
    quiet = 0

    def look_again() -> None:
        nonlocal quiet
        quiet = quiet + 1 if window.session.jobs.idle else 0
        if quiet >= 3:
            timer.stop()
            if not window.grab().save(str(path)):
                print(f"{path} could not be written.", file=sys.stderr)
            window.close()
            app.quit()

    timer.timeout.connect(look_again)
    timer.start()


class _Apology:
    """Tells the user about a fault of ours; the book is safe, since every edit is on disk already."""

    def __init__(self, window: Callable[[], "Window"]) -> None:
        self._window = window

    def __call__(self, kind: type[BaseException], value: BaseException, trace: TracebackType | None) -> None:
        self._window().session.say(faults.sentence(value), trouble=True)
