"""What could be done with a block: cables, filters, amplifiers, antennas, powers; each tried, each undone."""

import pytest

from azven.rf.chain.design import solve_design
from azven.work import chain, ground
from azven.work.chain import edits, templates
from azven.work.reasons import chain as reasons_chain
from azven.work.scope import opening as here


@pytest.fixture
def design(store):
    store.apply(
        chain.add_design(
            store,
            here(store),
            templates.receive(store, here(store), "One", ground.zones(store, here(store))[:1]),
        )
    )
    return chain.designs(store, here(store))[-1]


def take(store, record, name, title):
    """Carry an option out; the design before and after."""
    option = next(o for o in edits.options(record, name) if o.title.startswith(title))
    landed = store.apply(option.edit())
    return option, next(d for d in chain.designs(store, here(store)) if d.id == record.id), landed


def test_a_thicker_cable_says_what_it_buys(store, design):
    option, after, landed = take(store, design, "Rope Hall cable", "15 mm")
    assert "weakest link over noise" in option.effect
    assert chain.node(chain.document_of(after), "Rope Hall cable")["cable"] == "lowloss-15mm"
    store.apply(landed.inverse())
    again = next(d for d in chain.designs(store, here(store)) if d.id == design.id)
    assert chain.document_of(again) == chain.document_of(design)


def test_a_filter_goes_out_and_comes_back(store, design):
    _, without, _ = take(store, design, "Rope Hall filter", "Take it out")
    names = [n["id"] for n in chain.document_of(without)["nodes"]]
    assert "Rope Hall filter" not in names
    option, back, _ = take(store, without, "Rope Hall antenna", "Put a filter behind it")
    kinds = [s.kind for s in chain.staircase(*_solved(back), "Rope Hall antenna")]
    assert kinds[:3] == ["antenna", "filter", "amp"]
    assert "dB" in option.effect


def _solved(record):
    read = chain.read(chain.document_of(record))
    return read, solve_design(read)


def test_an_amplifier_is_left_out_put_in_and_filtered(store, design):
    _, out, _ = take(store, design, "Rope Hall mast", "Leave it out")
    assert chain.node(chain.document_of(out), "Rope Hall mast")["gain_db"] is None
    _, put, _ = take(store, out, "Rope Hall mast", "Put it in")
    assert chain.node(chain.document_of(put), "Rope Hall mast")["gain_db"] == 0
    assert not [o for o in edits.options(put, "Rope Hall mast") if "filter" in o.title]


def test_other_antennas_are_offered_but_not_the_one_that_stands(store, design):
    titles = [o.title for o in edits.options(design, "Rope Hall antenna")]
    assert "Omni, 2.15 dBi instead" in titles
    assert not [t for t in titles if t.startswith("Log-periodic")]
    _, helical, _ = take(store, design, "Rope Hall antenna", "Helical")
    assert chain.node(chain.document_of(helical), "Rope Hall antenna")["polarisation"] == "rhcp"


def test_powers_of_in_ears_and_the_whole_rack_in_reasons(store):
    rack = next(d for d in chain.designs(store, here(store)) if d.name == "In-ear rack")
    option, after, _ = take(store, rack, "Brass ear 1 out", "Send with 25 mW")
    assert chain.node(chain.document_of(after), "Brass ear 1 out")["power_dbm"] == 14.0
    rows = dict(reasons_chain.for_system(*_solved(after)).arithmetic)
    assert rows["ear antenna: EIRP in all"].endswith(" W")
    assert option.effect.startswith("sent in all, EIRP")
