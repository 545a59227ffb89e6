"""Emissions of any width in a sweep: every run above the noise, with its two edges (domain section 3).

Single bins are looked for in the bins as they are, wide emissions in powers averaged over as many neighbours as bring
the scatter of noise under 1.5 dB, at several widths; `edges` says where they end. What is only the skirt of the
resolution filter beside something strong is cut away; dips of 6 dB split what two senders make.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from azven.rf import edges
from azven.rf.edges import Marks, averaged, stretches
from azven.rf.levels import Floats, dbm, milliwatts
from azven.rf.noise import LEAST_DB, hardly_ever_db
from azven.rf.sweep import Line, Sweep, summit_hz, width_below_top

IMPULSIVE_SHARE = 1 / 200
"""More single bins than this, without order, are impulse noise."""
_CALM_AVERAGES = 8.4
"""So many averages scatter by 1.5 dB (standard deviation of a gamma law in decibels)."""
_WIDTHS = (1, 3, 9)
_ABOVE_NOISE_DB, _MOST_OF_IT = 1.0, 0.5
_SKIRT_DB_PER_RBW, _SKIRT_SLACK_DB, _SKIRT_REACH_DB, _MOST_STEPS = 12.0, 2.0, 70.0, 48
"""A Gaussian resolution filter falls by 3 dB at half its width, so by 12 dB times the distance squared in widths."""


@dataclass(frozen=True)
class Found:
    """Emissions in order of frequency, the bins that belong to one (n,), and the share of single bins that look like
    impulses, 0 where they do not."""

    lines: tuple[Line, ...]
    marks: Marks
    impulse_share: float


def calm_bins(sweep: Sweep, averages: float) -> int:
    """Over how many bins, an odd number, the scatter of noise falls under 1.5 dB."""
    dependent = max(1.0, sweep.rbw_hz / sweep.spacing_hz)
    bins = int(np.ceil(_CALM_AVERAGES / averages * dependent)) if averages < _CALM_AVERAGES else 1
    return min(bins | 1, max(len(sweep.freq_hz) // 4, 1) | 1)


def marked(sweep: Sweep, noise_dbm: Floats, averages: float) -> Marks:
    """Bins that stand above noise of this level (n,), alone or together with their neighbours."""
    over = sweep.level_dbm - noise_dbm
    marks = over > max(LEAST_DB, hardly_ever_db(averages))
    calm = calm_bins(sweep, averages)
    if calm == 1:
        return np.asarray(marks)
    power, above = milliwatts(np.minimum(over, 200.0)), (over > _ABOVE_NOISE_DB).astype(float)
    dependent = max(1.0, sweep.rbw_hz / sweep.spacing_hz)
    here = dbm(averaged(power, calm)) > LEAST_DB / 2
    for width in (calm * w for w in _WIDTHS if calm * w <= len(over) // 2):
        enough = max(LEAST_DB, hardly_ever_db(averages * width / dependent))
        marks |= here & (dbm(averaged(power, width)) > enough) & (averaged(above, width) > _MOST_OF_IT)
    return np.asarray(marks)


def without_skirts(sweep: Sweep, marks: Marks) -> Marks:
    """Marks less those bins that something stronger nearby explains through the resolution filter."""
    level, steps = sweep.level_dbm, sweep.rbw_hz * (_SKIRT_REACH_DB / _SKIRT_DB_PER_RBW) ** 0.5 / sweep.spacing_hz
    skirt = np.zeros(len(level), bool)
    for k in range(1, min(int(steps), _MOST_STEPS, len(level) - 1) + 1):
        fallen = _SKIRT_DB_PER_RBW * (k * sweep.spacing_hz / sweep.rbw_hz) ** 2 - _SKIRT_SLACK_DB
        drop = level[k:] - level[:-k]
        skirt[:-k] |= (drop > LEAST_DB) & (drop >= fallen)
        skirt[k:] |= (-drop > LEAST_DB) & (-drop >= fallen)
    return np.asarray(marks & ~skirt)


def _joined(runs: list[tuple[int, int]], gap: int) -> list[tuple[int, int]]:
    """Runs nearer than `gap` bins are one."""
    out: list[tuple[int, int]] = []
    for start, stop in runs:
        if out and start - out[-1][1] < gap:
            out[-1] = out[-1][0], stop
        else:
            out.append((start, stop))
    return out


def _split(runs: list[tuple[int, int]], calm: Floats, least: int) -> list[tuple[int, int]]:
    """Runs cut where the calmed level dips by 6 dB and more below what stands on both sides."""
    out = []
    for start, stop in runs:
        part = calm[start:stop]
        left, right = np.maximum.accumulate(part), np.maximum.accumulate(part[::-1])[::-1]
        dips = stretches(np.minimum(left, right) - part >= LEAST_DB) if len(part) > 2 * least else []
        edge = start
        for a, b in dips:
            cut = start + a + int(np.argmin(part[a:b]))
            if cut - edge >= 1 and stop - cut > 1:
                out.append((edge, cut))
                edge = cut + 1
        out.append((edge, stop))
    return out


def find(sweep: Sweep, noise_dbm: Floats, averages: float, outside: Marks | None = None) -> Found:
    """Every emission over noise of this level (n,), but not in bins that `outside` marks (n,), such as multiplexes."""
    marks = without_skirts(sweep, marked(sweep, noise_dbm, averages))
    if outside is not None:
        marks = marks & ~outside
    calm = calm_bins(sweep, averages)
    power = milliwatts(np.clip(sweep.level_dbm - noise_dbm, -60.0, 200.0))
    gap = max(1, int(np.ceil(2 * sweep.rbw_hz / sweep.spacing_hz)))
    runs = []
    for start, stop in _joined(stretches(marks), gap):
        runs.append(
            edges.to_the_step(power, start, stop, calm) if calm > 1 and stop - start > calm // 2 else (start, stop)
        )
    runs = _split(_joined(sorted(runs), 1), dbm(averaged(power, calm)), max(calm, gap))
    runs = edges.with_true_edges(power, runs, calm, gap, milliwatts(max(LEAST_DB, hardly_ever_db(averages))))
    if calm > 1:
        runs = edges.without_scattered_skirts(power, runs, sweep.rbw_hz / sweep.spacing_hz)
    single = sum(stop - start == 1 for start, stop in runs)
    share = single / len(sweep.freq_hz)
    belongs = np.zeros(len(sweep.freq_hz), bool)
    for start, stop in runs:
        belongs[start:stop] = True
    return Found(tuple(line_of(sweep, *run) for run in runs), belongs, share if share > IMPULSIVE_SHARE else 0.0)


def line_of(sweep: Sweep, start: int, stop: int) -> Line:
    """The emission that the bins from `start` to before `stop` are."""
    top = start + int(np.argmax(sweep.level_dbm[start:stop]))
    half = sweep.spacing_hz / 2
    low, high = round(float(sweep.freq_hz[start]) - half), round(float(sweep.freq_hz[stop - 1]) + half)
    width = width_below_top(sweep, start, stop, top)
    return Line(summit_hz(sweep, top), float(sweep.level_dbm[top]), width, low, high)


def impulses(
    sweep: Sweep, lines: Sequence[Line], share: float, others: Sequence[tuple[Sweep, Sequence[Line]]]
) -> frozenset[Line]:
    """Single bins of a sweep with impulse noise that another sweep of the same place does not show: they were impulses.
    `share` is the sweep's share of impulses, 0 where it has none."""
    if not share:
        return frozenset()
    half = 0.75 * sweep.spacing_hz
    single = [x for x in lines if x.edges_hz[1] - x.edges_hz[0] <= 2 * half]
    return frozenset(x for x in single if any(_gone(x, other, seen, half) for other, seen in others))


def _gone(line: Line, sweep: Sweep, seen: Sequence[Line], half_hz: float) -> bool:
    """Whether a sweep covers the place of a line and shows nothing there."""
    if not sweep.freq_hz[0] <= line.freq_hz <= sweep.freq_hz[-1]:
        return False
    near = max(half_hz, sweep.spacing_hz, sweep.rbw_hz)
    return all(low - near > line.freq_hz or high + near < line.freq_hz for low, high in (x.edges_hz for x in seen))
