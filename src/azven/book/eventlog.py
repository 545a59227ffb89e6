"""The status log: append-only JSON Lines (`azven-status-log` 1), written beside whoever logs, never in an edit.

Lines are gathered and written twice a second, so that a process that is killed loses the last second at most. When the
disk refuses, what was written stays whole, lines are kept in memory and tried again.
"""

import gzip
import json
import os
import threading
from collections import deque
from collections.abc import Callable, Mapping
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from azven.refusal import Refusal

FORMAT, VERSION = "azven-status-log", 1
_EVERY_S = 0.5
_HELD_BYTES = 64 * 1024 * 1024


class StatusLog:
    """Writes one log. `head` is what is known of the show (site, acts, links, …); `told` hears, on the writer's thread,
    when lines cannot be written and when they can again. Refusal when there is a log at `path` already, or none can be
    made there."""

    def __init__(self, path: Path, head: Mapping[str, Any], told: Callable[[str], None] = lambda _: None) -> None:
        self._told = told
        self._zip = path.suffix == ".gz"
        self._lines: deque[bytes] = deque()
        self._held = self._lost = 0
        self._lock = threading.Lock()
        self._last_t = 0.0
        self._over = threading.Event()
        self._failing = False
        self._file = _made(path)
        self._good = 0
        start = datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
        self._add({"format": FORMAT, "version": VERSION, "start": start, **head})
        self._flush()
        self._thread = threading.Thread(target=self._run, name="status log", daemon=True)
        self._thread.start()

    def frame(self, t: float, links: Mapping[str, Any]) -> None:
        """Status fields by link at a time [s since the start]; time never goes back in the log."""
        self._add({"t": self._time(t), "c": links})

    def event(self, t: float, event: Mapping[str, Any]) -> None:
        """An event at a time [s since the start]."""
        self._add({"t": self._time(t), "event": event})

    @property
    def written(self) -> int:
        """Bytes that are on the disk."""
        return self._good

    def close(self) -> None:
        """Write what is left; safe to call twice."""
        if not self._over.is_set():
            self._over.set()
            self._thread.join()
            self._file.close()

    def _time(self, t: float) -> float:
        self._last_t = max(self._last_t, round(t, 3))
        return self._last_t

    def _add(self, value: Mapping[str, Any]) -> None:
        line = json.dumps(value, ensure_ascii=False, separators=(",", ":")).encode("utf-8", "replace") + b"\n"
        with self._lock:
            self._lines.append(line)
            self._held += len(line)
            while self._held > _HELD_BYTES:
                self._held -= len(self._lines.popleft())
                self._lost += 1

    def _run(self) -> None:
        while not self._over.wait(_EVERY_S):
            self._flush()
        self._flush()

    def _flush(self) -> None:
        with self._lock:
            lines, lost = list(self._lines), self._lost
        if not lines:
            return
        try:
            self._write(b"".join(lines))
        except OSError as error:
            self._fail(error)
            return
        with self._lock:
            dropped = self._lost - lost
            for line in lines[dropped:]:
                self._held -= len(line)
                self._lines.popleft()
        if self._failing:
            self._failing = False
            missing = f" {self._lost} lines are missing." if self._lost else " Nothing is missing."
            self._told(f"The log is written again.{missing}")

    def _write(self, data: bytes) -> None:
        whole = gzip.compress(data, 5, mtime=0) if self._zip else data
        done = self._good
        while done < self._good + len(whole):
            done += os.pwrite(self._file.fileno(), whole[done - self._good :], done)
        os.fsync(self._file.fileno())
        self._good = done

    def _fail(self, error: OSError) -> None:
        """What was begun is cut off again, so that the log ends with a whole line."""
        with suppress(OSError):
            os.ftruncate(self._file.fileno(), self._good)
        if not self._failing:
            self._failing = True
            self._told(f"The log cannot be written ({error.strerror}); lines are kept and tried again and again.")


def _made(path: Path) -> Any:
    try:
        if path.exists() and path.stat().st_size:
            raise Refusal(f"There is something in {path} already; a log needs a file of its own.")
        return path.open("wb", buffering=0)
    except OSError as error:
        raise Refusal(f"No log can be written to {path} ({error.strerror}).") from error
