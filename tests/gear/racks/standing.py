"""A small stand-in rack for tests, without a venue behind it, and a listener that keeps what it hears."""

import threading
import time
from collections import defaultdict

from azven.gear.racks.calls import Call
from azven.gear.racks.hub import Hub
from azven.gear.standins.rack import StandInRack
from azven.gear.standins.things import Channel, Pack

CAN = ("freq_hz", "name", "gain_db", "mute", "volume_db", "volume_min_db", "volume_max_db", "sync", "scan", "locate")


def channel(k=1, show=None):
    made = Channel(
        id=str(k), service="voice", direction="in", low_hz=470_000_000, high_hz=542_000_000, step_hz=25_000,
        sides=("a", "b"), can=CAN, limits={"gain_db": [-18, 42, 3]},
        settings={"freq_hz": 470_000_000, "name": f"CH {k}", "gain_db": 0, "mute": False, "volume_db": -20,
                  "volume_min_db": -40, "volume_max_db": 0},
        factory={"freq_hz": 470_000_000, "name": f"CH {k}"},
        pack=Pack(id=f"p-{k}", name="New pack", freq_hz=500_000_000),
    )  # fmt: skip
    made.show = show or (lambda: {"a": -61.5, "b": -70.0, "q": 98 if made.on_air else 0})
    return made


def rack(number=1, channels=4, **more):
    about = {"id": f"r-{number:04d}", "name": f"Rack {number}", "kind": "receivers", "model": "Quad receiver"}
    port = {"mode": "auto", "ip": f"169.254.1.{number % 250}", "mask": "255.255.0.0", "gateway": None,
            "mac": f"02:00:00:00:01:{number % 250:02x}"}  # fmt: skip
    network = {"layout": "switched", "console_id": number, "control": port, "audio": None}
    made = StandInRack(about, [channel(k + 1) for k in range(channels)], network, time.monotonic, number, **more)
    made.faults.sync_fails_one_in = 0
    return made


class Hearer:
    """Keeps what racks say."""

    def __init__(self):
        self.told_all = []
        self.frames = defaultdict(int)
        self.values = {}

    def frame(self, link, now_s, changes, full):
        self.frames[link.id] += 1
        self.values[link.id] = {c: dict(f) for c, f in link.status.values.items()}

    def told(self, link, told):
        self.told_all.append(told)

    def kinds(self, rack=None):
        return [t.kind for t in self.told_all if rack in (None, t.rack)]


def asked(hub: Hub, rack_id: str, method: str, **params) -> Call:
    """The call, once its outcome is known."""
    done = threading.Event()
    call = Call(method, params, "a test", ended=lambda _: done.set())
    hub.call(rack_id, call)
    assert done.wait(15)
    return call
