"""Gear that only knows group tables: one room, one group, chosen with the whole plan."""

import time

import pytest

from azven.book.records import Model, Relation
from azven.rf.request import Profile, Range
from azven.work import ground, kit, plan
from azven.work.kit import group_gear
from azven.work.plan import in_groups, search
from azven.work.reasons import panel
from azven.work.scope import opening as here


@pytest.fixture
def guided(store):
    """Links of gear with groups in two rooms of the demonstration."""
    model = next(m for m in store.all(Model) if m.only_groups)
    hall, quay, _ = ground.zones(store, here(store))
    for name, count, room in (("Guide 1", 4, hall), ("Quay guide 1", 3, quay)):
        store.apply(kit.add_links(store, here(store), name, count, model, model.bands[0][0], room, priority=2))
    return store


def plan_all(store):
    board = plan.board_of(store, here(store))
    begun = time.monotonic()
    found = search.plan_all(board, lambda *_: True, lambda: time.monotonic() - begun, effort=1)
    frequencies = {a.id: a.freq_hz for a in found.assignments}
    store.apply(plan.set_frequencies(store, here(store), frequencies, "Plan all", complete=True))
    return plan.board_of(store, here(store))


def groups_used(board):
    return [
        {s.group_of(board.frequencies[m]) for m in s.links if m in board.frequencies} for s in board.input.group_sets
    ]


def test_each_room_is_on_one_group_beside_everybody_else(guided):
    board = plan_all(guided)
    assert [len(used) for used in groups_used(board)] == [1, 1]
    assert board.count("broken") == 0
    assert sum(len(s.links) for s in board.input.group_sets) == 7


def test_rooms_that_are_together_share_one(guided):
    hall, quay, _ = ground.zones(guided, here(guided))
    guided.apply(ground.relate(guided, here(guided), hall, quay, "together"))
    board = plan_all(guided)
    (used,) = groups_used(board)
    assert len(used) == 1
    assert any(r.relation == "together" for r in guided.all(Relation))


def test_a_link_on_another_group_than_its_room_is_broken_and_says_why(guided):
    board = plan_all(guided)
    first = board.input.group_sets[0]
    link = next(m for m in first.links if m in board.frequencies)
    other = next(g for g in first.table if g != first.group_of(board.frequencies[link]))
    guided.apply(plan.set_frequencies(guided, here(guided), {link: min(first.table[other])}, "mix"))
    board = plan.board_of(guided, here(guided))
    assert board.verdict(link).state == "broken"
    assert "its room is on group" in panel.sentence(board, board.verdict(link))
    mended = search.mend(board, lambda *_: True, lambda: 0.0)
    after = {a.id: a.freq_hz for a in mended.plan.assignments}
    assert len({first.group_of(after[m]) for m in first.links if m in after}) == 1


def test_steps_between_the_groups_are_not_offered(guided):
    board = plan.board_of(guided, here(guided))
    first = board.input.group_sets[0]
    known = {f for freqs in first.table.values() for f in freqs}
    assert set(panel.lane_of(board, first.links[0]).free.tolist()) <= known


def test_what_is_added_keeps_to_the_group_of_its_room(guided):
    board = plan_all(guided)
    first = board.input.group_sets[0]
    group = groups_used(board)[0]
    keep = {k: f for k, f in board.frequencies.items() if k not in first.links[1:]}
    guided.apply(plan.set_frequencies(guided, here(guided), keep, "fewer", complete=True))
    board = plan.board_of(guided, here(guided))
    found = search.add_missing(board, lambda *_: True, lambda: 0.0)
    after = {a.id: a.freq_hz for a in found.assignments}
    assert {first.group_of(after[m]) for m in first.links[1:] if m in after} <= group


def test_a_locked_link_decides_for_its_room(guided):
    board = plan_all(guided)
    first = board.input.group_sets[0]
    link = next(m for m in first.links if m in board.frequencies)
    other = next(g for g in first.table if g != first.group_of(board.frequencies[link]))
    guided.apply(plan.set_frequencies(guided, here(guided), {link: sorted(first.table[other])[1]}, "elsewhere"))
    guided.apply(plan.lock(guided, here(guided), board.input.links[link], True))
    assert groups_used(plan_all(guided))[0] == {other}


def test_off_the_step_of_the_model_groups_have_their_own_raster(guided):
    model = next(m for m in guided.all(Model) if m.only_groups)
    edit, _ = group_gear.set_groups(model, {"1": (518_312_500, 520_112_500, 522_912_500)})
    guided.apply(edit)
    board = plan_all(guided)
    used = {board.frequencies[m] for s in board.input.group_sets for m in s.links if m in board.frequencies}
    assert used
    assert used <= {518_312_500, 520_112_500, 522_912_500}


def test_the_rule_is_most_free_channels_then_the_first():
    from azven.rf.request import Carrier, PlanRequest, Request

    wish = Request(id="a", profile="p", zone="z", ranges=(Range(500_000_000, 510_000_000),), step_hz=100_000)
    taken = Carrier(id="n", freq_hz=501_000_000, profile="p", zone="z", radiates=False)
    request = PlanRequest(profiles={"p": Profile(300_000)}, zones=("z",), requests=(wish,), carriers=(taken,))
    table = {
        "1": frozenset({501_000_000, 503_000_000}), "2": frozenset({504_000_000, 506_000_000}),
        "3": frozenset({507_000_000, 509_000_000}),
    }  # fmt: skip
    found = in_groups.by_rule(request, [in_groups.GroupSet("m", ("a",), table)], {})
    assert {r.low_hz for r in found.requests[0].allowed} == {504_000_000, 506_000_000}
