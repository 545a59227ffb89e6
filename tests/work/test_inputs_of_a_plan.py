"""A plan knows what it was made from: whatever could break it is named when it changes, and nothing else is."""

import re
from dataclasses import replace

import pytest

from azven.book.edits import Edit, replace_record
from azven.book.records import Permit
from azven.rf.request import meet_in_time
from azven.work import ground, ids, kit, listen, plan
from azven.work.ground import next_door, permission
from azven.work.plan import history
from azven.work.plan.input import input_for
from azven.work.scope import opening as here
from naming import changes


def zone(store, i=0):
    return ground.zones(store, here(store))[i]


def link(store):
    return next(x for x in kit.links(store, here(store)) if x.name == "Narrator")


def model(store):
    return next(m for m in ground.models(store) if m.id == link(store).model_id)


def foreign(store):
    return next(n for n in ground.neighbours(store, here(store)) if n.kind == "neighbour")


def relation(store):
    return next(iter(ground.relations(store, here(store)).values()))


def unused_sweep(store):
    return listen.set_used(listen.sweeps(store, here(store))[0], False)


COUNTS = {
    "a neighbour comes": (lambda s: ground.add_neighbour(s, here(s), "Ferry", 510_000_000), "neighbour Ferry is new"),
    "a neighbour moves": (lambda s: ground.change(foreign(s), "m", freq_hz=511_000_000), "neighbour .* changed"),
    "a neighbour goes": (lambda s: ground.take_out(foreign(s), "g"), "neighbour .* is gone"),
    "a neighbour has hours": (lambda s: ground.change(foreign(s), "h", hours="19:00–20:00"), "neighbour .* changed"),
    "the density": (lambda s: plan.set_density(s, here(s), 4), "the density"),
    "the school": (lambda s: plan.set_school(s, here(s), "level"), "the school"),
    "the television guard": (lambda s: ground.set_site(s, here(s), "g", tv_guard_hz=300_000), "the rules"),
    "a sweep is set aside": (unused_sweep, "sweep .* is gone"),
    "a wall": (lambda s: ground.relate(s, here(s), zone(s, 0), zone(s, 1), "together"), "the walls between"),
    "what a link asks of its spectrum": (
        lambda s: kit.change_links(s, [link(s)], use_class="quiet"), "link Narrator changed",
    ),
    "a link's acts": (
        lambda s: kit.change_links(s, [link(s)], acts=(kit.acts(s, here(s))[0].id,)), "link Narrator changed"),
    "acts that touch": (lambda s: ground.change(kit.acts(s, here(s))[0], "t", touches_next=True), "act .* changed"),
    "a link's room": (lambda s: kit.change_links(s, [link(s)], zone_id=zone(s, 2).id), "link Narrator changed"),
    "a link set aside": (lambda s: kit.change_links(s, [link(s)], set_aside=True), "link Narrator changed"),
    "a link goes": (lambda s: kit.remove_links(s, [link(s)]), "link Narrator is gone"),
    "the spacing of a model": (lambda s: ground.change(model(s), "s", spacing_hz=600_000), "link .* changed"),
    "the power of a model": (lambda s: ground.change(model(s), "p", power_mw=100.0), "the power of .* changed"),
    "a licence": (
        lambda s: permission.add_permit(s, here(s), "licence", "EV-3", 470_000_000, 694_000_000, 10.0),
        "permit EV-3 is new",
    ),
}  # fmt: skip

DOES_NOT = {
    "a contact": lambda s: ground.change(foreign(s), "c", contact="deck hand"),
    "a note": lambda s: ground.change(foreign(s), "n", note="answers the phone"),
    "a performer": lambda s: kit.change_links(s, [link(s)], performer="The Mate"),
    "a unit's serial": lambda s: ground.change(kit.units(s, here(s))[0], "s", serial="0815"),
    "levels where spacing is judged": lambda s: ground.change(model(s), "l", iip3_dbm=-3.0, needed_db=25.0),
    "distances where spacing is judged": lambda s: ground.change(zone(s), "d", near_m=3.0, far_m=40.0),
    "an outline": lambda s: ground.change(zone(s), "o", height_m=9.0),
    "stations that are listed": lambda s: ground.set_stations(s, here(s), "22"),
    "another model": lambda s: kit.add_model(s, model(s), "Spare kind"),
}


@pytest.mark.parametrize("make", COUNTS.values(), ids=COUNTS)
def test_what_counts_is_named_and_forgotten_when_it_is_undone(store, make):
    change, words = make
    assert changes(store) == ()
    landed = store.apply(change(store))
    said = changes(store)
    assert any(re.search(words, phrase) for phrase in said), said
    assert plan.board_of(store, here(store)).stale
    store.apply(landed.inverse())
    assert changes(store) == ()


@pytest.mark.parametrize("change", DOES_NOT.values(), ids=DOES_NOT)
def test_what_cannot_break_a_plan_leaves_it_fresh(store, change):
    store.apply(change(store))
    assert changes(store) == ()
    assert plan.board_of(store, here(store)).stale == ()


def test_levels_and_distances_count_where_levels_are_judged(store):
    store.apply(plan.set_school(store, here(store), "level"))
    board = plan.board_of(store, here(store))
    store.apply(plan.set_frequencies(store, here(store), board.frequencies, "Again", complete=True))
    assert changes(store) == ()
    store.apply(ground.change(zone(store), "d", near_m=3.0))
    store.apply(ground.change(model(store), "l", iip3_dbm=-3.0))
    said = changes(store)
    assert f"room {zone(store).name} changed" in said
    assert "link Narrator changed" in said


def test_the_cap_of_a_licence_counts(store):
    store.apply(permission.add_permit(store, here(store), "licence", "EV-4", 470_000_000, 694_000_000, 50.0))
    store.apply(
        plan.set_frequencies(store, here(store), plan.board_of(store, here(store)).frequencies, "Again", complete=True)
    )
    assert changes(store) == ()
    (permit,) = store.all(Permit)
    store.apply(Edit("Cap", replace_record(permit, replace(permit, power_mw=5.0))))
    assert changes(store) == ("permit EV-4 changed",)
    assert plan.board_of(store, here(store)).count("broken") > 0


def test_a_plan_from_before_caps_counted_is_not_called_stale_for_them(store):
    made = history.plan_record(store, here(store))
    old = {key: digest for key, digest in made.inputs.items() if not key.startswith("power/")}
    store.apply(Edit("Older", replace_record(made, replace(made, inputs=old))))
    assert changes(store) == ()
    store.apply(ground.change(model(store), "p", power_mw=100.0))
    assert changes(store) == ()


def test_frequencies_for_next_door_make_a_plan_stale_like_any_neighbour(store):
    edit = next_door.keep(store, here(store), {"Ballroom 1": 655_000_000}, zone(store), "the ballroom's engineer")
    store.apply(edit)
    assert any("Ballroom 1 is new" in phrase for phrase in changes(store))


def test_links_of_acts_that_touch_keep_clear_of_one_another(store):
    """Two links of different acts never meet, but where the acts touch: then both may be on in the change."""
    first, second = kit.acts(store, here(store))[:2]
    one, other = [x for x in kit.links(store, here(store)) if not x.spare][:2]
    store.apply(kit.change_links(store, [one], acts=(first.id,)))
    store.apply(kit.change_links(store, [other], acts=(second.id,)))

    def meet() -> bool:
        asked = input_for(store, here(store), listen.picture(store, here(store))).request
        return meet_in_time(*(r.times for r in asked.requests if r.id in {ids.of(one), ids.of(other)}))

    assert not meet()
    landed = store.apply(ground.change(first, "touch", touches_next=True))
    assert meet()
    store.apply(landed.inverse())
    store.apply(ground.change(second, "touch the third", touches_next=True))
    assert not meet()


def test_a_neighbour_that_is_never_on_with_us_stays_away_from_changes(store):
    first = kit.acts(store, here(store))[0]
    store.apply(ground.change(first, "touch", touches_next=True))
    store.apply(ground.change(foreign(store), "h", hours="04:00–05:00"))
    asked = input_for(store, here(store), listen.picture(store, here(store))).request
    carrier = next(c for c in asked.carriers if c.id == ids.of(foreign(store)))
    assert not any(meet_in_time(carrier.times, r.times) for r in asked.requests if r.times)
