"""What holds for every chain; the shared vectors are in `tests/work/test_calc.py`."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf.chain import transmit
from azven.rf.chain.blocks import Block, coax_db
from azven.rf.chain.graph import System, solve
from azven.work.calc import answer

AMP = {"type": "amp", "name": "amp", "gain_db": 12.0, "nf_db": 3.0, "oip3_dbm": 36.0, "p1db_out_dbm": 21.0}
RX = {"type": "receiver", "name": "rx", "nf_db": 8.0, "iip3_dbm": 5.0, "p1db_in_dbm": -5.0}
HEAD = {"freq_hz": 600_000_000, "bandwidth_hz": 200_000}


def result(kind, **given):
    (found,) = answer({"cases": [{"id": "x", "kind": kind, "input": HEAD | given}]})["results"]
    return found["output"]


def of(*stages, level=-40.0):
    return result("cascade", stages=list(stages), carriers=[{"id": "c", "level_dbm": level}], wanted_dbm=-90.0)


def pad(loss, name="pad"):
    return {"type": "loss", "name": name, "loss_db": loss}


@given(st.floats(0.1, 30.0))
def test_a_loss_in_front_raises_the_noise_figure_by_itself(loss):
    assert of(pad(loss), AMP, RX)["nf_db"] == pytest.approx(of(AMP, RX)["nf_db"] + loss, abs=1e-6)


@given(st.floats(1.0, 20.0))
def test_order_matters(loss):
    assert of(AMP, pad(loss), RX)["nf_db"] < of(pad(loss), AMP, RX)["nf_db"]


@given(st.floats(0.0, 10.0), st.floats(0.1, 5.0))
def test_headroom_falls_decibel_for_decibel_with_gain_in_front(gain, more):
    hot, hotter = (of({**AMP, "gain_db": g, "oip3_dbm": 99.0, "p1db_out_dbm": 99.0}, RX) for g in (gain, gain + more))
    assert hot["headroom_db"] - hotter["headroom_db"] == pytest.approx(more, abs=1e-6)


@pytest.mark.parametrize("n", [2, 3, 4, 8])
def test_equal_passive_branches_lose_what_the_formula_says_and_no_more_noise(n):
    branches = [{"name": f"b{i}", "stages": [pad(0.0, "lead")], "wanted_dbm": -80.0} for i in range(n)]
    found = result("combine", branches=branches, combiner={"ports": n, "excess_db": 0.0}, after=[RX])["branches"][0]
    assert found["excess_gain_db"] == pytest.approx(-10 * np.log10(n))
    assert found["penalty_db"] == pytest.approx(0.0, abs=1e-9)


def test_a_cycle_is_refused():
    blocks = {n: Block(id=n, kind="loss") for n in "ab"}
    with pytest.raises(ValueError, match="cycle through a, b"):
        solve(System(blocks=blocks, edges=(("a", "b"), ("b", "a")), freq_hz=600e6, bandwidth_hz=200e3))


def test_unknown_cables_are_refused():
    with pytest.raises(ValueError, match="unknown class 'string'"):
        coax_db(600e6, 10, "string")


@pytest.mark.parametrize("wrong", [(1e6, "fcc", "public"), (6e8, "none", "public"), (6e8, "fcc", "pets")])
def test_limits_that_are_not_held_are_refused(wrong):
    with pytest.raises(ValueError, match=r"level|standard|group"):
        transmit.reference_level_w_m2(*wrong)
