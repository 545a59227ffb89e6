"""What receivers of the venue show, against link budgets, against the theory of fading, and in broken situations."""

import numpy as np
import pytest
from scipy.special import j0

from azven.rf.fading import between_db
from azven.rf.levels import SPEED_OF_LIGHT_M_S
from azven.rf.links import End
from azven.rf.reach import Surroundings, Wearer, inside, level_dbm
from azven.rf.venue import Antenna, Emitter, Front, Venue
from azven.rf.venue.cells import Cell
from azven.rf.venue.reception import Carried, Receiver, Reception, Side
from azven.rf.venue.ways import way
from azven.rf.walls import WallLine, crossed_db

HALL = ((-9.0, 0.0), (9.0, 0.0), (9.0, 40.0), (-9.0, 40.0))
WALL = WallLine((-9.0, 20.0), (3.0, 20.0), 6.0)
FRONT = Front(gain_db=-3.0, noise_figure_db=9.0)


def side(x, psi=0.0, front=FRONT):
    end = End(gain_dbi=6.5, kind="beam", beamwidth_deg=100.0, psi_deg=psi, pos_m=(x, 0.5, 3.0), aim_m=(x, 20.0, 1.5))
    there = Antenna(position=(x, 0.5, 3.0), gain_dbi=6.5, bearing_deg=0.0, psi_deg=psi, front=front)
    return Side(end, there, Surroundings(walls=(WALL,), exponent=20.0))


def carried(n, on=True, freq=None):
    freq = 500e6 + 1.1e6 * np.arange(n) if freq is None else np.asarray(freq, float)
    each = np.ones(n)
    return Carried(
        on=np.full(n, on) if isinstance(on, bool) else np.asarray(on), freq_hz=freq, power_dbm=15 * each,
        bandwidth_hz=100e3 * each, body_db=10 * each, behind=each,
    )  # fmt: skip


def hall(n, apart_m=2.0, seed=3, emitters=()):
    venue = Venue(emitters=emitters, walls=(WALL,), seed=seed, exponent=20.0)
    ways = [way(HALL, (WALL,), 100 * seed + i) for i in range(n)]
    return Reception(venue, [side(-apart_m / 2), side(apart_m / 2)], [Receiver(sides=(0, 1))] * n, ways)


def minute(reception, sent, step_s=0.1, from_s=0.0):
    moments = np.arange(from_s, from_s + 60.0, step_s)
    return [reception.shown(t, sent.freq_hz, sent) for t in moments]


def test_the_median_of_a_minute_is_the_link_budget():
    reception, sent = hall(24), carried(24)
    shown = minute(reception, sent)
    for s in (0, 1):
        off = [x.level_dbm[:, s] - reception.median_dbm(s, sent, x.place_m) for x in shown]
        assert abs(np.median(off)) < 1.0


def test_the_link_budget_is_that_of_reach():
    reception, sent = hall(3), carried(3)
    place, _ = reception.places(12.0)
    who = Wearer(power_dbm=15.0, body_db=10.0, freq_hz=float(sent.freq_hz[1]))
    wanted = level_dbm(place[1], reception.sides[0].end, who, reception.sides[0].around) + FRONT.gain_db
    assert reception.median_dbm(0, sent, place)[1] == pytest.approx(float(wanted), abs=1e-9)


@pytest.mark.parametrize("apart_wavelengths", [0.1, 0.25, 0.38, 0.6, 1.0, 3.0])
def test_powers_of_two_antennas_correlate_by_their_distance(apart_wavelengths):
    wavelength = SPEED_OF_LIGHT_M_S / 600e6
    found = []
    for seed in range(12):
        walked = way(HALL, (), seed)
        at = walked.over(np.arange(0, 240, 0.1))[:, :2]
        one, other = (
            10 ** (between_db(at, np.array([x, 1.0]), 600e6, seed) / 10)
            for x in (0.0, apart_wavelengths * wavelength)
        )  # fmt: skip
        found.append(np.corrcoef(one, other)[0, 1])
    assert np.mean(found) == pytest.approx(j0(2 * np.pi * apart_wavelengths) ** 2, abs=0.1)


def test_fading_differs_between_far_frequencies_and_not_between_near_ones():
    at = np.random.default_rng(1).uniform(-9, 40, (4_000, 2))
    mast = np.array([0.0, 1.0])
    here, near, far = (between_db(at, mast, f, 5) for f in (500e6, 500.05e6, 560e6))
    assert np.corrcoef(here, near)[0, 1] > 0.9
    assert abs(np.corrcoef(here, far)[0, 1]) < 0.15


def test_many_moments_at_once_show_what_each_shows():
    radio = Emitter(
        name="radio", freq_hz=501_100_000, power_dbm=10.0, position=(0.0, 9.0, 1.5), keyed_s=(7.0, 20.0, 3.0)
    )
    reception, sent = hall(4, emitters=(radio,)), carried(4, [True, False, True, True])
    moments = np.arange(100.0, 140.0, 0.5)
    together = reception.over(moments, sent.freq_hz, sent)
    assert together.level_dbm.shape == (4, 80, 2)
    for k, t in enumerate(moments):
        one = hall(4, emitters=reception.venue.emitters)
        one.shown(4.0 * (t // 4.0), sent.freq_hz, sent)  # what others bring is worked out every four seconds
        alone = one.shown(t, sent.freq_hz, sent)
        for name in ("level_dbm", "ratio_db", "rest_dbm", "place_m"):
            assert np.allclose(getattr(together, name)[:, k], getattr(alone, name), atol=1e-9)
        assert np.allclose(reception.quality(together)[:, k], one.quality(alone))


def test_people_stay_inside_and_walk_through_no_wall():
    for seed in range(5):
        w = way(HALL, (WALL,), seed)
        at = w.over(np.arange(0.0, w.at_s[-1], 0.5))
        assert inside(at[:, :2] * 0.999 + 0.001 * np.array([0, 20]), HALL).all()
        assert (crossed_db((WALL,), w.place_m[:-1], w.place_m[1:]) == 0).all()
        steps = np.hypot(*np.diff(at[:, :2], axis=0).T) / 0.5
        assert steps.max() < 1.5
        assert np.mean(steps == 0) > 0.2
        assert np.array_equal(*w.over(np.array([3.0, 3.0 + w.at_s[-1]])).round(9))


def test_a_transmitter_that_is_off_leaves_the_floor():
    reception, sent = hall(2), carried(2, on=[True, False])
    shown = reception.shown(5.0, sent.freq_hz, sent)
    quality = reception.quality(shown)
    assert quality[0] > 0.95
    assert quality[1] < 0.01
    assert shown.level_dbm[1].max() < -100


def test_a_transmitter_elsewhere_is_not_heard():
    reception = hall(1)
    tuned = np.array([500e6])
    near, far = (reception.shown(5.0, tuned, carried(1, freq=[f])) for f in (500e6, 500.5e6))
    assert near.ratio_db.max() > 30
    assert far.ratio_db.max() < 0


def test_a_foreign_carrier_and_a_product_are_heard_in_the_channel():
    stranger = Emitter(name="Ferry office", freq_hz=500_000_000, power_dbm=10.0, position=(0.0, 30.0, 2.0))
    off = carried(1, on=False, freq=[500e6])
    quiet, loud = (hall(1, emitters=e).shown(5.0, np.array([500e6]), off) for e in ((), (stranger,)))
    assert loud.level_dbm.min() > quiet.level_dbm.max() + 20
    trio = carried(3, on=[True, True, False], freq=[501e6, 502e6, 500e6])
    alone = carried(3, on=[False, True, False], freq=[501e6, 502e6, 500e6])
    reception = hall(3)
    reception.venue = Venue(**{**vars(reception.venue), "front_iip3_dbm": -45.0})
    made, none = (reception.shown(5.0, trio.freq_hz, x).rest_dbm[2].max() for x in (trio, alone))
    assert made > none + 3


def test_a_broken_branch_takes_one_side():
    whole = hall(4)
    lost = Reception(whole.venue, [side(-1.0, front=Front(gain_db=-33.0)), whole.sides[1]], whole.receivers, whole.ways)
    sent = carried(4)
    a, b = (r.shown(7.0, sent.freq_hz, sent).level_dbm for r in (whole, lost))
    assert np.allclose((a - b)[:, 0], 30.0, atol=2.0)
    assert np.allclose((a - b)[:, 1], 0.0)


def test_cells_fall_as_their_chemistry_does():
    half = {c: Cell(chemistry=c, full_min=300).gauge(150) for c in ("alkaline", "nickel", "lithium")}
    assert half["nickel"] > 80 > half["lithium"] > half["alkaline"]
    late = Cell(chemistry="nickel", full_min=300)
    assert late.gauge(270) - late.gauge(294) > 35
    assert Cell(full_min=300).gauge(300) == 0
    assert Cell(full_min=300).lasts_min(0.0) == pytest.approx(180)
    bars = {Cell(step_percent=25).gauge(t) for t in range(0, 300, 5)}
    assert bars == {25.0, 50.0, 75.0, 100.0}
    levels = [Cell(chemistry="nickel").gauge(t) for t in range(0, 310, 1)]
    assert levels == sorted(levels, reverse=True)
