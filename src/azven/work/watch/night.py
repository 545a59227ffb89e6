"""A watch as it runs: a board is looked at once a second on a thread of its own, what is found becomes cases."""

import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from azven.gear.racks.told import Told
from azven.gear.racks.values import Fields
from azven.rf.diagnose.record import SILENT_S, Sent, Sweep
from azven.work.watch import batteries, before
from azven.work.watch.batteries import Changes, Charge
from azven.work.watch.board import Board
from azven.work.watch.cases import Alarm, Case, Cases
from azven.work.watch.looking import Looking
from azven.work.watch.traces import Key
from azven.work.watch.watched import Watched

_EACH_S, _STEP_S, _SHARE, _CHARGES_S, _NOW_S = 1.0, 0.2, 10, 5.0, 3.0
"""A look takes at most one part in so many of a core."""
_NOTHING = Changes((), (), ())


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
    changes: Changes = _NOTHING
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
    taken all the same. `read` is the clock for whoever reads, where looking at `clock` itself moves the board."""

    def __init__(
        self, board: Board, watched: Watched, clock: Callable[[], float], start_s: float,
        rang: Callable[[Sequence[Alarm], float], None] = lambda alarms, t: None,
        failed: Callable[[Exception], None] = lambda error: None, read: Callable[[], float] | None = None,
    ) -> None:  # fmt: skip
        self.board, self.clock, self.start_s = board, clock, start_s
        self.cases = Cases(importance=watched.importance)
        self.unsent: Mapping[str, Sequence[str]] = {}
        self._rang, self._failed, self.read_clock = rang, failed, read or clock
        self._lock = threading.RLock()
        self._looking = Looking(board, watched.head, watched.keys, start_s)
        self._charges: tuple[Charge, ...] = ()
        self._changes, self._charged_s = _NOTHING, -np.inf
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run, name="watch", daemon=True)
        self.seen = Seen(t=self.t, watched=watched)

    def start(self) -> "Night":
        self._thread.start()
        return self

    def stop(self) -> None:
        """Look no more; safe to call twice."""
        self._over.set()
        if self._thread.is_alive():
            self._thread.join()

    @property
    def t(self) -> float:
        """Seconds since the watch began."""
        return self.read_clock() - self.start_s

    def show(self, watched: Watched) -> None:
        """The book has changed: watch what it says now. Cases stay."""
        with self._lock:
            before = self._looking
            self._looking = Looking(self.board, watched.head, watched.keys, self.start_s)
            self._looking.goes_on_from(before)
            self.cases.importance = watched.importance
            self._charged_s = -np.inf
            self._tell(self.t, Seen(t=self.t, watched=watched))

    def begin_again(self) -> None:
        """The board goes back: nothing was wrong yet."""
        with self._lock:
            before = self.cases
            self.cases = Cases(importance=before.importance, again_s=before.again_s, nobody_s=before.nobody_s)
            watched = self.seen.watched
            self._looking = Looking(self.board, watched.head, watched.keys, self.start_s)
            self._charged_s = -np.inf
            self._tell(self.t, Seen(t=self.t, watched=watched))

    def sent(self, key: Key, values: Mapping[str, object], at_s: float) -> None:
        """Somebody sent values to a channel, at a time of the board's clock."""
        place = {k: i for i, k in enumerate(self._looking.keys) if k is not None}
        if key in place:
            name = self._looking.head.links[place[key]].name
            self._looking.sent.append(Sent(at_s - self.start_s, name, dict(values)))

    def told(self, told: Told) -> None:
        """A rack told something: what somebody sent to a channel explains what follows."""
        values = told.detail.get("values")
        if told.kind == "sent" and isinstance(values, Mapping):
            self.sent((told.rack, str(told.detail.get("channel"))), values, told.at_s)

    def swept(self, sweep: Sweep) -> None:
        """Somebody took a sweep [s of the watch]."""
        self._looking.sweeps.append(sweep)

    def do(self, deed: Callable[[Cases, float], None]) -> None:
        """Something that a person does to the cases."""
        with self._lock:
            deed(self.cases, self.t)
            self._tell(self.seen.t, self.seen)

    def _run(self) -> None:
        while not self._over.is_set():
            begun = time.thread_time()
            try:
                self.look()
            except Exception as error:  # a watch goes on, whatever is wrong with one look
                self._failed(error)
            took = time.thread_time() - begun
            self._wait(max(_EACH_S, _SHARE * took))

    def _wait(self, seconds: float) -> None:
        """Until the next look; a board that is moved by its clock goes on meanwhile."""
        end_s = time.monotonic() + seconds
        while not self._over.wait(min(_STEP_S, max(end_s - time.monotonic(), 0.0))) and time.monotonic() < end_s:
            self.clock()

    def look(self) -> None:
        """Look once."""
        begun = time.thread_time()
        with self._lock:
            looking, watched = self._looking, self.seen.watched
        now_s = self.clock()
        t = now_s - self.start_s
        found = looking.look(now_s)
        status = tuple(self.board.now(k) if k else {} for k in watched.keys)
        if t - self._charged_s >= _CHARGES_S or t < self._charged_s:
            self._charges = tuple(batteries.charges(watched, looking.evening, status, t))
            self._changes, self._charged_s = batteries.plan(watched, self._charges, t), t
        lately = looking.lately
        silent_s = looking.silent_s(now_s)
        ahead = before.ahead(
            watched, lately, looking.evening, status, self._charges, self.unsent, found,
            silent_s if self.board.steady else None, t,
        ) if lately else []  # fmt: skip
        with self._lock:
            if watched is not self.seen.watched:
                return
            poor = self._poor(looking)
            lost = [n for n, quiet in zip(watched.names, silent_s, strict=True) if SILENT_S <= quiet < np.inf]
            self.cases.update(found, t, poor, ahead, {*poor, *lost})
            alarms = self.cases.alarms()
            took = time.thread_time() - begun
            self._tell(t, Seen(t=t, watched=watched, status=status, charges=self._charges, changes=self._changes,
                               took_s=took))  # fmt: skip
        if alarms:
            self._rang(alarms, t)

    def _tell(self, t: float, seen: Seen) -> None:
        closed = sorted((c for c in self.cases.all.values() if c.state == "closed"), key=lambda c: -c.last_s)
        self.seen = Seen(t=t, watched=seen.watched, status=seen.status, charges=seen.charges, changes=seen.changes,
                         took_s=seen.took_s, open=tuple(self.cases.standing()), in_hand=tuple(self.cases.in_hand()),
                         closed=tuple(closed))  # fmt: skip

    @staticmethod
    def _poor(looking: Looking) -> list[str]:
        """Links whose sound suffers now."""
        lately = looking.lately
        if lately is None:
            return []
        last = slice(-lately.steps(_NOW_S), None)
        low = (lately.better < lately.low) & lately.active & lately.heard
        hurt = np.asarray((lately.bad | low)[:, last].any(axis=1))
        return [x.name for x, is_hurt in zip(lately.head.links, hurt, strict=True) if is_hurt]
