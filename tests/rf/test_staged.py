"""People who follow their parts: places, ways, entrances, who stands in whose way, and the house that fills."""

from dataclasses import replace

import numpy as np
import pytest

from azven.rf.links import BODY_DB
from azven.rf.rehearse import take
from azven.rf.venue.passing import passed_db
from azven.rf.venue.ways import Part, staged
from rf.test_rehearse import EVENING, STAGE, made

LASTS_S = 240.0
MOMENTS = np.arange(0.0, LASTS_S, 0.5)
OFF = (0.0, 30.0)


def way(part, seed=1, lasts_s=LASTS_S, from_s=0.0):
    return staged(part, STAGE, (), lasts_s, seed, from_s)


@pytest.mark.parametrize("seed", range(5))
def test_who_stands_somewhere_stays_there_and_turns(seed):
    told = way(Part(((2.0, 6.0),)), seed).over(MOMENTS)
    assert np.hypot(*(told[:, :2] - (2.0, 6.0)).T).max() < 1.0
    assert np.ptp(told[:, 2]) > 0.5


@pytest.mark.parametrize("seed", range(5))
def test_a_way_is_walked_there_and_back_along_its_corners(seed):
    corners = ((-4.0, 5.0), (4.0, 5.0), (4.0, 11.0))
    told = way(Part(corners), seed).over(MOMENTS)
    for corner in corners:
        assert np.hypot(*(told[:, :2] - corner).T).min() < 0.8
    on_first = np.isclose(told[:, 1], 5.0, atol=1e-6)
    on_second = np.isclose(told[:, 0], 4.0, atol=1e-6)
    assert (on_first | on_second).all()
    assert np.hypot(*np.diff(told[:, :2], axis=0).T).max() / 0.5 < 1.5  # nobody flies


def test_who_enters_waits_off_stage_and_goes_back_there():
    part = Part(((0.0, 5.0),), enters_s=60.0, leaves_s=150.0, off=OFF)
    told = way(part, from_s=1_000.0).over(MOMENTS + 1_000.0)
    far = np.hypot(*(told[:, :2] - OFF).T)
    assert far[MOMENTS < 60.0].max() == 0
    assert np.hypot(*(told[(MOMENTS > 100) & (MOMENTS < 150), :2] - (0.0, 5.0)).T).max() < 1.0
    assert far[MOMENTS > 200].max() < 0.01
    assert part.on(np.array([59.0, 60.0, 149.0, 150.0])).tolist() == [False, True, True, False]


def test_what_is_lost_off_stage_is_missed_by_nobody():
    shown = made((500e6, 500.05e6, 503.4e6))
    whole = take.play(shown, EVENING, 2).lost[0].sum()
    late = replace(shown.players[0], parts={"a1": Part(enters_s=120.0)})
    entering = replace(shown, players=(late, *shown.players[1:]))
    told = take.play(entering, EVENING, 2)
    assert whole > 0
    assert not told.lost[0, : round(120 / take.STEP_S)].any()
    assert told.record.tx[0].all()  # the pack is on all the while


def test_two_packs_on_one_body_walk_together():
    shown = made()
    players = [replace(p, wearers={"a1": "person-1"} if i < 2 else {}) for i, p in enumerate(shown.players)]
    there = take.reception(replace(shown, players=tuple(players)), EVENING, 3)
    place, facing = there.places_over(MOMENTS)
    assert np.array_equal(place[0], place[1])
    assert np.array_equal(facing[0], facing[1])
    assert np.abs(place[0] - place[2]).max() > 1.0


MAST = np.array([0.0, 0.0, 3.0])


def blocked(other, persons=(0, 1), mine=(0.0, 10.0), mast=MAST, freq_hz=600e6):
    place = np.array([[[*mine, 1.5]], [[*other, 1.5]]])
    return float(passed_db(place, mast, np.array([0]), np.array(persons), np.array([freq_hz]))[0, 0])


def test_who_stands_before_a_transmitter_costs_some_decibels_and_less_under_a_high_antenna():
    low = np.array([0.0, 0.0, 1.5])
    assert 2.0 < blocked((0.0, 9.0), mast=low) < 6.0 < blocked((0.0, 9.0), mast=low, freq_hz=5.5e9) < 25.0
    assert 1.0 < blocked((0.0, 9.0)) < blocked((0.0, 9.0), mast=low)


@pytest.mark.parametrize("other", [(0.0, 11.0), (3.0, 9.0), (0.0, 0.1)], ids=["behind", "beside", "under the antenna"])
def test_who_stands_elsewhere_costs_nothing(other):
    assert blocked(other) == pytest.approx(0.0, abs=0.01)


def test_nobody_stands_in_their_own_way():
    assert blocked((0.0, 9.0), persons=(0, 0)) == 0.0


def test_a_screen_that_the_path_grazes_costs_what_the_standard_says():
    """Half the width hidden, nothing else: 1 − (0 + F) (0.5 + 0.5) with F of one shoulder far away is 6 dB at most."""
    line = np.array([0.0, 0.0, -50.0])
    beside = blocked((0.25, 5.0), mine=(0.0, 10.0), mast=line, freq_hz=60e9)
    assert beside == pytest.approx(-20 * np.log10(1 - 0.5), abs=0.7)


def test_who_passes_costs_more_and_more_and_then_less():
    costs = [blocked((x, 9.0)) for x in np.linspace(-1.4, 1.4, 15)]
    assert max(costs) == costs[7]
    assert costs[0] < 2.0
    assert costs[-1] == pytest.approx(costs[0], abs=1e-9)


def test_a_house_that_fills_takes_what_a_packed_crowd_takes():
    shown = made()
    house = (((-6.0, 1.0), (6.0, 1.0), (6.0, 3.5), (-6.0, 3.5)),)
    low = tuple(replace(s, end=replace(s.end, pos_m=(s.end.pos_m[0], 0.0, 1.6)), house=house) for s in shown.sides)
    act = replace(EVENING, to_s=1_800.0, house=1.0)
    full = take.play(replace(shown, sides=low, acts=(act,)), act, 1)
    empty = replace(act, house=0.0)
    nobody = take.play(replace(shown, sides=low, acts=(empty,)), empty, 1)
    less = nobody.record.a - full.record.a
    late = full.record.at_s > 1_000.0
    assert np.median(less[:, late]) == pytest.approx(BODY_DB["crowd"], abs=0.5)
    assert np.median(less[:, :20]) < BODY_DB["crowd"]


def test_a_house_under_high_antennas_is_not_in_the_way():
    shown = made()
    house = (((-6.0, 1.0), (6.0, 1.0), (6.0, 3.0), (-6.0, 3.0)),)
    high = tuple(replace(s, house=house) for s in shown.sides)
    act = replace(EVENING, house=1.0)
    full, empty = (take.play(replace(shown, sides=x, acts=(act,)), act, 1) for x in (high, shown.sides))
    assert np.array_equal(full.record.a, empty.record.a)
