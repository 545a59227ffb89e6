"""Records that are held: brought up to date by what lands, and snapshots that stay as they were."""

import random
import threading
from dataclasses import replace

import pytest

from azven.book.columns import KINDS
from azven.book.edits import BookError, Change, Edit, add, remove, replace_record
from azven.book.reading import Records
from azven.book.records import Trace, Zone
from azven.book.store import Store


def room(store, name):
    site = store.all(Zone)[0].site_id
    return Zone(id=store.reserve(), site_id=site, name=name)


def test_what_comes_back_stands_where_it_stood(store):
    first, second = room(store, "First"), room(store, "Second")
    store.apply(Edit("Two", add(first, second)))
    gone = store.apply(Edit("One goes", remove([store.get(Zone, first.id)])))
    assert [z.name for z in store.all(Zone)][-1] == "Second"
    store.apply(gone.inverse())
    assert [z.name for z in store.all(Zone)][-2:] == ["First", "Second"]
    assert [z.id for z in store.all(Zone)] == sorted(z.id for z in store.all(Zone))
    assert store.all(Zone, id=first.id, name="Second") == []
    with pytest.raises(BookError, match="no longer in the book"):
        store.get(Zone, 1_000_000)


def test_what_is_held_is_what_another_reads(store):
    zone = store.all(Zone)[0]
    for near in (3, 4.5):  # a whole number where the column has fractions
        zone = store.apply(Edit("Near", replace_record(zone, replace(zone, near_m=near)))).changes[0].after
    again = Store.open(store.place.path)
    assert all(store.all(kind) == again.all(kind) for kind in KINDS if kind is not Trace)
    again.close()


def test_a_snapshot_stays_as_it_was_and_goes_to_another_thread(store):
    then = store.snapshot()
    zone = store.all(Zone)[0]
    store.apply(Edit("Rename", replace_record(zone, replace(zone, name="Other"))))
    assert then.get(Zone, zone.id).name == zone.name
    assert store.get(Zone, zone.id).name == store.snapshot().get(Zone, zone.id).name == "Other"
    found = []
    thread = threading.Thread(target=lambda: found.append(then.all(Zone)))
    thread.start()
    thread.join()
    assert found == [[zone]]


def test_those_that_refer_to_a_record_are_found_as_they_are_now(store):
    site = store.all(Zone)[0].site_id
    new = [room(store, name) for name in ("Attic", "Cellar", "Attic")]
    store.apply(Edit("Rooms", add(*new)))
    then = store.snapshot()
    assert store.all(Zone, site_id=site) == store.all(Zone)
    assert store.all(Zone, name="Attic", site_id=site) == store.all(Zone, site_id=site, name="Attic") != []
    assert store.all(Zone, site_id=site + 1_000) == store.all(Zone, site_id=None) == []
    store.apply(Edit("One goes", remove([store.get(Zone, new[0].id)])))
    assert [z.id for z in store.all(Zone, site_id=site, name="Attic")] == [new[2].id]
    assert [z.id for z in then.all(Zone, site_id=site, name="Attic")] == [new[0].id, new[2].id]
    found = store.all(Zone, site_id=site)
    found.clear()  # it is the asker's own
    assert store.all(Zone, site_id=site) != []


def test_what_is_held_after_any_changes_is_as_if_it_were_held_anew():
    """Records that come, change, move from one site to another, go and come back, few at once and many."""
    chance, site_of = random.Random(4), {n: n % 3 for n in range(1, 60)}
    held = Records({n: Zone(id=n, site_id=s, name="Room") for n, s in site_of.items()})
    gone = {}
    for step in range(300):
        changes, known = [], dict(held)
        for _ in range(chance.choice((1, 1, 2, 5, 150))):
            number = chance.randrange(1, 80)
            before = known.pop(number, None)
            after = None
            if before is None or chance.random() < 0.6:
                after = Zone(id=number, site_id=chance.choice((0, 1, 2, None)), name=f"Room {step}")
                known[number] = after
            if before is not None or after is not None:
                changes.append(Change(before, after))
        if step % 3:
            held.of("site_id", 1)  # so that it is kept
        was, held = held, held.after(changes)
        anew = Records({n: known[n] for n in sorted(known)})
        assert list(held.items()) == list(anew.items())
        for site in (0, 1, 2, None, 7):
            assert list(held.of("site_id", site)) == list(anew.of("site_id", site))
        gone[step] = (was, dict(was))
    assert all(dict(was) == then for was, then in gone.values())  # what is held is never changed
