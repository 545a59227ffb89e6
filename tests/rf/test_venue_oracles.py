"""The fast ways of the venue against the plain ones: lines, fronts, channels, products, levels."""

from dataclasses import replace
from itertools import permutations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf.imlevels import THREE_SIGNAL_DB
from azven.rf.levels import dbm, milliwatts
from azven.rf.sweep import SweepSettings, band_power_dbm
from azven.rf.venue import Antenna, Electronics, Emitter, Front, Multiplex, Venue, spectrum
from azven.rf.venue.mixing import WEAKEST_DBM, Lines, in_front
from azven.rf.walls import WallLine

FREQ = np.arange(500_000_000, 510_000_001, 2_500)
RADIO = Emitter(name="radio", freq_hz=505_000_000, power_dbm=20.0, position=(5.0, 20.0, 1.5), psi_deg=20.0)
RACK = Electronics("rack", (2.0, 3.0, 1.0), -130.0, 1_000_000, -50.0)
MUX = Multiplex(low_hz=502_000_000, high_hz=508_000_000, level_dbm=-70.0, bearing_deg=120.0, psi_deg=90.0)
WALL = WallLine((-20.0, 10.0), (20.0, 10.0), 8.0)


def lines(n, seed):
    rng = np.random.default_rng(seed)
    return Lines(
        rng.uniform(501e6, 509e6, n), rng.uniform(-100.0, -40.0, n), rng.choice([100.0, 120e3, 200e3, 400e3], n)
    )


@pytest.mark.parametrize("rbw", [30_000.0, 100_000.0, 300_000.0])
def test_many_lines_laid_together_are_each_line_laid_alone(rbw):
    many = lines(40, 3)
    together, alone = np.zeros(len(FREQ)), np.zeros(len(FREQ))
    spectrum.add_lines(together, FREQ, many, rbw)
    for freq, level, width in zip(many.freq_hz, many.level_dbm, many.width_hz, strict=True):
        spectrum.add_gaussian(alone, FREQ, freq, width, level, rbw)
    assert together.sum() == pytest.approx(alone.sum(), rel=0.01)
    strong = alone > 1e-3 * alone.max()
    assert np.abs(dbm(together[strong]) - dbm(alone[strong])).max() < 0.5


def test_lines_outside_the_sweep_leave_no_trace_and_at_its_edges_their_skirt():
    found = np.zeros(len(FREQ))
    spectrum.add_lines(found, FREQ, Lines(np.array([4e8, 6e8]), np.zeros(2), np.full(2, 120e3)), 30_000.0)
    assert found.sum() == 0
    spectrum.add_lines(found, FREQ, Lines(np.array([499.98e6]), np.zeros(1), np.full(1, 120e3)), 30_000.0)
    assert found[0] == found.max() > 0


@given(st.lists(st.tuples(st.integers(500, 510), st.floats(-60, -10), st.sampled_from([100.0, 2e5])), max_size=5))
def test_products_of_a_front_are_all_the_triples_by_their_formula(signals):
    f, p, w = (np.array(x, float) for x in (zip(*signals, strict=True) if signals else ([], [], [])))
    f = f * 1e6 + np.arange(len(f)) * 1_000
    found = in_front(Lines(f, p, w), 10.0)
    wanted = []
    for i, j in permutations(range(len(f)), 2):
        wanted.append((2 * f[i] - f[j], 2 * p[i] + p[j] - 20.0, 2 * w[i] + w[j]))
    for i, j, k in permutations(range(len(f)), 3):
        if i < j:
            wanted.append((f[i] + f[j] - f[k], p[i] + p[j] + p[k] - 20.0 + THREE_SIGNAL_DB, w[i] + w[j] + w[k]))
    wanted = sorted(x for x in wanted if x[1] > WEAKEST_DBM)
    got = sorted(zip(found.freq_hz, found.level_dbm, found.width_hz, strict=True))
    assert np.allclose(np.array(got), np.array(wanted)) if wanted else not got


@given(st.floats(-180, 180), st.floats(-60, 60), st.floats(0.5, 80), st.booleans())
def test_levels_of_many_are_the_levels_of_each(bearing, elevation, distance, beam):
    antenna = Antenna(position=(1.0, 2.0, 3.0), gain_dbi=6.5, bearing_deg=40.0 if beam else None, psi_deg=30.0)
    east, north = np.sin(np.radians(bearing)), np.cos(np.radians(bearing))
    up = np.tan(np.radians(elevation))
    others = [
        Emitter(
            name=str(i),
            freq_hz=500_000_000 + i,
            power_dbm=10.0 + i,
            position=(1 + d * east, 2 + d * north, 3 + d * up),
            extra_loss_db=float(i),
        )
        for i, d in enumerate((distance, 2 * distance, 3 * distance))
    ]
    venue = Venue(walls=(WALL,))
    together = venue.levels_dbm(others, antenna)
    assert together == pytest.approx([venue.received_dbm(e, antenna) for e in others])
    if beam:
        behind = replace(antenna, bearing_deg=40.0 + 360.0)
        assert venue.levels_dbm(others, behind) == pytest.approx(together)


@pytest.mark.parametrize("front", [None, Front(12.0, 3.0, None, ((500_000_000, 504_000_000, 20.0),))])
def test_what_disturbs_a_channel_is_what_a_sweep_shows_there(front):
    venue = Venue(
        multiplexes=(MUX,),
        emitters=(RADIO,),
        surroundings=None,
        noise_figure_db=0.0,
        electronics=(replace(RACK, clock_hz=None),),
    )
    antenna = Antenna(position=(0.0, 0.0, 3.0), front=front)
    centre, width = np.array([501.0e6, 503.5e6, 505.0e6, 506.9e6]), np.full(4, 400e3)
    said = venue.channels_dbm(antenna, centre, width, [""] * 4)
    settings = SweepSettings(start_hz=500_000_000, stop_hz=510_000_000, points=10_001, rbw_hz=5_000)
    sweep = venue.sweep(antenna, settings)
    quiet = replace(venue, multiplexes=(), emitters=(), electronics=()).sweep(antenna, settings)
    for at, level in zip(centre, said, strict=True):
        edges = int(at - 200e3), int(at + 200e3)
        all_there, noise = (milliwatts(band_power_dbm(s, *edges)) for s in (sweep, quiet))
        assert level == pytest.approx(float(dbm(all_there - noise)), abs=0.6), at


def test_of_its_own_transmitter_a_channel_hears_nothing():
    venue = Venue(multiplexes=(), emitters=(RADIO,), surroundings=None)
    centre, width = np.array([505.0e6, 505.0e6]), np.full(2, 200e3)
    own, other = venue.channels_dbm(Antenna(), centre, width, ["radio", "somebody else"])
    assert own < -180
    assert other > -80


def test_a_stop_band_takes_its_loss_from_everything_that_comes_in_and_nothing_from_the_fronts_own_noise():
    stop = Front(0.0, 6.0, None, ((500_000_000, 504_000_000, 30.0),))
    venue = Venue(multiplexes=(), emitters=(RADIO,), surroundings=None, noise_figure_db=0.0)
    inside, outside = np.array([501_000_000]), np.array([507_000_000])
    noise = [float(dbm(venue.noise_like_mw(f, Antenna(front=stop), 1_000.0))[0]) for f in (inside, outside)]
    loud = Venue(multiplexes=(), emitters=(), surroundings="city", noise_figure_db=0.0)
    city = [float(dbm(loud.noise_like_mw(f, Antenna(front=stop), 1_000.0))[0]) for f in (inside, outside)]
    assert noise[0] < noise[1]
    assert city[1] - noise[1] >= city[0] - noise[0]
    assert float(dbm(stop.gain_at(502e6))) == pytest.approx(-30.0)
    assert float(dbm(stop.gain_at(507e6))) == pytest.approx(0.0)


def test_a_clock_shows_its_harmonics_at_their_places_and_only_there():
    venue = Venue(multiplexes=(), emitters=(), surroundings=None, electronics=(RACK,))
    sweep = venue.sweep(Antenna(), SweepSettings(start_hz=500_000_000, stop_hz=504_000_000, points=4_001, rbw_hz=5_000))
    plain = replace(venue, electronics=(replace(RACK, clock_hz=None),)).sweep(
        Antenna(), SweepSettings(start_hz=500_000_000, stop_hz=504_000_000, points=4_001, rbw_hz=5_000)
    )
    over = sweep.level_dbm - plain.level_dbm
    at = sweep.freq_hz[over > 6]
    assert {round(f / 1e6) for f in at.tolist()} == {500, 501, 502, 503, 504}
    assert all(abs(f - round(f / 1e6) * 1e6) <= 15_000 for f in at.tolist())


@pytest.mark.parametrize("thing", ["wall", "distance", "body", "turn"])
def test_whatever_stands_in_the_way_costs_and_nothing_gains(thing):
    antenna = Antenna(position=(0.0, 0.0, 3.0))
    venue = Venue(surroundings=None)
    before = venue.received_dbm(RADIO, antenna)
    changed = {
        "wall": (replace(venue, walls=(WALL,)), RADIO, 8.0),
        "distance": (venue, replace(RADIO, position=(10.0, 40.0, 1.5)), None),
        "body": (venue, replace(RADIO, extra_loss_db=10.0), 10.0),
        "turn": (venue, replace(RADIO, psi_deg=70.0), None),
    }[thing]
    lost = before - changed[0].received_dbm(changed[1], antenna)
    assert lost > 3
    if changed[2] is not None:
        assert lost == pytest.approx(changed[2])
