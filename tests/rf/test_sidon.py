"""Sidon sets: all sums of two members differ."""

from itertools import combinations, combinations_with_replacement

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf.coordinate import coordinate, sidon
from azven.rf.request import PlanRequest, Profile, Range, Request

PRIMES = [p for p in range(3, 60) if sidon.is_prime(p)]


@given(st.sampled_from(PRIMES), st.sampled_from(sidon.FAMILIES), st.data())
def test_multiplied_and_shifted_they_stay_sidon_sets(prime, family, data):
    make, modulus_of = family
    modulus = modulus_of(prime)
    m = data.draw(st.sampled_from(sidon.units(modulus)))
    shift = data.draw(st.integers(0, modulus))
    members = [(m * r + shift) % modulus for r in make(prime)]
    sums = [(a + b) % modulus for a, b in combinations_with_replacement(members, 2)]
    assert len(members) == len(set(members))
    assert len(set(sums)) == len(sums)


@pytest.mark.parametrize(("family", "size"), [(sidon.ruzsa, 12), (sidon.bose, 13), (sidon.singer, 14)])
def test_how_many_each_family_gives(family, size):
    assert len(family(13)) == size


def test_windows_fit_and_the_best_comes_first():
    found = sidon.windows(500, 5, 0, 6)
    assert all(w[0] == 0 and w[-1] < 500 and w == sorted(w) for w in found)
    assert len(found) == 6
    assert max(map(len, found)) >= 22


@given(st.lists(st.integers(0, 400), min_size=2, max_size=30, unique=True), st.integers(0, 8), st.integers(-1, 2))
def test_thinned_sets_break_no_rule(members, spacing, reach):
    left = sidon.thinned(np.array(members), spacing, reach).tolist()
    assert all(abs(a - b) > spacing for a, b in combinations(left, 2))
    assert not any(abs(2 * a - b - c) <= reach for a in left for b, c in combinations(left, 2) if a not in (b, c))
    assert set(left) <= set(members)


@pytest.mark.parametrize("family", [sidon.ruzsa, sidon.bose, sidon.singer])
def test_only_primes_make_sets(family):
    with pytest.raises(ValueError, match=r"12 is no(t a| power of a) prime"):
        family(12)


@pytest.mark.parametrize("q", [4, 8, 9, 16, 25, 27])
def test_singer_sets_of_powers_of_primes_have_every_difference_once(q):
    members, modulus = sidon.singer(q), q * q + q + 1
    assert len(members) == q + 1
    differences = {(a - b) % modulus for a in members for b in members if a != b}
    assert len(differences) == q * (q + 1)


SHORTEST = {
    11: 72, 12: 85, 14: 127, 17: 199, 18: 216, 19: 246, 20: 283, 21: 333, 22: 356, 23: 372, 24: 425, 25: 480, 26: 492,
    27: 553, 28: 585,
}  # fmt: skip
"""Shortest rulers known, marks to length (domain, section 2); 13, 15 and 16 are no stretch of such a set."""


@pytest.mark.parametrize(("marks", "length"), SHORTEST.items())
def test_rulers_are_the_shortest_that_are_known(marks, length):
    ruler = sidon.rulers(length, 1)[0]
    assert (len(ruler), ruler[0], ruler[-1]) == (marks, 0, length)
    differences = [b - a for i, a in enumerate(ruler) for b in ruler[i + 1 :]]
    assert len(set(differences)) == len(differences)


@pytest.mark.parametrize(("marks", "length"), [(8, 34), (10, 55), (12, 85), (18, 216), (28, 585)])
def test_a_published_span_is_filled(marks, length):
    """One guard on 2a-b and a+b-c, as wide as a step: the frequencies have to be a ruler."""
    top = 470_000_000 + 25_000 * length
    links = tuple(
        Request(id=f"l{i}", profile="p", zone="hall", ranges=(Range(470_000_000, top),), step_hz=25_000, origin_hz=0)
        for i in range(marks)
    )
    guards = {"2a-b": 25_000, "a+b-c": 25_000}
    asked = PlanRequest(profiles={"p": Profile(25_000, guards)}, zones=("hall",), requests=links)
    found = coordinate(asked)
    assert len(found.assignments) == marks
