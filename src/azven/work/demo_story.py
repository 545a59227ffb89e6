"""How the demonstration's book is made from its story, and what is on the air at the simulated harbour."""

import sys
from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

from azven.book import regions
from azven.book.author import Author
from azven.book.columns import frozen
from azven.book.edits import Edit, add
from azven.book.records import (
    EPOCH,
    Antenna,
    Area,
    Model,
    Mount,
    Region,
    Show,
    Site,
    Wall,
    Zone,
)
from azven.book.store import Store
from azven.rf.links import WALL_DB
from azven.rf.sweep import SweepSettings
from azven.rf.venue import Antenna as VenueAntenna
from azven.rf.venue import Electronics, Emitter, Multiplex, Venue
from azven.rf.walls import WallLine
from azven.work import demo_elsewhere, demo_records, demo_stock, ids, kit, listen, plan
from azven.work.demo import script
from azven.work.kit.catalogue import generic_models
from azven.work.listen.taking import About
from azven.work.scope import Scope

CREW = Author("regatta crew", "harbour desk")
"""Whoever has made the demonstration book."""


def prepare(path: Path) -> Store:
    """Make the demonstration book from the story; what ships is made by `python -m azven.work.demo_story FILE`."""
    store = Store.create(path, CREW)
    story = script()
    number = _Numbers(store.reserve(400))
    rooms = _rooms(store, story, number)
    scope = _kit(store, story, rooms, number)
    _sweeps(store, scope, story)
    _plans_of_rooms(store, story, rooms)
    mounts = {m.name: m for z in rooms.values() for m in store.all(Mount, zone_id=z.id)}
    talking = demo_records.talking(store.get(Show, scope.show), story, rooms, mounts, number)
    store.apply(Edit("Intercom", add(*talking)))
    if story["plan"]:
        by_name = {x.name: ids.of(x) for x in kit.links(store, scope)}
        frequencies = {by_name[name]: freq for name, freq in story["plan"].items()}
        store.apply(plan.set_frequencies(store, scope, frequencies, "Plan all", complete=True))
    _systems(store, scope, rooms)
    home = store.get(Site, scope.site)
    for site in story["elsewhere"]:
        demo_elsewhere.prepare(store, home, site)
    demo_elsewhere.shows(store, story["shows"])
    demo_stock.prepare(store, story)
    demo_stock.bookings(store, story)
    demo_elsewhere.questions(store, story["asked"])
    return store


class _Numbers:
    def __init__(self, first: int) -> None:
        self._next = first

    def __call__(self) -> int:
        self._next += 1
        return self._next - 1


def _rooms(store: Store, story: Mapping[str, Any], number: _Numbers) -> dict[str, Zone]:
    document = next(r for r in regions.shipped() if r["key"] == story["region"])
    region = Region(
        id=number(), key=document["key"], title=document["title"], dated=document["dated"],
        document=document,
    )  # fmt: skip
    site = Site(id=number(), name=story["site"], region_id=region.id, time_zone=story["time_zone"])
    zones, relations = demo_records.rooms(site, story, number)
    neighbours = demo_records.neighbours(site, story, zones, number)
    store.apply(Edit("Rooms", add(region, site, *zones.values(), *relations, *neighbours)))
    return zones


def _kit(store: Store, story: Mapping[str, Any], zones: Mapping[str, Zone], number: _Numbers) -> Scope:
    site_id = next(iter(zones.values())).site_id
    show = Show(id=number(), site_id=site_id, name=story["show"], density=1)
    models: dict[str, Model] = {m.name: replace(m, id=number()) for m in generic_models()}
    acts = demo_records.acts(show, story, number)
    units = demo_records.units(story, models, zones, number)
    links = demo_records.links(show, story, models, zones, units, acts, number)
    packs = demo_records.packs(story, models, store.get(Site, site_id), number)
    store.apply(Edit("Kit", add(show, *models.values(), *acts.values(), *units.values(), *packs.values(), *links)))
    named = {x.name: x for x in links}
    store.apply(Edit("Persons", add(*demo_records.people(show, story, named, packs, acts, number))))
    store.apply(Edit("Wideband carriers", add(*demo_records.wideband(show, story, models, zones, number))))
    site = store.get(Site, site_id)
    others = demo_records.strangers(site, story, venue(), number)
    store.apply(Edit("Shared bands", add(*others)))
    store.apply(Edit("Patch", add(*demo_records.patch(show, story, named, number))))
    store.apply(Edit("Places", add(*demo_records.staging(show, story, named, acts, number))))
    return Scope(site_id, show.id)


def _plans_of_rooms(store: Store, story: Mapping[str, Any], zones: Mapping[str, Zone]) -> None:
    """Walls, areas and mounting places to scale, and a first pair of antennas in the hall."""
    from azven.work import reach

    number = _Numbers(store.reserve(100))
    site_id = next(iter(zones.values())).site_id
    walls = [
        Wall(id=number(), site_id=site_id, x1_m=a, y1_m=b, x2_m=c, y2_m=d, material=material)
        for a, b, c, d, material in story["walls"]
    ]
    areas = [
        Area(id=number(), zone_id=zones[room].id, kind=kind, name=name, shape=frozen(shape))
        for room, listed in story["areas"].items() for kind, name, shape in listed
    ]  # fmt: skip
    mounts = [
        Mount(id=number(), zone_id=zones[room].id, name=name, kind=kind, x_m=x, y_m=y, z_m=z)
        for room, listed in story["mounts"].items() for name, kind, x, y, z in listed
    ]  # fmt: skip
    store.apply(Edit("Plans of the rooms", add(*walls, *areas, *mounts)))
    hall = zones["Rope Hall"]
    for x in (-1.0, 1.0):
        store.apply(reach.place(store, hall, "A", x, 1.0))
    ears = Antenna(
        id=store.reserve(), zone_id=hall.id, name="Ear antenna", role="transmit", x_m=6.0, y_m=1.0, carriers=7
    )
    store.apply(Edit("Ear antenna", add(ears)))


def _systems(store: Store, scope: Scope, zones: Mapping[str, Zone]) -> None:
    """The three rooms as one receive system, as somebody in a hurry set it, and the in-ear rack."""
    from azven.work import chain
    from azven.work.chain import templates

    three = templates.receive(store, scope, "Three rooms, one rack", list(zones.values()))
    store.apply(chain.add_design(store, scope, chain.everything_up(three)))
    store.apply(chain.add_design(store, scope, templates.ears(store, scope)))


def _sweeps(store: Store, scope: Scope, story: Mapping[str, Any]) -> None:
    world = venue()
    for number, entry in enumerate(story["sweeps"], start=1):
        taken_s = -3600 * entry["hours_ago"]
        settings = SweepSettings(**entry.get("settings", story["sweep_settings"]))
        sweep = world.sweep(world.antennas[entry["use"]], settings, number, own_on=False, time_s=taken_s)
        about = About(entry["place"], entry["antenna"], own_on=False, hears=entry["hears"])
        store.apply(listen.keep(store, scope, sweep, about, "stand-in analyser", EPOCH))


def venue(own: tuple[Emitter, ...] = ()) -> Venue:
    """The simulated harbour: what is on the air there, and `own` carriers of ours."""
    story = script()["venue"]
    channels = {c.name: c for c in _raster()}
    multiplexes = tuple(
        Multiplex(
            low_hz=channels[m["channel"]].low_hz,
            high_hz=channels[m["channel"]].high_hz,
            level_dbm=m["level_dbm"],
            bearing_deg=m["bearing_deg"],
        )
        for m in story["multiplexes"]
    )
    emitters = tuple(Emitter(**demo_records.fields(e)) for e in story["emitters"])
    antennas = {k: VenueAntenna(**{**a, "position": tuple(a["position"])}) for k, a in story["antennas"].items()}
    walls = tuple(WallLine((a, b), (c, d), WALL_DB[material]) for a, b, c, d, material in script()["walls"])
    racks = tuple(Electronics(**demo_records.fields(e)) for e in story["electronics"])
    return Venue(
        multiplexes=multiplexes,
        emitters=emitters + own,
        seed=story["seed"],
        antennas=antennas,
        walls=walls,
        electronics=racks,
    )


@cache
def _raster() -> tuple[regions.RasterChannel, ...]:
    document = next(r for r in regions.shipped() if r["key"] == script()["region"])
    return regions.territory(document).channels


if __name__ == "__main__":
    prepare(Path(sys.argv[1])).close()
