"""Azven's side and the rack's side of the link, over real sockets on this machine."""

import json
import socket
import ssl

import pytest
import trustme

from azven.gear.racks.address import Address, address
from azven.gear.racks.hub import Hub
from azven.gear.racks.trust import Trust
from azven.gear.standins.house import RackHouse
from azven.refusal import Refusal
from gear.racks.exchange import Exchange
from gear.racks.standing import Hearer, asked, rack
from patience import until


@pytest.fixture
def hearer():
    return Hearer()


@pytest.fixture
def hub(hearer):
    made = Hub(hearer)
    yield made
    made.stop()


@pytest.fixture
def house():
    made = RackHouse([rack(k + 1) for k in range(3)]).start()
    yield made
    made.stop()


def joined(hub, hearer, house):
    for server in house.servers:
        hub.add(address(server.address))
    until(lambda: all(hearer.frames[s.rack.id] for s in house.servers))


def test_racks_are_connected_and_heard(hub, hearer, house):
    joined(hub, hearer, house)
    assert hearer.values["r-0001"]["1"] == {"a": -61.5, "b": -70.0, "q": 0}
    house.servers[0].rack.channels[0].pack.on = True
    until(lambda: hearer.values["r-0001"]["1"]["q"] == 98)
    until(lambda: hub.link("r-0001").settings.get("4", {}).get("name") == "CH 4")


def test_settings_are_sent_and_read_back(hub, hearer, house):
    joined(hub, hearer, house)
    done = asked(hub, "r-0002", "set", channel="2", values={"freq_hz": 471_150_000, "name": "Lamp Choir 1"},
                 expect={"freq_hz": 470_000_000})  # fmt: skip
    assert (done.outcome, done.result["values"]["name"]) == ("done", "Lamp Choir 1")
    assert hub.link("r-0002").settings["2"]["freq_hz"] == 471_150_000
    stale = asked(hub, "r-0002", "set", channel="2", values={"gain_db": 3}, expect={"freq_hz": 470_000_000})
    assert (stale.outcome, stale.error) == ("failed", 4)
    off = asked(hub, "r-0002", "set", channel="2", values={"freq_hz": 471_160_000})
    assert (off.error, off.data) == (7, {"low": 471_150_000, "high": 471_175_000})
    assert "sent" in hearer.kinds("r-0002")


@pytest.mark.parametrize(
    ("method", "params", "code"),
    [
        ("set", {"channel": "9", "values": {}}, -32602),
        ("set", {"channel": "1", "values": {"carrier": "x"}}, 6),
        ("set", {"channel": "1", "values": {"name": 3}}, -32602),
        ("set", {"channel": "1", "values": {"name": "x" * 40}}, 7),
        ("set", {"channel": "1", "values": {"gain_db": 60}}, 7),
        ("set", {"channel": "1", "values": {"volume_min_db": -5, "volume_db": -10}}, 7),
        ("set", {"channel": "1", "values": {"volume_min_db": 5}}, 7),
        ("pair", {"channel": "1", "seconds": 1}, 6),
        ("sync", {"channel": "1", "seconds": 500}, -32602),
        ("scan", {"channel": "1", "low_hz": 100, "high_hz": 200, "step_hz": 25_000}, 7),
        ("stop_scan", {"scan": "none"}, -32602),
        ("weather", {}, -32601),
    ],
)
def test_what_a_rack_refuses_has_its_code(hub, hearer, house, method, params, code):
    joined(hub, hearer, house)
    refused = asked(hub, "r-0001", method, **params)
    assert (refused.outcome, refused.error) == ("failed", code)
    assert house.servers[0].rack.channels[0].settings["name"] == "CH 1"


def test_a_raised_lower_limit_moves_the_volume(hub, hearer, house):
    joined(hub, hearer, house)
    lifted = asked(hub, "r-0001", "set", channel="1", values={"volume_min_db": -10})
    assert lifted.result["values"]["volume_db"] == -10
    lowered = asked(hub, "r-0001", "set", channel="1", values={"volume_max_db": -10, "volume_min_db": -40})
    assert lowered.result["values"]["volume_db"] == -10


def test_sync_brings_both_ends_together(hub, hearer, house):
    joined(hub, hearer, house)
    asked(hub, "r-0001", "set", channel="1", values={"freq_hz": 480_000_000, "name": "Narrator"})
    done = asked(hub, "r-0001", "sync", channel="1", seconds=3)
    assert done.result == {"txf": 480_000_000, "txn": "Narrator"}
    house.servers[0].rack.faults.never_syncs = True
    assert asked(hub, "r-0001", "sync", channel="1", seconds=2).error == 5


def test_a_scan_comes_in_pieces_and_not_on_the_air(hub, hearer, house):
    joined(hub, hearer, house)
    link = hub.link("r-0001")
    ask = {"channel": "1", "low_hz": 470_000_000, "high_hz": 490_000_000, "step_hz": 25_000}
    name = asked(hub, "r-0001", "scan", **ask).result["scan"]
    until(lambda: link.scans[name].done)
    assert len(link.scans[name].by_frequency()) == 801
    house.servers[0].rack.channels[0].pack.on = True
    assert asked(hub, "r-0001", "scan", **ask).error == 8


def test_a_cut_heals_and_what_was_known_stays(hub, hearer, house):
    joined(hub, hearer, house)
    house.cut_all(0.6)
    until(lambda: hearer.kinds().count("cut") == 3)
    assert hub.link("r-0001").status.values["1"]["a"] == -61.5
    frames = dict(hearer.frames)
    until(lambda: all(hearer.frames[s.rack.id] > frames[s.rack.id] for s in house.servers))
    assert hearer.kinds("r-0003").count("connected") == 2
    assert asked(hub, "r-0003", "get", channel="1").outcome == "done"


def test_two_racks_with_one_id_are_told(hub, hearer, house):
    joined(hub, hearer, house)
    twin = RackHouse([rack(1)]).start()
    try:
        hub.add(address(twin.servers[0].address))
        until(lambda: "same-id" in hearer.kinds())
        assert hub.link("r-0001").ready
    finally:
        twin.stop()


def test_a_rack_that_moved_is_the_same_rack(hub, hearer):
    one = RackHouse([rack(1)]).start()
    hub.add(address(one.servers[0].address))
    until(lambda: hearer.frames["r-0001"])
    one.stop()
    until(lambda: "cut" in hearer.kinds())
    two = RackHouse([rack(1)]).start()
    try:
        hub.add(address(two.servers[0].address))
        until(lambda: hub.link("r-0001").ready)
        assert hub.link("r-0001").address == two.servers[0].address
        assert "same-id" not in hearer.kinds()
    finally:
        two.stop()


def test_one_address_that_nobody_serves_is_silent_then_lost(hub, hearer):
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    hub.add(Address("127.0.0.1", port))
    until(lambda: "lost" in hearer.kinds(), 15)
    assert hearer.kinds() == ["silent", "lost"]


def served(certificate, token=None, number=1):
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    certificate.configure_cert(context)
    made = rack(number)
    made.token = token
    return RackHouse([made], tls=context).start()


def test_a_certificate_is_remembered_and_another_refused(hearer, tmp_path):
    authority = trustme.CA()
    first, other = authority.issue_cert("rack.invalid"), authority.issue_cert("rack.invalid")
    path = tmp_path / "known.json"
    house = served(first, token="quay")
    hub = Hub(hearer, Trust(path))
    where = address(house.servers[0].address)
    hub.add(where, token="quay")
    until(lambda: hearer.frames["r-0001"])
    assert "certificate" in hearer.kinds()
    hub.stop()
    house.stop()
    house = served(other)
    house.servers[0].rack.token = None
    again = Hearer()
    hub = Hub(again, Trust(path))
    hub.add(address(house.servers[0].address))
    until(lambda: "refused" in again.kinds())
    (refused,) = [t for t in again.told_all if t.kind == "refused"]
    assert "another certificate" in refused.detail["why"]
    open_house = RackHouse([rack(1)]).start()
    hub.add(address(open_house.servers[0].address))
    until(lambda: again.kinds().count("refused") == 2)
    hub.stop()
    house.stop()
    open_house.stop()


def test_a_wrong_token_is_refused_for_good_and_shown_nowhere(hub, hearer):
    made = rack(1)
    made.token = "quay-and-lantern"
    made.rack["name"] = "Rack of wrong-secret"
    house = RackHouse([made]).start()
    try:
        where = address(house.servers[0].address)
        hub.add(where, token="wrong-secret")
        until(lambda: "refused" in hearer.kinds() and hub.links[0].next_try_s is None)
        assert "secret" not in repr(hearer.told_all)
    finally:
        house.stop()


def test_a_token_does_not_go_over_an_open_connection_to_another_machine():

    there = Exchange(token="quay")
    there.link.opened(0.0, private=False)
    assert "token" not in there.sent[0]["params"]
    here = Exchange(token="quay")
    here.link.opened(0.0, private=True)
    assert here.sent[0]["params"]["token"] == "quay"


@pytest.mark.parametrize(
    "text",
    ["", "rack://", "http://a:1", "rack://host:0", "rack://host:70000", "rack://[::g]:1", "rack://a b:4", "host:4"],
)
def test_what_is_no_address_is_refused(text):
    with pytest.raises(Refusal, match="rack://host:port"):
        address(text)


@pytest.mark.parametrize("text", ["rack://127.0.0.1:47600", "rack+tls://[fe80::1]:5", "rack://quay-rack.local"])
def test_an_address_is_read_and_written(text):
    assert address(str(address(text))) == address(text)


def raw(server, *lines, keep=False):
    """What a rack answers to lines that Azven would not send."""
    with socket.create_connection((server.host, server.port), 5) as wire:
        for line in lines:
            wire.sendall(line if isinstance(line, bytes) else json.dumps(line).encode() + b"\n")
        wire.settimeout(1.0)
        data = b""
        try:
            while part := wire.recv(65536):
                data += part
        except TimeoutError:
            pass
    return [json.loads(x) for x in data.splitlines()]


HELLO = {"jsonrpc": "2.0", "id": 1, "method": "hello", "params": {"client": "x", "link": 1}}


@pytest.mark.parametrize(
    ("line", "code", "call_id"),
    [
        (b"nonsense\n", -32700, None),
        (b"[]\n", -32600, None),
        ([HELLO], -32600, None),
        ({"jsonrpc": "2.0", "id": 1, "method": "ping", "params": []}, -32602, 1),
        ({"jsonrpc": "2.0", "id": 1, "method": "ping", "params": {}}, 1, 1),
        ({"jsonrpc": "2.0", "id": True, "method": "ping"}, -32600, None),
        ({**HELLO, "params": {"client": "panel", "link": 1}}, -32602, 1),
        ({**HELLO, "params": {"client": "x", "link": 2}}, -32602, 1),
    ],
)
def test_a_rack_answers_what_is_wrong_as_the_link_says(house, line, code, call_id):
    (answer,) = raw(house.servers[0], line)
    assert (answer["error"]["code"], answer["id"]) == (code, call_id)


def test_a_call_without_id_is_neither_done_nor_answered(house):
    answers = raw(
        house.servers[0],
        HELLO,
        {"jsonrpc": "2.0", "method": "set", "params": {"channel": "1", "values": {"gain_db": 3}}},
    )
    assert [a["id"] for a in answers] == [1]
    assert house.servers[0].rack.channels[0].settings["gain_db"] == 0
