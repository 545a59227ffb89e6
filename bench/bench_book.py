"""A book with 20 000 units on either engine, against a bare transaction of the same driver on the same database."""

import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import timing
from azven.book import history
from azven.book.edits import Change, Edit, add
from azven.book.place import File, Place
from azven.book.records import Model, Site, Unit, Zone
from azven.book.store import Store
from azven.work import books

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

UNITS, AT_ONCE, PAGE = 20_000, 200, 100
PAGED = "(wanted under 50 ms)"


def least(action: Callable[[], object]) -> float:
    """Least wall time [s]: a transaction waits for the disk or the server."""
    return timing.least(action, 15, time.perf_counter)


def filled(place: Place) -> Store:
    """A new book with units at home in fifty rooms."""
    store = books.new_book(place)
    model, site = store.all(Model)[0], store.all(Site)[0]
    rooms = [Zone(id=store.reserve(), site_id=site.id, name=f"Store {n}") for n in range(50)]
    store.apply(Edit("Rooms", add(*rooms)))
    first = store.reserve(UNITS)
    units = [
        Unit(id=first + n, model_id=model.id, name=f"Pack {n}", band=model.bands[0][0], serial=f"S{n:06}",
             zone_id=rooms[n % 50].id)
        for n in range(UNITS)
    ]  # fmt: skip
    store.apply(Edit("Units", add(*units)))
    return store


def bare(store: Store) -> None:
    """One transaction that writes one row, without any of ours."""
    with store.engine.writing() as connection:
        connection.exec_driver_sql("UPDATE counter SET next_id = next_id + 1")


def changed(store: Store, units: list[Unit]) -> None:
    changes = tuple(Change(u, replace(u, note=u.note + ".")) for u in units)
    landed = store.apply(Edit("Note", changes))
    units[:] = [c.after for c in landed.changes if isinstance(c.after, Unit)]


def measure(title: str, place: Place) -> None:
    started = time.perf_counter()
    store = filled(place)
    print(f"{title}: {UNITS} units put in in {time.perf_counter() - started:.1f} s")
    store.close()
    opened = time.perf_counter()
    store = Store.open(place)
    opened = time.perf_counter() - opened
    baseline = least(lambda: bare(store))
    known = [u.id for u in store.page(Unit, 0, 400)]
    one, many = [store.get(Unit, known[0])], [store.get(Unit, n) for n in known[1 : AT_ONCE + 1]]
    numbers = iter(known[AT_ONCE + 1 :])
    rows = (
        ("open", opened, ""),
        ("get one by id, not asked before", least(lambda: store.get(Unit, next(numbers))), "(wanted under 1 ms)"),
        ("edit of one record", least(lambda: changed(store, one)), "(wanted under 30 ms)"),
        (f"edit of {AT_ONCE} records", least(lambda: changed(store, many)), "(wanted under 60 ms)"),
        (
            f"page of {PAGE} units, the last",
            least(lambda: store.page(Unit, UNITS - PAGE, PAGE)),
            "(wanted under 50 ms)",
        ),
        (f"page of {PAGE} lines of history", least(lambda: history.page(store.engine)), PAGED),
    )
    print(f"{'a bare transaction of one row':<58} {1e3 * baseline:9.2f} ms")
    for what, seconds, limit in rows:
        print(f"{what:<58} {1e3 * seconds:9.2f} ms {seconds / baseline:8.2f} × {limit}")
    store.close()


def main(_: list[str]) -> None:
    import postgres

    with tempfile.TemporaryDirectory() as folder:
        measure("file", File(Path(folder) / "book.azven"))
    if reason := postgres.missing():
        print(reason)
        return
    server = postgres.TestServer()
    try:
        measure("server", server.database())
    finally:
        server.close()
