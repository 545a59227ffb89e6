"""Ground: territory, rooms and how they hear one another, neighbours."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import (
    SERVICES,
    Link,
    Model,
    Neighbour,
    Occupant,
    Permit,
    Region,
    Relation,
    RelationName,
    Show,
    Site,
    Unit,
    Wideband,
    WidePack,
    Zone,
)
from azven.book.regions import Territory, territory
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.sweep import Channel
from azven.work.ground.hours import Clock, zone_here, zone_names
from azven.work.scope import Scope

NEAR_FROM_DB = 15.0
APART_FROM_DB = 40.0


@dataclass(frozen=True)
class Place:
    """Where we are: the site and show at hand, with the region's rules."""

    site: Site
    show: Show
    region: Territory | None
    permits: tuple[Permit, ...] = ()

    @property
    def clock(self) -> Clock:
        """The site's own clock."""
        return Clock(self.site.time_zone)

    def channels(self) -> list[Channel]:
        """The television raster, empty without a region."""
        if self.region is None:
            return []
        return [Channel(c.name, c.low_hz, c.high_hz) for c in self.region.channels]

    def stations(self) -> tuple[str, ...]:
        """Raster channels listed as used by television here: the site's own list, else the region's."""
        return self.site.stations or (self.region.stations if self.region is not None else ())


def here(store: Reading, scope: Scope) -> Place:
    """The site and the show of a scope; Refusal when one of them is gone."""
    sites, shows = store.all(Site, id=scope.site), store.all(Show, id=scope.show)
    if not sites or not shows:
        raise Refusal("This show is no longer in the book; go to another one.")
    site, show = sites[0], shows[0]
    region = store.get(Region, site.region_id) if site.region_id else None
    held = tuple(store.all(Permit, site_id=site.id))
    return Place(site, show, None if region is None else _rules(region), held)


@lru_cache(8)
def _rules(region: Region) -> Territory:
    return territory(region.document)


def choose_region(store: Store, scope: Scope, document: Mapping[str, Any]) -> Edit:
    """Make a region file, parsed and checked, the region of the site; the book keeps a copy of it as it is today."""
    site = here(store, scope).site
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


def zones(store: Reading, scope: Scope) -> list[Zone]:
    """Rooms of the site in their order."""
    return zones_of(store, scope.site)


def zones_of(store: Reading, site_id: int) -> list[Zone]:
    """Rooms of any site, by its id, in their order."""
    return sorted(store.all(Zone, site_id=site_id), key=lambda z: (z.position, z.id))


def add_zone(store: Store, scope: Scope, name: str) -> Edit:
    site = here(store, scope).site
    existing = zones(store, scope)
    name = name.strip() or unused("Room", [z.name for z in existing])
    zone_id = store.reserve()
    zone = Zone(id=zone_id, site_id=site.id, name=name, position=len(existing))
    return Edit(f"Room {name}", add(zone), (zone_id,))


def rename_zone(store: Reading, zone: Zone, name: str) -> Edit:
    name = name.strip()
    if not name:
        raise Refusal("A room needs a name.")
    return Edit(f"Rename {zone.name}", replace_record(zone, replace(zone, name=name)))


def remove_zone(store: Reading, scope: Scope, zone: Zone) -> Edit:
    """Take a room out with its relations; Refusal while something is in it or has to be heard there."""
    users = [
        *(x.name for x in store.all(Link, zone_id=zone.id)),
        *(x.name for x in store.all(Unit, zone_id=zone.id)),
        *(x.name for x in store.all(Neighbour, zone_id=zone.id)),
        *(x.name for x in store.all(Occupant, zone_id=zone.id)),
        *(x.name for x in store.all(Wideband) if zone.id in x.rooms),
        *(x.name for x in store.all(WidePack) if zone.id in x.rooms),
    ]
    if users:
        raise Refusal(
            f"{zone.name} is still used by {users[0]}" + (f" and {len(users) - 1} more." if users[1:] else ".")
        )
    related = [r for pair, r in relations(store, scope).items() if zone.id in pair]
    return Edit(f"Remove {zone.name}", remove([*related, zone]))


def relation_from_loss(loss_db: float) -> RelationName:
    """How two rooms hear one another across a wall loss: spacing still matters from 15 dB, nothing from 40 dB."""
    if loss_db < NEAR_FROM_DB:
        return "together"
    return "near" if loss_db < APART_FROM_DB else "apart"


def relations(store: Reading, scope: Scope) -> dict[frozenset[int], Relation]:
    """Stored relations by pair of zone ids; a pair that is not stored is apart."""
    here_too = {z.id for z in zones(store, scope)}
    stored = {frozenset((r.zone_a_id, r.zone_b_id)): r for r in store.all(Relation)}
    return {pair: r for pair, r in stored.items() if pair <= here_too}


def relate(
    store: Store, scope: Scope, a: Zone, b: Zone, relation: RelationName, wall_loss_db: float | None = None
) -> Edit:
    """Say how two rooms hear one another."""
    title = f"{a.name} and {b.name}: {relation}"
    existing = relations(store, scope).get(frozenset((a.id, b.id)))
    if existing:
        return Edit(title, replace_record(existing, replace(existing, relation=relation, wall_loss_db=wall_loss_db)))
    new = Relation(id=store.reserve(), zone_a_id=a.id, zone_b_id=b.id, relation=relation, wall_loss_db=wall_loss_db)
    return Edit(title, add(new))


def neighbours(store: Reading, scope: Scope) -> list[Neighbour]:
    return sorted(store.all(Neighbour, site_id=scope.site), key=lambda n: n.freq_hz)


def add_neighbour(store: Store, scope: Scope, name: str, freq_hz: int, **more: Any) -> Edit:
    """A foreign frequency [Hz]; Refusal when it makes no sense."""
    check_frequency(freq_hz)
    new = Neighbour(
        id=store.reserve(),
        site_id=scope.site,
        name=name.strip() or "Neighbour",
        freq_hz=freq_hz,
        **more,
    )
    return Edit(f"Neighbour {new.name}", add(new), (new.id,))


def hertz(text: Any) -> int:
    """A frequency typed in MHz, in hertz; Refusal when it is none."""
    try:
        return round(float(str(text).replace(",", ".")) * 1e6)
    except (ValueError, OverflowError):
        raise Refusal(f"“{text}” is not a frequency in MHz.") from None


def kilohertz(text: Any) -> int:
    """A distance typed in kHz, in hertz; Refusal when it is none or over 50 MHz."""
    try:
        found = round(float(str(text).replace(",", ".")) * 1e3)
    except (ValueError, OverflowError):
        raise Refusal(f"“{text}” is not a number of kHz.") from None
    if not 0 <= found <= 50_000_000:
        raise Refusal(f"{text} kHz is out of range.")
    return found


def check_frequency(freq_hz: int) -> None:
    """Refusal for what cannot be a radio frequency [Hz]."""
    if not 100_000 <= freq_hz <= 100_000_000_000:
        raise Refusal(f"{freq_hz / 1e6:g} MHz is no frequency to keep clear of.")


def change(before: Any, title: str, **values: Any) -> Edit:
    """Change some fields of a record."""
    return Edit(title, replace_record(before, replace(before, **values)))


def take_out(record: Any, title: str) -> Edit:
    return Edit(title, (Change(record, None),))


def set_site(store: Reading, scope: Scope, title: str, **values: Any) -> Edit:
    """Change the site: television guard, thresholds, note."""
    return change(here(store, scope).site, title, **values)


def set_time_zone(store: Reading, scope: Scope, name: str) -> Edit:
    """Read times as those of a zone of the zone database; moments stay, hours of neighbours are meant there from now
    on. Refusal for a zone that it does not have."""
    if name not in zone_names():
        raise Refusal(f"“{name[:80]}” is no time zone; choose one such as {zone_here()}.")
    return set_site(store, scope, f"Times of {name}", time_zone=name)


def set_stations(store: Reading, scope: Scope, text: str) -> Edit:
    """The raster channels that the local list gives, separated by commas or spaces; Refusal for unknown ones."""
    named = tuple(dict.fromkeys(text.replace(",", " ").replace(";", " ").split()))
    known = {c.name for c in here(store, scope).channels()}
    if wrong := [name for name in named if name not in known]:
        raise Refusal(f"{', '.join(wrong)}: no such channel in this raster.")
    return set_site(store, scope, "Television stations listed here", stations=named)


def open_points(store: Reading, scope: Scope) -> int:
    """What Ground still misses: a region, relations nobody has set."""
    place = here(store, scope)
    rooms = zones(store, scope)
    unset = len(rooms) * (len(rooms) - 1) // 2 - len(relations(store, scope))
    return (place.region is None) + max(unset, 0)


def models(store: Reading) -> list[Model]:
    return sorted(store.all(Model), key=lambda m: (SERVICES.index(m.service), m.name))


def unused(name: str, taken: list[str]) -> str:
    """`name`, with a number behind it when it is taken."""
    if name not in taken:
        return name
    return next(f"{name} {n}" for n in range(2, len(taken) + 3) if f"{name} {n}" not in taken)
