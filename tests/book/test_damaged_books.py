"""Books with damaged rows: what can be read is read, what cannot is told by record, and nothing is written."""

import sqlite3
from contextlib import closing
from dataclasses import replace

import pytest

from azven.book import copying, records
from azven.book.columns import kind_of
from azven.book.damage import sound
from azven.book.edits import BookError, Edit, add, remove, replace_record
from azven.book.place import File
from azven.book.rows import rows
from azven.book.store import Store
from azven.work import demo, ground, kit, listen, plan
from azven.work.scope import opening as here


@pytest.fixture
def path(tmp_path):
    store = demo.build(tmp_path)
    place = store.place.path
    store.close()
    return place


def damage(path, *statements):
    connection = sqlite3.connect(path)
    connection.execute("PRAGMA ignore_check_constraints = ON")
    for statement in statements:
        connection.execute(statement)
    connection.commit()
    connection.close()


ROWS = {
    "a word that is in no list": ("link", "service = 'telepathy'", "its service is none of voice, in-ear"),
    "text that is no JSON": ("link", "acts = '[1, 2'", "it cannot be read"),
    "JSON of another kind": ("link", "acts = '{}'", "its acts cannot be read"),
    "a moment that is none": ("act", "starts_at = 'teatime'", "it cannot be read"),
    "text where a number belongs": ("zone", "near_m = 'close'", "its near_m cannot be read"),
    "a figure without end": ("zone", "far_m = 9e999", "its far_m cannot be read"),
    "a figure nobody means": ("model", "step_hz = 0", "its step_hz is out of bounds"),
    "bands upside down": ("model", "bands = '[[\"x\", 600, 500]]'", "its bands cannot be read"),
    "bands that are no bands": ("model", "bands = '[1]'", "its bands cannot be read"),
    "an antenna of no kind": ("antenna", "kind = 'spoon'", "its kind is none of omni, beam, fixed"),
    "a detector of no kind": ("sweep", "detector = 'nose'", "its detector is none of average, peak"),
    "a region that is none": ("region", "document = '{}'", "format: 'azven-region' expected"),
}


@pytest.mark.parametrize("name", ROWS)
def test_a_damaged_row_is_told_and_the_rest_can_be_read(path, name):
    table, setting, wrong = ROWS[name]
    kind = kind_of(table)
    damage(path, f"UPDATE {table} SET {setting} WHERE id = (SELECT max(id) FROM {table})")
    before = path.read_bytes()
    store = Store.open(path)
    told = store.damaged[0]
    assert told.kind is kind
    assert wrong in told.wrong
    board = plan.board_of(store, here(store), listen.picture(store, here(store)))
    assert len(board.verdicts) <= 44
    assert told.number not in {r.id for r in store.all(kind)}
    assert ground.here(store, here(store)).site.name == "Marrowby Harbour"
    with pytest.raises(BookError, match=f"for reading only, for {table} {told.number}: "):
        store.apply(ground.change(ground.zones(store, here(store))[0], "Rename", name="x"))
    with pytest.raises(BookError, match="for reading only"):
        store.reserve()
    store.close()
    assert path.read_bytes() == before


@pytest.mark.parametrize("name", ROWS)
def test_many_rows_are_judged_as_each_of_them_is(path, name):
    table, setting, _ = ROWS[name]
    damage(path, f"UPDATE {table} SET {setting} WHERE id = (SELECT max(id) FROM {table})")
    kind, engine = kind_of(table), Store.open(path).engine
    found = rows(engine, kind, {})
    many = found * (1 + 20 // len(found))
    assert len(many) > 12
    told, alone = [], []
    together = sound(kind, many, told)
    one_by_one = [r for row in many for r in sound(kind, [row], alone)]
    assert (together, told) == (one_by_one, alone)
    assert told
    good = [row for row in many if row[0] != told[0].number]
    whole = []
    assert sound(kind, good * 13, whole) == [r for row in good * 13 for r in sound(kind, [row], [])]
    assert whole == []
    engine.close()


def test_what_hangs_on_a_damaged_record_is_set_aside_with_it(path):
    damage(path, "UPDATE model SET bands = '7' WHERE name LIKE 'In-ear%'")
    store = Store.open(path)
    assert {d.kind for d in store.damaged} == {
        records.Model, records.Unit, records.Link, records.Assignment, records.Worn, records.Route, records.Deed,
        records.Booking,
    }  # fmt: skip
    assert not [x for x in kit.links(store, here(store)) if x.service == "in-ear"]
    assert [x for x in kit.links(store, here(store)) if x.service == "voice"]
    plan.board_of(store, here(store))
    store.close()


def test_a_reference_that_may_be_missing_costs_only_itself(path):
    nowhere = "DELETE FROM unit WHERE id = (SELECT unit_id FROM link WHERE unit_id > 0)"
    damage(path, "PRAGMA foreign_keys = OFF", nowhere)
    store = Store.open(path)
    told = [d for d in store.damaged if d.kind is records.Link]
    assert {d.wrong for d in told} == {"the unit it names cannot be read"}
    links = {x.id: x for x in kit.links(store, here(store))}
    assert {links[d.number].unit_id for d in told} == {None}
    plan.board_of(store, here(store))
    store.close()


def test_what_many_refer_to_and_is_gone_is_told_when_they_are_read(path):
    with closing(Store.open(path)) as store:
        site, room = store.all(records.Site)[0].id, store.all(records.Zone)[-1].id
        first = store.reserve(250)
        many = [records.Neighbour(id=first + k, site_id=site, name=f"N {k}", freq_hz=500_000_000) for k in range(249)]
        last = records.Neighbour(id=first + 249, site_id=site, name="Last", freq_hz=500_000_000, zone_id=room)
        store.apply(Edit("Many", add(*many, last)))
    damage(path, "PRAGMA foreign_keys = OFF", f"UPDATE neighbour SET zone_id = 999999 WHERE id = {first + 249}")
    for read in (lambda s: s.all(records.Neighbour, site_id=site), lambda s: s.read_the_rest()):
        store = Store.open(path)
        assert store.damaged == ()
        read(store)
        assert [(d.number, d.wrong) for d in store.damaged] == [(first + 249, "the zone it names cannot be read")]
        assert store.get(records.Neighbour, first + 249).zone_id is None
        with pytest.raises(BookError, match="for reading only"):
            store.reserve()
        store.close()


@pytest.mark.parametrize("table", ["site", "show"])
def test_a_book_without_a_readable_site_or_show_is_refused_in_a_sentence(path, table):
    damage(path, f"UPDATE {table} SET name = x'00ff'")
    with pytest.raises(BookError, match=f"is damaged and was left as it is: {table} "):
        Store.open(path)


def test_a_sound_book_is_told_sound(path):
    store = Store.open(path)
    assert store.damaged == ()
    store.close()


def test_a_damaged_unit_costs_nothing_as_a_book_is_opened_and_is_found_by_a_closer_look(path):
    damage(path, "UPDATE unit SET channels = 'many' WHERE id = (SELECT max(id) FROM unit)")
    store = Store.open(path)
    assert store.damaged == ()
    heard = []
    store.listen(heard.append)
    assert store.look_closer()
    assert store.damaged[0].kind is records.Unit
    assert {d.kind for d in store.damaged[1:]} == {records.Deed}  # of that unit
    assert records.Unit in heard[0].kinds
    assert not store.look_closer()
    with pytest.raises(BookError, match="for reading only"):
        store.reserve()
    store.close()
    again = Store.open(path, thorough=True)
    assert again.damaged[0].kind is records.Unit
    again.close()


def test_a_deed_of_a_unit_that_is_not_there_is_found_by_a_closer_look(path):
    damage(path, "PRAGMA foreign_keys = OFF", "UPDATE deed SET unit_id = 99999 WHERE id = (SELECT max(id) FROM deed)")
    store = Store.open(path)
    assert store.damaged == ()
    assert store.look_closer()
    (told,) = store.damaged
    assert (told.kind, told.wrong) == (records.Deed, "the unit it names cannot be read")
    store.close()


def test_a_sound_book_is_sound_at_a_closer_look_and_a_damaged_one_is_not_copied(path, tmp_path):
    store = Store.open(path)
    assert not store.look_closer()
    assert store.damaged == ()
    store.close()
    damage(path, "UPDATE unit SET channels = 'many' WHERE id = (SELECT max(id) FROM unit)")
    store = Store.open(path)
    with pytest.raises(BookError, match="Nothing was copied"):
        copying.copy(store, File(tmp_path / "copy.azven"))
    store.close()


MANY = 250


@pytest.fixture
def large(path):
    """The demonstration with more acts than are read as a book is opened."""
    store = Store.open(path)
    show, first = here(store).show, store.reserve(MANY)
    acts = [records.Act(id=first + k, show_id=show, name=f"Act {k}") for k in range(MANY)]
    store.apply(Edit("Many acts", add(*acts)))
    store.close()
    return path


def test_a_kind_of_which_there_are_many_is_read_when_it_is_asked_for(large):
    store = Store.open(large)
    assert records.Act not in store._read
    assert len(store.all(records.Act)) > MANY
    assert records.Act in store._read
    assert store.damaged == ()
    store.close()


def test_damage_of_many_is_told_as_they_are_read_with_what_hangs_on_it(large):
    damage(large, "UPDATE act SET starts_at = 'teatime' WHERE id = (SELECT max(id) FROM act)")
    damage(large, "UPDATE staging SET act_id = (SELECT max(id) FROM act) WHERE id = (SELECT max(id) FROM staging)")
    store = Store.open(large)
    assert store.damaged == ()
    acts = {a.id for a in store.all(records.Act)}
    assert len(acts) == store.count(records.Act) - 1
    assert store.damaged[0].kind is records.Act
    assert all(s.act_id is None or s.act_id in acts for s in store.all(records.Staging))
    store.close()


def test_nothing_is_written_before_damage_of_many_is_known(large):
    damage(large, "UPDATE act SET starts_at = 'teatime' WHERE id = (SELECT max(id) FROM act)")
    before = large.read_bytes()
    store = Store.open(large)
    site = store.all(records.Site)[0]
    with pytest.raises(BookError, match="for reading only"):
        store.apply(Edit("Rename", replace_record(site, replace(site, name="Elsewhere"))))
    store.close()
    assert large.read_bytes() == before


def test_many_shows_that_all_are_damaged_are_refused_in_a_sentence(path):
    store = Store.open(path)
    site, first = store.all(records.Site)[0].id, store.reserve(MANY)
    store.apply(
        Edit("Many shows", add(*(records.Show(id=first + k, site_id=site, name=f"S {k}") for k in range(MANY))))
    )
    store.close()
    damage(path, "UPDATE show SET name = x'00ff'")
    store = Store.open(path)
    with pytest.raises(BookError, match="is damaged and was left as it is: show "):
        store.all(records.Show)
    store.close()


def test_what_another_desk_changes_before_many_are_read_is_there_once(large):
    store, theirs = Store.open(large), Store.open(large)
    act = theirs.all(records.Act)[-1]
    theirs.apply(Edit("Rename", replace_record(act, replace(act, name="Encore"))))
    theirs.apply(Edit("Gone", remove([theirs.all(records.Act)[-2]])))
    assert store.others_wrote()
    store.catch_up()
    assert [(a.id, a.name) for a in store.all(records.Act)] == [(a.id, a.name) for a in theirs.all(records.Act)]
    store.close()
    theirs.close()
