"""Ideas from Plan, Chain and Reach: what there is, that it is only supposed, and what it does to a rehearsal."""

import time
from dataclasses import replace

import numpy as np
import pytest

from azven.book.edits import Edit
from azven.book.reading import Supposed
from azven.book.records import Antenna, Assignment, Design
from azven.refusal import Refusal
from azven.rf.diagnose.record import Incident
from azven.work import chain, demo_story, ground, ids, kit, plan, reach
from azven.work import rehearse as stage
from azven.work.rehearse import helping, ideas
from azven.work.scope import opening

VICTIM, FIRST, SECOND = "Lamp Choir 2", "Lamp Choir 3", "Lamp Choir 4"


@pytest.fixture
def scope(store):
    return opening(store)


@pytest.fixture
def broken(store, scope):
    """The demonstration with two links on one frequency."""
    at = {x.name: x for x in kit.links(store, scope)}
    other = plan.assignments(store, scope)[at[FIRST].id].freq_hz
    store.apply(plan.moved(store, scope, {ids.of(at[VICTIM]): other}, "Onto another link"))
    return store


def short(cast, act=2, seconds=40.0):
    begun = cast.acts[act]
    return replace(cast, acts=(replace(begun, to_s=begun.from_s + seconds),))


def product(cause="product", links=(VICTIM,), **detail):
    told = {"product": "2a-b", "sources": [FIRST, SECOND], "victim": VICTIM} | detail
    return Incident(from_s=5.0, to_s=9.0, links=links, cause=cause, detail=told, sure=0.9, evidence=("heard",))


def snapshot(store, scope):
    return store.snapshot(kit.units(store, scope))


def test_against_a_product_every_stage_has_something_to_say(broken, scope):
    made = ideas.against(product(), Supposed(broken, Edit("")), scope, plan.board_of(broken, scope))
    assert 3 <= len(made) <= ideas.AT_MOST
    assert made[0].title.startswith(f"Move {VICTIM} to ")
    assert {x.source for x in made} >= {"Plan", "Chain"}
    assert any(x.title.startswith(f"Move {FIRST} to ") for x in made)


def test_ideas_against_levels_are_of_antennas_and_gains(store, scope):
    made = ideas.against(product("shadow"), Supposed(store, Edit("")), scope, plan.board_of(store, scope))
    assert {x.source for x in made} == {"Chain", "Reach"}
    higher = next(x for x in made if "higher" in x.title)
    store.apply(higher.make(store))
    hall = next(z for z in ground.zones(store, scope) if z.name == "Rope Hall")
    assert {a.z_m for a in store.all(Antenna, zone_id=hall.id) if a.role == "receive"} == {5.0}
    with pytest.raises(Refusal, match="can go up"):
        reach.raised(store, hall, 2.0, 4.0)


def test_against_a_battery_or_a_stranger_s_link_nobody_has_an_idea(store, scope):
    board = plan.board_of(store, scope)
    assert ideas.against(product("battery"), Supposed(store, Edit("")), scope, board) == []
    assert ideas.against(product(links=("Nobody",), sources=["No one"]), Supposed(store, Edit("")), scope, board) == []


def test_against_noise_in_a_shared_band_another_channel_is_looked_for_and_no_antenna_of_the_system(store, scope):
    it = product("noise", ("Shanty guitar 1",), sources=[])
    made = ideas.against(it, Supposed(store, Edit("")), scope, plan.board_of(store, scope))
    assert {x.source for x in made} <= {"Plan"}


def test_an_idea_is_only_supposed_until_it_is_taken(broken, scope):
    before = broken.all(Assignment)
    snap = snapshot(broken, scope)
    idea = ideas.against(product(), Supposed(snap, Edit("")), scope, plan.board_of(broken, scope))[0]
    cast = stage.production(broken, scope, demo_story.venue())
    then = helping.supposed(snap, scope, cast, idea)
    freq = {p.name: p.freq_hz for p in cast.players}
    moved = {p.name for p in then.players if p.freq_hz != freq[p.name]}
    assert moved == {VICTIM}
    assert [x.freq_hz for x in then.head.links] == [p.freq_hz for p in then.players]
    assert broken.all(Assignment) == before
    broken.apply(idea.make(broken))
    assert broken.all(Assignment) != before


def test_what_helps_is_told_by_figures_over_the_same_seeds(broken, scope):
    cast = short(stage.production(broken, scope, demo_story.venue()))
    found = stage.rehearse(cast, (1, 2), cores=1)
    asked = []
    told = helping.helped(
        snapshot(broken, scope), scope, plan.board_of(broken, scope), found,
        lambda a, b: bool(asked.append(a)) or True, cores=1,
    )  # fmt: skip
    assert 0 < len(told) <= helping.WORST
    mine = next(h for h in told if VICTIM in h.trouble.incident.links)
    best = mine.tried[0]
    assert best.worth == "yes"
    assert best.helps
    assert best.after_s.p50 < 0.2 * best.before_s.p50
    assert best.all_after_s < best.all_before_s
    assert best.idea.source == "Plan"
    assert [x.after_s.p50 for x in mine.tried] == sorted(x.after_s.p50 for x in mine.tried)
    assert max(asked) == 100
    lost = np.median([x.dropout_s[[p.name for p in cast.players].index(VICTIM)] for x in found.outcomes])
    assert mine.trouble.lost_s == pytest.approx(lost, rel=0.5)


def test_looking_for_help_can_be_stopped(broken, scope):
    cast = short(stage.production(broken, scope, demo_story.venue()))
    found = stage.rehearse(cast, (1,), cores=1)
    board = plan.board_of(broken, scope)
    assert helping.helped(snapshot(broken, scope), scope, board, found, lambda a, b: False) == []
    played = helping.helped(snapshot(broken, scope), scope, board, found, lambda a, b: a < 30, cores=1)
    assert played == []


def test_other_plans_placements_and_gains_are_offered_once_they_are_there(store, scope):
    hall = next(z for z in ground.zones(store, scope) if z.name == "Rope Hall")
    titles = [x.title for x in ideas.variants(store, scope)]
    assert titles == ["Set gains of Three rooms, one rack"]
    store.apply(reach.copy_layout(store, hall, "A"))
    mine = next(x for x in kit.links(store, scope) if x.name == VICTIM)
    freq = plan.assignments(store, scope)[mine.id].freq_hz
    store.apply(plan.moved(store, scope, {ids.of(mine): freq + 600_000}, "Elsewhere"))
    found = {x.title: x for x in ideas.variants(store, scope)}
    assert "Placement B of Rope Hall" in found
    kept = next(x for title, x in found.items() if title.startswith("Plan “"))
    store.apply(kept.make(store))
    assert plan.assignments(store, scope)[mine.id].freq_hz == freq


def test_placements_change_places_and_come_back(store, scope):
    hall = next(z for z in ground.zones(store, scope) if z.name == "Rope Hall")
    store.apply(reach.copy_layout(store, hall, "A"))
    moved = next(a for a in store.all(Antenna, zone_id=hall.id, layout="B") if a.role == "receive")
    store.apply(reach.move(moved, y_m=30.0))
    store.apply(reach.take_layout(store, hall, "B"))
    assert store.get(Antenna, moved.id).layout == "A"
    assert {a.layout for a in store.all(Antenna, zone_id=hall.id)} == {"A", "B"}
    with pytest.raises(Refusal, match="no placement Q"):
        reach.take_layout(store, hall, "Q")


def test_two_shows_side_by_side_have_the_same_seeds(store, scope):
    snap = snapshot(store, scope)
    cast = short(stage.production(store, scope, demo_story.venue()), seconds=20.0)
    gains = next(x for x in ideas.variants(snap, scope) if x.source == "Chain")
    other = helping.instead(snap, scope, cast, gains)
    assert [s.antenna.front for s in other.sides] != [s.antenna.front for s in cast.sides]
    mine, theirs = stage.side_by_side([cast, other], (3, 4), cores=1)
    assert [x.seed for x in mine.outcomes] == [x.seed for x in theirs.outcomes] == [3, 4]
    alone = stage.rehearse(other, (3, 4), cores=1)
    assert all(np.array_equal(a.dropout_s, b.dropout_s) for a, b in zip(alone.outcomes, theirs.outcomes, strict=True))
    store.apply(gains.make(store))
    design = chain.read(chain.document_of(store.all(Design, site_id=scope.site)[0]))
    assert design.blocks == chain.read(chain.gains_set_in(chain.document_of(store.all(Design)[0]))[0]).blocks
    with pytest.raises(Refusal, match="like that already"):
        helping.instead(snapshot(store, scope), scope, cast, gains)


def test_looking_for_ideas_is_stopped_within_half_a_second(broken, scope):
    cast = short(stage.production(broken, scope, demo_story.venue()))
    found = stage.rehearse(cast, (1,), cores=1)
    board, book, stopped = plan.board_of(broken, scope), snapshot(broken, scope), []

    def go_on(done, total):
        if not stopped and time.monotonic() - begun > 0.3:
            stopped.append(time.monotonic())
        return not stopped

    begun = time.monotonic()
    assert helping.helped(book, scope, board, found, go_on) == []
    assert time.monotonic() - stopped[0] < 0.5
