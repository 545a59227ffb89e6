"""Asking where to write, writing, and saying how it went."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from azven.book.engines.book_files import is_open_here
from azven.book.formats.whole import write_whole
from azven.desk.session import Session

if TYPE_CHECKING:
    from azven.desk.pdf import Paper


def ask_where(parent: QWidget, title: str, suggested: str, kinds: str) -> Path | None:
    """A path to write to, None when the user thinks better of it."""
    name, _ = QFileDialog.getSaveFileName(parent, title, suggested, kinds)
    return _unless_open(parent, title, name)


def ask_which(parent: QWidget, title: str, kinds: str) -> Path | None:
    """A file to read, None when the user thinks better of it."""
    name, _ = QFileDialog.getOpenFileName(parent, title, "", kinds)
    return _unless_open(parent, title, name)


def _unless_open(parent: QWidget, title: str, name: str) -> Path | None:
    """A path that was chosen; None for no choice, or for a book that is open here: it may neither be written over nor
    be read by anything but its database."""
    if name and is_open_here(Path(name)):
        QMessageBox.warning(parent, title, f"{Path(name).name} is a book that is open here; choose another file.")
        return None
    return Path(name) if name else None


def write_text(session: Session, path: Path, text: str, what: str) -> bool:
    """Write a text file and say so: `what` stands after “Wrote”. True when it is on disk."""
    return write_bytes(session, path, text.encode("utf-8"), what)


def write_bytes(session: Session, path: Path, data: bytes, what: str) -> bool:
    """Write a file and say so. True when it is on disk."""
    try:
        write_whole(path, data)
    except OSError as error:
        session.say(f"{path} could not be written: {error.strerror or error}.", trouble=True)
        return False
    session.say(f"Wrote {what} to {path.name}.")
    return True


def write_pages(session: Session, path: Path, html: str, title: str, paper: "Paper" = "A4") -> bool:
    """Write pages as PDF, `title` at the foot, and say how many. True when they are on disk."""
    from azven.desk.pdf import write_pdf

    return draw_pages(session, path, lambda: write_pdf(html, path, title, paper))


def draw_pages(session: Session, path: Path, draw: Callable[[], int]) -> bool:
    """Have a document drawn, and say how many pages it has. True when they are on disk."""
    try:
        pages = draw()
    except OSError as error:
        session.say(f"{path} could not be written: {error.strerror or error}.", trouble=True)
        return False
    session.say(f"Wrote {pages} page{'' if pages == 1 else 's'} to {path.name}.")
    return True
