"""Calls to a rack: which are open, which wait for their turn, and what became of each."""

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

from azven.gear.racks.words import ANSWER_S, CHANGES, MOST_OPEN

Outcome = Literal["waiting", "open", "done", "failed", "unanswered", "cut"]


@dataclass(eq=False)
class Call:
    """One call: what was asked, by whom, and its outcome. `error` and `message` are those of the rack; a call that is
    not `done` is not taken as done."""

    method: str
    params: dict[str, Any] = field(default_factory=dict)
    by: str = ""
    outcome: Outcome = "waiting"
    id: int = 0
    until_s: float = 0.0
    result: dict[str, Any] = field(default_factory=dict)
    error: int | None = None
    message: str = ""
    data: dict[str, Any] = field(default_factory=dict)
    ended: Callable[["Call"], None] | None = None
    """Called once, when the outcome is known."""

    @property
    def channel(self) -> str | None:
        found = self.params.get("channel")
        return found if isinstance(found, str) else None

    @property
    def changes(self) -> bool:
        return self.method in CHANGES

    @property
    def allowed_s(self) -> float:
        """How long its answer is waited for."""
        seconds = self.params.get("seconds", 0)
        return ANSWER_S + (float(seconds) if self.method in ("sync", "pair") else 0.0)

    def end(self, outcome: Outcome) -> None:
        self.outcome = outcome
        if self.ended is not None:
            self.ended(self)


class Calls:
    """The calls of one link. At most sixteen are open, and at most one that changes a channel."""

    def __init__(self, send: Callable[[Call], None]) -> None:
        self._send = send
        self._open: dict[int, Call] = {}
        self._waiting: deque[Call] = deque()
        self._later: deque[Call] = deque()
        self._late: dict[int, Call] = {}
        self._last = 0

    def add(self, call: Call, now_s: float, later: bool = False) -> None:
        """Send a call, at once or when its turn comes; `later`: behind whatever is wanted meanwhile."""
        (self._later if later else self._waiting).append(call)
        self._go_on(now_s)

    def open(self, method: str) -> bool:
        """Whether a call of a method is open or waiting."""
        return any(c.method == method for c in (*self._open.values(), *self._waiting))

    def answered(self, call_id: int, now_s: float) -> Call | None:
        """The open call that an answer belongs to; it is no longer open."""
        call = self._open.pop(call_id, None)
        if call is not None:
            self._go_on(now_s)
        return call

    def late(self, call_id: int) -> Call | None:
        """The call that was given up and whose answer comes now, once."""
        return self._late.pop(call_id, None)

    def overdue(self, now_s: float) -> list[Call]:
        """Open calls whose time is over; they are no longer open."""
        if not self._open:
            return []
        over = [c for c in self._open.values() if now_s >= c.until_s]
        for call in over:
            del self._open[call.id]
            self._late[call.id] = call
        if over:
            self._go_on(now_s)
        return over

    def all(self) -> list[Call]:
        """Whatever is not answered yet, taken out: the link is over."""
        left = [*self._open.values(), *self._waiting, *self._later]
        self._open.clear()
        self._waiting.clear()
        self._later.clear()
        return left

    def _go_on(self, now_s: float) -> None:
        """Send what may go, in order: a call waits for an earlier one that changes the same channel."""
        busy = {c.channel for c in self._open.values() if c.changes}
        held: deque[Call] = deque()
        while self._waiting:
            call = self._waiting.popleft()
            if len(self._open) >= MOST_OPEN or (call.changes and call.channel in busy):
                held.append(call)
            else:
                self._go(call, now_s)
            if call.changes:
                busy.add(call.channel)
        self._waiting = held
        while self._later and len(self._open) < MOST_OPEN:
            self._go(self._later.popleft(), now_s)

    def _go(self, call: Call, now_s: float) -> None:
        self._last += 1
        call.id, call.outcome, call.until_s = self._last, "open", now_s + call.allowed_s
        self._open[call.id] = call
        self._send(call)
