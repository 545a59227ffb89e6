"""Signals as an analyser's resolution filter shows them, added to bins in place, and what a detector makes of noise."""

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats, milliwatts
from azven.rf.sweep import Detector
from azven.rf.venue.mixing import Lines
from azven.rf.venue.things import Multiplex

Ints = NDArray[np.int64]
_SIGMA_OF_WIDTH = 1 / 2.3548  # a resolution filter is close to Gaussian; RBW is its full width at half power
_OCCUPIED = 0.95
_PILOT_HZ, _PILOT_BELOW_DB = 309_440, 11.3
_AVERAGED = 24
_HELD = 1_000
_REACH_SIGMA = 5.0


def add_flat(total: Floats, freq: Ints, centre_hz: float, width_hz: float, level_dbm: float, rbw_hz: float) -> None:
    """A flat block seen through a filter of width `rbw_hz`: the edges become ramps of that width."""
    low, high = centre_hz - width_hz / 2, centre_hz + width_hz / 2
    a, b = np.searchsorted(freq, (low - rbw_hz, high + rbw_hz))
    part = freq[a:b]
    share = np.clip((part - low) / rbw_hz + 0.5, 0, 1) * np.clip((high - part) / rbw_hz + 0.5, 0, 1)
    total[a:b] += share * milliwatts(level_dbm) * min(rbw_hz / width_hz, 1.0)


def occupied_hz(mux: Multiplex) -> float:
    """Width [Hz] that a multiplex fills of its channel."""
    return _OCCUPIED * (mux.high_hz - mux.low_hz)


def add_multiplex(total: Floats, freq: Ints, mux: Multiplex, gain_dbi: float, rbw_hz: float) -> None:
    """A television block, with the pilot it may have."""
    level = mux.level_dbm + gain_dbi
    add_flat(total, freq, (mux.high_hz + mux.low_hz) / 2, occupied_hz(mux), level, rbw_hz)
    if mux.pilot:
        add_gaussian(total, freq, mux.low_hz + _PILOT_HZ, 1_000.0, level - _PILOT_BELOW_DB, rbw_hz)


def add_gaussian(total: Floats, freq: Ints, centre_hz: float, width_hz: float, level_dbm: float, rbw_hz: float) -> None:
    """A carrier of Gaussian spectrum through a Gaussian filter: P·σf/σ·exp(−d²/2σ²), σ² = σs² + σf²."""
    filter_sigma = rbw_hz * _SIGMA_OF_WIDTH
    sigma = float(np.hypot(width_hz * _SIGMA_OF_WIDTH, filter_sigma))
    low, high = np.searchsorted(freq, (centre_hz - 6 * sigma, centre_hz + 6 * sigma))
    offset = (freq[low:high] - centre_hz) / sigma
    total[low:high] += float(milliwatts(level_dbm)) * filter_sigma / sigma * np.exp(-0.5 * offset**2)


def add_lines(total: Floats, freq: Ints, lines: Lines, rbw_hz: float) -> None:
    """Many carriers at once: those of one width are laid into the bins as impulses, each shared by its two neighbours,
    and spread together. Bins further apart than the filter is wide show each line in full, as a swept filter would."""
    spacing = float(freq[-1] - freq[0]) / (len(freq) - 1)
    filter_sigma = rbw_hz * _SIGMA_OF_WIDTH
    for width in np.unique(lines.width_hz).tolist():
        chosen = lines.width_hz == width
        sigma = float(np.hypot(width * _SIGMA_OF_WIDTH, filter_sigma))
        reach = max(int(np.ceil(_REACH_SIGMA * sigma / spacing)), 1)
        at = (lines.freq_hz[chosen] - freq[0]) / spacing
        inside = (at > -reach) & (at < len(freq) - 1 + reach)
        at, power = at[inside] + reach, milliwatts(lines.level_dbm[chosen][inside]) * filter_sigma / sigma
        if not len(at):
            continue
        below, share = np.floor(at).astype(np.intp), at - np.floor(at)
        bins = len(freq) + 2 * reach
        impulses = np.bincount(below, power * (1 - share), bins) + np.bincount(below + 1, power * share, bins)
        kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) * spacing / sigma) ** 2)
        total += np.convolve(impulses, kernel, "valid")


def share_inside(lines: Lines, centre_hz: Floats, bandwidth_hz: Floats) -> Floats:
    """Share (n, m) of each of m Gaussian lines that falls inside n channels."""
    from scipy.special import ndtr

    sigma = np.maximum(lines.width_hz * _SIGMA_OF_WIDTH, 1.0)
    away, half = lines.freq_hz[None, :] - centre_hz[:, None], bandwidth_hz[:, None] / 2
    return np.asarray(ndtr((away + half) / sigma) - ndtr((away - half) / sigma))


def power_inside(lines: Lines, centre_hz: Floats, bandwidth_hz: Floats) -> Floats:
    """Power [mW] (n,) of many Gaussian lines, thousands perhaps, inside n channels: only those that reach into one are
    looked at."""
    from scipy.special import ndtr

    if not len(lines.freq_hz):
        return np.zeros(len(centre_hz))
    order = np.argsort(lines.freq_hz, kind="stable")
    freq, sigma = lines.freq_hz[order], np.maximum(lines.width_hz[order] * _SIGMA_OF_WIDTH, 1.0)
    half, reach = bandwidth_hz / 2, _REACH_SIGMA * float(sigma.max())
    first, end = np.searchsorted(freq, centre_hz - half - reach), np.searchsorted(freq, centre_hz + half + reach)
    count = end - first
    channel = np.repeat(np.arange(len(centre_hz)), count)
    line = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + first[channel]
    away = freq[line] - centre_hz[channel]
    share = ndtr((away + half[channel]) / sigma[line]) - ndtr((away - half[channel]) / sigma[line])
    power = share * milliwatts(lines.level_dbm[order][line])
    return np.asarray(np.bincount(channel, power, len(centre_hz)))


def detect(mean_mw: Floats, detector: Detector, rng: "np.random.Generator") -> Floats:
    """Noise-like power as a detector shows it: the average of many samples, or the greatest of some.

    A peak detector holds the greatest of about a thousand independent powers of exponential
    distribution, which lies near ln(1000) = 8.4 dB above the mean.
    """
    if detector == "peak":
        uniform = rng.random(len(mean_mw))
        return mean_mw * -np.log1p(-(uniform ** (1 / _HELD)))
    return mean_mw * rng.gamma(_AVERAGED, 1 / _AVERAGED, len(mean_mw))
