"""What people cost who pass between a transmitter and an antenna."""

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import SPEED_OF_LIGHT_M_S, Floats
from azven.rf.reach import HEAD_M

_SHOULDERS_M, _BESIDE_M, _CLOSE_M = 0.5, 1.5, 0.3
"""How wide a body is, how far from the path it still matters, and how near it is the wearer's own."""


def passed_db(
    place_m: Floats, mast_m: Floats, who: NDArray[np.intp], persons: NDArray[np.intp], freq_hz: Floats
) -> Floats:  # fmt: skip
    """What others cost on the straight paths from transmitters `who` (k,) among places (m, n, 3) to an antenna (3,)
    [dB] (k, n), for frequencies (k,). `persons` (m,) tells who carries each: nobody stands in their own way, and one
    who carries several is there once. A body is a screen as wide as shoulders and as high as a head: 3GPP TR 38.901,
    7.6.4.2, blockage model B."""
    bodies = np.unique(persons, return_index=True)[1]
    at, away = place_m[who], mast_m[:2] - place_m[who][..., :2]
    far = np.maximum(np.hypot(away[..., 0], away[..., 1]), 1e-6)
    unit = away / far[..., None]
    to = place_m[bodies][None, :, :, :2] - at[:, None, :, :2]
    along = (to * unit[:, None]).sum(axis=-1)
    across = to[..., 0] * unit[:, None, :, 1] - to[..., 1] * unit[:, None, :, 0]
    line = at[:, None, :, 2] + (mast_m[2] - at[:, None, :, 2]) * along / far[:, None]
    near = (along > _CLOSE_M) & (along < far[:, None] - _CLOSE_M) & (np.abs(across) < _BESIDE_M)
    near &= (line < HEAD_M + _BESIDE_M) & (persons[bodies][None, :, None] != persons[who][:, None, None])
    out = np.zeros(near.shape)
    if near.any():
        i, _, k = np.nonzero(near)
        lost = _screen_db(
            along[near], far[i, k] - along[near], across[near], line[near], SPEED_OF_LIGHT_M_S / freq_hz[i]
        )
        out[near] = lost
    return np.asarray(out.sum(axis=1))


def _screen_db(d1: Floats, d2: Floats, across: Floats, line: Floats, wave_m: Floats) -> Floats:
    """What one screen costs [dB] (p,): distances to both ends [m], how far its middle is beside the path and how high
    the path is there [m], and the wavelength [m]."""
    half = _SHOULDERS_M / 2
    left, right, top = (_edge(d1, d2, beyond, wave_m) for beyond in (half - across, half + across, HEAD_M - line))
    hidden = (left + right) * (top + 0.5)  # the lower edge is the floor, far beneath
    return np.asarray(-20 * np.log10(np.maximum(1 - hidden, 1e-3)))


def _edge(d1: Floats, d2: Floats, beyond_m: Floats, wave_m: Floats) -> Floats:
    """The term of an edge that lies so far beyond the path; negative where the path is free of it."""
    longer = np.hypot(d1, beyond_m) + np.hypot(d2, beyond_m) - (d1 + d2)
    return np.asarray(np.arctan(np.sign(beyond_m) * np.pi / 2 * np.sqrt(np.pi / wave_m * longer)) / np.pi)
