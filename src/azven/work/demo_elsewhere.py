"""The other sites of the demonstration: two grounds inland with a past show each, and the store."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from azven.book.edits import Edit, add, replace_record
from azven.book.records import Inquiry, Model, Show, Site, Unit, Zone
from azven.book.store import Store
from azven.work import demo_records, ids, plan
from azven.work.scope import of_show


def prepare(store: Store, like: Site, story: Mapping[str, Any]) -> None:
    """A site of the story, under the rules of another one; a show that it has is over, so it is archived."""
    site = Site(
        id=store.reserve(), name=story["site"], note=story["note"], region_id=like.region_id, time_zone=like.time_zone
    )
    zones, related = demo_records.rooms(site, story, store.reserve)
    foreign = demo_records.neighbours(site, story, zones, store.reserve)
    units = demo_records.units(story, {m.name: m for m in store.all(Model)}, zones, store.reserve)
    store.apply(Edit(f"Add {site.name}", add(site, *zones.values(), *related, *foreign, *units.values())))
    if "show" in story:
        add_show(store, site, {**story, "archived": True}, units)


def shows(store: Store, story: Sequence[Mapping[str, Any]]) -> None:
    """Shows of the past and to come, each at its site."""
    sites = {s.name: s for s in store.all(Site)}
    for entry in story:
        add_show(store, sites[entry["site"]], entry, {})


def add_show(store: Store, site: Site, story: Mapping[str, Any], units: Mapping[str, Unit]) -> None:
    """A show of the story at a site, with its acts, links and plan."""
    show = Show(id=store.reserve(), site_id=site.id, name=story["show"])
    acts = demo_records.acts(show, story, store.reserve)
    models, zones = {m.name: m for m in store.all(Model)}, {z.name: z for z in store.all(Zone, site_id=site.id)}
    links = demo_records.links(show, story, models, zones, units, acts, store.reserve)
    store.apply(Edit(f"Add {show.name}", add(show, *acts.values(), *links)))
    frequencies = {ids.of(x): story["plan"][x.name] for x in links}
    store.apply(plan.set_frequencies(store, of_show(show), frequencies, "Plan all"))
    if story["archived"]:
        over = store.get(Show, show.id)
        store.apply(Edit(f"Archive {show.name}", replace_record(over, replace(over, archived=True))))


def questions(store: Store, story: Sequence[Mapping[str, str]]) -> None:
    """What campuses ask one another."""
    sites = {s.name: s.id for s in store.all(Site)}
    first = store.reserve(len(story))
    asked = [Inquiry(id=first + k, site_id=sites[q["of"]], site_from_id=sites[q["from"]], words=q["words"],
                     asked_by=q["by"]) for k, q in enumerate(story)]  # fmt: skip
    store.apply(Edit("Questions", add(*asked)))
