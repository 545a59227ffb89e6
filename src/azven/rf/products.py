"""Intermodulation products among carriers, and the products near each of them, exactly, in integer hertz.

A product is a combination of carriers whose coefficients are listed in `PATTERNS`. To find the
products near a victim without listing all n³ of them, each three-signal pattern is split into a
*head* (one source) and a *tail* (two sources): the tail values are sorted once, and for every
victim and head a binary search finds the tails that bring the product home.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from azven.rf.request import KINDS, Carrier, Profile, Relation, meet_in_time

Ints = NDArray[np.int64]
_BLOCK = 1_000_000


@dataclass(frozen=True)
class Pattern:
    """One formula of a kind: `coefficients` in the order of its letters.

    `head` is the letter taken alone, None for formulas of one or two signals; `symmetric` says that
    the two letters of the tail may be exchanged, so that each unordered pair counts once.
    """

    coefficients: tuple[int, ...]
    head: int | None = None
    symmetric: bool = False
    absolute: bool = False

    @property
    def tail(self) -> tuple[int, ...]:
        return tuple(i for i in range(len(self.coefficients)) if i != self.head)


PATTERNS: Mapping[str, tuple[Pattern, ...]] = {
    "2a-b": (Pattern((2, -1)),),
    "a+b-c": (Pattern((1, 1, -1), head=2, symmetric=True),),
    "3a-2b": (Pattern((3, -2)),),
    "3a-b-c": (Pattern((3, -1, -1), head=0, symmetric=True), Pattern((2, 1, -2), head=1)),
    "4a-3b": (Pattern((4, -3)),),
    "5a-4b": (Pattern((5, -4)),),
    "2a": (Pattern((2,)),),
    "3a": (Pattern((3,)),),
    "a-b": (Pattern((1, 1), symmetric=True), Pattern((1, -1), symmetric=True, absolute=True)),
}


@dataclass(frozen=True)
class Found:
    """Products near victims as arrays of equal length: `victim` (m,), `sources` (m, s), `product` (m,)."""

    victim: Ints
    sources: Ints
    product: Ints
    coefficients: tuple[int, ...]

    def rows(self, keep: NDArray[np.bool_]) -> "Found":
        """Only the rows where `keep` (m,)."""
        return Found(self.victim[keep], self.sources[keep], self.product[keep], self.coefficients)


class Situation:
    """Carriers with everything that decides which of them meet, as arrays sorted by id.

    `meets[i, j]`: the pair keeps a distance. `mixes[i, j]`: the pair may take part in one product.
    `apart_hz[i, j]`: the distance of a pair that meets.
    """

    def __init__(
        self,
        carriers: Sequence[Carrier],
        profiles: Mapping[str, Profile],
        relations: Mapping[frozenset[str], Relation],
    ) -> None:
        ordered = sorted(carriers, key=lambda c: c.id)
        self.ids = [c.id for c in ordered]
        self.freq: Ints = np.array([c.freq_hz for c in ordered], np.int64)
        self.radiates = np.array([c.radiates for c in ordered], bool)
        self.spacing: Ints = np.array([profiles[c.profile].spacing_hz for c in ordered], np.int64)
        self.guard: dict[str, Ints] = {
            kind: np.array([profiles[c.profile].guard(kind) for c in ordered], np.int64) for kind in KINDS
        }
        self.meets, self.mixes, far = _meeting(ordered, relations)
        self.apart_hz: Ints = np.maximum(self.spacing[:, None], self.spacing[None, :])
        if far is not None:
            width = np.array([profiles[c.profile].width_hz for c in ordered], np.int64)
            self.apart_hz = np.where(far, -(-(width[:, None] + width[None, :]) // 2), self.apart_hz)
        self._tails: dict[tuple[Pattern, int | None], _Tail] = {}

    def tail(self, pattern: Pattern, source: int | None = None) -> "_Tail":
        """The sorted tails of a pattern, kept for the next question."""
        if (pattern, source) not in self._tails:
            self._tails[pattern, source] = _Tail(self, pattern, source)
        return self._tails[pattern, source]

    def index(self, carrier_id: str) -> int:
        """Place of a carrier in the arrays; ValueError when it is not there."""
        return self.ids.index(carrier_id)


def _meeting(
    carriers: Sequence[Carrier], relations: Mapping[frozenset[str], Relation]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_] | None]:
    """`meets`, `mixes` and which pairs are far (n, n), None where none is, judged once per distinct pair of zone and
    times."""
    groups: dict[tuple[str, frozenset[str]], int] = {}
    member = np.array([groups.setdefault((c.zone, c.times), len(groups)) for c in carriers], np.intp)
    m = len(groups)
    near, together, far = (np.zeros((m, m), bool) for _ in range(3))
    for (zone_a, times_a), i in groups.items():
        for (zone_b, times_b), j in groups.items():
            relation = "together" if zone_a == zone_b else relations.get(frozenset((zone_a, zone_b)), "apart")
            if meet_in_time(times_a, times_b):
                near[i, j] = relation != "apart"
                together[i, j] = relation == "together"
                far[i, j] = relation == "far"
    radiates = np.array([c.radiates for c in carriers], bool)
    someone_radiates = radiates[:, None] | radiates[None, :]
    distinct = ~np.eye(len(carriers), dtype=bool)
    grid = np.ix_(member, member)
    return near[grid] & someone_radiates & distinct, together[grid] & distinct, far[grid] if far.any() else None


def products(situation: Situation, kind: str) -> list[Found]:
    """Every product of `kind` among radiating carriers that mix, a `Found` per formula; `victim` is -1."""
    return [_all_of(situation, pattern) for pattern in PATTERNS[kind]]


def _all_of(situation: Situation, pattern: Pattern) -> Found:
    tail = situation.tail(pattern)
    if pattern.head is None:
        sources, product = tail.sources, tail.values
    else:
        heads = np.flatnonzero(situation.radiates)
        h, t = (x.ravel() for x in np.meshgrid(heads, np.arange(len(tail.values)), indexing="ij"))
        sources = tail.with_head(h, t)
        product = situation.freq[h] * pattern.coefficients[pattern.head] + tail.values[t]
        keep = _mix_pairwise(situation, sources)
        sources, product = sources[keep], product[keep]
    return Found(np.full(len(product), -1, np.int64), sources, product, pattern.coefficients)


class _Tail:
    """Sorted values of a pattern without its head, over sources that radiate and mix.

    With `source`, only the tails in which that carrier is one of the sources.
    """

    def __init__(self, situation: Situation, pattern: Pattern, source: int | None = None) -> None:
        letters = pattern.tail
        live = np.flatnonzero(situation.radiates)
        if len(letters) == 1:
            sources = live[:, None] if source is None else live[live == source][:, None]
        else:
            a, b = _pairs(live, source)
            keep = situation.mixes[a, b] & ((a < b) if pattern.symmetric else True)
            sources = np.stack([a[keep], b[keep]], axis=1)
        values = sum(
            (situation.freq[sources[:, i]] * pattern.coefficients[letter] for i, letter in enumerate(letters)),
            np.zeros(len(sources), np.int64),
        )
        values = np.abs(values) if pattern.absolute else values
        order = np.argsort(values, kind="stable")
        self.values: Ints = values[order]
        self.sources: Ints = sources[order].astype(np.int64)
        self._pattern = pattern

    def with_head(self, head: Ints, tail_index: Ints) -> Ints:
        """Sources (m, s) in the order of the formula's letters."""
        out = np.empty((len(tail_index), len(self._pattern.coefficients)), np.int64)
        for i, letter in enumerate(self._pattern.tail):
            out[:, letter] = self.sources[tail_index, i]
        if self._pattern.head is not None:
            out[:, self._pattern.head] = head
        return out


def _pairs(live: NDArray[np.intp], source: int | None) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Ordered pairs of live carriers, or those with `source` in one of the places."""
    if source is None:
        a, b = np.meshgrid(live, live, indexing="ij")
        return a.ravel(), b.ravel()
    own = np.full(len(live), source, np.intp)
    return np.concatenate([own, live]), np.concatenate([live, own])


def _mix_pairwise(situation: Situation, members: Ints) -> NDArray[np.bool_]:
    """Rows (m,) whose members (m, s) are pairwise different carriers that mix."""
    keep = np.ones(len(members), bool)
    for i in range(members.shape[1]):
        for j in range(i):
            keep &= situation.mixes[members[:, i], members[:, j]]
    return keep


def _queries(situation: Situation, pattern: Pattern, victims: Ints, head: int | None = None) -> tuple[Ints, Ints, Ints]:
    """Victim, head and wanted tail value of every search to make; arrays of equal length."""
    if pattern.head is None:
        return victims, np.full(len(victims), -1, np.int64), situation.freq[victims]
    heads = np.flatnonzero(situation.radiates) if head is None else np.array([head])
    v, h = (x.ravel() for x in np.meshgrid(victims, heads, indexing="ij"))
    keep = situation.mixes[v, h]
    v, h = v[keep], h[keep]
    return v, h, situation.freq[v] - pattern.coefficients[pattern.head] * situation.freq[h]


def _expand(
    situation: Situation, pattern: Pattern, tail: _Tail, v: Ints, h: Ints, start: Ints, count: Ints
) -> Iterator[Found]:
    """Products of the tail ranges `[start, start + count)`, filtered, in blocks of bounded size."""
    ends = np.cumsum(count)
    first = 0
    while first < len(count):
        done = ends[first - 1] if first else 0
        last = max(first + 1, int(np.searchsorted(ends, done + _BLOCK, side="right")))
        part = count[first:last]
        query = np.repeat(np.arange(first, last), part)
        offset = np.arange(len(query)) - np.repeat(np.cumsum(part) - part, part)
        index = start[query] + offset
        sources = tail.with_head(h[query], index)
        keep = _mix_pairwise(situation, np.column_stack([sources, v[query]]))
        product = tail.values[index]
        if pattern.head is not None:
            product = product + situation.freq[h[query]] * pattern.coefficients[pattern.head]
        yield Found(v[query][keep], sources[keep], product[keep], pattern.coefficients)
        first = last


def near(situation: Situation, kind: str, radius: Ints, source: int | None = None) -> Iterator[Found]:
    """Products of `kind` within `radius` [Hz] (n,), inclusive, of each carrier; negative radius: not looked at.

    With `source`, only those in which that carrier (its place in the arrays) is one of the sources.
    """
    victims = np.flatnonzero(radius >= 0)
    if not len(victims) or (source is not None and not situation.radiates[source]):
        return
    for pattern in PATTERNS[kind]:
        yield from _search(situation, pattern, radius, situation.tail(pattern, source), victims, None)
        if source is not None and pattern.head is not None:
            yield from _search(situation, pattern, radius, situation.tail(pattern), victims, source)


def _search(
    situation: Situation, pattern: Pattern, radius: Ints, tail: _Tail, victims: Ints, head: int | None
) -> Iterator[Found]:
    v, h, wanted = _queries(situation, pattern, victims, head)
    start = np.searchsorted(tail.values, wanted - radius[v], side="left")
    count = np.searchsorted(tail.values, wanted + radius[v], side="right") - start
    yield from _expand(situation, pattern, tail, v, h, start, count)


def nearest(situation: Situation, kind: str, victims: Ints) -> Iterator[Found]:
    """For each of `victims` and each head the products of `kind` next below and next above the victim."""
    for pattern in PATTERNS[kind]:
        tail = situation.tail(pattern)
        v, h, wanted = _queries(situation, pattern, victims)
        place = np.searchsorted(tail.values, wanted)
        start = np.clip(place - 1, 0, None)
        count = np.minimum(place + 1, len(tail.values)) - start
        yield from _expand(situation, pattern, tail, v, h, start, count)


def third_order(
    freq_hz: Sequence[int], at_hz: int, reach_hz: int, with_one_of: Sequence[int] | None = None
) -> list[tuple[str, tuple[int, ...], int]]:
    """Third-order products of carriers that are on, by frequencies [Hz], within `reach_hz` of a frequency, inclusive:
    kind, sources by their places in the order of the formula's letters, and where the product lies [Hz]. `with_one_of`:
    only those of which one source is among these places."""
    if with_one_of is not None and not len(with_one_of):
        return []
    carriers = [Carrier(id=f"{i:06}", freq_hz=f, profile="", zone="") for i, f in enumerate(freq_hz)]
    listener = Carrier(id="victim", freq_hz=at_hz, profile="", zone="", radiates=False)
    situation = Situation([*carriers, listener], {"": Profile(0)}, {})
    radius = np.full(len(situation.ids), -1, np.int64)
    radius[situation.index(listener.id)] = reach_hz
    wanted: Sequence[int | None] = [None] if with_one_of is None else with_one_of
    told = (
        (kind, tuple(sources), product)
        for kind in ("2a-b", "a+b-c")
        for source in wanted
        for found in near(situation, kind, radius, source)
        for sources, product in zip(found.sources.tolist(), found.product.tolist(), strict=True)
    )
    return list(dict.fromkeys(told))
