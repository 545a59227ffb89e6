"""A log that is played again: a board that hears it as it was heard then, at any speed."""

import math
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from azven.book.formats import status_log
from azven.gear.racks.values import Checker, Fields
from azven.rf.diagnose.record import SILENT_S
from azven.work.watch.board import Board
from azven.work.watch.rings import RATE_HZ
from azven.work.watch.traces import Key
from azven.work.watch.watched import Span, Watched

LOG = "log"
"""Stands for the rack in the keys of a log's links."""


def watched_of(path: Path) -> Watched:
    """What the head of a log says, as a watch needs it. Refusal for a file that is none."""
    document = status_log.head_document(path)
    head = status_log.head_of(document)
    spans = [Span(k, name, a, b) for k, (name, (a, b)) in enumerate(head.acts.items()) if math.isfinite(b) and b > a]
    try:
        start = datetime.fromisoformat(head.start).astimezone(UTC)
    except ValueError:
        start = datetime(2000, 1, 1, tzinfo=UTC)
    return Watched(document=document, start=start, keys=tuple((LOG, x.name) for x in head.links),
                   spans=tuple(sorted(spans, key=lambda a: a.from_s)))  # fmt: skip


class Replay(Board):
    """Plays a log. `t` is how far it is [s since its start], `end_s` its last line; `speed` 0 stands still. `events`
    takes what happened at a time."""

    steady = False

    def __init__(
        self, path: Path, events: Callable[[float, Mapping[str, Any]], None] = lambda t, event: None
    ) -> None:  # fmt: skip
        super().__init__()
        self.path, self._events = path, events
        self.end_s = status_log.last_moment(path)
        self.speed = 1.0
        self._wanted: float | None = None
        self._checker = Checker()
        self.begin()

    def begin(self) -> None:
        """From the first line on."""
        with self._lock:
            self._lines = status_log.lines(self.path)
            next(self._lines, None)
            self._next: Any = None
            self.t = 0.0
            self._wall = time.monotonic()
            self._known: dict[str, Fields] = {}
            self._named_s: dict[str, float] = {}
            self._empty()

    def close(self) -> None:
        """Read no more of it."""
        with self._lock:
            self._lines.close()

    @property
    def over(self) -> bool:
        return self.t >= self.end_s

    def jump(self, t: float) -> None:
        """Go to a time with the next look, from the beginning where it lies back."""
        self._wanted = min(max(t, 0.0), self.end_s)

    def clock(self) -> float:
        """The time that the log has come to, by the wall's clock and the speed; what lies before it is taken in."""
        wanted, self._wanted = self._wanted, None
        if wanted is not None:
            if wanted < self.t:
                self.begin()
            self.advance(wanted)
            self._wall = time.monotonic()
        wall = time.monotonic()
        passed, self._wall = (wall - self._wall) * self.speed, wall
        if passed > 0:
            self.advance(min(self.t + passed, self.end_s))
        return self.t

    def advance(self, t: float) -> None:
        """Take in all lines up to a time."""
        with self._lock:
            while (line := self._line()) is not None and line[0] <= t:
                self._next = None
                if int(line[0] * RATE_HZ) > self._rings.slot:
                    self._forward(line[0])
                self._take(*line)
            self.t = max(self.t, t)
            self._forward(self.t)

    def _line(self) -> tuple[float, Mapping[str, Any]] | None:
        """The line that comes next, damaged ones left out."""
        while self._next is None:
            line = next(self._lines, self)
            if line is self:
                return None
            if isinstance(line, dict) and isinstance(line.get("t"), int | float) and math.isfinite(line["t"]):
                self._next = max(float(line["t"]), 0.0), line
        found: tuple[float, Mapping[str, Any]] = self._next
        return found

    def _take(self, t: float, line: Mapping[str, Any]) -> None:
        if isinstance(frame := line.get("c"), dict):
            for name, told in frame.items():
                if isinstance(told, dict):
                    fields = self._checker.status(told)
                    known = self._known.setdefault(name, {})
                    known.update(fields)
                    self._row((LOG, name))
                    self._named_s[name] = t
                    self._sign((LOG, name), t, fields, known)
        elif isinstance(event := line.get("event"), dict):
            self._events(t, event)

    def now(self, key: Key) -> Fields:
        return dict(self._known.get(key[1], {}))

    def _heard(self, now_s: float) -> Iterable[tuple[Sequence[int], Iterable[Fields]]]:
        names = [n for n, at in self._named_s.items() if now_s - at < SILENT_S]
        yield [self._rows[LOG, n] for n in names], [self._known[n] for n in names]

    def _named(self, rows: NDArray[np.intp], now_s: float) -> NDArray[np.bool_]:
        since = self._rings.slot / RATE_HZ
        names = [n for n, at in self._named_s.items() if now_s - at < SILENT_S]
        return np.array([self._named_s[n] >= since - 0.05 for n in names], bool)
