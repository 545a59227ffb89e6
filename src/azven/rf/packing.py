"""Packs on wideband carriers: the fewest carriers, then the fullest as empty as possible (domain, section 7)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp

from azven.rf.wideband import Carrier, Pack, load

EXACT_TO = 24
"""Up to so many packs the answer is proved; beyond that it is the best found, unless that is proved too."""
_LIMIT_S, _BEYOND_S = 20.0, 6.0


@dataclass(frozen=True)
class Packing:
    """Which pack is on which carrier, the share of the fullest one, and whether it is proved that nothing is better."""

    on: Mapping[str, str]
    fullest: Fraction
    exact: bool

    @property
    def used(self) -> tuple[str, ...]:
        """The carriers that carry anything."""
        return tuple(sorted(set(self.on.values())))


def pack(packs: Sequence[Pack], carriers: Sequence[Carrier]) -> Packing:
    """Every pack on a carrier that covers its rooms; a busy one stays where it is. ValueError where it cannot be."""
    if not packs:
        return Packing({}, Fraction(0), True)
    return _Programme(packs, carriers).answer()


class _Programme:
    """The mixed integer programme: x, a pack is on a carrier; y, a downlink is on it; u, it is used; m, slots of the
    fullest of each capacity; z, the share of the fullest."""

    def __init__(self, packs: Sequence[Pack], carriers: Sequence[Carrier]) -> None:
        self.packs, self.carriers = list(packs), list(carriers)
        self.mixes = sorted({p.downlink for p in packs if p.downlink is not None})
        self.capacities = sorted({c.capacity for c in carriers})
        self.ways = [self._ways(p) for p in packs]
        p, c, m, k = len(self.packs), len(self.carriers), len(self.mixes), len(self.capacities)
        self.y, self.u = p * c, p * c + m * c
        self.m, self.z = self.u + c, self.u + c + k
        self.size = self.z + 1
        self._rows: list[np.ndarray[tuple[int], np.dtype[np.float64]]] = []
        self._low: list[float] = []
        self._high: list[float] = []

    def _ways(self, item: Pack) -> set[int]:
        index = {c.id: i for i, c in enumerate(self.carriers)}
        if item.busy and item.carrier is not None:
            if item.carrier not in index:
                raise ValueError(f"{item.id} is on a carrier that is not there")
            return {index[item.carrier]}
        slots = item.uplink + item.downlink_slots
        fits = {i for i, c in enumerate(self.carriers) if c.covers(item.rooms) and slots <= c.capacity}
        if not fits:
            raise ValueError(f"impossible: no carrier covers the rooms of {item.id} and has room for it")
        return fits

    def _row(self, terms: Mapping[int, float], low: float, high: float) -> None:
        row = np.zeros(self.size)
        for at, factor in terms.items():
            row[at] = factor
        self._rows.append(row)
        self._low.append(low)
        self._high.append(high)

    def answer(self) -> Packing:
        self._constrain()
        count = len(self.carriers)
        costs = np.zeros(self.size)
        costs[self.u : self.u + count], costs[self.z] = 2.0, 1.0
        upper = np.ones(self.size)
        for i, ways in enumerate(self.ways):
            for c in range(count):
                upper[i * count + c] = c in ways
        upper[self.m : self.z] = self.capacities
        whole = np.ones(self.size)
        whole[self.z] = 0
        limit = _LIMIT_S if len(self.packs) <= EXACT_TO else _BEYOND_S
        found = milp(
            costs, integrality=whole, bounds=Bounds(np.zeros(self.size), upper),
            constraints=LinearConstraint(np.array(self._rows), self._low, self._high),
            options={"time_limit": limit, "mip_rel_gap": 0.0},
        )  # fmt: skip
        if found.x is None:
            raise ValueError("impossible: the packs do not fit the carriers that there are")
        return self._read(found.x, found.status == 0)

    def _constrain(self) -> None:
        count = len(self.carriers)
        for i, item in enumerate(self.packs):
            self._row({i * count + c: 1.0 for c in range(count)}, 1.0, 1.0)
            for c in range(count) if item.downlink is not None else ():
                mix = self.y + self.mixes.index(item.downlink) * count + c  # type: ignore[arg-type]
                self._row({i * count + c: 1.0, mix: -1.0}, -np.inf, 0.0)
        slots = {p.downlink: p.downlink_slots for p in self.packs if p.downlink is not None}
        for c, carrier in enumerate(self.carriers):
            terms = {i * count + c: float(p.uplink) for i, p in enumerate(self.packs)}
            terms |= {self.y + k * count + c: float(slots[mix]) for k, mix in enumerate(self.mixes)}
            self._row({**terms, self.u + c: -float(carrier.capacity)}, -np.inf, 0.0)
            self._row({**terms, self.m + self.capacities.index(carrier.capacity): -1.0}, -np.inf, 0.0)
            for i in range(len(self.packs)):
                self._row({i * count + c: 1.0, self.u + c: -1.0}, -np.inf, 0.0)
        for k, capacity in enumerate(self.capacities):
            self._row({self.m + k: 1.0, self.z: -float(capacity)}, -np.inf, 0.0)
        self._order_alike()

    def _order_alike(self) -> None:
        """Of carriers that nothing tells apart the first are used."""
        last: dict[object, int] = {}
        for c, carrier in enumerate(self.carriers):
            key = carrier.capacity, tuple(c in ways for ways in self.ways)
            if key in last:
                self._row({self.u + last[key]: 1.0, self.u + c: -1.0}, 0.0, np.inf)
            last[key] = c

    def _read(self, x: np.ndarray[tuple[int], np.dtype[np.float64]], proved: bool) -> Packing:
        count = len(self.carriers)
        on = {p.id: int(np.argmax(x[i * count : (i + 1) * count])) for i, p in enumerate(self.packs)}
        shares = [
            Fraction(load([p for p in self.packs if on[p.id] == c]), carrier.capacity)
            for c, carrier in enumerate(self.carriers)
        ]
        if max(shares) > 1:
            raise ValueError("impossible: the packs do not fit the carriers that there are")
        return Packing({name: self.carriers[c].id for name, c in on.items()}, max(shares), proved)
