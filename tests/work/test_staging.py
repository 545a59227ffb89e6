"""Who is where in which act, as the book keeps it: by act, by person, undone, copied and removed with what it is of."""

from dataclasses import replace

import pytest

from azven.book.edits import Edit, add, replace_record
from azven.book.reading import Supposed
from azven.book.records import Act, Person, Show, Site, Staging, Worn
from azven.refusal import Refusal
from azven.work import demo_story, ids, kit, plan, shows
from azven.work import rehearse as stage
from azven.work.rehearse import staging
from azven.work.scope import opening


@pytest.fixture
def scope(store):
    return opening(store)


@pytest.fixture
def acts(store, scope):
    return kit.acts(store, scope)


def link(store, scope, name):
    return next(x for x in kit.links(store, scope) if x.name == name)


def said(store, scope, name, act):
    return staging.found(staging.all_of(store, scope), link(store, scope, name).id, act.id if act else None)


def test_what_is_said_of_an_act_goes_before_what_is_said_of_all(store, scope, acts):
    brass = link(store, scope, "Brass 5")
    store.apply(staging.set_part(store, scope, brass, None, corners=((1.0, 2.0),)))
    store.apply(staging.set_part(store, scope, brass, acts[1], corners=((3.0, 4.0), (5.0, 6.0)), enters_min=4.0))
    assert said(store, scope, "Brass 5", acts[1]).corners == ((3.0, 4.0), (5.0, 6.0))
    assert said(store, scope, "Brass 5", acts[2]).corners == ((1.0, 2.0),)
    store.apply(staging.clear(store, scope, brass, acts[1]))
    assert said(store, scope, "Brass 5", acts[1]).corners == ((1.0, 2.0),)


def test_what_changes_in_an_act_keeps_the_rest_of_what_is_said_of_all(store, scope, acts):
    brass = link(store, scope, "Brass 5")
    store.apply(staging.set_part(store, scope, brass, None, corners=((1.0, 2.0),)))
    store.apply(staging.set_part(store, scope, brass, acts[2], leaves_min=30.0))
    mine = said(store, scope, "Brass 5", acts[2])
    assert (mine.corners, mine.leaves_min) == (((1.0, 2.0),), 30.0)
    assert said(store, scope, "Brass 5", acts[1]).leaves_min is None


def test_an_edit_is_undone(store, scope, acts):
    before = staging.all_of(store, scope)
    edit = staging.set_part(store, scope, link(store, scope, "Narrator"), acts[0], corners=((0.0, 3.0),))
    store.apply(edit)
    assert staging.all_of(store, scope) != before
    store.apply(edit.inverse())
    assert staging.all_of(store, scope) == before


@pytest.mark.parametrize(
    ("values", "told"),
    [({"enters_min": 30.0, "leaves_min": 10.0}, "before going off"), ({"enters_min": -1.0}, "before going off"),
     ({"corners": tuple((float(i), 0.0) for i in range(61))}, "at most 60")],
    ids=["leaves before entering", "enters before the act", "too many corners"],
)  # fmt: skip
def test_what_cannot_be_is_refused(store, scope, acts, values, told):
    with pytest.raises(Refusal, match=told):
        staging.set_part(store, scope, link(store, scope, "Narrator"), acts[0], **values)


def test_a_house_is_set_and_no_house_is_fuller_than_full(store, acts):
    store.apply(staging.set_house(acts[0], 40))
    assert store.get(Act, acts[0].id).house_percent == 40
    with pytest.raises(Refusal, match="100 %"):
        staging.set_house(acts[0], 101)


def test_a_plan_does_not_depend_on_how_full_the_house_is(store, scope, acts):
    store.apply(staging.set_house(acts[0], 5))
    assert plan.board_of(store, scope).stale == ()


def test_where_a_person_is_counts_for_all_that_they_wear(store, scope, acts):
    cast = stage.production(store, scope, demo_story.venue())
    by_name = {p.name: p for p in cast.players}
    parade, concert = ids.of(acts[1]), ids.of(acts[2])
    first, second = by_name["Lamp Choir 1"], by_name["Lamp Choir 8"]
    assert first.wearers[parade] == second.wearers[parade] != ""
    assert second.parts[parade].corners == first.parts[parade].corners
    assert second.parts[concert].enters_s == first.parts[concert].enters_s == 600.0
    assert by_name["Brass ear 1"].parts[parade].corners == by_name["Brass 1"].parts[parade].corners
    assert by_name["Lamp Choir 1"].parts[parade].off is not None


def test_the_house_of_each_act_is_rehearsed(store, scope, acts):
    store.apply(staging.set_house(acts[2], 70))
    assert [a.house for a in stage.production(store, scope, demo_story.venue()).acts] == [0.6, 1.0, 0.7]


def test_who_walks_about_is_said(store, scope):
    told = " ".join(stage.production(store, scope, demo_story.venue()).unknown)
    assert "for no place is said" in told
    assert "Narrator" not in told


def test_it_goes_with_its_link_and_with_its_act(store, scope, acts):
    brass, parade = link(store, scope, "Brass 2"), acts[1]
    edits = [kit.remove_links(store, [brass]), kit.remove_acts(store, scope, [parade])]
    store.apply(edits[0])
    assert all(s.link_id != brass.id for s in store.all(Staging))
    store.apply(edits[0].inverse())
    assert any(s.link_id == brass.id for s in store.all(Staging))
    store.apply(kit.remove_acts(store, scope, [parade]))
    assert all(s.act_id != parade.id for s in store.all(Staging))


def test_a_copy_of_a_show_has_its_own_places_and_at_another_site_none(store, scope):
    show = store.get(Show, scope.show)
    store.apply(shows.copy_show(store, show, store.get(Site, scope.site), "Again"))
    again = next(s for s in store.all(Show) if s.name == "Again")
    copies = store.all(Staging, show_id=again.id)
    assert len(copies) == len(staging.all_of(store, scope)) > 0
    own = {x.id for x in kit.links(store, replace(scope, show=again.id))}
    assert {s.link_id for s in copies} <= own
    other = next(s for s in store.all(Site) if s.id != scope.site and kit.acts and ground_of(store, s))
    store.apply(shows.copy_show(store, show, other, "Elsewhere"))
    elsewhere = next(s for s in store.all(Show) if s.name == "Elsewhere")
    assert store.all(Staging, show_id=elsewhere.id) == []
    store.apply(shows.remove_show(store, again))
    assert store.all(Staging, show_id=again.id) == []


def ground_of(store, site):
    from azven.work import ground

    return ground.zones_of(store, site.id)


def test_what_is_supposed_reads_as_if_it_had_been_done_and_the_book_stays(store, scope, acts):
    act, person = acts[0], store.all(Person, show_id=scope.show)[0]
    new = Act(id=store.reserve(), show_id=scope.show, name="Encore", position=9)
    edit = Edit("All at once", (*replace_record(act, replace(act, name="Begin")), *add(new)))
    then = Supposed(store, edit)
    assert [a.name for a in kit.acts(then, scope)] == ["Begin", *(a.name for a in acts[1:]), "Encore"]
    assert then.get(Act, new.id) == new
    assert then.get(Person, person.id) == person
    assert [w.id for w in then.all(Worn, person_id=person.id)] == [w.id for w in store.all(Worn, person_id=person.id)]
    assert [a.name for a in kit.acts(store, scope)] == [a.name for a in acts]
