"""Strong signals beside the band, filters before and behind amplifiers, in-ear racks with ganged combiners and caps."""

import pytest

from azven.book.regions import Rule
from azven.rf.chain.design import solve_design
from azven.rf.chain.outgoing import transmit_results
from azven.work import chain, ground, kit, listen
from azven.work.chain import templates, threats, troubles
from azven.work.chain.threats import BASE, RADIO
from azven.work.scope import opening as here


@pytest.fixture
def document(store):
    return templates.receive(store, here(store), "One", ground.zones(store, here(store))[:1])


def test_a_filter_takes_its_loss_from_a_threat_before_the_amplifier(document):
    for threat in (RADIO, BASE):
        at, behind = threats.behind_filter_dbm(document, "Rope Hall", threat, 3.0)
        assert at - behind == pytest.approx(40.0)
    near, far = (threats.behind_filter_dbm(document, "Rope Hall", RADIO, d)[0] for d in (3.0, 30.0))
    assert near - far == pytest.approx(20.0, abs=0.01)
    assert 0 <= near <= 15  # what a 5 W radio brings from 3 m into an antenna with gain


def test_a_filter_behind_the_amplifier_leaves_the_amplifier_alone_with_the_radio(document):
    as_it_is, up, behind, without = threats.sides(document)
    assert without.radio_headroom_db < behind.radio_headroom_db < as_it_is.radio_headroom_db - 5
    assert behind.headroom_db == pytest.approx(as_it_is.headroom_db, abs=1.5)
    assert up.name == "everything turned up"


def test_other_designs_stand_beside_this_one(store, document):
    assert [s.name for s in threats.others(store, here(store), document)] == [
        "Three rooms, one rack"
    ]  # ears receive nothing


def test_threats_come_from_this_venue_and_go_again(store, document):
    found = threats.threats(store, here(store), listen.picture(store, here(store)), chain.read(document))
    assert [t.name.split(" ")[0] for t in found] == [
        "hand-held", "mobile", "multiplex", "our", "wideband", "wideband", "wideband",
    ]  # fmt: skip
    loudest = next(t for t in found if t.level_dbm is not None)
    assert loudest.name == "multiplex on channel 31, as swept"
    assert -60 < loudest.level_dbm < -35
    keyed = threats.with_threat(document, "Rope Hall", loudest, 1.0)
    assert keyed["carriers"][-1]["level_dbm"] == pytest.approx(loudest.level_dbm, abs=0.01)
    assert threats.with_threat(keyed, "Rope Hall", RADIO, None) == document


def ears(store, count):
    link = next(x for x in kit.links(store, here(store)) if x.service == "in-ear")
    model = next(m for m in ground.models(store) if m.id == link.model_id)
    zone = ground.zones(store, here(store))[0]
    store.apply(kit.add_links(store, here(store), "More ears 1", count, model, model.bands[0][0], zone))
    return templates.ears(store, here(store))


def test_more_than_eight_in_ears_are_ganged_into_one_antenna(store):
    eight = transmit_results(chain.read(ears(store, 1)))["ear antenna"]
    many = chain.read(ears(store, 6))
    assert [n for n, b in many.blocks.items() if b.kind == "combiner"] == ["ear combiner", "ear combiner 2"]
    ganged = transmit_results(many)["ear antenna"]
    assert len(eight.eirp_each_dbm) == 8
    assert len(ganged.eirp_each_dbm) == 14
    assert ganged.eirp_each_dbm[0] == pytest.approx(eight.eirp_each_dbm[0])
    assert ganged.eirp_total_w == pytest.approx(14 / 8 * eight.eirp_total_w, rel=0.01)
    assert ganged.headroom_peak_db < eight.headroom_peak_db  # everything passes the first combiner
    assert ganged.icnirp_public_m > eight.icnirp_public_m


def test_an_inner_combiner_that_compresses_is_found(store):
    document = ears(store, 6)
    chain.node(document, "ear combiner 2")["p1db_out_dbm"] = 20.0
    sent = transmit_results(chain.read(document))["ear antenna"]
    assert sent.headroom_peak_db < 0


def test_radiated_power_is_held_against_the_cap(store):
    design = chain.read(templates.ears(store, here(store)))
    solved = solve_design(design)
    cap = Rule(low_hz=470_000_000, high_hz=694_000_000, kind="permitted", title="event radio", power_mw=50.0)
    texts = [t.text for t in troubles.warnings(design, solved, cap)]
    sent = transmit_results(design)["ear antenna"]
    erp_mw = 10 ** ((max(sent.eirp_each_dbm) - 2.15) / 10)
    assert any(f"sends {erp_mw:.0f} mW e.r.p. a carrier; 50 are allowed here (event radio)" in t for t in texts)
    roomy = Rule(low_hz=470_000_000, high_hz=694_000_000, kind="permitted", title="t", power_mw=250.0)
    assert not any("allowed here" in t.text for t in troubles.warnings(design, solved, roomy))


def test_a_receive_filter_keeps_our_own_in_ears_from_blocking(store):
    document = templates.both(store, here(store), ground.zones(store, here(store)))
    plain = transmit_results(chain.read(document))["ear antenna"]
    sent = [n["freq_hz"] for n in document["nodes"] if "freq_hz" in n]
    stop = {"low_hz": min(sent) - 5_000_000, "high_hz": max(sent) + 5_000_000, "loss_db": 30.0}
    chain.node(document, "Rope Hall filter")["stop"].append(stop)
    filtered = transmit_results(chain.read(document))["ear antenna"]
    assert filtered.blocking_margin_db - plain.blocking_margin_db == pytest.approx(29.0, abs=0.5)
