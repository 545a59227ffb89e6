"""What a watch writes down: files of one folder, a new one when what is known of the show changes or one gets large."""

from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from azven.book.eventlog import StatusLog
from azven.book.place import File, Place

_LARGEST = 200 * 1024 * 1024


def folder_of(place: Place, own: Path | None) -> Path | None:
    """Where the logs of a book are: beside its file; for a book on a server in the desk's `own` folder."""
    if isinstance(place, File):
        return place.path.with_name(f"{place.path.name}.logs")
    return own / "logs" / place.stem if own is not None else None


def logs(folder: Path | None) -> list[Path]:
    """The logs in a folder, the newest first."""
    if folder is None or not folder.is_dir():
        return []
    return sorted((p for p in folder.iterdir() if p.name.endswith((".jsonl", ".jsonl.gz"))), reverse=True)


class Keeping:
    """Takes frames and events at times of a watch [s], and writes them with times of the file that is being written.
    `told` hears, on another thread, what goes wrong with the disk."""

    def __init__(self, folder: Path, told: Callable[[str], None]) -> None:
        self.folder, self._told = folder, told
        self.path: Path | None = None
        self._log: StatusLog | None = None
        self._begun_s = 0.0

    def begin(self, t: float, head: Mapping[str, Any]) -> None:
        """Begin a file at a time of the watch; times in its `head` count from now. Refusal when none can be made."""
        self.folder.mkdir(parents=True, exist_ok=True)
        path = self._free()
        before, self._log, self._begun_s, self.path = self._log, StatusLog(path, head, self._told), t, path
        if before is not None:
            before.close()

    def _free(self) -> Path:
        stem = datetime.now(UTC).strftime("%Y-%m-%dT%H-%M-%SZ")
        names = (f"{stem}{f'_{k}' if k else ''}.jsonl" for k in range(1000))
        return next(p for n in names if not (p := self.folder / n).exists())

    @property
    def full(self) -> bool:
        """Whether the file has become so large that another is begun."""
        return self.path is not None and self._log is not None and self._log.written >= _LARGEST

    def frame(self, t: float, links: Mapping[str, Any]) -> None:
        if self._log is not None:
            self._log.frame(t - self._begun_s, links)

    def event(self, t: float, event: Mapping[str, Any]) -> None:
        if self._log is not None:
            self._log.event(t - self._begun_s, event)

    def close(self) -> None:
        """Write what is left; safe to call twice."""
        if self._log is not None:
            self._log.close()
