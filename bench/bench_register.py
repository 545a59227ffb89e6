"""A register of 100 000 units at 61 campuses and 2 000 shows: lists, board, search, trails, an edit; `--deeds N` says
how many deeds.

Ratios are against one question by id in the same book; opening against opening an empty book.
"""

import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import made_register
import timing
from azven.book import stock
from azven.book.place import File, Place
from azven.book.records import Deed, Show, Unit
from azven.book.store import Store
from azven.work import books, kit, plan, register
from azven.work.register import Asked, Question, board, trails
from azven.work.scope import of_show
from azven.work.watch import hours

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

UNITS, SHOWS, DEEDS = 100_000, 2_000, 1_000_000
NOW = made_register.NOW


def least(action: Callable[[], object]) -> float:
    """Least wall time [s]: what is asked waits for the disk or the server."""
    return timing.least(action, 7, time.perf_counter)


def opened(place: Place) -> float:
    """Least time [s] to open a book."""
    return least(lambda: Store.open(place).close())


def measure(title: str, place: Place, empty: Place, deeds: int) -> None:
    """Print what each question takes."""
    books.new_book(empty).close()
    started = time.perf_counter()
    store = made_register.made(place, UNITS, SHOWS, deeds)
    print(f"\n{title}: {UNITS} units, {SHOWS} shows, {store.count(Deed)} deeds made in "
          f"{time.perf_counter() - started:.0f} s")  # fmt: skip
    evening = of_show(store.all(Show, archived=False)[0])
    started = time.perf_counter()
    plan.assignments(store, evening)
    kit.links(store, evening)
    print(f"{'links of a show and its plan, the first time':<58} {1e3 * (time.perf_counter() - started):9.0f} ms")
    print(f"{'the same of all shows, read in steps beside the work':<58} {_read_on(store)}")
    numbers = iter([u.id for u in store.page(Unit, 5_000, 400)])
    baseline = least(lambda: store.get(Unit, next(numbers)))
    unit = store.page(Unit, 50_000, 1)[0]
    started = time.perf_counter()
    _deed(store, unit.id)
    print(f"{'the first deed after that':<58} {1e3 * (time.perf_counter() - started):9.0f} ms")
    print(f"{'a unit by its id':<58} {1e3 * baseline:9.2f} ms")

    def asked(**more: object) -> Callable[[], object]:
        question = Question(**more)  # type: ignore[arg-type]
        return lambda: register.page(store, question, NOW)

    for what, action in (
        ("list, all", asked()),
        ("list, on loan", asked(state="on loan")),
        ("search, beginning of a serial", asked(text="S0054")),
        ("search, beginning of a holder", asked(text="tarn 4")),
        ("search, words of a note", asked(text="antenna bent")),
        ("list, in a district", asked(state="on loan", district=made_register.DISTRICTS[0])),
        ("not touched for 90 days", asked(quiet_days=90)),
        ("not counted for 90 days", asked(unseen_days=90)),
        ("board", lambda: board.campuses(store, NOW)),
        ("links of a show and its plan", lambda: plan.assignments(store, evening)),
        ("trail of a unit", lambda: store.page(Deed, 0, 500, unit_id=unit.id)),
        ("hours of a unit", lambda: hours.of_unit(store, unit)),
        ("trail of a person", lambda: trails.of_person(store, "Tarn 4")),
        ("firmwares", lambda: stock.firmwares(store)),
    ):
        timing.row(what, least(action), baseline, "(wanted under 100 ms)")
    timing.row("a deed", least(lambda: _deed(store, unit.id)), baseline, "(wanted under 30 ms)")
    store.close()
    first = opened(empty)
    print(f"{'opening, against an empty book':<58} {1e3 * opened(place):9.1f} ms {opened(place) / first:8.2f} × "
          "(wanted under 1.5)")  # fmt: skip


def _read_on(store: Store) -> str:
    """How long it takes to read all that was left for later, and its longest steps."""
    took = []
    more = True
    while more:
        started = time.perf_counter()
        more = store.read_on()
        took.append(1e3 * (time.perf_counter() - started))
    longest = sorted(took)[-3:]
    return f"{sum(took):9.0f} ms, {len(took)} steps, the longest {', '.join(f'{t:.0f}' for t in longest)} ms"


def _deed(store: Store, number: int) -> None:
    asked = replace(Asked(deed="count", at=NOW), by="Merle")
    store.apply(register.do(store, [store.get(Unit, number)], asked))


def main(given: list[str]) -> None:
    """Both engines where there is a server, else the file alone."""
    import postgres

    deeds = int(given[given.index("--deeds") + 1]) if "--deeds" in given else DEEDS
    with tempfile.TemporaryDirectory() as folder:
        measure("file", File(Path(folder) / "book.azven"), File(Path(folder) / "empty.azven"), deeds)
    if reason := postgres.missing():
        print(reason)
        return
    server = postgres.TestServer()
    try:
        measure("server", server.database(), server.database(), deeds)
    finally:
        server.close()
