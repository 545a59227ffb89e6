"""What a show wants and where it comes from, bookings that collide, and links of other campuses, in a book."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from azven.book.edits import Edit, replace_record
from azven.book.records import Act, Booking, Distance, Link, Show, Site, Unit
from azven.refusal import Refusal
from azven.work import ids, kit, plan, shows, sites
from azven.work.register import across, booked, times
from azven.work.scope import of_show, opening

NOW = datetime(2026, 9, 1, 12, tzinfo=UTC)
pytestmark = pytest.mark.quiet


@pytest.fixture
def scope(store):
    return opening(store)


@pytest.fixture
def show(store, scope):
    return store.get(Show, scope.show)


@pytest.fixture
def elsewhere(store, scope):
    """Another site with a show of the same links at the same time, an hour's way off."""
    other = next(s for s in store.all(Site) if s.id != scope.site)
    here = store.get(Site, scope.site)
    store.apply(across.set_distance(store, here, other, 4.0, clutter="open"))
    store.apply(shows.copy_show(store, store.get(Show, scope.show), other, "There"))
    return next(s for s in store.all(Show) if s.name == "There")


def test_what_a_show_wants_is_what_its_links_are(store, scope, show):
    wanted = booked.wants(store, show)
    links = [x for x in kit.links(store, scope) if not x.set_aside]
    assert sum(n for _, _, n in wanted) == len(links)
    for model, band, count in wanted:
        assert count == sum(x.model_id == model.id and x.band == band for x in links)


def test_units_at_home_are_booked_as_many_as_wanted_and_given_back(store, show):
    need = next(n for n in booked.needs(store, show, NOW) if n.supply.home)
    units = [store.get(Unit, int(n)) for n in need.supply.home]
    edit = booked.book(store, show, units)
    store.apply(edit)
    after = next(n for n in booked.needs(store, show, NOW) if (n.model.id, n.band) == (need.model.id, need.band))
    assert {u.id for u in after.booked} == {u.id for u in units}
    assert after.short == need.short
    with pytest.raises(Refusal, match="Nothing new"):
        booked.book(store, show, units)
    store.apply(booked.unbook(store, show, units[:1]))
    assert len(store.all(Booking, show_id=show.id)) == len(units) - 1
    with pytest.raises(Refusal, match="booked first"):
        booked.unbook(store, show, units[:1])


def test_a_show_without_times_says_so_and_takes_them(store, show):
    for act in store.all(Act, show_id=show.id):
        store.apply(Edit("No time", replace_record(act, replace(act, starts_at=None, ends_at=None))))
    with pytest.raises(Refusal, match="has no times"):
        booked.needs(store, show, NOW)
    with pytest.raises(Refusal, match="before it loads in"):
        times.set_span(show, NOW, NOW - timedelta(hours=1))
    store.apply(times.set_span(show, NOW, NOW + timedelta(days=2)))
    assert times.span(store, store.get(Show, show.id)).load_out == NOW + timedelta(days=2)
    assert booked.needs(store, store.get(Show, show.id), NOW)


def test_a_unit_that_is_booked_elsewhere_then_is_neither_free_nor_booked_twice(store, show, elsewhere):
    unit = next(u for u in store.all(Unit, carried=True) if u.site_home_id == show.site_id)
    store.apply(booked.book(store, elsewhere, [unit]))
    with pytest.raises(Refusal, match="booked for There then"):
        booked.book(store, show, [unit])
    free = {n for need in booked.needs(store, show, NOW) for n in need.supply.home}
    assert str(unit.id) not in free


def test_bookings_that_came_to_collide_are_told_with_the_way(store, show, elsewhere):
    unit = next(u for u in store.all(Unit, carried=True))
    late = datetime(2030, 1, 1, 12, tzinfo=UTC)
    store.apply(times.set_span(elsewhere, late, late + timedelta(days=1)))
    store.apply(booked.book(store, elsewhere, [unit]))
    store.apply(booked.book(store, show, [unit]))
    assert booked.collisions(store, show) == {}
    here = times.span(store, show)
    moved = store.get(Show, elsewhere.id)
    store.apply(times.set_span(moved, here.load_out + timedelta(minutes=20), here.load_out + timedelta(days=1)))
    assert booked.collisions(store, show) == {unit.id: "There: 20 min between them, 60 for the way"}
    moved = store.get(Show, elsewhere.id)
    store.apply(times.set_span(moved, here.load_in, here.load_out))
    assert booked.collisions(store, show) == {unit.id: "There: they overlap"}


def test_links_on_one_frequency_that_hear_one_another_over_the_water_are_told(store, scope, elsewhere):
    mine = next(x for x in kit.links(store, scope) if x.name == "Narrator")
    theirs = next(x for x in store.all(Link, show_id=elsewhere.id) if x.name == "Narrator")
    freq = plan.assignments(store, scope)[mine.id].freq_hz
    there = of_show(elsewhere)
    store.apply(plan.set_frequencies(store, there, {ids.of(theirs): freq}, "There"))
    (pair,), unknown = across.pairs(store, scope)
    assert (pair.mine.id, pair.theirs.id) == (ids.of(mine), ids.of(theirs))
    assert pair.at_mine.matters
    assert pair.km == 4.0
    assert elsewhere.name not in unknown
    here, other = store.get(Site, scope.site), store.get(Site, elsewhere.site_id)
    store.apply(across.set_distance(store, here, other, 4.0, clutter="city", obstacles_db=40.0))
    assert across.pairs(store, scope)[0] == []
    store.apply(across.set_distance(store, here, other, None))
    found, unknown = across.pairs(store, scope)
    assert found == []
    assert other.name in unknown


def test_shows_that_are_never_on_together_do_not_matter(store, scope, elsewhere):
    mine = next(x for x in kit.links(store, scope) if x.name == "Narrator")
    theirs = next(x for x in store.all(Link, show_id=elsewhere.id) if x.name == "Narrator")
    freq = plan.assignments(store, scope)[mine.id].freq_hz
    store.apply(plan.set_frequencies(store, of_show(elsewhere), {ids.of(theirs): freq}, "There"))
    assert len(across.pairs(store, scope)[0]) == 1
    late = datetime(2030, 1, 1, tzinfo=UTC)
    store.apply(times.set_span(elsewhere, late, late + timedelta(days=1)))
    assert across.pairs(store, scope)[0] == []


@pytest.mark.parametrize("km", [0.0, -1.0, 30_000.0])
def test_what_is_no_distance_is_refused(store, scope, km):
    here, other = store.get(Site, scope.site), next(s for s in store.all(Site) if s.id != scope.site)
    with pytest.raises(Refusal, match="km apart"):
        across.set_distance(store, here, other, km)
    with pytest.raises(Refusal, match="No distance"):
        across.set_distance(store, here, other, None)


def test_a_site_that_goes_leaves_words_where_units_were(store, scope):
    from azven.work import register
    from azven.work.register import Asked

    store.apply(sites.add_site(store, "Weir"))
    weir = next(s for s in store.all(Site) if s.name == "Weir")
    here = store.get(Site, scope.site)
    store.apply(across.set_distance(store, here, weir, 9.0))
    unit = next(u for u in store.all(Unit, carried=True))
    asked = Asked(deed="move", at=NOW, by="Merle", site=weir, place="shelf 2")
    store.apply(register.do(store, [unit], asked))
    for show in store.all(Show, site_id=weir.id):
        store.apply(shows.remove_show(store, show))
    edit = sites.remove_site(store, weir)
    store.apply(edit)
    moved = store.get(Unit, unit.id)
    assert (moved.site_at_id, moved.place) == (None, "shelf 2, Weir")
    assert store.all(Distance) == []
    store.apply(edit.inverse())
    assert store.get(Unit, unit.id).site_at_id == weir.id
