"""Address plans, gauges and changes of batteries beyond the vectors: laws that hold for any input."""

import itertools
import random
from ipaddress import IPv4Network
from math import inf

import pytest

from azven.rf import breaks
from azven.rf.addresses import Console, Device, Port, address_of, findings, mask_of
from azven.rf.running import minutes_left

CONTROL = {"control": IPv4Network("10.20.1.0/24")}


def device(k, ip, kind="receivers", **more):
    port = Port(mode="fixed", ip=address_of(ip), mask=mask_of("255.255.255.0"), mac=f"02:00:00:00:00:{k:02x}")
    return Device(id=f"r-{k}", kind=kind, channels=2, ports={"control": port}, **more)


def test_the_order_of_the_list_does_not_matter():
    chance = random.Random(4)
    for _ in range(50):
        listed = [
            device(k, f"10.20.{chance.randint(1, 2)}.{chance.randint(0, 9)}", layout="switched",
                   console_id=chance.choice([None, 1, 2]))
            for k in range(9)
        ]  # fmt: skip
        cables = [(f"r-{k}", f"r-{k + 1}") for k in range(8)]
        consoles = [Console(name="House desk", limit=chance.randint(1, 12), counts="channels")]
        first = findings(CONTROL, listed, listed[2:], consoles, cables)
        mixed = chance.sample(listed, len(listed))
        again = findings(CONTROL, mixed, chance.sample(listed[2:], 7), consoles, cables[::-1])
        assert sorted(map(repr, first)) == sorted(map(repr, again))


@pytest.mark.parametrize("mask", ["255.0.255.0", "0.0.0.255", "255.255.255.1"])
def test_a_mask_with_holes_is_none(mask):
    with pytest.raises(ValueError, match="mask"):
        mask_of(mask)


def test_a_ring_of_racks_is_followed_to_its_end():
    listed = [device(k, f"10.20.1.{k + 1}", layout="switched") for k in range(9)]
    ring = [(f"r-{k}", f"r-{(k + 1) % 9}") for k in range(9)]
    (found,) = findings(CONTROL, listed, cables=ring)
    assert (found.code, found.hops) == ("chain-too-long", 8)


def held(slots, pack, changes):
    """The smallest margin of a pack with changes before the acts of these numbers."""
    worst, since = inf, None
    for k, slot in enumerate(slots):
        if k in changes:
            since = slots[k - 1].to_min if k else 0.0
        left = pack.left_min - slot.to_min if since is None else pack.full_min - (slot.to_min - since)
        if pack.acts is None or slot.id in pack.acts:
            worst = min(worst, left - pack.reserve_min)
    return worst


def tried(slots, packs):
    """The best changes by trying all."""
    gaps = [k for k, s in enumerate(slots) if s.from_min > (slots[k - 1].to_min if k else 0.0)]
    subsets = [c for n in range(len(gaps) + 1) for c in itertools.combinations(gaps, n)]
    best = None
    for chosen in itertools.product(subsets, repeat=len(packs)):
        worst = min(held(slots, p, c) for p, c in zip(packs, chosen, strict=True))
        if worst < 0 or (len(packs) == 2 and set(chosen[0]) & set(chosen[1])):
            continue
        rank = (sum(map(len, chosen)), -worst, chosen)
        best = rank if best is None or rank < best else best
    return best and best[2]


@pytest.mark.parametrize("seed", range(60))
def test_changes_are_those_that_trying_all_finds(seed):
    chance = random.Random(seed)
    slots, t = [], chance.choice([0, 20])
    for k in range(chance.randint(1, 5)):
        long = chance.choice([40, 60, 90])
        slots.append(breaks.Slot(f"a{k}", t, t + long))
        t += long + chance.choice([0, 10, 20])
    names = [s.id for s in slots]
    packs = [
        breaks.Pack(
            id=f"p{i}", left_min=chance.choice([20, 80, 150, 300]), full_min=chance.choice([100, 140, 200]),
            reserve_min=chance.choice([0, 10]),
            acts=chance.choice([None, frozenset(chance.sample(names, chance.randint(0, len(names))))]),
        )
        for i in range(2)
    ]  # fmt: skip
    for pairs in ((), (("p0", "p1"),)):
        found = breaks.plan(slots, packs, pairs)
        groups = [packs] if pairs else [[p] for p in packs]
        for group in groups:
            best = tried(slots, group)
            for i, pack in enumerate(group):
                assert found[pack.id] == (None if best is None else tuple(names[k] for k in best[i]))


def test_a_season_of_acts_is_planned_too():
    slots = [breaks.Slot(str(k), 120 * k + 30, 120 * k + 120) for k in range(60)]
    pair = [breaks.Pack(id=i, left_min=200, full_min=480, reserve_min=30) for i in "ab"]
    found = breaks.plan(slots, pair, [("a", "b")])
    assert not set(found["a"]) & set(found["b"])
    assert len(found["a"]) + len(found["b"]) == 40


def test_a_gauge_with_noise_is_read_as_its_line():
    chance = random.Random(1)
    errors = []
    for _ in range(200):
        slope = chance.uniform(0.1, 1.0)
        readings = [(t, 90 - slope * t + chance.choice([-1, 0, 0, 1])) for t in range(0, 40, 1)]
        left = minutes_left(readings, 39).minutes
        errors.append(abs(left * slope - (90 - slope * 39)))
    assert sorted(errors)[180] < 8
