"""The simulated venue: what an analyser with a given antenna would read there.

One deterministic physical model stands in for the world: television, noise of nature, people and racks, neighbours,
hand-held radios that key up, Wi-Fi, our own transmitters, and the intermodulation that transmitters and front ends make
of what is on. Time is an argument; chance comes from a seed and the number of the sweep, so a sweep can be repeated.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import (
    KT0_DBM_HZ,
    Floats,
    Surroundings,
    dbm,
    free_space_db,
    indoor_db,
    man_made_noise_db,
    milliwatts,
)
from azven.rf.radios import Radio
from azven.rf.sweep import Sweep, SweepSettings
from azven.rf.venue import spectrum
from azven.rf.venue.mixing import Lines, in_front, in_transmitters
from azven.rf.venue.things import CARRIER_HZ, Antenna, Electronics, Emitter, Front, Multiplex
from azven.rf.walls import WallLine, crossed_db

_NO_FRONT = Front(noise_figure_db=0.0)


@dataclass(frozen=True, kw_only=True)
class Venue:
    """Everything that radiates here. `exponent` is N of the indoor path loss, None for free space.

    `noise_figure_db` and `front_iip3_dbm` are the instrument's own; no intercept: it makes no products. `walls` stand
    between emitters and antennas: what is listed is what is lost.
    """

    multiplexes: tuple[Multiplex, ...] = ()
    emitters: tuple[Emitter, ...] = ()
    noise_figure_db: float = 10.0
    surroundings: Surroundings | None = "city"
    exponent: float | None = 22.0
    seed: int = 1
    antennas: dict[str, Antenna] = field(default_factory=dict)
    walls: tuple[WallLine, ...] = ()
    front_iip3_dbm: float | None = None
    electronics: tuple[Electronics, ...] = ()

    def levels_dbm(self, emitters: Sequence[Emitter], antenna: Antenna) -> Floats:
        """Median level [dBm] (n,) of emitters at the antenna's terminals."""
        if not emitters:
            return np.zeros(0)
        power = np.array([e.power_dbm - e.extra_loss_db - antenna.turn_loss_db(e.psi_deg) for e in emitters])
        freq = np.array([e.freq_hz for e in emitters], float)
        at = np.array([e.position for e in emitters], float)
        given = np.array([np.nan if e.arrives_dbm is None else e.arrives_dbm for e in emitters])
        levels = power + self._gain_less_path(at, freq, antenna)
        return np.where(np.isnan(given), levels, given)

    def received_dbm(self, emitter: Emitter, antenna: Antenna) -> float:
        """Median level [dBm] of one emitter at the antenna's terminals."""
        return float(self.levels_dbm([emitter], antenna)[0])

    def _gain_less_path(self, at: Floats, freq_hz: Floats, antenna: Antenna) -> Floats:
        """Antenna gain less path and walls [dB] (n,) from places (n, 3)."""
        away = at - np.asarray(antenna.position, float)
        flat = np.hypot(away[:, 0], away[:, 1])
        bearing = np.degrees(np.arctan2(away[:, 0], away[:, 1]))
        elevation = np.degrees(np.arctan2(away[:, 2], np.maximum(flat, 1e-9)))
        distance = np.hypot(flat, away[:, 2])
        path = free_space_db(freq_hz, distance)
        if self.exponent is not None:
            path = indoor_db(freq_hz, distance, self.exponent)
        walls = crossed_db(self.walls, at, np.asarray(antenna.position, float)) if self.walls else 0.0
        return np.asarray(antenna.gain_towards(bearing, elevation) - path - walls)

    def heard(self, own_on: bool = True, time_s: float = 0.0) -> list[Emitter]:
        """Who is on at a moment [s]."""
        return [e for e in self.emitters if (own_on or not e.ours) and e.on_at(time_s)]

    def television(self, antenna: Antenna) -> Lines:
        """Every multiplex at the antenna's terminals: middle, level, width."""
        middle = np.array([(m.low_hz + m.high_hz) / 2 for m in self.multiplexes], float)
        seen = [float(antenna.gain_towards(m.bearing_deg)) - antenna.turn_loss_db(m.psi_deg) for m in self.multiplexes]
        level = np.array([m.level_dbm for m in self.multiplexes]) + np.array(seen)
        return Lines(middle, level.reshape(-1), np.array([spectrum.occupied_hz(m) for m in self.multiplexes]))

    def narrow(
        self, antenna: Antenna, own_on: bool = True, time_s: float = 0.0, attenuation_db: float = 0.0
    ) -> tuple[list[Emitter], Floats, Lines]:
        """Who is on, their levels (n,), and the products of them all and of television: in [dBm] at the input of the
        instrument.

        The instrument's own products are given as its reading, corrected for the attenuator, shows them: 2 dB weaker
        per dB of attenuation. What blocks a front takes from everything that arrives through it.
        """
        return self._narrow(antenna, own_on, time_s, attenuation_db)[:3]

    def _narrow(
        self, antenna: Antenna, own_on: bool, time_s: float, attenuation_db: float
    ) -> tuple[list[Emitter], Floats, Lines, float]:
        """The same, and what is lost to blocking in all [dB]."""
        front = antenna.front or _NO_FRONT
        on, levels, signals, behind = self._arriving(antenna, front, own_on, time_s)
        made = in_transmitters(on, levels)
        parts = [Lines(made.freq_hz, made.level_dbm - front.loss_before_db(made.freq_hz), made.width_hz)]
        if front.iip3_dbm is not None:
            parts.append(in_front(Lines.joined([signals, behind]), front.iip3_dbm))
        in_the_front, in_the_instrument = self._lost(front, signals, behind, attenuation_db)
        less = in_the_front - front.gain_db
        at_instrument = signals.lower_by(less)
        amplified = [Lines.joined(parts).lower_by(less)]
        if self.front_iip3_dbm is not None:
            all_there = Lines.joined([at_instrument, behind.lower_by(less)])
            amplified.append(in_front(all_there, self.front_iip3_dbm + attenuation_db))
        read = at_instrument.lower_by(in_the_instrument)
        products = Lines.joined(amplified).lower_by(in_the_instrument)
        return on, read.level_dbm, products, in_the_front + in_the_instrument

    def blocked_db(
        self, antenna: Antenna, own_on: bool = True, time_s: float = 0.0, attenuation_db: float = 0.0
    ) -> float:
        """What the antenna's front and the instrument lose of everything that arrives [dB]: as much as the average
        composite, television included, stands over their blocking level, 10 dB under compression (domain section 4)."""
        front = antenna.front or _NO_FRONT
        _, _, signals, television = self._arriving(antenna, front, own_on, time_s)
        return sum(self._lost(front, signals, television, attenuation_db))

    def _arriving(
        self, antenna: Antenna, front: Front, own_on: bool, time_s: float
    ) -> tuple[list[Emitter], Floats, Lines, Lines]:
        """Who is on, their levels (n,) at the terminals, and what of them and of television passes the front's
        filter."""
        on = self.heard(own_on, time_s)
        levels = self.levels_dbm(on, antenna)
        freq = np.array([e.freq_hz for e in on], float)
        signals = Lines(freq, levels - front.loss_before_db(freq), np.array([e.width_hz for e in on]))
        television = self.television(antenna)
        return on, levels, signals, television.lower_by(front.loss_before_db(television.freq_hz))

    def _lost(self, front: Front, signals: Lines, television: Lines, attenuation_db: float) -> tuple[float, float]:
        """The same in the front and in the instrument, of what is behind the front's filter."""
        arriving = np.concatenate([signals.level_dbm, television.level_dbm])
        if not len(arriving):
            return 0.0, 0.0
        composite = float(dbm(milliwatts(arriving).sum()))
        lost = _over(composite, front.iip3_dbm)
        own = None if self.front_iip3_dbm is None else self.front_iip3_dbm + attenuation_db
        return lost, _over(composite + front.gain_db - lost, own)

    def channels_dbm(
        self, antenna: Antenna, freq_hz: Floats, bandwidth_hz: Floats, names: Sequence[str], time_s: float = 0.0,
        broad_mw: Floats | None = None,
    ) -> Floats:  # fmt: skip
        """What else arrives in channels (n,) around `freq_hz` at the antenna's receivers [dBm]: everybody but the
        named transmitter of each, their products, television and racks; noise left out. −∞ for nothing. `broad_mw`:
        what is broad there, where it is known from before."""
        return dbm(sum(self.inside_mw(antenna, freq_hz, bandwidth_hz, names, time_s, broad_mw)))

    def disturbing(
        self, antenna: Antenna, freq_hz: Floats, bandwidth_hz: Floats, names: Sequence[str], time_s: float = 0.0,
        broad_mw: Floats | None = None,
    ) -> tuple[Floats, float]:  # fmt: skip
        """The same, and what the antenna's front loses of everything because it is blocked [dB]."""
        *parts, lost_db = self._inside_mw(antenna, freq_hz, bandwidth_hz, names, time_s, broad_mw)
        return dbm(sum(parts)), lost_db

    def inside_mw(
        self, antenna: Antenna, freq_hz: Floats, bandwidth_hz: Floats, names: Sequence[str], time_s: float = 0.0,
        broad_mw: Floats | None = None,
    ) -> tuple[Floats, Floats, Floats]:  # fmt: skip
        """The parts of that (n,) [mW]: carriers, products, and what is broad: television and racks."""
        return self._inside_mw(antenna, freq_hz, bandwidth_hz, names, time_s, broad_mw)[:3]

    def _inside_mw(
        self, antenna: Antenna, freq_hz: Floats, bandwidth_hz: Floats, names: Sequence[str], time_s: float,
        broad_mw: Floats | None,
    ) -> tuple[Floats, Floats, Floats, float]:  # fmt: skip
        on, levels, products, lost = self._narrow(antenna, True, time_s, 0.0)
        carriers = np.zeros(len(freq_hz))
        if on:
            sent = Lines(np.array([e.freq_hz for e in on], float), levels, np.array([e.width_hz for e in on]))
            own = np.array([[e.name == name for e in on] for name in names])
            carriers += (spectrum.share_inside(sent, freq_hz, bandwidth_hz) * ~own) @ milliwatts(levels)
        made = spectrum.power_inside(products, freq_hz, bandwidth_hz)
        broad = self.broad_mw(antenna, freq_hz, bandwidth_hz) if broad_mw is None else broad_mw
        return carriers, made, broad * milliwatts(-lost), lost

    def broad_mw(self, antenna: Antenna, freq_hz: Floats, bandwidth_hz: Floats) -> Floats:
        """Television and racks in channels (n,) [mW], where nothing blocks the front. It does not change with time."""
        at = np.argsort(freq_hz, kind="stable")
        ordered = freq_hz[at].astype(np.int64)
        density = self._broad_mw(ordered, antenna, 1.0) * (antenna.front or _NO_FRONT).gain_at(ordered)
        broad = np.zeros(len(freq_hz))
        broad[at] = density * bandwidth_hz[at]
        return broad

    def sweep(
        self, antenna: Antenna, settings: SweepSettings, number: int = 0, own_on: bool = True, time_s: float = 0.0
    ) -> Sweep:
        """What the analyser reads: (points,) levels in `rbw_hz` at a moment; the same `number` gives the same sweep.

        Readings are corrected for the attenuator: it raises the noise and weakens what the instrument itself makes.
        """
        freq = np.linspace(settings.start_hz, settings.stop_hz, settings.points).round().astype(np.int64)
        rng = np.random.default_rng([self.seed, number, settings.points])
        on, levels, products, lost = self._narrow(antenna, own_on, time_s, settings.attenuation_db)
        peak = settings.detector == "peak"
        levels = levels + np.array([0.0 if peak else 10 * np.log10(e.duty) for e in on])
        noise = self.noise_like_mw(freq, antenna, settings.rbw_hz, settings.attenuation_db, lost)
        for emitter, level in zip(on, levels.tolist(), strict=True):
            if emitter.shape == "digital":
                spectrum.add_flat(noise, freq, emitter.freq_hz, emitter.bandwidth_hz, level, settings.rbw_hz)
        power = spectrum.detect(noise, settings.detector, rng)
        for emitter, level in zip(on, levels.tolist(), strict=True):
            if emitter.shape != "digital":
                spectrum.add_gaussian(power, freq, emitter.freq_hz, emitter.width_hz, level, settings.rbw_hz)
        spectrum.add_lines(power, freq, products, settings.rbw_hz)
        for thing in self.electronics:
            self._add_clock(power, freq, thing, antenna, settings.rbw_hz, lost)
        return Sweep(freq, dbm(power), settings.rbw_hz, settings.detector)

    def noise_like_mw(
        self, freq: NDArray[np.int64], antenna: Antenna, rbw_hz: float, attenuation_db: float = 0.0,
        blocked_db: float = 0.0,
    ) -> Floats:  # fmt: skip
        """Mean power [mW] of noise, racks and multiplexes in each bin (n,), at the input of the instrument; what is
        blocked is lost to all but the noise that front and instrument make themselves."""
        front = antenna.front or _NO_FRONT
        external = milliwatts(man_made_noise_db(freq, self.surroundings))
        own = milliwatts(self.noise_figure_db + attenuation_db) - 1
        before = milliwatts(front.noise_figure_db) - 1
        through = milliwatts(front.gain_db)
        kt0b = milliwatts(KT0_DBM_HZ) * rbw_hz
        arriving = kt0b * external + self._broad_mw(freq, antenna, rbw_hz)
        return np.asarray(arriving * front.gain_at(freq) * milliwatts(-blocked_db) + kt0b * (before * through + own))

    def _broad_mw(self, freq: NDArray[np.int64], antenna: Antenna, rbw_hz: float) -> Floats:
        """Mean power [mW] of racks and multiplexes in each bin (n,), at the antenna's terminals."""
        arriving = np.zeros(len(freq))
        for thing in self.electronics:
            path = self._gain_less_path(np.array([thing.position]), np.array([500e6]), antenna)
            arriving += milliwatts(thing.radiated_dbm_hz(freq) + path) * rbw_hz
        for mux in self.multiplexes:
            seen = float(antenna.gain_towards(mux.bearing_deg)) - antenna.turn_loss_db(mux.psi_deg)
            spectrum.add_multiplex(arriving, freq, mux, seen, rbw_hz)
        return arriving

    def _add_clock(
        self, power: Floats, freq: NDArray[np.int64], thing: Electronics, antenna: Antenna, rbw_hz: float,
        blocked_db: float,
    ) -> None:  # fmt: skip
        """The harmonics of a clock that fall into the sweep."""
        if thing.clock_hz is None:
            return
        front = antenna.front or _NO_FRONT
        first, last = -(-int(freq[0]) // thing.clock_hz), int(freq[-1]) // thing.clock_hz
        lines: Floats = np.arange(first, last + 1, dtype=np.float64) * thing.clock_hz
        if not len(lines):
            return
        path = self._gain_less_path(np.tile(np.asarray(thing.position, float), (len(lines), 1)), lines, antenna)
        levels = thing.clock_dbm + path + front.gain_db - front.loss_before_db(lines) - blocked_db
        spectrum.add_lines(power, freq, Lines(lines, levels, np.full(len(lines), CARRIER_HZ)), rbw_hz)


def _over(composite_dbm: float, iip3_dbm: float | None) -> float:
    """How far a composite stands over the blocking level that an intercept implies [dB]."""
    return 0.0 if iip3_dbm is None else max(composite_dbm - Radio(iip3_dbm=iip3_dbm).blocked_from_dbm, 0.0)
