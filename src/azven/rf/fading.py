"""Fading that belongs to the place: the same spot gives the same level, so a walk can be repeated.

Fast: many plane waves of equal strength from all sides make a Rayleigh field (Clarke's model, Bell Syst. Tech. J.
1968). Slow: a smooth normal field in decibels for what furniture and people take away.
"""

import numpy as np
from numpy.typing import ArrayLike

from azven.rf.levels import SPEED_OF_LIGHT_M_S, Floats

_WAVES = 24
SLOW_SIGMA_DB = 3.0
SLOW_LENGTH_M = 6.0
DELAY_SPREAD_S = 80e-9
"""Of a hall; most are between 50 and 150 ns (form of ITU-R P.1238)."""
_MEDIAN_DB = float(10 * np.log10(np.log(2)))
"""The median of a Rayleigh field's power under its mean."""


def rayleigh_db(pos_m: ArrayLike, freq_hz: float, seed: int) -> Floats:
    """Level relative to the mean [dB] (...) at positions (..., 2 or 3) of the field that `seed` names."""
    at = np.asarray(pos_m, float)[..., :2]
    rng = np.random.default_rng([seed, 1])
    angle = 2 * np.pi * (np.arange(_WAVES) + rng.random(_WAVES)) / _WAVES
    phase = 2 * np.pi * rng.random(_WAVES)
    wave = 2 * np.pi * freq_hz / SPEED_OF_LIGHT_M_S
    turn = wave * (at[..., :1] * np.cos(angle) + at[..., 1:2] * np.sin(angle)) + phase
    field = np.exp(1j * turn).sum(axis=-1) / np.sqrt(_WAVES)
    return np.asarray(10 * np.log10(np.maximum(np.abs(field) ** 2, 1e-12)))


def between_db(from_m: ArrayLike, to_m: ArrayLike, freq_hz: ArrayLike, seed: int) -> Floats:
    """Level relative to the median [dB] (...) of links from positions (..., 2 or 3) to antennas (..., 2 or 3) at
    frequencies (...), which broadcast. Every wave leaves and arrives at an angle of its own and is late by its own
    delay (double-directional model, Steinbauer et al., IEEE Antennas Propag. Mag. 2001), so that antennas a distance d
    apart have powers that correlate by J0(2πd/λ)², and so do places of the transmitter; frequencies by their spread."""
    start, end = np.asarray(from_m, float)[..., :2], np.asarray(to_m, float)[..., :2]
    freq = np.asarray(freq_hz, float)[..., None]
    rng = np.random.default_rng([seed, 4])
    leaves, arrives = (2 * np.pi * (np.arange(_WAVES) + rng.random(_WAVES)) / _WAVES for _ in range(2))
    arrives = rng.permutation(arrives)
    phase, late_s = 2 * np.pi * rng.random(_WAVES), rng.exponential(DELAY_SPREAD_S, _WAVES)
    wave = 2 * np.pi * freq / SPEED_OF_LIGHT_M_S
    way = start[..., :1] * np.cos(leaves) + start[..., 1:2] * np.sin(leaves)
    way = way + end[..., :1] * np.cos(arrives) + end[..., 1:2] * np.sin(arrives)
    field = np.exp(1j * (wave * way + phase - 2 * np.pi * freq * late_s)).sum(axis=-1) / np.sqrt(_WAVES)
    return np.asarray(10 * np.log10(np.maximum(np.abs(field) ** 2, 1e-12)) - _MEDIAN_DB)


def slow_db(pos_m: ArrayLike, seed: int, sigma_db: float = SLOW_SIGMA_DB) -> Floats:
    """Slow variation [dB] (...) at positions (..., 2 or 3), mean 0, smooth over about six metres."""
    at = np.asarray(pos_m, float)[..., :2]
    rng = np.random.default_rng([seed, 2])
    angle, phase = 2 * np.pi * rng.random(_WAVES), 2 * np.pi * rng.random(_WAVES)
    stretch = 2 * np.pi / SLOW_LENGTH_M * (0.3 + 0.7 * rng.random(_WAVES))
    turn = stretch * (at[..., :1] * np.cos(angle) + at[..., 1:2] * np.sin(angle)) + phase
    return np.asarray(sigma_db * np.sqrt(2 / _WAVES) * np.cos(turn).sum(axis=-1))
