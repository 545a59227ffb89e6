"""Books with damaged rows: what can be read is read, what cannot is told by record, and nothing is written."""

import sqlite3

import pytest

from azven.book import copying, records
from azven.book.columns import kind_of
from azven.book.edits import BookError
from azven.book.place import File
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
