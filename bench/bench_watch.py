"""Watch with 1 000 links at ten readings a second: what taking in, looking and painting cost beside a bare reader of
the same lines, how long the window stands still, how old a reading is when it is seen, and memory over eight hours."""

import gc
import json
import os
import random
import resource
import threading
import time
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PyQt6.QtCore import QEventLoop, QTimer

from azven.desk import app
from azven.desk.session import Session
from azven.desk.window import Window
from azven.gear.racks.link import RackLink
from azven.work import books
from azven.work.scope import opening
from azven.work.watch.live import LiveBoard
from azven.work.watch.night import Night
from azven.work.watch.watched import Watched
from bench_racks import CHANNELS, RACKS, RATE, Hands, card
from timing import row

_STILL_S = 0.05
SECONDS, ROOMS = 40, ("Rope Hall", "Quay Stage", "Signal House", "Orchard Ground", "Kiln Yard")


def lines(k: int, seconds: int = SECONDS) -> list[bytes]:
    """What a rack of eight links says: levels that wander slowly; one link in fifty is disturbed from the tenth second
    on."""
    chance = random.Random(k)
    level = [[-55 - 20 * chance.random() for _ in "ab"] for _ in range(CHANNELS)]
    out = []
    for n in range(seconds * RATE):
        full = n % (10 * RATE) == 0
        c: dict[str, Any] = {}
        for i in range(CHANNELS):
            hurt = (k * CHANNELS + i) % 50 == 7 and n > 10 * RATE
            a, b = (x + chance.gauss(0, 1.5) for x in level[i])
            c[str(i + 1)] = {"a": round(a, 1), "b": round(b, 1), "af": round(chance.gauss(-25, 6), 1),
                             "q": 20 if hurt else chance.randint(90, 100)}  # fmt: skip
            if full:
                c[str(i + 1)] |= {"bat": 80, "left_min": 240.0, "tx": "on", "mute": False, "clip": False,
                                  "txf": freq(k, i)}  # fmt: skip
        params = {"ms": n * 100, "n": n + 1, "full": full, "c": c}
        out.append(json.dumps({"jsonrpc": "2.0", "method": "status", "params": params}).encode() + b"\n")
    return out


def freq(k: int, i: int) -> int:
    return 470_000_000 + 225_000 * (k * CHANNELS + i)


def watched() -> Watched:
    links, keys = [], []
    for k in range(RACKS):
        for i in range(CHANNELS):
            number = k * CHANNELS + i
            room = ROOMS[k * len(ROOMS) // RACKS]
            links.append({"name": f"{room} {number}", "freq_hz": freq(k, i), "zone": room, "rack": f"r-{k:04d}",
                          "system": f"{room} pair {k // 12}", "threshold_dbm": -93, "needed_db": 20,
                          "priority": 1 + number % 5})  # fmt: skip
            keys.append((f"r-{k:04d}", str(i + 1)))
    return Watched(document={"links": links}, start=datetime.now(UTC), keys=tuple(keys))


class Feeding(threading.Thread):
    """Plays all racks in real time into one board; knows what it cost."""

    def __init__(self, board: LiveBoard, said: list[list[bytes]]) -> None:
        super().__init__(daemon=True)
        self.said, self.cost_s = said, 0.0
        self.links = []
        for k in range(RACKS):
            link = RackLink(f"rack://127.0.0.1:{k + 1}", Hands(board), random.random)
            link.opened(time.monotonic())
            link.received(json.dumps({"jsonrpc": "2.0", "id": 1, "result": card(k)}).encode() + b"\n", time.monotonic())
            link.received(b'{"jsonrpc":"2.0","id":2,"result":{"rate_hz":10}}\n', time.monotonic())
            self.links.append(link)

    def run(self) -> None:
        begun, cpu = time.monotonic(), time.thread_time()
        for n in range(len(self.said[0])):
            for part in range(5):  # racks do not speak all at once
                wait = begun + (n + part / 5) / RATE - time.monotonic()
                if wait > 0:
                    time.sleep(wait)
                for link, told in list(zip(self.links, self.said, strict=True))[part::5]:
                    link.received(told[n], time.monotonic())
        self.cost_s = time.thread_time() - cpu


def main(_: list[str] | None = None) -> None:
    """Run it."""
    said = [lines(k) for k in range(RACKS)]
    begun = time.process_time()
    for told in said:
        for line in told:
            json.loads(line)
    bare = time.process_time() - begun
    with TemporaryDirectory() as folder:
        _watch(said, bare, Path(folder))
    _eight_hours()


def _watch(said: list[list[bytes]], bare: float, folder: Path) -> None:
    running = app.application()
    store = books.new_book(folder / "bench.azven")
    window = Window(Session(store, opening(store)))
    window.show_stage("watch")
    window.show()
    running.processEvents()
    gc.collect()
    gc.freeze()  # as the application does when its window stands
    stage = window.stage
    board = LiveBoard()
    night = Night(board, watched(), time.monotonic, time.monotonic(), beside=True)
    stage.watch.stop()  # type: ignore[attr-defined]
    stage.watch.night = stage.watch.live = night  # type: ignore[attr-defined]
    stage.watch.keeping = None  # type: ignore[attr-defined]
    feeding = Feeding(board, said)
    ages, looks = list[float](), list[float]()
    gaps, last = list[float](), [time.monotonic()]

    def seen_now() -> None:
        ages.append(time.monotonic() - board._rings.slot / RATE)
        looks.append(night.seen.took_s)

    def beat() -> None:
        now = time.monotonic()
        gaps.append(now - last[0])
        last[0] = now

    beater, loop = QTimer(), QEventLoop()
    stage.watch.looked.connect(seen_now)  # type: ignore[attr-defined]
    beater.timeout.connect(beat)
    begun = time.process_time()
    feeding.start()
    night.start()
    beater.start(5)
    QTimer.singleShot(SECONDS * 1000, loop.quit)
    last[0] = time.monotonic()
    seen = time.thread_time()
    loop.exec()
    painting = time.thread_time() - seen
    whole = time.process_time() - begun
    night.stop()
    children = resource.getrusage(resource.RUSAGE_CHILDREN)
    whole += children.ru_utime + children.ru_stime
    feeding.join()
    beater.stop()
    row("1 000 links: taken in, looked at and painted", whole, bare, f"wanted < 30 % of a core; {whole / SECONDS:.0%}")
    row("  of it taking in", feeding.cost_s, bare, f"{feeding.cost_s / SECONDS:.1%} of a core")
    row("  of it painting", painting, bare, f"wanted < 10 %; {painting / SECONDS:.1%}")
    print(f"  cases open: {len(night.seen.open)}, a look takes {1e3 * float(np.median(looks)):.0f} ms in the middle")
    late = int((np.array(gaps) > _STILL_S).sum())
    most, usual = (1e3 * float(np.quantile(gaps, share)) for share in (1.0, 0.99))
    print(f"  the window stood still for {most:.0f} ms at most, {usual:.0f} at the 99th percentile (wanted < 50), "
          f"{late} times over 50 ms in {SECONDS} s")  # fmt: skip
    print(f"  a reading is {1e3 * float(np.quantile(ages, 0.95)):.0f} ms old on the screen at the 95th percentile "
          "(wanted < 250), besides up to 200 ms between two paintings")  # fmt: skip
    window.close()
    store.close()


def _eight_hours() -> None:
    board = LiveBoard()
    keys = [(f"r-{k}", str(i)) for k in range(4) for i in range(8)]
    for key in keys:
        board._row(key)
    rings = board._rings
    readings = np.zeros((6, rings.room), np.float32)
    rows, signs = np.arange(rings.room), np.zeros(rings.room, np.uint8)
    at_first = 0
    for second in range(8 * 3600):
        rings.forward((second + 1) * RATE, rows, readings, signs)
        if second == 600:
            at_first = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - at_first
    print(f"  memory over eight simulated hours: {grown / 1024:+.1f} MB after the first ten minutes")


if __name__ == "__main__":
    main()
