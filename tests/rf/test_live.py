"""What receivers would show: physics, repetition, batteries, interference heard."""

import subprocess
import sys

import numpy as np
import pytest

from azven.rf.levels import free_space_db
from azven.rf.live import Crew, Receiver, crew_of, positions, status
from azven.rf.venue import Antenna, Emitter, Venue
from azven.rf.walls import WallLine


def crew(n=20, **more):
    rng = np.random.default_rng(1)
    home = np.column_stack([rng.uniform(-8, 8, n), rng.uniform(5, 50, n), np.full(n, 1.5)])
    fields = {
        "freq_hz": np.linspace(500e6, 600e6, n).astype(np.int64), "power_dbm": np.full(n, 17.0),
        "body_db": np.full(n, 10.0), "home_m": home, "antennas_m": np.array([[-2.0, 0, 3], [2.0, 0, 3]]),
        "antenna_gain_dbi": 6.5, "interference_dbm": np.full(n, -np.inf), "needed_db": np.full(n, 20.0),
        "battery_min": np.full(n, 300.0),
    }  # fmt: skip
    return Crew(**fields | more)


def test_levels_follow_the_formula_on_average():
    many = crew(exponent=None)
    levels = np.array([status(many, t).level_a_dbm for t in np.arange(0, 2_000, 3.7)])
    distance = np.linalg.norm(many.home_m - many.antennas_m[0], axis=1)
    expected = 17 - 10 + 6.5 - free_space_db(many.freq_hz, distance)
    mean = 10 * np.log10(np.mean(10 ** (levels / 10), axis=0))
    assert np.median(mean - expected) == pytest.approx(-1.0, abs=2.5)  # turned away a fifth of the time
    assert np.all(np.abs(mean - expected) < 8)


def test_the_same_moment_is_the_same_in_another_process():
    code = (
        "import sys; sys.path.insert(0, 'tests'); sys.path.insert(0, 'tests/rf'); from test_live import crew;"
        "from azven.rf.live import status; s = status(crew(), 12.5); print(repr(float(s.level_a_dbm.sum())))"
    )
    found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert float(found.stdout) == float(status(crew(), 12.5).level_a_dbm.sum())


def test_walls_cost_and_interference_is_heard_as_quality():
    plain = status(crew(), 5.0)
    walled = status(crew(walls=(WallLine((-50, 4), (50, 4), 20.0),)), 5.0)
    assert np.allclose(plain.level_a_dbm - walled.level_a_dbm, 20.0)
    loud = status(crew(interference_dbm=np.full(20, -40.0)), 5.0)
    assert np.array_equal(loud.level_a_dbm, plain.level_a_dbm)
    assert loud.quality.max() < 0.5 < np.median(plain.quality)


def test_batteries_run_down_and_an_empty_pack_is_silent():
    packs = crew(battery_min=np.full(20, 10.0))
    assert status(packs, 60.0).battery_min[0] == 9.0
    empty = status(packs, 660.0)
    assert np.all(empty.battery_min == 0)
    assert np.all(np.isneginf(empty.level_a_dbm))
    assert np.all(empty.quality == 0)


def test_everybody_stays_near_home():
    people = crew()
    away = [np.linalg.norm(positions(people, t) - people.home_m, axis=1).max() for t in (0.0, 99.0, 1e5)]
    assert max(away) <= 3.0 * np.sqrt(2) + 1e-9


def test_a_bad_plan_is_heard_and_a_good_one_is_not():
    pair = Antenna(position=(-2.0, 0, 3), gain_dbi=6.5), Antenna(position=(2.0, 0, 3), gain_dbi=6.5)

    def quality(third_hz):
        sent = [
            Emitter(name=n, freq_hz=f, power_dbm=17.0, position=(x, 6.0, 1.5), bandwidth_hz=60_000, extra_loss_db=10.0)
            for n, f, x in (("a", 500_000_000, 0.0), ("b", 501_000_000, 0.3), ("c", third_hz, 5.0))
        ]
        world = Venue(emitters=tuple(sent), surroundings=None, front_iip3_dbm=-20.0)
        found = crew_of(world, pair, [Receiver(n, needed_db=40.0) for n in "abc"])
        return status(found, 5.0).quality, found

    clean, _ = quality(503_300_000)
    hit, crew = quality(502_000_000)  # 2b − a
    assert hit[2] < 0.5 < clean[2]
    assert crew.interference_dbm[2] > -90
    with pytest.raises(ValueError, match="called d"):
        crew_of(Venue(), pair, [Receiver("d")])


def test_the_stronger_antenna_is_used_and_its_level_decides():
    near_b = crew(antennas_m=np.array([[0.0, -40_000.0, 3], [0.0, 0.0, 3]]))
    near_a = crew(antennas_m=near_b.antennas_m[::-1].copy())
    for now, used in ((status(near_b, 3.0), 1), (status(near_a, 3.0), 0)):
        assert set(now.used.tolist()) == {used}
        assert np.array_equal(now.used == 1, now.level_b_dbm > now.level_a_dbm)
        assert np.median(now.quality) > 0.9
    both_far = status(crew(antennas_m=np.array([[0.0, -40_000.0, 3], [0.0, -40_000.0, 3]])), 3.0)
    assert np.median(both_far.quality) < 0.5


@pytest.mark.parametrize(("over_need_db", "quality"), [(-6.0, 0.5), (0.0, 0.8808), (6.0, 0.9820), (-12.0, 0.1192)])
def test_quality_is_a_half_six_decibels_under_the_need_and_grows_as_a_logistic_of_three(over_need_db, quality):
    calm = crew(blocked_db=4.0, bandwidth_hz=200_000.0, nf_db=8.0)
    now = status(calm, 2.0)
    noise = -173.975 + 10 * np.log10(200_000) + 8.0
    ratio = np.maximum(now.level_a_dbm, now.level_b_dbm) - 4.0 - noise
    needing = crew(blocked_db=4.0, needed_db=ratio - over_need_db)
    assert status(needing, 2.0).quality == pytest.approx(quality, abs=0.002)


def test_of_two_antennas_the_more_disturbed_one_counts():
    """Wrong by this side: a receiver may use either of its antennas."""
    ours = Emitter(name="ours", freq_hz=560_000_000, power_dbm=17.0, position=(0.0, 20.0, 1.5), ours=True)
    noisy = Emitter(name="noisy", freq_hz=560_000_000, power_dbm=10.0, position=(40.0, 0.0, 3.0))
    pair = Antenna(position=(39.0, 0.0, 3.0)), Antenna(position=(-400.0, 0.0, 3.0))
    venue = Venue(emitters=(ours, noisy), surroundings=None, exponent=None)
    alone = [float(venue.channels_dbm(a, np.array([560e6]), np.array([200e3]), ["ours"], 0.0)[0]) for a in pair]
    assert alone[0] > alone[1] + 20
    for order in (pair, pair[::-1]):
        assert crew_of(venue, order, [Receiver("ours")]).interference_dbm[0] == pytest.approx(alone[0])
