"""When a rack is tried again: soon, then less and less often, never all racks at once."""

from collections.abc import Callable

from azven.gear.racks.words import RETRY_S, SPREAD, STEADY_S


class Retry:
    """The wait before the next try. `chance` draws 0…1."""

    def __init__(self, chance: Callable[[], float]) -> None:
        self._chance = chance
        self._tries = 0
        self._wait_s: float | None = None
        self.next_s: float | None = 0.0

    def after_try(self, now_s: float, steady: bool) -> None:
        """A try failed, or a link ended that was steady or not."""
        if steady:
            self._tries = 0
        self._in(now_s, RETRY_S[min(self._tries, len(RETRY_S) - 1)])
        self._tries += 1

    def after_link(self, now_s: float, frames_s: float, again_s: float | None) -> None:
        """A link ended that brought frames for so long; `again_s`: a wait of its own."""
        if again_s is None:
            self.after_try(now_s, frames_s >= STEADY_S)
        else:
            self._in(now_s, again_s)

    def ended(self, now_s: float) -> None:
        """What we had closed is really over: waits run from the end of a try."""
        if self.next_s is not None and self._wait_s is not None:
            self.next_s = now_s + self._wait_s

    def now(self, now_s: float) -> None:
        """A person asks."""
        self.next_s = now_s

    def never(self) -> None:
        """Not before a person asks."""
        self.next_s = self._wait_s = None

    def _in(self, now_s: float, seconds: float) -> None:
        self._wait_s = seconds * (1.0 + SPREAD * self._chance())
        self.next_s = now_s + self._wait_s
