"""Where sums of placed carriers are kept, so that a relation only ever meets members that all mix with one another.

Carriers of one group (room and times) mix with the same others. A bucket holds what belongs to a maximal clique of
groups that mix: whatever is in one bucket forms products with all that is in it. Where there would be too many cliques,
a bucket holds one group, or a pair of groups, instead. Maximal cliques: Bron and Kerbosch, Algorithm 457, CACM 1973.
"""

from collections.abc import Sequence
from dataclasses import dataclass

MOST_CLIQUES = 40


@dataclass(frozen=True, kw_only=True)
class Buckets:
    """By group: the buckets that its carriers go into (`single`); every bucket that a new carrier of the group joins,
    with the bucket of the pairs that this makes (`joins`); and by the groups of f and x, the buckets of singles and of
    pairs of which every member mixes with both (`seen`)."""

    single: tuple[tuple[int, ...], ...]
    joins: tuple[tuple[tuple[int, int], ...], ...]
    seen: tuple[tuple[tuple[tuple[int, ...], tuple[int, ...]], ...], ...]


def buckets(mixes: Sequence[Sequence[bool]], most: int = MOST_CLIQUES) -> Buckets:
    """Buckets for groups that mix as said, each with itself."""
    found = cliques(mixes, most)
    return _by_clique(len(mixes), found) if found is not None else _by_pair(mixes)


def cliques(mixes: Sequence[Sequence[bool]], most: int) -> list[frozenset[int]] | None:
    """The maximal sets of groups that all mix; None for more than `most`."""
    n = len(mixes)
    near = [{j for j in range(n) if j != i and mixes[i][j]} for i in range(n)]
    found: list[frozenset[int]] = []

    def grow(chosen: frozenset[int], candidates: set[int], done: set[int]) -> bool:
        if not candidates and not done:
            found.append(chosen)
            return len(found) <= most
        pivot = max(candidates | done, key=lambda v: len(near[v] & candidates))
        for v in sorted(candidates - near[pivot]):
            if not grow(chosen | {v}, candidates & near[v], done & near[v]):
                return False
            candidates = candidates - {v}
            done = done | {v}
        return True

    return found if n == 0 or grow(frozenset(), set(range(n)), set()) else None


def _by_clique(n: int, found: Sequence[frozenset[int]]) -> Buckets:
    of = [tuple(i for i, c in enumerate(found) if g in c) for g in range(n)]
    both = [[tuple(i for i, c in enumerate(found) if f in c and x in c) for x in range(n)] for f in range(n)]
    return Buckets(
        single=tuple(of),
        joins=tuple(tuple((b, b) for b in mine) for mine in of),
        seen=tuple(tuple((b, b) for b in row) for row in both),
    )


def _by_pair(mixes: Sequence[Sequence[bool]]) -> Buckets:
    n = len(mixes)
    pairs = {(g, h): n + i for i, (g, h) in enumerate((g, h) for g in range(n) for h in range(g, n) if mixes[g][h])}

    def seen(f: int, x: int) -> tuple[tuple[int, ...], tuple[int, ...]]:
        alone = [g for g in range(n) if mixes[f][g] and mixes[x][g]]
        together = [pairs[g, h] for g in alone for h in alone if g <= h and mixes[g][h]]
        return tuple(alone), tuple(together)

    return Buckets(
        single=tuple((g,) for g in range(n)),
        joins=tuple(tuple((h, pairs[min(g, h), max(g, h)]) for h in range(n) if mixes[g][h]) for g in range(n)),
        seen=tuple(tuple(seen(f, x) if mixes[f][x] else ((), ()) for x in range(n)) for f in range(n)),
    )
