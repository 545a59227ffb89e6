"""A finished log diagnosed: `azven-status-log` in, `azven-diagnosis` out."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from azven.book.formats import status_log
from azven.rf.diagnose.record import Incident
from azven.rf.diagnose.weigh import diagnose

FORMAT, VERSION = "azven-diagnosis", 1
_WORDS = ((0.9, "certain"), (0.7, "likely"), (0.4, "perhaps"))


def of_log(path: Path) -> tuple[list[Incident], int]:
    """Incidents of a log, in the order of time, and how many of its lines were damaged. Refusal for a file that is
    none."""
    record = status_log.read(path)
    return diagnose(record), record.damaged


def document(found: Sequence[Incident]) -> dict[str, Any]:
    """Incidents as `azven-diagnosis` 1."""
    return {"format": FORMAT, "version": VERSION, "incidents": [as_dict(x) for x in found]}


def as_dict(it: Incident) -> dict[str, Any]:
    """An incident as it stands in a diagnosis."""
    return {
        "from_s": round(it.from_s, 2), "to_s": round(it.to_s, 2), "links": list(it.links), "cause": it.cause,
        "sure": round(it.sure, 2), "detail": it.detail, "evidence": it.evidence, "next": it.next,
    }  # fmt: skip


def sure_in_words(sure: float) -> str:
    """A number that is meant, as a word."""
    return next((word for least, word in _WORDS if sure >= least), "unknown")
