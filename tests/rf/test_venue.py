"""The simulated venue: levels by formula, patterns, pilots, whose transmitters are on."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf.levels import beam_gain_dbi, city_noise_db, dbm, free_space_db, indoor_db, milliwatts, thermal_noise_dbm
from azven.rf.sweep import band_power_dbm
from azven.rf.venue import Antenna, Emitter, Multiplex, Settings, Venue

WIDE = Settings(560_000_000, 580_000_000, 4_001, 10_000)


def quiet(**more):
    return Venue(urban=False, exponent=None, noise_figure_db=3.0, **more)


def test_a_multiplex_carries_its_power():
    mux = Multiplex(566_000_000, 574_000_000, -60.0, 0.0)
    sweep = quiet(multiplexes=(mux,)).sweep(Antenna(gain_dbi=0.0), WIDE)
    assert band_power_dbm(sweep, 566_000_000, 574_000_000) == pytest.approx(-60.0, abs=0.3)


def test_a_pilot_stands_at_its_place():
    mux = Multiplex(566_000_000, 572_000_000, -60.0, 0.0, pilot=True)
    fine = Settings(566_000_000, 567_000_000, 4_001, 1_000)
    sweep = quiet(multiplexes=(mux,)).sweep(Antenna(), fine)
    assert abs(sweep.freq_hz[np.argmax(sweep.level_dbm)] - 566_309_440) < 1_000


@pytest.mark.parametrize(("bearing", "loss"), [(0, 0.0), (50, 3.0), (90, 9.72), (180, 15.0)])
def test_a_beam_hears_less_off_its_bearing(bearing, loss):
    beam = Antenna(gain_dbi=6.5, bearing_deg=30.0, beamwidth_deg=100.0)
    assert beam.gain_towards(30.0 + bearing) == pytest.approx(6.5 - loss, abs=0.01)


def test_an_omni_hears_less_upwards():
    omni = Antenna()
    assert omni.gain_towards(123.0) == 2.15
    assert omni.gain_towards(0.0, 78.0) == pytest.approx(2.15 - 12)


def test_received_level_indoors_is_never_better_than_free_space():
    emitter = Emitter("x", 600_000_000, 17.0, (0.0, 40.0, 1.5))
    hall = Venue(exponent=28.0)
    expected = 17.0 + 2.15 - indoor_db(600e6, 40.0, 28.0)
    assert hall.received_dbm(emitter, Antenna()) == pytest.approx(float(expected))
    assert hall.received_dbm(emitter, Antenna()) < quiet().received_dbm(emitter, Antenna())


def test_walls_add_up_and_our_own_can_be_switched_off():
    there = Emitter("ours", 570_000_000, 10.0, (0.0, 10.0, 1.5), ours=True)
    walled = Emitter("theirs", 575_000_000, 10.0, (0.0, 10.0, 1.5), extra_loss_db=20.0)
    world = quiet(emitters=(there, walled))
    on, off = (world.sweep(Antenna(), WIDE, own_on=o).level_dbm for o in (True, False))
    at = int(np.searchsorted(np.linspace(560e6, 580e6, 4_001), 570e6))
    assert on[at] > off[at] + 40
    assert world.received_dbm(there, Antenna()) - world.received_dbm(walled, Antenna()) == pytest.approx(20.0, abs=0.2)


def test_noise_follows_bandwidth_and_the_city_adds_below_600_megahertz():
    narrow, wide = (
        np.mean(milliwatts(quiet().sweep(Antenna(), Settings(560_000_000, 580_000_000, 4_001, rbw)).level_dbm))
        for rbw in (10_000, 100_000)
    )
    assert dbm(wide / narrow) == pytest.approx(10.0, abs=0.2)
    assert city_noise_db(200e6) > 10
    assert city_noise_db(600e6) == 0


@given(st.floats(-150, 60))
def test_milliwatts_and_dbm_are_inverse(level):
    assert dbm(milliwatts(level)) == pytest.approx(level)


@given(st.floats(1.0, 1e5), st.floats(1e8, 6e9))
def test_doubling_the_distance_costs_six_decibels(distance, freq):
    near, far = free_space_db(freq, distance), free_space_db(freq, 2 * distance)
    assert far - near <= 6.0206 + 1e-6
    assert far - near == pytest.approx(6.0206, abs=1e-3) or near == pytest.approx(21.984, abs=0.001)


def test_formulas_take_arrays_like_numbers():
    angles = np.array([0.0, 50.0, 180.0])
    one_by_one = [float(beam_gain_dbi(6.5, a, 100.0)) for a in angles]
    assert beam_gain_dbi(6.5, angles, 100.0).tolist() == one_by_one
    assert thermal_noise_dbm([1.0, 10.0], 3.0).shape == (2,)


def test_noise_figure_adds_to_external_noise_as_factors():
    alone, inside = thermal_noise_dbm(1.0, 3.0), thermal_noise_dbm(1.0, 3.0, 10.0)
    factor = 10 ** (3 / 10) + 10 - 1
    assert inside - alone == pytest.approx(10 * np.log10(factor) - 3.0, abs=1e-6)
