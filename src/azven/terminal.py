"""What every command does at a terminal: answer, refuse, tell how far it is, end when it is told to."""

import json
import queue
import signal
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, NoReturn

import click

UNUSABLE = 2
"""The exit code where what was given cannot be used."""


def until_stopped() -> threading.Event:
    """Set when somebody stops us.

    A thread sets it: a handler that came while the main thread begins to wait for it would wait for that one's lock,
    for ever. Putting into a SimpleQueue is made for handlers.
    """
    over, told = threading.Event(), queue.SimpleQueue[None]()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: told.put(None))

    def hear() -> None:
        told.get()
        over.set()

    threading.Thread(target=hear, name="stopping", daemon=True).start()
    return over


def give(found: dict[str, Any], output: Path | None) -> None:
    """Write JSON to a file, whole or not at all, or to standard output."""
    from azven.book.formats.whole import write_whole

    text = json.dumps(found, indent=2, ensure_ascii=False) + "\n"
    if output is None:
        click.echo(text, nl=False)
        return
    try:
        write_whole(output, text.encode("utf-8"))
    except OSError as error:
        refuse(output, str(error.strerror))


def refuse(path: Path | str, message: str) -> NoReturn:
    """One line on standard error, exit 2."""
    prefix = "" if message.startswith(str(path)) else f"{path}: "
    click.echo(f"{prefix}{' '.join(message.split())}", err=True)
    sys.exit(UNUSABLE)


def progress_line(what: str = "of the search") -> Callable[[int, int], bool]:
    """A progress line on standard error when that is a terminal."""
    show = sys.stderr.isatty()

    def progress(done: int, total: int) -> bool:
        if show:
            end = "\n" if done >= total else ""
            sys.stderr.write(f"\r{100 * done // max(total, 1):3d} % {what}{end}")
        return True

    return progress
