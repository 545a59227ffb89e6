"""Looks in another process: with many links the window would wait for the interpreter's lock."""

import time
from collections import deque
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from multiprocessing.connection import Connection
from multiprocessing.context import SpawnProcess
from typing import Any

from azven.gear.racks.values import Fields
from azven.rf.diagnose.record import Sweep
from azven.work.processes import begin
from azven.work.watch.board import Board, Patch
from azven.work.watch.lookout import Look, Lookout
from azven.work.watch.traces import Key
from azven.work.watch.watched import Watched

WORTH_IT = 100
"""From this many links on a process of its own pays; it takes about half a second to start."""
_TOLD = ("tx", "txf", "bat", "left_min")
"""What a look asks of what links show now; everything else it reads off the board."""


class Copy(Board):
    """A board as another process has it."""

    def __init__(self, steady: bool) -> None:
        super().__init__()
        self.steady = steady

    def _forward(self, now_s: float) -> None:
        """It goes on only by patches."""


class Beside:
    """Has a `Lookout` elsewhere that looks at a copy of the board. One that ends by accident is told by an error of
    that look, and another one begins with all that the board remembers."""

    def __init__(self, board: Board, watched: Watched, start_s: float) -> None:
        self._board, self._watched, self._start_s = board, watched, start_s
        self._asked: deque[tuple[str, tuple[Any, ...]]] = deque()
        self._known = (0, 0)
        self._worker: SpawnProcess | None = None
        self._pipe: Connection | None = None
        self._closed = False

    def show(self, watched: Watched) -> None:
        self._watched = watched
        self._asked.append(("show", (watched,)))

    def begin_again(self) -> None:
        self._end()

    def sent(self, key: Key, values: Mapping[str, object], at_s: float) -> None:
        self._asked.append(("sent", (key, values, at_s)))

    def swept(self, sweep: Sweep) -> None:
        self._asked.append(("swept", (sweep,)))

    def close(self) -> None:
        self._closed, worker = True, self._worker
        if worker is not None:  # a look that is being taken ends with it
            worker.terminate()
            worker.join()

    def look(self, now_s: float, status: Sequence[Fields], unsent: Mapping[str, Sequence[str]]) -> Look:
        begun = time.thread_time()
        try:
            pipe = self._begin()
            patch = self._board.patch(now_s, *self._known)
            some = [{name: told[name] for name in _TOLD if name in told} for told in status]
            pipe.send((list(self._asked), patch, (now_s, some, unsent)))
            here_s = time.thread_time() - begun
            took_s, found = self._received(pipe)
        except (EOFError, OSError) as error:
            self._end()
            raise RuntimeError("The process that looks at the links ended; another one is begun.") from error
        self._asked.clear()
        self._known = patch.slots
        if isinstance(found, Exception):
            raise found
        return replace(found, took_s=here_s + took_s)

    @staticmethod
    def _received(pipe: Connection) -> tuple[float, Look | Exception]:
        took_s, found = pipe.recv()
        return took_s, found

    def _begin(self) -> Connection:
        if self._closed:
            raise EOFError
        if self._pipe is None:
            self._pipe, self._worker = begin(_work, self._board.steady, self._watched, self._start_s)
            self._known = (0, 0)
        return self._pipe

    def _end(self) -> None:
        worker, self._worker, pipe, self._pipe = self._worker, None, self._pipe, None
        if worker is not None:
            worker.terminate()
            worker.join()
        if pipe is not None:
            pipe.close()


def _work(pipe: Connection, steady: bool, watched: Watched, start_s: float) -> None:
    """The other side: takes over what came and looks, until nobody asks any more."""
    board = Copy(steady)
    lookout = Lookout(board, watched, start_s)
    with suppress(EOFError, OSError, KeyboardInterrupt):
        while True:
            asked, patch, question = pipe.recv()
            begun = time.thread_time()
            answer = _answer(board, lookout, asked, patch, question)
            pipe.send((time.thread_time() - begun, answer))


def _answer(
    board: Copy, lookout: Lookout, asked: Sequence[tuple[str, tuple[Any, ...]]], patch: Patch, question: Any
) -> Look | Exception:
    try:
        for name, about in asked:
            getattr(lookout, name)(*about)
        board.take(patch)
        return lookout.look(*question)
    except Exception as error:  # carried over to whoever asked
        return error
