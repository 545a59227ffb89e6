"""Books that an older Azven wrote are brought up to date beside the window, which says so."""

import sqlite3

import pytest

from azven.book.edits import BookError
from azven.book.place import File
from azven.book.records import Inquiry
from azven.book.store import Store
from azven.desk import upgrading
from azven.desk.theme import DAYLIGHT
from azven.desk.waiting import Waiting
from azven.desk.window import Window
from azven.work import books, demo


@pytest.fixture
def older(tmp_path):
    """The demonstration as it was before campuses asked one another."""
    made = demo.build(tmp_path)
    made.close()
    with sqlite3.connect(made.place.path) as connection:
        connection.execute("DROP TABLE inquiry")
        connection.execute("ALTER TABLE site DROP COLUMN district")
        connection.execute("UPDATE alembic_version SET version_num = '0015'")
    connection.close()
    return made.place


@pytest.fixture
def frame(qtbot):
    window = Window()
    qtbot.addWidget(window)
    window.wait(DAYLIGHT)
    return window


def test_an_older_book_is_brought_up_to_date_while_the_frame_says_so(frame, older, monkeypatch):
    said = []
    monkeypatch.setattr(Waiting, "say", lambda _, words: said.append(words))
    real = books.bring_up_to_date

    def slow(where):
        upgrading.time.sleep(0.4)
        real(where)

    monkeypatch.setattr(books, "bring_up_to_date", slow)
    assert books.needs_bringing(older)
    upgrading.up_to_date(older, frame)
    assert said
    assert all(words.startswith(f"Bringing {older.title} up to date, ") for words in said)
    assert not books.needs_bringing(older)
    store = Store.open(older)
    assert store.all(Inquiry) == []
    store.close()


def test_what_stands_in_the_way_is_raised_and_the_book_stays_as_it_was(frame, older, monkeypatch):
    def broken(where):
        raise BookError("No room on the disk.")

    monkeypatch.setattr(books, "bring_up_to_date", broken)
    with pytest.raises(BookError, match="No room"):
        upgrading.up_to_date(older, frame)
    assert books.needs_bringing(older)


def test_nothing_is_done_with_a_book_that_is_new_or_not_there(frame, tmp_path, monkeypatch):
    monkeypatch.setattr(books, "bring_up_to_date", lambda where: pytest.fail("it was brought up to date"))
    place = File(tmp_path / "new.azven")
    upgrading.up_to_date(place, frame)
    books.new_book(place).close()
    upgrading.up_to_date(place, frame)


def test_a_window_that_has_a_book_says_it_in_its_line(window, older):
    upgrading.up_to_date(older, window)
    assert not books.needs_bringing(older)
    window.tell_opening("Bringing it up to date, 3 s")
    assert window.said().endswith("Bringing it up to date, 3 s")


def test_what_is_no_book_or_a_newer_one_is_left_to_whoever_opens_it(frame, older, tmp_path):
    (tmp_path / "no.azven").write_text("no book")
    upgrading.up_to_date(File(tmp_path / "no.azven"), frame)
    with sqlite3.connect(older.path) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.close()
    upgrading.up_to_date(older, frame)
    with pytest.raises(BookError, match="written by a newer Azven"):
        Store.open(older)
