"""Sidon sets: all sums of two members differ."""

from itertools import combinations, combinations_with_replacement

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf.coordinate import sidon

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
    with pytest.raises(ValueError, match="12 is not a prime"):
        family(12)
