"""The simulated venue: levels by formula, patterns, pilots, whose transmitters are on."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf.imlevels import in_transmitter_dbm
from azven.rf.levels import (
    beam_gain_dbi,
    dbm,
    free_space_db,
    indoor_db,
    man_made_noise_db,
    milliwatts,
    thermal_noise_dbm,
)
from azven.rf.links import path_db
from azven.rf.sweep import SweepSettings, band_power_dbm
from azven.rf.venue import Antenna, Electronics, Emitter, Front, Multiplex, Venue, spectrum, wifi
from azven.rf.venue.mixing import Lines

WIDE = SweepSettings(start_hz=560_000_000, stop_hz=580_000_000, points=4_001, rbw_hz=10_000)


def quiet(**more):
    return Venue(surroundings=None, exponent=None, noise_figure_db=3.0, **more)


def test_a_multiplex_carries_its_power():
    mux = Multiplex(low_hz=566_000_000, high_hz=574_000_000, level_dbm=-60.0, bearing_deg=0.0)
    sweep = quiet(multiplexes=(mux,)).sweep(Antenna(gain_dbi=0.0), WIDE)
    assert band_power_dbm(sweep, 566_000_000, 574_000_000) == pytest.approx(-60.0, abs=0.3)


def test_a_pilot_stands_at_its_place():
    mux = Multiplex(low_hz=566_000_000, high_hz=572_000_000, level_dbm=-60.0, bearing_deg=0.0, pilot=True)
    fine = SweepSettings(start_hz=566_000_000, stop_hz=567_000_000, points=4_001, rbw_hz=1_000)
    sweep = quiet(multiplexes=(mux,)).sweep(Antenna(), fine)
    assert abs(sweep.freq_hz[np.argmax(sweep.level_dbm)] - 566_309_440) < 1_000


def test_a_pilot_is_11_decibels_under_its_multiplex():
    """11.3 dB under the mean power of the channel (ATSC A/53)."""
    fine = SweepSettings(start_hz=566_200_000, stop_hz=566_420_000, points=2_001, rbw_hz=1_000)
    mux = Multiplex(low_hz=566_000_000, high_hz=572_000_000, level_dbm=-60.0, bearing_deg=0.0, pilot=True)
    with_pilot = quiet(multiplexes=(mux,)).sweep(Antenna(gain_dbi=0.0), fine)
    without = quiet(multiplexes=(replace(mux, pilot=False),)).sweep(Antenna(gain_dbi=0.0), fine)
    power = 10 ** (with_pilot.level_dbm / 10) - 10 ** (without.level_dbm / 10)
    total = 10 * np.log10(power.sum() * fine_spacing(fine) / (1.065 * 1_000))
    assert total == pytest.approx(-60.0 - 11.3, abs=0.7)


def fine_spacing(settings):
    return (settings.stop_hz - settings.start_hz) / (settings.points - 1)


@pytest.mark.parametrize(("bearing", "loss"), [(0, 0.0), (50, 3.0), (90, 9.72), (180, 15.0)])
def test_a_beam_hears_less_off_its_bearing(bearing, loss):
    beam = Antenna(gain_dbi=6.5, bearing_deg=30.0, beamwidth_deg=100.0)
    assert beam.gain_towards(30.0 + bearing) == pytest.approx(6.5 - loss, abs=0.01)


def test_an_omni_hears_less_upwards():
    omni = Antenna()
    assert omni.gain_towards(123.0) == 2.15
    assert omni.gain_towards(0.0, 78.0) == pytest.approx(2.15 - 12)


def test_received_level_indoors_is_never_better_than_free_space():
    emitter = Emitter(name="x", freq_hz=600_000_000, power_dbm=17.0, position=(0.0, 40.0, 1.5))
    hall = Venue(exponent=28.0)
    expected = 17.0 + 2.15 - indoor_db(600e6, 40.0, 28.0)
    assert hall.received_dbm(emitter, Antenna()) == pytest.approx(float(expected))
    assert hall.received_dbm(emitter, Antenna()) < quiet().received_dbm(emitter, Antenna())


def test_walls_add_up_and_our_own_can_be_switched_off():
    there = Emitter(name="ours", freq_hz=570_000_000, power_dbm=10.0, position=(0.0, 10.0, 1.5), ours=True)
    walled = Emitter(name="theirs", freq_hz=575_000_000, power_dbm=10.0, position=(0.0, 10.0, 1.5), extra_loss_db=20.0)
    world = quiet(emitters=(there, walled))
    on, off = (world.sweep(Antenna(), WIDE, own_on=o).level_dbm for o in (True, False))
    at = int(np.searchsorted(np.linspace(560e6, 580e6, 4_001), 570e6))
    assert on[at] > off[at] + 40
    assert world.received_dbm(there, Antenna()) - world.received_dbm(walled, Antenna()) == pytest.approx(20.0, abs=0.2)


def test_noise_follows_bandwidth_and_the_city_adds_below_600_megahertz():
    narrow, wide = (
        np.mean(
            milliwatts(
                quiet()
                .sweep(Antenna(), SweepSettings(start_hz=560_000_000, stop_hz=580_000_000, points=4_001, rbw_hz=rbw))
                .level_dbm
            )
        )
        for rbw in (10_000, 100_000)
    )
    assert dbm(wide / narrow) == pytest.approx(10.0, abs=0.2)
    assert man_made_noise_db(200e6) > 10
    assert man_made_noise_db(600e6) == 0


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


def level_at(sweep, freq_hz, width_hz=20_000):
    return float(sweep.level_dbm[sweep.between(freq_hz - width_hz, freq_hz + width_hz)].max())


def test_a_mast_far_away_arrives_by_the_free_space_formula_less_its_turn():
    mux = Multiplex.from_mast(566_000_000, 574_000_000, 80.0, 20_000.0, 0.0, terrain_db=30.0)
    assert mux.level_dbm == pytest.approx(80.0 - free_space_db(570e6, 20_000.0) - 30.0)
    upright, level = (
        band_power_dbm(
            quiet(multiplexes=(mux,)).sweep(Antenna(gain_dbi=0.0, psi_deg=t), WIDE), 566_000_000, 574_000_000
        )
        for t in (0.0, 90.0)
    )
    assert level - upright == pytest.approx(20.0, abs=1.0)


def test_two_transmitters_that_touch_make_the_predicted_product():
    def pack(name, freq_hz, x):
        return Emitter(
            name=name, freq_hz=freq_hz, power_dbm=17.0, position=(x, 30.0, 1.5), extra_loss_db=10.0, shape="carrier"
        )

    a, b = pack("a", 565_000_000, 0.0), pack("b", 566_000_000, 0.5)
    world = quiet(emitters=(a, b))
    coupled = 17.0 - (float(path_db(565e6, 0.5)) + 20.0)
    product = in_transmitter_dbm("2h-x", 17.0, (coupled,)) - 17.0 + world.received_dbm(a, Antenna())
    sweep = world.sweep(Antenna(), SweepSettings(start_hz=562_000_000, stop_hz=570_000_000, points=8_001, rbw_hz=3_000))
    assert level_at(sweep, 564_000_000) == pytest.approx(product, abs=1.5)
    far = quiet(emitters=(a, pack("b", 566_000_000, 20.0)))
    assert (
        level_at(
            far.sweep(Antenna(), SweepSettings(start_hz=562_000_000, stop_hz=570_000_000, points=8_001, rbw_hz=3_000)),
            564_000_000,
        )
        < product - 12
    )


def test_a_filter_before_the_amplifier_keeps_a_hand_held_radio_from_mixing():
    radios = tuple(
        Emitter(
            name=str(f),
            freq_hz=f,
            power_dbm=37.0,
            position=(0.0, 3.0, 1.5),
            bandwidth_hz=12_500,
            conversion_loss_db=200.0,
        )
        for f in (462_000_000, 516_000_000)
    )
    bare = Front(10.0, 3.0, iip3_dbm=10.0)
    filtered = Front(10.0, 3.0, 10.0, ((380_000_000, 469_999_999, 40.0),))
    world, settings = (
        quiet(emitters=radios),
        SweepSettings(start_hz=560_000_000, stop_hz=580_000_000, points=4_001, rbw_hz=10_000),
    )
    loud, calm = (level_at(world.sweep(Antenna(front=f), settings), 570_000_000) for f in (bare, filtered))
    assert loud - calm > 35


def test_a_front_raises_noise_by_gain_and_friis():
    front = Front(gain_db=20.0, noise_figure_db=3.0)
    world = Venue(surroundings=None, noise_figure_db=10.0)
    mean = np.mean(milliwatts(world.sweep(Antenna(front=front), WIDE).level_dbm))
    cascade = 10**0.3 + (10 - 1) / 100
    assert dbm(mean) == pytest.approx(thermal_noise_dbm(10_000) + 20.0 + 10 * np.log10(cascade), abs=0.2)


def test_an_omni_on_a_noisy_rack_shows_the_rack():
    rack = Electronics("screen", (0.0, 1.0, 1.5), -130.0, clock_hz=5_000_000, clock_dbm=-40.0)
    world = quiet(electronics=(rack,))
    near, far = (world.sweep(Antenna(position=(0.0, y, 1.5)), WIDE) for y in (0.0, -40.0))
    assert np.median(near.level_dbm) > np.median(far.level_dbm) + 8
    assert level_at(near, 570_000_000) > np.median(near.level_dbm) + 10


def test_bursts_are_held_by_a_peak_detector_and_thinned_by_an_average():
    point = wifi("Foyer", 6, (0.0, 8.0, 2.5), duty=0.1)
    assert point.freq_hz == 2_437_000_000
    settings = (
        SweepSettings(start_hz=2_430_000_000, stop_hz=2_444_000_000, points=2_001, rbw_hz=100_000, detector=d)
        for d in ("peak", "average")
    )
    peak, average = (np.median(quiet(emitters=(point,)).sweep(Antenna(), s).level_dbm) for s in settings)
    assert peak - average == pytest.approx(10.0 + 8.4, abs=1.0)
    with pytest.raises(ValueError, match="1 to 13"):
        wifi("x", 14, (0, 0, 0))


def test_a_digital_carrier_is_flat_and_carries_its_power():
    digital = Emitter(
        name="d",
        freq_hz=570_000_000,
        power_dbm=0.0,
        position=(0, 0, 0),
        bandwidth_hz=200_000,
        shape="digital",
        arrives_dbm=-50.0,
    )
    fine = SweepSettings(start_hz=569_000_000, stop_hz=571_000_000, points=4_001, rbw_hz=3_000)
    sweep = quiet(emitters=(digital,)).sweep(Antenna(), fine)
    assert band_power_dbm(sweep, 569_800_000, 570_200_000) == pytest.approx(-50.0, abs=0.3)
    inside = sweep.level_dbm[sweep.between(569_920_000, 570_080_000)]
    assert np.ptp(inside) < 8


def test_surroundings_rank_from_city_to_quiet_country():
    found = [float(man_made_noise_db(100e6, s)) for s in ("city", "residential", "rural", "quiet rural", None)]
    assert found == sorted(found, reverse=True)
    assert found[-1] == 0


def test_the_power_of_many_lines_in_channels_is_the_sum_of_each():
    rng = np.random.default_rng(2)
    lines = Lines(rng.uniform(500e6, 510e6, 300), rng.uniform(-100, -60, 300), rng.choice([120e3, 360e3], 300))
    centre, bandwidth = np.linspace(500.2e6, 509.7e6, 30), np.full(30, 200e3)
    one_by_one = spectrum.share_inside(lines, centre, bandwidth) @ milliwatts(lines.level_dbm)
    together = spectrum.power_inside(lines, centre, bandwidth)
    assert dbm(together) == pytest.approx(dbm(one_by_one), abs=0.1)


def in_a_band(world, low_hz, high_hz, front=None):
    settings = SweepSettings(start_hz=low_hz, stop_hz=high_hz, points=1_001, rbw_hz=30_000)
    return float(np.median(world.sweep(Antenna(front=front), settings).level_dbm))


def test_television_mixes_compresses_and_blocks_front_ends_like_everything_else():
    """Two strong multiplexes had left a weak front as quiet as a strong one."""
    pair = (
        Multiplex(low_hz=490_000_000, high_hz=498_000_000, level_dbm=-12.0, bearing_deg=0.0),
        Multiplex(low_hz=514_000_000, high_hz=522_000_000, level_dbm=-12.0, bearing_deg=0.0),
    )
    world, alone = Venue(multiplexes=pair, surroundings=None), Venue(multiplexes=pair[:1], surroundings=None)
    weak = Front(iip3_dbm=0.0)
    product = 540_000_000, 544_000_000  # 2 × 518 − 494 = 542 MHz
    assert in_a_band(world, *product, weak) > in_a_band(alone, *product, weak) + 20
    assert in_a_band(world, *product) == pytest.approx(in_a_band(alone, *product), abs=1.0)
    television = 2.15 - 12.0 + 3.01
    assert world.blocked_db(Antenna(front=weak)) == pytest.approx(television - (0.0 - 19.6), abs=0.1)
    assert world.blocked_db(Antenna(front=Front(iip3_dbm=30.0))) == 0.0
    sent = Emitter(name="ours", freq_hz=600_000_000, power_dbm=0.0, position=(0.0, 30.0, 1.5), bandwidth_hz=60_000)
    heard = {f: replace(world, emitters=(sent,)).narrow(Antenna(front=f))[1][0] for f in (weak, Front(iip3_dbm=30.0))}
    assert heard[weak] == pytest.approx(heard[Front(iip3_dbm=30.0)] - (television + 19.6), abs=0.1)
    filtered = Front(iip3_dbm=0.0, stops=((480_000_000, 530_000_000, 40.0),))
    assert world.blocked_db(Antenna(front=filtered)) == 0.0
