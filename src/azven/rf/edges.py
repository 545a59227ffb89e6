"""Where an emission ends: the edges of runs of bins, found by what their powers most likely are (domain section 3).

Powers are in units of the mean power of the noise and follow an exponential law, or one that scatters less.
"""

import math

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats
from azven.rf.noise import LEAST_DB
from azven.rf.sweep import quantile

Marks = NDArray[np.bool_]
_PLATEAU, _SKIRT_BELOW, _TWICE, _OUTLIER, _FRINGE_BELOW = 0.7, 20.0, 2.0, 3.0, 10.0
_LEFT_OVER = 10 ** (LEAST_DB / 10)
_FADED_BINS = 3
_BORNE_BY_ITSELF = 10 ** ((LEAST_DB - 1.5) / 10)
"""What an average over many bins has marked has to stand so far above the noise in a bin of its own too."""
_STRONG, _MOST_BINS, _TRIED = 30.0, 16, np.array([0.25, 0.5, 1.0, 2.0, 4.0])
_SIGMAS_PER_RBW = 2.3548
"""Of a Gaussian filter, whose width is that at 3 dB."""
_SIGMAS = np.linspace(-8.0, 8.0, 801)
_NORMAL = np.array([0.5 * math.erfc(-x / 2**0.5) for x in _SIGMAS.tolist()])
"""The normal distribution at those deviates."""


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


def stretches(marks: Marks) -> list[tuple[int, int]]:
    """Where marks stand side by side: first and behind the last."""
    found = np.flatnonzero(np.diff(np.r_[False, marks, False].astype(np.int8))).reshape(-1, 2)
    return [(start, stop) for start, stop in found.tolist()]


def to_the_step(power: Floats, start: int, stop: int, reach: int) -> tuple[int, int]:
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


def with_true_edges(
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
        bridged = quantile(power[a:b], _PLATEAU) / _SKIRT_BELOW  # what stands on top of it does not count
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


def without_scattered_skirts(power: Floats, runs: list[tuple[int, int]], rbw_bins: float) -> list[tuple[int, int]]:
    """Narrow, strong runs less the bins at their ends that a Gaussian resolution filter, `rbw_bins` wide, makes of the
    rest: of flat emissions inside a run the most likely."""
    return [_most_likely(power, *run, rbw_bins) if _is_narrow(power, *run) else run for run in runs]


def _is_narrow(power: Floats, start: int, stop: int) -> bool:
    return 2 <= stop - start <= _MOST_BINS and bool(power[start:stop].max() > _STRONG)


def _passed(deviates: Floats) -> Floats:
    """The normal distribution at these deviates."""
    return np.asarray(np.interp(deviates, _SIGMAS, _NORMAL))


def _most_likely(power: Floats, start: int, stop: int, rbw_bins: float) -> tuple[int, int]:
    low, high = max(start - 2, 0), min(stop + 2, len(power))
    part, bins = power[low:high], np.arange(low, high)
    a, b = np.triu_indices(stop - start)
    ends = np.stack([a + start, b + start + 1])
    through = _passed((bins[:, None] - ends[0] + 0.5) * _SIGMAS_PER_RBW / rbw_bins)
    through -= _passed((bins[:, None] - ends[1] + 0.5) * _SIGMAS_PER_RBW / rbw_bins)
    within = (through * part[:, None]).sum(0) / (through**2).sum(0)
    mean = 1.0 + through[:, :, None] * within[:, None] * _TRIED
    cost = (np.log(mean) + part[:, None, None] / mean).sum(0).min(1)
    best = int(np.argmin(cost))
    return int(ends[0, best]), int(ends[1, best])
