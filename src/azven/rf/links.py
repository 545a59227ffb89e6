"""Radio links: path, polarisation, body and obstacles between a transmitter and a receiving antenna.

Losses are positive decibels, levels dBm, distances metres, angles degrees. The formulas are those of
ITU-R P.525 (free space) and the form of P.1238 (indoor); planning values of bodies and walls are median
figures at 600 MHz and meant to be edited.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from azven.rf.levels import SPEED_OF_LIGHT_M_S, Floats, beam_gain_dbi, free_space_db, indoor_db, omni_gain_dbi

Polarisation = Literal["linear", "rhcp", "lhcp"]
Point = tuple[float, float, float]

POLARISATION_CAP_DB = 20.0
MESH_CAP_DB = 40.0
CIRCULAR_TO_LINEAR_DB = float(10 * np.log10(2))
TOUCHING_DB = COUPLING_FLOOR_DB = 10.0
MEAN_OVER_MEDIAN_DB = float(-10 * np.log10(np.log(2)))
"""A path model gives the median over multipath; the mean power of a Rayleigh field lies so much higher."""

BODY_DB = {"none": 0.0, "hand": 10.0, "pack facing away": 20.0, "pack facing": 4.0, "off the skin": 2.0, "crowd": 9.0}
"""Planning values of what a body costs [dB]."""
WALL_DB = {
    "opening": 0.0, "curtain": 1.0, "plasterboard": 2.0, "glass": 2.0, "wood": 4.0, "brick": 6.0,
    "reinforced concrete": 20.0, "low-emissivity glass": 25.0, "steel": 30.0,
}  # fmt: skip
"""Planning values of walls for coverage [dB]; for isolation between zones half of them is counted."""


@dataclass(frozen=True, kw_only=True)
class End:
    """One end of a link. `kind` omni or beam; `aim_m` is the point a beam is aimed at.

    `power_dbm` is conducted; `body_db` and `pointing_db` are losses at this end; `angle_deg` stands in for the
    geometry where no positions are known (off boresight for a beam, elevation for an omni).
    """

    power_dbm: float = 0.0
    gain_dbi: float = 0.0
    kind: str = "fixed"
    beamwidth_deg: float = 360.0
    front_back_db: float = 15.0
    polarisation: Polarisation = "linear"
    psi_deg: float = 0.0
    body_db: float = 0.0
    pointing_db: float = 0.0
    pos_m: Point | None = None
    aim_m: Point | None = None
    angle_deg: float = 0.0

    def gain_at(self, angle_deg: float) -> float:
        """Gain [dBi] off boresight (beam) or at an elevation (omni); a fixed gain knows no direction."""
        if self.kind == "omni":
            return float(omni_gain_dbi(self.gain_dbi, angle_deg))
        if self.kind == "beam":
            return float(beam_gain_dbi(self.gain_dbi, angle_deg, self.beamwidth_deg, self.front_back_db))
        return self.gain_dbi


@dataclass(frozen=True)
class Medium:
    """What lies between the ends: free space or indoor with exponent `n`, and the losses of obstacles [dB]."""

    model: Literal["free", "indoor"] = "free"
    n: float = 20.0
    obstacles_db: tuple[float, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Budget:
    """A link added up, term by term [dB, dBm, m, °]."""

    distance_m: float
    angle_deg: float
    path_db: float
    polarisation_db: float
    rx_gain_dbi: float
    level_dbm: float


def path_db(freq_hz: ArrayLike, distance_m: ArrayLike, medium: Medium = Medium(), touching: bool = False) -> Floats:
    """Median path loss [dB] without obstacles; 10 dB for touching antennas. ValueError for a negative distance."""
    free = free_space_db(freq_hz, distance_m)
    if touching:
        return np.full_like(free, TOUCHING_DB)
    return indoor_db(freq_hz, distance_m, medium.n) if medium.model == "indoor" else free


def polarisation_db(tx: Polarisation = "linear", rx: Polarisation = "linear", psi_deg: ArrayLike = 0.0) -> Floats:
    """Mismatch [dB]: −20·log10|cos ψ| between linear antennas, capped at 20; 3.01 dB circular against linear."""
    if tx == "linear" and rx == "linear":
        with np.errstate(divide="ignore"):
            loss = -20 * np.log10(np.abs(np.cos(np.radians(np.asarray(psi_deg, float)))))
        return np.asarray(np.minimum(loss, POLARISATION_CAP_DB))
    if "linear" in (tx, rx):
        return np.asarray(CIRCULAR_TO_LINEAR_DB)
    return np.asarray(0.0 if tx == rx else POLARISATION_CAP_DB)


def angle_at(end: End, towards_m: Point) -> float:
    """Angle [°] at which an end sees a point: off boresight for a beam, elevation for an omni."""
    if end.pos_m is None:
        return end.angle_deg
    away = np.subtract(towards_m, end.pos_m)
    length = float(np.linalg.norm(away))
    if length == 0:
        return 0.0
    if end.kind == "omni":
        return math.degrees(math.asin(float(away[2]) / length))
    if end.aim_m is None:
        return end.angle_deg
    bore = np.subtract(end.aim_m, end.pos_m)
    cosine = float(away @ bore) / (length * float(np.linalg.norm(bore)))
    return math.degrees(math.acos(max(-1.0, min(1.0, cosine))))


def gain_towards(end: End, away_m: Floats) -> Floats:
    """Gain [dBi] (...) of an antenna towards what lies `away_m` (..., 3) from it."""
    length = np.maximum(np.linalg.norm(away_m, axis=-1), 1e-9)
    if end.kind == "omni":
        return omni_gain_dbi(end.gain_dbi, np.degrees(np.arcsin(away_m[..., 2] / length)))
    if end.kind != "beam" or end.aim_m is None or end.pos_m is None:
        return np.full(length.shape, end.gain_dbi)
    bore = np.subtract(end.aim_m, end.pos_m)
    cosine = (away_m @ bore) / (length * np.linalg.norm(bore))
    angle = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    return beam_gain_dbi(end.gain_dbi, angle, end.beamwidth_deg, end.front_back_db)


def polarisation_between_db(a: End, b: End) -> float:
    """What the polarisations of two antennas take [dB]. How an antenna's turn looks from the other depends on which
    way both face; the turn that loses less counts."""
    turns = np.array([a.psi_deg - b.psi_deg, a.psi_deg + b.psi_deg])
    return float(np.min(polarisation_db(a.polarisation, b.polarisation, turns)))


def between_antennas_db(freq_hz: float, a: End, b: End) -> float:
    """Loss [dB] between the ports of two antennas with places: free space less both gains towards each other, and what
    their polarisations take, at least 10 dB. ValueError where one has no place."""
    if a.pos_m is None or b.pos_m is None:
        raise ValueError("the loss between two antennas needs the place of both")
    towards = np.subtract(b.pos_m, a.pos_m)
    gains = float(gain_towards(a, towards)) + float(gain_towards(b, -towards)) - polarisation_between_db(a, b)
    return max(float(free_space_db(freq_hz, math.dist(a.pos_m, b.pos_m))) - gains, COUPLING_FLOOR_DB)


def budget(freq_hz: float, tx: End, rx: End, distance_m: float | None = None, medium: Medium = Medium()) -> Budget:
    """Received level: P + G − body − pointing − path − polarisation − obstacles + G(θ). Distance and angle from the
    positions where both ends have one; ValueError when neither says how far apart they are."""
    angle = rx.angle_deg
    if tx.pos_m is not None and rx.pos_m is not None:
        distance_m = math.dist(tx.pos_m, rx.pos_m)
        angle = angle_at(rx, tx.pos_m)
    if distance_m is None:
        raise ValueError("a link needs a distance, or a position of both ends")
    path = float(path_db(freq_hz, distance_m, medium))
    turned = float(polarisation_db(tx.polarisation, rx.polarisation, abs(tx.psi_deg - rx.psi_deg)))
    gain = rx.gain_at(angle)
    level = (
        tx.power_dbm + tx.gain_dbi - tx.body_db - tx.pointing_db - path - turned - sum(medium.obstacles_db) + gain
        - rx.body_db - rx.pointing_db
    )  # fmt: skip
    return Budget(
        distance_m=distance_m, angle_deg=angle, path_db=path, polarisation_db=turned, rx_gain_dbi=gain, level_dbm=level
    )


def outage(margins_db: Sequence[float] | Floats) -> Floats:
    """Share of places in a Rayleigh field where every one of independent antennas is under threshold.

    `margins_db` (..., k): mean power over threshold of each antenna; answer (...): Π (1 − exp(−10^(−m/10))).
    """
    margins = np.asarray(margins_db, float)
    return np.asarray(np.prod(-np.expm1(-(10 ** (-margins / 10))), axis=-1))


def level_kept(medians_dbm: Sequence[float], outage_share: float = 0.01) -> float:
    """Level [dBm] under which independent antennas with these median levels all are together for `outage_share` of a
    Rayleigh field: what a wanted signal is worth at its worst."""
    top = max(medians_dbm)
    return top + _kept_below(tuple(round(m - top, 6) for m in medians_dbm), outage_share)


@cache
def _kept_below(medians_db: tuple[float, ...], outage_share: float) -> float:
    means = np.asarray(medians_db) + MEAN_OVER_MEDIAN_DB
    low, high = -100.0, 40.0
    while high - low > 1e-9:
        middle = (low + high) / 2
        low, high = (middle, high) if float(outage(means - middle)) < outage_share else (low, middle)
    return low


def coupling_db(
    freq_hz: float, distance_m: float, bodies_db: float = 0.0, gains_db: float = 0.0, touching: bool = False
) -> float:
    """Loss between the ports of two transmitters: path + both bodies − both gains, at least 10 dB."""
    return max(float(path_db(freq_hz, distance_m, touching=touching)) + bodies_db - gains_db, COUPLING_FLOOR_DB)


def field_to_dbm(freq_hz: float, field_dbuvm: float, gain_dbi: float) -> float:
    """Power [dBm] that a field strength [dBµV/m] puts into an antenna: E − 20·log10(f/MHz) − 77.22 + G."""
    impedance = 4e-7 * math.pi * SPEED_OF_LIGHT_M_S
    density_w_m2 = (10 ** (field_dbuvm / 20) * 1e-6) ** 2 / impedance
    aperture_m2 = (SPEED_OF_LIGHT_M_S / freq_hz) ** 2 / (4 * math.pi)
    return 10 * math.log10(density_w_m2 * aperture_m2 * 1e3) + gain_dbi


def mesh_db(freq_hz: float, opening_m: float, wire_radius_m: float) -> float:
    """Loss through a wire mesh: −10·log10(4X²/(1 + 4X²)), X = (a/λ)·ln(a/2πr); 0 from an opening of half a wave, 40 dB
    at most, which also stands for openings as narrow as their wire, where the formula ends. ValueError for sizes that
    are none."""
    if not (opening_m > 0 and wire_radius_m > 0):
        raise ValueError("a mesh needs an opening and a wire of more than 0 m")
    ratio = opening_m * freq_hz / SPEED_OF_LIGHT_M_S
    if ratio >= 0.5:
        return 0.0
    x = ratio * math.log(opening_m / (2 * math.pi * wire_radius_m))
    return min(10 * math.log10(1 + 1 / (4 * x * x)), MESH_CAP_DB) if x > 0 else MESH_CAP_DB
