"""Two desks at one book, on either engine: nothing is lost, both end alike, whoever is refused is told both values."""

import random
from dataclasses import replace

import pytest

from azven.book import history
from azven.book.columns import KINDS
from azven.book.edits import BookError, Change, ConflictError, Edit, add, remove, same
from azven.book.place import File
from azven.book.records import Retention, Site, Trace, Unit, Zone
from azven.book.store import Store
from azven.work import books
from patience import until
from random_desk import RandomDesk


@pytest.fixture
def two(place):
    mine = books.open_book(place)
    theirs = Store.open(place)
    yield mine, theirs
    mine.close()
    theirs.close()


def write(store, record, **fields):
    return store.apply(Edit("Change", (Change(record, replace(record, **fields)),)))


def everything(store):
    store.catch_up()
    return {(kind, r.id): r for kind in KINDS if kind is not Trace for r in store.all(kind)}


@pytest.mark.parametrize("seed", range(6))
def test_any_edits_of_two_desks_end_in_the_same_book_with_nothing_lost(place, seed):
    books.open_book(place).close()
    desks = [RandomDesk(place, 10 * seed + i) for i in (1, 2)]
    chance = random.Random(seed)
    model = everything(desks[0].store)
    lines = 0
    for _ in range(150):
        desk = chance.choice(desks)
        landed = desk.step()
        lines += bool(landed)
        for change in landed.changes if landed else ():
            key = change.kind, change.record.id
            before = model.pop(key, None)
            assert (before is None) == (change.before is None), "somebody's word was lost"
            assert before is None or same(before, change.before), "somebody's word was lost"
            if change.after is not None:
                model[key] = change.after
    assert everything(desks[0].store) == everything(desks[1].store) == model
    refused = [c for desk in desks for c in desk.refused]
    assert all(c.collisions or c.current is None or c.wanted is None for c in refused)
    assert lines > 50
    assert len(history.page(desks[0].store.engine, count=1000)) == lines + 1  # and the one that made the book
    for desk in desks:
        desk.reopen()
        assert everything(desk.store) == model
        desk.close()


def test_fields_that_do_not_collide_are_merged(two):
    mine, theirs = two
    site = mine.all(Site)[0]
    write(mine, site, name="Quay")
    landed = write(theirs, site, note="Ask at the gate")
    assert landed.changes[0].before.name == landed.changes[0].after.name == "Quay"
    assert mine.catch_up()[0].title == "Change"
    assert [(s.name, s.note) for s in mine.all(Site)] == [("Quay", "Ask at the gate")]
    theirs.apply(landed.inverse())
    mine.catch_up()
    assert [(s.name, s.note) for s in mine.all(Site)] == [("Quay", "")]


def test_many_changes_at_once_are_merged_where_others_changed_one_of_them(two):
    mine, theirs = two
    site = mine.all(Site)[0]
    first = mine.reserve(8)
    mine.apply(Edit("Add", add(*(Zone(id=first + i, site_id=site.id, name=f"Room {i}") for i in range(8)))))
    theirs.catch_up()
    rooms = [z for z in mine.all(Zone) if z.id >= first]
    write(theirs, theirs.get(Zone, first + 5), note="Mind the step")
    all_at_once = Edit("Near", tuple(Change(z, replace(z, near_m=2.0)) for z in rooms))
    landed = mine.apply(all_at_once)
    assert [c.after.near_m for c in landed.changes] == [2.0] * 8
    assert [z.note for z in mine.all(Zone) if z.note] == ["Mind the step"]
    write(theirs, theirs.get(Zone, first + 2), far_m=99.0)
    theirs.catch_up()
    write(theirs, theirs.get(Zone, first + 6), near_m=9.0)
    stale = [c.after for c in landed.changes]
    with pytest.raises(ConflictError) as caught:
        mine.apply(Edit("Near", tuple(Change(z, replace(z, near_m=3.0)) for z in stale)))
    assert caught.value.collisions[0].theirs == 9.0
    mine.catch_up()
    assert sorted(z.near_m for z in mine.all(Zone) if z.id >= first) == [2.0] * 7 + [9.0], "nothing of it was written"


def test_who_is_second_on_one_field_is_told_both_values_and_by_whom(two):
    mine, theirs = two
    site = mine.all(Site)[0]
    write(mine, site, name="Quay", note="Mine")
    with pytest.raises(ConflictError) as caught:
        write(theirs, site, name="Pier", note="Mine", tv_guard_hz=7)
    (collision,) = caught.value.collisions
    assert (collision.field, collision.mine, collision.theirs) == ("name", "Pier", "Quay")
    assert caught.value.by == f"{mine.author.who} at {mine.author.desk}"
    assert caught.value.at is not None
    assert theirs.all(Site)[0].tv_guard_hz == 0
    assert theirs.all(Site)[0].name == "Quay", "what others did is shown at once"


def test_what_both_do_alike_is_done_once(two):
    mine, theirs = two
    site, room = mine.all(Site)[0], mine.all(Zone)[0]
    write(mine, site, name="Quay")
    assert not write(theirs, site, name="Quay")
    mine.apply(Edit("Remove", remove([room])))
    assert not theirs.apply(Edit("Remove", remove([room])))
    back = Edit("Back", add(room))
    assert mine.apply(back)
    assert not theirs.apply(back)
    with pytest.raises(ConflictError) as caught:
        theirs.apply(Edit("Back", add(replace(room, name="Another"))))
    assert [c.field for c in caught.value.collisions] == ["name"]


def test_nobody_changes_or_removes_what_others_have_removed_or_changed(two):
    mine, theirs = two
    room = mine.all(Zone)[0]
    write(mine, room, near_m=3.0)
    with pytest.raises(ConflictError) as caught:
        theirs.apply(Edit("Remove", remove([room])))
    assert [(c.field, c.mine, c.theirs) for c in caught.value.collisions] == [("near_m", 5.0, 3.0)]
    assert caught.value.wanted is None
    theirs.apply(Edit("Remove", remove(theirs.all(Zone))))
    with pytest.raises(ConflictError) as caught:
        write(mine, room, far_m=99.0)
    assert (caught.value.current, caught.value.wanted.far_m) == (None, 99.0)
    assert mine.all(Zone) == []


def test_ids_are_never_given_twice(two):
    given = [store.reserve(n) + i for n in (1, 3, 2) for store in two for i in range(n)]
    assert len(set(given)) == len(given) == 12


def test_a_version_counts_every_write_and_guards_the_next(two):
    mine, theirs = two
    site = mine.all(Site)[0]
    first = write(mine, site, name="A").changes[0].after
    second = write(mine, first, name="B").changes[0].after
    assert (first.version, second.version) == (site.version + 1, site.version + 2)
    with pytest.raises(ConflictError):
        write(theirs, first, name="C")


def test_listeners_hear_of_others_with_name_and_kinds(two):
    mine, theirs = two
    heard = []
    mine.listen(heard.append)
    room = theirs.all(Zone)[0]
    write(theirs, room, name="Loft")
    theirs.apply(Edit("Remove the room", remove(theirs.all(Zone))))
    mine.catch_up()
    assert [(e.title, e.kinds, len(e.changes)) for e in heard] == [("Remove the room", {Zone}, 1)]
    assert heard[0].by == f"{theirs.author.who} at {theirs.author.desk}"
    assert mine.all(Zone) == []
    assert mine.catch_up() == []


def test_what_is_not_held_is_asked_again_after_others_changed_it(two):
    mine, theirs = two
    from azven.book.records import Model

    model = mine.all(Model)[0]
    unit = Unit(id=theirs.reserve(), model_id=model.id, name="Rack 1", band=model.bands[0][0])
    assert mine.all(Unit) == []
    theirs.apply(Edit("Add", add(unit)))
    (heard,) = mine.catch_up()
    assert heard.kinds == {Unit}
    assert [u.name for u in mine.all(Unit)] == ["Rack 1"]
    theirs.apply(Edit("Remove", remove(theirs.all(Unit))))
    assert mine.catch_up()[0].kinds == {Unit}
    assert mine.all(Unit) == []
    with pytest.raises(BookError, match="no longer in the book"):
        mine.get(Unit, unit.id)


def test_a_desk_that_was_away_for_longer_than_the_history_reaches_reads_everything_again(two):
    mine, theirs = two
    theirs.apply(Edit("Keep little", add(Retention(id=theirs.reserve(), edits=10))))
    mine.catch_up()
    site = theirs.all(Site)[0]
    for n in range(140):
        site = write(theirs, site, name=f"Name {n}").changes[0].after
    assert len(history.page(theirs.engine, count=1000)) <= 10 + 64
    heard = []
    mine.listen(heard.append)
    mine.catch_up()
    assert mine.all(Site)[0] == site
    assert Site in heard[0].kinds


def test_news_is_cheap_to_ask_for_and_comes_once(two):
    mine, theirs = two
    until(lambda: mine.others_wrote() or isinstance(mine.place, File))
    mine.others_wrote()
    write(theirs, theirs.all(Site)[0], name="Quay")
    until(mine.others_wrote)
    assert not mine.others_wrote()


def test_a_store_belongs_to_its_thread(two):
    from concurrent.futures import ThreadPoolExecutor

    mine, _ = two
    frozen = mine.snapshot()
    with ThreadPoolExecutor(1) as pool:
        for deed in (lambda: mine.all(Site), lambda: mine.all(Unit), lambda: mine.reserve(), mine.catch_up):
            with pytest.raises(RuntimeError, match="belongs to the thread"):
                pool.submit(deed).result()
        assert pool.submit(lambda: frozen.all(Site)).result() == mine.all(Site)


def test_a_desk_that_was_away_for_many_edits_reads_the_book_again(two, monkeypatch):
    from azven.book import store as module

    mine, theirs = two
    monkeypatch.setattr(module, "_READ_ANEW", 20)
    heard = []
    mine.listen(heard.append)
    for number in range(30):
        write(theirs, theirs.all(Site)[0], note=str(number))
    (told,) = mine.catch_up()
    assert told.title == "Changed elsewhere"
    assert mine.all(Site)[0].note == "29"
    assert len(heard) == 1
    assert mine.catch_up() == []
    write(mine, mine.all(Site)[0], note="30")
    assert everything(mine) == everything(theirs)
