"""Diagnosis beside a running show: every second what is remarkable is looked at, by the same code as a finished log."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from azven.rf.diagnose.record import Head, Incident, Record, Sent, Sweep
from azven.rf.diagnose.remarkable import Usual, remarkable, unexplained, usual
from azven.rf.diagnose.weigh import diagnose, filling
from azven.work.watch.board import Board
from azven.work.watch.traces import Key

_LATELY_S, _KEPT_S, _USUAL_S, _FILLING_S, _SENT_S = 16.0, 90.0, 30.0, 60.0, 700.0


class Looking:
    """Looks at a board. `keys` are those of the links of the head, None for one that nobody tells anything of; times of
    incidents count from `start_s`."""

    def __init__(self, board: Board, head: Head, keys: Sequence[Key | None], start_s: float) -> None:
        self.board, self.head, self.keys, self.start_s = board, head, keys, start_s
        self.sent: list[Sent] = []
        self.sweeps: list[Sweep] = []
        self.lately: Record | None = None
        """The last seconds."""
        self.evening: Record | None = None
        """Two hours, thinned, as they were a minute ago at most."""
        self._usual: Usual | None = None
        self._usual_s = self._filling_s = -np.inf
        self._filling: list[Incident] = []
        self._until_s = np.full(len(head.links), -np.inf)

    def look(self, now_s: float) -> list[Incident]:
        """What is wrong at a moment of the board's clock, or was in the last minutes."""
        if not self.head.links:
            return []
        if now_s - self._usual_s >= _USUAL_S:
            self._usual = usual(self.board.record(self.head, self.keys, now_s, self.start_s))
            self._usual_s = now_s
        assert self._usual is not None
        self.lately = self.board.record(self.head, self.keys, now_s, self.start_s, _LATELY_S)
        self._until_s[remarkable(self.lately, self._usual)] = now_s + _KEPT_S
        if now_s - self._filling_s >= _FILLING_S:
            self.evening = self.board.evening(self.head, self.keys, now_s, self.start_s)
            self._filling, self._filling_s = filling(self.evening), now_s
        only = np.flatnonzero(self._until_s > now_s)
        if not len(only):
            return list(self._filling)
        record = self.board.record(self.head, self.keys, now_s, self.start_s)
        self.sent = [s for s in self.sent if s.at_s > record.at_s[0] - _SENT_S]
        self.sweeps = [s for s in self.sweeps if s.at_s > record.at_s[0]]
        record = replace(record, only=only.tolist(), evening=self.evening, sent=self.sent, sweeps=self.sweeps)
        found = diagnose(record, self._filling)
        return found + unexplained(record, found)
