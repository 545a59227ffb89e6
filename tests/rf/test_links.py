"""Links and levels of products against the shared vectors."""

from dataclasses import replace

import numpy as np
import pytest

from azven.rf import imlevels, links
from azven.rf.links import End, Medium
from vectors import load

LINKS, CHAIN = load("links.json"), load("chain.json")


def cases(kind, file=LINKS):
    return [pytest.param(c["input"], c["expect"], id=c["id"]) for c in file["cases"] if c["kind"] == kind]


def medium(given):
    return Medium(given.get("model", "free"), given.get("n", 20.0), tuple(given.get("obstacles_db", ())))


def end(given):
    kind = given.get("kind") or ("beam" if "beamwidth_deg" in given else "fixed")
    points = {k: tuple(given[k]) for k in ("pos_m", "aim_m") if k in given}
    return End(**{**given, **points, "kind": kind})


@pytest.mark.parametrize(("given", "expect"), cases("path"))
def test_path(given, expect):
    def found():
        return links.path_db(given["freq_hz"], given["distance_m"], medium(given), given.get("touching", False))

    if "error" in expect:
        with pytest.raises(ValueError, match="negative"):
            found()
    else:
        assert found() == pytest.approx(expect["path_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("polarisation"))
def test_polarisation(given, expect):
    assert links.polarisation_db(**given) == pytest.approx(expect["loss_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("outage"))
def test_outage(given, expect):
    assert links.outage(given["margins_db"]) == pytest.approx(expect["outage"], rel=1e-3)


@pytest.mark.parametrize(("given", "expect"), cases("field"))
def test_field(given, expect):
    assert links.field_to_dbm(**given) == pytest.approx(expect["power_dbm"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("link"))
def test_link(given, expect):
    found = links.budget(
        given["freq_hz"], end(given["tx"]), end(given["rx"]), given.get("distance_m"), medium(given)
    )  # fmt: skip
    for key in ("distance_m", "path_db", "polarisation_db", "rx_gain_dbi", "level_dbm"):
        assert getattr(found, key) == pytest.approx(expect[key], abs=0.01 if key != "distance_m" else 1e-3), key
    assert found.angle_deg == pytest.approx(expect["angle_deg"], abs=0.05)
    if "threshold_dbm" in given:
        margin = found.level_dbm - given["threshold_dbm"]
        assert margin == pytest.approx(expect["margin_db"], abs=0.01)
        assert links.outage([margin]) == pytest.approx(expect["outage_1"], rel=1e-3)
        assert links.outage([margin, margin]) == pytest.approx(expect["outage_2"], rel=1e-3)


@pytest.mark.parametrize(("given", "expect"), cases("coupling"))
def test_coupling(given, expect):
    assert links.coupling_db(**given) == pytest.approx(expect["coupling_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("im_transmitter"))
def test_product_made_in_a_transmitter(given, expect):
    loss = {"conversion_loss_db": given["conversion_loss_db"]} if "conversion_loss_db" in given else {}
    found = imlevels.in_transmitter_dbm(given["kind"], given["p_host"], tuple(given["incoming_dbm"]), **loss)
    there = found - given.get("path_host_db", 0.0)
    assert found == pytest.approx(expect["product_dbm"], abs=0.01)
    assert there == pytest.approx(expect["at_receiver_dbm"], abs=0.01)
    if "victim_dbm" in given:
        assert given["victim_dbm"] - there == pytest.approx(expect["c_i_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("im_receiver", CHAIN))
def test_product_made_in_a_receiver(given, expect):
    found = imlevels.in_receiver_dbm(given["iip3_dbm"], given["pa"], given["pb"], given.get("pc"))
    assert found == pytest.approx(expect["product_dbm"], abs=0.01)
    assert given["victim_dbm"] - found == pytest.approx(expect["c_i_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("im_link"))
def test_product_over_whole_links(given, expect):
    gain = given.get("chain_gain_db", 0.0)

    def level(entry):
        return links.budget(given["freq_hz"], end(entry["tx"]), end(entry["rx"]), entry["distance_m"]).level_dbm + gain

    heard = [level(source) for source in given["sources"]]
    product = imlevels.in_receiver_dbm(given["iip3_dbm"], *heard)
    assert heard == pytest.approx(expect["levels_dbm"], abs=0.01)
    assert product == pytest.approx(expect["product_dbm"], abs=0.01)
    assert level(given["victim"]) - product == pytest.approx(expect["c_i_db"], abs=0.01)


def test_a_link_without_any_distance_is_refused():
    with pytest.raises(ValueError, match="a distance, or a position of both"):
        links.budget(600e6, End(), End())


def test_links_are_reciprocal():
    a = End(gain_dbi=6.5, kind="beam", beamwidth_deg=100, pos_m=(0, 0, 3), aim_m=(0, 20, 1.5), psi_deg=45)
    b = End(gain_dbi=2.15, kind="fixed", pos_m=(6, 12, 1.5), body_db=10)
    forward = links.budget(600e6, replace(b, power_dbm=17), a).level_dbm
    back = links.budget(600e6, replace(a, power_dbm=17, gain_dbi=a.gain_at(links.angle_at(a, b.pos_m))), b).level_dbm
    assert forward == pytest.approx(back, abs=1e-9)


def test_mesh():
    wave = links.SPEED_OF_LIGHT_M_S / 600e6
    assert links.mesh_db(600e6, wave / 10, 0.001) == pytest.approx(9, abs=2)
    assert links.mesh_db(600e6, wave / 30, 0.0005) == pytest.approx(19, abs=3)
    assert links.mesh_db(600e6, wave / 2, 0.001) == 0
    assert np.all(np.diff([links.mesh_db(600e6, a, 0.0005) for a in (0.01, 0.02, 0.05, 0.1)]) < 0)


@pytest.mark.parametrize("wrong", [("2h-x", (1.0, 2.0)), ("h+x-y", (1.0,)), ("3h-2x", (1.0,))])
def test_products_of_unknown_form_are_refused(wrong):
    with pytest.raises(ValueError, match="kind must be"):
        imlevels.in_transmitter_dbm(wrong[0], 17.0, wrong[1])
