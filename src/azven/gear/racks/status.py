"""What is known of the channels of a rack: frames that tell what changed, snapshots that fill the holes between."""

from collections import deque
from typing import Any

from azven.gear.racks.values import Checker, Fields

_LOOKED_BACK, _REMEMBERED = 8, 128
"""So many of the last frames are kept, and so many while a snapshot is waited for: it does not know what they said
after it."""


class Status:
    """Fields by channel as they are known now. None: told as not known; missing: never told, or no longer."""

    def __init__(self) -> None:
        self.values: dict[str, Fields] = {}
        self.new_link()

    def new_link(self) -> None:
        """A connection begins: numbers and the rack's clock begin anew, what is known stays."""
        self._n = 0
        self._ms: int | None = None
        self._gap_n = 0
        self._recent: deque[tuple[int, dict[str, Fields]]] = deque(maxlen=_REMEMBERED)

    def channels(self, ids: list[str]) -> None:
        """The channels that the card lists."""
        self.values = {i: self.values.get(i, {}) for i in ids}

    @property
    def gap(self) -> bool:
        """Whether frames are missing that no snapshot has made good."""
        return self._gap_n > 0

    def in_order(self, n: int) -> bool:
        return n > self._n

    def frame(self, ms: int, n: int, full: bool, c: dict[str, Any], checker: Checker) -> dict[str, Fields]:
        """Take a frame; what it changed, as the log has it: with null for what a full one no longer names."""
        if (n != self._n + 1 and self._n) or not (self._n or full):
            self._gap_n = n
        if self._ms is not None and ms < self._ms:
            checker.count("clock")
        self._n, self._ms = n, ms
        changes = self._checked(c, checker)
        self._recent.append((n, changes))
        if not self._gap_n and len(self._recent) > _LOOKED_BACK:
            self._recent.popleft()
        if full:
            return self._replace(changes)
        values = self.values
        for channel, fields in changes.items():
            values[channel].update(fields)
        return changes

    def snapshot(self, n: int, c: dict[str, Any], checker: Checker) -> dict[str, Fields]:
        """Take a snapshot: it holds for all that no later frame has named."""
        told = self._checked(c, checker)
        changes = self._replace(told)
        for number, later in self._recent:
            if number > n:
                for channel, fields in later.items():
                    self.values[channel].update(fields)
        self._n = max(self._n, n)
        if n >= self._gap_n:
            self._gap_n = 0
        return changes

    def _replace(self, told: dict[str, Fields]) -> dict[str, Fields]:
        changes = dict(told)
        for channel, known in self.values.items():
            fields = told.get(channel, {})
            gone = [key for key, value in known.items() if key not in fields and value is not None]
            if gone:
                changes[channel] = {**fields, **dict.fromkeys(gone)}
            self.values[channel] = dict(fields)
        return changes

    def _checked(self, c: dict[str, Any], checker: Checker) -> dict[str, Fields]:
        known, status = self.values, checker.status
        taken: dict[str, Fields] = {}
        for channel, fields in c.items():
            if channel not in known:
                checker.count("channel")
            elif type(fields) is not dict:
                checker.count("type")
            else:
                taken[channel] = status(fields)
        return taken
