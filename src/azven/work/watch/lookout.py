"""One look after another: what is wrong, what will be, and how the batteries stand. Knows no cases and no people."""

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from azven.gear.racks.values import Fields
from azven.rf.diagnose.record import SILENT_S, Incident, Sent, Sweep
from azven.work.watch import batteries, before
from azven.work.watch.batteries import Changes, Charge
from azven.work.watch.board import Board
from azven.work.watch.looking import Looking
from azven.work.watch.traces import Key
from azven.work.watch.watched import Watched

_CHARGES_S, _NOW_S = 5.0, 3.0
NOTHING = Changes((), (), ())


@dataclass(frozen=True, kw_only=True)
class Look:
    """What a look at a time [s of the watch] found. `poor`: links whose sound suffers now; `unwell`: those, and links
    that are not heard any more; `took_s`: what it cost of a core."""

    t: float
    found: Sequence[Incident] = ()
    ahead: Sequence[Incident] = ()
    poor: Sequence[str] = ()
    unwell: frozenset[str] = frozenset()
    charges: tuple[Charge, ...] = ()
    changes: Changes = NOTHING
    took_s: float = 0.0


class Looks(Protocol):
    """Whoever looks at a board, here or in another process; always from one thread."""

    def look(self, now_s: float, status: Sequence[Fields], unsent: Mapping[str, Sequence[str]]) -> Look:
        """Look at a moment of the board's clock. `status`: what each link shows now; `unsent`: what differs between
        plan and units, in words by link."""

    def show(self, watched: Watched) -> None:
        """The book has changed: what is known of links that are still there stays known."""

    def begin_again(self) -> None:
        """The board goes back: nothing is known yet."""

    def sent(self, key: Key, values: Mapping[str, object], at_s: float) -> None:
        """Somebody sent values to a channel [s of the watch]."""

    def swept(self, sweep: Sweep) -> None:
        """Somebody took a sweep."""

    def close(self) -> None:
        """Look no more; safe from any thread."""


class Lookout:
    """Looks here and now."""

    def __init__(self, board: Board, watched: Watched, start_s: float) -> None:
        self._board, self._watched, self._start_s = board, watched, start_s
        self.begin_again()

    def begin_again(self) -> None:
        self._looking = Looking(self._board, self._watched.head, self._watched.keys, self._start_s)
        self._charges: tuple[Charge, ...] = ()
        self._changes, self._charged_s = NOTHING, -np.inf

    def show(self, watched: Watched) -> None:
        known, self._watched = self._looking, watched
        self.begin_again()
        self._looking.goes_on_from(known)

    def sent(self, key: Key, values: Mapping[str, object], at_s: float) -> None:
        if key in self._watched.keys:
            name = self._watched.names[self._watched.keys.index(key)]
            self._looking.sent.append(Sent(at_s, name, dict(values)))

    def swept(self, sweep: Sweep) -> None:
        self._looking.sweeps.append(sweep)

    def close(self) -> None:
        """Nothing is held."""

    def look(self, now_s: float, status: Sequence[Fields], unsent: Mapping[str, Sequence[str]]) -> Look:
        begun = time.thread_time()
        looking, watched = self._looking, self._watched
        t = now_s - self._start_s
        found = looking.look(now_s)
        if t - self._charged_s >= _CHARGES_S or t < self._charged_s:
            self._charges = tuple(batteries.charges(watched, looking.evening, status, t))
            self._changes, self._charged_s = batteries.plan(watched, self._charges, t), t
        silent_s, lately = looking.silent_s(now_s), looking.lately
        ahead = before.ahead(
            watched, lately, looking.evening, status, self._charges, unsent, found,
            silent_s if self._board.steady else None, t,
        ) if lately else []  # fmt: skip
        poor = self._poor()
        lost = [n for n, quiet in zip(watched.names, silent_s, strict=True) if SILENT_S <= quiet < np.inf]
        return Look(t=t, found=found, ahead=ahead, poor=poor, unwell=frozenset((*poor, *lost)), charges=self._charges,
                    changes=self._changes, took_s=time.thread_time() - begun)  # fmt: skip

    def _poor(self) -> list[str]:
        """Links whose sound suffers now."""
        lately = self._looking.lately
        if lately is None:
            return []
        last = slice(-lately.steps(_NOW_S), None)
        low = (lately.better < lately.low) & lately.active & lately.heard
        hurt = np.asarray((lately.bad | low)[:, last].any(axis=1))
        return [x.name for x, is_hurt in zip(lately.head.links, hurt, strict=True) if is_hurt]
