"""Opening the window: the book, the demonstration, the picture for `--shot`, and what happens when something breaks."""

import gc
import logging
import os
import sys
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, NoReturn

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from azven.book.edits import BookError
from azven.book.store import SUFFIX, Store
from azven.desk import faults
from azven.desk import theme as look
from azven.refusal import Refusal
from azven.work import books, demo
from azven.work.scope import Scope

if TYPE_CHECKING:
    from azven.desk.session import Session
    from azven.desk.window import Window
    from azven.work.simulation import SimulatedVenue

_VENUE_MS = 300
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
    return app


def default_book() -> Path:
    """Where a book is kept when none is named; BookError where no folder can be made for it."""
    from platformdirs import user_data_path

    try:
        return user_data_path("azven", appauthor=False, ensure_exists=True) / f"book{SUFFIX}"
    except OSError as error:
        raise BookError(
            f"No folder for the book can be made in your home folder ({error.strerror}); name one with --book."
        ) from error


def open_book(path: Path) -> Store:
    """Open a book, or make it when nothing is there; BookError in one sentence."""
    try:
        there = path.exists()
    except OSError as error:
        raise BookError(f"{str(path)[:80]}… cannot be a book ({error.strerror}).") from error
    return Store.open(path) if there else books.new_book(path)


def start(demonstrate: bool, book: Path | None, stage: str, theme: str | None) -> "Window":
    """Show the window with a book; Refusal in one sentence when it cannot be opened.

    The collector rests while thousands of lasting objects are made, which is a tenth of the time.
    """
    gc.disable()
    faults.keep_log()
    app = application()
    from azven.desk.books import Books, damage_note

    shelf = Books()
    chosen = look.THEMES.get(theme or shelf.remembered.theme, look.DAYLIGHT)
    look.apply(app, chosen)
    store = demo.build() if demonstrate else open_book(book or default_book())
    note = f"Demonstration: a fresh copy in {store.path.parent}. Nothing you do here touches a book of yours."
    window = shelf.show(store, stage, chosen, note if demonstrate else damage_note(store), lasting=not demonstrate)
    window.application = app  # Qt takes all widgets down with the last reference to it
    sys.excepthook = _Apology(lambda: next((w for w in shelf.windows if w.isActiveWindow()), window))
    if (stood := shelf.remembered.geometry) is not None and not demonstrate:
        window.restoreGeometry(stood)
    window.show()
    app.processEvents()
    gc.freeze()
    gc.enable()
    if demonstrate:
        QTimer.singleShot(0 if stage == "listen" else _VENUE_MS, lambda: _attach_venue(window.session))
    return window


def _simulated(store: Store, scope: Scope) -> "SimulatedVenue":
    from azven.work.simulation import SimulatedVenue

    return SimulatedVenue(store, scope).start()


def _attach_venue(session: "Session") -> None:
    """The stand-ins come once the window is there; nobody can sweep before."""
    if session.venue is None and not session.jobs.closed:
        session.venue = _simulated(session.store, session.scope)


def run(demonstrate: bool, book: Path | None, stage: str, theme: str | None, shot: Path | None) -> int:
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
        window.books.closed(left)
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
        QMessageBox.warning(None, "Azven", message)
    print(message, file=sys.stderr)
    return 2


def _shoot_when_quiet(app: QApplication, window: "Window", path: Path) -> None:
    """Grab the window once no job has run for a moment, then leave."""
    timer = QTimer(window, interval=_QUIET_MS)
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
