"""Who has a shared book open, and where."""

from datetime import UTC, datetime

import pytest

from azven.book import desks
from azven.book.author import Author
from azven.book.desks import Desk
from azven.book.records import Show, Site
from azven.book.store import Store
from azven.work import books, demo
from azven.work.register import board
from patience import until


@pytest.mark.parametrize(
    ("who", "desk", "told"),
    [
        ("Merle", "harbour desk", ("Merle", "harbour desk")),
        ("Jörg Ångström", "Büro", ("Jorg Angstrom", "Buro")),
        ("a @ b", "x", ("a (at) b", "x")),
        ("船", "x", ("?", "x")),
        ("w" * 80, "d" * 80, None),
    ],
)
def test_a_desk_is_found_again_in_the_name_of_its_connection(who, desk, told):
    name = desks.name_of(Author(who, desk), 12, 3456)
    assert len(name.encode()) <= 63
    found = desks.desk_of(name)
    assert (found.site, found.show) == (12, 3456)
    if told:
        assert (found.who, found.desk) == told


@pytest.mark.parametrize("name", ["", "azven", "azven @1", "psql", "azven @x.y a @ b"])
def test_what_is_no_desk_is_none(name):
    assert desks.desk_of(name) is None


def test_desks_see_one_another_as_they_come_move_and_go(server):
    place = server.database()
    books.new_book(place).close()
    mine, theirs = Store.open(place, Author("Merle", "orchard")), Store.open(place, Author("Ibo", "kiln"))
    assert mine.other_desks() == []
    theirs.say_where(1, 3)
    mine.say_where(1, 2)
    assert mine.other_desks() == [Desk("Ibo", "kiln", 1, 3)]
    assert theirs.other_desks() == [Desk("Merle", "orchard", 1, 2)]
    theirs.say_where(7, 8)
    assert mine.other_desks() == [Desk("Ibo", "kiln", 7, 8)]
    theirs.all(Site)
    theirs.others_wrote()  # its watcher has a connection of its own, and is nobody
    until(lambda: theirs.away_since is None)
    assert len(mine.other_desks()) == 1
    theirs.close()
    until(lambda: mine.other_desks() == [])
    mine.close()


def test_a_server_that_went_and_came_back_knows_where_one_is(server):
    place = server.database()
    books.new_book(place).close()
    mine, theirs = Store.open(place, Author("Merle", "orchard")), Store.open(place, Author("Ibo", "kiln"))
    theirs.say_where(1, 3)
    server.stop()
    assert mine.other_desks() == []
    mine.say_where(5, 5)
    server.start()
    until(lambda: theirs.all(Site) and theirs.count(Show) >= 0)
    until(lambda: mine.other_desks() == [Desk("Ibo", "kiln", 1, 3)])
    assert theirs.other_desks() == [Desk("Merle", "orchard", 5, 5)]
    mine.close()
    theirs.close()


def test_nobody_else_is_at_a_file(tmp_path):
    store = demo.build(tmp_path)
    store.say_where(1, 2)
    assert store.other_desks() == []
    found = board.campuses(store, datetime.now(UTC))
    assert all(c.people == () for c in board.with_people(store, found))
    store.close()
