"""Work in processes of its own: each has a pipe to whoever began it, and ends with it."""

import multiprocessing
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.context import SpawnProcess
from typing import Any


def begin(work: Callable[..., Any], *about: Any) -> tuple[Connection, SpawnProcess]:
    """Begin `work(pipe, *about)` elsewhere; our end of its pipe, and the process. It takes about half a second."""
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe()
    worker = context.Process(target=work, args=(there, *about), daemon=True)
    worker.start()
    there.close()
    return here, worker
