"""When batteries are changed: in the breaks between acts, as seldom as may be (domain, section 8).

Exact, by dynamic programming over the acts: what comes after a break depends only on when each pack was last changed.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import inf
from typing import TypeVar

T = TypeVar("T")

Change = tuple[int, ...]
"""Breaks by the number of the act that follows, ascending."""


@dataclass(frozen=True)
class Slot:
    """An act, in minutes from now."""

    id: str
    from_min: float
    to_min: float


@dataclass(frozen=True, kw_only=True)
class Pack:
    """A pack: minutes left now, with a full battery, and to be left at the end of every act it plays in (None: all)."""

    id: str
    left_min: float
    full_min: float
    reserve_min: float = 0.0
    acts: frozenset[str] | None = None


def plan(
    acts: Sequence[Slot], packs: Sequence[Pack], pairs: Sequence[tuple[str, str]] = ()
) -> dict[str, tuple[str, ...] | None]:
    """The acts before which each pack gets a fresh battery; None where no plan holds. The fewest changes, then the most
    left at the tightest end of an act, then the earliest breaks; the packs of a pair never in the same break.

    ValueError for acts that overlap, for a pack, act or pair that is named and not there, and for one named twice.
    """
    slots = _in_order(acts)
    by_id = {p.id: p for p in packs}
    if len(by_id) < len(packs):
        raise ValueError("two packs have one id")
    known = {s.id for s in slots}
    for pack in packs:
        if missing := (pack.acts or frozenset()) - known:
            raise ValueError(f"{pack.id} plays in {min(missing)}, which is no act")
    together = _groups(by_id, pairs)
    found: dict[str, tuple[str, ...] | None] = {}
    for group in together:
        best = _best(slots, group)
        for k, pack in enumerate(group):
            found[pack.id] = None if best is None else tuple(slots[i].id for i in best[k])
    return {p.id: found[p.id] for p in packs}


def _in_order(acts: Sequence[Slot]) -> list[Slot]:
    slots = sorted(acts, key=lambda a: a.from_min)
    if len({s.id for s in slots}) < len(slots):
        raise ValueError("two acts have one id")
    for a in slots:
        if a.to_min < a.from_min:
            raise ValueError(f"{a.id} ends before it begins")
    for a, b in pairwise(slots):
        if b.from_min < a.to_min:
            raise ValueError(f"{a.id} and {b.id} overlap")
    return [s for s in slots if s.to_min > 0]


def _groups(packs: Mapping[str, Pack], pairs: Sequence[tuple[str, str]]) -> Iterator[tuple[Pack, ...]]:
    paired: set[str] = set()
    for pair in pairs:
        if len(set(pair)) < 2 or paired & set(pair) or not set(pair) <= packs.keys():
            raise ValueError(f"{' and '.join(pair)} are no pair of two packs")
        paired |= set(pair)
        yield packs[pair[0]], packs[pair[1]]
    for pack in packs.values():
        if pack.id not in paired:
            yield (pack,)


def _best(slots: Sequence[Slot], packs: tuple[Pack, ...]) -> tuple[Change, ...] | None:
    """The best changes of packs that are planned together; None where there are none."""
    found = _searched(slots, packs, 0.0, by_margin=True)
    if found is None:
        return None
    settled = _searched(slots, packs, found[1], by_margin=False)
    return settled[2] if settled else None


_Way = tuple[int, float, tuple[Change, ...]]
"""Changes so far, the smallest margin, and which they are."""


def _searched(slots: Sequence[Slot], packs: tuple[Pack, ...], least: float, by_margin: bool) -> _Way | None:
    """The best way through all acts with margins of at least `least`: fewest changes, then the larger margin or the
    earlier breaks."""
    begun = [slots[k - 1].to_min if k else 0.0 for k in range(len(slots))]
    ways: dict[tuple[int, ...], _Way] = {(-1,) * len(packs): (0, inf, ((),) * len(packs))}
    for k, slot in enumerate(slots):
        choices = (None, *range(len(packs))) if slot.from_min > begun[k] else (None,)
        following: dict[tuple[int, ...], _Way] = {}
        for last, (count, margin, done) in ways.items():
            for changed in choices:
                now = _with(last, changed, k)
                left = (_margin(p, slot, begun[x] if x >= 0 else None) for p, x in zip(packs, now, strict=True))
                after = _with(done, changed, (*done[changed], k)) if changed is not None else done
                way = (count + (changed is not None), min(margin, *left), after)
                if way[1] >= least and (
                    now not in following or _rank(way, by_margin) < _rank(following[now], by_margin)
                ):
                    following[now] = way
        ways = following
    return min(ways.values(), key=lambda w: _rank(w, by_margin), default=None)


def _with(values: tuple[T, ...], at: int | None, value: T) -> tuple[T, ...]:
    return values if at is None else (*values[:at], value, *values[at + 1 :])


def _rank(way: _Way, by_margin: bool) -> tuple[object, ...]:
    return (way[0], -way[1]) if by_margin else (way[0], way[2])


def _margin(pack: Pack, slot: Slot, changed_min: float | None) -> float:
    """Minutes over the reserve at the end of an act; infinite where the pack does not play."""
    if pack.acts is not None and slot.id not in pack.acts:
        return inf
    left = pack.left_min - slot.to_min if changed_min is None else pack.full_min - (slot.to_min - changed_min)
    return left - pack.reserve_min
