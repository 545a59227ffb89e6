"""The exact search: as many as trying all finds, a proof only where it ended, rulers of shortest length."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.rf.test_bound import BASE, STEP, asked, most_by_trying

from azven.rf.coordinate import coordinate
from azven.rf.coordinate.effort import Effort
from azven.rf.coordinate.exact import prove
from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.search import Search
from azven.rf.request import Blocked, Carrier, PlanRequest, Profile, Range, Request

SHORTEST = {4: 6, 5: 11, 6: 17, 7: 25, 8: 34}
"""Rulers: marks and length (domain, section 2)."""


def searched(request: PlanRequest, limit: int = 40_000_000) -> Search:
    effort = Effort(limit=limit, time_limit_s=1e9, elapsed=lambda: 0.0, progress=lambda done, total: True)
    search = Search(Grid(request), effort)
    search.offer(search.first_fit())
    prove(search)
    return search


@pytest.mark.parametrize("marks", SHORTEST)
def test_shortest_rulers_are_found_and_shorter_ones_are_proved_not_to_be(marks):
    fits = searched(asked(marks, SHORTEST[marks]))
    assert fits.complete
    assert fits.proof == "all placed"
    short = searched(asked(marks, SHORTEST[marks] - 1))
    assert sum(short.best_counts) == marks - 1
    assert short.proof in ("bound", "exact")


@settings(max_examples=25)
@given(
    st.integers(8, 24), st.integers(1, 3), st.integers(1, 3), st.integers(0, 2),
    st.lists(st.tuples(st.integers(0, 20), st.integers(1, 5)), max_size=2),
)  # fmt: skip
def test_as_many_as_trying_all_finds(length, least, two, three, holes):
    closed = [(a, min(a + n, length + 1)) for a, n in holes if a <= length]
    request = asked(12, length, STEP * least, STEP * two, STEP * three, closed)
    free = [x for x in range(length + 1) if not any(a <= x < b for a, b in closed)]
    if not free:
        return
    search = searched(request)
    assert search.proof is not None
    assert sum(search.best_counts) == most_by_trying(free, least, two, three)


def with_other_rules() -> PlanRequest:
    links = tuple(
        Request(id=f"l{i}", profile="p", zone="hall", ranges=(Range(BASE, BASE + 20 * STEP),), step_hz=STEP,
                origin_hz=0, priority=1 + i % 2)
        for i in range(9)
    )  # fmt: skip
    guards = {"2a-b": STEP, "3a-2b": STEP, "3a-b-c": STEP}
    return PlanRequest(
        profiles={"p": Profile(2 * STEP, guards)}, zones=("hall",), requests=links,
        carriers=(Carrier(id="given", freq_hz=BASE + 7 * STEP, profile="p", zone="hall"),),
        blocked=(Blocked(BASE + 12 * STEP, BASE + 14 * STEP, "tv"),),
    )  # fmt: skip


def test_with_fifth_order_given_carriers_and_classes():
    search = searched(with_other_rules())
    assert search.proof == "exact"
    plan = coordinate(with_other_rules())
    assert len(plan.assignments) == sum(search.best_counts)
    assert plan.stats.proof == "exact"


def test_no_proof_where_the_work_ran_out():
    search = searched(asked(10, 54), limit=20_000)
    assert search.proof is None
    assert sum(search.best_counts) >= 8


def test_not_for_links_that_differ():
    request = with_other_rules()
    other = Request(id="ear", profile="q", zone="hall", ranges=request.requests[0].ranges, step_hz=STEP, origin_hz=0)
    mixed = PlanRequest(
        profiles={**request.profiles, "q": Profile(3 * STEP, {"2a-b": STEP})}, zones=("hall",),
        requests=(*request.requests, other), carriers=request.carriers, blocked=request.blocked,
    )  # fmt: skip
    search = searched(mixed)
    assert search.proof is None or search.complete
