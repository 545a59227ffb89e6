"""Sweeps that were taken while a show is watched, as diagnosis and the log have them."""

from collections.abc import Set as AbstractSet
from datetime import UTC, datetime

import numpy as np

from azven.book.edits import BookError
from azven.book.store import Store
from azven.rf.diagnose.record import Sweep
from azven.rf.levels import Floats
from azven.work import listen
from azven.work.scope import Scope

_MOST_BINS = 4_096
_EVEN = 1e-3


def since(store: Store, scope: Scope, start: datetime, known: AbstractSet[int]) -> list[tuple[int, Sweep]]:
    """Sweeps of the site taken since a moment that are not known yet, with their numbers; what is not evenly spaced, or
    cannot be read, is left out."""
    found = []
    for record in listen.sweeps(store, scope):
        at = record.taken_at.astimezone(UTC)
        if record.id in known or at < start:
            continue
        try:
            swept = listen.load(store, record)
        except BookError:
            continue
        made = _as_swept(
            (at - start).total_seconds(), np.asarray(swept.freq_hz, float), np.asarray(swept.level_dbm, float)
        )
        if made is not None:
            found.append((record.id, made))
    return found


def _as_swept(at_s: float, freq_hz: Floats, level_dbm: Floats) -> Sweep | None:
    """Of more bins than a log carries, the loudest of each few."""
    if len(freq_hz) < 2:
        return None
    steps = np.diff(freq_hz)
    step = float(np.median(steps))
    if step <= 0 or np.abs(steps - step).max() > max(_EVEN * step, 1.0):
        return None
    each = -(-len(freq_hz) // _MOST_BINS)
    levels = np.fmax.reduceat(level_dbm, np.arange(0, len(level_dbm), each))
    return Sweep(at_s, None, round(float(freq_hz[0])), round(step * each), levels)
