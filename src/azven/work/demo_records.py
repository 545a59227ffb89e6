"""Records from the demonstration's story: a site with its rooms and neighbours, a show with its acts and links."""

from collections.abc import Callable, Mapping
from typing import Any

from azven.book.columns import frozen
from azven.book.records import (
    Act,
    Intercom,
    Link,
    Model,
    Mount,
    Neighbour,
    Occupant,
    Pair,
    Person,
    Port,
    RadarEvent,
    Record,
    Relation,
    Route,
    Show,
    Site,
    Staging,
    TalkGroup,
    Unit,
    Wideband,
    WidePack,
    Worn,
    Zone,
)
from azven.rf.venue import Venue
from azven.work import kit

Number = Callable[[], int]
"""Gives the next id."""


def fields(entry: Mapping[str, Any]) -> dict[str, Any]:
    """Fields of a record from JSON: lists as tuples."""
    return {k: frozen(v) for k, v in entry.items()}


def rooms(site: Site, story: Mapping[str, Any], number: Number) -> tuple[dict[str, Zone], list[Relation]]:
    """Rooms by name, in the order of the story, and how they hear one another."""
    zones = {
        name: Zone(id=number(), site_id=site.id, name=name, position=i, **fields(story["rooms"][name]))
        for i, name in enumerate(story["zones"])
    }
    related = [
        Relation(id=number(), zone_a_id=zones[a].id, zone_b_id=zones[b].id, relation=r, wall_loss_db=loss)
        for a, b, r, loss in story["relations"]
    ]
    return zones, related


def neighbours(site: Site, story: Mapping[str, Any], zones: Mapping[str, Zone], number: Number) -> list[Neighbour]:
    out = []
    for entry in story["neighbours"]:
        zone = zones.get(entry.get("zone", ""))
        said = {k: v for k, v in entry.items() if k != "zone"}
        out.append(Neighbour(id=number(), site_id=site.id, zone_id=zone.id if zone else None, **said))
    return out


def acts(show: Show, story: Mapping[str, Any], number: Number) -> dict[str, Act]:
    house = story.get("house_percent", {})
    return {
        n: Act(id=number(), show_id=show.id, name=n, position=i, house_percent=house.get(n, 100))
        for i, n in enumerate(story["acts"])
    }


def units(
    story: Mapping[str, Any], models: Mapping[str, Model], zones: Mapping[str, Zone], number: Number
) -> dict[str, Unit]:
    return {
        u["name"]: Unit(
            id=number(), model_id=models[u["model"]].id, name=u["name"], band=u["band"], channels=u["channels"],
            zone_id=zones[u["zone"]].id,
        )
        for u in story["units"]
    }  # fmt: skip


def links(
    show: Show, story: Mapping[str, Any], models: Mapping[str, Model], zones: Mapping[str, Zone],
    units: Mapping[str, Unit], acts: Mapping[str, Act], number: Number,
) -> list[Link]:  # fmt: skip
    out: list[Link] = []
    for entry in story["links"]:
        model, unit = models[entry["model"]], units.get(entry.get("unit", ""))
        for name in kit.numbered(entry["name"], entry["count"]) if "count" in entry else [entry["name"]]:
            out.append(
                Link(
                    id=number(), show_id=show.id, name=name, model_id=model.id, band=entry["band"],
                    zone_id=zones[entry["zone"]].id, unit_id=unit.id if unit else None, service=model.service,
                    priority=entry["priority"], use_class=entry.get("use_class", "usable"),
                    spare=entry.get("spare", False), acts=tuple(acts[a].id for a in entry.get("acts", ())),
                    position=len(out),
                )
            )  # fmt: skip
    return out


def packs(story: Mapping[str, Any], models: Mapping[str, Model], home: Site, number: Number) -> dict[str, Unit]:
    """What is carried, by name."""
    return {
        u["name"]: Unit(id=number(), model_id=models[u["model"]].id, site_home_id=home.id,
                        **{k: v for k, v in u.items() if k != "model"})
        for u in story["packs"]
    }  # fmt: skip


def people(
    show: Show, story: Mapping[str, Any], links: Mapping[str, Link], carried: Mapping[str, Unit],
    acts: Mapping[str, Act], number: Number,
) -> list[Record]:  # fmt: skip
    """Persons with what they wear, and pairs on one voice."""
    out: list[Record] = []
    worn: list[Record] = []
    for i, entry in enumerate(story["persons"]):
        said = {k: v for k, v in entry.items() if k not in ("acts", "worn")}
        on = tuple(acts[a].id for a in entry.get("acts", ()))
        person = Person(id=number(), show_id=show.id, position=i, acts=on, **said)
        out.append(person)
        for item in entry["worn"]:
            more = {k: item[k] for k in ("side", "place")}
            worn.append(
                Worn(
                    id=number(), person_id=person.id, link_id=links[item["link"]].id, unit_id=carried[item["unit"]].id,
                    acts=tuple(acts[a].id for a in item.get("acts", ())), **more,
                )
            )  # fmt: skip
    pairs = [
        Pair(id=number(), show_id=show.id, link_a_id=links[a].id, link_b_id=links[b].id) for a, b in story["pairs"]
    ]
    return [*out, *worn, *pairs]


def staging(
    show: Show, story: Mapping[str, Any], links: Mapping[str, Link], acts: Mapping[str, Act], number: Number
) -> list[Record]:  # fmt: skip
    """Who is where in which act."""
    return [
        Staging(
            id=number(), show_id=show.id, link_id=links[s["link"]].id, act_id=acts[s["act"]].id if s["act"] else None,
            corners=tuple((float(x), float(y)) for x, y in s["corners"]), enters_min=float(s["enters_min"]),
            leaves_min=s["leaves_min"],
        )
        for s in story["staging"]
    ]  # fmt: skip


def patch(show: Show, story: Mapping[str, Any], links: Mapping[str, Link], number: Number) -> list[Record]:
    """Where audio goes and comes from, and the ports of the intercom."""
    routes: list[Record] = [
        Route(id=number(), show_id=show.id, position=i, link_id=links[r["link"]].id,
              **{k: v for k, v in r.items() if k != "link"})
        for i, r in enumerate(story["routes"])
    ]  # fmt: skip
    ports: list[Record] = []
    for i, entry in enumerate(story["ports"]):
        link = links.get(entry.get("link", ""))
        said = fields({k: v for k, v in entry.items() if k != "link"})
        ports.append(Port(id=number(), show_id=show.id, position=i, link_id=link.id if link else None, **said))
    return routes + ports


def wideband(
    show: Show, story: Mapping[str, Any], models: Mapping[str, Model], zones: Mapping[str, Zone], number: Number
) -> list[Record]:
    """Wideband carriers with the packs on them."""
    out: list[Record] = []
    packs: list[Record] = []

    def rooms(entry: Mapping[str, Any]) -> tuple[int, ...]:
        return tuple(zones[r].id for r in entry["rooms"])

    for i, entry in enumerate(story["wideband"]):
        carrier = Wideband(
            id=number(), show_id=show.id, name=entry["name"], model_id=models[entry["model"]].id, position=i,
            channel=entry["channel"], rooms=rooms(entry), spare=entry.get("spare", False),
        )  # fmt: skip
        out.append(carrier)
        for pack in entry["packs"]:
            said = pack | {"rooms": rooms(pack), "wideband_id": carrier.id, "position": len(packs)}
            packs.append(WidePack(id=number(), show_id=show.id, **said))
    return out + packs


def strangers(site: Site, story: Mapping[str, Any], world: Venue, number: Number) -> list[Record]:
    """Others on shared bands, as loud as the simulated venue has them at the quay."""
    sent = {e.name: e for e in world.emitters}
    out: list[Record] = []
    for i, entry in enumerate(story["occupants"]):
        emitter = sent[entry["emitter"]]
        out.append(
            Occupant(
                id=number(), site_id=site.id, name=emitter.name, centre_hz=emitter.freq_hz,
                width_hz=round(emitter.bandwidth_hz), duty=emitter.duty, place_m=emitter.position,
                level_dbm=float(round(world.received_dbm(emitter, world.antennas["quay"]))), note=entry.get("note", ""),
                position=i,
            )
        )  # fmt: skip
    return out


def talking(
    show: Show, story: Mapping[str, Any], zones: Mapping[str, Zone], mounts: Mapping[str, Mount], number: Number
) -> list[Record]:  # fmt: skip
    """What the intercom is to do, its talk groups, and radars that are supposed."""
    said = story["intercom"]
    groups = [TalkGroup(id=number(), show_id=show.id, position=i, **fields(g)) for i, g in enumerate(said["groups"])]
    radars = [RadarEvent(id=number(), show_id=show.id, **r) for r in story["radar"]]
    figures = dict(said["figures"])
    figures["rooms"] = tuple(zones[r].id for r in figures["rooms"])
    figures["base"] = mounts[figures["base"]].id
    return [Intercom(id=number(), show_id=show.id, figures=figures), *groups, *radars]
