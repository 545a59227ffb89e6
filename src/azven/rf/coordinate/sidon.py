"""Sidon sets: integers whose pairwise sums all differ, so that no third-order product falls on a member.

Three constructions: Ruzsa's p − 1 residues modulo p(p − 1) (Solving a linear equation in a set of integers I, Acta
Arithmetica 1993) and the p of Bose and Chowla modulo p² − 1 (Theorems in the additive theory of numbers, Comment. Math.
Helv. 1962) for every prime p, and Singer's q + 1 modulo q² + q + 1 (A theorem in finite projective geometry, Trans. AMS
1938) for every power of a prime. Multiplied by a unit and shifted they stay Sidon sets.
"""

from collections.abc import Callable, Iterator
from functools import cache
from itertools import product
from math import gcd, isqrt

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]


def is_prime(n: int) -> bool:
    return n > 1 and all(n % d for d in range(2, isqrt(n) + 1))


def _power_of_prime(q: int) -> tuple[int, int]:
    """The prime and the exponent of a power of a prime; ValueError for another number."""
    primes = _factors(q)
    if len(primes) != 1:
        raise ValueError(f"{q} is no power of a prime")
    k = 1
    while primes[0] ** k < q:
        k += 1
    return primes[0], k


def _need_prime(p: int) -> None:
    if not is_prime(p):
        raise ValueError(f"{p} is not a prime")


def ruzsa(p: int) -> list[int]:
    """The p − 1 residues modulo p(p − 1) for a prime p; ValueError for another number."""
    _need_prime(p)
    root = next(g for g in range(1, p) if all(pow(g, (p - 1) // d, p) != 1 for d in _factors(p - 1)))
    return [(p * i - (p - 1) * pow(root, i, p)) % (p * (p - 1)) for i in range(1, p)]


def bose(p: int) -> list[int]:
    """The p residues modulo p² − 1 for a prime p: exponents a with gᵃ − g in the prime field, g a root of GF(p²)."""
    return [e for e, x in enumerate(_powers(p, 2, p * p - 1)) if x[1] == 1]


def singer(q: int) -> list[int]:
    """The q + 1 residues modulo q² + q + 1 for a prime, exponents of the line 1, g in GF(q³), or for a power of one,
    exponents of what has no trace in GF(q). ValueError for another number.
    """
    p, k = _power_of_prime(q)
    if k == 1:
        return [e for e, x in enumerate(_powers(p, 3, p * p + p + 1)) if x[2] == 0]
    every = list(_powers(p, 3 * k, p ** (3 * k) - 1))
    order = len(every)
    traces = np.array([[every[j * q**i % order] for i in range(3)] for j in range(3 * k)]).sum(axis=1) % p
    points = np.array(every[: q * q + q + 1])
    return [int(e) for e in np.flatnonzero(~(points @ traces % p).any(axis=1))]


def _powers(p: int, degree: int, count: int) -> Iterator[list[int]]:
    """The first powers of a primitive element g of GF(p^degree), as coefficients of 1, g, g², …"""
    _need_prime(p)
    low = next(x for x in _polynomials(p, degree) if _is_primitive(p, x))
    element = [1] + [0] * (degree - 1)
    for _ in range(count):
        yield element
        top = element[-1]
        element = [top * low[0] % p] + [(element[i - 1] + top * low[i]) % p for i in range(1, degree)]


def _polynomials(p: int, degree: int) -> Iterator[tuple[int, ...]]:
    """Coefficients (c0, c1, …) of x^degree = c0 + c1·x + …, those with few terms first."""
    tails = product(range(p), repeat=degree - 1)
    return ((c0, *reversed(tail)) for tail in tails for c0 in range(1, p))


def _is_primitive(p: int, low: tuple[int, ...]) -> bool:
    """Whether x has the full order modulo the polynomial."""
    order = p ** len(low) - 1
    return _is_one(p, low, order) and not any(_is_one(p, low, order // d) for d in _factors(order))


def _is_one(p: int, low: tuple[int, ...], exponent: int) -> bool:
    """Whether x to a power is 1 modulo the polynomial."""
    degree = len(low)
    result, base = [1] + [0] * (degree - 1), [0, 1] + [0] * (degree - 2)
    while exponent:
        if exponent & 1:
            result = _times(p, low, result, base)
        base = _times(p, low, base, base)
        exponent >>= 1
    return result == [1] + [0] * (degree - 1)


def _times(p: int, low: tuple[int, ...], a: list[int], b: list[int]) -> list[int]:
    degree = len(low)
    out = [0] * (2 * degree - 1)
    for i, x in enumerate(a):
        for j, y in enumerate(b):
            out[i + j] += x * y
    for k in range(2 * degree - 2, degree - 1, -1):
        top = out[k]
        for i, c in enumerate(low):
            out[k - degree + i] += top * c
    return [x % p for x in out[:degree]]


def _factors(n: int) -> list[int]:
    """Prime factors, each once."""
    out, d = [], 2
    while d * d <= n:
        if n % d == 0:
            out.append(d)
            while n % d == 0:
                n //= d
        d += 1
    return [*out, n] if n > 1 else out


FAMILIES: tuple[tuple[Callable[[int], list[int]], Callable[[int], int]], ...] = (
    (ruzsa, lambda p: p * (p - 1)),
    (bose, lambda p: p * p - 1),
    (singer, lambda p: p * p + p + 1),
)
"""Construction and modulus."""
_LARGEST_FIELD = 25_000
"""Elements of the fields of prime powers that are worked out."""
_WIDEST = 2.0
_MOST_IN_RULER = 40


def units(modulus: int) -> list[int]:
    """Multipliers that keep a Sidon set modulo `modulus` one."""
    return [m for m in range(1, modulus) if gcd(m, modulus) == 1]


def windows(
    span: int, spacing: int, reach: int, keep: int, stop: Callable[[], bool] = lambda: False, families: int = 3,
    tried: int | None = None,
) -> list[list[int]]:  # fmt: skip
    """The `keep` stretches of Sidon sets that fit in `span` with most members left, each ascending from 0.

    Over all moduli from a little under `span` to a third over it, all multipliers and all places to begin. Members
    are counted lost where neighbours stand closer than `spacing` or 2a − b falls within `reach` of a member. `stop`
    ends the search early, with what it has; `tried` bounds the multipliers looked at for each set.
    """
    scored: list[tuple[float, int, list[int]]] = []
    for make, modulus_of in FAMILIES[:families]:
        for p in range(3, isqrt(2 * span) + 3):
            modulus = modulus_of(p)
            if not (is_prime(p) and 0.85 * span <= modulus <= 1.33 * span):
                continue
            base = np.array(make(p), np.int64)
            multipliers = [m for m in units(modulus) if 2 * m <= modulus]  # the others give mirror images of these
            for m in multipliers[:: -(-len(multipliers) // tried) if tried else 1]:
                if stop():
                    break
                score, found = _best_window(np.sort(m * base % modulus), modulus, span, spacing, reach)
                scored.append((score, len(scored), found))
    scored.sort(key=lambda item: (-item[0], item[1]))
    return [found for _, _, found in scored[:keep]]


@cache
def _cyclic(family: int, q: int) -> NDArray[np.int64]:
    return np.array(FAMILIES[family][0](q), np.int64)


def rulers(span: int, keep: int, stop: Callable[[], bool] = lambda: False) -> list[list[int]]:
    """The `keep` stretches of Bose–Chowla and Singer sets of length `span` at most with most members, the shortest
    first among equals, each ascending from 0. From 11 members to 28 these are the shortest rulers known, but for 13, 15
    and 16 (lengths: domain, section 2).

    Over all moduli from `span` to twice that, all multipliers and all places to begin; of sets up to forty members.
    """
    found: dict[tuple[int, ...], None] = {}
    for family in (1, 2):
        modulus_of = FAMILIES[family][1]
        for q in range(3, isqrt(2 * span) + 3):
            modulus = modulus_of(q)
            if not span <= modulus <= _WIDEST * span or q > _MOST_IN_RULER or not _is_field(family, q):
                continue
            base = _cyclic(family, q)
            for m in (m for m in units(modulus) if 2 * m <= modulus):
                if stop():
                    break
                found[_longest(np.sort(m * base % modulus), modulus, span)] = None
    return [list(s) for s in sorted(found, key=lambda s: (-len(s), s[-1], s))[:keep]]


def _is_field(family: int, q: int) -> bool:
    if is_prime(q):
        return True
    return family == 2 and len(_factors(q)) == 1 and q**3 <= _LARGEST_FIELD


def _longest(members: Ints, modulus: int, span: int) -> tuple[int, ...]:
    """The stretch of a cyclic set with most members no more than `span` apart, the shortest of them."""
    n = len(members)
    twice = np.concatenate([members, members + modulus])
    ends = np.searchsorted(twice, members + span, side="right")
    counts = np.minimum(ends - np.arange(n), n)
    most = int(counts.max())
    begins = np.flatnonzero(counts == most)
    best = int(begins[np.argmin(twice[begins + most - 1] - twice[begins])])
    return tuple((twice[best : best + most] - twice[best]).tolist())


def _best_window(members: Ints, modulus: int, span: int, spacing: int, reach: int) -> tuple[float, list[int]]:
    """The stretch of a cyclic set with most members left, and how many."""
    n = len(members)
    twice = np.concatenate([members, members + modulus])
    ends = np.searchsorted(twice, members + span, side="left")
    close = np.concatenate([[0], np.cumsum(np.diff(twice) < spacing)])
    lost = close[np.maximum(ends - 1, 0)] - close[np.arange(n)]
    away = np.sort(np.abs(twice[:, None] - twice[None, n // 2 : n // 2 + n]), axis=0)
    crowded = float(np.count_nonzero(np.diff(away, axis=0) <= reach)) / 2
    counts = ends - np.arange(n) - lost
    best = int(np.argmax(counts))
    stretch = twice[best : ends[best]]
    return float(counts[best]) - crowded * span / modulus / 2, (stretch - stretch[0]).tolist()


def thinned(steps: Ints, spacing: int, reach: int) -> Ints:
    """Members (n,) left when whoever stands in most of the forbidden pairs and triples is taken out in turn.

    Forbidden: two members no more than `spacing` apart, and 2a − b no more than `reach` from a third.
    """
    steps = np.sort(steps)
    apart = np.abs(steps[:, None] - steps[None, :])
    np.fill_diagonal(apart, np.iinfo(np.int64).max)
    centre, left, right = np.nonzero(
        np.abs(2 * steps[:, None, None] - steps[None, :, None] - steps[None, None, :]) <= reach
    )
    real = (left < right) & (centre != left) & (centre != right) & (reach >= 0)
    triples = np.stack([centre[real], left[real], right[real]], axis=1)
    alive = np.ones(len(steps), bool)
    while True:
        standing = triples[alive[triples].all(axis=1)]
        count = np.bincount(standing.ravel(), minlength=len(steps))
        harm = ((apart <= spacing) & alive[None, :]).sum(axis=1)
        total = np.where(alive, count + 3 * harm, 0)
        if not total.any():
            return np.asarray(steps[alive])
        alive[int(np.argmax(total))] = False
