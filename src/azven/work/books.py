"""Books as files: where the usual one is kept, opening, and new ones."""

from dataclasses import replace
from pathlib import Path

from azven.book.edits import BookError, Edit, add
from azven.book.store import SUFFIX, Store
from azven.work.kit.catalogue import generic_models
from azven.work.sites import fresh


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
    return Store.open(path) if there else new_book(path)


def new_book(path: Path) -> Store:
    """A new book with one site, one show, one room and the generic models, ready to be filled in."""
    store = Store.create(path)
    models = generic_models()
    first = store.reserve(3 + len(models))
    generic = (replace(m, id=first + 3 + i) for i, m in enumerate(models))
    store.apply(Edit("New book", add(*fresh(first, "New site"), *generic)))
    return store
