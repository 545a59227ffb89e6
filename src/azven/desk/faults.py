"""Faults of ours: kept in a log file with their traceback, told in one sentence that names it."""

import logging
from pathlib import Path

from azven.refusal import Refusal

_LOG = logging.getLogger("azven")
_MOST_BYTES, _OLD_FILES = 500_000, 3


def log_file() -> Path | None:
    """Where faults are kept: `azven.log` in the state folder of the user; None where no such folder can be made."""
    from platformdirs import user_state_path

    try:
        return user_state_path("azven", appauthor=False, ensure_exists=True) / "azven.log"
    except OSError:
        return None


def keep_log() -> str:
    """Write what is logged from now on to the file, which begins anew before it gets long. The file's place, empty
    where none can be written."""
    from logging.handlers import RotatingFileHandler

    known = next((h.baseFilename for h in _LOG.handlers if isinstance(h, RotatingFileHandler)), "")
    path = None if known else log_file()
    if path is None:
        return known
    try:
        handler = RotatingFileHandler(path, maxBytes=_MOST_BYTES, backupCount=_OLD_FILES, encoding="utf-8")
    except OSError:
        return ""
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    _LOG.addHandler(handler)
    return str(path)


def sentence(error: BaseException) -> str:
    """What the user is told: a refusal speaks for itself; anything else is logged, and the sentence says where."""
    if isinstance(error, Refusal):
        return str(error)
    kept = keep_log()
    _LOG.error("a fault of Azven", exc_info=error)
    where = f" What happened is kept in {kept}." if kept else ""
    return f"Something in Azven went wrong ({type(error).__name__}); what was done before is safe.{where}"
