"""Long searches in a process of their own: on large shows the window would wait for the interpreter's lock."""

import os
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any

from azven.work.processes import begin

WORTH_IT = 60
"""From this many links on a process of its own pays; it takes about half a second to start."""
_TOLD_EVERY_S = 0.05
_GIVEN_TO_END_S = 5.0
_LOOKED_EVERY_S = 1.0

Progress = Callable[[int, int], bool]


def run(
    task: Callable[..., Any], args: tuple[Any, ...], links: int, progress: Progress, elapsed: Callable[[], float],
    on_better: Callable[[Any], None] | None = None,
) -> Any:  # fmt: skip
    """`task(*args, progress=…, elapsed=…)`, here when it is about few links, else in another process.

    Progress, better answers and the wish to stop travel between the two; what `task` raises is raised here.
    """
    extra = {"on_better": on_better} if on_better is not None else {}
    if links < WORTH_IT:
        return task(*args, progress=progress, elapsed=elapsed, **extra)
    here, worker = begin(_work, task, args, elapsed(), on_better is not None)
    try:
        return _listen(here, progress, on_better)
    finally:
        here.close()
        worker.join(_GIVEN_TO_END_S)
        if worker.is_alive():
            worker.terminate()


def _listen(pipe: Connection, progress: Progress, on_better: Callable[[Any], None] | None) -> Any:
    stopped = False
    while True:
        try:
            kind, value = pipe.recv()
        except (EOFError, ConnectionResetError):
            raise RuntimeError("The search ended without an answer; what was planned before still stands.") from None
        if kind == "done":
            return value
        if kind == "failed":
            raise value
        if kind == "better" and on_better is not None:
            on_better(value)
        elif kind == "progress" and not progress(*value) and not stopped:
            stopped = True
            with suppress(OSError):  # it has ended by itself meanwhile; its answer is still to be read
                pipe.send("stop")


def _work(
    pipe: Connection, task: Callable[..., Any], args: tuple[Any, ...], offset_s: float, wants_better: bool
) -> None:
    """The other side: runs the task and tells how it goes."""
    threading.Thread(target=_end_with_the_other, args=(os.getppid(),), daemon=True).start()
    started, told, stopped = time.monotonic(), -1.0, False

    def elapsed() -> float:
        return offset_s + time.monotonic() - started

    def progress(done: int, total: int) -> bool:
        nonlocal told, stopped
        if elapsed() - told >= _TOLD_EVERY_S:
            told = elapsed()
            say("progress", (done, total))
        stopped = stopped or pipe.poll()
        return not stopped

    def say(kind: str, value: Any) -> None:
        nonlocal stopped
        try:
            pipe.send((kind, value))
        except OSError:  # whoever asked is gone
            stopped = True

    extra = {"on_better": lambda best: say("better", best)} if wants_better else {}
    try:
        say("done", task(*args, progress=progress, elapsed=elapsed, **extra))
    except Exception as error:  # carried over to whoever asked
        say("failed", error)
    finally:
        pipe.close()


def _end_with_the_other(parent: int) -> None:
    """Nobody is left to ask when the process that started this one has ended, however it did."""
    while os.getppid() == parent:
        time.sleep(_LOOKED_EVERY_S)
    os._exit(1)
