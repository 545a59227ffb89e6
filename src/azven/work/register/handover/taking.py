"""Taking over: what a package would change in this book, and the edit that does it.

What the book holds is never changed: records that came from that book before, or that are of it, stay as they are, and
where they differ it is told.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from azven.book.edits import Edit, add
from azven.book.formats.handover import Package
from azven.book.records import (
    Assignment,
    Booking,
    Design,
    Link,
    Origin,
    Plan,
    Reception,
    Region,
    Show,
    Site,
    Unit,
    Wall,
    Wideband,
    Zone,
)
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ids
from azven.work.ground import bundle
from azven.work.register.handover.against import After, Against, Line
from azven.work.register.handover.units import take_units
from azven.work.register.handover.writing import OF_ROOM, OF_SHOW
from azven.work.scope import Scope
from azven.work.wording import listed, mhz, one_line

_NAMED = 200


@dataclass(frozen=True)
class Takeover:
    """What taking a package over would do; no edit where it would change nothing. `show`: where to look then."""

    edit: Edit
    lines: tuple[Line, ...]
    show: int


def preview(store: Store, package: Package) -> Takeover:
    """What a package would change. Refusal where it has no site or no show that can be used."""
    x = Against(store, package)
    _site(x)
    fresh = _rooms(x)
    x.models([*(r.model_id for r in x.of(Link)), *(r.model_id for r in x.of(Wideband))])
    _drawn(x, fresh)
    take_units(x)
    _show(x)
    for words in package.refused:
        if not words.startswith("sweeps/"):
            x.say("left out", "record", words)
    title = f"Take over {one_line(package.about.show_name)} from {one_line(package.about.site_name)}"
    nothing = all(c.kind is Origin for c in x.changes)
    changes = () if nothing else (*x.changes, *add(*x.origins()))
    return Takeover(Edit(title, changes), x.told(), x.known[Show, x.one(Show).id])


def _site(x: Against) -> None:
    """The site: known, of the same name, or new with its rules."""
    theirs = x.one(Site)
    mine = x.here(Site, theirs.id) or x.named(Site, theirs.name)
    if mine is not None:
        x.known[Site, theirs.id] = mine.id
        x.say("is here", "site", mine.name)
        return
    for region in x.of(Region):
        same = [r for r in x.store.all(Region) if (r.key, r.dated) == (region.key, region.dated)]
        if same:
            x.known[Region, region.id] = same[0].id
        else:
            x.add(region)
    x.add(replace(theirs, archived=False))
    x.say("new", "site", theirs.name)


def _rooms(x: Against) -> set[int]:
    """Rooms, how they hear one another, neighbours and sweeps, as a site bundle is taken in; returns the numbers of the
    rooms that are new."""
    before = {z.id for z in x.store.all(Zone)}
    show = Show(id=x.store.reserve(), site_id=x.site, name="")
    merged = bundle.merge(
        After(x.store, Edit("", (*x.changes, *add(show)))), Scope(x.site, show.id), x.package.bundle
    )  # fmt: skip
    for words in merged.said:
        if words != "nothing new":
            x.say("left out" if words.startswith("left out") else "new", "ground", words.removeprefix("left out "))
    x.take(*merged.edit.changes)
    numbers = {ids.of(z): z.id for z in x.of(Zone)}
    for member, here in merged.rooms.items():
        if member in numbers:
            x.known[Zone, numbers[member]] = here
    return set(merged.rooms.values()) - before


def _drawn(x: Against, fresh: set[int]) -> None:
    """Areas, mounts and antennas of rooms that are new here, walls where there are none, antenna systems by their
    names; rooms that were here keep what is drawn in them."""
    for kind in OF_ROOM:
        new = [r for r in x.of(kind) if x.known.get((Zone, getattr(r, "zone_id", 0)), 0) in fresh]
        x.count("new", kind.__name__.lower(), len(x.add(*new)))
    if fresh and not x.store.all(Wall, site_id=x.site):
        x.count("new", "wall", len(x.add(*x.of(Wall))))
    names = {d.name.casefold() for d in x.store.all(Design, site_id=x.site)}
    words = {ids.key(Zone, n): ids.key(Zone, here) for (kind, n), here in x.known.items() if kind is Zone}
    for design in x.of(Design):
        if x.here(Design, design.id) is not None or design.name.casefold() in names:
            x.say("is here", "antenna system", design.name)
        elif not x.gone(Design, design.id):
            x.add(replace(design, document=_renamed(design.document, words)))
            x.say("new", "antenna system", design.name)


def _renamed(value: Any, words: Mapping[str, str]) -> Any:
    """A document in which some ids are others."""
    if isinstance(value, str):
        return words.get(value, value)
    if isinstance(value, Mapping):
        return {_renamed(k, words): _renamed(v, words) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return tuple(_renamed(v, words) for v in value)
    return value


def _show(x: Against) -> None:
    """The show with acts, links and frequencies: new here, or what is new of it."""
    theirs = x.one(Show)
    if x.gone(Show, theirs.id):
        raise Refusal(f"{one_line(theirs.name)} was taken over before and removed here since; nothing was changed.")
    mine = x.here(Show, theirs.id)
    if mine is None:
        notes = [part for part in (theirs.note.strip(), x.package.notes.strip()) if part]
        x.add(replace(theirs, note="\n".join(notes)))
        x.say("new", "show", theirs.name)
    else:
        x.known[Show, theirs.id] = mine.id
        x.say("is here", "show", mine.name)
    for kind in (*OF_SHOW, Reception):
        _, held = x.add_unknown(kind)
        if kind is Link:
            x.count("is here", "link", held)
    _frequencies(x)
    _bookings(x)


def _frequencies(x: Against) -> None:
    """Frequencies of links that have none here; others stay, and are told where they differ."""
    show, now = x.known[Show, x.one(Show).id], x.now()
    plan = next(iter(now.all(Plan, show_id=show)), None)
    held = {a.link_id: a for a in now.all(Assignment, plan_id=plan.id)} if plan is not None else {}
    new, differ = list[Assignment](), list[str]()
    for placed in x.of(Assignment):
        here = x.known.get((Link, placed.link_id))
        mine = held.get(here) if here is not None else None
        if here is not None and mine is None:
            new.append(placed)
        elif mine is not None and mine.freq_hz != placed.freq_hz:
            name = now.get(Link, mine.link_id).name
            differ.append(f"{name} {mhz(mine.freq_hz)}, there {mhz(placed.freq_hz)}")
    if new:
        theirs = x.one(Plan)
        if plan is None:
            (plan,) = x.add(replace(theirs, inputs={}))
        x.known[Plan, theirs.id] = plan.id
        x.count("new", "frequency", len(x.add(*new)), ", to be judged by the rules here")
    if differ:
        x.say("differs", "frequency", f"stay as they are here: {listed(differ, _NAMED)}")


def _bookings(x: Against) -> None:
    told = [
        (x.known.get((Show, ids.number(b.show))), x.known.get((Unit, ids.number(b.unit))))
        for b in x.package.register.bookings
    ]
    shows = {show for show, _ in told if show is not None}
    held = {(b.show_id, b.unit_id) for show in shows for b in x.store.all(Booking, show_id=show)}
    new = [(show, unit) for show, unit in dict.fromkeys(told) if show and unit and (show, unit) not in held]
    first = x.store.reserve(len(new)) if new else 0
    x.take(*add(*(Booking(id=first + k, show_id=show, unit_id=unit) for k, (show, unit) in enumerate(new))))
    x.count("new", "booking", len(new))
