"""The simulated venue: what an analyser with a given antenna would read there.

One deterministic physical model stands in for the world: television multiplexes with level and
bearing, thermal and man-made noise, narrow neighbours, our own carriers. Randomness comes from a seed
and the number of the sweep, so a sweep can be repeated exactly.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from azven.rf.imlevels import THREE_SIGNAL_DB
from azven.rf.levels import (
    Floats,
    beam_gain_dbi,
    city_noise_db,
    dbm,
    free_space_db,
    indoor_db,
    milliwatts,
    omni_gain_dbi,
    thermal_noise_dbm,
)
from azven.rf.sweep import Detector, Sweep
from azven.rf.walls import WallLine, crossed_db

Point = tuple[float, float, float]
_SIGMA_OF_RBW = 1 / 2.3548  # a resolution filter is close to Gaussian; RBW is its full width at half power
_AVERAGED = 24
_HELD = 1_000
_MIXING = 12
"""Only so many of the strongest signals are taken to make products worth seeing."""
_WEAKEST_PRODUCT_DBM = -135.0


@dataclass(frozen=True)
class Antenna:
    """An antenna at `position` (x, y, z) [m]: `omni`, or a beam aimed at a compass bearing [deg]."""

    position: Point = (0.0, 0.0, 1.5)
    gain_dbi: float = 2.15
    bearing_deg: float | None = None
    beamwidth_deg: float = 100.0
    front_back_db: float = 15.0

    def gain_towards(self, bearing_deg: float, elevation_deg: float = 0.0) -> float:
        """Gain [dBi] towards a compass bearing and an elevation [deg]."""
        if self.bearing_deg is None:
            return float(omni_gain_dbi(self.gain_dbi, elevation_deg))
        azimuth = np.radians(bearing_deg - self.bearing_deg)
        off = np.degrees(np.arccos(np.clip(np.cos(azimuth) * np.cos(np.radians(elevation_deg)), -1, 1)))
        return float(beam_gain_dbi(self.gain_dbi, off, self.beamwidth_deg, self.front_back_db))


@dataclass(frozen=True)
class Multiplex:
    """A digital television block: edges [Hz], power [dBm] an isotropic antenna would receive, bearing [deg].

    `pilot` adds the carrier of the single-carrier system 309.44 kHz above the lower edge, 11.3 dB below
    the block's power (ATSC A/53).
    """

    low_hz: int
    high_hz: int
    level_dbm: float
    bearing_deg: float
    pilot: bool = False


@dataclass(frozen=True)
class Emitter:
    """A narrow transmitter: radiated power EIRP [dBm], occupied bandwidth [Hz], place [m]; `ours` if we own it."""

    name: str
    freq_hz: int
    power_dbm: float
    position: Point
    bandwidth_hz: float = 120_000.0
    extra_loss_db: float = 0.0
    ours: bool = False
    keyed_s: tuple[float, float, float] | None = None
    """On for so many seconds of a period, from a moment on: (on, period, first); None: always on."""

    def on_at(self, time_s: float) -> bool:
        """Whether it transmits at a moment [s]."""
        if self.keyed_s is None:
            return True
        on, period, first = self.keyed_s
        return (time_s - first) % period < on


@dataclass(frozen=True)
class Settings:
    """How the analyser sweeps."""

    start_hz: int
    stop_hz: int
    points: int
    rbw_hz: float
    detector: Detector = "average"
    attenuation_db: float = 0.0


@dataclass(frozen=True)
class Venue:
    """Everything that radiates here. `exponent` is N of the indoor path loss, None for free space.

    `front_iip3_dbm`: input intercept of what stands behind the antenna; None makes no products. `walls` stand between
    emitters and antennas, halved losses as between zones do not apply: what is listed is what is lost.
    """

    multiplexes: tuple[Multiplex, ...] = ()
    emitters: tuple[Emitter, ...] = ()
    noise_figure_db: float = 10.0
    urban: bool = True
    exponent: float | None = 22.0
    seed: int = 1
    antennas: dict[str, Antenna] = field(default_factory=dict)
    walls: tuple[WallLine, ...] = ()
    front_iip3_dbm: float | None = None

    def received_dbm(self, emitter: Emitter, antenna: Antenna) -> float:
        """Median level [dBm] of an emitter at the antenna's terminals."""
        dx, dy, dz = (e - a for e, a in zip(emitter.position, antenna.position, strict=True))
        flat = float(np.hypot(dx, dy))
        bearing = float(np.degrees(np.arctan2(dx, dy)))
        gain = antenna.gain_towards(bearing, float(np.degrees(np.arctan2(dz, flat or 1e-9))))
        distance = float(np.hypot(flat, dz))
        if self.exponent is None:
            path = free_space_db(emitter.freq_hz, distance)
        else:
            path = indoor_db(emitter.freq_hz, distance, self.exponent)
        walls = float(crossed_db(self.walls, emitter.position, antenna.position)) if self.walls else 0.0
        return emitter.power_dbm + gain - float(path) - emitter.extra_loss_db - walls

    def sweep(
        self, antenna: Antenna, settings: Settings, number: int = 0, own_on: bool = True, time_s: float = 0.0
    ) -> Sweep:
        """What the analyser reads: (points,) levels in `rbw_hz` at a moment; the same `number` gives the same sweep.

        Readings are corrected for the attenuator: it raises the noise and weakens what the instrument itself makes.
        """
        freq = np.linspace(settings.start_hz, settings.stop_hz, settings.points).round().astype(np.int64)
        rng = np.random.default_rng([self.seed, number, settings.points])
        noise = self._noise_like(freq, antenna, settings.rbw_hz, settings.attenuation_db)
        power = _detect(noise, settings.detector, rng)
        heard = self.heard(antenna, own_on, time_s)
        for emitter, level in heard:
            _add_gaussian(power, freq, emitter.freq_hz, emitter.bandwidth_hz, level, settings.rbw_hz)
        for freq_hz, level, width in self._products(heard, settings.attenuation_db):
            _add_gaussian(power, freq, freq_hz, width, level, settings.rbw_hz)
        return Sweep(freq, dbm(power), settings.rbw_hz, settings.detector)

    def heard(self, antenna: Antenna, own_on: bool = True, time_s: float = 0.0) -> list[tuple[Emitter, float]]:
        """Who is on at a moment, with the level [dBm] at the antenna."""
        on = (e for e in self.emitters if (own_on or not e.ours) and e.on_at(time_s))
        return [(e, self.received_dbm(e, antenna)) for e in on]

    def _products(self, heard: list[tuple[Emitter, float]], attenuation_db: float) -> list[tuple[float, float, float]]:
        """Third-order products of the strongest signals in the front end: frequency [Hz], level [dBm] referred to
        the input, width [Hz]: 2Pa + Pb − 2·IIP3 and Pa + Pb + Pc − 2·IIP3 + 6.02, 2 dB weaker per dB of attenuation.
        """
        if self.front_iip3_dbm is None:
            return []
        strong = sorted(heard, key=lambda h: -h[1])[:_MIXING]
        lost = 2 * self.front_iip3_dbm + 2 * attenuation_db
        out: list[tuple[float, float, float]] = []
        for i, (a, pa) in enumerate(strong):
            for j, (b, pb) in enumerate(strong):
                if i != j:
                    out.append((2 * a.freq_hz - b.freq_hz, 2 * pa + pb - lost, 2 * a.bandwidth_hz + b.bandwidth_hz))
                    for c, pc in strong:
                        if i < j and c is not a and c is not b:
                            level = pa + pb + pc - lost + THREE_SIGNAL_DB
                            width = a.bandwidth_hz + b.bandwidth_hz + c.bandwidth_hz
                            out.append((a.freq_hz + b.freq_hz - c.freq_hz, level, width))
        return [p for p in out if p[1] > _WEAKEST_PRODUCT_DBM]

    def _noise_like(
        self, freq: NDArray[np.int64], antenna: Antenna, rbw_hz: float, attenuation_db: float = 0.0
    ) -> Floats:
        """Mean power [mW] of noise and multiplexes in each bin (n,)."""
        external = city_noise_db(freq) if self.urban else np.zeros(len(freq))
        noise = thermal_noise_dbm(rbw_hz, self.noise_figure_db + attenuation_db, external)
        total = np.broadcast_to(milliwatts(noise), freq.shape).copy()
        for mux in self.multiplexes:
            _add_multiplex(total, freq, mux, antenna.gain_towards(mux.bearing_deg), rbw_hz)
        return total


def _add_multiplex(total: Floats, freq: NDArray[np.int64], mux: Multiplex, gain_dbi: float, rbw_hz: float) -> None:
    """A flat block seen through a filter of width `rbw_hz`: the edges become ramps of that width."""
    occupied = 0.95 * (mux.high_hz - mux.low_hz)
    centre = (mux.high_hz + mux.low_hz) / 2
    low, high = centre - occupied / 2, centre + occupied / 2
    share = np.clip((freq - low) / rbw_hz + 0.5, 0, 1) * np.clip((high - freq) / rbw_hz + 0.5, 0, 1)
    level = mux.level_dbm + gain_dbi
    total += share * milliwatts(level) * min(rbw_hz / occupied, 1.0)
    if mux.pilot:
        _add_gaussian(total, freq, mux.low_hz + 309_440, 1_000.0, level - 11.3, rbw_hz)


def _add_gaussian(
    total: Floats, freq: NDArray[np.int64], centre_hz: float, width_hz: float, level_dbm: float, rbw_hz: float
) -> None:
    """A carrier of Gaussian spectrum through a Gaussian filter: P·σf/σ·exp(−d²/2σ²), σ² = σs² + σf²."""
    filter_sigma = rbw_hz * _SIGMA_OF_RBW
    sigma = float(np.hypot(width_hz * _SIGMA_OF_RBW, filter_sigma))
    low, high = np.searchsorted(freq, (centre_hz - 6 * sigma, centre_hz + 6 * sigma))
    offset = (freq[low:high] - centre_hz) / sigma
    total[low:high] += float(milliwatts(level_dbm)) * filter_sigma / sigma * np.exp(-0.5 * offset**2)


def _detect(mean_mw: Floats, detector: Detector, rng: "np.random.Generator") -> Floats:
    """Noise-like power as a detector shows it: the average of many samples, or the greatest of some.

    A peak detector holds the greatest of about a thousand independent powers of exponential
    distribution, which lies near ln(1000) = 8.4 dB above the mean.
    """
    if detector == "peak":
        uniform = rng.random(len(mean_mw))
        return mean_mw * -np.log1p(-(uniform ** (1 / _HELD)))
    return mean_mw * rng.gamma(_AVERAGED, 1 / _AVERAGED, len(mean_mw))
