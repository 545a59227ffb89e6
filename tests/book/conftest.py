"""A place for a book on each engine."""

import pytest

from azven.book.place import File


@pytest.fixture(params=["file", "server"])
def place(request, tmp_path):
    """Where no book is yet."""
    if request.param == "file":
        return File(tmp_path / "book.azven")
    return request.getfixturevalue("server").database()
