"""How much work a search may do, how much it has done, and who may stop it.

Work is counted, not timed, so that the same request and seed give the same answer on any machine as long as the time
ceiling is not reached. A unit is about a microsecond of a quiet machine, weighed by what a carrier costs the request.
"""

from collections.abc import Callable
from dataclasses import dataclass

WORK = {1: 800_000, 2: 2_200_000, 3: 6_500_000, 4: 20_000_000, 5: 45_000_000}
"""Units by effort."""
_LEFT_SHARE, _LEFT_S = 0.08, 0.1
"""Of the time allowed, or so many seconds if that is more: for margins and explanations."""
_LOOKED_EVERY, _LOOKED_EVERY_S, _AFTER_STOP_S = 2_000, 0.05, 0.1
"""How often the search looks whether to go on, in units and seconds, and how long it may take to finish its answer
when not."""


@dataclass(kw_only=True)
class Effort:
    """Units allowed and spent, the clock [s], and progress(done, total), which says whether to go on."""

    limit: int
    time_limit_s: float
    elapsed: Callable[[], float]
    progress: Callable[[int, int], bool]
    spent: int = 0
    timed_out: bool = False
    cancelled: bool = False
    looked: int = 0
    looked_s: float = 0.0
    stopped_s: float | None = None

    @property
    def left_s(self) -> float:
        """Time left to the search [s]."""
        kept_back = min(max(_LEFT_SHARE * self.time_limit_s, _LEFT_S), self.time_limit_s / 2)
        return self.time_limit_s - kept_back - self.elapsed()

    def spend(self, units: int) -> None:
        """Count work; now and then look whether to go on."""
        self.spent += units
        if self.spent - self.looked >= _LOOKED_EVERY:
            self.look()

    def look(self) -> bool:
        """Look at the clock and at who asked; whether the search is over."""
        self.looked, self.looked_s = self.spent, self.elapsed()
        self.timed_out = self.timed_out or self.left_s <= 0
        self.cancelled = self.cancelled or not self.progress(min(self.spent, self.limit), self.limit)
        return self.over

    def may_finish(self) -> bool:
        """Whether there is time left to complete an answer and to explain it: none once somebody said stop, else a
        little beyond the time allowed."""
        if self.elapsed() - self.looked_s >= _LOOKED_EVERY_S:
            self.look()
        if self.stopped_s is None and self.cancelled:
            self.stopped_s = self.elapsed()
        if self.stopped_s is not None:
            return self.elapsed() - self.stopped_s < _AFTER_STOP_S
        return self.elapsed() < self.time_limit_s + _AFTER_STOP_S

    @property
    def over(self) -> bool:
        return self.timed_out or self.cancelled or self.spent >= self.limit
