"""Set gains against brute force: every setting of small designs, each solved as a whole."""

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest

from azven.book.formats import chain as chain_format
from azven.rf.chain.design import shared_blocks, solve_design
from azven.rf.chain.tune import set_gains
from azven.work import chain

MAST, PAD = [0, 5, 10, 15], [0, 6, 12, 20]
FEW = [0, 15], [0, 12]
"""Steps where every setting of three and four rooms is tried."""
STOP = [{"low_hz": 380_000_000, "high_hz": 470_000_000, "loss_db": 35}]


def random_design(seed, rooms=None, radio=None, steps=(MAST, PAD)):
    """One to three rooms into one receiver: mast-head amplifiers, cables, pads, filters before and behind, a shared
    amplifier now and then, and somebody with a hand-held radio."""
    rng = np.random.default_rng(seed)
    rooms = rooms or int(rng.integers(1, 4))
    radio = bool(rng.integers(2)) if radio is None else radio
    nodes, edges, zones, carriers = [], [], {}, []
    for room in (f"room {k}" for k in range(rooms)):
        way = [{"id": f"{room} antenna", "type": "antenna"}]
        if rng.integers(2):
            way.append({"id": f"{room} filter", "type": "filter", "loss_db": 1.5, "stop": STOP})
        fixed = rng.integers(4) == 0
        way.append({"id": f"{room} mast", "type": "amp", "gain_db": 15 if fixed else 0, "nf_db": 3, "oip3_dbm": 36,
                    "p1db_out_dbm": 21, **({} if fixed else {"steps_db": steps[0]})})  # fmt: skip
        way.append({"id": f"{room} run", "type": "loss", "loss_db": float(rng.uniform(2, 24))})
        way.append({"id": f"{room} pad", "type": "loss", "loss_db": 0, "steps_db": steps[1]})
        nodes += way
        edges += [[a["id"], b["id"]] for a, b in itertools.pairwise(way)]
        zones[room] = {"antennas": [f"{room} antenna"]}
        near, far = float(rng.uniform(-45, -15)), float(rng.uniform(-88, -60))
        carriers += [
            {
                "id": f"{room} {n}",
                "freq_hz": 600_000_000 + n * 1_000_000,
                "zone": room,
                "role": "wanted",
                "level_dbm": level,
            }
            for n, level in enumerate((near, far, far + 3))
        ]
        if radio:
            carriers.append({"id": f"{room} radio", "freq_hz": 460_000_000, "zone": room, "role": "load",
                             "level_dbm": float(rng.uniform(-25, 12))})  # fmt: skip
    behind, strong = [], float(rng.uniform(-5, 15))
    if rooms > 1:
        nodes.append({"id": "combiner", "type": "hybrid", "ports": 4, "excess_db": 0.5})
        edges += [[f"room {k} pad", "combiner"] for k in range(rooms)]
        last = "combiner"
    else:
        last = "room 0 pad"
    if rng.integers(4):
        steps = {"steps_db": [0, 10, 5]} if rng.integers(2) else {}
        behind.append({"id": "shared", "type": "amp", "gain_db": 6, "nf_db": 4, "oip3_dbm": 30, "p1db_out_dbm": strong,
                       **steps})  # fmt: skip
    if rng.integers(2):
        behind.append({"id": "filter behind", "type": "filter", "loss_db": float(rng.uniform(1, 6)), "stop": STOP})
    behind.append({"id": "rx", "type": "receiver", "nf_db": 8, "iip3_dbm": 5, "p1db_in_dbm": -5, "needed_db": 20})
    for node in behind:
        nodes.append(node)
        edges.append([last, node["id"]])
        last = node["id"]
    return chain_format.read(
        {"format": "azven-chain", "version": 1, "name": "random", "freq_hz": 600_000_000, "bandwidth_hz": 200_000,
         "zones": zones, "nodes": nodes, "edges": edges, "carriers": carriers}
    )  # fmt: skip


def judged(design):
    """Worst margin, smallest headroom and highest excess gain [dB] of a design as it is set."""
    solved = solve_design(design)
    return (
        min(p.snr_db for p in solved.paths) - 20,
        solved.receivers[0].headroom_db,
        max(p.excess_gain_db for p in solved.paths),
    )


def every_setting(design):
    knobs = {n: b for n, b in design.blocks.items() if b.steps_db}
    values = [([None] if b.kind == "amp" else []) + list(b.steps_db) for b in knobs.values()]
    for setting in itertools.product(*values):
        yield judged(design.with_settings(dict(zip(knobs, setting, strict=True))))


@pytest.mark.parametrize("seed", [*range(24), 1137])
def test_no_setting_does_better(seed):
    compared(random_design(seed, rooms=1 + seed % 2))


@pytest.mark.parametrize("seed", range(2_000, 2_010))
def test_no_setting_of_three_rooms_does_better(seed):
    compared(random_design(seed, rooms=3, steps=FEW))


def compared(design):
    """Set gains against every setting of a design."""
    plan = set_gains(design, "rx")
    margin, room, excess = judged(design.with_settings(plan.settings))
    assert plan.chosen.worst_margin_db == pytest.approx(margin)
    assert plan.chosen.headroom_db == pytest.approx(room)
    everything = list(every_setting(design))
    gains = [e for _, _, e in everything]
    kept = [m for m, h, e in everything if h >= 3 - 1e-6 and e <= max(3, min(gains)) + 1e-6]
    if kept:
        assert plan.lacking_db == 0
        assert room >= 3 - 1e-6
        assert excess <= max(3, min(gains)) + 1e-6
        assert margin >= max(kept) - 0.5 - 1e-6
    else:
        assert plan.lacking_db == pytest.approx(3 - room)
        assert room >= max(h for _, h, e in everything if e <= max(3, min(gains)) + 1e-6) - 0.2


@pytest.mark.parametrize("seed", range(100, 112))
def test_three_rooms_tell_the_truth(seed):
    design = random_design(seed, rooms=3)
    plan = set_gains(design, "rx")
    margin, room, _ = judged(design.with_settings(plan.settings))
    assert (plan.chosen.worst_margin_db, plan.chosen.headroom_db) == pytest.approx((margin, room))
    assert (plan.lacking_db == 0) == (room >= 3 - 1e-3)


def test_one_antenna_is_turned_up_for_a_long_cable():
    design = random_design(5, rooms=1, radio=False)
    assert shared_blocks(solve_design(design).system, "rx")[0].startswith("room 0")
    long = next(random_design(s, rooms=1, radio=False) for s in range(50) if run_loss(s) > 20)
    plan = chain.plan_gains(long)
    as_it_was = judged(long.with_settings({"room 0 mast": None, "room 0 pad": 0}))[0]
    assert plan.settings["room 0 mast"] == 15
    assert plan.chosen.worst_margin_db > as_it_was + 6
    assert chain.gains_in_words(plan).startswith("Gains set: worst link")


def run_loss(seed):
    return -random_design(seed, rooms=1, radio=False).blocks["room 0 run"].gain_at(600e6)


def test_nothing_to_turn_is_never_called_set():
    design = random_design(5, rooms=1)
    fixed = replace(design, blocks={n: replace(b, steps_db=()) for n, b in design.blocks.items()})
    aside = replace(design.blocks["room 0 pad"], id="aside", steps_db=(0, 3))
    unused = replace(fixed, blocks={**fixed.blocks, "aside": aside})
    for one in (fixed, unused):
        with pytest.raises(ValueError, match="steps to choose from"):
            chain.plan_gains(one)


def test_what_no_setting_keeps_is_said():
    radio = next(d for s in range(50) if "room 0 filter" not in (d := random_design(s, rooms=1, radio=True)).blocks)
    louder = replace(radio, carriers=tuple(replace(c, level_dbm=45.0) for c in radio.carriers))
    plan = chain.plan_gains(louder)
    assert plan.lacking_db > 0
    assert math.isfinite(plan.chosen.headroom_db)
    assert chain.gains_in_words(plan).startswith("No setting keeps the headroom")
