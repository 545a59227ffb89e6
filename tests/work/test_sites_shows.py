"""Many sites and shows in one book: made, copied, archived, removed; what is done in one touches no other."""

import pytest

from azven.book.columns import KINDS
from azven.book.records import Act, Link, Plan, Relation, Show, Site, Trace, Unit, Zone
from azven.refusal import Refusal
from azven.work import chain, ground, ids, keeping, kit, listen, plan, shows, sites
from azven.work.plan import history
from azven.work.scope import exists, of_show, opening


def whole(store):
    """Everything in the book, by kind and id."""
    return {(kind, r.id): r for kind in KINDS if kind is not Trace for r in store.all(kind)}


def made(store, edit):
    """Apply an edit that makes a show; its scope."""
    landed = store.apply(edit)
    return of_show(store.get(Show, landed.select[0]))


@pytest.fixture
def site(store):
    return ground.here(store, opening(store)).site


@pytest.fixture
def show(store):
    return ground.here(store, opening(store)).show


def test_a_new_site_has_a_room_and_a_show_and_nothing_of_another(store):
    home = opening(store)
    before = whole(store)
    away = made(store, sites.add_site(store, "Orchard Ground 2"))
    assert [z.name for z in ground.zones(store, away)] == ["Main room"]
    for of in (kit.links, kit.acts, ground.neighbours, listen.sweeps, chain.designs):
        assert of(store, away) == []
        assert of(store, home)
    assert not ground.relations(store, away)
    assert plan.board_of(store, away).verdicts == ()
    assert kit.units(store, away) == []
    assert {k: v for k, v in whole(store).items() if k in before} == before


def test_work_in_one_show_changes_nothing_of_another(store, show, site):
    home = opening(store)
    board, inputs = plan.board_of(store, home).frequencies, history.fingerprint(store, home)
    again = made(store, shows.copy_show(store, show, site, "Second evening"))
    links = kit.links(store, again)
    store.apply(kit.change_links(store, links[:3], performer="Somebody"))
    store.apply(plan.set_frequencies(store, again, {ids.of(links[0]): 640_000_000}, "Move"))
    store.apply(kit.add_act(store, again, "Encore"))
    store.apply(kit.remove_links(store, kit.links(store, again)[-2:]))
    store.apply(plan.set_density(store, again, 3))
    assert plan.board_of(store, home).frequencies == board
    assert history.fingerprint(store, home) == inputs
    assert plan.board_of(store, home).stale == ()
    assert len(kit.acts(store, home)) == 3


def test_what_is_done_at_a_site_reaches_its_shows_and_no_other_site(store, show, site):
    home = opening(store)
    second = made(store, shows.copy_show(store, show, site, "Second evening"))
    away = made(store, sites.duplicate_site(store, site, "Far quay"))
    store.apply(ground.add_neighbour(store, home, "Ferry", 520_000_000))
    assert "Ferry" in {n.name for n in ground.neighbours(store, second)}
    assert "Ferry" not in {n.name for n in ground.neighbours(store, away)}
    assert plan.board_of(store, home).stale == ("neighbours",)


def test_a_copy_at_the_same_site_keeps_units_acts_and_frequencies_and_is_not_checked(store, show, site):
    home = opening(store)
    again = made(store, shows.copy_show(store, show, site, ""))
    old, new = kit.links(store, home), kit.links(store, again)
    assert ground.here(store, again).show.name == f"{show.name} 2"
    assert [x.name for x in new] == [x.name for x in old]
    assert [x.unit_id for x in new] == [x.unit_id for x in old]
    acts = {a.id: a.name for a in store.all(Act)}
    assert [[acts[a] for a in x.acts] for x in new] == [[acts[a] for a in x.acts] for x in old]
    assert not {a for x in new for a in x.acts} & {a for x in old for a in x.acts}
    placed = plan.assignments(store, again)
    given = [(a, b) for a, b in zip(new, old, strict=True) if b.id in plan.assignments(store, home)]
    assert len(given) == 36
    assert [placed[a.id].freq_hz for a, _ in given] == [plan.assignments(store, home)[b.id].freq_hz for _, b in given]
    assert plan.board_of(store, again).stale == ("links",)  # those that are on in acts; these are other acts


def test_a_copy_for_another_site_finds_rooms_by_name_and_has_no_frequencies(store, show, site):
    away = made(store, sites.add_site(store, "Far quay"))
    there = ground.here(store, away).site
    room = ground.add_zone(store, away, "rope hall")
    store.apply(room)
    again = made(store, shows.copy_show(store, show, there, "On tour"))
    rooms = {z.id: z.name for z in ground.zones(store, again)}
    was = {x.name: store.get(Zone, x.zone_id).name for x in kit.links(store, opening(store))}
    for link in kit.links(store, again):
        assert rooms[link.zone_id] == ("rope hall" if was[link.name] == "Rope Hall" else "Main room")
        assert link.unit_id is None
    assert plan.assignments(store, again) == {}


def test_a_site_again_has_its_own_rooms_related_alike(store, site):
    home = opening(store)
    away = made(store, sites.duplicate_site(store, site, "Far quay"))
    old, new = ground.zones(store, home), ground.zones(store, away)
    assert [z.name for z in new] == [z.name for z in old]
    said = {
        frozenset(z.name for z in old if z.id in pair): r.relation for pair, r in ground.relations(store, home).items()
    }
    assert {
        frozenset(z.name for z in new if z.id in pair): r.relation for pair, r in ground.relations(store, away).items()
    } == said
    assert len(chain.designs(store, away)) == len(chain.designs(store, home))
    assert kit.links(store, away) == []
    assert listen.sweeps(store, away) == []


@pytest.mark.parametrize("title", list(shows.templates()))
def test_a_template_makes_a_show_that_can_be_worked_with(store, site, title):
    scope = made(store, shows.add_show(store, site, "", title))
    asked = shows.templates()[title]
    links = kit.links(store, scope)
    assert len(links) == sum(g["count"] for g in asked["links"])
    assert [a.name for a in kit.acts(store, scope)] == asked["acts"]
    assert {x.use_class for x in links if x.service == "in-ear"} <= {"quiet"}
    assert plan.board_of(store, scope).count("unplaced") == len(links)


def test_what_is_needed_is_not_removed_and_the_reason_is_said(store, site, show):
    with pytest.raises(Refusal, match=f"{site.name} is still needed by .*{show.name}.*remove its shows first"):
        sites.remove_site(store, site)
    away = made(store, sites.add_site(store, "Store"))
    there = ground.here(store, away)
    room = ground.zones(store, away)[0]
    store.apply(
        kit.add_unit(store, "Rack 9", ground.models(store)[0], ground.models(store)[0].bands[0][0], zone_id=room.id)
    )
    store.apply(shows.remove_show(store, there.show))
    with pytest.raises(Refusal, match="Store is still needed: Rack 9 stand there"):
        sites.remove_site(store, there.site)


def test_the_last_show_stays(empty):
    with pytest.raises(Refusal, match="is the only show of this book"):
        shows.remove_show(empty, empty.all(Show)[0])


def test_removing_takes_all_of_it_and_only_that_and_is_undone(store, site, show):
    before = whole(store)
    scope = made(store, shows.copy_show(store, show, site, "Second evening"))
    landed = store.apply(shows.remove_show(store, store.get(Show, scope.show)))
    assert whole(store) == before
    store.apply(landed.inverse())
    assert len(store.all(Plan, show_id=scope.show)) == 1
    assert len(plan.assignments(store, scope)) == 36
    away = made(store, sites.duplicate_site(store, site, "Far quay"))
    with_both = whole(store)
    store.apply(shows.remove_show(store, store.get(Show, away.show)))
    gone = store.apply(sites.remove_site(store, store.get(Site, away.site)))
    assert not exists(store, away)
    assert not [k for k in whole(store) if k not in with_both]
    assert not store.all(Zone, site_id=away.site)
    related = len(store.all(Relation))
    store.apply(gone.inverse())
    assert len(store.all(Relation)) == related + 3


@pytest.mark.quiet
def test_archived_shows_stay_out_of_the_way_and_lose_nothing(store, site, show):
    second = made(store, shows.copy_show(store, show, site, "Second evening"))
    store.apply(keeping.archive(show, archived=True))
    assert [s.id for s in shows.shows(store, site.id)] == [second.show, show.id]
    assert opening(store) == second
    assert len([x for x in store.all(Link) if x.show_id == show.id]) == 44
    store.apply(keeping.archive(store.get(Show, show.id), archived=False))
    assert opening(store).show == show.id


def test_a_show_that_is_gone_is_refused_in_a_sentence(store, site, show):
    second = made(store, shows.copy_show(store, show, site, "Second evening"))
    store.apply(shows.remove_show(store, store.get(Show, second.show)))
    with pytest.raises(Refusal, match="This show is no longer in the book; go to another one"):
        ground.here(store, second)


def test_units_without_a_room_are_everywhere_others_at_their_site(store):
    away = made(store, sites.add_site(store, "Far quay"))
    model = ground.models(store)[0]
    store.apply(kit.add_unit(store, "Floating rack", model, model.bands[0][0]))
    assert [u.name for u in kit.units(store, away)] == ["Floating rack"]
    here = {z.id for z in ground.zones(store, opening(store))}
    assert {u.zone_id for u in kit.units(store, opening(store))} == {*{u.zone_id for u in store.all(Unit)} & here, None}
