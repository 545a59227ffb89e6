"""Bounds and proofs: never below what can be, reached where the shortest rulers are."""

from dataclasses import replace
from itertools import combinations, combinations_with_replacement

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from azven.rf.coordinate import Ceiling, ceiling_of, conflicts, coordinate
from azven.rf.coordinate.bound import bound, proof
from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.rules import Rules
from azven.rf.request import Blocked, Carrier, PlanRequest, Profile, Range, Request

BASE, STEP = 500_000_000, 25_000
A_MOMENT = 60_000  # units of work, well under a second
GUARDED = ["2a-b", "a+b-c", "3a-2b", "3a-b-c"]


def asked(count, length, spacing=25_000, two=25_000, three=25_000, holes=()):
    links = tuple(
        Request(
            id=f"l{i}", profile="p", zone="hall", ranges=(Range(BASE, BASE + STEP * length),), step_hz=STEP,
            origin_hz=0,
        )
        for i in range(count)
    )  # fmt: skip
    closed = tuple(Blocked(BASE + STEP * a, BASE + STEP * b, "tv") for a, b in holes)
    guards = {"2a-b": two, "a+b-c": three}
    return PlanRequest(profiles={"p": Profile(spacing, guards)}, zones=("hall",), requests=links, blocked=closed)


def most_by_trying(free, least, two, three):
    """The largest set of steps that keeps the rules, by going through all."""

    def fits(chosen):
        if any(b - a < least for a, b in combinations(chosen, 2)):
            return False
        for a, b, c in combinations(chosen, 3):
            if any(abs(2 * m - x - y) < two for m, x, y in ((a, b, c), (b, a, c), (c, a, b))):
                return False
        for a, b, c, d in combinations(chosen, 4):
            if any(abs(x) < three for x in (a + b - c - d, a + c - b - d, a + d - b - c)):
                return False
        return True

    best = 0

    def grow(chosen, rest):
        nonlocal best
        best = max(best, len(chosen))
        for i, step in enumerate(rest):
            if len(chosen) + len(rest) - i > best and fits([*chosen, step]):
                grow([*chosen, step], rest[i + 1 :])

    grow([], free)
    return best


@settings(max_examples=20)
@given(
    st.integers(8, 26), st.integers(1, 3), st.integers(1, 2), st.integers(1, 2),
    st.lists(st.tuples(st.integers(1, 24), st.integers(1, 5)), max_size=2),
)  # fmt: skip
def test_no_plan_exceeds_the_bound(length, least, two, three, cuts):
    holes = [(a, a + n) for a, n in cuts]
    request = asked(30, length, least * STEP, two * STEP, three * STEP, holes)
    grid = Grid(request)
    free = [x for x in range(length + 1) if not any(a <= x < b for a, b in holes)]
    best = most_by_trying(free, least, two, three)
    found = bound(grid, Rules(grid), max(best, 1))
    assert found is None or found >= best


@pytest.mark.parametrize(("marks", "length"), [(4, 6), (5, 11)])
def test_where_the_bound_is_reached_that_is_proved(marks, length):
    plan = coordinate(asked(marks + 3, length))
    assert len(plan.assignments) == marks
    assert plan.stats.bound == marks
    assert plan.stats.proof == "bound"


def test_nothing_is_said_where_nothing_is_known():
    plan = coordinate(asked(12, 60, three=0))
    assert (plan.stats.bound, plan.stats.proof) == (None, "all placed" if not plan.unplaced else None)
    mixed = asked(10, 40)
    other = Request(id="x", profile="p", zone="hall", ranges=(Range(BASE, BASE + STEP),), step_hz=STEP, origin_hz=0)
    grid = Grid(PlanRequest(**{**vars(mixed), "requests": (*mixed.requests, other)}))
    assert bound(grid, Rules(grid), 5) is None


def test_a_bound_far_above_what_was_found_is_not_told():
    grid = Grid(asked(60, 2_000))
    assert bound(grid, Rules(grid), 10) is None
    assert bound(grid, Rules(grid), 44) is not None


def test_what_has_no_step_even_alone_is_a_proof():
    plan = coordinate(asked(3, 0))
    assert len(plan.assignments) == 1
    assert plan.stats.proof == "no step"


@pytest.mark.parametrize(
    ("wanted", "attainable", "counts", "most", "expected"),
    [
        ((2, 3), (2, 3), (2, 3), None, "all placed"),
        ((2, 3), (2, 1), (2, 1), None, "no step"),
        ((2, 9), (2, 9), (2, 5), 7, "bound"),
        ((9, 9), (9, 9), (7, 0), 7, "bound"),
        ((9, 9), (9, 9), (6, 1), 7, None),
        ((2, 9), (2, 9), (2, 5), 8, None),
        ((2, 9), (2, 9), (2, 5), None, None),
    ],
)
def test_a_proof_goes_by_classes(wanted, attainable, counts, most, expected):
    assert proof(wanted, attainable, counts, most) == expected


def test_the_ceiling_of_a_plan_is_known_without_a_search():
    """Six links are two more than 11 steps hold; a plan of four is as good as any."""
    request = asked(6, 10)
    plan = coordinate(request)
    frequencies = {a.id: a.freq_hz for a in plan.assignments}
    assert ceiling_of(request, frequencies).bound in (None, 4, 5)
    assert ceiling_of(asked(4, 5), dict(list(frequencies.items())[:3])) == Ceiling(3, "bound")
    closed = asked(3, 40, holes=[(0, 41)])
    assert ceiling_of(closed, {}).proof == "no step"
    everyone = asked(4, 6)
    placed = {a.id: a.freq_hz for a in coordinate(everyone).assignments}
    assert ceiling_of(everyone, placed).proof == "all placed"


@settings(max_examples=60)
@example(5, 4, 0, {"2a-b": 50_000, "a+b-c": 25_000}, [])
@example(3, 5, 0, {"3a-b-c": 25_000}, [])
@example(1, 5, 0, {"a+b-c": 50_000}, [(-2, 6_586)])
@given(
    st.integers(0, 5), st.integers(2, 5), st.sampled_from([0, 1, 25_000, 50_000]),
    st.dictionaries(st.sampled_from(GUARDED), st.sampled_from([25_000, 50_000]), max_size=3),
    st.lists(st.tuples(st.integers(-2, 8), st.integers(-9_000, 9_000)), max_size=2),
)  # fmt: skip
def test_no_proof_and_no_bound_is_below_what_can_be(length, count, spacing, guards, foreign):
    """Also where two links may share a step, beside neighbours off the raster: every way to stand is gone through."""
    given_ = tuple(
        Carrier(id=f"g{i}", freq_hz=BASE + STEP * x + off, profile="p", zone="hall")
        for i, (x, off) in enumerate(foreign)
    )
    links = replace(asked(count, length), profiles={"p": Profile(spacing, guards)}, carriers=given_, effort=1)
    plan = coordinate(links, lambda done, _: done < A_MOMENT)

    def fits(steps):
        return not conflicts(links, {f"l{i}": BASE + STEP * x for i, x in enumerate(steps)})[0]

    stands = [steps for n in range(count + 1) for steps in combinations_with_replacement(range(length + 1), n)]
    most = max(len(steps) for steps in stands if fits(steps))
    assert plan.stats.proof is None or len(plan.assignments) == most
    assert plan.stats.bound is None or plan.stats.bound >= most
