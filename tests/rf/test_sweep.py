"""What a sweep says, and what the simulated venue makes an analyser read."""

import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf.levels import free_space_db, thermal_noise_dbm
from azven.rf.occupancy import floors, judge, survey, worst
from azven.rf.sweep import Channel, Sweep, SweepSettings, maximum_in_cells, merge, narrowest_seen_hz
from azven.rf.venue import Antenna, Emitter, Multiplex, Venue

CHANNELS = [
    Channel(str(k), 470_000_000 + 8_000_000 * (k - 21), 478_000_000 + 8_000_000 * (k - 21)) for k in range(21, 49)
]
SETTINGS = SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=10_001, rbw_hz=30_000)
OMNI = Antenna()


def venue(**kwargs):
    return Venue(surroundings=None, exponent=None, **kwargs)


def test_noise_is_thermal():
    sweep = venue().sweep(OMNI, SETTINGS)
    assert 10 * np.log10(np.mean(10 ** (sweep.level_dbm / 10))) == pytest.approx(
        thermal_noise_dbm(30_000, 10.0), abs=0.1
    )


def test_peak_detector_reads_noise_high():
    peak = venue().sweep(
        OMNI, SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=10_001, rbw_hz=30_000, detector="peak")
    )
    assert np.median(peak.level_dbm) - thermal_noise_dbm(30_000, 10.0) == pytest.approx(8.5, abs=1.5)


def test_emitter_arrives_by_the_free_space_formula():
    emitter = Emitter(name="mic", freq_hz=600_000_000, power_dbm=10.0, position=(0.0, 100.0, 1.5), bandwidth_hz=1_000)
    sweep = venue(emitters=(emitter,)).sweep(
        OMNI, SweepSettings(start_hz=599_000_000, stop_hz=601_000_000, points=2_001, rbw_hz=30_000)
    )
    assert sweep.level_dbm.max() == pytest.approx(10 + 2.15 - free_space_db(6e8, 100), abs=1.5)


def test_direction_hides_a_multiplex_by_the_front_to_back_ratio():
    mux = Multiplex(low_hz=566_000_000, high_hz=574_000_000, level_dbm=-60.0, bearing_deg=180.0)
    omni = venue(multiplexes=(mux,)).sweep(OMNI, SETTINGS)
    beam = venue(multiplexes=(mux,)).sweep(Antenna(gain_dbi=6.5, bearing_deg=0.0), SETTINGS)
    inside = omni.between(567_000_000, 573_000_000)
    assert np.mean(omni.level_dbm[inside] - beam.level_dbm[inside]) == pytest.approx(2.15 - (6.5 - 15), abs=1.0)


def test_a_sweep_is_the_same_in_another_process():
    code = (
        "from azven.rf.venue import Antenna, Emitter, Venue; from azven.rf.sweep import SweepSettings;"
        "e = tuple(Emitter(name=str(i), freq_hz=500_000_000 + 700_000 * i * i, power_dbm=17.0, position=(i, 9, 1.5),"
        " bandwidth_hz=60_000, extra_loss_db=10.0) for i in range(5));"
        "s = Venue(emitters=e, front_iip3_dbm=-10.0, seed=9).sweep(Antenna(), SweepSettings("
        "start_hz=490_000_000, stop_hz=530_000_000, points=2_001, rbw_hz=30_000), 4, time_s=7.0);"
        "print(repr(float(s.level_dbm.sum())))"
    )
    runs = [subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True) for _ in range(2)]
    assert runs[0].stdout == runs[1].stdout != ""


def test_same_number_same_sweep():
    a, b, c = (venue(seed=4).sweep(OMNI, SETTINGS, n).level_dbm for n in (1, 1, 2))
    assert np.array_equal(a, b)
    assert not np.array_equal(a, c)


def test_occupancy_floor_and_lines():
    muxes = tuple(
        Multiplex(low_hz=CHANNELS[k].low_hz, high_hz=CHANNELS[k].high_hz, level_dbm=level, bearing_deg=0.0)
        for k, level in ((3, -50.0), (9, -88.0))
    )
    stray = Emitter(name="stray", freq_hz=612_350_000, power_dbm=10.0, position=(0.0, 60.0, 1.5))
    sweep = venue(multiplexes=muxes, emitters=(stray,)).sweep(OMNI, SETTINGS)
    readings = judge(survey(sweep, CHANNELS), -95.0)
    classes = {r.channel.name: r.occupancy for r in readings}
    assert classes["24"] == "taken"
    assert classes["30"] == "usable"
    assert [c for c in classes if classes[c] != "quiet"] == ["24", "30"]
    found = survey(sweep, CHANNELS).lines
    assert len(found) == 1
    assert abs(found[0].freq_hz - 612_350_000) < 40_000
    assert all(f == pytest.approx(np.median(sweep.level_dbm), abs=2) for f in floors(sweep, CHANNELS))


def test_all_channels_full_leaves_the_floor_of_the_lowest():
    flat = Sweep(np.arange(470_000_000, 694_000_000, 25_000), np.full(8960, -60.0), 25_000)
    assert set(floors(flat, CHANNELS)) == {-60.0}


def test_a_channel_the_sweep_does_not_reach_is_unknown():
    sweep = venue().sweep(OMNI, SweepSettings(start_hz=500_000_000, stop_hz=600_000_000, points=4_001, rbw_hz=30_000))
    classes = {r.channel.name: r.occupancy for r in judge(survey(sweep, CHANNELS), -95.0)}
    assert classes["21"] == classes["48"] == "unknown"
    assert classes["30"] == "quiet"


@given(st.lists(st.floats(-120, 0), min_size=3, max_size=200), st.integers(1, 40))
def test_maximum_in_cell_never_steps_over_a_line(levels, cell):
    sweep = Sweep(np.arange(len(levels)) * 10 + 5, np.array(levels), 10)
    cells = maximum_in_cells(sweep, np.arange(0, len(levels) * 10 + cell * 10, cell * 10))
    assert np.nanmax(cells) == max(levels)


def test_merge_keeps_the_worst_of_each():
    a = Sweep(np.arange(0, 1000, 10), np.where(np.arange(100) == 50, -20.0, -100.0), 10)
    b = Sweep(np.arange(3, 2000, 25), np.full(80, -90.0), 25)
    merged = merge([a, b])
    assert merged.level_dbm.max() == -20.0
    assert merged.level_dbm.min() == -90.0
    assert merged.freq_hz[-1] >= 1950


def test_bins_too_far_apart_are_said():
    assert Sweep(np.array([0, 100, 200]), np.zeros(3), 50).misses_lines
    assert narrowest_seen_hz(224e6, 30e3, 1001) == pytest.approx(194e3)
    assert narrowest_seen_hz(224e6, 30e3, 10_001) == 0


def test_worst_reading_decides():
    mux = Multiplex(low_hz=CHANNELS[3].low_hz, high_hz=CHANNELS[3].high_hz, level_dbm=-50.0, bearing_deg=180.0)
    world = venue(multiplexes=(mux,))
    sweeps = [world.sweep(a, SETTINGS) for a in (OMNI, Antenna(gain_dbi=-30))]
    pair = [judge(survey(s, CHANNELS), -95.0)[3] for s in sweeps]
    assert worst(pair) is pair[0]


def test_sweep_refuses_arrays_that_do_not_fit():
    with pytest.raises(ValueError, match="ascend"):
        Sweep(np.array([2, 1]), np.zeros(2), 1.0)
    with pytest.raises(ValueError, match="two or more"):
        Sweep(np.array([1]), np.zeros(1), 1.0)
