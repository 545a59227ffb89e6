"""Supply over coax of a whole system: joined stretches through combiners, and shorts that hide nothing."""

import pytest

from azven.rf.chain.dc import Device, Load, Source, feed


def pair(joint="pass", max_ma=150.0, **more):
    """Two mast-head amplifiers of 90 mA over a combiner that passes DC, on one supply."""
    devices = [
        Device("mast 1", load=Load(90, 10.0)), Device("run 1", "pass", ohm=2.0),
        Device("mast 2", load=Load(90, 10.0)), Device("run 2", "pass", ohm=4.0),
        Device("join", joint), Device("tail", "pass", ohm=1.0), Device("supply", source=Source(12.0, max_ma)),
    ]  # fmt: skip
    edges = [("mast 1", "run 1"), ("run 1", "join"), ("mast 2", "run 2"), ("run 2", "join"), ("join", "tail"),
             ("tail", "supply")]  # fmt: skip
    known = {d.name: d for d in devices} | more
    return feed(known, edges)


def test_two_loads_through_one_combiner_are_added_up():
    """On 150 mA they were each told to be well supplied."""
    assert pair().errors == (("supply", "dc-overload"),)
    found = pair(max_ma=200.0)
    assert found.errors == ()
    assert found.volts == pytest.approx({"mast 1": 12 - 0.18 - 0.18, "mast 2": 12 - 0.18 - 0.36})


def test_a_combiner_that_blocks_leaves_both_without_supply():
    assert pair(joint="block").errors == (("mast 1", "dc-missing"), ("mast 2", "dc-missing"))


def test_a_short_hides_no_other_finding():
    shorted = pair(**{"run 2": Device("run 2", "short")})
    assert ("run 2", "dc-short") in shorted.errors
    assert ("mast 2", "dc-missing") in shorted.errors
    everything = pair(max_ma=50.0, **{"join": Device("join", "pass"), "mast 2": Device("mast 2", "short",
                                                                                     load=Load(90, 10.0))})  # fmt: skip
    assert {code for _, code in everything.errors} == {"dc-short", "dc-overload"}


def test_two_supplies_over_one_combiner_are_a_conflict():
    second = pair(max_ma=300.0, **{"run 1": Device("run 1", "pass", source=Source(12.0, 300.0))})
    assert {n for n, code in second.errors if code == "dc-conflict"} == {"run 1", "supply"}


def test_a_ring_of_things_that_pass_ends():
    devices = {n: Device(n, "pass", ohm=1.0) for n in "abcd"}
    devices["load"] = Device("load", load=Load(100, 11.9))
    devices["supply"] = Device("supply", source=Source(12.0, 200.0))
    edges = [("load", "a"), ("a", "b"), ("a", "c"), ("b", "d"), ("c", "d"), ("d", "supply")]
    found = feed(devices, edges)
    assert found.volts["load"] == pytest.approx(12.0 - 0.3)
    assert found.errors == (("load", "dc-low"),)


def test_a_supply_with_several_ports_adds_up_what_all_of_them_ask():
    devices = {
        "mast 1": Device("mast 1", load=Load(90, 10.0)), "mast 2": Device("mast 2", load=Load(90, 10.0)),
        "rack": Device("rack", "block", source=Source(12.0, 150.0)),
    }  # fmt: skip
    found = feed(devices, [("mast 1", "rack"), ("mast 2", "rack")])
    assert found.errors == (("rack", "dc-overload"),)
