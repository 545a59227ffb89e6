"""Sweeps from files and to files."""

from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from azven.book.edits import Edit
from azven.book.formats import sweep_csv
from azven.book.formats.sweep_csv import SweepFile
from azven.book.reading import Making
from azven.book.records import HEARS
from azven.book.records import Sweep as SweepRecord
from azven.book.store import Store
from azven.rf.sweep import Sweep
from azven.work.listen.merged import keep, load
from azven.work.listen.taking import About
from azven.work.scope import Scope


def import_sweep(
    store: Making, scope: Scope, path: Path, file: SweepFile, column: str | None = None, about: About | None = None
) -> Edit:
    """Keep a sweep that was read from a file; what its metadata says fills what the user left open."""
    meta = file.metadata
    rbw = sweep_csv.number(meta.get("rbw_hz")) or float(np.median(np.diff(file.freq_hz)))
    sweep = Sweep(file.freq_hz, file.level_dbm(column), rbw, "peak" if meta.get("detector") == "peak" else "average")
    said = About(
        meta.get("place", path.stem),
        meta.get("antenna", "not said"),
        meta.get("own_transmitters", "off").lower() == "on",
        next((h for h in HEARS if h == meta.get("hears")), "everyone"),
        note="; ".join(file.remarks),
    )
    return keep(store, scope, sweep, about or said, path.name, _moment(meta.get("time")))


def export_sweep(store: Store, record: SweepRecord, path: Path) -> None:
    """Write a sweep as CSV with what is known of it."""
    sweep = load(store, record)
    sweep_csv.write(path, sweep.freq_hz, sweep.level_dbm, described(record))


def described(record: SweepRecord) -> dict[str, str]:
    """What is known of a sweep, as the metadata of its CSV."""
    return {
        "time": record.taken_at.isoformat(),
        "place": record.place,
        "antenna": record.antenna,
        "rbw_hz": f"{record.rbw_hz:g}",
        "detector": record.detector,
        "own_transmitters": "on" if record.own_on else "off",
    }


def _moment(text: str | None) -> datetime | None:
    try:
        found = datetime.fromisoformat(text) if text else None
    except ValueError:
        return None
    return found.replace(tzinfo=UTC) if found and found.tzinfo is None else found
