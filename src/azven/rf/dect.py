"""1.9 GHz DECT: carriers, slots, and what unsynchronised systems leave one another (ETSI EN 300 175; domain, 7)."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

SLOTS = 12
"""Duplex slots of a carrier."""
FACTOR = 0.6
"""What unsynchronised groups can use together, planning value."""
_APART_HZ = 1_728_000
_CARRIERS = {"europe": (1_881_792_000, 10), "north-america": (1_921_536_000, 5)}
SLOTS_OF = {"narrow": 1, "wide": 2}


def carriers_hz(region: str) -> tuple[int, ...]:
    """The carriers of a region, ascending. ValueError for a region that is not known."""
    if region not in _CARRIERS:
        raise ValueError(f"the region is {' or '.join(_CARRIERS)}, not {region}")
    first, count = _CARRIERS[region]
    return tuple(first + _APART_HZ * i for i in range(count))


def slots_each(carriers: int, groups: int, factor: float = FACTOR) -> int:
    """Slots that each of so many unsynchronised groups gets where all hear one another; one alone has all. ValueError
    for none."""
    if carriers < 1 or groups < 1 or not 0 < factor <= 1:
        raise ValueError("it takes a carrier, a group, and a factor up to 1")
    every = carriers * SLOTS
    return every if groups == 1 else math.floor(Fraction(str(factor)) * every / groups)


@dataclass(frozen=True)
class Transceiver:
    """A transceiver with the packs on it by kind, and its own limit of slots, None for none."""

    id: str
    packs: Mapping[str, int]
    limit: int | None = None

    @property
    def slots(self) -> int:
        """ValueError for a kind of audio that is none."""
        unknown = [k for k in self.packs if k not in SLOTS_OF]
        if unknown or any(n < 0 for n in self.packs.values()):
            raise ValueError(f"packs are {' or '.join(SLOTS_OF)} audio, so many of each")
        return sum(SLOTS_OF[k] * n for k, n in self.packs.items())


@dataclass(frozen=True)
class Fit:
    """Slots that each group gets, what each takes and whether that fits, and transceivers over their own limit."""

    slots_each: int
    groups: Mapping[str, tuple[int, bool]]
    over: tuple[str, ...]


def fit(carriers: int, groups: Mapping[str, Sequence[Transceiver]], factor: float = FACTOR) -> Fit:
    """Whether unsynchronised groups fit beside one another."""
    each = slots_each(carriers, len(groups), factor)
    taken = {name: sum(t.slots for t in members) for name, members in groups.items()}
    over = [t.id for members in groups.values() for t in members if t.limit is not None and t.slots > t.limit]
    return Fit(each, {n: (s, s <= each) for n, s in taken.items()}, tuple(sorted(over)))
