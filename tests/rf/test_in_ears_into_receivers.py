"""What in-ear transmitters bring to receive antennas: the worst-coupled pair, each at its own frequency."""

import copy
import math

import pytest

from azven.book.formats import chain as chain_format
from azven.rf.chain import transmit
from azven.rf.chain.outgoing import transmit_results

STOP = [{"low_hz": 500_000_000, "high_hz": 550_000_000, "loss_db": 30.0}]
BEAM = {"type": "antenna", "pattern": "beam", "gain_dbi": 6.5, "beamwidth_deg": 100.0}
DESIGN = {
    "format": "azven-chain", "version": 1, "name": "rack", "freq_hz": 600_000_000, "bandwidth_hz": 200_000,
    "zones": {"hall": {"antennas": ["near", "far"]}},
    "nodes": [
        {"id": "low", "type": "transmitter", "power_dbm": 17.0, "freq_hz": 520_000_000},
        {"id": "high", "type": "transmitter", "power_dbm": 17.0, "freq_hz": 900_000_000},
        {"id": "combiner", "type": "combiner", "inputs": 8, "gain_db": 0.0},
        {"id": "run", "type": "cable", "cable": "rg58-5mm", "length_m": 30.0, "connectors": 0},
        {"id": "ears", **BEAM, "pos_m": [0, 0, 3], "aim_m": [0, 10, 3]},
        {"id": "near", **BEAM, "pos_m": [0, -2, 3], "aim_m": [0, -12, 3]},
        {"id": "far", **BEAM, "pos_m": [0, 8, 3], "aim_m": [0, 0, 3]},
        {"id": "filter", "type": "filter", "loss_db": 1.0, "stop": STOP},
        {"id": "join", "type": "hybrid", "ports": 2},
        {"id": "rx", "type": "receiver", "nf_db": 8.0, "p1db_in_dbm": -5.0},
    ],
    "edges": [["low", "combiner"], ["high", "combiner"], ["combiner", "run"], ["run", "ears"], ["near", "join"],
              ["far", "filter"], ["filter", "join"], ["join", "rx"]],
    "carriers": [],
}  # fmt: skip


def sent(**nodes):
    document = copy.deepcopy(DESIGN)
    for node in document["nodes"]:
        node.update(nodes.get(node["id"], {}))
    return transmit_results(chain_format.read(document))["ears"]


def free(metres, mhz):
    return 32.448 + 20 * math.log10(mhz * metres / 1000)


def test_each_transmitter_passes_the_cable_at_its_own_frequency():
    low, high = sent().antenna_each_dbm
    assert low - high == pytest.approx(((1.6 * 30.0 + 0.0066 * 900) - (1.6 * 22.804 + 0.0066 * 520)) * 0.3, abs=0.01)


def test_the_worst_coupled_antenna_counts_not_the_nearest():
    """2 m back to back gives −17 − 32.8 dB, 8 m face to face +13 − 44.8 at 520 MHz: 18 dB more."""
    low, high = sent().antenna_each_dbm
    face = 13.0 - free(8, 900)
    at_receiver = high + face - 1.0 - 3.01
    margin = -15.0 - 10 * math.log10(10 ** (at_receiver / 10) + 10 ** ((low + 13.0 - free(8, 520) - 30.0 - 3.01) / 10))
    assert sent().blocking_margin_db == pytest.approx(margin, abs=0.05)
    assert sent(far={"aim_m": [0, 20, 3]}).blocking_margin_db > margin + 7


def test_polarisation_counts_and_the_turn_that_loses_less():
    straight = sent().blocking_margin_db
    assert sent(far={"psi_deg": 90.0}).blocking_margin_db > straight + 3
    same = sent(ears={"psi_deg": 45.0}, far={"psi_deg": -45.0})  # face to face they are turned alike
    assert same.blocking_margin_db == pytest.approx(straight, abs=0.01)


def test_exposure_is_added_up_at_each_frequency():
    low, high = (10 ** (p / 10) / 1e3 for p in sent().eirp_each_dbm)
    assert sent().icnirp_public_m == pytest.approx(
        transmit.keep_away_m([(520e6, low), (900e6, high)], "icnirp2020", "public")
    )


def test_nought_dbm_is_a_level_and_no_transmitter_is_an_error():
    combiner = transmit.Combiner(active=True, inputs=8, p1db_out_dbm=20.0)
    found = transmit.combine(600e6, {"a": 0.0}, combiner, 0.0)
    assert (found.eirp_total_dbm, found.output_average_dbm, found.output_peak_dbm) == (0.0, 0.0, 0.0)
    assert found.eirp_total_w == pytest.approx(1e-3)
    assert found.headroom_peak_db == 20.0
    with pytest.raises(ValueError, match="nothing transmits"):
        transmit.combine(600e6, {}, combiner, 0.0)
