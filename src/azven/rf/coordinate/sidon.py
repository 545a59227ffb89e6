"""Sidon sets: integers whose pairwise sums all differ, so that no third-order product falls on a member.

Ruzsa's construction (I. Ruzsa, Solving a linear equation in a set of integers I, Acta Arithmetica 1993)
gives p − 1 residues modulo p(p − 1) for every prime p; multiplied by a unit and shifted they stay a Sidon set.
"""

from math import gcd, isqrt

import numpy as np


def is_prime(n: int) -> bool:
    return n > 1 and all(n % d for d in range(2, isqrt(n) + 1))


def ruzsa(p: int) -> list[int]:
    """The p − 1 residues for a prime p; ValueError for another number."""
    if not is_prime(p):
        raise ValueError(f"{p} is not a prime")
    root = _primitive_root(p)
    return [(p * i - (p - 1) * pow(root, i, p)) % (p * (p - 1)) for i in range(1, p)]


def _primitive_root(p: int) -> int:
    """Least generator of the multiplicative group modulo a prime."""
    factors = [d for d in range(2, p) if (p - 1) % d == 0 and is_prime(d)]
    return next(g for g in range(1, p) if all(pow(g, (p - 1) // d, p) != 1 for d in factors))


def primes_for(span: int) -> list[int]:
    """Primes whose modulus p(p − 1) lies from a little under `span` to a quarter over it."""
    return [p for p in range(3, isqrt(2 * span) + 3) if is_prime(p) and 0.85 * span <= p * (p - 1) <= 1.25 * span]


def units(modulus: int) -> list[int]:
    """Multipliers that keep a Sidon set modulo `modulus` one."""
    return [m for m in range(1, modulus) if gcd(m, modulus) == 1]


def crowding(residues: list[int], modulus: int, spacing: int, reach: int) -> int:
    """How many neighbours stand closer than `spacing`, and how many 2a − b fall within `reach` of a member.

    The fewer, the more members of the set survive other rules than the one it was made for.
    """
    x = np.sort(np.array(residues, np.int64))
    close = int(np.count_nonzero(np.diff(x) < spacing))
    away = np.sort(np.abs(x[:, None] - x[None, :]), axis=1)
    return close + int(np.count_nonzero(np.diff(away, axis=1) <= reach))


def best_sets(span: int, spacing: int, reach: int, keep: int) -> list[tuple[int, list[int]]]:
    """The `keep` Sidon sets with most members left in a window of `span`, as (modulus, residues), best first."""
    scored: list[tuple[float, int, list[int]]] = []
    for p in primes_for(span):
        modulus = p * (p - 1)
        base = ruzsa(p)
        for m in units(modulus):
            residues = [m * r % modulus for r in base]
            lost = crowding(residues, modulus, spacing, reach)
            scored.append((min(span / modulus, 1.0) * (p - 1 - lost), modulus, residues))
    scored.sort(key=lambda item: -item[0])
    return [(modulus, residues) for _, modulus, residues in scored[:keep]]
