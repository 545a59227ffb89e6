"""Walk tests: where a link was lost on its way, and the first sorting of why (domain, section 8)."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from azven.rf.levels import Floats

Sort = Literal["battery", "interference", "signal fell", "multipath", "unknown"]
LOW_DB, APART_DB, HALF_Q = 6.0, 10.0, 50.0
_BATTERY_S, _JOINED_S = 10.0, 0.5


@dataclass(frozen=True)
class Readings:
    """A link on a walk: moments (n,) [s] with level A and B [dBm], quality [%], battery [%] and whether its transmitter
    is on (1, 0); NaN where not told."""

    at_s: Floats
    a: Floats
    b: Floats
    q: Floats
    bat: Floats
    tx: Floats


@dataclass(frozen=True)
class Dropout:
    """A stretch in which a link was in trouble: from, to [s], by how much its better antenna was over need [dB] at the
    worst, the least quality, and what it is sorted under."""

    from_s: float
    to_s: float
    worst_db: float
    least_q: float
    sort: Sort


def lost(readings: Readings, threshold_dbm: float) -> NDArray[np.bool_]:
    """Moments (n,) in trouble: quality under half, or every antenna that tells its level low."""
    better = np.fmax(readings.a, readings.b)
    low = better < threshold_dbm + LOW_DB
    bad = readings.q < HALF_Q
    return np.asarray(np.where(np.isnan(readings.q), low, bad | low))


def dropouts(readings: Readings, threshold_dbm: float) -> list[Dropout]:
    """Stretches in trouble, those within half a second of one another together, sorted by their first causes."""
    return [_told(readings, threshold_dbm, i, j) for i, j in _stretches(readings.at_s, lost(readings, threshold_dbm))]


def served(readings: Readings, threshold_dbm: float) -> float:
    """Share of the moments that were not in trouble; moments without any reading do not count."""
    known = ~(np.isnan(readings.q) & np.isnan(readings.a) & np.isnan(readings.b))
    return float(np.mean(~lost(readings, threshold_dbm)[known])) if known.any() else float("nan")


def _stretches(at_s: Floats, bad: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """First and last index of each stretch."""
    where = np.flatnonzero(bad)
    if not len(where):
        return
    parts = np.split(where, np.flatnonzero(np.diff(at_s[where]) > _JOINED_S) + 1)
    for part in parts:
        yield int(part[0]), int(part[-1])


def _told(readings: Readings, threshold_dbm: float, i: int, j: int) -> Dropout:
    part = slice(i, j + 1)
    better = np.fmax(readings.a[part], readings.b[part])
    worst = float(np.nanmin(better)) - threshold_dbm if np.isfinite(better).any() else float("nan")
    quality = readings.q[part]
    least = float(np.nanmin(quality)) if np.isfinite(quality).any() else float("nan")
    sort = _sorted(readings, threshold_dbm, i, j)
    return Dropout(float(readings.at_s[i]), float(readings.at_s[j]), worst, least, sort)


def _sorted(readings: Readings, threshold_dbm: float, i: int, j: int) -> Sort:
    """The first that fits, in the fixed order."""
    near = np.abs(readings.at_s - readings.at_s[i]) <= _BATTERY_S
    if (readings.bat[near] <= 0).any():
        return "battery"
    a, b, q, tx = (x[i : j + 1] for x in (readings.a, readings.b, readings.q, readings.tx))
    low_a, low_b = (x < threshold_dbm + LOW_DB for x in (a, b))
    low = np.where(np.isnan(b), low_a, np.where(np.isnan(a), low_b, low_a & low_b))
    none_low = ~(low_a | low_b) & ~(np.isnan(a) & np.isnan(b))
    if _mostly(none_low & (q < HALF_Q)) or _mostly((tx == 0) & ~low & ~(np.isnan(a) & np.isnan(b))):
        return "interference"
    if _mostly(low):
        return "signal fell"
    if _mostly((low_a & (b >= a + APART_DB)) | (low_b & (a >= b + APART_DB))):
        return "multipath"
    return "unknown"


def _mostly(true: ArrayLike) -> bool:
    return bool(np.mean(np.asarray(true, float)) >= 0.5)


def place_at(marks: list[tuple[float, float, float]], at_s: Floats) -> Floats:
    """Places (n, 2) [m] at moments (n,), by marks (second, x, y): walked evenly between them. NaN without a mark, and
    before the first and after the last one the place of that mark."""
    if not marks:
        return np.full((len(at_s), 2), np.nan)
    t, x, y = np.array(sorted(marks), float).T
    return np.column_stack([np.interp(at_s, t, x), np.interp(at_s, t, y)])
