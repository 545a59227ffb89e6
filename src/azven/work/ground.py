"""Ground: territory, rooms and how they hear one another, neighbours, what is permitted."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import Any, Literal

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.records import (
    SERVICES,
    Act,
    Link,
    Model,
    Neighbour,
    Record,
    Region,
    Relation,
    Show,
    Site,
    Sweep,
    Unit,
    Zone,
)
from azven.book.regions import Rule, Territory, territory
from azven.book.store import Store
from azven.rf.sweep import Channel
from azven.work.catalogue import generic_models

RelationName = Literal["together", "near", "apart"]
NEAR_FROM_DB = 15.0
APART_FROM_DB = 40.0


@dataclass(frozen=True)
class Place:
    """Where we are: the site and show at hand, with the region's rules."""

    site: Site
    show: Show
    region: Territory | None

    def channels(self) -> list[Channel]:
        """The television raster, empty without a region."""
        if self.region is None:
            return []
        return [Channel(c.name, c.low_hz, c.high_hz) for c in self.region.channels]


def new_book(path: Path) -> Store:
    """A new book with one site, one show, one room and the generic models, ready to be filled in."""
    store = Store.create(path)
    models = generic_models()
    first = store.reserve(3 + len(models))
    site = Site(id=first, name="New site")
    store.apply(
        Edit(
            "New book",
            add(
                site,
                Zone(id=first + 1, site_id=first, name="Main room"),
                Show(id=first + 2, site_id=first, name="New show"),
                *(replace(m, id=first + 3 + i) for i, m in enumerate(models)),
            ),
        )
    )
    return store


def current(store: Store) -> Place:
    """The first site with its first show; ValueError for a book without either."""
    sites, shows = store.all(Site), store.all(Show)
    if not sites or not shows:
        raise ValueError("this book has no site or no show")
    site = next((s for s in sites if s.id == shows[0].site_id), sites[0])
    region = store.get(Region, site.region_id) if site.region_id else None
    return Place(site, shows[0], None if region is None else territory(region.document))


def choose_region(store: Store, document: Mapping[str, Any]) -> Edit:
    """Make a region file, parsed and checked, the region of the site; the book keeps a copy of it as it is today."""
    site = current(store).site
    region_id = store.reserve()
    region = Region(
        id=region_id,
        key=document["key"],
        title=document["title"],
        dated=document["dated"],
        document=dict(document),
    )
    changes = add(region) + replace_record(site, replace(site, region_id=region_id))
    return Edit(f"Region: {document['title']}", changes)


def zones(store: Store) -> list[Zone]:
    """Rooms of the site in their order."""
    site = current(store).site
    return sorted(store.all(Zone, site_id=site.id), key=lambda z: (z.position, z.id))


def add_zone(store: Store, name: str) -> Edit:
    site = current(store).site
    existing = zones(store)
    name = unused(name.strip() or "Room", [z.name for z in existing])
    zone_id = store.reserve()
    zone = Zone(id=zone_id, site_id=site.id, name=name, position=len(existing))
    return Edit(f"Room {name}", add(zone), (zone_id,))


def rename_zone(store: Store, zone: Zone, name: str) -> Edit:
    name = name.strip()
    if not name:
        raise ValueError("A room needs a name.")
    if any(z.name == name and z.id != zone.id for z in zones(store)):
        raise ValueError(f"There is a room named {name} already.")
    return Edit(f"Rename {zone.name}", replace_record(zone, replace(zone, name=name)))


def remove_zone(store: Store, zone: Zone) -> Edit:
    """Take a room out with its relations; ValueError while links, units or neighbours are in it."""
    users = [
        *(x.name for x in store.all(Link, zone_id=zone.id)),
        *(x.name for x in store.all(Unit, zone_id=zone.id)),
        *(x.name for x in store.all(Neighbour, zone_id=zone.id)),
    ]
    if users:
        raise ValueError(
            f"{zone.name} is still used by {users[0]}" + (f" and {len(users) - 1} more." if users[1:] else ".")
        )
    related = [r for r in store.all(Relation) if zone.id in (r.zone_a_id, r.zone_b_id)]
    return Edit(f"Remove {zone.name}", remove([*related, zone]))


def relation_from_loss(loss_db: float) -> RelationName:
    """How two rooms hear one another across a wall loss: spacing still matters from 15 dB, nothing from 40 dB."""
    if loss_db < NEAR_FROM_DB:
        return "together"
    return "near" if loss_db < APART_FROM_DB else "apart"


def relations(store: Store) -> dict[frozenset[int], Relation]:
    """Stored relations by pair of zone ids; a pair that is not stored is apart."""
    return {frozenset((r.zone_a_id, r.zone_b_id)): r for r in store.all(Relation)}


def relate(store: Store, a: Zone, b: Zone, relation: RelationName, wall_loss_db: float | None = None) -> Edit:
    """Say how two rooms hear one another."""
    title = f"{a.name} and {b.name}: {relation}"
    existing = relations(store).get(frozenset((a.id, b.id)))
    if existing:
        return Edit(title, replace_record(existing, replace(existing, relation=relation, wall_loss_db=wall_loss_db)))
    new = Relation(id=store.reserve(), zone_a_id=a.id, zone_b_id=b.id, relation=relation, wall_loss_db=wall_loss_db)
    return Edit(title, add(new))


def neighbours(store: Store) -> list[Neighbour]:
    site = current(store).site
    return sorted(store.all(Neighbour, site_id=site.id), key=lambda n: n.freq_hz)


def add_neighbour(store: Store, name: str, freq_hz: int, **more: Any) -> Edit:
    """A foreign frequency [Hz]; ValueError when it makes no sense."""
    if not 100_000 <= freq_hz <= 100_000_000_000:
        raise ValueError(f"{freq_hz / 1e6:g} MHz is no frequency to keep clear of.")
    new = Neighbour(
        id=store.reserve(), site_id=current(store).site.id, name=name.strip() or "Neighbour", freq_hz=freq_hz, **more
    )
    return Edit(f"Neighbour {new.name}", add(new), (new.id,))


def change(before: Any, title: str, **values: Any) -> Edit:
    """Change some fields of a record."""
    return Edit(title, replace_record(before, replace(before, **values)))


def take_out(record: Any, title: str) -> Edit:
    return Edit(title, (Change(record, None),))


def permitted(region: Territory | None, low_hz: int, high_hz: int) -> list[tuple[int, int, Rule | None]]:
    """`[low_hz, high_hz]` cut at every rule edge; each piece with the rule that decides, None = not permitted.

    A reserved range beats a permitted one; of several permitted ones the lowest cap decides.
    """
    if region is None:
        return [(low_hz, high_hz, Rule(low_hz=low_hz, high_hz=high_hz, kind="permitted", title="no region chosen"))]
    edges = {low_hz, high_hz}
    edges.update(e for r in region.rules for e in (r.low_hz, r.high_hz) if low_hz < e < high_hz)
    cuts = sorted(edges)
    out: list[tuple[int, int, Rule | None]] = []
    for a, b in pairwise(cuts):
        over = [r for r in region.rules if r.low_hz <= a and b <= r.high_hz]
        over.sort(key=lambda r: (r.kind != "reserved", r.power_mw if r.power_mw is not None else 1e9))
        out.append((a, b, over[0] if over else None))
    return out


def open_points(store: Store) -> int:
    """What Ground still misses: a region, relations nobody has set."""
    place = current(store)
    rooms = zones(store)
    unset = len(rooms) * (len(rooms) - 1) // 2 - len(relations(store))
    return (place.region is None) + max(unset, 0)


def is_empty(store: Store) -> bool:
    """Whether nothing has been entered beyond what a new book holds."""
    kinds: tuple[type[Record], ...] = (Link, Sweep, Neighbour, Act)
    return not any(store.all(kind) for kind in kinds)


def models(store: Store) -> list[Model]:
    return sorted(store.all(Model), key=lambda m: (SERVICES.index(m.service), m.name))


def unused(name: str, taken: list[str]) -> str:
    """`name`, with a number behind it when it is taken."""
    if name not in taken:
        return name
    return next(f"{name} {n}" for n in range(2, len(taken) + 3) if f"{name} {n}" not in taken)
