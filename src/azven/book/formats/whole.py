"""Files that are written whole or not at all."""

import errno
import os
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_NAME_CHARS = 40


@contextmanager
def written_whole(path: Path, mode: int | None = None) -> Iterator[Path]:
    """A new file beside `path` to write into. It is flushed and takes the place of `path` when the block ends; when
    that fails, whatever stood there stays. It has the rights `mode`, else those of what it replaces. OSError when it
    cannot be written, or when nothing was.

    The new file has a name nobody can know before, so that no link laid in its way is followed.
    """
    handle, name = tempfile.mkstemp(prefix=f".{path.name[:_NAME_CHARS]}.", dir=path.parent)
    os.close(handle)
    fresh = Path(name)
    try:
        yield fresh
        with fresh.open("rb+") as file:
            if file.seek(0, os.SEEK_END) == 0:
                raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
            os.fsync(file.fileno())
        fresh.chmod(_mode(path) if mode is None else mode)
        fresh.replace(path)
    finally:
        fresh.unlink(missing_ok=True)


def write_whole(path: Path, data: bytes) -> None:
    """Write a file whole or not at all; OSError when that fails, with what stood there kept."""
    with written_whole(path) as fresh:
        fresh.write_bytes(data)


def _mode(path: Path) -> int:
    """The rights of the file that is replaced, else those that a new one would get."""
    try:
        return stat.S_IMODE(path.stat().st_mode)
    except OSError:
        mask = os.umask(0)
        os.umask(mask)
        return 0o666 & ~mask
