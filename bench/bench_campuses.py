"""Nine campuses of forty links each that hear one another, planned together: anew, and mended where only little is
wrong; beside one campus by itself."""

import tempfile
import time
from pathlib import Path

import timing
from azven.book import regions
from azven.book.edits import Edit, add
from azven.book.records import Act, Distance, Model, Region, Show, Site, Zone
from azven.book.store import Store
from azven.work import books, kit, plan
from azven.work.register import across, all_campuses
from azven.work.scope import of_show

CAMPUSES, LINKS = 9, 40
_KINDS = (("Body pack voice, companded FM", 16), ("Voice, robust digital", 14), ("In-ear stereo, FM", 10))


def book(path: Path) -> Store:
    """Nine sites 4 to 14 km apart, each with a room and a show of forty links on at the same time."""
    from datetime import UTC, datetime, timedelta

    store = books.new_book(path)
    document = next(r for r in regions.shipped() if "8" in r["key"] or r["key"] == "marrowby-coast")
    region = Region(id=store.reserve(), key=document["key"], title=document["title"], dated=document["dated"],
                    document=document)  # fmt: skip
    store.apply(Edit("Region", add(region)))
    models = {m.name: m for m in store.all(Model)}
    starts = datetime(2026, 9, 12, 18, tzinfo=UTC)
    sites = []
    for k in range(CAMPUSES):
        first = store.reserve(4)
        site = Site(id=first, name=f"Campus {k + 1}", region_id=region.id, time_zone="CET")
        room = Zone(id=first + 1, site_id=first, name="Hall")
        show = Show(id=first + 2, site_id=first, name=f"Evening {k + 1}")
        act = Act(id=first + 3, show_id=show.id, name="Evening", starts_at=starts, ends_at=starts + timedelta(hours=4))
        store.apply(Edit("Campus", add(site, room, show, act)))
        links = []
        for name, count in _KINDS:
            model = models[name]
            links += kit.alike(store, show, f"{k + 1} {name[:5]}", count, model, model.bands[0][0], room, len(links),
                               priority=1 + k % 3)  # fmt: skip
        store.apply(Edit("Links", add(*links)))
        sites.append(site)
    far = [Distance(id=store.reserve(), site_a_id=a.id, site_b_id=b.id, km=4.0 + (5 * i + 3 * j) % 11, clutter="suburb")
           for i, a in enumerate(sites) for j, b in enumerate(sites) if i < j]  # fmt: skip
    store.apply(Edit("Distances", add(*far)))
    return store


def together(store: Store, way: all_campuses.Way) -> tuple[float, all_campuses.Together]:
    """Time [s] of planning them together, and what came of it."""
    begun = time.perf_counter()
    show = next(s for s in store.all(Show) if s.name == "Evening 1")
    found = all_campuses.plan_together(
        store.place, of_show(show), way, lambda d, t: True, lambda: time.perf_counter() - begun
    )
    return time.perf_counter() - begun, found


def main(given: list[str]) -> None:
    """Print times beside planning one campus alone."""
    with tempfile.TemporaryDirectory() as folder:
        store = book(Path(folder) / "book.azven")
        show = next(s for s in store.all(Show) if s.name == "Evening 1")
        begun = time.perf_counter()
        board = plan.board_of(store, of_show(show))
        from azven.work.plan import search

        search.plan_all(board, lambda d, t: True, lambda: time.perf_counter() - begun)
        alone = time.perf_counter() - begun
        print(f"one campus of {LINKS} links alone: {alone:.1f} s")
        seconds, found = together(store, "anew")
        timing.row(f"{CAMPUSES} campuses × {LINKS} links, anew", seconds, alone, "(wanted within 20 s)")
        print(all_campuses.in_words(found), f"{found.far} pairs of rooms are far")
        store.apply(all_campuses.adopt(store, found))
        left = sum(len(across.pairs(store, of_show(s))[0]) for s in found.shows)
        print(f"pairs that still matter: {left}")
        seconds, found = together(store, "mend")
        timing.row("the same, with nothing wrong, mended", seconds, alone, "(wanted within 20 s)")
        print(all_campuses.in_words(found))
        store.close()
