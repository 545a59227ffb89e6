"""Noise in a sweep: how far its bins scatter, from how many averages, and where its mean power lies (domain section 3).

Power averaged n times follows a gamma law of shape n; its quantiles are those of Wilson and Hilferty (Proc. Natl. Acad.
Sci. 17, 1931), right within half a decibel from n = 1 on. Nothing here says whether a level is good: only an absolute
level does that.
"""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats
from azven.rf.sweep import Channel, Sweep, quantile

Marks = NDArray[np.bool_]
FULL_ABOVE_NEIGHBOURS_DB = 6.0
LEAST_DB = 6.0
"""A line stands at least this far above the mean of the noise; a dip of as much splits an emission."""
SEEN_WITHIN_DB = 35.0
"""A floor that an instrument can see lies no more than this above kT0 in its resolution bandwidth."""
_KT0_DBM_HZ = -173.975
_AVERAGES = np.array([1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64, 100, 200, 500, 1000], float)
_MEDIAN_STEP_DB = np.array(
    [4.771, 3.147, 2.509, 2.147, 1.732, 1.491, 1.21, 1.045, 0.851, 0.736, 0.6, 0.519, 0.415, 0.293, 0.185, 0.131]
)
"""Median difference of two independent bins of noise for so many averages: the upper quartile of F with (2n, 2n)."""
_Z20, _Z_ONE_IN_TEN_MILLION, _Z_ONE_IN_HUNDRED, _Z_ONE_IN_TWENTY = -0.8416, 5.199, 2.326, 1.645
_FEWEST_STEPS = 12
_NEAR_WIDTHS, _FEWEST_IN_QUARTER, _STRAIGHT, _STEP_SHARE = 4.0, 8, 2.5, 0.75


def _gamma_db(averages: float, z: float) -> float:
    """Quantile of n averages of noise power over its mean [dB], at a normal deviate z."""
    ninth = 1 / (9 * averages)
    return 30 * float(np.log10(max(1 - ninth + z * ninth**0.5, 1e-3)))


def mean_over_floor_db(averages: float) -> float:
    """How far the mean power of noise lies over the 20 % quantile of its bins [dB]: 6.5 dB for one average."""
    return -_gamma_db(averages, _Z20)


def hardly_ever_db(averages: float) -> float:
    """What noise exceeds over its mean in fewer than one bin of ten million [dB]."""
    return _gamma_db(averages, _Z_ONE_IN_TEN_MILLION)


def seldom_db(averages: float) -> float:
    """What noise exceeds over its mean in one case of a hundred [dB]."""
    return _gamma_db(averages, _Z_ONE_IN_HUNDRED)


def upper_db(averages: float) -> float:
    """What noise exceeds over its mean in one case of twenty [dB]."""
    return _gamma_db(averages, _Z_ONE_IN_TWENTY)


def median_db(averages: float) -> float:
    """The median of noise over its mean [dB]."""
    return _gamma_db(averages, 0.0)


def averages_of(sweep: Sweep, part: Marks | None = None) -> float:
    """How many averages of power the scatter of the bins speaks for, 1 to 1000; 1 where too few bins tell.

    From the median step between bins two resolution bandwidths apart, which lines and slopes hardly touch. `part` (n,)
    marks the bins to look at.
    """
    apart = max(1, int(np.ceil(2 * sweep.rbw_hz / sweep.spacing_hz)))
    if len(sweep.level_dbm) <= apart + _FEWEST_STEPS:
        return 1.0
    step = np.abs(sweep.level_dbm[apart:] - sweep.level_dbm[:-apart])
    if part is not None and np.count_nonzero(both := part[apart:] & part[:-apart]) >= _FEWEST_STEPS:
        step = step[both]
    typical = quantile(step, 0.5)
    found = np.interp(-typical, -_MEDIAN_STEP_DB, np.log(_AVERAGES))
    return float(np.exp(found))


def lower_quantiles(sweep: Sweep, channels: Sequence[Channel]) -> Floats:
    """The 20 % quantile [dBm] of the bins of every channel (n,); NaN without bins."""
    return np.array([quantile(sweep.level_dbm[sweep.between(c.low_hz, c.high_hz)], 0.2) for c in channels])


def full_channels(lower: Floats, shaped: Sequence[bool] | None = None) -> Marks:
    """Which channels (n,) are full, by their lower quantiles: 6 dB over the lowest of the four nearest on either side,
    or 6 dB over the lowest of all where the bins have a multiplex's shape."""
    n = len(lower)
    padded = np.pad(lower, 4, constant_values=np.nan)
    near = np.fmin.reduce([padded[k : k + n] for k in range(9) if k != 4])
    with np.errstate(invalid="ignore"):
        full = lower > near + FULL_ABOVE_NEIGHBOURS_DB
        if shaped is not None and n and not np.isnan(lower).all():
            full = full | (np.asarray(shaped, bool) & (lower > np.nanmin(lower) + FULL_ABOVE_NEIGHBOURS_DB))
    return np.asarray(full & ~np.isnan(lower))


def floors_of(lower: Floats, full: Marks) -> list[float | None]:
    """Noise floor [dBm] of every channel: its own lower quantile, or the mean of the two nearest that are not full."""
    known = np.flatnonzero(~full & ~np.isnan(lower))
    out: list[float | None] = []
    for i in range(len(lower)):
        if np.isnan(lower[i]) or not len(known):
            out.append(None)
        elif full[i]:
            nearest = known[np.argsort(np.abs(known - i), kind="stable")[:2]]
            out.append(float(lower[nearest].mean()))
        else:
            out.append(float(lower[i]))
    return out


def floor_seen(sweep: Sweep, lower: Floats, full: Marks) -> bool:
    """Whether some channel shows the instrument's own floor: not full, and near enough to thermal noise."""
    limit = _KT0_DBM_HZ + 10 * float(np.log10(sweep.rbw_hz)) + SEEN_WITHIN_DB
    if sweep.detector == "peak":
        limit += PEAK_ABOVE_AVERAGE_DB
    return bool(np.any(~full & ~np.isnan(lower) & (np.nan_to_num(lower, nan=1e9) <= limit)))


PEAK_ABOVE_AVERAGE_DB = 10.0
"""How far a peak detector reads noise and multiplexes over an average, where the instrument does not say."""


def per_bin(sweep: Sweep, pieces: Sequence[Channel], floor: Sequence[float | None], averages: float) -> Floats:
    """The mean power of the noise [dBm] at every bin (n,); of bins without a floor the lowest that is known."""
    known = [f for f in floor if f is not None]
    lowest = min(known) if known else quantile(sweep.level_dbm, 0.2)
    out = np.full(len(sweep.freq_hz), lowest)
    for piece, value in zip(pieces, floor, strict=True):
        if value is not None:
            out[sweep.between(piece.low_hz, piece.high_hz)] = value
    return np.asarray(out + mean_over_floor_db(averages))


def sloping(
    sweep: Sweep, pieces: Sequence[Channel], lower: Floats, broad: NDArray[np.bool_], noise: Floats, averages: float
) -> Floats:
    """The noise [dBm] at every bin (n,) that single emissions are held against: of what is not broad its own lower
    quantile, along the slope that its quarters and its neighbours agree on: a floor may slope by more than a line
    stands out."""
    own = np.flatnonzero(~broad & ~np.isnan(lower)).tolist()
    out = noise.copy()
    middle = np.array([(p.low_hz + p.high_hz) / 2 for p in pieces])
    offset = mean_over_floor_db(averages)
    for i in own:
        at = sweep.between(pieces[i].low_hz, pieces[i].high_hz)
        reach = _NEAR_WIDTHS * (pieces[i].high_hz - pieces[i].low_hz)
        below = [j for j in own if -reach < middle[j] - middle[i] < 0][-1:]
        above = [j for j in own if 0 < middle[j] - middle[i] < reach][:1]
        beside = [(lower[j] - lower[i]) / (middle[j] - middle[i]) for j in (*below, *above)]
        slope = _agreed(_slope_inside(sweep, pieces[i]), beside)
        away = slope * (sweep.freq_hz[at] - middle[i])
        out[at] = away + quantile(sweep.level_dbm[at] - away, 0.2) + offset
    return np.asarray(out)


def _slope_inside(sweep: Sweep, piece: Channel) -> tuple[float, bool]:
    """Slope of the floor [dB/Hz] in a piece, from the lower quantiles of its quarters, none where they make one step as
    raised noise that ends does; and whether all of them lie on one slope, as no emission would."""
    ends = np.linspace(piece.low_hz, piece.high_hz, 5).round().astype(int).tolist()
    quarters = [sweep.level_dbm[sweep.between(*pair)] for pair in pairwise(ends)]
    if min(map(len, quarters)) < _FEWEST_IN_QUARTER:
        return 0.0, False
    floor = [quantile(q, 0.2) for q in quarters]
    steps = np.diff(floor)
    if abs(steps).max() > max(_STEP_SHARE * abs(steps).sum(), LEAST_DB):
        return 0.0, False
    slope = (floor[2] + floor[3] - floor[0] - floor[1]) / (piece.high_hz - piece.low_hz)
    straight = bool(np.all(steps * np.sign(slope) > 0) and abs(steps).max() <= _STRAIGHT * abs(steps).min())
    return float(slope), straight


def _agreed(inside: tuple[float, bool], beside: Sequence[float]) -> float:
    """The flattest of slopes that all rise or all fall, so that no emission is taken for a slope; else none."""
    slope, straight = inside
    slopes = [slope, *beside]
    if not (beside or straight) or not (all(x > 0 for x in slopes) or all(x < 0 for x in slopes)):
        return 0.0
    return min(slopes, key=abs)
