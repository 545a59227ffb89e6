"""What a set of carriers breaks and what it keeps: hits, clashes and margins (domain.md section 2)."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import chain

import numpy as np
from numpy.typing import NDArray

from azven.rf.products import Found, Ints, Situation, near, nearest
from azven.rf.request import KINDS

_FAR = np.int64(1) << 60


@dataclass(frozen=True, kw_only=True)
class Hit:
    """A product closer to its victim than the victim's guard [Hz]; sources in the order of the formula."""

    victim: str
    kind: str
    product_hz: int
    sources: tuple[str, ...]
    coefficients: tuple[int, ...]
    distance_hz: int


@dataclass(frozen=True)
class Clash:
    """Two carriers closer together than the larger of their spacings [Hz]."""

    ids: tuple[str, str]
    distance_hz: int
    spacing_hz: int


@dataclass(frozen=True)
class Limit:
    """What sets a margin: a product kind with its sources, or `spacing` with the other carrier."""

    kind: str
    product_hz: int | None
    sources: tuple[str, ...]


@dataclass(frozen=True)
class Margin:
    """Distance left to the nearest broken rule [Hz], negative when broken; None when nothing limits."""

    margin_hz: int | None
    limit: Limit | None


class Hits:
    """Hits in the order of the kinds, kept as columns: each is made when it is read, for there may be 100 000."""

    def __init__(self, situation: Situation, found: Sequence[tuple[str, Found]]) -> None:
        self._situation = situation
        self._found = found

    def __len__(self) -> int:
        return sum(len(part.victim) for _, part in self._found)

    def __iter__(self) -> Iterator[Hit]:
        names = np.array(self._situation.ids, object)
        for kind, found in self._found:
            distance = np.abs(found.product - self._situation.freq[found.victim])
            columns = (names[found.victim], found.product, names[found.sources], distance)
            for victim, product, sources, away in zip(*(c.tolist() for c in columns), strict=True):
                yield Hit(
                    victim=victim,
                    kind=kind,
                    product_hz=product,
                    sources=tuple(sources),
                    coefficients=found.coefficients,
                    distance_hz=away,
                )

    def split(self, carriers: NDArray[np.bool_]) -> tuple["Hits", "Hits"]:
        """Hits in which one of the marked carriers (n,) takes part, and the others."""
        marked = [carriers[f.victim] | carriers[f.sources].any(axis=1) for _, f in self._found]
        mine = [(kind, f.rows(keep)) for (kind, f), keep in zip(self._found, marked, strict=True)]
        rest = [(kind, f.rows(~keep)) for (kind, f), keep in zip(self._found, marked, strict=True)]
        return Hits(self._situation, mine), Hits(self._situation, rest)


@dataclass(frozen=True)
class Conflicts:
    """Broken rules: clashes, then hits."""

    clashes: Sequence[Clash]
    hits: Hits

    def __len__(self) -> int:
        return len(self.clashes) + len(self.hits)

    def __iter__(self) -> Iterator[Hit | Clash]:
        return chain(self.clashes, self.hits)


def hits(situation: Situation) -> Hits:
    """All hits, in the order of the kinds."""
    found = [(kind, part) for kind in KINDS for part in near(situation, kind, situation.guard[kind] - 1)]
    return Hits(situation, found)


def harmed_by(situation: Situation, carrier_id: str) -> set[str]:
    """Carriers hit by a product, or clashing, in which the named carrier takes part; itself included when it is."""
    own = situation.index(carrier_id)
    victims: set[int] = set()
    for kind in KINDS:
        radius = situation.guard[kind] - 1
        for found in near(situation, kind, radius, own):
            victims.update(found.victim.tolist())
        alone = np.full_like(radius, -1)
        alone[own] = radius[own]
        if any(len(found.victim) for found in near(situation, kind, alone)):
            victims.add(own)
    close = np.flatnonzero(
        situation.meets[own] & (np.abs(situation.freq - situation.freq[own]) < situation.apart_hz[own])
    )
    victims.update(close.tolist(), [own] if len(close) else [])
    return {situation.ids[v] for v in victims}


def involvement(situation: Situation) -> Ints:
    """In how many hits and clashes each carrier takes part, as victim or as source (n,)."""
    n = len(situation.ids)
    count = np.zeros(n, np.int64)
    for kind in KINDS:
        for found in near(situation, kind, situation.guard[kind] - 1):
            count += np.bincount(found.victim, minlength=n) + np.bincount(found.sources.ravel(), minlength=n)
    for clash in clashes(situation):
        for name in clash.ids:
            count[situation.index(name)] += 1
    return count


def clashes(situation: Situation) -> list[Clash]:
    """Pairs that meet and are closer than they have to stay."""
    distance = np.abs(situation.freq[:, None] - situation.freq[None, :])
    spacing = situation.apart_hz
    rows, columns = np.nonzero(np.triu(situation.meets & (distance < spacing)))
    return [
        Clash((situation.ids[i], situation.ids[j]), int(distance[i, j]), int(spacing[i, j]))
        for i, j in zip(rows.tolist(), columns.tolist(), strict=True)
    ]


def margins(situation: Situation, only: Sequence[str] | None = None) -> dict[str, Margin]:
    """Margin of every carrier, or of those in `only`, with the limit that sets it (domain.md section 2).

    Ties go to the earlier kind of `KINDS`, spacing last, then to the sources by id.
    """
    best, limits = _spacing_margins(situation)
    wanted = range(len(situation.ids)) if only is None else [situation.index(i) for i in only]
    tightened = np.full_like(best, _FAR)
    tightened[list(wanted)] = best[list(wanted)]
    for kind in KINDS:
        _tighten(situation, kind, tightened)
    for kind in reversed(KINDS):
        _name_limits(situation, kind, tightened, limits)
    return {
        situation.ids[i]: Margin(int(tightened[i]), limits[i]) if limits[i] is not None else Margin(None, None)
        for i in wanted
    }


def _spacing_margins(situation: Situation) -> tuple[Ints, list[Limit | None]]:
    n = len(situation.ids)
    distance = np.abs(situation.freq[:, None] - situation.freq[None, :])
    slack = distance - situation.apart_hz
    slack = np.where(situation.meets, slack, _FAR)
    limits: list[Limit | None] = [None] * n
    best: Ints = np.full(n, _FAR, np.int64)
    for i in range(n):
        j = int(np.argmin(slack[i]))
        if situation.meets[i, j]:
            best[i] = slack[i, j]
            limits[i] = Limit("spacing", None, (situation.ids[j],))
    return best, limits


def _watched(situation: Situation, kind: str, best: Ints) -> Ints:
    """Search radius per carrier: how far a product may be and still set its margin; -1 = not looked at."""
    guard = situation.guard[kind]
    return np.where((guard > 0) & (best < _FAR), best + guard, -1)


def _tighten(situation: Situation, kind: str, best: Ints) -> None:
    """Lower `best` in place by the products of `kind`: nearest tails first, then what is still closer."""
    guard = situation.guard[kind]
    victims = np.flatnonzero(_watched(situation, kind, best) >= 0)
    if not len(victims):
        return
    for found in nearest(situation, kind, victims):
        np.minimum.at(best, found.victim, _slack(situation, found, guard))
    for found in near(situation, kind, _watched(situation, kind, best) - 1):
        np.minimum.at(best, found.victim, _slack(situation, found, guard))


def _slack(situation: Situation, found: Found, guard: Ints) -> Ints:
    return np.asarray(np.abs(found.product - situation.freq[found.victim]) - guard[found.victim])


def _name_limits(situation: Situation, kind: str, best: Ints, limits: list[Limit | None]) -> None:
    """Write the limit of every carrier whose margin a product of `kind` reaches; the first by source ids."""
    named: dict[int, tuple[tuple[int, ...], int]] = {}
    for found in near(situation, kind, _watched(situation, kind, best)):
        for row in np.flatnonzero(_slack(situation, found, situation.guard[kind]) == best[found.victim]):
            candidate = (tuple(found.sources[row].tolist()), int(found.product[row]))
            victim = int(found.victim[row])
            named[victim] = min(named.get(victim, candidate), candidate)
    for victim, (sources, product) in named.items():
        limits[victim] = Limit(kind, product, tuple(situation.ids[s] for s in sources))
