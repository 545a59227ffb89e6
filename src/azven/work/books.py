"""Books as files: where the usual one is kept, opening, and new ones."""

from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from azven.book.edits import BookError, Edit, PasswordError, add
from azven.book.place import SUFFIX, File, Place, Server
from azven.book.store import Store, is_older
from azven.work.kit.catalogue import generic_models
from azven.work.sites import fresh

T = TypeVar("T")


def default_book() -> Place:
    """Where a book is kept when none is named; BookError where no folder can be made for it."""
    from platformdirs import user_data_path

    try:
        return File(user_data_path("azven", appauthor=False, ensure_exists=True) / f"book{SUFFIX}")
    except OSError as error:
        raise BookError(
            f"No folder for the book can be made in your home folder ({error.strerror}); name one with --book."
        ) from error


def open_book(where: Place | Path) -> Store:
    """Open a book, or make it when nothing is there; BookError in one sentence."""
    if not _is_there(where):
        new_book(where).close()
    return open_there(where)


def open_there(where: Place | Path) -> Store:
    """Open a book that is there; edits of one on a server wait in the user's state folder while that is away."""
    return Store.open(where, keeping=_waiting_room() if isinstance(where, Server) else None)


def bring_up_to_date(where: Place | Path) -> None:
    """Bring an older book up to date; BookError in one sentence, and the book stays as it was. For a thread of its own:
    of a large one that takes a minute."""
    Store.open(where).close()


def needs_bringing(where: Place | Path) -> bool:
    """Whether a book is there that an older Azven wrote; what stands in the way is told by whoever opens it, but for a
    password that is wanted (PasswordError)."""
    try:
        return _is_there(where) and is_older(where)
    except PasswordError:
        raise
    except BookError:
        return False


def let_in(where: Place, make: Callable[[Place], T], ask: Callable[[str], str | None]) -> T:
    """What `make` makes of a place, asking for a password (told why) as often as the server wants one. Raises Refusal
    where it cannot be made, or where nobody gives a password."""
    while True:
        try:
            return make(where)
        except PasswordError as wanted:
            given = ask(str(wanted)) if isinstance(where, Server) else None
            if given is None or not isinstance(where, Server):
                raise
            where = where.knowing(given)


def _waiting_room() -> Path:
    from platformdirs import user_state_path

    return user_state_path("azven", appauthor=False) / "waiting"


def _is_there(where: Place | Path) -> bool:
    if isinstance(where, Server):
        from azven.book.engines.postgres import is_empty

        return not is_empty(where)
    path = where.path if isinstance(where, File) else where
    try:
        return path.exists()
    except OSError as error:
        raise BookError(f"{str(path)[:80]}… cannot be a book ({error.strerror}).") from error


def is_damaged(where: Place) -> bool:
    """Whether something in the book at a place is damaged, all of it looked through; for a thread of its own."""
    with closing(Store.open(where, thorough=True)) as store:
        return bool(store.damaged)


def load_writing() -> None:
    """Load what the first edit needs, which opening and reading a file can do without; for a thread of its own."""

    import azven.book.landing  # noqa: F401


def new_book(where: Place | Path) -> Store:
    """A new book with one site, one show, one room and the generic models, ready to be filled in."""
    store = Store.create(where)
    models = generic_models()
    first = store.reserve(3 + len(models))
    generic = (replace(m, id=first + 3 + i) for i, m in enumerate(models))
    store.apply(Edit("New book", add(*fresh(first, "New site"), *generic)))
    return store
