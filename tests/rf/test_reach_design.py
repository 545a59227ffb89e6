"""Coverage and positions; designs, their gains and what goes out of them."""

import math

import numpy as np
import pytest

from azven.book.formats import chain as chain_format
from azven.book.formats.errors import FormatError
from azven.rf import reach
from azven.rf.chain import gain
from azven.rf.chain.design import solve_design
from azven.rf.chain.outgoing import as_json, supplies, transmit_results
from azven.rf.chain.tune import set_gains
from azven.rf.links import End, Medium, budget, outage
from azven.rf.reach import Place, Surroundings, Wearer
from azven.rf.walls import WallLine
from vectors import load

BEAM = End(gain_dbi=6.5, kind="beam", beamwidth_deg=100.0, pos_m=(0.0, 0.0, 3.0), aim_m=(0.0, 20.0, 1.5))
OPEN = Surroundings()


def test_levels_on_a_grid_are_those_of_the_link_budget():
    wearer = Wearer(psi_deg=45.0)
    points = reach.grid((-5, 5), (5, 40), 2.5, 1.5)
    found = reach.level_dbm(points, BEAM, wearer, OPEN)
    for i, j in ((0, 0), (3, 2), (-1, -1)):
        tx = End(power_dbm=17, body_db=10, psi_deg=45, pos_m=tuple(points[i, j]))
        assert found[i, j] == pytest.approx(budget(600e6, tx, BEAM, None, Medium("indoor", 20.0)).level_dbm, abs=1e-9)


def test_walls_and_bodies_cost_what_they_say():
    points = np.array([[0.0, 30.0, 1.5]])
    free = reach.level_dbm(points, BEAM, Wearer(), OPEN)
    walled = reach.level_dbm(points, BEAM, Wearer(), Surroundings((WallLine((-5, 20), (5, 20), 6.0),)))
    assert free - walled == pytest.approx(6.0)
    assert free - reach.level_dbm(points, BEAM, Wearer(body_db=20.0), OPEN) == pytest.approx(10.0)


def test_coverage_counts_outage_over_all_antennas():
    points = reach.grid((-5, 5), (5, 60), 5.0, 1.5)
    one = reach.coverage(points, [BEAM], Wearer(), OPEN, -60.0)
    two = reach.coverage(points, [BEAM, BEAM], Wearer(), OPEN, -60.0)
    assert np.allclose(two.outage, one.outage**2)
    assert two.served >= one.served
    mean_over_need = one.levels_dbm + 1.592 - -60.0
    assert np.allclose(one.outage, outage(mean_over_need.reshape(-1, 1)).reshape(one.outage.shape), rtol=1e-3)
    with pytest.raises(ValueError, match="no antenna"):
        reach.coverage(points, [], Wearer(), OPEN, -60.0)


def test_a_walk_repeats_and_fades():
    walks = [reach.walk([(0, 5), (0, 50)], [BEAM, BEAM], Wearer(), OPEN, seed) for seed in (1, 1, 2)]
    assert np.array_equal(walks[0].levels_dbm, walks[1].levels_dbm)
    assert not np.array_equal(walks[0].levels_dbm, walks[2].levels_dbm)
    assert walks[0].levels_dbm.shape == (2, len(walks[0].along_m))
    assert walks[0].along_m[-1] == pytest.approx(45.0, abs=0.1)
    assert walks[0].dropouts(-500.0) == 0
    assert walks[0].dropouts(500.0) == 1
    with pytest.raises(ValueError, match="two corners"):
        reach.walk([(0, 0)], [BEAM], Wearer(), OPEN, 1)


def test_positions_are_suggested_for_the_worst_spots_and_rules_are_kept():
    points = reach.grid((-8, 10), (8, 50), 2.0, 1.5)
    glass = Surroundings((WallLine((-2, 54), (2, 54), 25.0),))
    places = [
        Place("left", (-8, 12, 4)), Place("right", (8, 12, 4)), Place("far", (0, 49, 4)),
        Place("behind glass", (0, 56, 4)), Place("by the ears", (0, 10, 4)),
    ]  # fmt: skip
    found = reach.suggest(places, BEAM, points, Wearer(), glass, -93.0, [End(pos_m=(0, 11, 4))])
    names = {p.name for p in found.places}
    assert names <= {"left", "right", "far"}
    assert math.dist(found.places[0].pos_m, found.places[1].pos_m) >= 1.5
    assert [a.psi_deg for a in found.antennas] == [45.0, -45.0]
    assert "dB over need" in found.reasons[0]
    with pytest.raises(ValueError, match="behind glass is behind walls, glass or mesh that cost 25 dB"):
        reach.suggest(places[3:4] + places[:1], BEAM, points, Wearer(), glass, -93.0)
    with pytest.raises(ValueError, match="apart"):
        reach.suggest([Place("a", (0, 0, 3)), Place("b", (0, 1, 3))], BEAM, points, Wearer(), OPEN, -93.0)


def test_slanted_and_upright_pairs_are_equal_in_the_worst_case():
    assert reach.worst_turn_loss_db((45, -45)) == pytest.approx(reach.worst_turn_loss_db((0, 90)), abs=1e-9)
    assert reach.worst_turn_loss_db((45, -45)) == pytest.approx(3.0103, abs=1e-3)
    assert reach.worst_turn_loss_db((0, 0)) == 20.0


def test_the_nearest_transmitter_is_louder_than_the_farthest():
    assert reach.near_far_db(BEAM, Wearer(), OPEN, (0, 5, 1.5), (0, 50, 1.5)) == pytest.approx(20.0, abs=1.5)


# -- designs ------------------------------------------------------------------------------------------------


def worked_example():
    """The three-room system of the shared scenario, as a document with every setting open."""
    given = next(c for c in load("chain.json")["cases"] if c["id"] == "scenario-good")["input"]
    nodes, edges, zones, carriers = [], [], {}, []
    for branch in given["branches"]:
        zone, antenna = branch["name"], f"{branch['name']} antenna"
        stages = list(branch["stages"])
        if not any(s["name"] == "mast" for s in stages):
            stages.insert(1, {"type": "amp", "name": "mast", "gain_db": None, "nf_db": 3.0, "oip3_dbm": 36.0,
                              "p1db_out_dbm": 21.0})  # fmt: skip
        nodes.append({"id": antenna, "type": "antenna"})
        last = antenna
        for stage in stages:
            node = {k: v for k, v in stage.items() if k != "name"} | {"id": f"{zone}/{stage['name']}"}
            if stage["name"] == "mast":
                node["steps_db"] = [0, 3, 6, 9, 12, 15]
            if stage["name"] == "input attenuator":
                node["steps_db"] = list(range(21))
            nodes.append(node)
            edges.append([last, node["id"]])
            last = node["id"]
        edges.append([last, "combiner"])
        zones[zone] = {"antennas": [antenna]}
        carriers += [{**c, "freq_hz": given["freq_hz"], "zone": zone} for c in branch["carriers"]]
        carriers.append({"id": f"{zone} weakest", "freq_hz": given["freq_hz"], "zone": zone, "role": "wanted",
                         "level_dbm": branch["wanted_dbm"]})  # fmt: skip
    nodes.append({"id": "combiner", "type": "hybrid", **given["combiner"]})
    last = "combiner"
    for stage in given["after"]:
        nodes.append({k: v for k, v in stage.items() if k != "name"} | {"id": stage["name"]})
        edges.append([last, stage["name"]])
        last = stage["name"]
    return {
        "format": "azven-chain", "version": 1, "name": "three rooms", "freq_hz": given["freq_hz"],
        "bandwidth_hz": given["bandwidth_hz"], "zones": zones, "nodes": nodes, "edges": edges, "carriers": carriers,
    }  # fmt: skip


def test_set_gains_is_as_good_as_a_careful_engineer():
    design = chain_format.read(worked_example())
    well_set = solve_design(design)
    tuned = design.with_settings(set_gains(design, "receiver").settings)
    found = solve_design(tuned)
    worst, theirs = (min(p.snr_db for p in s.paths) for s in (found, well_set))
    assert worst >= theirs - 0.5
    assert found.receivers[0].headroom_db >= 3.9 - 0.5
    assert found.products_dbm["receiver"][1] <= -84.0 + 3.0
    assert all(p.gain_flag != "high" for p in found.paths)


def test_set_gains_compares_every_combination():
    """Against trying all of a small case one by one."""
    rng = np.random.default_rng(3)

    def option(signal):
        noise, load_ = 10 ** (signal / 10) * rng.uniform(0.5, 2), 10 ** ((signal - 40) / 20)
        return gain.Option(
            setting=(signal,), signal_dbm=-80 + signal, noise=noise, load=load_, headroom_db=20.0, excess_db=signal - 10
        )

    branches = {n: [option(float(s)) for s in range(0, 16, 3)] for n in "abc"}
    limits = gain.Limits(3.0, 3.0, -20.0)
    chosen = gain.settings(branches, 5.0, -121.0, limits)
    best = -math.inf
    for a in branches["a"]:
        for b in branches["b"]:
            for c in branches["c"]:
                load_sum = a.load + b.load + c.load
                if any(o.excess_db > 3 for o in (a, b, c)) or 20 * math.log10(load_sum) > -23.0:
                    continue
                noise = 10 * math.log10(5.0 + a.noise + b.noise + c.noise) - 121.0
                best = max(best, min(o.signal_dbm for o in (a, b, c)) - noise)
    assert best - 0.5 <= chosen.worst_margin_db <= best + 1e-9
    with pytest.raises(ValueError, match="headroom"):
        gain.settings(branches, 5.0, -121.0, gain.Limits(3.0, 3.0, -90.0))
    with pytest.raises(ValueError, match="a, b, c keeps the limits"):
        gain.settings(branches, 5.0, -121.0, gain.Limits(30.0))


def example(**changes):
    document = {
        "format": "azven-chain", "version": 1, "name": "Rope Hall", "freq_hz": 600_000_000, "bandwidth_hz": 200_000,
        "zones": {"hall": {"antennas": ["ant1"], "model": "indoor", "n": 22}},
        "nodes": [
            {"id": "ant1", "type": "antenna", "pattern": "beam", "gain_dbi": 6.5, "beamwidth_deg": 100,
             "pos_m": [0, 0, 3], "aim_m": [0, 30, 1.5]},
            {"id": "mast1", "type": "amp", "gain_db": 9, "nf_db": 3, "oip3_dbm": 36, "p1db_out_dbm": 21,
             "load": {"ma": 90, "min_volt": 10}},
            {"id": "run1", "type": "cable", "cable": "lowloss-10mm", "length_m": 80, "ohm": 0.6},
            {"id": "bias1", "type": "dc", "loss_db": 0.2, "source": {"volt": 12, "max_ma": 300}},
            {"id": "rx", "type": "receiver", "nf_db": 8, "iip3_dbm": 5, "p1db_in_dbm": -5, "needed_db": 20},
        ],
        "edges": [["ant1", "mast1"], ["mast1", "run1"], {"from": "run1", "to": "bias1"}, ["bias1", "rx"]],
        "carriers": [{"id": "MC 1", "freq_hz": 600_250_000, "zone": "hall", "power_dbm": 17, "body_db": 10,
                      "pos_m": [3, 40, 1.5], "role": "wanted"}],
    }  # fmt: skip
    return document | changes


def test_a_design_is_read_solved_and_written_as_results():
    design = chain_format.read(example())
    results = as_json(design, solve_design(design))
    path = results["paths"][0]
    assert path["zone"] == "hall"
    assert path["excess_gain_db"] == pytest.approx(9 - 8.466 - 0.2, abs=0.01)
    assert path["snr_db"] > 20
    assert results["supply"]["ant1"]["volts"]["mast1"] == pytest.approx(12 - 0.6 * 0.09, abs=0.001)
    assert supplies(design)["ant1"].errors == ()


def with_nodes(node, *edges):
    """The example with one block more, perhaps joined."""
    base = example()
    return {"nodes": [*base["nodes"], node], "edges": [*base["edges"], *edges]}


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"version": 2}, "version: 2 is newer"),
        ({"nodes": [{"id": "x", "type": "magic"}]}, r"nodes\[0\].type"),
        ({"edges": [["ant1", "nowhere"]]}, r"edges\[0\]: names an unknown node 'nowhere'"),
        ({"edges": [["ant1", "mast1"], ["mast1", "run1"], ["run1", "mast1"]]}, "one input"),
        ({"edges": [["mast1", "run1"], ["run1", "bias1"], ["bias1", "mast1"], ["ant1", "rx"]]}, "a cycle"),
        ({"edges": [["ant1", "mast1"]]}, "receiver 'rx' is not reached"),
        ({"edges": [["ant1", "ant1"]]}, r"edges\[0\]: joins ant1 to itself"),
        ({"edges": [["ant1", "mast1"], ["ant1", "mast1"]]}, r"edges\[1\]: stands twice"),
        (with_nodes({"id": "rx", "type": "loss"}), r"nodes\[5\].id: 'rx' stands twice"),
        (with_nodes({"id": "x", "type": "cable", "cable": "string"}), "unknown class 'string'; known: rg58-5mm"),
        (with_nodes({"id": "x", "type": "split"}), r"nodes\[5\].nf_db: is needed"),
        (with_nodes({"id": "x", "type": "transmitter"}), r"nodes\[5\].power_dbm: is needed"),
        (with_nodes({"id": "x", "type": "filter", "gain_db": None}), "null is for amplifiers"),
        (with_nodes({"id": "x", "type": "antenna"}), "antenna 'x' is joined to nothing"),
        (with_nodes({"id": "x", "type": "loss", "side": "B"}, ["mast1", "x"]), "on side A to x on side B"),
        (with_nodes({"id": "x", "type": "loss"}, ["mast1", "x"]), "a amp has one output, 2 edges leave it"),
        ({"carriers": [{"id": "c", "freq_hz": 6, "zone": "hall", "level_dbm": 1, "also": {"attic": 3}}]}, "'attic'"),
        ({"zones": {"hall": {"antennas": ["ghost"]}}}, "unknown node 'ghost'"),
        ({"carriers": [{"id": "c", "freq_hz": 6, "zone": "attic", "level_dbm": 1}]}, "unknown zone 'attic'"),
        ({"carriers": [{"id": "c", "freq_hz": 6, "zone": "hall"}]}, "needs level_dbm"),
        ({"carriers": [{"id": "c", "freq_hz": 6, "zone": "hall", "power_dbm": 1}]}, "needs distance_m or pos_m"),
    ],
)
def test_designs_that_make_no_sense_are_refused_with_the_path(change, message):
    with pytest.raises(FormatError, match=message):
        chain_format.read(example(**change))


def test_a_combiner_takes_one_more_from_another_combiner_but_not_from_a_transmitter():
    def rack(inputs, ganged):
        nodes = [{"id": f"t{i}", "type": "transmitter", "power_dbm": 17.0} for i in range(4)]
        nodes += [{"id": n, "type": "combiner", "inputs": inputs} for n in ("outer", "inner")[: 1 + ganged]]
        nodes.append({"id": "sky", "type": "antenna"})
        edges = [[f"t{i}", "inner" if ganged and i > 1 else "outer"] for i in range(4)] + [["outer", "sky"]]
        return with_nodes(nodes[0], *edges, *([["inner", "outer"]] if ganged else [])) | {
            "nodes": [*example()["nodes"], *nodes]
        }

    sent = transmit_results(chain_format.read(example(**rack(2, True))))["sky"]
    assert len(sent.eirp_each_dbm) == 4
    with pytest.raises(FormatError, match="4 edges do not fit its 2 ports"):
        chain_format.read(example(**rack(2, False)))


def test_transmitters_combine_into_one_antenna():
    nodes = [{"id": f"t{i}", "type": "transmitter", "power_dbm": 17.0} for i in range(4)]
    nodes += [
        {"id": "comb", "type": "combiner", "inputs": 8, "gain_db": 0.0, "rated_in_dbm": 16.0, "p1db_out_dbm": 38.0,
         "oip3_dbm": 50.0},
        {"id": "run", "type": "cable", "cable": "lowloss-10mm", "length_m": 30},
        {"id": "sky", "type": "antenna", "gain_dbi": 9.0, "pos_m": [0, 5, 3]},
    ]  # fmt: skip
    base = example()
    edges = [*base["edges"], *([f"t{i}", "comb"] for i in range(4)), ["comb", "run"], ["run", "sky"]]
    design = chain_format.read(example(nodes=[*base["nodes"], *nodes], edges=edges))
    sent = transmit_results(design)["sky"]
    assert sent.eirp_each_dbm[0] == pytest.approx(17 - 3.2997 + 9, abs=0.01)
    assert len(sent.over_rating) == 4
    assert sent.blocking_margin_db is not None
    assert solve_design(design).paths[0].antenna == "ant1"


def test_a_crowd_two_metres_deep_is_met_from_everywhere():
    """Six samples along the path missed it more than half of the time."""
    crowd = [(-20.0, 10.0), (20.0, 10.0), (20.0, 12.0), (-20.0, 12.0)]
    behind = reach.grid((-5, 13), (5, 60), 0.5, 1.5)
    in_front = reach.grid((-5, 1), (5, 9), 0.5, 1.5)
    low = np.array([0.0, 0.0, 1.5])
    assert reach.through_crowd(behind, low, [crowd]).all()
    assert not reach.through_crowd(in_front, low, [crowd]).any()
    assert not reach.through_crowd(behind, np.array([0.0, 0.0, 60.0]), [crowd]).any()


@pytest.mark.parametrize("seed", range(6))
def test_what_a_crowd_hides_agrees_with_a_thousand_samples_of_the_path(seed):
    rng = np.random.default_rng(seed)
    corners = [tuple(c) for c in rng.uniform(-10, 10, (rng.integers(3, 7), 2)).tolist()]
    points = np.concatenate([rng.uniform(-15, 15, (200, 2)), np.full((200, 1), 1.1)], axis=1)
    antenna = np.array([*rng.uniform(-15, 15, 2), rng.uniform(1.0, 6.0)])
    t = np.linspace(0, 1, 1_001)
    way = points[:, None, :] + t[None, :, None] * (antenna - points)[:, None, :]
    sampled = (reach.inside(way[..., :2], corners) & (way[..., 2] <= reach.HEAD_M)).any(axis=1)
    found = reach.through_crowd(points, antenna, [corners])
    assert not np.any(sampled & ~found)
    assert np.count_nonzero(found & ~sampled) <= 6  # grazed between two samples
