"""Several desks at one book, for people: collisions in words, the history line by line, old edits taken back."""

from dataclasses import replace
from datetime import UTC, datetime

import pytest

from azven.book.author import Author
from azven.book.edits import Change, ConflictError, Edit, add, remove, replace_record, same
from azven.book.records import Assignment, Link, Relation, Site, Sweep, Trace, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import demo, keeping
from azven.work.desks import collisions, naming, past
from azven.work.ground.hours import Clock

UTC_CLOCK = Clock("Etc/UTC")


@pytest.fixture
def two(tmp_path):
    mine = demo.build(tmp_path)
    theirs = Store.open(mine.place, Author("second op", "stage left"))
    yield mine, theirs
    mine.close()
    theirs.close()


def change(store, record, **fields):
    return store.apply(Edit("Change", replace_record(record, replace(record, **fields))))


def collided(store, edit):
    with pytest.raises(ConflictError) as caught:
        store.apply(edit)
    return collisions.told(store, UTC_CLOCK, caught.value)


def test_a_collision_is_told_with_both_values_and_who_was_first(two):
    mine, theirs = two
    frequency = mine.all(Assignment)[0]
    name = mine.get(Link, frequency.link_id).name
    change(theirs, frequency, freq_hz=501_250_000, locked=True)
    told = collided(mine, Edit("Tune", (Change(frequency, replace(frequency, freq_hz=502_000_000)),)))
    assert told.values == (("frequency", "501.250 MHz", "502.000 MHz"),)
    now = datetime.now(UTC)
    assert told.head.startswith(f"Not done: the frequency “{name}” was changed by second op at stage left at {now:%H}:")
    assert told.sentence().endswith("frequency is 501.250 MHz, yours is 502.000 MHz.")


def test_removals_are_told_from_both_sides(two):
    mine, theirs = two
    frequencies = mine.all(Assignment)[:2]
    theirs.apply(Edit("Remove", remove(theirs.all(Assignment)[:1])))
    gone = collided(mine, Edit("Tune", (Change(frequencies[0], replace(frequencies[0], locked=True)),)))
    assert "was removed by second op at stage left" in gone.head
    assert gone.head.endswith("yours would change it.")
    change(theirs, frequencies[1], locked=True)
    kept = collided(mine, Edit("Remove", remove([frequencies[1]])))
    assert kept.head.endswith("yours would remove it.")
    assert kept.values == (("locked", "yes", "before no"),)


def test_many_collisions_are_counted(two):
    mine, theirs = two
    room = mine.all(Zone)[0]
    change(theirs, room, name="A", near_m=1.0, far_m=2.0, note="x", exponent=3.0)
    mine_now = replace(room, name="B", near_m=2.0, far_m=3.0, note="y", exponent=4.0)
    told = collided(mine, Edit("Room", (Change(room, mine_now),)))
    assert len(told.values) == 5
    assert told.sentence().endswith("and 2 more.")
    assert ("near [m]", "1", "2") in told.values


def test_values_are_said_as_people_say_them(two):
    store, _ = two
    link = next(x for x in store.all(Link) if x.acts)
    relation = store.all(Relation)[0]
    acts = naming.value(store, Link, "acts", link.acts)
    assert acts
    assert not any(str(a) in acts.split(", ") for a in link.acts)
    assert naming.value(store, Link, "acts", ()) == "always on"
    assert naming.value(store, Link, "zone_id", link.zone_id) == f"“{store.get(Zone, link.zone_id).name}”"
    assert naming.value(store, Link, "zone_id", 999_999) == "“no. 999999”"
    assert naming.value(store, Link, "performer", "") == "empty"
    assert naming.value(store, Site, "tv_guard_hz", 250_000) == "250 kHz"
    assert naming.value(store, Link, "spare", True) == "yes"
    assert naming.value(store, Zone, "shape", ((0.0, 1.0), (2.0, 3.0))) == "2 values"
    assert naming.thing(store, relation).startswith("rooms “")
    assert naming.value(store, Zone, "note", "x" * 200).endswith("…”")


def newest(store):
    return past.lines(store)[0]


def test_the_history_says_what_changed(two):
    store, _ = two
    room = store.all(Zone)[0]
    change(store, room, near_m=7.5, note="Mind the organ")
    details = past.details(store, newest(store).id)
    assert [(d.field, d.before, d.after) for d in details] == [
        ("note", "empty", "“Mind the organ”"),
        ("near [m]", f"{room.near_m:g}", "7.5"),
    ]
    assert {d.thing for d in details} == {f"room “{room.name}”"}
    new = Zone(id=store.reserve(), site_id=room.site_id, name="Attic")
    store.apply(Edit("Add", add(new)))
    assert [(d.thing, d.after) for d in past.details(store, newest(store).id)] == [("room “Attic”", "added")]
    store.apply(Edit("Remove", remove([store.get(Zone, new.id)])))
    assert [(d.thing, d.before) for d in past.details(store, newest(store).id)] == [("room “Attic”", "removed")]


def test_an_old_edit_is_taken_back_as_a_new_one_that_leaves_later_words_alone(two):
    store, _ = two
    site = store.all(Site)[0]
    change(store, site, name="Quay")
    old = newest(store)
    change(store, store.all(Site)[0], note="Ask at the gate")
    landed = store.apply(past.taken_back(store, old))
    assert landed.title == "Take back: Change"
    assert (store.all(Site)[0].name, store.all(Site)[0].note) == (site.name, "Ask at the gate")
    with pytest.raises(Refusal, match="Nothing is left to take back"):
        past.taken_back(store, old)
    store.apply(past.taken_back(store, newest(store)))
    assert store.all(Site)[0].name == "Quay"
    assert newest(store).title == "Take back: Change"


def test_what_has_changed_since_is_told_with_both_values_and_nothing_is_overwritten(two):
    store, _ = two
    site = store.all(Site)[0]
    change(store, site, name="Quay")
    old = newest(store)
    change(store, store.all(Site)[0], name="Pier")
    with pytest.raises(Refusal, match=f"name is “Pier” now and was “{site.name}”"):
        past.taken_back(store, old)
    new = Zone(id=store.reserve(), site_id=site.id, name="Attic")
    store.apply(Edit("Add", add(new)))
    added = newest(store)
    change(store, store.get(Zone, new.id), note="Dusty")
    with pytest.raises(Refusal, match="note is “Dusty” now and was empty"):
        past.taken_back(store, added)


def test_what_was_added_or_removed_is_taken_back(two):
    store, _ = two
    new = Zone(
        id=store.reserve(), site_id=store.all(Site)[0].id, name="Attic", shape=((0.0, 1.0), (2.0, 3.0), (4.0, 5.0))
    )
    store.apply(Edit("Add", add(new)))
    added, kept = newest(store), store.get(Zone, new.id)
    store.apply(past.taken_back(store, added))
    assert not store.all(Zone, id=new.id)
    with pytest.raises(Refusal, match="Nothing is left"):
        past.taken_back(store, added)
    store.apply(past.taken_back(store, newest(store)))
    assert same(store.get(Zone, new.id), kept)


def test_an_edit_that_changed_a_record_twice_is_taken_back_whole(two):
    store, _ = two
    site = store.all(Site)[0]
    once = replace(site, name="Quay", version=site.version + 1)
    twice = (Change(site, once), Change(once, replace(once, name="Pier", note="x")))
    store.apply(Edit("Twice", twice))
    store.apply(past.taken_back(store, newest(store)))
    assert same(store.all(Site)[0], site)


def test_bins_that_were_not_kept_cannot_be_brought_back_and_that_is_said(two):
    store, _ = two
    trace = store.all(Trace)[0]
    sweep = store.get(Sweep, trace.sweep_id)
    store.apply(Edit("Remove the sweep", (*remove([trace]), *remove([sweep]))))
    with pytest.raises(Refusal, match="was told not to keep"):
        past.taken_back(store, newest(store))
    store.apply(past.keep(store, 500, True))
    trace = store.all(Trace)[0]
    sweep = store.get(Sweep, trace.sweep_id)
    store.apply(Edit("Remove the sweep", (*remove([trace]), *remove([sweep]))))
    store.apply(past.taken_back(store, newest(store)))
    assert same(store.all(Trace, sweep_id=sweep.id)[0], trace)


def test_how_much_is_kept_is_a_record_with_bounds(two):
    store, _ = two
    assert past.kept(store).edits == 20_000
    assert not past.keep(store, 20_000, False)
    for wrong in (0, 99, 1_000_001):
        with pytest.raises(Refusal, match="keeps 100 to"):
            past.keep(store, wrong, False)
    store.apply(past.keep(store, 100, True))
    assert (past.kept(store).edits, past.kept(store).bulky) == (100, True)
    site = store.all(Site)[0]
    for n in range(200):
        site = store.apply(keeping.rename(site, f"Name {n}")).changes[0].after
    assert 100 <= len(past.lines(store, count=1000)) <= 100 + 64
