"""Many desks at one book on a server: ten minutes of random deeds with the network cut in between, desks and servers
killed in mid-edit a hundred times each, a desk that comes back after a week. `--seconds N`, `--kills N` (0: none).

It says at the end whether anything was lost; it fails where something was.
"""

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import made_register
from azven.book.edits import BookError, Change, Edit, add
from azven.book.place import File, Place, Server
from azven.book.records import Model, Retention, Site, Unit
from azven.book.store import Store
from azven.work import books

DESKS, SECONDS, KILLS = 4, 600.0, 100
_UNITS, _WEEK_EDITS = 12, 20_000
_KEPT = 10_000_000
"""The history has to reach back to the first edit: what was told as done is looked for in it."""


def _with_units(place: Place) -> None:
    store = books.new_book(place)
    model, site, first = store.all(Model)[0], store.all(Site)[0], store.reserve(_UNITS)
    band = model.bands[0][0]
    units = [Unit(id=first + k, model_id=model.id, name=f"Pack {k}", band=band, serial=f"S{k}", carried=True,
                  site_home_id=site.id) for k in range(_UNITS)]  # fmt: skip
    store.apply(Edit("Units", add(*units, Retention(id=store.reserve(), edits=_KEPT))))
    store.close()


def random_deeds(server: object, seconds: float) -> None:
    """Desks that edit at random while the server comes and goes; what was told as done has to be in the book, or among
    what was settled by a person, and all desks have to end alike."""
    import random_desk

    place = server.database()  # type: ignore[attr-defined]
    _with_units(place)
    with tempfile.TemporaryDirectory() as folder:
        journals = [Path(folder) / f"desk{i}" for i in range(DESKS)]
        words = [sys.executable, random_desk.__file__, place.url, str(seconds)]
        desks = [
            subprocess.Popen([*words, str(i), str(j), str(Path(folder) / f"waiting{i}")])
            for i, j in enumerate(journals)
        ]
        cuts, chance, until = 0, random.Random(5), time.monotonic() + seconds - 15
        while time.monotonic() < until and all(d.poll() is None for d in desks):
            time.sleep(chance.uniform(4, 20))
            server.stop()  # type: ignore[attr-defined]
            time.sleep(chance.uniform(1, 8))
            server.start()  # type: ignore[attr-defined]
            cuts += 1
        codes = [d.wait() for d in desks]
        told = [[json.loads(line) for line in j.read_text().splitlines()] for j in journals]
        _judge(place, told, codes, cuts)


def _judge(place: Server, told: list[list[object]], codes: list[int], cuts: int) -> None:
    import random_desk

    edits = [x for lines in told for x in lines if isinstance(x, list)]
    settled = [c for lines in told for x in lines if isinstance(x, dict) for c in x.get("settled", [])]
    ends = [lines[-1] for lines in told if lines and isinstance(lines[-1], dict) and "ends with" in lines[-1]]
    store = Store.open(place)
    lost = [c for c in random_desk.unkept(store, edits) if c not in settled]
    print(f"{DESKS} desks, {len(edits)} edits told as done, {cuts} cuts, {len(settled)} changes met others and were "
          f"settled; {sum(e['refused'] for e in ends)} refused with both values")  # fmt: skip
    alike = {e["ends with"] for e in ends} == {random_desk.digest(store)} and len(ends) == DESKS
    untold = sum(e["without two values"] for e in ends)
    print(f"lost: {len(lost)}; all end alike: {alike}; told without both values: {untold}; ended badly: {codes}")
    store.close()
    assert not lost, lost[:5]
    assert alike, ends
    assert not untold


_WRITES = """
import sys
sys.path.insert(0, sys.argv[2])
from azven.book.place import place
from azven.book.store import Store
from random_desk import RandomDesk, as_text
import json, os
desk = RandomDesk(place(sys.argv[1]), int(sys.argv[3]))
while True:
    landed = desk.step()
    if landed:
        sys.stdout.write(json.dumps([as_text(c) for c in landed.changes]) + "\\n")
        sys.stdout.flush()
"""


def desks_killed(title: str, place: Place, kills: int) -> None:
    """A desk is killed in mid-edit, again and again: what it told as done is in the book, which opens."""
    import random_desk

    _with_units(place)
    where = place.url if isinstance(place, Server) else str(place.path)  # type: ignore[attr-defined]
    chance, edits, tests = random.Random(7), [], str(Path(random_desk.__file__).parent)
    for number in range(kills):
        desk = subprocess.Popen(
            [sys.executable, "-c", _WRITES, where, tests, str(number)], stdout=subprocess.PIPE, text=True
        )
        assert desk.stdout is not None
        desk.stdout.readline()
        time.sleep(chance.uniform(0.0, 0.15))
        os.kill(desk.pid, signal.SIGKILL)
        edits += [json.loads(line) for line in desk.stdout.read().splitlines() if line.endswith("]")]
        desk.wait()
    store = Store.open(place)
    lost = random_desk.unkept(store, edits)
    print(f"{title}: a desk killed {kills} times, {len(edits)} edits told as done, lost: {len(lost)}, "
          f"damaged: {len(store.damaged)}")  # fmt: skip
    store.close()
    assert not lost
    assert not store.damaged


def servers_killed(server: object, kills: int) -> None:
    """The server is killed in mid-edit, again and again, while a desk goes on."""
    import random_desk

    place = server.database()  # type: ignore[attr-defined]
    _with_units(place)
    chance = random.Random(9)
    with tempfile.TemporaryDirectory() as folder:
        journal = Path(folder) / "desk"
        words = [sys.executable, random_desk.__file__, place.url, str(1e6), "1", str(journal), f"{folder}/waiting"]
        desk = subprocess.Popen(words)
        for _ in range(kills):
            time.sleep(chance.uniform(0.4, 1.5))
            server.kill()  # type: ignore[attr-defined]
            time.sleep(chance.uniform(0.0, 0.3))
            server.start()  # type: ignore[attr-defined]
            assert desk.poll() is None, "the desk ended"
        time.sleep(8)
        os.kill(desk.pid, signal.SIGKILL)
        desk.wait()
        told = [json.loads(line) for line in journal.read_text().splitlines() if line.endswith(("]", "}"))]
        edits = [x for x in told if isinstance(x, list)]
        settled = [c for x in told if isinstance(x, dict) for c in x.get("settled", [])]
        store = Store.open(place, keeping=Path(folder) / "waiting")
        store.catch_up()
        shown = [random_desk.as_text(c) for w in store.collided for c in w.edit.changes]
        lost = [c for c in random_desk.unkept(store, edits) if c not in settled and c not in shown]
        print(f"the server killed {kills} times, {len(edits)} edits told as done, {len(settled)} settled, "
              f"{len(shown)} still shown to be settled, lost: {len(lost)}")  # fmt: skip
        store.close()
        assert not lost, lost[:5]


def back_after_a_week(server: object) -> None:
    """A desk that was cut off while others made so many edits in a register of 100 000 units."""
    place = server.database()  # type: ignore[attr-defined]
    made_register.made(place, 100_000, 2_000, 200_000).close()
    with tempfile.TemporaryDirectory() as folder:
        mine = Store.open(place, keeping=Path(folder))
        theirs = Store.open(place)
        begun = time.perf_counter()
        for number in range(_WEEK_EDITS):
            site = theirs.all(Site)[number % 9]
            theirs.apply(Edit("A week", (Change(site, replace(site, note=str(number))),)))
        print(f"{_WEEK_EDITS} edits of others made in {time.perf_counter() - begun:.0f} s")
        begun = time.perf_counter()
        try:
            mine.catch_up()
        except BookError as error:
            print(error)
        print(f"a desk that was off while they were made is back in {time.perf_counter() - begun:.2f} s "
              "(wanted within 10 s)")  # fmt: skip
        alike = [s.note for s in mine.all(Site)] == [s.note for s in theirs.all(Site)]
        mine.close()
        theirs.close()
        assert alike


def main(given: list[str]) -> None:
    """All of it; a server is needed."""
    import postgres

    if reason := postgres.missing():
        print(reason)
        return
    seconds = float(given[given.index("--seconds") + 1]) if "--seconds" in given else SECONDS
    kills = int(given[given.index("--kills") + 1]) if "--kills" in given else KILLS
    server = postgres.TestServer()
    try:
        if kills:
            with tempfile.TemporaryDirectory() as folder:
                desks_killed("file", File(Path(folder) / "book.azven"), kills)
            desks_killed("server", server.database(), kills)
            servers_killed(server, kills)
        random_deeds(server, seconds)
        back_after_a_week(server)
    finally:
        server.close()
