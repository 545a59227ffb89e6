"""No occupied channel is ever called quiet: named cases, and everything in mixture from seeds."""

import sys
from pathlib import Path

import numpy as np
import pytest
from scipy.stats import gamma

from azven.rf import noise
from azven.rf.edges import stretches, without_scattered_skirts
from azven.rf.levels import dbm, milliwatts
from azven.rf.occupancy import judge, survey
from azven.rf.sweep import Channel, Sweep

sys.path.insert(0, str(Path(__file__).resolve().parents[2] / "bench"))
import spectra

RASTER = [Channel(str(21 + k), 470_000_000 + 8_000_000 * k, 478_000_000 + 8_000_000 * k) for k in range(28)]
RBW = 30_000


def swept(channels, levels_dbm, averages=10, seed=1, nf_db=12.0, extra=()):
    """A sweep of channels with multiplexes of these powers (dBm, None: noise) and (low, high, dBm in a bin) on top."""
    rng = np.random.default_rng(seed)
    freq = np.arange(channels[0].low_hz, channels[-1].high_hz, RBW)
    power = np.full(len(freq), milliwatts(-173.975 + nf_db + 10 * np.log10(RBW)))
    for c, level in zip(channels, levels_dbm, strict=True):
        if level is not None:
            inside = (freq >= c.low_hz + 150_000) & (freq < c.high_hz - 150_000)
            power[inside] += milliwatts(level) * RBW / 7_700_000
    for low, high, level in extra:
        power[(freq + RBW / 2 > low) & (freq - RBW / 2 < high)] += milliwatts(level)
    return Sweep(freq, np.asarray(dbm(power * rng.gamma(averages, 1 / averages, len(freq)))), float(RBW))


def classes(sweep, channels, limit_dbm=-101.0):
    return [r.occupancy for r in judge(survey(sweep, channels), limit_dbm)]


@pytest.mark.parametrize("count", [1, 6, 9, 12, 20, 28])
@pytest.mark.parametrize("power", [-45.0, -55.0, -75.0])
@pytest.mark.parametrize("averages", [1, 10])
def test_multiplexes_side_by_side_and_nothing_else_are_all_taken(count, power, averages):
    channels = RASTER[:count]
    assert set(classes(swept(channels, [power] * count, averages), channels)) == {"taken"}


def test_noise_raised_everywhere_is_quiet_nowhere():
    assert set(classes(swept(RASTER, [None] * 28, nf_db=52.0), RASTER)) == {"taken"}
    found = survey(swept(RASTER, [None] * 28, nf_db=52.0), RASTER)
    assert not found.floor_seen


def test_lamps_over_half_of_the_band_and_a_comb_are_not_quiet():
    half = (RASTER[0].low_hz, RASTER[14].low_hz, -95.0)
    assert "quiet" not in classes(swept(RASTER, [None] * 28, extra=[half]), RASTER)[:14]
    comb = [(f, f + 1, -90.0) for f in range(RASTER[3].low_hz, RASTER[8].high_hz, 50_000)]
    assert "quiet" not in classes(swept(RASTER, [None] * 28, extra=comb), RASTER)[3:9]


@pytest.mark.parametrize("averages", [1, 4, 30])
def test_an_empty_raster_is_quiet_even_unaveraged(averages):
    found = survey(swept(RASTER, [None] * 28, averages), RASTER)
    assert found.floor_seen
    assert len(found.lines) <= 1
    assert [r.occupancy for r in judge(found, -101.0)].count("quiet") >= 27


def test_one_channel_alone_is_never_quiet():
    assert classes(swept(RASTER[:1], [None]), RASTER[:1]) == ["usable"]


def test_a_weak_multiplex_is_usable_and_never_quiet():
    levels = [None] * 28
    levels[9] = -88.0
    said = classes(swept(RASTER, levels), RASTER)
    assert said[9] == "usable"
    assert said.count("quiet") == 27


def test_a_peak_detector_takes_no_channel_by_itself():
    base = swept(RASTER, [None] * 28, 1)
    rng = np.random.default_rng(3)
    lifted = 10 * np.log10(spectra._PEAK_OF + rng.gumbel(0, 1, len(base.freq_hz)))
    quiet = Sweep(base.freq_hz, -173.975 + 12 + 10 * np.log10(RBW) + lifted, float(RBW), "peak")
    assert "taken" not in classes(quiet, RASTER)
    assert survey(quiet, RASTER).floor_seen


@pytest.mark.parametrize("width", [60_000, 200_000, 450_000, 700_000, 1_500_000, 3_000_000])
@pytest.mark.parametrize("averages", [1, 30])
def test_an_emission_of_any_width_has_two_edges(width, averages):
    low = 552_300_000
    sweep = swept(RASTER, [None] * 28, averages, extra=[(low, low + width, -85.0)])
    found = survey(sweep, RASTER)
    over = [x.edges_hz for x in found.lines if x.edges_hz[1] > low and x.edges_hz[0] < low + width]
    assert len(over) == 1
    assert abs(over[0][0] - low) <= 2.5 * RBW
    assert abs(over[0][1] - low - width) <= 2.5 * RBW
    assert classes(sweep, RASTER)[10] == ("taken" if width > 1_600_000 else classes(sweep, RASTER)[10])
    if width > 1_000_000:
        assert classes(sweep, RASTER)[10] != "quiet"


def test_two_carriers_250_khz_apart_are_two():
    pair = [(550_000_000, 550_020_000, -70.0), (550_250_000, 550_270_000, -75.0)]
    lines = survey(swept(RASTER, [None] * 28, 30, extra=pair), RASTER).lines
    assert [round(x.freq_hz / 1e6, 1) for x in lines] == [550.0, 550.3]


def test_impulses_are_told_with_their_share():
    sweep = swept(RASTER, [None] * 28, 30)
    struck = np.random.default_rng(2).random(len(sweep.freq_hz)) < 0.04
    found = survey(Sweep(sweep.freq_hz, sweep.level_dbm + 25 * struck, sweep.rbw_hz), RASTER)
    assert 0.01 < found.impulse_share < 0.06
    assert survey(sweep, RASTER).impulse_share == 0.0


@pytest.mark.parametrize("averages", [1, 2, 5, 20, 100, 400])
def test_the_laws_of_noise_are_those_of_the_gamma_distribution(averages):
    law = gamma(averages, scale=1 / averages)
    db = 10 * np.log10(law.ppf([0.2, 0.5, 0.95, 0.99, 1 - 1e-7]))
    assert -db[0] == pytest.approx(noise.mean_over_floor_db(averages), abs=0.2)
    assert db[1] == pytest.approx(noise.median_db(averages), abs=0.1)
    assert db[2] == pytest.approx(noise.upper_db(averages), abs=0.2)
    assert db[3] == pytest.approx(noise.seldom_db(averages), abs=0.2)
    assert db[4] == pytest.approx(noise.hardly_ever_db(averages), abs=0.6)
    sweep = swept(RASTER, [None] * 28, averages)
    assert noise.averages_of(sweep) == pytest.approx(averages, rel=0.2)


def test_everything_in_mixture():
    score = spectra.Score()
    for seed in range(3_000, 3_160):
        spectra.mark(seed, score)
    assert score.taken > 1_000
    assert score.taken_called_quiet == 0, score.missed
    assert score.clear_called_taken < 0.02 * score.clear, score.wrong
    assert score.found >= 0.99 * score.emissions
    assert score.exact >= 0.97 * score.found
    assert score.false < 2e-4 * score.bins


@pytest.mark.parametrize("averages", [1, 30])
@pytest.mark.parametrize("at", [0, 2])
def test_an_emission_on_top_of_a_raised_channel_is_told_on_its_own(averages, at):
    """Lamps that fill a channel are flat with an edge, as a multiplex is; what stood on them was told by nobody, and a
    plan could put a link there."""
    lamps = (RASTER[4].low_hz, RASTER[8].high_hz, -104.0)
    low = RASTER[4 + at].low_hz + 3_000_000
    sweep = swept(RASTER, [None] * 28, averages, extra=[lamps, (low, low + 200_000, -60.0)])
    inside = [x for x in survey(sweep, RASTER).lines if x.edges_hz[0] < low + 200_000 and x.edges_hz[1] > low]
    assert inside
    assert max(x.level_dbm for x in inside) > -66


@pytest.mark.parametrize("averages", [4, 30])
def test_an_emission_on_raised_noise_that_ends_inside_a_channel_has_edges_of_its_own(averages):
    """Noise raised over one and a half of three channels is one emission, parted by what stands on top of it."""
    lamps = (RASTER[0].low_hz, RASTER[1].low_hz + 4_000_000, -85.0)
    low = RASTER[1].low_hz + 2_000_000
    sweep = swept(RASTER[:3], [None] * 3, averages, extra=[lamps, (low, low + 300_000, -62.0)])
    lines = survey(sweep, RASTER[:3]).lines
    own = [x for x in lines if abs(x.edges_hz[0] - low) <= 2 * RBW and abs(x.edges_hz[1] - low - 300_000) <= 2 * RBW]
    assert len(own) == 1
    assert any(x.edges_hz[1] <= low + RBW for x in lines)  # the noise is still told on both sides
    assert max(x.edges_hz[1] for x in lines) == pytest.approx(lamps[1], abs=2 * RBW)


def test_unaveraged_skirts_of_a_strong_narrow_emission_are_not_a_part_of_it():
    """Of 200 seeds; the edges by the marks alone are right in about half of them."""
    bins, rbw_bins, sigma = np.arange(60), 3.0, 3.0 / 2.3548
    mean = 1 + 1e4 * np.exp(-0.5 * ((bins - 30) / sigma) ** 2)
    right = 0
    for seed in range(200):
        power = mean * np.random.default_rng(seed).exponential(1.0, 60)
        at = np.flatnonzero(power > 16)
        ((start, stop),) = without_scattered_skirts(power, [(int(at[0]), int(at[-1]) + 1)], rbw_bins)
        right += 27 <= start <= 30 < stop <= 34
    assert right >= 195


def test_an_emission_across_the_edge_of_a_filled_channel_is_one():
    edge = RASTER[5].high_hz
    levels = [None] * 28
    levels[5] = -60.0
    for offset in (-60_000, 0, 60_000):
        low = edge + offset - 60_000
        found = survey(swept(RASTER, levels, 30, extra=[(low, low + 120_000, -50.0)]), RASTER)
        assert len([x for x in found.lines if abs(x.freq_hz - edge) < 400_000]) == 1


def test_the_pilot_of_a_multiplex_is_no_emission_of_its_own():
    channels = [Channel(str(14 + k), 470_000_000 + 6_000_000 * k, 476_000_000 + 6_000_000 * k) for k in range(6)]
    pilot = channels[2].low_hz + 309_440
    sweep = swept(channels, [None, None, -50.0, None, None, None], extra=[(pilot, pilot + 1, -61.3)])
    assert survey(sweep, channels).readings[2].multiplex
    assert survey(sweep, channels).lines == ()


@pytest.mark.parametrize("fall_db", [10.0, 25.0, 45.0])
@pytest.mark.parametrize("count", [2, 3, 28])
def test_a_floor_that_slopes_makes_no_emissions(fall_db, count):
    flat = swept(RASTER[:count], [None] * count)
    slope = np.linspace(0.0, fall_db, len(flat.freq_hz))
    for tilt in (slope, slope[::-1]):
        found = survey(Sweep(flat.freq_hz, flat.level_dbm + tilt, flat.rbw_hz), RASTER[:count])
        assert len(found.lines) <= 1


@pytest.mark.parametrize("averages", [1, 4, 30])
def test_a_pair_a_link_apart_is_two_and_one_that_fades_is_one(averages):
    low = 552_300_000
    pair = [(low, low + 60_000, -80.0), (low + 350_000, low + 410_000, -80.0)]
    for seed in range(8):
        found = survey(swept(RASTER, [None] * 28, averages, seed, extra=pair), RASTER)
        assert len([x for x in found.lines if low - 100_000 < x.freq_hz < low + 500_000]) == 2


def test_runs_are_where_marks_stand_side_by_side():
    marks = np.array([1, 1, 0, 1, 0, 0, 1], bool)
    assert stretches(marks) == [(0, 2), (3, 4), (6, 7)]
    assert stretches(np.zeros(3, bool)) == []
