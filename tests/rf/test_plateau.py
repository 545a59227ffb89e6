"""Plateau moves never break a rule, and find more than first fit where there is more."""

import random
from dataclasses import replace

import pytest

from azven.rf.coordinate import conflicts
from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.plateau import Plateau, suits
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


@pytest.mark.parametrize("guard_hz", [25_000, 50_000, 100_000])
def test_every_set_on_the_way_breaks_no_rule(guard_hz):
    request = asked(guard_hz)
    grid = Grid(request)
    moving = Plateau(grid, Rules(grid), first_fit(grid), random.Random(1))
    lengths = []
    for _ in range(400):
        moving.move()
        standing = moving._standing()
        lengths.append(len(standing))
        frequencies = {r.id: grid.frequency(r, x) for r, x in zip(request.requests, standing, strict=False)}
        assert not conflicts(request, frequencies)[0]
    assert len(moving.best) == max(len(first_fit(grid)), *lengths)


def test_more_than_first_fit_finds():
    grid = Grid(asked())
    start = first_fit(grid)
    moving = Plateau(grid, Rules(grid), start, random.Random(2))
    for _ in range(4_000):
        moving.move()
    assert len(moving.best) > len(start)


def test_no_more_than_were_asked_for():
    grid = Grid(asked(count=5))
    moving = Plateau(grid, Rules(grid), [], random.Random(3))
    while not moving.full:
        moving.move()
    assert len(moving.best) == 5


def test_only_links_of_one_shape_that_guard_pairs_suit():
    def suit(request: PlanRequest) -> bool:
        grid = Grid(request)
        return suits(grid, Rules(grid))

    request = asked()
    first, *rest = request.requests
    assert suit(request)
    assert not suit(asked(**{"a+b-c": 25_000}))
    assert not suit(asked(**{"3a-2b": 25_000}))
    assert not suit(replace(request, requests=(replace(first, ranges=(Range(500_000_000, 505_000_000),)), *rest)))
    assert not suit(
        replace(request, carriers=(Carrier(id="Neighbour", freq_hz=503_000_000, profile="voice", zone="hall"),))
    )
