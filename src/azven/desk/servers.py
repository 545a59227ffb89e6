"""Books on servers: asking where, asking for a password, and opening or copying there."""

from collections.abc import Callable
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtWidgets import QInputDialog, QLineEdit, QWidget

from azven.book.place import Place, Server, is_url, place
from azven.desk import faults
from azven.desk.upgrading import up_to_date
from azven.refusal import Refusal
from azven.work import books

if TYPE_CHECKING:
    from azven.desk.books import Books
    from azven.desk.window import Window

T = TypeVar("T")
_ASKED = (
    "Where the book is, as postgresql://person@server/name.\n"
    "An empty database becomes a new book. A password is asked for and never kept."
)


def book_at(where: Place, make: Callable[[Place], T], window: "Window") -> T:
    """The same for a book, which is brought up to date before where an older Azven wrote it."""

    def made(place: Place) -> T:
        up_to_date(place, window)
        return make(place)

    return opened(where, made, window)


def opened(where: Place, make: Callable[[Place], T], parent: QWidget | None) -> T:
    """What `make` makes of a place, with a dialog for each password that the server wants; Refusal where it cannot be
    made."""
    return books.let_in(where, make, lambda why: _ask_password(parent, why))


def _ask_password(parent: QWidget | None, why: str) -> str | None:
    text, given = QInputDialog.getText(parent, "Password", why, QLineEdit.EchoMode.Password)
    return text if given else None


def _ask_server(parent: QWidget, title: str) -> Place | None:
    text, given = QInputDialog.getText(parent, title, _ASKED, text="postgresql://")
    if not given or not text.strip():
        return None
    if not is_url(text.strip()):
        raise Refusal("This is no URL of a database: it should look like postgresql://server/name.")
    return place(text.strip())


def ask_open(shelf: "Books", window: "Window") -> None:
    """Open a book on a server that the user names; an empty database becomes a new book."""
    try:
        where = _ask_server(window, "Open a shared book")
    except Refusal as refusal:
        window.session.say(faults.sentence(refusal), trouble=True)
        return
    if where is not None:
        shelf.open(where, window, books.open_book)


def ask_copy(shelf: "Books", window: "Window") -> None:
    """Copy the book of a window to an empty database that the user names."""
    try:
        where = _ask_server(window, "Copy the book to a server")
        if where is not None:
            shelf.copy(window, opened(where, _reached, window))
    except Refusal as refusal:
        window.session.say(faults.sentence(refusal), trouble=True)


def _reached(where: Place) -> Place:
    """The place, once its server has been seen to let us in."""
    if isinstance(where, Server):
        from azven.book.engines.postgres import is_empty

        is_empty(where)
    return where
