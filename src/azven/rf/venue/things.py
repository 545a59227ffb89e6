"""What radiates in the simulated venue, and what hears it. Levels in dBm, losses in dB, places (x, y, z) in metres."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from azven.rf.levels import Floats, beam_gain_dbi, free_space_db, milliwatts, omni_gain_dbi
from azven.rf.links import Polarisation, polarisation_db

Point = tuple[float, float, float]
Shape = Literal["fm", "digital", "carrier"]
"""A Gaussian spectrum, a flat one, and an unmodulated line."""
_WIFI_OCCUPIED_HZ = 16_600_000
CARRIER_HZ = 100.0


@dataclass(frozen=True)
class Front:
    """What stands between an antenna and the instrument: gain and noise figure [dB], input intercept [dBm] (None: it
    never mixes), and a filter before it with the closed ranges [Hz] it stops and what it takes there [dB]."""

    gain_db: float = 0.0
    noise_figure_db: float = 3.0
    iip3_dbm: float | None = None
    stops: tuple[tuple[int, int, float], ...] = ()

    def loss_before_db(self, freq_hz: ArrayLike) -> Floats:
        """What the filter takes at frequencies [Hz]."""
        freq = np.asarray(freq_hz, float)
        lost = np.zeros(freq.shape)
        for low, high, loss in self.stops:
            lost = np.where((freq >= low) & (freq <= high), loss, lost)
        return lost

    def gain_at(self, freq_hz: ArrayLike) -> Floats:
        """Power out over power in, filter included."""
        return milliwatts(self.gain_db - self.loss_before_db(freq_hz))


@dataclass(frozen=True, kw_only=True)
class Antenna:
    """An antenna at `position`: `omni`, or a beam aimed at a compass bearing [deg]; turned `psi_deg` from upright."""

    position: Point = (0.0, 0.0, 1.5)
    gain_dbi: float = 2.15
    bearing_deg: float | None = None
    beamwidth_deg: float = 100.0
    front_back_db: float = 15.0
    psi_deg: float = 0.0
    polarisation: Polarisation = "linear"
    front: Front | None = None

    def gain_towards(self, bearing_deg: ArrayLike, elevation_deg: ArrayLike = 0.0) -> Floats:
        """Gain [dBi] towards compass bearings and elevations [deg] that broadcast together."""
        if self.bearing_deg is None:
            return omni_gain_dbi(self.gain_dbi, elevation_deg)
        azimuth = np.radians(np.asarray(bearing_deg, float) - self.bearing_deg)
        off = np.degrees(np.arccos(np.clip(np.cos(azimuth) * np.cos(np.radians(elevation_deg)), -1, 1)))
        return beam_gain_dbi(self.gain_dbi, off, self.beamwidth_deg, self.front_back_db)

    def turn_loss_db(self, psi_deg: float | None) -> float:
        """Loss against a linear wave turned `psi_deg` from upright; none where the turn is not known."""
        return 0.0 if psi_deg is None else float(polarisation_db("linear", self.polarisation, psi_deg - self.psi_deg))


@dataclass(frozen=True, kw_only=True)
class Multiplex:
    """A digital television block: edges [Hz], power [dBm] an isotropic antenna would receive, bearing [deg].

    `psi_deg`: 0 upright, 90 level, None unknown. `pilot` adds the carrier of the single-carrier system 309.44 kHz above
    the lower edge, 11.3 dB below the block's power (ATSC A/53).
    """

    low_hz: int
    high_hz: int
    level_dbm: float
    bearing_deg: float
    pilot: bool = False
    psi_deg: float | None = None

    @classmethod
    def from_mast(
        cls, low_hz: int, high_hz: int, eirp_dbm: float, distance_m: float, bearing_deg: float, pilot: bool = False,
        psi_deg: float | None = 90.0, terrain_db: float = 0.0,
    ) -> "Multiplex":  # fmt: skip
        """A block from a mast so far away: free space (ITU-R P.525) and what the terrain takes."""
        path = float(free_space_db((low_hz + high_hz) / 2, distance_m)) + terrain_db
        level_dbm = eirp_dbm - path
        return cls(
            low_hz=low_hz, high_hz=high_hz, level_dbm=level_dbm, bearing_deg=bearing_deg, pilot=pilot, psi_deg=psi_deg
        )


@dataclass(frozen=True, kw_only=True)
class Emitter:
    """A transmitter: radiated power [dBm], occupied bandwidth [Hz], place; `ours` if we own it.

    `extra_loss_db` is the body that carries it and whatever else is always in its way; `duty` the share of time a
    bursty one is on; `arrives_dbm` its level at every antenna, where power and place do not matter.
    """

    name: str
    freq_hz: int
    power_dbm: float
    position: Point
    bandwidth_hz: float = 120_000.0
    extra_loss_db: float = 0.0
    ours: bool = False
    keyed_s: tuple[float, float, float] | None = None
    """On for so many seconds of a period, from a moment on: (on, period, first); None: always on."""
    shape: Shape = "fm"
    duty: float = 1.0
    psi_deg: float | None = None
    arrives_dbm: float | None = None
    conversion_loss_db: float = 15.0

    def on_at(self, time_s: float) -> bool:
        """Whether it transmits at a moment [s]."""
        if self.keyed_s is None:
            return True
        on, period, first = self.keyed_s
        return (time_s - first) % period < on

    @property
    def width_hz(self) -> float:
        """Width [Hz] of what it sends."""
        return CARRIER_HZ if self.shape == "carrier" else self.bandwidth_hz


def wifi(name: str, number: int, position: Point, power_dbm: float = 17.0, duty: float = 0.3) -> Emitter:
    """An access point on channel 1…13 of 2.4 GHz: 2407 + 5n MHz, flat over 16.6 MHz, in bursts (IEEE 802.11).

    ValueError for another channel."""
    if not 1 <= number <= 13:
        raise ValueError(f"2.4 GHz channels are 1 to 13, not {number}")
    freq = 2_407_000_000 + 5_000_000 * number
    return Emitter(
        name=name,
        freq_hz=freq,
        power_dbm=power_dbm,
        position=position,
        bandwidth_hz=_WIFI_OCCUPIED_HZ,
        shape="digital",
        duty=duty,
    )


@dataclass(frozen=True)
class Electronics:
    """Racks, screens and supplies: noise of `density_dbm_hz` radiated at 500 MHz, 20 dB less per decade upwards, and,
    with a clock, its harmonics as lines of `clock_dbm` each."""

    name: str
    position: Point
    density_dbm_hz: float = -140.0
    clock_hz: int | None = None
    clock_dbm: float = -60.0

    def radiated_dbm_hz(self, freq_hz: ArrayLike) -> Floats:
        """Density [dBm/Hz] at frequencies [Hz]."""
        return np.asarray(self.density_dbm_hz - 20 * np.log10(np.asarray(freq_hz, float) / 500e6))
