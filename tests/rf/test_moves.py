"""Moves: all of the work is used, plans repeat, and no kind of move ever breaks or loses anything."""

import pytest

from azven.rf.coordinate import conflicts, coordinate
from azven.rf.coordinate.effort import WORK, Effort
from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.moves import Moves
from azven.rf.coordinate.search import Search
from azven.rf.coordinate.starts import begin
from azven.rf.request import Carrier, PlanRequest, Profile, Range, Request

BAND = (Range(500_000_000, 512_000_000),)


def asked(count: int = 34, **more) -> PlanRequest:
    """A crowded evening: two sorts of links in three acts and two rooms, a neighbour off the raster."""
    acts = (frozenset(), frozenset({"first"}), frozenset({"second"}), frozenset({"first", "third"}))
    links = tuple(
        Request(
            id=f"l{i:02}", profile=("voice", "ear")[i % 2], zone=("hall", "foyer")[i % 3 == 2], ranges=BAND,
            step_hz=25_000, origin_hz=0, priority=1 + i % 3, times=acts[i % 4],
        )
        for i in range(count)
    )  # fmt: skip
    profiles = {
        "voice": Profile(350_000, {"2a-b": 75_000, "a+b-c": 25_000}),
        "ear": Profile(450_000, {"2a-b": 100_000, "3a-2b": 25_000}),
    }
    return PlanRequest(
        profiles=profiles, zones=("hall", "foyer"), requests=links, effort=1,
        relations={frozenset({"hall", "foyer"}): "together"},
        carriers=(Carrier(id="ferry", freq_hz=506_011_000, profile="ear", zone="hall"),), **more,
    )  # fmt: skip


def begun(request: PlanRequest, limit: int = WORK[1]) -> Search:
    effort = Effort(limit=limit, time_limit_s=1e9, elapsed=lambda: 0.0, progress=lambda done, total: True)
    search = Search(Grid(request), effort)
    begin(search)
    return search


def clean(search: Search) -> bool:
    grid = search.grid
    left = {k: list(kind.members) for k, kind in enumerate(grid.kinds)}
    frequencies = {}
    for k, x in search.best:
        link = grid.request.requests[left[k].pop()]
        frequencies[link.id] = grid.frequency(link, x)
    return len(frequencies) == len(search.best) and not conflicts(grid.request, frequencies)[0]


def test_a_plan_that_is_not_proved_uses_all_of_its_work():
    told = []
    found = coordinate(asked(), progress=lambda done, total: not told.append((done, total)))
    assert found.unplaced
    assert found.stats.proof is None
    assert told[-1][0] > 0.95 * told[-1][1]


@pytest.mark.parametrize("seed", [1, 2])
def test_a_plan_repeats_whatever_the_clock_says(seed):
    plans = [coordinate(asked(seed=seed), elapsed=lambda slow=slow: slow) for slow in (0.0, 0.5)]
    assert plans[0].assignments == plans[1].assignments


@pytest.mark.parametrize("kind", range(5))
def test_no_kind_of_move_loses_or_breaks_anything(kind):
    search = begun(asked(), 20_000_000)
    moves = Moves(search)
    for _ in range(8):
        before = search.best_counts
        moves._kinds[kind].do()
        assert search.best_counts >= before
        assert clean(search)


def test_moves_find_more_than_what_they_begin_with():
    search = begun(asked(), 3_000_000)
    before = search.best_counts
    Moves(search).run(search.effort.limit)
    assert search.best_counts > before
    assert clean(search)


def test_moves_end_where_they_are_told_to():
    search = begun(asked(), 50_000_000)
    before = search.effort.spent
    Moves(search).run(before + 300_000)
    assert 0.9 * 300_000 < search.effort.spent - before < 900_000
