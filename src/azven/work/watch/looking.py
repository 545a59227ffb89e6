"""Diagnosis beside a running show: every second what is remarkable is looked at, by the same code as a finished log."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from azven.rf.diagnose.record import Head, Incident, Record, Sent, Sweep
from azven.rf.diagnose.remarkable import Usual, kept, remarkable, unexplained, usual
from azven.rf.diagnose.weigh import diagnose, filling
from azven.rf.levels import Floats
from azven.work.watch.board import Board
from azven.work.watch.traces import Key

_LATELY_S, _KEPT_S, _USUAL_S, _FILLING_S, _SENT_S = 16.0, 90.0, 30.0, 60.0, 700.0

_LASTING = frozenset({"branch", "system"})
_ENOUGH_S = 120.0
"""Before so much was heard, nobody knows what is usual."""


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
        self._frozen = np.zeros(len(head.links), bool)
        self._named_s = np.full(len(head.links), -np.inf)
        self._until_s = np.full(len(head.links), -np.inf)

    def look(self, now_s: float) -> list[Incident]:
        """What is wrong at a moment of the board's clock, or was in the last minutes."""
        if not self.head.links or not self.board.begun:
            return []
        known = self._known(now_s)
        self.lately = self.board.record(self.head, self.keys, now_s, self.start_s, _LATELY_S)
        self._until_s[remarkable(self.lately, known)] = now_s + _KEPT_S
        if now_s - self._filling_s >= _FILLING_S:
            self.evening = self.board.evening(self.head, self.keys, now_s, self.start_s)
            self._filling, self._filling_s = filling(self.evening), now_s
        only = np.flatnonzero(self._until_s > now_s)
        if not len(only):
            return list(self._filling)
        record = self.board.record(self.head, self.keys, now_s, self.start_s)
        self.sent = [s for s in self.sent if s.at_s > record.at_s[0] - _SENT_S]
        self.sweeps = [s for s in self.sweeps if s.at_s > record.at_s[0]]
        record = replace(
            record, only=only.tolist(), evening=self.evening, sent=self.sent, sweeps=self.sweeps,
            lean=(known.lean_db, known.scatter_db) if now_s - self.start_s >= _ENOUGH_S else None,
        )  # fmt: skip
        found = diagnose(record, self._filling)
        lasting = {n for x in found if x.cause in _LASTING and x.to_s >= record.at_s[-1] - _LATELY_S for n in x.links}
        self._frozen = np.array([x.name in lasting for x in self.head.links], bool)
        return found + unexplained(record, found)

    def _known(self, now_s: float) -> Usual:
        """What is usual, worked out anew now and then; links of a system in trouble keep what was usual before."""
        if self._usual is None or now_s - self._usual_s >= _USUAL_S:
            now = usual(self.board.record(self.head, self.keys, now_s, self.start_s))
            self._usual = now if self._usual is None else kept(self._usual, now, self._frozen)
            self._usual_s = now_s
        return self._usual

    def goes_on_from(self, before: "Looking") -> None:
        """The book has changed: what is known of links that are still there stays known, by their keys. Otherwise
        trouble that lasts would be taken for what is usual."""
        self.sent, self.sweeps = before.sent, before.sweeps
        place = {key: i for i, key in enumerate(before.keys) if key is not None}
        old = np.array([place.get(key, -1) if key is not None else -1 for key in self.keys], np.intp)
        there = old >= 0
        self._named_s[there], self._until_s[there] = before._named_s[old[there]], before._until_s[old[there]]
        self._frozen[there] = before._frozen[old[there]]
        if before._usual is not None:
            rows = [np.full(len(self.keys), np.nan) for _ in vars(before._usual)]
            for row, known in zip(rows, vars(before._usual).values(), strict=True):
                row[there] = known[old[there]]
            self._usual, self._usual_s = Usual(*rows), before._usual_s

    def silent_s(self, now_s: float) -> Floats:
        """For how long nothing was said of each link [s]; infinite for one that was never heard of."""
        if self.lately is not None and self.lately.named_s.size:
            self._named_s = np.fmax(self._named_s, self.lately.named_s[:, -1])
        return now_s - self.start_s - self._named_s
