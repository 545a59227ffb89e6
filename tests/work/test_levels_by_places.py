"""What the book knows of places reaches the level school, and what it does not know is said."""

from dataclasses import replace

import pytest

from azven.book.edits import Edit, replace_record
from azven.book.records import Antenna, Link, Model
from azven.work import ground, plan, reach
from azven.work.plan import history, search
from azven.work.reasons import level
from azven.work.scope import opening as here
from naming import key


@pytest.fixture
def by_level(store):
    store.apply(plan.set_school(store, here(store), "level"))
    return store


def change(store, record, **fields):
    store.apply(Edit("Change", replace_record(record, replace(record, **fields))))


def link(store, name):
    return next(x for x in store.all(Link) if x.name == name)


def test_in_ear_antennas_count_by_their_places_and_aims(by_level):
    store = by_level
    ears = next(a for a in store.all(Antenna) if a.role == "transmit")
    choir = key(plan.board_of(store, here(store)), "Lamp Choir 1")

    def composite_db(**fields):
        change(store, next(a for a in store.all(Antenna) if a.id == ears.id), **fields)
        return plan.board_of(store, here(store)).verdict(choir).level.blocked_db

    facing = composite_db(x_m=0.0, y_m=4.0, azimuth_deg=180.0)
    away = composite_db(x_m=0.0, y_m=4.0, azimuth_deg=0.0)
    assert facing > 10
    assert away < facing - 8


def test_a_wearer_of_two_packs_is_told_that_no_frequency_helps_and_keeps_the_frequency(by_level):
    store = by_level
    model = next(m for m in store.all(Model) if m.body_db == 20.0 and m.service == "voice")
    change(store, link(store, "Lamp Choir 2"), performer="A. Keel", model_id=model.id, band=model.bands[0][0])
    change(store, link(store, "Brass ear 5"), performer="a.  keel")
    hall = ground.zones(store, here(store))[0]
    store.apply(ground.change(hall, "Far", far_m=150.0))
    board = plan.board_of(store, here(store))
    ear = key(board, "Brass ear 5")
    standing = board.verdict(ear).level
    assert standing.blocker == key(board, "Lamp Choir 2")
    assert standing.blocked_db == pytest.approx(10 * 1.477 - 10 + 10, abs=1.0)
    assert standing.whatever_its_frequency
    assert board.verdict(ear).state == "broken"
    found = search.mend(board, lambda d, t: True, lambda: 0.0)
    assert ear in {a.id for a in found.plan.assignments}
    sentence = level.sentence(board, board.verdict(ear), standing, "")
    assert "blocked by 15 dB, mostly by Lamp Choir 2" in sentence
    assert "No other frequency would help" in sentence


def test_what_stands_in_for_places_is_said_with_what_would_make_it_surer(by_level):
    store = by_level
    said = level.hangs_on(plan.board_of(store, here(store)).verdict(key(store, "Harbour Master")).level)
    assert "the room's distances (nearest, farthest, from one another)" in said
    assert "place the receive antennas" in said
    in_the_hall = level.hangs_on(plan.board_of(store, here(store)).verdict(key(store, "Narrator")).level)
    assert "measure these distances" in in_the_hall


def test_a_plan_by_level_hangs_on_antennas_walls_and_wearers(by_level):
    store = by_level
    before = history.fingerprint(store, here(store))
    hall = ground.zones(store, here(store))[0]
    store.apply(reach.place(store, hall, "A", 3.0, 3.0))
    store.apply(reach.place(store, hall, "B", 3.0, 3.0))
    change(store, link(store, "Brass 5"), performer="B. Oar")
    after = history.fingerprint(store, here(store))
    kinds = {k.split("/")[0] for k in after.keys() | before.keys() if before.get(k) != after.get(k)}
    assert kinds == {"antenna", "link"}
    assert len(after) == len(before) + 1
