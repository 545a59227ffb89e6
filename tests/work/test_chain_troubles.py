"""Every warning an antenna system can give, with its number and its remedy."""

import pytest

from azven.rf.chain.design import solve_design
from azven.work import chain, ground
from azven.work.chain import templates
from azven.work.chain import troubles as chain_troubles
from azven.work.scope import opening as here


def troubles(document):
    design = chain.read(document)
    return {t.text: t.remedy for t in chain_troubles.warnings(design, solve_design(design))}


@pytest.fixture
def receive(store):
    return templates.receive(store, here(store), "One", ground.zones(store, here(store))[:1])


@pytest.fixture
def rack(store):
    return templates.ears(store, here(store))


def test_a_sound_design_has_no_troubles(receive):
    assert troubles(receive) == {}


def test_a_long_thin_cable_without_an_amplifier_starves_the_weakest_link(receive):
    chain.node(receive, "Rope Hall cable").update(cable="rg58-5mm", length_m=150)
    chain.node(receive, "Rope Hall mast")["gain_db"] = None
    found = {t: r for t, r in troubles(receive).items() if "over noise, 20 needed" in t}
    assert list(found.values()) == ["A thicker cable, an amplifier at the antenna, or the antenna closer."]


def test_an_amplifier_without_supply_is_named(receive):
    chain.node(receive, "Rope Hall supply").pop("source")
    assert any("Rope Hall mast" in text for text in troubles(receive))


def test_three_transmitters_on_antennas_of_their_own_are_due_for_a_combiner(rack):
    joined = {"ear combiner", "ear cable", "ear antenna"}
    rack["nodes"] = [n for n in rack["nodes"] if n["id"] not in joined][:3]
    rack["edges"] = []
    (text,) = troubles(rack)
    assert text == "3 transmitters in one rack, each on its own antenna."


def test_ratings_and_compression_of_a_combiner(rack):
    chain.node(rack, "ear combiner").update(rated_in_dbm=15.0, p1db_out_dbm=20.0)
    found = troubles(rack)
    assert sum("more into the combiner than it is rated for" in t for t in found) == 7
    (compressed,) = [t for t in found if "compresses by" in t]
    assert found[compressed] == "Fewer transmitters on it, or less power."


def test_ears_face_to_face_with_the_receive_antenna_block_it(store):
    document = templates.both(store, here(store), ground.zones(store, here(store)))
    ear, mic = chain.node(document, "ear antenna"), chain.node(document, "Rope Hall antenna")
    for node, at, there in ((ear, [0, 2, 3], [0, 0, 3]), (mic, [0, 0, 3], [0, 2, 3])):
        node.update(pos_m=at, aim_m=there)
    assert any(t.startswith("It blocks receivers by") for t in troubles(document))
    ear.pop("pos_m")
    assert any("How far it stands from the receive antennas is not known" in t for t in troubles(document))


def test_keep_away_distances_are_cautions(rack):
    (line,) = chain_troubles.keep_away(chain.read(rack))
    assert "keep away" in line
    assert line.endswith("the local code decides.")
    for node in rack["nodes"]:
        if node["type"] == "transmitter":
            node["power_dbm"] = -10.0
    assert "under 10 cm" in chain_troubles.keep_away(chain.read(rack))[0]
