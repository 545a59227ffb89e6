"""Plateau moves: one carrier out, another in, until a free step opens; with a memory of what was just moved.

For links of one shape (profile, room, times, tuning and permission), with all others where they are. Every open step
knows how many rules stand against it (`_against`) and how many of them each placed carrier has a part in (`_share`): a
step whose rules all name one carrier can be had in exchange for it.
Tabu search: Glover, Tabu Search – Part I, ORSA Journal on Computing 1989.
"""

import random
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.against import Against
from azven.rf.coordinate.rules import Rules

Ints = NDArray[np.int64]
_TABU, _KICKED, _TABU_MORE = 7, 10, 10
_RULES_AT_MOST = 3
"""Two-signal rules against a step: with more of them it is hardly ever to be had for one carrier."""
_OLDEST = 0.7
_PATIENCE, _WORST, _OUT = 150, 1, 3
"""Moves without a gain until a few carriers are taken out, at most so many; first back to the best where more than so
many are missing of it."""
_MOVE, _SHARES = 300, 600
"""Units of work that a move costs at least, and shares compared for one more."""


class Plateau:
    """A set of steps that break no rule, moved about so that more find room. `best` is the largest set seen.

    `others` are the carriers (tag, step) that stay, `open_steps` the bit set of what is open to the links that move,
    `wanted` how many these are, `start` where they stand. `stop` ends the beginning early.
    """

    def __init__(
        self, rules: Rules, tag: int, open_steps: int, others: Sequence[tuple[int, int]], start: Sequence[int],
        wanted: int, seed: random.Random, stop: Callable[[], bool] = lambda: False,
    ) -> None:  # fmt: skip
        self._random = seed
        self._rules = Against(rules, tag, open_steps, others, wanted)
        self._since: Ints = np.zeros(wanted, np.int64)
        self._tabu: Ints = np.zeros(len(self._rules.steps), np.int64)
        self._now = self._better_at = self._work = 0
        for x in start:
            if stop():
                break
            self._add(self._rules.column(x))
        self.best = self.standing()

    @property
    def full(self) -> bool:
        return len(self.best) == len(self._rules.at)

    @property
    def work(self) -> int:
        """Units of work done."""
        return self._work + self._rules.work

    def standing(self) -> list[int]:
        """Steps that are taken now, ascending."""
        at = self._rules.at
        return sorted(at[at >= 0].tolist())

    def move(self) -> None:
        """A carrier into a free step, or one out and another in, or a few out."""
        self._now += 1
        self._work += _MOVE
        allowed = self._tabu <= self._now
        free = np.flatnonzero(allowed & (self._rules.count == 0))
        if len(free) and not self.full:
            self._add(int(free[self._random.randrange(len(free))]))
            self._keep_if_better()
            return
        swap = self._swap(allowed) if self._now - self._better_at < _PATIENCE else None
        if swap is None:
            self._kick()
            return
        column, slot = swap
        self._remove(slot, _TABU + self._random.randrange(_TABU_MORE))
        self._add(column)

    def _keep_if_better(self) -> None:
        standing = self.standing()
        if len(standing) >= len(self.best):
            if len(standing) > len(self.best):
                self._better_at = self._now
            self.best = standing

    def _swap(self, allowed: NDArray[np.bool_]) -> tuple[int, int] | None:
        """A step to have and the slot of the one carrier in its way; mostly the carrier that stood longest."""
        rules = self._rules
        most = len(rules.at) if rules.by_pairs else _RULES_AT_MOST
        columns = np.flatnonzero(allowed & (rules.count > 0) & (rules.count <= most))
        share = rules.share[columns]
        self._work += share.size // _SHARES
        if not share.size:
            return None
        slots = share.argmax(axis=1)
        alone = share[np.arange(len(columns)), slots] == rules.count[columns]
        alone &= rules.at[slots] != rules.steps[columns]
        columns, slots = columns[alone], slots[alone]
        if not len(columns):
            return None
        if self._random.random() < _OLDEST:
            oldest = np.flatnonzero(self._since[slots] == self._since[slots].min())
            i = int(oldest[self._random.randrange(len(oldest))])
        else:
            i = self._random.randrange(len(columns))
        return int(columns[i]), int(slots[i])

    def _kick(self) -> None:
        self._better_at = self._now
        at = self._rules.at
        if len(self.standing()) < len(self.best) - _WORST:
            self._return()
        occupied = np.flatnonzero(at >= 0).tolist()
        for slot in self._random.sample(occupied, min(self._random.randint(1, _OUT), len(occupied))):
            self._remove(slot, _KICKED + self._random.randrange(2 * _TABU_MORE))

    def _return(self) -> None:
        """Stand as in `best` again."""
        at, wanted = self._rules.at, set(self.best)
        for slot in [s for s in np.flatnonzero(at >= 0).tolist() if int(at[s]) not in wanted]:
            self._rules.remove(slot)
        for x in sorted(wanted - set(at.tolist())):
            self._add(self._rules.column(x))

    def _add(self, column: int) -> None:
        self._since[self._rules.add(column)] = self._now

    def _remove(self, slot: int, barred: int) -> None:
        """Take a carrier out and keep its step empty for some moves."""
        self._tabu[self._rules.column(int(self._rules.at[slot]))] = self._now + barred
        self._rules.remove(slot)
