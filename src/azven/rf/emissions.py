"""Emissions of any width in a sweep: every run above the noise, with its two edges (domain section 3).

Single bins are looked for in the bins as they are, wide emissions in powers averaged over as many neighbours as bring
the scatter of noise under 1.5 dB, at several widths. What is only the skirt of the resolution filter beside something
strong is cut away; dips of 6 dB split what two senders make.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats, dbm, milliwatts
from azven.rf.noise import hardly_ever_db
from azven.rf.sweep import Line, Sweep, quantile, summit_hz, width_below_top

Marks = NDArray[np.bool_]
LEAST_DB = 6.0
"""A line stands at least this far above the mean of the noise; a dip of as much splits an emission."""
IMPULSIVE_SHARE = 1 / 200
"""More single bins than this, without order, are impulse noise."""
_CALM_AVERAGES = 8.4
"""So many averages scatter by 1.5 dB (standard deviation of a gamma law in decibels)."""
_WIDTHS = (1, 3, 9)
_ABOVE_NOISE_DB, _MOST_OF_IT = 1.0, 0.5
_PLATEAU, _SKIRT_BELOW, _TWICE, _OUTLIER, _FRINGE_BELOW = 0.7, 20.0, 2.0, 3.0, 10.0
_LEFT_OVER = 10 ** (LEAST_DB / 10)
_FADED_BINS = 3
_BORNE_BY_ITSELF = 10 ** ((LEAST_DB - 1.5) / 10)
"""What an average over many bins has marked has to stand so far above the noise in a bin of its own too."""
_SKIRT_DB_PER_RBW, _SKIRT_SLACK_DB, _SKIRT_REACH_DB, _MOST_STEPS = 12.0, 2.0, 70.0, 48
"""A Gaussian resolution filter falls by 3 dB at half its width, so by 12 dB times the distance squared in widths."""


@dataclass(frozen=True)
class Found:
    """Emissions in order of frequency, the bins that belong to one (n,), and the share of single bins that look like
    impulses, 0 where they do not."""

    lines: tuple[Line, ...]
    marks: Marks
    impulse_share: float


def averaged(power: Floats, bins: int) -> Floats:
    """Running mean of powers (n,) over an odd number of bins, fewer at the ends."""
    if bins <= 1:
        return power
    half = bins // 2
    total = np.r_[0.0, np.cumsum(power)]
    at = np.arange(len(power))
    low, high = np.maximum(at - half, 0), np.minimum(at + half + 1, len(power))
    mean = (total[high] - total[low]) / (high - low)
    return np.asarray(np.maximum(mean, power.min()))  # sums of very unequal powers lose the weakest


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


def stretches(marks: Marks) -> list[tuple[int, int]]:
    """Where marks stand side by side: first and behind the last."""
    found = np.flatnonzero(np.diff(np.r_[False, marks, False].astype(np.int8))).reshape(-1, 2)
    return [(start, stop) for start, stop in found.tolist()]


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


def _to_the_step(power: Floats, start: int, stop: int, reach: int) -> tuple[int, int]:
    """The edges of a run moved to where the mean power steps: the most likely change point of exponential powers."""
    edges = []
    for at, inwards in ((start, 1), (stop, -1)):
        low, high = max(at - reach, 0), min(at + reach, len(power))
        part = power[low:high]
        if len(part) < 4:
            edges.append(at)
            continue
        before = np.cumsum(part)[:-1]
        n1 = np.arange(1, len(part))
        n2 = len(part) - n1
        cost = n1 * np.log(before / n1 + 1e-300) + n2 * np.log((before[-1] + part[-1] - before) / n2 + 1e-300)
        rises = (before[-1] + part[-1] - before) / n2 > before / n1
        cost = np.where(rises if inwards > 0 else ~rises, cost, np.inf)
        edges.append(low + 1 + int(np.argmin(cost)) if np.isfinite(cost).any() else at)
    return (edges[0], edges[1]) if edges[0] < edges[1] else (start, stop)


def _with_true_edges(
    power: Floats, runs: list[tuple[int, int]], calm: int, gap: int, single: Floats
) -> list[tuple[int, int]]:
    """Each run with the edges at which its power steps; what then is left of a run beside them is one of its own, where
    a bin of it stands over the threshold for `single` bins or it is wide and strong enough in the mean."""
    smooth = averaged(power, calm)
    out: list[tuple[int, int]] = []
    for i, (start, stop) in enumerate(runs):
        low = runs[i - 1][1] if i else 0
        high = runs[i + 1][0] if i + 1 < len(runs) else len(power)
        reach = max(calm, 2 * gap)
        a, b = _stepped(power, smooth, start, stop, max(low, start - reach), min(high, stop + reach))
        bridged = float(power[a:b].mean()) / _SKIRT_BELOW
        for left, right in ((start, min(a, stop) - gap), (max(b, start) + gap, stop)):
            part = power[left:right] if right > left else power[:0]
            if not len(part):
                continue
            if power[min(left, b) : max(right, a)].min() > bridged:  # too long for a skirt: it only fades
                a, b = min(a, left), max(b, right)
            elif part.max() > single or (len(part) >= calm and part.mean() > _LEFT_OVER):
                out.append((left, right))
        out += _parted(power, a, b, bridged, max(gap + 1, _FADED_BINS))
    borne = [(a, b) for a, b in out if power[a:b].sum() > single and power[a:b].max() > _BORNE_BY_ITSELF]
    return _without_fringes(power, sorted(borne), gap)


def _parted(power: Floats, start: int, stop: int, below: float, least: int) -> list[tuple[int, int]]:
    """A stretch cut where so many bins in a row lie lower than one emission would fade."""
    out, edge = [], start
    for a, b in stretches(power[start:stop] < below):
        if b - a >= least and a > 0 and start + b < stop:
            out.append((edge, start + a))
            edge = start + b
    return [*out, (edge, stop)]


def _without_fringes(power: Floats, runs: list[tuple[int, int]], gap: int) -> list[tuple[int, int]]:
    """Runs without what is short and much weaker than one nearer than two resolution bandwidths: its skirt, which lies
    within what is kept clear beside it."""
    top = [float(power[start:stop].max()) for start, stop in runs]

    def fringe(i: int, j: int) -> bool:
        if not 0 <= j < len(runs) or runs[i][1] - runs[i][0] > gap or top[i] * _FRINGE_BELOW > top[j]:
            return False
        return max(runs[i][0], runs[j][0]) - min(runs[i][1], runs[j][1]) < gap

    return [run for i, run in enumerate(runs) if not (fringe(i, i - 1) or fringe(i, i + 1))]


def _stepped(power: Floats, smooth: Floats, start: int, stop: int, low: int, high: int) -> tuple[int, int]:
    """The most likely stretch of a flat emission in a run, for powers of exponential law: inside its own mean, outside
    the noise or what a resolution filter leaves of it nearby."""
    level = quantile(smooth[start:stop], _PLATEAU)
    outside = max(1.0, level / _SKIRT_BELOW)
    if stop - start < 2 or level < _TWICE * outside:
        return start, stop
    part = np.minimum(power[low:high], _OUTLIER * level)
    a, b = _best_stretch(part * (1 / outside - 1 / level) - np.log(level / outside))
    return low + a, low + b


def _best_stretch(worth: Floats) -> tuple[int, int]:
    """The contiguous stretch with the greatest sum: first and behind the last."""
    total = np.r_[0.0, np.cumsum(worth)]
    lowest = np.minimum.accumulate(total)
    stop = int(np.argmax(total[1:] - lowest[:-1])) + 1
    return int(np.argmin(total[:stop])), stop


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
        runs.append(_to_the_step(power, start, stop, calm) if calm > 1 and stop - start > calm // 2 else (start, stop))
    runs = _split(_joined(sorted(runs), 1), dbm(averaged(power, calm)), max(calm, gap))
    runs = _with_true_edges(power, runs, calm, gap, milliwatts(max(LEAST_DB, hardly_ever_db(averages))))
    single = sum(stop - start == 1 for start, stop in runs)
    share = single / len(sweep.freq_hz)
    belongs = np.zeros(len(sweep.freq_hz), bool)
    for start, stop in runs:
        belongs[start:stop] = True
    return Found(tuple(_line(sweep, *run) for run in runs), belongs, share if share > IMPULSIVE_SHARE else 0.0)


def _line(sweep: Sweep, start: int, stop: int) -> Line:
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
