"""A judgement may be carried over an edit only where nothing that it depends on has changed."""

from dataclasses import replace

import pytest

from azven.book.edits import Edit, replace_record
from azven.book.records import Model, Site, Zone
from azven.work import ground, kit, listen, plan
from azven.work.kit.bands import of_link
from azven.work.plan import board as boards
from azven.work.scope import opening as here
from naming import key


def link(store, name="Narrator"):
    return next(x for x in kit.links(store, here(store)) if x.name == name)


def changed(record, **values):
    return Edit("Change", replace_record(record, replace(record, **values)))


def of_a_model(store, **values):
    return changed(store.get(Model, link(store).model_id), **values)


MATTERS = {
    "moved": lambda s: plan.set_frequencies(s, here(s), {key(s, "Narrator"): 470_900_000}, "Move"),
    "priority": lambda s: kit.change_links(s, [link(s)], priority=4),
    "acts": lambda s: kit.change_links(s, [link(s)], acts=(kit.acts(s, here(s))[0].id,)),
    "set aside": lambda s: kit.change_links(s, [link(s)], set_aside=True),
    "room": lambda s: kit.change_links(s, [link(s)], zone_id=ground.zones(s, here(s))[-1].id),
    "neighbour": lambda s: ground.add_neighbour(s, here(s), "Ferry", 512_000_000),
    "density": lambda s: plan.set_density(s, here(s), 4),
    "school": lambda s: plan.set_school(s, here(s), "level"),
    "guard": lambda s: of_a_model(s, spacing_hz=900_000),
    "television": lambda s: changed(s.all(Site)[0], tv_guard_hz=900_000),
}
LEVELS = {
    "power": lambda s: of_a_model(s, power_mw=1.0),
    "distance": lambda s: changed(s.all(Zone)[0], near_m=1.0, far_m=90.0),
    "wearer": lambda s: kit.change_links(s, [link(s, "Brass 5"), link(s, "Lamp Choir 2")], performer="One person"),
}
NOTHING = {
    "name": lambda s: kit.change_links(s, [link(s)], name="Reader"),
    "room's name": lambda s: ground.rename_zone(s, ground.zones(s, here(s))[0], "Elsewhere"),
}


def judged_twice(store, edit):
    """The board after an edit, with and without what was known before, and how often it was judged for the first."""
    scope, picture = here(store), listen.picture(store, here(store))
    before = plan.board_of(store, scope, picture)
    store.apply(edit(store))
    picture = listen.picture(store, scope)
    calls = []
    real = boards.judge
    boards.judge = lambda *a: calls.append(1) or real(*a)
    try:
        carried = plan.board_from(store.snapshot(), scope, picture, before)
    finally:
        boards.judge = real
    return before, carried, plan.board_of(store, scope, picture), len(calls)


@pytest.mark.parametrize("what", MATTERS)
def test_what_matters_is_judged_anew(store, what):
    before, carried, fresh, calls = judged_twice(store, MATTERS[what])
    assert carried == fresh
    assert calls == 1
    assert not carried.asks_the_same(before)


@pytest.mark.parametrize("what", LEVELS)
def test_levels_matter_where_they_are_judged(store, what):
    shared = [x for x in kit.links(store, here(store)) if of_link(store, x).shared]  # judged by levels always
    store.apply(kit.remove_links(store, shared))
    before, carried, fresh, calls = judged_twice(store, LEVELS[what])
    assert (carried, calls) == (fresh, 0)
    assert carried.asks_the_same(before)
    store.apply(plan.set_school(store, here(store), "level"))
    back = {"power": lambda s: of_a_model(s, power_mw=50.0), "distance": lambda s: changed(s.all(Zone)[0], far_m=8.0),
            "wearer": lambda s: kit.change_links(s, [link(s, "Brass 5")], performer="Another")}  # fmt: skip
    before, carried, fresh, calls = judged_twice(store, back[what])
    assert (carried, calls) == (fresh, 1)
    assert not carried.asks_the_same(before)


@pytest.mark.parametrize("what", NOTHING)
def test_names_do_not_matter_and_are_the_new_ones_at_once(store, what):
    before, carried, fresh, calls = judged_twice(store, NOTHING[what])
    assert carried == fresh
    assert calls == 0
    assert carried.asks_the_same(before)


def test_a_lock_is_seen_though_nothing_is_judged(store):
    narrator = link(store)
    before, carried, fresh, calls = judged_twice(store, lambda s: plan.lock(s, here(s), narrator, True))
    assert (carried, calls) == (fresh, 0)
    assert carried.verdict(key(store, "Narrator")).locked
    assert not carried.asks_the_same(before)
