"""A watch as it runs: a board is looked at once a second on a thread of its own, what is found becomes cases."""

import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from azven.gear.racks.told import Told
from azven.gear.racks.values import Fields
from azven.rf.diagnose.record import Sweep
from azven.work.watch.batteries import Changes, Charge
from azven.work.watch.beside import WORTH_IT, Beside
from azven.work.watch.board import Board
from azven.work.watch.cases import Alarm, Case, Cases
from azven.work.watch.lookout import NOTHING, Lookout, Looks
from azven.work.watch.traces import Key
from azven.work.watch.watched import Watched

_EACH_S, _AFTER_FAULT_S, _STEP_S, _SHARE = 1.0, 5.0, 0.2, 10
"""A look takes at most one part in so many of a core."""


@dataclass(frozen=True, kw_only=True)
class Seen:
    """How it stands at a time [s since the watch began]: cases in their order, what every link shows."""

    t: float
    watched: Watched
    open: tuple[Case, ...] = ()
    in_hand: tuple[Case, ...] = ()
    closed: tuple[Case, ...] = ()
    status: tuple[Fields, ...] = ()
    charges: tuple[Charge, ...] = ()
    changes: Changes = NOTHING
    took_s: float = 0.0

    @cached_property
    def case_of(self) -> Mapping[str, Case]:
        """The case that somebody should look at, or else has in hand, by its links."""
        return {name: c for c in (*self.in_hand, *self.open) for name in c.links}

    @cached_property
    def charge_of(self) -> Mapping[int, Charge]:
        """Batteries by the places of their links."""
        return {c.link: c for c in self.charges}

    def told(self, i: int) -> Fields:
        """What the link at a place tells; empty for one that tells nothing."""
        return self.status[i] if i < len(self.status) else {}


class Night:
    """Looks at a board until it is stopped. `clock` is the board's; `start_s` is when the watch began by it. `rang` is
    called on the thread of the watch with what somebody should look at, `failed` with a fault of ours: the next look is
    taken all the same. `read` is the clock for whoever reads, where looking at `clock` itself moves the board.
    `beside`: many links are looked at in another process."""

    def __init__(
        self, board: Board, watched: Watched, clock: Callable[[], float], start_s: float,
        rang: Callable[[Sequence[Alarm], float], None] = lambda alarms, t: None,
        failed: Callable[[Exception], None] = lambda error: None, read: Callable[[], float] | None = None,
        beside: bool = False,
    ) -> None:  # fmt: skip
        self.board, self.clock, self.start_s = board, clock, start_s
        self.cases = Cases(importance=watched.importance)
        self.unsent: Mapping[str, Sequence[str]] = {}
        self._rang, self._failed, self.read_clock = rang, failed, read or clock
        self._lock = threading.RLock()
        self._beside = beside
        self._looks: Looks = Lookout(board, watched, start_s)
        self._asked: list[Callable[[Looks], None]] = []
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run, name="watch", daemon=True)
        self.seen = Seen(t=self.t, watched=watched)

    def start(self) -> "Night":
        self._thread.start()
        return self

    def stop(self) -> None:
        """Look no more; safe to call twice."""
        self._over.set()
        self._looks.close()
        if self._thread.is_alive():
            self._thread.join()

    @property
    def t(self) -> float:
        """Seconds since the watch began."""
        return self.read_clock() - self.start_s

    def show(self, watched: Watched) -> None:
        """The book has changed: watch what it says now. Cases stay, under the names that their links have now."""
        with self._lock:
            self.cases.rename(watched.renamed(self.seen.watched))
            self.cases.importance = watched.importance
            self._asked.append(lambda looks: looks.show(watched))
            self._tell(self.t, Seen(t=self.t, watched=watched))

    def begin_again(self) -> None:
        """The board goes back: nothing was wrong yet."""
        with self._lock:
            before = self.cases
            self.cases = Cases(importance=before.importance, again_s=before.again_s, nobody_s=before.nobody_s)
            self._asked.append(lambda looks: looks.begin_again())
            self._tell(self.t, Seen(t=self.t, watched=self.seen.watched))

    def sent(self, key: Key, values: Mapping[str, object], at_s: float) -> None:
        """Somebody sent values to a channel, at a time of the board's clock."""
        with self._lock:
            self._asked.append(lambda looks: looks.sent(key, values, at_s - self.start_s))

    def told(self, told: Told) -> None:
        """A rack told something: what somebody sent to a channel explains what follows."""
        values = told.detail.get("values")
        if told.kind == "sent" and isinstance(values, Mapping):
            self.sent((told.rack, str(told.detail.get("channel"))), values, told.at_s)

    def swept(self, sweep: Sweep) -> None:
        """Somebody took a sweep [s of the watch]."""
        with self._lock:
            self._asked.append(lambda looks: looks.swept(sweep))

    def do(self, deed: Callable[[Cases, float], None]) -> None:
        """Something that a person does to the cases."""
        with self._lock:
            deed(self.cases, self.t)
            self._tell(self.seen.t, self.seen)

    def _run(self) -> None:
        while not self._over.is_set():
            try:
                self.look()
                self._wait(max(_EACH_S, _SHARE * self.seen.took_s))
            except Exception as error:  # a watch goes on, whatever is wrong with one look
                if not self._over.is_set():
                    self._failed(error)
                self._wait(_AFTER_FAULT_S)

    def _wait(self, seconds: float) -> None:
        """Until the next look; a board that is moved by its clock goes on meanwhile."""
        end_s = time.monotonic() + seconds
        while not self._over.wait(min(_STEP_S, max(end_s - time.monotonic(), 0.0))) and time.monotonic() < end_s:
            self.clock()

    def look(self) -> None:
        """Look once."""
        begun = time.thread_time()
        with self._lock:
            cases, watched = self.cases, self.seen.watched
            asked, self._asked = self._asked, []
        looks = self._looks_at(watched)
        for ask in asked:
            ask(looks)
        now_s = self.clock()
        status = tuple(self.board.now(k) if k else {} for k in watched.keys)
        here_s = time.thread_time() - begun
        look = looks.look(now_s, status, self.unsent)
        with self._lock:
            if watched is not self.seen.watched or cases is not self.cases:
                return
            cases.update(look.found, look.t, look.poor, look.ahead, look.unwell)
            alarms = cases.alarms()
            self._tell(look.t, Seen(t=look.t, watched=watched, status=status, charges=look.charges,
                                    changes=look.changes, took_s=here_s + look.took_s))  # fmt: skip
        if alarms:
            self._rang(alarms, look.t)

    def _looks_at(self, watched: Watched) -> Looks:
        """Whoever looks; elsewhere once there are many links."""
        if self._beside and len(watched.names) >= WORTH_IT and not isinstance(self._looks, Beside):
            self._looks = Beside(self.board, watched, self.start_s)
        return self._looks

    def _tell(self, t: float, seen: Seen) -> None:
        closed = sorted((c for c in self.cases.all.values() if c.state == "closed"), key=lambda c: -c.last_s)
        self.seen = replace(seen, t=t, open=tuple(self.cases.standing()), in_hand=tuple(self.cases.in_hand()),
                            closed=tuple(closed))  # fmt: skip
