"""Many takes at once, each on a core of its own while there are some."""

import os
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from multiprocessing.context import SpawnProcess
from typing import Any

from azven.rf.rehearse import foretold, take
from azven.rf.rehearse.foretold import Outcome
from azven.rf.rehearse.production import Production
from azven.work.processes import begin

_TOLD_EVERY_S = 0.1
_PARTS = 100
Progress = Callable[[int, int], bool]
"""Told how much of how much is done, ten times a second; whether to go on."""


@dataclass(frozen=True)
class Task:
    """A take to be played: of which production, which act by its place, with which seed; all of the act or, judged by
    nobody, what lies between two moments [s of the evening]."""

    production: int
    act: int
    seed: int
    between_s: tuple[float, float] | None = None

    def play(self, productions: Sequence[Production], tell: Callable[[float], bool]) -> Outcome | None:
        """Play it; None when it was stopped."""
        of = productions[self.production]
        played = take.play(of, of.acts[self.act], self.seed, tell, self.between_s)
        if played is None:
            return None
        return foretold.outcome(played) if self.between_s is None else foretold.unjudged(played)


Played = list[tuple[Task, Outcome]]


def play_all(
    productions: Sequence[Production], tasks: Sequence[Task], progress: Progress, cores: int | None = None
) -> tuple[Played, bool]:  # fmt: skip
    """What came of every task, as they ended, and whether it was stopped: then it is those that were at their end."""
    size = min(cores or os.cpu_count() or 1, len(tasks))
    if size < 2:
        return _alone(productions, tasks, progress)
    workers: dict[Connection, SpawnProcess] = {}
    try:
        for _ in range(size):
            here, worker = begin(_work, tuple(productions))
            workers[here] = worker
        return _led(list(workers), list(tasks), progress)
    finally:
        for pipe, worker in workers.items():
            pipe.close()
            worker.terminate()
            worker.join()


def _alone(productions: Sequence[Production], tasks: Sequence[Task], progress: Progress) -> tuple[Played, bool]:
    done: Played = []
    for number, task in enumerate(tasks):

        def tell(share: float, number: int = number) -> bool:
            return progress(round(_PARTS * (number + share)), _PARTS * len(tasks))

        found = task.play(productions, tell)
        if found is None:
            return done, True
        done.append((task, found))
    progress(_PARTS * len(tasks), _PARTS * len(tasks))
    return done, False


def _led(pipes: list[Connection], tasks: list[Task], progress: Progress) -> tuple[Played, bool]:
    """Hand tasks out as workers are free, and gather what comes."""
    total, done = _PARTS * len(tasks), Played()
    shares = dict.fromkeys(pipes, 0.0)
    busy: dict[Connection, Task] = {}
    while tasks or busy:
        for pipe in [p for p in pipes if p not in busy][: len(tasks)]:
            busy[pipe] = tasks.pop(0)
            pipe.send(busy[pipe])
        for ready in wait(list(busy), _TOLD_EVERY_S):
            assert isinstance(ready, Connection)
            kind, value = _received(ready)
            if kind == "share":
                shares[ready] = value
                continue
            if kind == "failed":
                raise value
            done.append((busy.pop(ready), value))
            shares[ready] = 0.0
        if not progress(min(round(_PARTS * (len(done) + sum(shares.values()))), total), total):
            return done, True
    return done, False


def _received(pipe: Connection) -> tuple[str, Any]:
    try:
        kind, value = pipe.recv()
    except (EOFError, OSError):
        return "failed", RuntimeError("A process that rehearses ended by itself: nothing of this rehearsal is kept.")
    return kind, value


def _work(pipe: Connection, productions: Sequence[Production]) -> None:
    """The other side: plays what it is handed until nobody asks any more."""

    def tell(share: float) -> bool:
        pipe.send(("share", share))
        return True

    with suppress(EOFError, OSError, KeyboardInterrupt):
        while True:
            task = pipe.recv()
            try:
                pipe.send(("done", task.play(productions, tell)))
            except (EOFError, OSError):
                raise
            except Exception as error:  # carried over to whoever asked
                pipe.send(("failed", error))
