"""A desk that is cut off from its server goes on, keeps its edits on disk, and overwrites nobody when it is back."""

import os
import signal
import subprocess
import sys
import textwrap
from dataclasses import replace

import numpy as np
import pytest

from azven.book import history
from azven.book.author import Author
from azven.book.edits import BookError, Change, ConflictError, Edit, NeededError, add, remove
from azven.book.engines import Away
from azven.book.records import EPOCH, Model, Neighbour, Site, Sweep, Trace, Unit, Zone
from azven.book.store import Store
from azven.work import books
from azven.work.desks import collisions
from patience import until
from postgres import losing_answers

ME, THEM = Author("first op", "stage right"), Author("second op", "stage left")


@pytest.fixture
def place(server):
    made = server.database()
    books.new_book(made).close()
    return made


@pytest.fixture
def mine(place, tmp_path):
    store = Store.open(place, ME, tmp_path / "waiting")
    until(store.others_wrote)
    store.catch_up()
    yield store
    store.close()


@pytest.fixture
def away(server, mine):
    """Cut the server off; the call that is given brings it back."""
    down = []

    def cut():
        server.stop()
        down.append(True)
        until(lambda: mine.away_since is not None)

    def back():
        if down:
            down.clear()
            server.start()
            until(lambda: mine.away_since is None)
            until(mine.others_wrote)

    yield cut, back
    back()


def write(store, record, **fields):
    return store.apply(Edit("Change", (Change(record, replace(record, **fields)),)))


def room(store, name):
    new = Zone(id=store.reserve(), site_id=store.all(Site)[0].id, name=name)
    return store.apply(Edit(f"Add {name}", add(new))).changes[0].after


def test_edits_land_here_and_are_written_in_order_when_the_server_is_back(mine, place, away):
    cut, back = away
    cut()
    heard = []
    mine.listen(heard.append)
    attic = room(mine, "Attic")
    attic = write(mine, attic, near_m=2.0).changes[0].after
    renamed = write(mine, attic, name="Loft")
    cellar = room(mine, "Cellar")
    mine.apply(Edit("Remove", remove([cellar])))
    mine.apply(renamed.inverse())
    assert [z.name for z in mine.all(Zone)] == ["Main room", "Attic"]
    assert (mine.waiting, len(heard)) == (6, 6)
    back()
    mine.catch_up()
    assert (mine.waiting, mine.collided) == (0, ())
    again = Store.open(place)
    assert again.all(Zone) == mine.all(Zone)
    assert [z.near_m for z in again.all(Zone)] == [5.0, 2.0]
    told = [line.title for line in history.page(again.engine)]
    assert told[:6] == ["Change", "Remove", "Add Cellar", "Change", "Change", "Add Attic"]
    assert mine.catch_up() == []
    again.close()


def test_what_others_changed_in_whatever_field_is_settled_by_a_person(mine, place, away):
    cut, back = away
    site, first = mine.all(Site)[0], mine.all(Zone)[0]
    cut()
    write(mine, site, name="Quay", note="Ours")
    moved = write(mine, first, near_m=2.0).changes[0].after
    write(mine, moved, far_m=90.0)
    attic = room(mine, "Attic")
    back()
    theirs = Store.open(place, THEM)
    write(theirs, theirs.all(Site)[0], tv_guard_hz=7)
    theirs.apply(Edit("Remove", remove(theirs.all(Zone, id=first.id))))
    mine.catch_up()
    assert [w.edit.title for w in mine.collided] == ["Change", "Change", "Change"]
    assert mine.waiting == 3
    assert (mine.all(Site)[0].name, mine.all(Site)[0].tv_guard_hz) == ("New site", 7), "theirs is shown meanwhile"
    assert [z.name for z in mine.all(Zone)] == ["Attic"]
    fields = collisions.met(mine, mine.collided[0], mine.theirs(mine.collided[0]))
    assert [(m.field, m.theirs, m.ours) for m in fields] == [
        ("name", "“New site”", "“Quay”"),
        ("note", "empty", "“Ours”"),
    ]
    (gone,) = collisions.met(mine, mine.collided[1], mine.theirs(mine.collided[1]))
    assert (gone.theirs, gone.ours) == ("removed", "there")
    mine.settle(mine.collided[0], mine=True)
    assert (mine.all(Site)[0].name, mine.all(Site)[0].tv_guard_hz) == ("Quay", 7), "their other field stays"
    mine.settle(mine.collided[0], mine=True)
    assert mine.get(Zone, first.id).near_m == 2.0
    mine.settle(mine.collided[0], mine=False)
    assert (mine.waiting, mine.collided) == (0, ())
    theirs.catch_up()
    assert theirs.all(Zone) == mine.all(Zone)
    assert {z.id for z in theirs.all(Zone)} == {first.id, attic.id}
    theirs.close()


def test_what_is_removed_twice_or_added_to_what_is_gone(mine, place, away):
    cut, back = away
    first, site = mine.all(Zone)[0], mine.all(Site)[0]
    cut()
    ferry = Neighbour(id=mine.reserve(), site_id=site.id, name="Ferry", freq_hz=5 * 10**8, zone_id=first.id)
    mine.apply(Edit("A neighbour", add(ferry)))
    back()
    theirs = Store.open(place, THEM)
    theirs.apply(Edit("Remove", remove(theirs.all(Zone))))
    mine.catch_up()
    assert [w.edit.title for w in mine.collided] == ["A neighbour"]
    with pytest.raises(NeededError):
        mine.settle(mine.collided[0], mine=True)
    assert len(mine.collided) == 1, "it still waits"
    mine.settle(mine.collided[0], mine=False)
    assert mine.all(Neighbour) == []
    theirs.close()


def test_what_would_not_hold_together_is_refused_while_cut_off(mine, away):
    cut, _ = away
    site = mine.all(Site)[0]
    attic = room(mine, "Attic")
    ferry = Neighbour(id=mine.reserve(), site_id=site.id, name="Ferry", freq_hz=5 * 10**8, zone_id=attic.id)
    mine.apply(Edit("A neighbour", add(ferry)))
    cut()
    with pytest.raises(NeededError, match="what it belongs to is gone, or something in the book still needs it"):
        mine.apply(Edit("Remove", remove([attic])))
    with pytest.raises(NeededError, match="not known whether something still needs it"):
        mine.apply(Edit("Remove", remove(mine.all(Zone)[:1])))
    new = room(mine, "Made here")
    mine.apply(Edit("Remove", remove([new])))
    with pytest.raises(NeededError, match="what it belongs to is gone"):
        mine.apply(Edit("A neighbour", add(replace(ferry, id=mine.reserve(), zone_id=999_999))))
    with pytest.raises(NeededError, match="still needs it"):
        mine.apply(Edit("Remove", remove([site])))
    with pytest.raises(ConflictError):
        write(mine, replace(site, name="Another"), name="Quay")
    assert mine.waiting == 2


def test_units_and_bins_are_seen_while_cut_off(mine, place, away):
    cut, back = away
    model, site = mine.all(Model)[0], mine.all(Site)[0]
    main = mine.all(Zone)[0]
    assert mine.all(Unit, zone_id=main.id) == []
    cut()
    unit = Unit(id=mine.reserve(), model_id=model.id, name="Rack 1", band=model.bands[0][0], zone_id=main.id)
    landed = mine.apply(Edit("A unit", add(unit))).changes[0].after
    assert mine.all(Unit, zone_id=main.id) == [landed]
    number = mine.reserve(2)
    sweep = Sweep(id=number, site_id=site.id, taken_at=EPOCH, place="door", antenna="whip", rbw_hz=1e4)
    trace = Trace(id=number + 1, sweep_id=number, freq_hz=np.arange(5, dtype=np.int64), level_dbm=np.full(5, -90.0))
    mine.apply(Edit("A sweep", add(sweep, trace)))
    assert list(mine.all(Trace, sweep_id=number)[0].level_dbm) == [-90.0] * 5
    with pytest.raises(BookError, match="cannot be reached"):
        mine.all(Unit, zone_id=None)
    back()
    mine.catch_up()
    again = Store.open(place)
    assert [u.name for u in again.all(Unit)] == ["Rack 1"]
    assert list(again.all(Trace)[0].level_dbm) == [-90.0] * 5
    again.close()


def test_ids_are_there_while_cut_off_and_never_given_twice(mine, place, away):
    cut, back = away
    cut()
    given = [mine.reserve() for _ in range(300)]
    back()
    other = Store.open(place, THEM)
    given += [other.reserve() for _ in range(3)] + [mine.reserve(n) + i for n in (1, 700, 2000) for i in range(n)]
    assert len(set(given)) == len(given)
    other.close()


def test_an_edit_whose_answer_was_lost_is_not_written_twice(mine, place, away, monkeypatch):
    with monkeypatch.context() as patched:
        patched.setattr(mine.engine, "writing", losing_answers(mine.engine))
        write(mine, mine.all(Site)[0], name="Quay")
    assert (mine.waiting, mine.all(Site)[0].name) == (1, "Quay")
    write(mine, mine.all(Site)[0], note="Later")
    assert mine.waiting == 0
    again = Store.open(place)
    assert [line.title for line in history.page(again.engine)][:3] == ["Change", "Change", "New book"]
    assert again.all(Site) == mine.all(Site)
    again.close()


CUT_OFF = """
    import sys
    from dataclasses import replace
    from pathlib import Path
    from azven.book.edits import Change, Edit
    from azven.book.place import place
    from azven.book.records import Site
    from azven.book.store import Store
    store = Store.open(place(sys.argv[1]), keeping=Path(sys.argv[2]))
    store.others_wrote()
    print("open", flush=True)
    sys.stdin.readline()
    for n in range(100_000):
        site = store.all(Site)[0]
        store.apply(Edit("n", (Change(site, replace(site, name=str(n))),)))
        print(n, flush=True)
"""


def test_edits_that_wait_survive_the_desk(server, place, tmp_path):
    folder = tmp_path / "waiting"
    words = [sys.executable, "-c", textwrap.dedent(CUT_OFF), place.url, str(folder)]
    desk = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    with desk:
        assert desk.stdout.readline() == "open\n"
        server.kill()
        try:
            desk.stdin.write("\n")
            desk.stdin.flush()
            last = next(line for line in desk.stdout if int(line) >= 30)
            os.kill(desk.pid, signal.SIGKILL)
            last = int((desk.stdout.read().split() or [last])[-1])
        finally:
            server.start()
    (left,) = folder.iterdir()
    with left.open("ab") as torn:
        torn.write(b'{"mark": "cut in the mid')
    store = Store.open(place, ME, folder)
    assert store.waiting >= last + 1
    store.catch_up()
    assert int(store.all(Site)[0].name) in (last, last + 1)
    assert (store.waiting, store.collided) == (0, ())
    store.close()
    assert list(folder.iterdir()) == []
    again = Store.open(place)
    assert int(again.all(Site)[0].name) in (last, last + 1)
    again.close()


def test_two_desks_of_one_user_do_not_take_over_from_one_another(mine, place, away, tmp_path):
    cut, back = away
    second = Store.open(place, ME, tmp_path / "waiting")
    second.others_wrote()
    cut()
    until(lambda: second.away_since is not None)
    write(mine, mine.all(Site)[0], name="Quay")
    write(second, second.all(Site)[0], note="Ours too")
    assert (mine.waiting, second.waiting) == (1, 1)
    back()
    mine.catch_up()
    until(lambda: second.away_since is None)
    second.catch_up()
    assert (mine.waiting, second.waiting, len(second.collided)) == (0, 1, 1)
    second.settle(second.collided[0], mine=True)
    assert [(s.name, s.note) for s in second.all(Site)] == [("Quay", "Ours too")]
    second.close()


def test_a_folder_that_cannot_be_written_only_costs_the_waiting(place, tmp_path, server):
    (tmp_path / "file").write_text("no folder")
    store = Store.open(place, ME, tmp_path / "file" / "waiting")
    server.stop()
    try:
        with pytest.raises(BookError, match="cannot be reached"):
            write(store, store.all(Site)[0], name="Quay")
    finally:
        server.start()
    assert write(store, store.all(Site)[0], name="Quay")
    store.close()


def test_a_server_that_goes_again_while_it_is_written_leaves_here_what_was_done_here(mine, place, away, monkeypatch):
    """A room that was added and removed again while cut off stays removed, whatever of it is written already."""
    cut, back = away
    cut()
    first = room(mine, "Loft")
    mine.apply(Edit("Remove", remove([first])))
    kept = room(mine, "Attic")
    back()
    real, written = mine._write, []

    def once(waiting):
        if written:
            raise Away("gone again")
        written.append(waiting)
        return real(waiting)

    with monkeypatch.context() as again:
        again.setattr(mine, "_write", once)
        with pytest.raises(BookError, match="went away again"):
            mine.catch_up()
    assert {z.name for z in mine.all(Zone)} >= {kept.name}
    assert first.id not in {z.id for z in mine.all(Zone)}
    assert mine.waiting == 2
    mine.catch_up()
    assert (mine.waiting, mine.collided) == (0, ())
    theirs = Store.open(place)
    assert {z.name for z in theirs.all(Zone)} == {z.name for z in mine.all(Zone)}
    theirs.close()


def test_a_server_that_goes_again_while_it_is_read_leaves_here_what_was_done_here(mine, place, away, monkeypatch):
    cut, back = away
    cut()
    kept = room(mine, "Attic")
    back()

    def gone(engine):
        raise Away("gone again")

    with monkeypatch.context() as again:
        again.setattr(history, "latest", gone)
        with pytest.raises(BookError, match="cannot be reached"):
            mine.catch_up()
    assert kept.name in {z.name for z in mine.all(Zone)}
    write(mine, next(z for z in mine.all(Zone) if z.id == kept.id), note="Low ceiling")
    mine.catch_up()
    assert (mine.waiting, mine.collided) == (0, ())
    assert next(z for z in mine.all(Zone) if z.id == kept.id).note == "Low ceiling"


def test_what_waits_stands_over_what_is_in_the_book_until_it_is_written(mine, place, away):
    model, site = mine.all(Model)[0], mine.all(Site)[0]
    first = mine.reserve(2)
    units = [Unit(id=first + k, model_id=model.id, name=f"P{k}", band="x", site_home_id=site.id) for k in range(2)]
    mine.apply(Edit("Units", add(*units)))
    one = mine.get(Unit, units[0].id)
    cut, back = away
    cut()
    write(mine, one, note="Waits")
    back()
    assert mine.waiting == 1
    assert [(u.name, u.note) for u in mine.page(Unit, 0, 10)] == [("P0", "Waits"), ("P1", "")]
    assert [(u.name, u.note) for u in mine.all(Unit, site_home_id=site.id, note="Waits")] == [("P0", "Waits")]
    write(mine, mine.page(Unit, 0, 10)[0], condition="faulty")
    assert (mine.waiting, mine.collided) == (0, ())
    theirs = Store.open(place)
    assert [(u.note, u.condition) for u in theirs.all(Unit)] == [("Waits", "faulty"), ("", "good")]
    theirs.close()


@pytest.fixture
def many_rooms(place):
    """A book with more rooms than are read as it is opened."""
    made = Store.open(place)
    site, first = made.all(Site)[0].id, made.reserve(250)
    made.apply(Edit("Many rooms", add(*(Zone(id=first + k, site_id=site, name=f"Room {k}") for k in range(250)))))
    made.close()
    return place


@pytest.mark.parametrize("looked", [True, False])
def test_a_desk_goes_on_without_what_it_has_not_read_of_many_rooms(many_rooms, tmp_path, server, looked):
    mine = Store.open(many_rooms, ME, tmp_path / "waiting")
    site = mine.all(Site)[0]
    if looked:
        mine.others_wrote()
        mine.read_the_rest()
    server.stop()
    try:
        until(lambda: mine.away_since is not None or not looked)
        write(mine, site, name="Harbour")
        if looked:
            write(mine, mine.all(Zone)[-1], name="Attic")
        else:
            with pytest.raises(BookError, match="cannot be reached"):
                mine.all(Zone)
    finally:
        server.start()
        until(lambda: mine.away_since is None)
    until(mine.others_wrote)
    mine.catch_up()
    assert (mine.waiting, mine.all(Site)[0].name) == (0, "Harbour")
    assert mine.all(Zone)[-1].name == ("Attic" if looked else "Room 249")
    mine.close()
