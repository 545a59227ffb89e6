"""Racks: what taking 1 000 links at ten readings a second costs beside a bare reader of the same lines, how long 125
racks take to connect and to heal, and what a hostile rack leaves behind."""

import gc
import json
import random
import resource
import threading
import time
import tracemalloc
from typing import Any

from azven.gear.racks.address import address
from azven.gear.racks.hub import Hub
from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Told
from azven.gear.standins.house import RackHouse
from azven.gear.standins.rack import StandInRack
from azven.gear.standins.things import Channel
from azven.work.watch.live import LiveBoard
from timing import row

RACKS, CHANNELS, SECONDS, RATE = 125, 8, 20, 10


class Hands:
    """A link without a network, its frames into the live board."""

    def __init__(self, board: LiveBoard) -> None:
        self.board = board
        self.sent: list[bytes] = []

    def send(self, data: bytes) -> None:
        self.sent.append(data)

    def close(self) -> None:
        pass

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Any], full: bool) -> None:
        self.board.frame(link, now_s, changes, full)

    def told(self, link: RackLink, told: Told) -> None:
        pass

    def certified(self, link: RackLink, rack_id: str | None) -> str:
        return ""

    def taken(self, link: RackLink, rack_id: str) -> bool:
        return False


def card(k: int) -> dict[str, Any]:
    channels = [{"id": str(c + 1), "service": "voice", "can": []} for c in range(CHANNELS)]
    return {"link": 1, "rack": {"id": f"r-{k:04d}", "name": f"Rack {k}", "kind": "receivers"}, "channels": channels,
            "rate_hz_max": 25, "ms": 0}  # fmt: skip


def spoken(k: int) -> list[bytes]:
    """What a rack of eight links says in some seconds: what changes at every frame, all of it every ten seconds."""
    chance = random.Random(k)
    lines = []
    for n in range(SECONDS * RATE):
        full = n % (10 * RATE) == 0
        c: dict[str, Any] = {}
        for i in range(CHANNELS):
            c[str(i + 1)] = {"a": -60 - chance.random() * 20, "b": -60 - chance.random() * 20, "af": -20.5,
                             "q": chance.randint(80, 100), "use": chance.choice("ab")}  # fmt: skip
            if full:
                c[str(i + 1)] |= {"bat": 80, "tx": "on", "mute": False, "clip": False, "txf": 470_100_000}
        params = {"ms": n * 100, "n": n + 1, "full": full, "c": c}
        lines.append(json.dumps({"jsonrpc": "2.0", "method": "status", "params": params}).encode() + b"\n")
    return lines


def reading() -> None:
    said = [spoken(k) for k in range(RACKS)]
    begun = time.process_time()
    for n in range(1, SECONDS * RATE):
        for lines in said:
            json.loads(lines[n])
    bare = time.process_time() - begun
    board = LiveBoard()
    links = []
    for k in range(RACKS):
        link = RackLink(f"rack://127.0.0.1:{k + 1}", Hands(board), random.random)
        link.opened(0.0)
        link.received(json.dumps({"jsonrpc": "2.0", "id": 1, "result": card(k)}).encode() + b"\n", 0.0)
        link.received(b'{"jsonrpc":"2.0","id":2,"result":{"rate_hz":10}}\n', 0.0)
        links.append(link)
    for link, lines in zip(links, said, strict=True):
        link.received(lines[0], 0.05)
    begun = time.process_time()
    for n in range(1, SECONDS * RATE):
        now = 0.1 + n / RATE
        for link, lines in zip(links, said, strict=True):
            link.received(lines[n], now)
            link.tick(now)
    ours = time.process_time() - begun
    assert all(link.state == "live" and not +link.checker.counted for link in links)
    row("1 000 links, ten readings a second, taken and kept", ours, bare, f"wanted < 3; {ours / SECONDS:.0%} of a core")


def quiet_rack(k: int) -> StandInRack:
    def shown() -> dict[str, Any]:
        return {"a": -61.5, "b": -70.0, "q": 98}

    channels = [
        Channel(id=str(c + 1), service="voice", direction="in", low_hz=470_000_000, high_hz=542_000_000, step_hz=25_000,
                sides=("a", "b"), can=("freq_hz",), settings={"freq_hz": 470_000_000}, show=shown)
        for c in range(CHANNELS)
    ]  # fmt: skip
    about = {"id": f"r-{k:04d}", "name": f"Rack {k}", "kind": "receivers"}
    return StandInRack(about, channels, {"layout": "switched"}, time.monotonic, k)


def until(true: Any, most_s: float = 60.0) -> float:
    begun = time.monotonic()
    while not true() and time.monotonic() - begun < most_s:
        time.sleep(0.02)
    return time.monotonic() - begun


def connecting() -> None:
    house = RackHouse([quiet_rack(k) for k in range(RACKS)]).start()
    board = LiveBoard()
    hub = Hub(board)
    begun = time.monotonic()
    for server in house.servers:
        hub.add(address(server.address))
    until(lambda: sum(x.state == "live" for x in hub.links) == RACKS)
    tell("125 racks with 8 links each, dialled to heard", f"{time.monotonic() - begun:.1f} s (wanted under 5)")
    house.cut_all(4.0)
    until(lambda: not any(x.ready for x in hub.links))
    gone = time.monotonic()
    until(lambda: all(x.ready and x.state == "live" for x in hub.links))
    tell("all gone for 4 s, cut to healed", f"{time.monotonic() - gone:.1f} s (wanted under 14)")
    hub.stop()
    house.stop()


def hostile(minutes: float = 10.0) -> None:
    """Ten minutes of nonsense, as fast as they can be played."""
    board = LiveBoard()
    link = RackLink("rack://127.0.0.1:1", Hands(board), random.random)
    chance, now = random.Random(1), 0.0
    hello = json.dumps({"jsonrpc": "2.0", "id": 1, "result": card(1)}).encode() + b"\n"
    tracemalloc.start()
    at_first = 0
    closed = 0
    while now < 60 * minutes:
        now += 0.1
        if not link.up and now >= (link.next_try_s or 0.0):
            closed += 1
            link.opened(now)
            link.received(hello, now)
        if link.up:
            link.received(bytes(chance.randrange(256) for _ in range(200)) + b"\n", now)
            link.received(b"x" * 20_000, now)
        link.tick(now)
        if at_first == 0 and now > 60:
            gc.collect()
            at_first = tracemalloc.get_traced_memory()[0]
    gc.collect()
    grown = tracemalloc.get_traced_memory()[0] - at_first
    tracemalloc.stop()
    tell("a hostile rack for ten minutes: closed, memory grown", f"{closed} times, {grown / 1024:.0f} KiB")


def tell(what: str, figure: str) -> None:
    print(f"{what:<58} {figure}")


def main(_: list[str]) -> None:
    reading()
    connecting()
    hostile()
    tell("threads left", str(threading.active_count() - 1))
    tell("largest memory", f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MiB")
