"""Bookings and other campuses as a user sees them."""

import pytest

from azven.book.records import Booking, Distance, Show, Unit
from azven.work import kit, plan, shows
from azven.work.scope import of_show

LIST, BOOKINGS, ACROSS = range(3)


@pytest.fixture
def stage(window):
    window.show_stage("register")
    return window.stage


@pytest.fixture
def bookings(stage):
    stage.pages.show_page(BOOKINGS)
    return stage.bookings


@pytest.fixture
def across(stage):
    stage.pages.show_page(ACROSS)
    return stage.across


def rows(table):
    return table.records.records


def test_what_is_here_is_booked_and_taken_out_again(stage, bookings):
    session = stage.session
    show = session.scope.show
    assert bookings.show_.currentData() == show
    free = sum(len(n.supply.home) for n in rows(bookings.needs))
    assert free > 0
    assert stage.primary() == ("Book what is here", True)
    stage.run_primary()
    stage.refresh()
    assert len(rows(bookings.units)) == len(session.store.all(Booking, show_id=show)) == free
    assert bookings.words.text().startswith(f"{free} of ")
    assert not stage.primary()[1]
    bookings.here.click()
    assert "Nothing that is wanted" in stage.window().said()
    first = rows(bookings.units)[0]
    bookings.units.choose({first.id})
    bookings.out.click()
    stage.refresh()
    assert len(rows(bookings.units)) == free - 1
    session.step_back()
    assert len(session.store.all(Booking, show_id=show)) == free


def test_when_gear_comes_and_goes_is_written_and_what_is_no_time_is_refused(stage, bookings):
    show = stage.session.store.get(Show, stage.session.scope.show)
    assert bookings.load_in.placeholderText().startswith("acts: ")
    bookings.load_in.setText("2031-05-01 08:00")
    bookings.load_out.setText("2031-05-03 02:00")
    bookings.load_out.editingFinished.emit()
    after = stage.session.store.get(Show, show.id)
    assert stage.session.clock.said(after.load_out) == "2031-05-03 02:00"
    bookings.load_in.setText("never")
    bookings.load_in.editingFinished.emit()
    assert "is no date and time" in stage.window().said()
    assert stage.session.store.get(Show, show.id) == after


def write(table, k, title, value):
    column = next(i for i, c in enumerate(table.records.columns) if c.title == title)
    return table.records.setData(table.records.index(k, column), value)


def test_how_far_a_site_is_is_written_and_pairs_that_matter_are_told(stage, across, window):
    session = stage.session
    store, scope = session.store, session.scope
    site = rows(across.apart)[0].site
    session.do(lambda: shows.copy_show(store, store.get(Show, scope.show), site, "There"))
    there = next(s for s in store.all(Show) if s.name == "There")
    mine = plan.assignments(store, scope)
    theirs = {x.name: x for x in kit.links(store, of_show(there))}
    narrator = next(x for x in kit.links(store, scope) if x.name == "Narrator")
    from azven.work import ids

    freq = {ids.of(theirs["Narrator"]): mine[narrator.id].freq_hz}
    session.do(lambda: plan.set_frequencies(store, of_show(there), freq, "There"))
    stage.refresh()
    assert f"How far {site.name}" in across.words.text()
    assert not rows(across.pairs)
    assert not write(across.apart, 0, "Between", "open")
    assert "Say first how far" in stage.window().said()
    assert write(across.apart, 0, "km", "4,5 km")
    stage.refresh()
    assert store.all(Distance)[0].km == 4.5
    assert write(across.apart, 0, "Between", "open")
    stage.refresh()
    assert [p.mine.name for p in rows(across.pairs)] == ["Narrator"]
    assert across.words.text().startswith("1 pair of links matters to one another.")
    assert not write(across.apart, 0, "km", "far")
    assert "is no number" in stage.window().said()
    assert write(across.apart, 0, "km", "")
    assert store.all(Distance) == []


def test_pages_come_by_name_and_the_list_is_first(stage):
    assert stage.page is stage.list
    titles = [a.title for a in stage.actions_offered()]
    assert {"Register: list", "Register: bookings", "Register: across campuses"} <= set(titles)
    assert len(rows(stage.list.table)) == len(stage.session.store.all(Unit))
