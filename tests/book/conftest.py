"""A place for a book on each engine, and a book in a file."""

import pytest

from azven.book.place import File
from azven.work import books


@pytest.fixture(params=["file", "server"])
def place(request, tmp_path):
    """Where no book is yet."""
    if request.param == "file":
        return File(tmp_path / "book.azven")
    return request.getfixturevalue("server").database()


@pytest.fixture
def store(tmp_path):
    """A new book in a file."""
    made = books.new_book(tmp_path / "book.azven")
    yield made
    made.close()
