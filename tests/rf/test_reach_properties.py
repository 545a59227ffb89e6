"""Coverage and suggestions: what can only help does, what can only hurt does, and the best pair is the best."""

from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf import reach
from azven.rf.links import End
from azven.rf.reach import Place, Surroundings, Wearer
from azven.rf.walls import WallLine, crossed_db

POINTS = reach.grid((-8.0, 0.0), (8.0, 24.0), 2.0, 1.5)
WEARER = Wearer()
NEED = -70.0
corners = st.tuples(st.integers(-9, 9), st.integers(0, 24))
walls = st.tuples(corners, corners, st.integers(1, 20)).map(lambda w: WallLine(*w))
spots = st.tuples(st.integers(-18, 18), st.integers(-2, 50), st.integers(4, 12)).map(
    lambda s: (s[0] / 2 + 0.137, s[1] / 2 + 0.291, s[2] / 2)  # never on a wall's end, where either answer is right
)


def antenna(spot, **more):
    return End(gain_dbi=6.5, kind="beam", beamwidth_deg=100.0, pos_m=spot, aim_m=(0.0, 12.0, 1.5), **more)


@given(st.lists(spots, min_size=1, max_size=3), spots)
def test_one_more_antenna_never_hurts(places, another):
    some, more = [antenna(p) for p in places], [antenna(p) for p in (*places, another)]
    before, after = (reach.coverage(POINTS, a, WEARER, Surroundings(), NEED) for a in (some, more))
    assert after.served >= before.served
    assert (after.margin_db >= before.margin_db).all()
    assert (after.outage <= before.outage + 1e-12).all()


@given(spots, st.lists(walls, max_size=3), walls)
def test_one_more_wall_never_helps_and_takes_no_more_than_it_costs(place, some, another):
    here = antenna(place)
    before, after = (reach.level_dbm(POINTS, here, WEARER, Surroundings(tuple(w))) for w in (some, [*some, another]))
    lost = before - after
    assert (lost > -1e-9).all()
    assert (lost < another.loss_db + 1e-9).all()
    assert np.logical_or(np.isclose(lost, 0), np.isclose(lost, another.loss_db)).all()


@given(spots, spots, st.lists(walls, max_size=4))
def test_walls_cost_the_same_both_ways_and_add_up(a, b, some):
    there, back = (float(crossed_db(some, x, y)) for x, y in ((a, b), (b, a)))
    assert there == pytest.approx(back)
    assert there == pytest.approx(sum(float(crossed_db([w], a, b)) for w in some))


@given(spots, st.floats(1, 20))
def test_a_decibel_is_a_decibel(place, more):
    here = antenna(place)
    plain = reach.level_dbm(POINTS, here, WEARER, Surroundings())
    for wearer, end in (
        (replace(WEARER, power_dbm=WEARER.power_dbm + more), here),
        (replace(WEARER, body_db=WEARER.body_db - more), here),
        (WEARER, replace(here, gain_dbi=here.gain_dbi + more)),
    ):  # fmt: skip
        assert reach.level_dbm(POINTS, end, wearer, Surroundings()) == pytest.approx(plain + more)


@given(st.lists(st.tuples(st.floats(0, 10), st.floats(0, 10)), min_size=3, max_size=3, unique=True), st.data())
def test_inside_a_triangle_is_what_its_sides_say(corners, data):
    at = np.array([data.draw(st.floats(0, 10)), data.draw(st.floats(0, 10))])
    turns = []
    for (x1, y1), (x2, y2) in zip(corners, [*corners[1:], corners[0]], strict=True):
        turns.append((x2 - x1) * (at[1] - y1) - (y2 - y1) * (at[0] - x1))
    if min(abs(t) for t in turns) < 1e-6:
        return  # on a side, where either answer is right
    assert bool(reach.inside(at, corners)) == (all(t > 0 for t in turns) or all(t < 0 for t in turns))


def test_the_suggested_pair_is_the_best_of_all_that_keep_the_rules():
    places = [Place(f"m{i}", p) for i, p in enumerate([
        (-8.0, 0.0, 3.5), (8.0, 0.0, 3.5), (-8.0, 12.0, 3.5), (8.0, 12.0, 3.5), (0.0, 24.0, 3.5), (0.5, 24.0, 3.5),
    ])]  # fmt: skip
    around = Surroundings((WallLine((-8.0, 8.0), (2.0, 8.0), 6.0),), exponent=30.0)
    middle = tuple(POINTS.reshape(-1, 3).mean(axis=0))
    like = antenna((0.0, 0.0, 3.0), psi_deg=0.0)

    def worst(pair):
        ends = [replace(like, pos_m=p.pos_m, aim_m=middle) for p in pair]
        return np.quantile(reach.coverage(POINTS, ends, WEARER, around, NEED).outage, 0.99)

    found = reach.suggest(places, like, POINTS, WEARER, around, NEED)
    apart = [p for p in combinations(places, 2) if np.linalg.norm(np.subtract(p[0].pos_m, p[1].pos_m)) >= 1.5]
    assert len(apart) == 14
    assert found.places in apart
    assert worst(found.places) == pytest.approx(min(worst(p) for p in apart))
    assert max(worst(p) for p in apart) > worst(found.places)
    near = replace(like, pos_m=found.places[0].pos_m)
    other = reach.suggest(places, like, POINTS, WEARER, around, NEED, transmitters=[near])
    assert found.places[0] not in other.places
