"""Sites of a book: new ones, copies, archived ones, and what keeps one from being removed."""

from dataclasses import replace

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import (
    Antenna,
    Area,
    Backdrop,
    Deed,
    Design,
    Distance,
    Inquiry,
    ListedRack,
    Mount,
    Neighbour,
    Occupant,
    Permit,
    RackNetwork,
    Record,
    Relation,
    Show,
    Site,
    Sweep,
    Trace,
    Unit,
    Wall,
    Zone,
)
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work.copying import Copier
from azven.work.ground.hours import zone_here
from azven.work.ground.site import unused
from azven.work.wording import listed

_OF_SITE: tuple[type[Record], ...] = (Neighbour, Occupant, Permit, Wall, Backdrop, Design, RackNetwork)
_OF_ZONE: tuple[type[Record], ...] = (Area, Mount, Antenna)


def sites(store: Store) -> list[Site]:
    """All sites, those in use first, each part in the order of names."""
    return sorted(store.all(Site), key=lambda s: (s.archived, s.name.casefold(), s.id))


def add_site(store: Store, name: str) -> Edit:
    """A new site with a room and a show, so that there is something to go to; `select` names the show."""
    title = _free(store, name, "Site")
    site, room, show = fresh(store.reserve(3), title)
    return Edit(f"Site {title}", add(site, room, show), (show.id,))


def fresh(first_id: int, name: str) -> tuple[Site, Zone, Show]:
    """A site with what it takes to go there, a room and a show; their ids from `first_id` on."""
    site = Site(id=first_id, name=name, time_zone=zone_here())
    room = Zone(id=first_id + 1, site_id=first_id, name="Main room")
    return site, room, Show(id=first_id + 2, site_id=first_id, name="New show")


def duplicate_site(store: Store, site: Site, name: str) -> Edit:
    """A site again under another name: its rules, rooms, drawings, antennas and systems, with one empty show. Its
    sweeps, units and shows stay where they are; `select` names the new show."""
    title = _free(store, name, site.name)
    copier = Copier(store)
    (again,) = copier.copies([site], name=title, archived=False)
    rooms = store.all(Zone, site_id=site.id)
    new: list[Record] = [again, *copier.copies(rooms)]
    new += copier.copies(_relations(store, rooms))
    for kind in _OF_SITE:
        new += copier.copies(store.all(kind, site_id=site.id))
    for kind in _OF_ZONE:
        new += copier.copies(r for z in rooms for r in store.all(kind, zone_id=z.id))
    show = Show(id=store.reserve(), site_id=again.id, name="New show")
    return Edit(f"Copy of {site.name}", add(*new, show), (show.id,))


def districts(store: Reading) -> list[str]:
    """The districts that sites in use are in, by name."""
    return sorted({s.district for s in store.all(Site, archived=False)} - {""}, key=lambda d: (d.casefold(), d))


def set_district(site: Site, name: str) -> Edit:
    """The part of the house that a site belongs to; none where nothing is said."""
    district = " ".join(name.split())
    title = f"{site.name}: in {district}" if district else f"{site.name}: in no district"
    return Edit(title, replace_record(site, replace(site, district=district)))


def remove_site(store: Store, site: Site) -> Edit:
    """Take a site out with its rooms, rules and sweeps; Refusal while shows run there or units stand there."""
    rooms = store.all(Zone, site_id=site.id)
    if shows := store.all(Show, site_id=site.id):
        raise Refusal(f"{site.name} is still needed by {listed([s.name for s in shows], 3)}: remove its shows first.")
    if units := [u for z in rooms for u in store.all(Unit, zone_id=z.id)]:
        raise Refusal(f"{site.name} is still needed: {listed([u.name for u in units], 3)} stand there.")
    sweeps = store.all(Sweep, site_id=site.id)
    gone: list[Record] = [t for s in sweeps for t in store.all(Trace, sweep_id=s.id)]
    gone += [*sweeps, *_relations(store, rooms)]
    gone += [r for kind in _OF_ZONE for z in rooms for r in store.all(kind, zone_id=z.id)]
    of_site: tuple[type[Record], ...] = (*_OF_SITE, ListedRack)
    gone += [r for kind in of_site for r in store.all(kind, site_id=site.id)]
    gone += [d for d in store.all(Distance) if site.id in (d.site_a_id, d.site_b_id)]
    gone += [q for q in store.all(Inquiry) if site.id in (q.site_id, q.site_from_id)]
    at_home = store.all(Unit, site_home_id=site.id)
    homeless = tuple(c for u in at_home for c in replace_record(u, replace(u, site_home_id=None)))
    return Edit(f"Remove {site.name}", homeless + _in_words(store, site) + remove([*gone, *rooms, site]))


def _in_words(store: Store, site: Site) -> tuple[Change, ...]:
    """Where units are and were, in words, since the site is gone."""
    kinds: tuple[type[Unit] | type[Deed], ...] = (Unit, Deed)
    there = [r for kind in kinds for r in store.all(kind, site_at_id=site.id)]
    return tuple(
        c for r in there
        for c in replace_record(r, replace(r, site_at_id=None, place=", ".join(filter(None, (r.place, site.name)))))
    )  # fmt: skip


def _relations(store: Store, rooms: list[Zone]) -> list[Relation]:
    here = {z.id for z in rooms}
    return [r for r in store.all(Relation) if {r.zone_a_id, r.zone_b_id} <= here]


def _free(store: Store, name: str, otherwise: str) -> str:
    return unused(name.strip() or otherwise, [s.name for s in store.all(Site)])
