"""What is wrong with racks, and the one call that mends it."""

import pytest

from azven.gear.racks.card import Card, ChannelCard, NetworkCard, PortCard
from azven.refusal import Refusal
from azven.work.prove import network, troubles
from azven.work.scope import opening as here


def card(number, ip=None, mask="255.255.255.0", mode="fixed", console=None, **more):
    port = PortCard(mode=mode, ip=ip or f"10.20.1.{number}", mask=mask, mac=f"02:00:00:00:00:{number:02x}")
    return Card(
        id=f"r-{number:04d}", name=f"Rack {number}", kind="receivers", rate_hz_max=10.0,
        channels=(ChannelCard(id="1", service="voice"),),
        network=NetworkCard(layout="switched", console_id=number if console is None else console, control=port),
        **more,
    )  # fmt: skip


@pytest.fixture
def listed(empty):
    """A book with a list of racks that have answered; gives the cards by address."""
    scope = here(empty)
    empty.apply(network.set_network(empty, scope, subnets={"control": "10.20.1.0/24"}))

    def make(*cards):
        found = {f"rack://127.0.0.1:{9_000 + i}": c for i, c in enumerate(cards)}
        for address in found:
            empty.apply(network.list_address(empty, scope, address))
        return found

    return make


def found(empty, cards):
    return troubles.of_network(empty, here(empty), cards)


def test_a_sound_list_is_told_as_sound(empty, listed):
    assert found(empty, listed(card(1), card(2))) == []


@pytest.mark.parametrize(
    ("second", "title", "params"),
    [
        (card(2, ip="10.20.1.1"), "Give it 10.20.1.2", {"control": {"mode": "fixed", "ip": "10.20.1.2",
                                                                   "mask": "255.255.255.0"}}),
        (card(2, ip="10.30.1.2"), "Give it 10.20.1.2", {"control": {"mode": "fixed", "ip": "10.20.1.2",
                                                                   "mask": "255.255.255.0"}}),
        (card(2, mask="255.255.0.0"), "Set mask 255.255.255.0", {"control": {"mask": "255.255.255.0"}}),
        (card(2, console=1), "Give another number", {"console_id": 2}),
    ],
)  # fmt: skip
def test_what_mends_it_is_one_call(empty, listed, second, title, params):
    (trouble,) = found(empty, listed(card(1), second))
    assert trouble.title == title
    (ask,) = trouble.asks
    assert (ask.rack, ask.method, ask.params) == ("r-0002", "network", params)


def test_a_fixed_address_among_automatic_ones_becomes_automatic_and_never_the_reverse(empty, listed):
    cards = listed(card(1, mode="auto"), card(2, mode="auto"), card(3))
    (trouble,) = found(empty, cards)
    assert trouble.title == "Set to automatic"
    assert [(a.rack, a.params) for a in trouble.asks] == [("r-0003", {"control": {"mode": "auto"}})]
    other = {a: card(k + 1, mode="fixed" if k else "auto") for k, a in enumerate(cards)}
    (trouble,) = found(empty, other)
    assert trouble.title == ""
    assert not trouble.asks


def test_what_cannot_be_mended_by_a_call_has_no_button(empty, listed):
    scope = here(empty)
    cards = listed(card(1), card(2))
    empty.apply(network.set_network(empty, scope, consoles=(("Quay desk", 1, "devices", ()),)))
    (trouble,) = found(empty, cards)
    assert "Quay desk" in trouble.said
    assert not trouble.title


@pytest.mark.parametrize(
    "values",
    [{"subnets": {"control": "10.20.1.7/24"}}, {"subnets": {"audio": "quay"}},
     {"consoles": (("", 4, "devices", ()),)}, {"consoles": (("Desk", 0, "devices", ()),)},
     {"cables": (("r-0001", "r-0001"),)}],
)  # fmt: skip
def test_a_network_that_is_none_is_refused(empty, values):
    with pytest.raises(Refusal):
        network.set_network(empty, here(empty), **values)


@pytest.mark.parametrize(
    ("ip", "there"),
    [("10.20.1.9", "rack+tls://10.20.1.9:47600"), ("10.20.1.1", None), (None, None), ("quay", None),
     ("0.0.0.0", None), ("224.0.0.1", None), ("255.255.255.255", None), (7, None)],
)  # fmt: skip
def test_only_an_address_that_somebody_can_be_at_is_dialled_anew(ip, there):
    told = {"control": {"ip": ip}}
    assert troubles.new_address("rack+tls://10.20.1.1:47600", "10.20.1.1", told) == there
    assert troubles.new_address("rack://10.20.1.1:47600", None, {"control": [1]}) is None
