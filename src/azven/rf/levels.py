"""Levels of radio links: path loss, antenna patterns, thermal noise.

Losses are positive decibels, levels dBm, frequencies hertz, distances metres, angles degrees.
Functions take numbers or arrays that broadcast together.
"""

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

SPEED_OF_LIGHT_M_S = 299_792_458.0
BOLTZMANN_J_K = 1.380649e-23
T0_K = 290.0
KT0_DBM_HZ = float(10 * np.log10(BOLTZMANN_J_K * T0_K * 1e3))
"""Thermal noise density at 290 K: −173.975 dBm/Hz (IEEE standard noise temperature)."""
LOSS_AT_ONE_WAVELENGTH_DB = float(20 * np.log10(4 * np.pi))
OMNI_BEAMWIDTH_DEG = 78.0
OMNI_CAP_DB = 20.0

Floats = NDArray[np.float64]
Surroundings = Literal["city", "residential", "rural", "quiet rural"]
_MAN_MADE: dict[Surroundings, tuple[float, float]] = {
    "city": (76.8, 27.7), "residential": (72.5, 27.7), "rural": (67.2, 27.7), "quiet rural": (53.6, 28.6),
}  # fmt: skip


def milliwatts(level_dbm: ArrayLike) -> Floats:
    """Power [mW] of a level [dBm]."""
    return np.asarray(10.0 ** (np.asarray(level_dbm, float) / 10.0))


def dbm(power_mw: ArrayLike) -> Floats:
    """Level [dBm] of a power [mW]; −inf for none."""
    with np.errstate(divide="ignore"):
        return np.asarray(10.0 * np.log10(np.asarray(power_mw, float)))


def free_space_db(freq_hz: ArrayLike, distance_m: ArrayLike) -> Floats:
    """Free-space loss [dB], 20·log10(4πdf/c) (ITU-R P.525); never less than at one wavelength, 21.98 dB.

    Raises ValueError when a distance is negative.
    """
    if np.any(np.asarray(distance_m) < 0):
        raise ValueError(f"a distance cannot be negative: {float(np.min(distance_m)):g} m")
    waves = np.asarray(distance_m, float) * np.asarray(freq_hz, float) / SPEED_OF_LIGHT_M_S
    return np.asarray(LOSS_AT_ONE_WAVELENGTH_DB + 20 * np.log10(np.maximum(waves, 1.0)))


def indoor_db(freq_hz: ArrayLike, distance_m: ArrayLike, exponent: ArrayLike) -> Floats:
    """Median loss [dB] inside a building, 20·log10(f/MHz) + N·log10(d/m) − 28 (form of ITU-R P.1238).

    `exponent` is N: 20 open hall, 22 shops and foyers, 28 to 33 furnished rooms. Never less than
    free space.
    """
    distance = np.maximum(np.asarray(distance_m, float), 1e-3)
    loss = 20 * np.log10(np.asarray(freq_hz, float) / 1e6) + np.asarray(exponent, float) * np.log10(distance) - 28
    return np.asarray(np.maximum(loss, free_space_db(freq_hz, distance_m)))


def beam_gain_dbi(gain_dbi: float, angle_deg: ArrayLike, beamwidth_deg: float, front_back_db: float = 15.0) -> Floats:
    """Gain [dBi] at an angle off boresight: G − min(12·(θ/θ3dB)², front-to-back ratio)."""
    off = 12 * (np.asarray(angle_deg, float) / beamwidth_deg) ** 2
    return np.asarray(gain_dbi - np.minimum(off, front_back_db))


def omni_gain_dbi(gain_dbi: float, elevation_deg: ArrayLike) -> Floats:
    """Gain [dBi] of an upright dipole towards an elevation: G − min(12·(ε/78°)², 20)."""
    off = 12 * (np.asarray(elevation_deg, float) / OMNI_BEAMWIDTH_DEG) ** 2
    return np.asarray(gain_dbi - np.minimum(off, OMNI_CAP_DB))


def thermal_noise_dbm(
    bandwidth_hz: ArrayLike, noise_figure_db: ArrayLike = 0.0, external_db: ArrayLike = 0.0
) -> Floats:
    """Noise [dBm] in `bandwidth_hz`, kT0B·(fa + F − 1), referred to the antenna.

    `external_db` is the external noise factor fa (at least 0 dB), `noise_figure_db` the receiver's F.
    """
    factor = np.maximum(milliwatts(external_db), 1.0) + milliwatts(noise_figure_db) - 1
    return np.asarray(KT0_DBM_HZ + 10 * np.log10(np.asarray(bandwidth_hz, float)) + 10 * np.log10(factor))


def man_made_noise_db(freq_hz: ArrayLike, surroundings: Surroundings | None = "city") -> Floats:
    """Man-made noise factor [dB], c − d·log10(f/MHz), not below 0 (ITU-R P.372, curves A to D, stated up to 250 MHz).

    None: a place without any.
    """
    freq = np.asarray(freq_hz, float)
    if surroundings is None:
        return np.zeros(freq.shape)
    c, d = _MAN_MADE[surroundings]
    return np.asarray(np.maximum(c - d * np.log10(freq / 1e6), 0.0))


def whip_length_mm(freq_hz: float) -> float:
    """Length [mm] of a quarter-wave whip, 0.95·c/4f (end effect of a thin rod)."""
    return 0.25 * SPEED_OF_LIGHT_M_S / freq_hz * 0.95 * 1e3
