"""Shows of a book: empty ones, from a template, copies for this or another site; archived and removed."""

import json
from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from importlib.resources import files
from typing import Any

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.reading import Making, Reading
from azven.book.records import (
    Act,
    Assignment,
    Booking,
    Deed,
    Intercom,
    KeptPlan,
    Link,
    Mapped,
    Model,
    Pair,
    Person,
    Plan,
    Port,
    Proof,
    RadarEvent,
    Reception,
    Record,
    Route,
    Show,
    SignOff,
    Site,
    Staging,
    TalkGroup,
    WalkTest,
    Wanted,
    Wideband,
    WidePack,
    Worn,
    Zone,
)
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ground, kit
from azven.work.copying import Copier

_OF_SHOW: tuple[type[Record], ...] = (Pair, Route, Port, RadarEvent, Intercom, TalkGroup, Wanted, Staging)
_PROVEN: tuple[type[Record], ...] = (Mapped, Proof, SignOff, WalkTest)
"""What was done for a show on its day; a copy of it begins anew."""


def shows(store: Store, site_id: int) -> list[Show]:
    """The shows of a site, those in use first, each part newest first."""
    return sorted(store.all(Show, site_id=site_id), key=lambda s: (s.archived, -s.id))


@cache
def templates() -> dict[str, Any]:
    """Kinds of show to begin with: by title, their acts and groups of links."""
    text = (files("azven") / "data" / "show-templates.json").read_text("utf-8")
    found: dict[str, Any] = json.loads(text)["templates"]
    return found


def add_show(store: Store, site: Site, name: str, template: str = "") -> Edit:
    """A show at a site, empty or with the acts and links of a template in the site's first room; Refusal for a site
    without a room or a book without a model that a template asks for."""
    title = _free(store, site, name, template or "Show")
    show = Show(id=store.reserve(), site_id=site.id, name=title)
    if not template:
        return Edit(f"Show {title}", add(show), (show.id,))
    asked = templates()[template]
    names = asked["acts"]
    first = store.reserve(len(names)) if names else 0
    acts = [Act(id=first + i, show_id=show.id, name=n, position=i) for i, n in enumerate(names)]
    return Edit(f"Show {title}", add(show, *acts, *_links(store, site, show, asked["links"])), (show.id,))


def _links(store: Store, site: Site, show: Show, groups: list[dict[str, Any]]) -> list[Link]:
    room = _rooms(store, site)[0]
    out: list[Link] = []
    for group in groups:
        model = _model(store, group["model"], group["service"])
        spare, priority = group.get("spare", False), group["priority"]
        out += kit.alike(
            store, show, group["name"], group["count"], model, model.bands[0][0], room, len(out),
            priority=priority, spare=spare,
        )  # fmt: skip
    return out


def _rooms(store: Reading, site: Site) -> list[Zone]:
    """Rooms of a site in their order; Refusal when it has none."""
    rooms = ground.zones_of(store, site.id)
    if not rooms:
        raise Refusal(f"{site.name} has no room yet; add one in Ground first.")
    return rooms


def _model(store: Store, name: str, service: str) -> Model:
    """The model of a name, else the first of its service."""
    known = [m for m in store.all(Model) if m.service == service]
    if not known:
        raise Refusal(f"This template needs a model for {service}; the book has none.")
    return next((m for m in known if m.name == name), known[0])


def copy_show(store: Making, show: Show, site: Site, name: str, on_tour: bool = False) -> Edit:
    """A show again, at the same or another site, with its acts and links; `select` names it.

    At the same site it keeps units and frequencies; the plan is stale where links are on in acts, since those are
    other acts now. At another one links go to the room of the same name, else the first, and have neither units nor
    frequencies; `on_tour` the units go with them.
    """
    title = _free(store, site, name, show.name)
    same = site.id == show.site_id
    rooms = {} if same else _rooms_by_name(store, show, site)
    copier = Copier(store, rooms)
    (again,) = copier.copies([show], site_id=site.id, name=title, archived=False)
    new: list[Record] = [again, *copier.copies(store.all(Act, show_id=show.id))]
    links = copier.copies(store.all(Link, show_id=show.id), switched_on=False)
    new += links if same or on_tour else [replace(x, unit_id=None, receiver=0) for x in links]
    new += _around(store, show, copier, same, same or on_tour)
    if same:
        for plan in store.all(Plan, show_id=show.id)[:1]:
            new += copier.copies([plan], inputs=_of_copies(plan.inputs, copier))
            new += copier.copies(store.all(Assignment, plan_id=plan.id))
    return Edit(f"{title}, like {show.name}", add(*new), (again.id,))


def _around(store: Making, show: Show, copier: Copier, same: bool, units: bool) -> list[Record]:
    """Persons with what they wear, pairs, patch, ports and wideband carriers of a show again; `units`: on the packs
    and receivers that they are on. At another site carriers are in no channel."""
    people = store.all(Person, show_id=show.id)
    out: list[Record] = [*copier.copies(people)]
    worn = copier.copies(w for p in people for w in store.all(Worn, person_id=p.id))
    out += worn if units else [replace(w, unit_id=None) for w in worn]
    carriers = copier.copies(store.all(Wideband, show_id=show.id))
    out += carriers if same else [replace(c, channel="") for c in carriers]
    for kind in (*_OF_SHOW, WidePack):
        if same or kind is not Staging:  # places are those of a room
            out += copier.copies(store.all(kind, show_id=show.id))
    if units:
        out += copier.copies(r for x in store.all(Link, show_id=show.id) for r in store.all(Reception, link_id=x.id))
    return out


def _of_copies(inputs: Mapping[str, str], copier: Copier) -> dict[str, str]:
    """What a plan was made from (`link/12` → digest), for the copies of links, acts and carriers."""
    out = {}
    for key, digest in inputs.items():
        kind, number = key.split("/", 1)
        new = copier.known.get(int(number)) if kind in ("link", "act", "wideband") and number.isdigit() else None
        out[f"{kind}/{new}" if new else key] = digest
    return out


def _rooms_by_name(store: Reading, show: Show, site: Site) -> dict[int | None, int | None]:
    there = _rooms(store, site)
    named = {z.name.casefold(): z.id for z in reversed(there)}
    return {z.id: named.get(z.name.casefold(), there[0].id) for z in store.all(Zone, site_id=show.site_id)}


def remove_show(store: Store, show: Show) -> Edit:
    """Take a show out with its acts, links, frequencies and kept plans; Refusal for the last one of the book."""
    if len(store.all(Show)) == 1:
        raise Refusal(f"{show.name} is the only show of this book, which needs one; add another first.")
    plans = store.all(Plan, show_id=show.id)
    gone: list[Record] = [a for p in plans for a in store.all(Assignment, plan_id=p.id)]
    people, links = store.all(Person, show_id=show.id), store.all(Link, show_id=show.id)
    gone += [w for p in people for w in store.all(Worn, person_id=p.id)]
    gone += [r for x in links for r in store.all(Reception, link_id=x.id)]
    of_show: tuple[type[Record], ...] = (WidePack, Wideband, *_OF_SHOW, *_PROVEN)
    gone += [r for kind in of_show for r in store.all(kind, show_id=show.id)]
    gone += store.all(Booking, show_id=show.id)
    gone += [*people, *plans, *store.all(KeptPlan, show_id=show.id), *links]
    kept = tuple(c for d in store.all(Deed, show_id=show.id) for c in replace_record(d, replace(d, show_id=None)))
    return Edit(f"Remove {show.name}", kept + remove([*gone, *store.all(Act, show_id=show.id), show]))


def _free(store: Reading, site: Site, name: str, otherwise: str) -> str:
    return ground.unused(name.strip() or otherwise, [s.name for s in store.all(Show, site_id=site.id)])
