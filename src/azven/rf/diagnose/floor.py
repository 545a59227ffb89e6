"""Noise: the floor is up in many channels of one stretch at once, by what idle receivers hear and links lose there."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from azven.rf.diagnose.common import told
from azven.rf.diagnose.record import Bools, Incident, Record, closed, runs
from azven.rf.levels import Floats

_NEAR_HZ, _FAR_HZ = 12e6, 40e6
"""Links so near lose together by noise; farther apart, up to the second, only if they begin and end together."""


def noises(record: Record) -> Iterator[Incident]:
    """The floor is up in many channels of one stretch at once: what spares hear, what links lose together."""
    links = record.head.links
    freq = np.array([np.nan if x.freq_hz is None else x.freq_hz for x in links], float)
    floor = np.where(record.heard, record.noise, np.nan)
    usual = np.array([np.nanpercentile(r, 25) if np.isfinite(r).any() else np.nan for r in floor])
    risen = floor - usual[:, None] > 8.0
    up = risen | record.hurt
    mine = np.array([i for i, x in enumerate(links) if np.isfinite(freq[i]) and not x.is_ear], np.intp)
    if len(mine) >= 3:
        yield from _stretches(record, mine[np.argsort(freq[mine])], freq, up, floor - usual[:, None])


def _stretches(
    record: Record, mine: NDArray[np.intp], freq: Floats, up: Bools, rise: Floats
) -> Iterator[Incident]:  # fmt: skip
    links = record.head.links
    recent = _lately(up[mine], record.steps(6.0))
    for first, end in runs(closed(recent.sum(axis=0) >= 2, record.steps(30.0))):
        if (end - first) * record.step_s < 10.0:
            continue
        share = up[mine, first:end].mean(axis=1)
        for cluster in _clusters(record, mine, freq, up, share >= 0.2, first, end):
            zones = {links[int(i)].zone for i in cluster}
            low, high = freq[cluster[0]], freq[cluster[-1]]
            there = [int(i) for i in mine if links[int(i)].zone in zones and low <= freq[i] <= high]
            inside = [i for i in there if _plays(record, i, first, end)]
            touched = {int(i) for i, s in zip(mine, share, strict=True) if s >= 0.02} & set(inside)
            whose = [i for i in inside if i in touched and not links[i].spare]
            idle = [int(i) for i in cluster if links[int(i)].spare]
            wide = freq[cluster[-1]] - freq[cluster[0]] >= 1e6
            if not whose or len(cluster) < 2 or not wide or len(cluster) < 0.7 * len(inside):
                continue
            yield _noise(record, whose, idle, cluster, freq, rise, first, end)


def _plays(record: Record, i: int, first: int, end: int) -> bool:
    known = record.heard[i, first:end] & (np.isfinite(record.q[i, first:end]) | np.isfinite(record.noise[i, first:end]))
    return bool(known.any() and (record.active[i, first:end].any() or record.head.links[i].spare))


def _clusters(
    record: Record, mine: NDArray[np.intp], freq: Floats, up: Bools, there: Bools, first: int, end: int
) -> list[list[int]]:  # fmt: skip
    """Links that lost something, parted where they lie far apart: at once, or unless they begin and end together."""
    out: list[list[int]] = []
    for i in mine[there].tolist():
        if out and _belongs(record, out[-1][-1], i, freq, up, first, end):
            out[-1].append(i)
        else:
            out.append([i])
    return out


def _belongs(record: Record, i: int, j: int, freq: Floats, up: Bools, first: int, end: int) -> bool:
    apart = freq[j] - freq[i]
    if apart <= _NEAR_HZ or apart > _FAR_HZ:
        return bool(apart <= _NEAR_HZ)
    ends = [np.flatnonzero(up[k, first:end])[[0, -1]] for k in (i, j)]
    return bool(np.abs(ends[0] - ends[1]).max() <= record.steps(8.0))


def _noise(
    record: Record, whose: list[int], idle: list[int], cluster: list[int], freq: Floats, rise: Floats,
    first: int, end: int,
) -> Incident:  # fmt: skip
    links = record.head.links
    zones = {links[int(i)].zone for i in cluster}
    well = [
        float(freq[i]) for i, x in enumerate(links) if x.zone in zones and np.isfinite(freq[i]) and i not in cluster
    ]
    low, high = float(freq[cluster[0]]), float(freq[cluster[-1]])
    below = max([f for f in well if f < low], default=low - 6e6)
    above = min([f for f in well if f > high], default=high + 6e6)
    lo, hi = _edges(record, zones, first, end, low, high, below, above)
    more = [i for i, x in enumerate(links) if x.zone in zones and lo <= freq[i] <= hi and not x.spare and i not in whose
            and record.hurt[i, first:end].any()]  # fmt: skip
    whose = whose + more
    values = rise[idle, first:end] if idle else np.zeros((0, 0))
    loud = values[values > 8.0]
    db = round(float(np.nanmedian(loud)), 1) if len(loud) else _swept_rise(record, zones, first, end, lo, hi)
    said = (
        f"The floor rose from {lo / 1e6:.0f} to {hi / 1e6:.0f} MHz: {len(whose)} links and {len(idle)} idle receivers "
    )
    said += "there lost, others did not."
    return told(record, whose, first, end, "noise", 0.88, said, low_hz=int(lo), high_hz=int(hi), rise_db=db)


def _lately(true: Bools, steps: int) -> Bools:
    """Rows that were true within the last few moments."""
    count = np.concatenate([np.zeros((len(true), 1)), np.cumsum(true, axis=1)], axis=1)
    n = true.shape[1]
    return np.asarray(count[:, np.arange(1, n + 1)] - count[:, np.maximum(np.arange(1, n + 1) - steps, 0)] > 0)


def _edges(
    record: Record, zones: set[str | None], first: int, end: int, low: float, high: float, below: float,
    above: float,
) -> tuple[float, float]:  # fmt: skip
    """The stretch: half way to the next link that is well, or as far as a sweep of that time shows it."""
    for sweep, freq in record.sweeps_during(first, end, 5.0):
        if sweep.zone in (None, *zones):
            quiet = float(np.nanpercentile(sweep.levels, 20))
            up = closed(sweep.levels > quiet + 8.0, max(int(1.5e6 / sweep.step_hz), 1))
            for i, j in runs(up):
                if freq[i] <= high + 1e6 and freq[j - 1] >= low - 1e6 and freq[j - 1] - freq[i] > 3e6:
                    return float(freq[i]), float(freq[j - 1])
    return (low + max(below, low - 8e6)) / 2, (high + min(above, high + 8e6)) / 2


def _swept_rise(record: Record, zones: set[str | None], first: int, end: int, low: float, high: float) -> float | None:
    """How far a sweep of that time stands over the quiet of its band there [dB]; None where there is none."""
    for sweep, freq in record.sweeps_during(first, end, 5.0):
        if sweep.zone in (None, *zones):
            inside = sweep.levels[(freq >= low) & (freq <= high)]
            if np.isfinite(inside).any():
                return round(float(np.nanmedian(inside) - np.nanpercentile(sweep.levels, 20)), 1)
    return None
