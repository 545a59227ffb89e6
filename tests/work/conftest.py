"""A demonstration book and an empty one for the deeds of the stages."""

import pytest

import quiet
from azven.work import books, demo


@pytest.fixture
def store(tmp_path, request):
    made = (quiet if request.node.get_closest_marker("quiet") else demo).build(tmp_path)
    yield made
    made.close()


@pytest.fixture
def empty(tmp_path):
    made = books.new_book(tmp_path / "new.azven")
    yield made
    made.close()
