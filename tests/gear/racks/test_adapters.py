"""The example adapter against a meter that is played here, and what is announced on a network."""

import asyncio
import threading

import pytest

from azven.gear.racks import adapters
from azven.gear.racks.address import address
from azven.gear.racks.discovery import announced
from azven.gear.racks.example_adapter import MeterAdapter
from azven.gear.racks.hub import Hub
from gear.racks.standing import Hearer, asked
from patience import until


class Meter:
    """Answers NAME and LEVEL, one line each."""

    def __init__(self):
        self.level, self.port = -61.5, 0
        self._loop, self._ready = asyncio.new_event_loop(), threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()
        self._ready.wait()

    def _run(self):
        server = self._loop.run_until_complete(asyncio.start_server(self._serve, "127.0.0.1", 0))
        self.port = server.sockets[0].getsockname()[1]
        self._ready.set()
        self._loop.run_forever()
        server.close()
        for task in asyncio.all_tasks(self._loop):
            task.cancel()
        self._loop.run_until_complete(asyncio.sleep(0))
        self._loop.close()

    async def _serve(self, reader, writer):
        try:
            while line := await reader.readline():
                writer.write(f"{'Quay meter' if line.strip() == b'NAME' else self.level}\n".encode())
        finally:
            writer.close()

    def stop(self):
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join()


@pytest.fixture
def meter():
    made = Meter()
    yield made
    made.stop()


def test_a_meter_is_a_rack(meter, monkeypatch):
    monkeypatch.setattr("azven.gear.racks.hub.adapter", lambda scheme: MeterAdapter() if scheme == "meter" else None)
    hearer = Hearer()
    hub = Hub(hearer)
    try:
        hub.add(address(f"meter://127.0.0.1:{meter.port}", ("meter",)))
        rack = f"meter-127.0.0.1-{meter.port}"
        until(lambda: hearer.values.get(rack) == {"1": {"a": -61.5}})
        meter.level = -70.0
        until(lambda: hearer.values[rack] == {"1": {"a": -70.0}})
        assert asked(hub, rack, "set", channel="1", values={"gain_db": 3}).error == 6
        assert hub.link(rack).card.name == "Quay meter"
    finally:
        hub.stop()


def test_the_example_is_found_by_its_scheme():
    if "meter" not in adapters.schemes():
        pytest.skip("the package was installed before the example was in it")
    assert isinstance(adapters.adapter("meter"), MeterAdapter)


def test_our_own_schemes_need_no_adapter():
    assert adapters.adapter("rack") is None
    assert adapters.adapter("no-such-scheme") is None


def test_what_is_announced_is_shown_and_not_believed():
    said = {b"id": b"r-1", b"name": b"<b>Rope\x1b[31m</b>", b"kind": None}
    found = announced(said, ["0.0.0.0", "169.254.1.2"], 47600)
    assert str(found.address) == "rack://169.254.1.2:47600"
    assert found.name == "<b>Rope\ufffd[31m</b>"
    assert found.kind == ""
    assert announced({}, ["not an address"], 47600) is None
    assert announced({}, ["169.254.1.2"], 0) is None
