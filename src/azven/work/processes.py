"""Work in processes of its own, each with a pipe to whoever began it, and beside, in threads that nobody waits for."""

import multiprocessing
import threading
import time
from collections.abc import Callable
from concurrent import futures
from multiprocessing.connection import Connection
from multiprocessing.context import SpawnProcess
from typing import Any, TypeVar

T = TypeVar("T")
Progress = Callable[[int, int], bool]
_LOOK_S = 0.1
"""So often one looks whether work has ended."""


def begin(work: Callable[..., Any], *about: Any) -> tuple[Connection, SpawnProcess]:
    """Begin `work(pipe, *about)` elsewhere; our end of its pipe, and the process. It takes about half a second."""
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe()
    worker = context.Process(target=work, args=(there, *about), daemon=True)
    worker.start()
    there.close()
    return here, worker


def beside(work: Callable[[], T], progress: Progress, at_most_s: float) -> T | None:
    """What work answers that cannot be stopped; None when it was: it ends unheard in a thread that nobody waits for.
    Progress is by the time that it takes at most. It raises what the work raises."""
    answer: futures.Future[T] = futures.Future()

    def run() -> None:
        try:
            answer.set_result(work())
        except Exception as error:  # handed to whoever waits
            answer.set_exception(error)

    began = time.monotonic()
    threading.Thread(target=run, name="azven beside", daemon=True).start()
    while not answer.done():
        share = min((time.monotonic() - began) / at_most_s, 1.0)
        if not progress(int(share * 100), 100):
            return None
        futures.wait([answer], _LOOK_S)
    return answer.result()
