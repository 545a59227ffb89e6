"""Batteries on rotation: how many exchangeable cells a show needs with the bays there are (domain, section 7)."""

import heapq
import math
from dataclasses import dataclass

_MOST_CHANGES, _MOST_PACKS = 10_000, 10_000


@dataclass(frozen=True, kw_only=True)
class Rotation:
    """`packs` are changed all at once every `run_min` less `reserve_min`; a cell is charged in `charge_min` in one of
    `bays`. ValueError for what cannot be meant."""

    packs: int
    run_min: int
    show_min: int
    bays: int
    charge_min: int
    reserve_min: int = 0

    def __post_init__(self) -> None:
        if self.run_min - self.reserve_min <= 0:
            raise ValueError("the reserve leaves nothing of the run time")
        for name in ("packs", "show_min", "bays", "reserve_min"):
            if getattr(self, name) < 0:
                raise ValueError(f"{name} must not be below zero")
        if self.charge_min <= 0:
            raise ValueError("charge_min must be above zero")
        if self.packs > _MOST_PACKS or self.changes > _MOST_CHANGES:
            raise ValueError(f"at most {_MOST_PACKS} packs and {_MOST_CHANGES} changes")

    @property
    def every_min(self) -> int:
        return self.run_min - self.reserve_min

    @property
    def changes(self) -> int:
        return max(math.ceil(self.show_min / self.every_min) - 1, 0)

    def enough(self, batteries: int) -> bool:
        """Whether as many full ones as packs lie ready at every change, if all are full at the start. In each minute
        first what is full comes out, then comes the change, then the bays are filled."""
        full, waiting, ends = batteries - self.packs, 0, list[int]()
        for change in range(1, self.changes + 1):
            now = change * self.every_min
            while ends and ends[0] <= now:
                end = heapq.heappop(ends)
                full += 1
                if waiting and end < now:
                    waiting -= 1
                    heapq.heappush(ends, end + self.charge_min)
            if full < self.packs:
                return False
            full -= self.packs
            waiting += self.packs
            for _ in range(min(self.bays - len(ends), waiting)):
                waiting -= 1
                heapq.heappush(ends, now + self.charge_min)
        return full >= 0

    def batteries(self) -> int:
        """The fewest that are enough, those in the packs too."""
        low, high = self.packs, self.packs * (self.changes + 1)
        while low < high:
            middle = (low + high) // 2
            low, high = (low, middle) if self.enough(middle) else (middle + 1, high)
        return low
