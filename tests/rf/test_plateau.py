"""Plateau moves never break a rule, and find more than first fit where there is more."""

import random
from dataclasses import replace

import numpy as np
import pytest

from azven.rf.coordinate import conflicts
from azven.rf.coordinate.against import Against, too_large
from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.plateau import Plateau
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.state import build
from azven.rf.request import Carrier, PlanRequest, Profile, Range, Request


def asked(guard_hz: int = 50_000, count: int = 40, **changes) -> PlanRequest:
    profiles = {"voice": Profile(300_000, {"2a-b": guard_hz, **changes})}
    requests = tuple(
        Request(
            id=f"V {i:02}",
            profile="voice",
            zone="hall",
            ranges=(Range(500_000_000, 510_000_000),),
            step_hz=25_000,
            origin_hz=500_000_000,
            priority=1 + i % 3,
        )
        for i in range(count)
    )
    return PlanRequest(profiles=profiles, zones=("hall",), requests=requests)


def first_fit(grid: Grid) -> list[int]:
    state, steps = build(Rules(grid), grid.given), []
    kind = grid.kinds[0]
    while free := kind.open & ~state.closed[kind.tag]:
        steps.append((free & -free).bit_length() - 1)
        state.add(kind.tag, steps[-1])
    return steps


def moving_all(request: PlanRequest, start: list[int], seed: int) -> Plateau:
    grid = Grid(request)
    kind = grid.kinds[0]
    return Plateau(Rules(grid), kind.tag, kind.open, [], start, len(request.requests), random.Random(seed))


@pytest.mark.parametrize(
    "guards", [{}, {"guard_hz": 25_000}, {"a+b-c": 50_000}, {"3a-2b": 25_000}, {"3a-b-c": 25_000, "a+b-c": 25_000}]
)
def test_every_set_on_the_way_breaks_no_rule(guards):
    request = asked(**guards)
    grid = Grid(request)
    moving = moving_all(request, first_fit(grid), 1)
    lengths = []
    for _ in range(200):
        moving.move()
        standing = moving.standing()
        lengths.append(len(standing))
        frequencies = {r.id: grid.frequency(r, x) for r, x in zip(request.requests, standing, strict=False)}
        assert not conflicts(request, frequencies)[0]
    assert len(moving.best) == max(len(first_fit(grid)), *lengths)


def test_more_than_first_fit_finds():
    start = first_fit(Grid(asked()))
    moving = moving_all(asked(), start, 2)
    for _ in range(4_000):
        moving.move()
    assert len(moving.best) > len(start)


def test_no_more_than_were_asked_for():
    moving = moving_all(asked(count=5), [], 3)
    while not moving.full:
        moving.move()
    for _ in range(50):
        moving.move()
    assert len(moving.best) == 5


OTHERS = (
    Carrier(id="Foreign", freq_hz=503_012_000, profile="voice", zone="hall"),
    Carrier(id="Next room", freq_hz=505_000_000, profile="ear", zone="foyer"),
    Carrier(id="Ear", freq_hz=507_200_000, profile="ear", zone="hall", times=frozenset({"first"})),
    Carrier(id="Listener", freq_hz=508_300_000, profile="ear", zone="hall", radiates=False),
)


@pytest.mark.parametrize("seed", range(6))
def test_what_stands_against_a_step_is_what_closes_it(seed):
    """A step has no rule against it exactly where a state leaves it open, and a rule is counted for each that is in it,
    whoever stays beside the links that move."""
    request = asked(count=9, **{"a+b-c": 30_000, "3a-2b": 25_000, "3a-b-c": 20_000})
    ear = Profile(500_000, {"2a-b": 100_000, "a+b-c": 60_000})
    request = replace(
        request, carriers=OTHERS, profiles={**request.profiles, "ear": ear}, zones=("hall", "foyer"),
        relations={frozenset({"hall", "foyer"}): "together"},
    )  # fmt: skip
    grid = Grid(request)
    rules, kind, chance = Rules(grid), grid.kinds[0], random.Random(seed)
    counting = Against(rules, kind.tag, kind.open, [], 9)
    for _ in range(60):
        free = np.flatnonzero(counting.count == 0)
        if len(free) and (counting.at < 0).any() and chance.random() < 0.7:
            counting.add(int(chance.choice(free)))
        elif (counting.at >= 0).any():
            counting.remove(int(chance.choice(np.flatnonzero(counting.at >= 0))))
    standing = counting.at[counting.at >= 0].tolist()
    state = build(rules, [*grid.given, *((kind.tag, x) for x in standing)])
    left = kind.open & ~state.closed[kind.tag]
    assert [x for x in counting.steps.tolist() if left >> x & 1] == counting.steps[counting.count == 0].tolist()
    for slot in np.flatnonzero(counting.at >= 0):
        counting.remove(int(slot))
    assert not counting.count.any()
    assert not counting.share.any()


def test_what_would_fill_the_memory_is_not_counted():
    rules = Rules(Grid(asked(**{"3a-b-c": 25_000, "a+b-c": 25_000})))
    assert not too_large(rules, 5_000, 60, 20)
    assert too_large(rules, 5_000, 200, 200)
    assert too_large(rules, 200_000, 60, 0)
