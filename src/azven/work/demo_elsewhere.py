"""The other sites of the demonstration: two grounds inland with a past show each, and the store."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from azven.book.edits import Edit, add, replace_record
from azven.book.records import Act, Link, Model, Neighbour, Relation, Show, Site, Unit, Zone
from azven.book.store import Store
from azven.book.tables import frozen
from azven.work import ids, kit, plan
from azven.work.scope import Scope


def prepare(store: Store, like: Site, story: Mapping[str, Any]) -> None:
    """A site of the story, under the rules of another one; its show is over, so it is archived."""
    site = Site(
        id=store.reserve(), name=story["site"], note=story["note"], region_id=like.region_id, time_zone=like.time_zone
    )
    zones = {}
    for i, (name, room) in enumerate(story["rooms"].items()):
        fields = {k: frozen(v) for k, v in room.items()}
        zones[name] = Zone(id=store.reserve(), site_id=site.id, name=name, position=i, **fields)
    related = [
        Relation(id=store.reserve(), zone_a_id=zones[a].id, zone_b_id=zones[b].id, relation=r, wall_loss_db=loss)
        for a, b, r, loss in story["relations"]
    ]
    foreign = [Neighbour(id=store.reserve(), site_id=site.id, **n) for n in story["neighbours"]]
    models = {m.name: m for m in store.all(Model)}
    units = {
        u["name"]: Unit(
            id=store.reserve(), model_id=models[u["model"]].id, name=u["name"], band=u["band"], channels=u["channels"],
            zone_id=zones[u["zone"]].id,
        )
        for u in story["units"]
    }  # fmt: skip
    store.apply(Edit(site.name, add(site, *zones.values(), *related, *foreign, *units.values())))
    if "show" in story:
        _past_show(store, site, story, zones, units)


def _past_show(
    store: Store, site: Site, story: Mapping[str, Any], zones: Mapping[str, Zone], units: Mapping[str, Unit]
) -> None:
    show = Show(id=store.reserve(), site_id=site.id, name=story["show"])
    acts = {n: Act(id=store.reserve(), show_id=show.id, name=n, position=i) for i, n in enumerate(story["acts"])}
    models = {m.name: m for m in store.all(Model)}
    links: list[Link] = []
    for entry in story["links"]:
        model, unit = models[entry["model"]], units.get(entry.get("unit", ""))
        for name in kit.numbered(entry["name"], entry.get("count", 1)) if "count" in entry else [entry["name"]]:
            links.append(
                Link(
                    id=store.reserve(), show_id=show.id, name=name, model_id=model.id, band=entry["band"],
                    zone_id=zones[entry["zone"]].id, unit_id=unit.id if unit else None, service=model.service,
                    priority=entry["priority"], use_class=entry.get("use_class", "usable"), position=len(links),
                    acts=tuple(acts[a].id for a in entry.get("acts", ())),
                )
            )  # fmt: skip
    store.apply(Edit(show.name, add(show, *acts.values(), *links)))
    scope = Scope(site.id, show.id)
    frequencies = {ids.of(x): story["plan"][x.name] for x in links if x.name in story["plan"]}
    if frequencies:
        store.apply(plan.set_frequencies(store, scope, frequencies, "Plan all"))
    store.apply(Edit("Over", replace_record(stored := store.get(Show, show.id), replace(stored, archived=True))))
