"""Kinds of which there are many: asked for in part before they are read, read in steps, true after whatever lands."""

import random
import sqlite3
from contextlib import closing
from dataclasses import replace

import pytest

from azven.book import history
from azven.book.author import Author
from azven.book.edits import BookError, Edit, add, remove, replace_record
from azven.book.records import Area, Site, Zone
from azven.book.store import Store
from azven.work import books
from patience import until

SITES, ROOMS, THEM = 3, 330, Author("second op", "stage left")


@pytest.fixture
def many(place):
    """A book with 990 rooms of three sites, which are not read as it is opened."""
    with closing(books.new_book(place)) as made:
        first = made.reserve(SITES)
        sites = [Site(id=first + k, name=f"Quay {k}") for k in range(SITES)]
        made.apply(Edit("Sites", add(*sites)))
        room = made.reserve(SITES * ROOMS)
        rooms = [Zone(id=room + k, site_id=sites[k % SITES].id, name=f"Room {k:03}") for k in range(SITES * ROOMS)]
        made.apply(Edit("Rooms", add(*rooms)))
        made.apply(Edit("Area", add(Area(id=made.reserve(), zone_id=rooms[12].id, kind="stage", name="Pit"))))
    store = Store.open(place)
    yield store
    store.close()


def quays(store):
    return [s for s in store.all(Site) if s.name.startswith("Quay")]


def renamed(store, zone, name):
    return store.apply(Edit("Name", replace_record(zone, replace(zone, name=name))))


def same_as_anew(store):
    with closing(Store.open(store.place)) as anew:
        anew.read_the_rest()
        assert store.all(Zone) == anew.all(Zone)
        return anew.all(Zone)


def test_a_part_is_asked_for_before_the_rest_is_read(many):
    some = many.all(Zone, site_id=quays(many)[1].id)
    assert [z.name for z in some] == [f"Room {k:03}" for k in range(1, SITES * ROOMS, SITES)]
    assert many.all(Zone, name="Room 004", site_id=quays(many)[1].id) == [some[1]]
    assert many.get(Zone, some[0].id) == some[0]
    assert many.all(Zone, id=some[0].id, name="Room 002") == []
    with pytest.raises(BookError, match="no longer in the book"):
        many.get(Zone, 10_000_000)
    assert many.unread
    some.clear()  # it is the asker's own
    assert len(many.all(Zone, site_id=quays(many)[1].id)) == ROOMS


def test_it_is_read_in_steps(many):
    steps = 1
    while many.read_on():
        steps += 1
    assert (steps, many.unread) == (3, False)
    assert len(same_as_anew(many)) >= SITES * ROOMS


@pytest.mark.parametrize("steps", [0, 1, 2])
def test_what_another_desk_does_meanwhile_is_seen(many, steps):
    quay = quays(many)[0]
    known = many.all(Zone, site_id=quay.id)
    one = many.get(Zone, known[3].id)
    for _ in range(steps):
        assert many.read_on()
    with closing(Store.open(many.place, THEM)) as other:
        for k in (0, ROOMS - 1):  # what has been read by now, and what has not
            renamed(other, known[k], "Net Loft")
        for k in (1, ROOMS - 2):
            other.apply(Edit("Gone", remove([known[k]])))
        renamed(other, one, "Rope Hall")
        site = replace(known[5], site_id=quays(many)[2].id)
        other.apply(Edit("Elsewhere", replace_record(known[5], site)))
        other.apply(Edit("New", add(Zone(id=other.reserve(), site_id=quay.id, name="New"))))
    until(many.others_wrote)
    heard = []
    many.listen(heard.append)
    many.catch_up()
    assert {c.record.id for edit in heard for c in edit.changes} >= {known[k].id for k in (0, 1, 3, 5)}
    now = many.all(Zone, site_id=quay.id)
    assert [z.name for z in now][:3] == ["Net Loft", "Room 006", "Rope Hall"]
    assert many.get(Zone, one.id).name == "Rope Hall"
    assert [z.name for z in now][-2:] == ["Net Loft", "New"]
    assert len(now) == ROOMS - 2
    assert many.unread
    while many.read_on():
        pass
    assert many.all(Zone, site_id=quay.id) == now
    same_as_anew(many)


def test_after_very_much_of_others_what_is_many_is_left_for_later_again(many, monkeypatch):
    monkeypatch.setattr("azven.book.store._READ_ANEW", 3)
    many.read_the_rest()
    quay = quays(many)[0]
    known = many.all(Zone, site_id=quay.id)
    with closing(Store.open(many.place, THEM)) as other:
        for k in range(4):
            renamed(other, known[k], f"Loft {k}")
        site = replace(quay, note="Wet")
        other.apply(Edit("Note", replace_record(quay, site)))
    until(many.others_wrote)
    (edit,) = many.catch_up()
    assert [c.kind for c in edit.changes] == [Site]
    assert {Site, Zone} <= edit.kinds
    assert many.unread
    assert [z.name for z in many.all(Zone, site_id=quay.id)][:5] == ["Loft 0", "Loft 1", "Loft 2", "Loft 3", "Room 012"]
    same_as_anew(many)


@pytest.mark.parametrize("steps", [0, 1, 2])
def test_an_edit_is_made_before_all_is_read(many, steps):
    for _ in range(steps):
        many.read_on()
    known = many.all(Zone, site_id=quays(many)[0].id)
    renamed(many, known[0], "Rope Hall")
    assert not many.unread
    assert many.all(Zone, site_id=quays(many)[0].id)[0].name == "Rope Hall"
    same_as_anew(many)


@pytest.mark.parametrize("seed", range(6))
def test_any_mixture_of_steps_questions_and_edits_ends_as_if_all_were_read_anew(many, seed):
    chance, sites = random.Random(seed), quays(many)
    with closing(Store.open(many.place, THEM)) as other:
        for _ in range(60):
            deed = chance.choice(("step", "ask", "get", "theirs", "theirs", "catch up"))
            if deed == "step":
                many.read_on()
            elif deed == "ask":
                many.all(Zone, site_id=chance.choice(sites).id)
            elif deed == "get":
                many.get(Zone, chance.choice(many.all(Zone, site_id=chance.choice(sites).id)).id)
            elif deed == "theirs":
                other.apply(some_edit(other, sites, chance))
            else:
                until(lambda: many.others_wrote() or history.latest(many.engine) == many._seen)
                many.catch_up()
                for site in sites:
                    assert many.all(Zone, site_id=site.id) == other.all(Zone, site_id=site.id)
        many.catch_up()
        if chance.random() < 0.5:
            many.apply(some_edit(many, sites, chance))
    for site in sites:
        with closing(Store.open(many.place)) as anew:
            assert many.all(Zone, site_id=site.id) == anew.all(Zone, site_id=site.id)
    same_as_anew(many)


def some_edit(store, sites, chance):
    """A room comes, goes, has another name or belongs to another site."""
    rooms = [z for z in store.all(Zone) if z.name not in ("Room 012", "Hall")]
    zone, site = chance.choice(rooms), chance.choice(sites)
    return Edit("Any", chance.choice((
        replace_record(zone, replace(zone, name=f"Loft {chance.random()}")),
        replace_record(zone, replace(zone, site_id=site.id, name=f"{zone.name}.")),
        remove([zone]),
        add(Zone(id=store.reserve(), site_id=site.id, name="New")),
    )))  # fmt: skip


def damaged(store, statement):
    with closing(sqlite3.connect(store.place.path)) as there:
        there.execute("PRAGMA foreign_keys = OFF")
        there.execute(statement)
        there.commit()


@pytest.mark.parametrize("place", ["file"], indirect=True)
@pytest.mark.parametrize("what", ["near_m = 'wide'", "site_id = 7654321"])
def test_what_is_damaged_is_set_aside_whatever_is_asked_for_first(many, what):
    quay = quays(many)[0]
    damaged(many, f"UPDATE zone SET {what} WHERE name = 'Room 012'")
    found = many.all(Zone, site_id=quay.id)
    assert [z.name for z in found][3:5] == ["Room 009", "Room 015"]
    assert [d.kind for d in many.damaged] == [Zone, Area]  # what hangs on it as well
    assert many.all(Area) == []
    with pytest.raises(BookError, match="reading only"):
        renamed(many, found[0], "Rope Hall")


@pytest.mark.parametrize("place", ["file"], indirect=True)
@pytest.mark.parametrize("what", ["near_m = 'wide'", "site_id = 7654321"])
def test_what_is_damaged_is_found_by_reading_on(many, what):
    damaged(many, f"UPDATE zone SET {what} WHERE name = 'Room 989'")
    while many.read_on():
        assert many.damaged == ()
    assert [d.kind for d in many.damaged] == [Zone]
    assert len(many.all(Zone, site_id=quays(many)[989 % SITES].id)) == ROOMS - 1


def test_a_server_that_goes_before_all_is_read_is_told_and_what_was_asked_for_stays(server, tmp_path, monkeypatch):
    place = server.database()
    books.new_book(place).close()
    monkeypatch.setattr("azven.book.damage._MANY", 0)
    with closing(Store.open(place, keeping=tmp_path / "waiting")) as store:
        zone = store.all(Zone, site_id=store.all(Site)[0].id)[0]
        store.others_wrote()
        server.stop()
        try:
            until(lambda: store.away_since is not None)
            with pytest.raises(BookError, match="not every zone was read before; “Name” was not done"):
                renamed(store, zone, "Rope Hall")
            assert store.waiting == 0
            assert zone in store.all(Zone, site_id=zone.site_id)
            assert store.unread
        finally:
            server.start()
        until(lambda: store.away_since is None)
        renamed(store, zone, "Rope Hall")
        assert not store.unread
        assert store.get(Zone, zone.id).name == "Rope Hall"
