"""Shapes in the spectrum, sweeps compared, overload, walls, fading, and what a front end makes of it all."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf import detect, fading, imlevels
from azven.rf.occupancy import survey
from azven.rf.sweep import Channel, Line, Sweep, SweepSettings
from azven.rf.venue import Antenna, Emitter, Multiplex, Venue
from azven.rf.walls import WallLine, crossed_db

CHANNELS = [Channel(str(k), 470_000_000 + 8_000_000 * k, 478_000_000 + 8_000_000 * k) for k in range(10)]
SETTINGS = SweepSettings(start_hz=470_000_000, stop_hz=550_000_000, points=4_001, rbw_hz=30_000)


def venue(*muxes, emitters=(), **more):
    return Venue(multiplexes=muxes, emitters=emitters, surroundings=None, exponent=None, **more)


def mux(k, level=-60.0, **more):
    return Multiplex(low_hz=CHANNELS[k].low_hz, high_hz=CHANNELS[k].high_hz, level_dbm=level, bearing_deg=0.0, **more)


def test_a_multiplex_is_matched_to_its_channel_and_a_line_is_not_one():
    world = venue(mux(3), emitters=(Emitter(name="voice", freq_hz=523_000_000, power_dbm=0.0, position=(0, 20, 1.5)),))
    found = detect.blocks(world.sweep(Antenna(), SETTINGS), CHANNELS)
    assert [(b.channel.name, b.kind, b.pilot) for b in found] == [("3", "multiplex", False)]
    assert found[0].share > 0.9


def test_half_a_channel_is_said_to_be_part_of_one_and_a_pilot_is_seen():
    half = Multiplex(
        low_hz=CHANNELS[2].low_hz, high_hz=CHANNELS[2].low_hz + 4_000_000, level_dbm=-60.0, bearing_deg=0.0
    )
    single = mux(6, pilot=True)
    found = {b.channel.name: b for b in detect.blocks(venue(half, single).sweep(Antenna(), SETTINGS), CHANNELS)}
    assert found["2"].kind == "part of a channel"
    assert found["6"].pilot
    assert not found["2"].pilot


def test_what_appeared_went_and_grew():
    voice = Emitter(name="voice", freq_hz=523_000_000, power_dbm=0.0, position=(0, 20, 1.5))
    before = venue(mux(3), emitters=(voice,)).sweep(Antenna(), SETTINGS, 1)
    louder = Emitter(name="voice", freq_hz=523_000_000, power_dbm=15.0, position=(0, 20, 1.5))
    after = venue(mux(5), emitters=(louder,)).sweep(Antenna(), SETTINGS, 2)
    kinds = {d.kind: d for d in detect.compare(before, after)}
    assert CHANNELS[5].low_hz - 1e5 <= kinds["appeared"].low_hz < CHANNELS[5].high_hz
    assert CHANNELS[3].low_hz - 1e5 <= kinds["gone"].low_hz < CHANNELS[3].high_hz
    assert kinds["louder"].low_hz <= 523_000_000 <= kinds["louder"].high_hz
    assert detect.compare(before, before) == []


def test_the_one_carrier_that_came_stands_before_a_hundred_changes_of_noise():
    before = venue(mux(3)).sweep(Antenna(), SETTINGS, 1)
    came = Emitter(name="came", freq_hz=523_000_000, power_dbm=-20.0, position=(0, 20, 1.5))
    noise = np.random.default_rng(1).exponential(1.0, (2, len(before.freq_hz)))
    old, new = (
        Sweep(s.freq_hz, s.level_dbm + 10 * np.log10(n), s.rbw_hz)
        for s, n in zip((before, venue(mux(3), emitters=(came,)).sweep(Antenna(), SETTINGS, 2)), noise, strict=True)
    )
    found = detect.compare(old, new)
    assert len(found) > 100
    assert [d.kind for d in found if d.matters] == ["appeared"]
    assert found[0].low_hz <= 523_000_000 <= found[0].high_hz


def test_sweeps_that_share_no_band_do_not_differ():
    before = venue(mux(3)).sweep(Antenna(), SETTINGS, 1)
    far = Sweep(np.array([900_000_000, 900_100_000]), np.array([-90.0, -90.0]), 30_000)
    assert detect.compare(before, far) == []


def test_products_of_the_front_end_fall_at_their_place_and_level_and_an_attenuator_unmasks_them():
    isolated = {"bandwidth_hz": 12_500, "conversion_loss_db": 200.0}
    a, b = (
        Emitter(name=n, freq_hz=f, power_dbm=0.0, position=(0, 5, 1.5), **isolated)
        for n, f in (("a", 500_000_000), ("b", 502_000_000))
    )
    world = venue(emitters=(a, b), front_iip3_dbm=-7.0)
    level = world.received_dbm(a, Antenna())
    fine = SweepSettings(start_hz=496_000_000, stop_hz=506_000_000, points=4_001, rbw_hz=30_000)
    plain = world.sweep(Antenna(), fine, 1)
    at = int(np.argmin(np.abs(plain.freq_hz - 498_000_000)))
    expected = imlevels.in_receiver_dbm(-7.0, level, world.received_dbm(b, Antenna()))
    assert plain.level_dbm[at - 2 : at + 3].max() == pytest.approx(expected, abs=3.5)
    weaker = world.sweep(
        Antenna(),
        SweepSettings(start_hz=496_000_000, stop_hz=506_000_000, points=4_001, rbw_hz=30_000, attenuation_db=10.0),
        1,
    )
    suspects = detect.overload_suspects(plain, weaker)
    assert {round(s.freq_hz / 1e6) for s in suspects} == {498, 504}


def test_a_line_that_one_antenna_hardly_sees():
    there = Emitter(name="stage", freq_hz=523_000_000, power_dbm=10.0, position=(0, 20, 1.5))
    world = venue(emitters=(there,))
    front = world.sweep(Antenna(gain_dbi=6.5, bearing_deg=0.0), SETTINGS, 1)
    behind = world.sweep(Antenna(gain_dbi=6.5, bearing_deg=180.0), SETTINGS, 2)
    found = detect.one_sided(front, behind, [Line(523_000_000, float(front.level_dbm.max()), 100_000)])
    assert found[0][1] == pytest.approx(15.0, abs=2.0)
    assert detect.one_sided(behind, front, [Line(523_000_000, float(behind.level_dbm.max()), 100_000)]) == []


def test_radios_that_key_up_are_on_when_their_time_says():
    radio = Emitter(name="radio", freq_hz=523_000_000, power_dbm=30.0, position=(0, 20, 1.5), keyed_s=(5.0, 60.0, 10.0))
    world = venue(emitters=(radio,))
    levels = [world.sweep(Antenna(), SETTINGS, 1, time_s=t).level_dbm.max() for t in (0.0, 12.0, 16.0, 71.0)]
    assert [level > -60 for level in levels] == [False, True, False, True]


def test_walls_between_add_up_and_walls_aside_do_not():
    walls = [WallLine((-5, 5), (5, 5), 6.0), WallLine((-5, 8), (5, 8), 20.0), WallLine((20, 0), (20, 9), 30.0)]
    assert crossed_db(walls, (0, 0), (0, 10)) == 26.0
    assert crossed_db(walls, (0, 0), (0, 6)) == 6.0
    grid = crossed_db(walls, np.array([[0.0, 0.0], [0.0, 6.0]]), np.array([0.0, 10.0]))
    assert grid.tolist() == [26.0, 20.0]
    shut = venue(
        emitters=(Emitter(name="x", freq_hz=523_000_000, power_dbm=0.0, position=(0, 10, 1.5)),), walls=tuple(walls)
    )
    open_ = venue(emitters=shut.emitters)
    lost = open_.received_dbm(shut.emitters[0], Antenna()) - shut.received_dbm(shut.emitters[0], Antenna())
    assert lost == pytest.approx(26.0)


def test_fading_belongs_to_the_place_and_is_rayleigh():
    rng = np.random.default_rng(1)
    spots = rng.uniform(0, 60, (20_000, 2))
    fast = fading.rayleigh_db(spots, 600e6, 7)
    assert np.array_equal(fast, fading.rayleigh_db(spots, 600e6, 7))
    assert not np.array_equal(fast, fading.rayleigh_db(spots, 600e6, 8))
    power = 10 ** (fast / 10)
    assert power.mean() == pytest.approx(1.0, abs=0.05)
    assert np.mean(fast < -10) == pytest.approx(1 - np.exp(-0.1), abs=0.02)
    slow = fading.slow_db(spots, 7)
    assert slow.std() == pytest.approx(fading.SLOW_SIGMA_DB, rel=0.25)
    near = np.abs(fading.slow_db(spots + 0.1, 7) - slow)
    assert near.max() < 1.5


@given(st.integers(0, 1_000), st.floats(10.0, 45.0))
def test_lines_are_placed_within_half_an_rbw(step, above):
    freq = 500_000_000 + 7_301 * step
    floor = float(np.median(venue().sweep(Antenna(gain_dbi=0.0), SETTINGS).level_dbm))

    world = Venue(
        emitters=(
            Emitter(
                name="x",
                freq_hz=freq,
                power_dbm=0,
                position=(0, 0, 0),
                bandwidth_hz=12_500,
                arrives_dbm=floor + 1.0 + above,
            ),
        ),
        surroundings=None,
    )
    sweep = world.sweep(Antenna(), SETTINGS, step)
    found = survey(sweep, CHANNELS).lines
    assert min(abs(x.freq_hz - freq) for x in found) <= SETTINGS.rbw_hz / 2
