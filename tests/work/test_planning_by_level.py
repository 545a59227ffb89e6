"""Planning in the level schools, as the Plan stage asks for it: mend, add, hold what is locked."""

import pytest

from azven.book.records import Show
from azven.work import ground, plan
from azven.work.plan import search
from azven.work.scope import opening as here
from naming import key


@pytest.fixture
def crowded(store):
    """The demonstration judged by level, where the room is small and a product falls on a link."""
    board = plan.board_of(store, here(store))
    at = board.frequencies
    product = 2 * at[key(board, "Lamp Choir 2")] - at[key(board, "Lamp Choir 1")]
    store.apply(plan.set_frequencies(store, here(store), {key(store, "Lamp Choir 3"): product}, "On a product"))
    hall = ground.zones(store, here(store))[0]
    store.apply(ground.change(hall, "Close to the antenna", near_m=1.0, between_m=0.3))
    store.apply(plan.set_school(store, here(store), "level"))
    return store


def never(done, total):
    return True


def test_what_levels_find_in_danger_is_mended_and_the_answer_says_why(crowded):
    before = plan.board_of(crowded, here(crowded))
    danger = [v.id for v in before.verdicts if v.state == "broken"]
    assert danger
    mended = search.mend(before, never, lambda: 0.0)
    assert mended.moves
    assert {m.cause for m in mended.moves} <= {"level", "not allowed"}
    crowded.apply(plan.adopt(crowded, here(crowded), mended.plan, "Mend broken", {}))
    after = plan.board_of(crowded, here(crowded))
    assert after.count("broken") < len(danger)


def test_a_locked_link_stays_in_the_level_schools_too(crowded):
    board = plan.board_of(crowded, here(crowded))
    verdict = board.verdict(key(board, "Lamp Choir 3"))
    crowded.apply(plan.lock(crowded, here(crowded), verdict.link, True))
    mended = search.mend(plan.board_of(crowded, here(crowded)), never, lambda: 0.0)
    assert verdict.id not in {m.id for m in mended.moves}
    assert verdict.id not in {a.id for a in mended.plan.assignments}


def test_adding_by_level_moves_nobody(store):
    store.apply(plan.set_school(store, here(store), "both"))
    board = plan.board_of(store, here(store))
    gone = plan.assignments(store, here(store))[board.verdict(key(board, "Brass 4")).link.id]
    store.apply(ground.take_out(gone, "Out"))
    found = search.add_missing(plan.board_of(store, here(store)), never, lambda: 0.0)
    assert {a.id for a in found.assignments} == {key(board, "Brass 4")}
    assert store.all(Show)[0].school == "both"
