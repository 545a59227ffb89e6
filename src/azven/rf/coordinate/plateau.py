"""Plateau moves: one carrier out, another in, until a free step opens; with a memory of what was just moved.

For links that are all of one shape (profile, zone, times, tuning and permission) and guard two-signal third-order
products alone. Every step knows how many rules stand against it (`against`) and how many of them each placed
carrier has a part in (`share`): a step whose rules all name one carrier can be had in exchange for it.
Tabu search: Glover, Tabu Search – Part I, ORSA Journal on Computing 1989.
"""

import random
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.grid import Grid, to_array
from azven.rf.coordinate.rules import Rules

Ints = NDArray[np.int64]
_TABU, _KICKED, _TABU_MORE = 7, 10, 10
_RULES_AT_MOST = 6
"""Steps with more rules against them are hardly ever to be had for one carrier. So few fit a byte of `_share`."""
_OLDEST = 0.7
_PATIENCE = 300
_WORST = 4


def suits(grid: Grid, rules: Rules) -> bool:
    """Whether all links have one shape and nothing but spacing and 2a-b matters to them."""
    if not grid.kinds or grid.given or len({(k.tag, k.open) for k in grid.kinds}) != 1:
        return False
    tag = grid.kinds[0].tag
    return rules.kinds == ("2a-b",) and not rules.absolute_kinds and rules.apart(tag) >= rules.reach("2a-b", tag) >= 0


class Plateau:
    """A set of steps that break no rule, moved about so that more find room. `best` is the largest set seen."""

    def __init__(self, grid: Grid, rules: Rules, start: Sequence[int], seed: random.Random) -> None:
        tag = grid.kinds[0].tag
        self._open = to_array(grid.kinds[0].open, grid.width)
        self._width, self._spacing = grid.width, rules.apart(tag)
        self._reach = reach = rules.reach("2a-b", tag)
        self._outer = np.arange(-reach, reach + 1)
        self._middle = np.arange(-(reach // 2), (reach + 1) // 2 + 1)
        self._random = seed
        wanted = sum(len(k.members) for k in grid.kinds)
        self._against = np.zeros(self._width, np.int32)
        self._share = np.zeros((self._width, wanted), np.int8)
        self._at: Ints = np.full(wanted, -1, np.int64)
        self._since: Ints = np.zeros(wanted, np.int64)
        self._tabu: Ints = np.zeros(self._width, np.int64)
        self._now = self._better_at = 0
        for x in start:
            self._add(x)
        self.best = self._standing()

    @property
    def full(self) -> bool:
        return len(self.best) == len(self._at)

    def move(self) -> int:
        """One move; returns how many carriers it put in or took out."""
        self._now += 1
        allowed = self._open & (self._tabu <= self._now)
        free = np.flatnonzero(allowed & (self._against == 0))
        if len(free):
            self._add(int(free[self._random.randrange(len(free))]))
            self._keep_if_better()
            return 1
        swap = self._swap(allowed) if self._now - self._better_at < _PATIENCE else None
        if swap is None:
            return self._kick()
        step, slot = swap
        self._tabu[self._at[slot]] = self._now + _TABU + self._random.randrange(_TABU_MORE)
        self._remove(slot)
        self._add(step)
        return 2

    def _standing(self) -> list[int]:
        return sorted(self._at[self._at >= 0].tolist())

    def _keep_if_better(self) -> None:
        standing = self._standing()
        if len(standing) >= len(self.best):
            if len(standing) > len(self.best):
                self._better_at = self._now
            self.best = standing

    def _swap(self, allowed: NDArray[np.bool_]) -> tuple[int, int] | None:
        """A step to have and the slot of the one carrier in its way; mostly the carrier that stood longest."""
        steps = np.flatnonzero(allowed & (self._against <= _RULES_AT_MOST))
        share = self._share[steps]
        slots = share.argmax(axis=1)
        alone = (share[np.arange(len(steps)), slots] == self._against[steps]) & (self._at[slots] != steps)
        steps, slots = steps[alone], slots[alone]
        if not len(steps):
            return None
        if self._random.random() < _OLDEST:
            oldest = np.flatnonzero(self._since[slots] == self._since[slots].min())
            i = int(oldest[self._random.randrange(len(oldest))])
        else:
            i = self._random.randrange(len(steps))
        return int(steps[i]), int(slots[i])

    def _kick(self) -> int:
        """Back to the best if too much is lost, then one to three carriers out."""
        self._better_at = self._now
        moved = self._return() if np.count_nonzero(self._at >= 0) < len(self.best) - _WORST else 0
        occupied = np.flatnonzero(self._at >= 0).tolist()
        for slot in self._random.sample(occupied, min(self._random.randint(1, 3), len(occupied))):
            self._tabu[self._at[slot]] = self._now + _KICKED + self._random.randrange(2 * _TABU_MORE)
            self._remove(slot)
            moved += 1
        return moved

    def _return(self) -> int:
        """Stand as in `best` again; returns how many carriers were put in or taken out."""
        gone = [slot for slot in np.flatnonzero(self._at >= 0).tolist() if int(self._at[slot]) not in self.best]
        for slot in gone:
            self._remove(slot)
        back = sorted(set(self.best) - set(self._at.tolist()))
        for x in back:
            self._add(x)
        return len(gone) + len(back)

    def _add(self, x: int) -> None:
        slot = int(np.flatnonzero(self._at < 0)[0])
        self._count(x, slot, 1)
        self._at[slot], self._since[slot] = x, self._now

    def _remove(self, slot: int) -> None:
        x = int(self._at[slot])
        self._at[slot] = -1
        self._count(x, slot, -1)

    def _count(self, x: int, slot: int, sign: int) -> None:
        """Rules that a carrier at `x` makes alone (spacing) and with each other carrier (2a-b), counted in or out."""
        low, high = max(x - self._spacing, 0), min(x + self._spacing + 1, self._width)
        self._against[low:high] += sign
        self._share[low:high, slot] += sign
        others = np.flatnonzero(self._at >= 0)
        y = self._at[others]
        total = x + y
        middle = (total >> 1)[:, None] + self._middle
        inside = np.abs(2 * middle - total[:, None]) <= self._reach
        steps = np.concatenate(
            [(2 * y - x)[:, None] + self._outer, (2 * x - y)[:, None] + self._outer, np.where(inside, middle, -1)],
            axis=1,
        )
        valid = (steps >= 0) & (steps < self._width)
        closed = steps[valid]
        np.add.at(self._against, closed, sign)
        partner = np.broadcast_to(others[:, None], steps.shape)[valid]
        flat, row = self._share.reshape(-1), closed * len(self._at)
        np.add.at(flat, row + partner, sign)
        np.add.at(flat, row + slot, sign)
