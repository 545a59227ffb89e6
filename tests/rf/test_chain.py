"""Chains against the shared vectors, and what holds for every chain."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf import levels
from azven.rf.chain import composite, dc, gain, transmit
from azven.rf.chain.blocks import Block, Stop, coax_db
from azven.rf.chain.graph import Signal, System, path_result, receiver_result, solve
from vectors import load

CHAIN = load("chain.json")


def cases(kind):
    return [pytest.param(c["input"], c["expect"], id=c["id"]) for c in CHAIN["cases"] if c["kind"] == kind]


def block(given, name=None):
    fields = {k: v for k, v in given.items() if k not in ("type", "name", "stop", "steps_db")}
    stop = tuple(Stop(**s) for s in given.get("stop", ()))
    return Block(
        id=name or given["name"], kind=given["type"], stop=stop, steps_db=tuple(given.get("steps_db", ())), **fields
    )


def chain(branches, combiner=None, after=(), **head):
    """A system of branches (name, stages, carriers, wanted) into a combiner, as the vectors describe it."""
    blocks, edges, signals, wanted, ends = {}, [], [], {}, []
    for name, stages, carriers, weakest in branches:
        antenna = last = f"{name}/antenna"
        blocks[antenna] = Block(id=antenna, kind="antenna")
        for stage in stages:
            here = f"{name}/{stage['name']}" if combiner else stage["name"]
            blocks[here] = block(stage, here)
            edges.append((last, here))
            last = here
        signals += [
            Signal(
                id=f"{name}:{c['id']}",
                antenna=antenna,
                freq_hz=c.get("freq_hz", head["freq_hz"]),
                level_dbm=c["level_dbm"],
                crest_db=c.get("crest_db", 0),
            )
            for c in carriers
        ]
        if weakest is not None:
            wanted[antenna] = weakest
        ends.append(last)
    if combiner:
        blocks["combiner"] = Block(id="combiner", kind="hybrid", **combiner)
        edges += [(end, "combiner") for end in ends]
        last = "combiner"
        for stage in after:
            blocks[stage["name"]] = block(stage)
            edges.append((last, stage["name"]))
            last = stage["name"]
    return System(
        blocks=blocks,
        edges=tuple(edges),
        freq_hz=head["freq_hz"],
        bandwidth_hz=head["bandwidth_hz"],
        signals=tuple(signals),
        fa_db=head.get("fa_db", 0.0),
        wanted_dbm=wanted,
    ), last


def near(found, wanted):
    return found is None if wanted is None else found == pytest.approx(wanted, abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("coax"))
def test_coax(given, expect):
    if "error" in expect:
        with pytest.raises(ValueError, match="length"):
            coax_db(**given)
    else:
        assert coax_db(**given) == pytest.approx(expect["loss_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("thermal") + cases("external_noise"))
def test_noise(given, expect):
    if "noise_dbm" in expect:
        assert levels.thermal_noise_dbm(given["bandwidth_hz"]) == pytest.approx(expect["noise_dbm"], abs=0.01)
    else:
        assert levels.man_made_noise_db(given["freq_hz"]) == pytest.approx(expect["fa_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("composite"))
def test_composite(given, expect):
    assert composite.average_dbm(given["levels_dbm"]) == pytest.approx(expect["average_dbm"], abs=0.01)
    assert composite.peak_dbm(**given) == pytest.approx(expect["peak_dbm"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("cascade"))
def test_cascade(given, expect):
    head = {k: given[k] for k in ("freq_hz", "bandwidth_hz", "fa_db") if k in given}
    stages = given["stages"]
    system, last = chain([("x", stages, given.get("carriers", ()), given.get("wanted_dbm"))], **head)
    joints = solve(system)
    if "error" in expect:
        with pytest.raises(ValueError, match="nothing follows"):
            path_result(system, joints, "x/antenna", last)
        return
    for stage in expect.get("stages", ()):
        joint = joints[stage["name"]]
        assert near(joint.gain_before_db["x/antenna"], stage["gain_before_db"])
        for key in ("average_in_dbm", "peak_in_dbm", "headroom_average_db", "headroom_peak_db"):
            assert near(getattr(joint, key), stage[key]), (stage["name"], key)
    path, end = path_result(system, joints, "x/antenna", last), receiver_result(system, joints, last)
    for key in ("snr_db", "nf_db", "iip3_dbm", "noise_in_dbm", "sfdr_db"):
        assert key not in expect or near(getattr(path, key), expect[key]), key
    assert near(path.excess_gain_db, expect["gain_db"])
    if not stages or stages[-1]["type"] != "receiver":
        return
    for key in ("excess_gain_db", "snr_loss_db", "level_at_receiver_dbm"):
        assert near(getattr(path, key), expect[key]), key
    assert path.gain_flag == expect["gain_flag"]
    for key in ("noise_at_receiver_dbm", "noise_rise_db", "headroom_db"):
        assert near(getattr(end, key), expect[key]), key
    assert end.limiting_stage == expect["limiting_stage"]


@pytest.mark.parametrize(("given", "expect"), cases("combine"))
def test_combine(given, expect):
    head = {k: given[k] for k in ("freq_hz", "bandwidth_hz", "fa_db") if k in given}
    branches = [(b["name"], b["stages"], b.get("carriers", ()), b.get("wanted_dbm")) for b in given["branches"]]
    system, last = chain(branches, given["combiner"], given["after"], **head)
    if "error" in expect:
        with pytest.raises(ValueError, match="ports"):
            solve(system)
        return
    joints = solve(system)
    assert near(-system.blocks["combiner"].gain_at(head["freq_hz"]), expect["combiner_loss_db"])
    for branch in expect["branches"]:
        found = path_result(system, joints, f"{branch['name']}/antenna", last)
        for key in ("excess_gain_db", "level_at_receiver_dbm", "snr_db", "snr_alone_db", "penalty_db", "iip3_dbm"):
            assert near(getattr(found, key), branch[key]), (branch["name"], key)
        assert found.gain_flag == branch["gain_flag"]
        assert near(found.headroom_db, branch["branch_headroom_db"])
        assert found.limiting_stage == branch["branch_limiting_stage"]
    end = receiver_result(system, joints, last)
    for key in ("noise_at_receiver_dbm", "noise_rise_db", "headroom_db"):
        assert near(getattr(end, key), expect[key]), key
    assert near(end.average_dbm, expect["combined_average_dbm"])
    assert near(end.peak_dbm, expect["combined_peak_dbm"])
    assert end.limiting_stage == expect["limiting_stage"]


AMP = {"type": "amp", "name": "amp", "gain_db": 12.0, "nf_db": 3.0, "oip3_dbm": 36.0, "p1db_out_dbm": 21.0}
RX = {"type": "receiver", "name": "rx", "nf_db": 8.0, "iip3_dbm": 5.0, "p1db_in_dbm": -5.0}
HEAD = {"freq_hz": 600_000_000, "bandwidth_hz": 200_000}


def of(*stages, level=-40.0):
    system, last = chain([("x", stages, [{"id": "c", "level_dbm": level}], -90.0)], **HEAD)
    joints = solve(system)
    return path_result(system, joints, "x/antenna", last), receiver_result(system, joints, last)


def pad(loss, name="pad"):
    return {"type": "loss", "name": name, "loss_db": loss}


@given(st.floats(0.1, 30.0))
def test_a_loss_in_front_raises_the_noise_figure_by_itself(loss):
    assert of(pad(loss), AMP, RX)[0].nf_db == pytest.approx(of(AMP, RX)[0].nf_db + loss, abs=1e-6)


@given(st.floats(1.0, 20.0))
def test_order_matters(loss):
    assert of(AMP, pad(loss), RX)[0].nf_db < of(pad(loss), AMP, RX)[0].nf_db


@given(st.floats(0.0, 10.0), st.floats(0.1, 5.0))
def test_headroom_falls_decibel_for_decibel_with_gain_in_front(gain, more):
    hot, hotter = (of({**AMP, "gain_db": g, "oip3_dbm": 99.0, "p1db_out_dbm": 99.0}, RX) for g in (gain, gain + more))
    assert hot[1].headroom_db - hotter[1].headroom_db == pytest.approx(more, abs=1e-6)


@pytest.mark.parametrize("n", [2, 3, 4, 8])
def test_equal_passive_branches_lose_what_the_formula_says_and_no_more_noise(n):
    branches = [(f"b{i}", [pad(0.0, "lead")], [], -80.0) for i in range(n)]
    system, last = chain(branches, {"ports": n, "excess_db": 0.0}, [RX], **HEAD)
    found = path_result(system, solve(system), "b0/antenna", last)
    assert found.excess_gain_db == pytest.approx(-10 * levels.np.log10(n))
    assert found.penalty_db == pytest.approx(0.0, abs=1e-9)


def test_a_cycle_is_refused():
    blocks = {n: Block(id=n, kind="loss") for n in "ab"}
    with pytest.raises(ValueError, match="cycle through a, b"):
        solve(System(blocks=blocks, edges=(("a", "b"), ("b", "a")), freq_hz=600e6, bandwidth_hz=200e3))


def test_unknown_cables_are_refused():
    with pytest.raises(ValueError, match="unknown class 'string'"):
        coax_db(600e6, 10, "string")


@pytest.mark.parametrize(("given", "expect"), cases("gain_step"))
def test_gain_step(given, expect):
    found = gain.largest_step(**given)
    assert found.step_db == expect["step_db"]
    assert found.residual_db == pytest.approx(expect["residual_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("gain_plan"))
def test_gain_by_the_step_rule(given, expect):
    line = [block(s) for s in given["stages"]]
    found = {c.name: c for c in gain.by_step_rule(line, given["freq_hz"])}
    for wanted in expect["amplifiers"]:
        assert found[wanted["name"]].step_db == wanted["step_db"]
        assert found[wanted["name"]].loss_behind_db == pytest.approx(wanted["loss_behind_db"], abs=0.01)
    set_so = [b.with_gain(found[b.id].step_db) if b.id in found else b for b in line]
    excess = sum(b.gain_at(given["freq_hz"]) for b in set_so)
    assert excess == pytest.approx(expect["excess_gain_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("dc_feed"))
def test_supply_over_coax(given, expect):
    line = [
        dc.Device(
            n["name"], n["dc"], n.get("ohm", 0.0), dc.Load(**n["load"]) if "load" in n else None,
            dc.Source(**n["source"]) if "source" in n else None,
        )
        for n in given["nodes"]
    ]  # fmt: skip
    found = dc.feed(line)
    assert [{"node": n, "code": c} for n, c in found.errors] == expect["errors"]
    assert found.volts == pytest.approx(expect["volts"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("iem"))
def test_in_ear_transmitters(given, expect):
    c = given["combiner"]
    combiner = transmit.Combiner(
        active=c["kind"] == "active", inputs=c.get("inputs", c.get("ports")),
        **{k: v for k, v in c.items() if k not in ("kind", "inputs", "ports")},
    )  # fmt: skip
    cable = coax_db(given["freq_hz"], **given["cable"]) if "cable" in given else 0.0
    nearby = transmit.Nearby(**given["receive_antenna"]) if "receive_antenna" in given else None

    def found():
        powers = {t["id"]: t["power_dbm"] for t in given["transmitters"]}
        lead = given.get("input_loss_db", 0.0)
        return transmit.combine(given["freq_hz"], powers, combiner, given["antenna_gain_dbi"], cable, lead, nearby)

    if "error" in expect:
        with pytest.raises(ValueError, match="ports"):
            found()
        return
    result = found()
    for key, wanted in expect.items():
        value = getattr(result, key)
        if key == "over_rating":
            assert list(value) == wanted
        elif key.endswith("_w"):
            assert value == pytest.approx(wanted, rel=0.003)
        elif key.endswith("_m"):
            assert value == pytest.approx(wanted, abs=0.001)
        else:
            assert near(list(value) if isinstance(value, tuple) else value, wanted), key


@pytest.mark.parametrize(("given", "expect"), cases("exposure"))
def test_keep_away_distance(given, expect):
    assert transmit.keep_away_m(**given) == pytest.approx(expect["distance_m"], abs=0.001)


@pytest.mark.parametrize(("given", "expect"), cases("s_ref"))
def test_reference_levels(given, expect):
    assert transmit.reference_level_w_m2(**given) == pytest.approx(expect["s_w_m2"], rel=0.003)


@pytest.mark.parametrize("wrong", [(1e6, "fcc", "public"), (6e8, "none", "public"), (6e8, "fcc", "pets")])
def test_limits_that_are_not_held_are_refused(wrong):
    with pytest.raises(ValueError, match=r"level|standard|group"):
        transmit.reference_level_w_m2(*wrong)
