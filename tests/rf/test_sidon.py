"""Sidon sets: all sums of two members differ."""

from itertools import combinations_with_replacement

import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf.coordinate import sidon

PRIMES = [p for p in range(3, 60) if sidon.is_prime(p)]


@given(st.sampled_from(PRIMES), st.data())
def test_multiplied_and_shifted_they_stay_sidon_sets(prime, data):
    modulus = prime * (prime - 1)
    m = data.draw(st.sampled_from(sidon.units(modulus)))
    shift = data.draw(st.integers(0, modulus))
    members = [(m * r + shift) % modulus for r in sidon.ruzsa(prime)]
    sums = [(a + b) % modulus for a, b in combinations_with_replacement(members, 2)]
    assert len(members) == len(set(members)) == prime - 1
    assert len(set(sums)) == len(sums)


def test_best_sets_are_the_least_crowded():
    sets = sidon.best_sets(500, 5, 1, 6)
    crowded = [(len(r) - sidon.crowding(r, m, 5, 1)) * min(500 / m, 1) for m, r in sets]
    assert crowded == sorted(crowded, reverse=True)
    assert sidon.crowding([0, 1, 10, 19], 100, 3, 0) == 1 + 1


def test_only_primes_make_sets():
    with pytest.raises(ValueError, match="12 is not a prime"):
        sidon.ruzsa(12)
