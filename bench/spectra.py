"""Seeded spectra with everything in mixture, and what is true of them: the planted mean power decides."""

from dataclasses import dataclass, field, replace

import numpy as np

from azven.rf.levels import dbm, milliwatts
from azven.rf.noise import hardly_ever_db
from azven.rf.occupancy import KEPT_BESIDE_HZ, covered_share, judge, survey
from azven.rf.sweep import Channel, Sweep

LIMITS_DBM = (-101.0, -88.0)
_KT0_DBM_HZ = -173.975
_PEAK_OF = 9.4
"""A peak detector reads noise as the greatest of some twelve thousand readings: ln K and a Gumbel law, 10 dB high."""


@dataclass(frozen=True)
class Planted:
    """An emission of ours: edges [Hz], its power in a bin at its middle [dBm], and whether it stands alone."""

    low_hz: float
    high_hz: float
    peak_dbm: float
    alone: bool


@dataclass
class Spectrum:
    """A sweep and the truth about it: mean power per hertz without the instrument's scatter, [mW/Hz] (n,)."""

    sweep: Sweep
    channels: list[Channel]
    averages: int
    impulses: bool
    noise_dbm: np.ndarray
    density: np.ndarray
    full: set[str]
    planted: list[Planted] = field(default_factory=list)


def make(seed: int) -> Spectrum:
    """The spectrum of a seed."""
    rng = np.random.default_rng(seed)
    wide = int(rng.choice([8, 6])) * 1_000_000
    count = int(rng.choice([1, 2, 3, 6, 12, 20, 28, 30]))
    rbw = float(rng.choice([1e3, 3e3, 1e4, 3e4, 1e5])) if count <= 3 else float(rng.choice([1e4, 3e4, 1e5]))
    spacing = max(1, round(rbw * rng.uniform(0.3, 2.0)))
    averages = int(rng.choice([1, 2, 4, 10, 30, 100]))
    peak = rng.random() < 0.3
    channels = [Channel(str(21 + k), 470_000_000 + wide * k, 470_000_000 + wide * (k + 1)) for k in range(count)]
    freq = np.arange(470_000_000, 470_000_000 + wide * count, spacing, dtype=np.int64)
    density = milliwatts(np.full(len(freq), _KT0_DBM_HZ + rng.uniform(8, 25)))
    if rng.random() < 0.15:
        density = density * milliwatts(np.linspace(0, rng.uniform(5, 60), len(freq)))
    if rng.random() < 0.1:
        density = density * milliwatts(rng.uniform(5, 40))
    if rng.random() < 0.1:  # lamps over half of the band
        half = len(freq) // 2
        density[:half] *= milliwatts(rng.uniform(5, 35))
    noise = dbm(density * rbw)
    full: set[str] = set()
    if rng.random() < 0.7:
        first, many = int(rng.integers(0, count)), int(rng.integers(1, count + 1))
        chosen = (
            range(first, min(count, first + many)) if rng.random() < 0.5 else rng.choice(count, many, replace=False)
        )
        for k in chosen:
            c = channels[int(k)]
            power = rng.uniform(-95, -35)
            inside = (freq >= c.low_hz + 0.025 * wide) & (freq < c.high_hz - 0.025 * wide)
            density[inside] += milliwatts(power) / (0.95 * wide)
            full.add(c.name)
    planted = _plant(rng, freq, density, rbw, spacing, channels, full, noise, averages)
    mean = _through_filter(density, spacing, rbw) * rbw
    if rng.random() < 0.1:  # a comb every 50 kHz
        level = milliwatts(dbm(mean.min()) + rng.uniform(3, 25))
        teeth = np.arange(freq[0] + 20_000, freq[-1], 50_000)
        at = np.clip(np.searchsorted(freq, teeth), 0, len(freq) - 1)
        line = np.zeros(len(freq))
        line[at] += level
        extra = _through_filter(line, spacing, rbw, power=True)
        mean = mean + extra
        density = density + extra / rbw
        planted = [Planted(p.low_hz, p.high_hz, p.peak_dbm, False) for p in planted]
        planted.append(Planted(float(freq[0]), float(freq[-1]), -999.0, False))
    scatter = rng.gamma(averages, 1 / averages, len(freq))
    if peak:
        scatter = _PEAK_OF + rng.gumbel(0.0, 1.0 / averages**0.5, len(freq))
    power = mean * np.maximum(scatter, 1e-3)
    impulses = rng.random() < 0.08
    if impulses:
        struck = rng.random(len(freq)) < rng.uniform(0.02, 0.09)
        power[struck] += milliwatts(noise[struck] + rng.uniform(10, 40, int(struck.sum())))
    sweep = Sweep(freq, np.asarray(dbm(power)), rbw, "peak" if peak else "average")
    return Spectrum(sweep, channels, averages, impulses, noise, density, full, planted)


def _plant(rng, freq, density, rbw, spacing, channels, full, noise, averages):
    """Emissions from 20 kHz to 3 MHz, some in pairs, added to `density`."""
    out: list[Planted] = []
    span = float(freq[-1] - freq[0])
    for _ in range(int(rng.integers(0, 6))):
        width = float(np.exp(rng.uniform(np.log(20e3), np.log(3e6))))
        at = float(freq[0]) + rng.uniform(0.02, 0.98) * span
        over = max(6.0, hardly_ever_db(averages)) + rng.uniform(-3, 35)
        pair = rng.random() < 0.3
        centres = [at, at + max(250e3, 3 * rbw) + width] if pair else [at]
        for centre in centres:
            low, high = centre - width / 2, centre + width / 2
            i = int(np.clip(np.searchsorted(freq, centre), 0, len(freq) - 1))
            in_bin = float(noise[i]) + over
            inside = (freq + spacing / 2 > low) & (freq - spacing / 2 < high)
            if not inside.any() or high > freq[-1] - 2 * rbw or low < freq[0] + 2 * rbw:
                continue
            share = np.clip(
                (np.minimum(freq + spacing / 2, high) - np.maximum(freq - spacing / 2, low)) / spacing, 0, 1
            )
            narrow = min(1.0, width / rbw)
            density += inside * share * milliwatts(in_bin) / rbw / narrow
            in_full = any(c.name in full and c.low_hz - 1e6 < high and c.high_hz + 1e6 > low for c in channels)
            steady = abs(float(noise[min(i + 40, len(noise) - 1)]) - float(noise[max(i - 40, 0)])) < 3
            out.append(Planted(low, high, in_bin, not in_full and steady))
    beside = 4 * max(rbw, spacing)
    return [
        replace(p, alone=p.alone and not any(
            q is not p and p.low_hz - beside < q.high_hz and p.high_hz + beside > q.low_hz for q in out
        ))
        for p in out
    ]  # fmt: skip


def _through_filter(values, spacing, rbw, power=False):
    """A density as a Gaussian resolution filter of this width (3 dB) reads it; or lines of power."""
    sigma = rbw / 2.3548 / spacing
    half = int(np.ceil(4 * sigma)) + 1
    k = np.exp(-0.5 * (np.arange(-half, half + 1) / sigma) ** 2)
    return np.convolve(values, k / k.max() if power else k / k.sum(), "same")


@dataclass
class Score:
    """Counts over many spectra."""

    taken: int = 0
    taken_called_quiet: int = 0
    clear: int = 0
    clear_called_taken: int = 0
    emissions: int = 0
    found: int = 0
    exact: int = 0
    false: int = 0
    bins: int = 0
    missed: list[int] = field(default_factory=list)
    wrong: list[int] = field(default_factory=list)


def _truths(s: Spectrum, limit_dbm: float) -> dict[str, str]:
    """`taken`, `clear` or neither for every channel: by the mean power in a link's width, 1 dB left out."""
    spacing = s.sweep.spacing_hz
    bins = max(1, round(200_000 / spacing)) | 1
    mean = np.convolve(s.density, np.ones(bins) / bins, "same") * 200_000
    edge = np.convolve(np.ones(len(mean)), np.ones(bins) / bins, "same")
    level = dbm(mean / edge)
    near = np.zeros(len(level), bool)
    for p in s.planted:
        beside = KEPT_BESIDE_HZ + 2 * s.sweep.rbw_hz
        near[s.sweep.between(round(p.low_hz - beside), round(p.high_hz + beside))] = True
    out = {}
    for c in s.channels:
        at = s.sweep.between(c.low_hz, c.high_hz)
        inside, clear = level[at], ~near[at]
        strong = [(round(p.low_hz), round(p.high_hz)) for p in s.planted
                  if p.high_hz > c.low_hz and p.low_hz < c.high_hz]  # fmt: skip
        covered = covered_share(c, strong)
        high = float(np.quantile(inside[clear], 0.95)) if clear.any() else np.inf
        if clear.any() and high > limit_dbm + 1 and covered < 0.9:
            out[c.name] = "taken"
        elif clear.all() and inside.max() < limit_dbm - 1:
            out[c.name] = "clear"
        else:
            out[c.name] = ""
    return out


def mark(seed: int, score: Score) -> None:
    """Judge the spectrum of a seed and count."""
    s = make(seed)
    found = survey(s.sweep, s.channels)
    for limit in LIMITS_DBM:
        truth = _truths(s, limit)
        for r in judge(found, limit):
            said = truth[r.channel.name]
            score.taken += said == "taken"
            if said == "taken" and r.occupancy == "quiet":
                score.taken_called_quiet += 1
                score.missed.append(seed)
            if said == "clear" and len(s.channels) > 1 and not s.impulses:
                score.clear += 1
                if r.occupancy == "taken":
                    score.clear_called_taken += 1
                    score.wrong.append(seed)
    _mark_emissions(s, found.lines, score)


def _mark_emissions(s: Spectrum, lines, score: Score) -> None:
    slack = max(s.sweep.rbw_hz, 2 * s.sweep.spacing_hz)
    least = max(6.0, hardly_ever_db(s.averages)) + 6
    for p in s.planted:
        i = int(np.clip(np.searchsorted(s.sweep.freq_hz, (p.low_hz + p.high_hz) / 2), 0, len(s.noise_dbm) - 1))
        if not p.alone or s.impulses or p.peak_dbm < s.noise_dbm[i] + least:
            continue
        score.emissions += 1
        over = [x for x in lines if x.edges_hz[1] >= p.low_hz - slack and x.edges_hz[0] <= p.high_hz + slack]
        score.found += bool(over)
        if over:
            whole = min(x.edges_hz[0] for x in over), max(x.edges_hz[1] for x in over)
            score.exact += any(
                abs(low - p.low_hz) <= slack and abs(high - p.high_hz) <= slack
                for low, high in (whole, *(x.edges_hz for x in over))
            )  # what lies on raised noise is told between the two parts of that
    if s.impulses or any(p.peak_dbm == -999.0 for p in s.planted):
        return
    score.bins += len(s.sweep.freq_hz)
    for line in lines:
        low, high = line.edges_hz
        beside = 3 * slack
        ours = any(low <= p.high_hz + beside and high >= p.low_hz - beside for p in s.planted)
        tv = any(c.name in s.full and low < c.high_hz + beside and high > c.low_hz - beside for c in s.channels)
        score.false += not ours and not tv
