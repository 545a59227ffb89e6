"""A show goes to the next site: what stays, what moves and why, and that nothing is taken that has changed since."""

import csv
import io
from dataclasses import replace

import pytest

from azven.book.edits import Edit, add, replace_record
from azven.book.records import Assignment, Link, Neighbour, Show, Site, Unit, Worn
from azven.refusal import Refusal
from azven.work import plan
from azven.work.register import touring
from azven.work.scope import of_show, opening

pytestmark = pytest.mark.quiet


def always(done, total):
    return True


def begun():
    return 0.0


@pytest.fixture
def show(store):
    return store.get(Show, opening(store).show)


@pytest.fixture
def orchard(store):
    return next(s for s in store.all(Site) if s.name == "Orchard Ground")


def gone(store, show, site, progress=always):
    return touring.leg(store, show, site, progress, begun)


def step(leg, name):
    return next(s for s in leg.steps if s.name == name)


def test_what_the_ground_allows_stays_and_every_link_is_told(store, show, orchard):
    leg = gone(store, show, orchard)
    links = [x for x in store.all(Link, show_id=show.id) if not x.set_aside]
    assert {s.id for s in leg.steps} == {x.id for x in links}
    assert leg.count("stays") > leg.count("moves") > 0 == leg.count("no place")
    assert not any(s.broken for s in leg.steps)
    assert all((s.before_hz == s.there_hz) == (s.change == "stays") for s in leg.steps if s.change != "own choice")
    assert all(s.why for s in leg.steps if s.change == "moves")


def test_a_carrier_on_a_link_s_own_frequency_there_moves_it(store, show, orchard):
    before = step(gone(store, show, orchard), "Lamp Choir 3")
    assert before.change == "stays"
    tower = Neighbour(id=store.reserve(), site_id=orchard.id, name="Tower", freq_hz=before.before_hz)
    store.apply(Edit("Tower", add(tower)))
    after = step(gone(store, show, orchard), "Lamp Choir 3")
    assert after.change == "moves"
    assert after.there_hz != before.before_hz
    assert "Tower" in after.why


def test_taking_it_keeps_links_units_and_packs_and_can_be_undone(store, show, orchard):
    link = next(x for x in store.all(Link, show_id=show.id) if x.unit_id)
    pack = next(w for w in store.all(Worn) if w.unit_id)
    worn = sum(w.unit_id == pack.unit_id for w in store.all(Worn))
    leg = gone(store, show, orchard)
    edit = store.apply(touring.take(store, leg))
    there = next(s for s in store.all(Show, site_id=orchard.id) if s.name == show.name)
    copies = {x.name: x for x in store.all(Link, show_id=there.id)}
    assert copies[link.name].unit_id == link.unit_id
    assert copies[link.name].receiver == link.receiver
    assert sum(w.unit_id == pack.unit_id for w in store.all(Worn)) == 2 * worn
    placed = {x.name: a.freq_hz for x in copies.values() for a in store.all(Assignment, link_id=x.id)}
    assert placed == {s.name: s.there_hz for s in leg.steps if s.there_hz is not None}
    board = plan.board_of(store, of_show(there))
    assert board.count("broken") == 0
    assert not board.stale
    store.apply(edit.inverse())
    assert not [s for s in store.all(Show, site_id=orchard.id) if s.name == show.name]


def test_a_link_that_was_held_is_held_where_it_stays(store, show, orchard):
    before = plan.assignments(store, of_show(show))
    for placed in list(before.values())[::2]:
        store.apply(Edit("Hold", replace_record(placed, replace(placed, locked=True))))
    leg = gone(store, show, orchard)
    store.apply(touring.take(store, leg))
    there = next(s for s in store.all(Show, site_id=orchard.id) if s.name == show.name)
    locked = {n for n, a in plan.assignments(store, of_show(show)).items() if a.locked}
    held = {x.name: plan.assignments(store, of_show(there))[x.id].locked for x in store.all(Link, show_id=there.id)
            if x.id in plan.assignments(store, of_show(there))}  # fmt: skip
    assert any(held.values())
    assert held == {s.name: s.change == "stays" and s.id in locked for s in leg.steps if s.there_hz is not None}


def test_a_show_that_has_changed_since_is_not_taken(store, show, orchard):
    leg = gone(store, show, orchard)
    link = store.all(Link, show_id=show.id)[0]
    store.apply(Edit("Other", replace_record(link, replace(link, priority=1 if link.priority != 1 else 2))))
    with pytest.raises(Refusal, match="changed since"):
        touring.take(store, leg)


def test_what_is_not_known_of_the_ground_is_said(store, show):
    yard = next(s for s in store.all(Site) if s.name == "Tollgate Store")
    bare = replace(yard, region_id=None)
    store.apply(Edit("No region", replace_record(yard, bare)))
    said = " ".join(gone(store, show, bare).missing)
    assert "No region is chosen" in said
    assert "No sweep of Tollgate Store" in said


def test_it_does_not_go_where_it_is_and_can_be_stopped(store, show, orchard):
    with pytest.raises(Refusal, match="already"):
        gone(store, show, store.get(Site, show.site_id))
    stopped = gone(store, show, orchard, lambda done, total: False)
    assert stopped.stopped
    assert not stopped.proved
    assert "stopped" in touring.in_words(stopped)
    assert all(s.why for s in stopped.steps if s.broken)


def test_a_small_show_in_one_room_is_proved(store):
    small = next(s for s in store.all(Show) if len(store.all(Link, show_id=s.id)) == 10)
    for x in store.all(Link, show_id=small.id)[6:]:
        store.apply(Edit("Less", replace_record(x, replace(x, set_aside=True))))
    other = next(s for s in store.all(Site) if s.id != small.site_id and s.name != "Marrowby Harbour")
    leg = gone(store, small, other)
    assert leg.proved
    assert "Nothing places more" in touring.in_words(leg)


def test_the_sheet_begins_with_what_changes_and_runs_in_no_spreadsheet(store, show, orchard):
    leg = gone(store, show, orchard)
    rows = list(csv.DictReader(io.StringIO(touring.csv_text(leg.steps))))
    assert [r["Change"] for r in rows] == sorted((s.change for s in leg.steps), key=touring.CHANGES.index)
    harmful = replace(leg.steps[0], name="=1+1")
    assert "'=1+1" in touring.csv_text([harmful])


def test_units_of_the_show_that_goes_stay_where_they_are_written(store, show, orchard):
    before = [(u.id, u.zone_id) for u in store.all(Unit)]
    store.apply(touring.take(store, gone(store, show, orchard)))
    assert [(u.id, u.zone_id) for u in store.all(Unit)] == before
