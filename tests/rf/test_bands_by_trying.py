"""Wideband packing, 5 GHz assignment and intercom coverage against going through everything."""

import itertools
import math
import random
import time
from fractions import Fraction

import numpy as np
import pytest

from azven.rf import dfs, intercom, packing, wideband
from azven.rf.walls import WallLine


def random_packs(rng, count, carriers):
    mixes = [None, None, ("Brass", "ear"), ("Choir", "ear"), ("Brass", "talk")]
    slots = {("Brass", "ear"): 40, ("Choir", "ear"): 60, ("Brass", "talk"): 16}
    out = []
    for i in range(count):
        down = rng.choice(mixes)
        busy = rng.random() < 0.15
        out.append(
            wideband.Pack(
                id=f"p{i}", uplink=rng.choice([0, 16, 24, 52, 84]), downlink=down, downlink_slots=slots.get(down, 0),
                rooms=frozenset(rng.sample(["hall", "quay"], rng.randrange(2))),
                carrier=rng.choice(carriers).id if busy else None, busy=busy,
            )
        )  # fmt: skip
    return out


def packed_by_trying(packs, carriers):
    """(carriers used, share of the fullest) by all ways; None where there is none."""
    best = None
    for on in itertools.product(range(len(carriers)), repeat=len(packs)):
        if any(p.busy and carriers[c].id != p.carrier for p, c in zip(packs, on, strict=True)):
            continue
        if any(not p.busy and not carriers[c].covers(p.rooms) for p, c in zip(packs, on, strict=True)):
            continue
        loads = [wideband.load([p for p, k in zip(packs, on, strict=True) if k == c]) for c in range(len(carriers))]
        if any(n > c.capacity for n, c in zip(loads, carriers, strict=True)):
            continue
        found = len(set(on)), max(Fraction(n, c.capacity) for n, c in zip(loads, carriers, strict=True))
        best = found if best is None else min(best, found)
    return best


@pytest.mark.parametrize("seed", range(60))
def test_packs_are_on_the_fewest_carriers_the_fullest_as_empty_as_can_be(seed):
    rng = random.Random(seed)
    carriers = [
        wideband.Carrier(
            id=f"c{i}", capacity=rng.choice([96, 128, 160]),
            rooms=rng.choice([None, None, frozenset({"hall"}), frozenset({"hall", "quay"})]),
        )
        for i in range(rng.randrange(1, 4))
    ]  # fmt: skip
    packs = random_packs(rng, rng.randrange(1, 7), carriers)
    wanted = packed_by_trying(packs, carriers)
    if wanted is None:
        with pytest.raises(ValueError, match=r"impossible|not there"):
            packing.pack(packs, carriers)
        return
    found = packing.pack(packs, carriers)
    assert (len(found.used), found.fullest) == wanted
    assert found.exact
    by_id = {c.id: c for c in carriers}
    assert all(p.carrier == found.on[p.id] for p in packs if p.busy)
    assert all(by_id[found.on[p.id]].covers(p.rooms) for p in packs if not p.busy)


@pytest.mark.parametrize("seed", range(4))
def test_twenty_four_packs_of_many_sizes_are_proved_in_seconds(seed):
    rng = random.Random(seed)
    packs = [wideband.Pack(id=f"p{i}", uplink=rng.randrange(12, 60)) for i in range(24)]
    begun = time.monotonic()
    found = packing.pack(packs, [wideband.Carrier(id=f"c{i}") for i in range(6)])
    assert time.monotonic() - begun < packing._LIMIT_S + 10
    total = sum(p.uplink for p in packs)
    assert len(found.used) >= -(-total // 256)
    assert max(wideband.load([p for p in packs if found.on[p.id] == c]) for c in found.used) <= 256


def worth_of(region, transceivers, hears, foreign, channels):
    """Interference in exact parts, transceivers on duty, cost of events, channels."""
    on = dict(zip([t.id for t in transceivers], channels, strict=True))
    power = sum(dfs._whole_mw(level) for a, b, level in hears if on[a] == on[b])
    power += sum(dfs._whole_mw(level) for a, c, level in foreign if on[a] == c)
    duty, cost = 0, 0.0
    for t in transceivers:
        if region.listen_s(on[t.id]):
            duty += 1
            others = [c for c in t.channels if c != on[t.id] and region.allows(c)]
            waits = [(0 if t.second_radio else region.listen_s(c)) + t.rejoin_s for c in others]
            own = (0 if t.second_radio else region.listen_s(on[t.id])) + t.rejoin_s
            cost += min(waits) if waits else 1800 + own
    return power, duty, round(cost, 6), channels


@pytest.mark.parametrize("seed", range(80))
def test_channels_at_five_gigahertz_are_the_best_of_all(seed):
    rng = random.Random(seed)
    region = dfs.Region(frozenset({144}), rng.choice([60.0, 600.0]), rng.random() < 0.5)
    pool = rng.sample([36, 40, 52, 56, 100, 120, 149, 144], rng.randrange(2, 5))
    transceivers = [
        dfs.Transceiver(
            id=f"t{i}", channels=tuple(rng.sample(pool, rng.choice([len(pool), len(pool), 1, len(pool) - 1]))),
            rejoin_s=rng.choice([5.0, 3.0, 100.0]), second_radio=rng.random() < 0.3,
        )
        for i in range(rng.randrange(1, 6))
    ]  # fmt: skip
    names = [t.id for t in transceivers]
    hears = [(a, b, rng.choice([-60.0, -70.0, -70.0, -85.5])) for a, b in itertools.combinations(names, 2)
             if rng.random() < 0.6]  # fmt: skip
    foreign = [(rng.choice(names), rng.choice(pool), -75.0) for _ in range(rng.randrange(3))]
    ways = [sorted({c for c in t.channels if region.allows(c)}) for t in transceivers]
    if not all(ways):
        with pytest.raises(ValueError, match="no channel"):
            dfs.assign(region, transceivers, hears, foreign)
        return
    best = min(worth_of(region, transceivers, hears, foreign, on) for on in itertools.product(*ways))
    found = dfs.assign(region, transceivers, hears, foreign)
    assert tuple(found.channels[n] for n in names) == best[3]
    assert (found.on_duty, found.event_cost_s) == best[1:3]
    if best[0]:
        assert found.interference_dbm == pytest.approx(10 * math.log10(best[0] / dfs._FINE))
    else:
        assert found.interference_dbm is None
    assert set(found.fallbacks) == {n for n in names if region.listen_s(found.channels[n])}


@pytest.mark.parametrize("channels", [3, 6, 10, 19])
def test_twelve_that_all_hear_one_another_are_assigned_in_seconds(channels):
    rng = random.Random(channels)
    region = dfs.Region(frozenset({144}))
    pool = [36, 40, 44, 48, 52, 56, 60, 64, *range(100, 141, 4)][:channels]
    transceivers = [dfs.Transceiver(id=f"t{i}", channels=tuple(pool)) for i in range(12)]
    pairs = itertools.combinations([t.id for t in transceivers], 2)
    hears = [(a, b, -50 - 40 * rng.random()) for a, b in pairs]
    begun = time.monotonic()
    found = dfs.assign(region, transceivers, hears)
    assert time.monotonic() - begun < 60
    assert (found.interference_dbm is None) == (channels >= 12)


# -- coverage --------------------------------------------------------------------------------------------


def reach_by_steps(place, point, radius, walls):
    """Walk from the place in small steps; every wall leaves part of what is left."""
    away = math.dist(place, point)
    left, meets = radius, []
    for w in walls:
        (x1, y1), (x2, y2), (x3, y3), (x4, y4) = place, point, w.a, w.b
        d = (x2 - x1) * (y4 - y3) - (y2 - y1) * (x4 - x3)
        if d == 0:
            continue
        t = ((x3 - x1) * (y4 - y3) - (y3 - y1) * (x4 - x3)) / d
        s = ((x3 - x1) * (y2 - y1) - (y3 - y1) * (x2 - x1)) / d
        if 0 < t < 1 and 0 <= s <= 1:
            meets.append((t * away, w.loss_db))
    gone = 0.0
    for at, loss in sorted(meets):
        left -= at - gone
        gone = at
        if left <= 0:
            return False
        left *= 2 ** (-loss / 6)
    return away - gone <= left + 1e-9


@pytest.mark.parametrize("seed", range(20))
def test_coverage_by_the_fewest_places_that_cover_most(seed):
    rng = random.Random(seed)
    area = intercom.Area([(0, 0), (14, 0), (14, 9), (6, 9), (6, 5), (0, 5)])

    def anywhere():
        return rng.uniform(0, 14), rng.uniform(0, 9)

    walls = [WallLine(anywhere(), anywhere(), rng.choice([3, 6, 12])) for _ in range(3)]
    places = [intercom.Place(id=f"p{i}", at_m=anywhere(), cable_m=rng.choice([20, 120]))
              for i in range(6)]  # fmt: skip
    points, outdoor = intercom.points_in([area])
    assert len(points) == 14 * 9 - 6 * 4
    radius = {"indoor": 9.0, "outdoor": 30.0}
    usable = [p for p in places if p.cable_m <= 100]
    covers = [
        {i for i, at in enumerate(points.tolist()) if reach_by_steps(p.at_m, tuple(at), 9.0, walls)} for p in usable
    ]
    for p, seen in zip(usable, covers, strict=True):
        assert set(np.flatnonzero(intercom.covered_by(p, points, outdoor, radius, walls)).tolist()) == seen
    need = math.ceil(0.99 * len(points))
    sizes = [
        (n, max(len(set().union(*(covers[i] for i in some))) for some in itertools.combinations(range(len(usable)), n)))
        for n in range(1, len(usable) + 1)
    ]
    enough = [(n, most) for n, most in sizes if most >= need]
    if not enough:
        with pytest.raises(ValueError, match="coverage"):
            intercom.coverage([area], places, radius, walls)
        return
    found = intercom.coverage([area], places, radius, walls)
    assert (len(found.places), found.covered) == enough[0]
    assert found.exact


def test_more_places_than_are_gone_through_are_chosen_greedily_and_said_so():
    area = intercom.Area([(0, 0), (40, 0), (40, 10), (0, 10)])
    places = [intercom.Place(id=f"p{i}", at_m=(3.0 * i, 5.0)) for i in range(14)]
    found = intercom.coverage([area], places, {"indoor": 9.0, "outdoor": 9.0})
    assert not found.exact
    assert found.covered >= 0.99 * found.points
