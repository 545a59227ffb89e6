"""What is known of a show before anything is heard, as the head of its status log has it."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from typing import Any

from azven.book.reading import Reading
from azven.book.records import Act, Antenna, Link, Model, Neighbour, Show, Site, Zone
from azven.rf.chain.design import Design
from azven.rf.levels import dbm
from azven.work import chain, ground, ids, kit, plan, reach
from azven.work.ground import hours
from azven.work.prove.needs import needs
from azven.work.scope import Scope
from azven.work.watch.traces import Key

_WORST_WORN, _CELLS = "pack, facing away", 40
_NEVER = "no act"
"""The act of links whose acts were all removed: they are in no trouble, and stand as an open point in Plan."""


def names(links: Sequence[Link]) -> dict[int, str]:
    """What each link is called in a log, by its number: a second link of one name is `Narrator (2)`."""
    out: dict[int, str] = {}
    taken: set[str] = set()
    for link in links:
        name, count = link.name, 1
        while name in taken:
            count += 1
            name = f"{link.name} ({count})"
        taken.add(name)
        out[link.id] = name
    return out


def document(store: Reading, scope: Scope, keys: Mapping[int, Key], start: datetime) -> dict[str, Any]:
    """The head without its format and version; times count from `start`. `keys`: channels by link number."""
    links = [x for x in kit.links(store, scope) if not x.set_aside]
    acts, called = kit.acts(store, scope), names(links)
    zones = {z.id: z for z in ground.zones(store, scope)}
    models, placed = kit.models_by_link(store, links), plan.assignments(store, scope)
    needed = needs(store, scope)
    alike, maps = _alike(links), _maps(store, scope, zones.values())

    def of(link: Link) -> dict[str, Any]:
        model, zone = models[link.id], zones[link.zone_id]
        known = needed.systems.get(zone.id)
        key = keys.get(link.id)
        told: dict[str, Any] = {
            "name": called[link.id], "id": ids.of(link), "service": link.service, "zone": zone.name,
            "bandwidth_hz": model.bandwidth_hz, "needed_db": model.needed_db, "group": alike.get(link.id),
            "threshold_dbm": round(needed.of(model, zone).level_dbm, 1), "battery_min": _battery(model),
            "power_dbm": _power(link, model), "acts": _acts_of(link, acts), "priority": link.priority,
            "freq_hz": placed[link.id].freq_hz if link.id in placed else None,
            "system": known[1] if known and link.service != "in-ear" else None,
            "rack": key[0] if key else None, "channel": key[1] if key else None,
            **(maps.get(zone.id, {}) if link.service != "in-ear" else {}),
        }  # fmt: skip
        return {k: v for k, v in told.items() if v is not None} | ({"spare": True} if link.spare else {})

    clock = ground.here(store, scope).clock
    site, show = store.get(Site, scope.site), store.get(Show, scope.show)
    return {
        "site": site.name, "show": show.name, "acts": _acts(acts, start), "systems": _systems(store, scope),
        "links": [of(x) for x in links],
        "carriers": [
            {"name": n.name, "freq_hz": n.freq_hz, "hours": _hours(n.hours, clock, start)}
            for n in store.all(Neighbour, site_id=scope.site) if n.kind != "ours"
        ],
    }  # fmt: skip


def _maps(store: Reading, scope: Scope, zones: Iterable[Zone]) -> dict[int, dict[str, float]]:
    """What Reach's map says of rooms whose antennas are placed: margin at the worst place and the share served, for a
    pack on the side that faces away."""
    found = {}
    for zone in zones:
        layout = reach.layouts(store, zone)[0]
        if any(a.role == "receive" for a in store.all(Antenna, zone_id=zone.id, layout=layout)):
            margin_db, served = _mapped(reach.room(store, scope, zone, layout))
            found[zone.id] = {"map_margin_db": margin_db, "map_served": served}
    return found


@lru_cache(maxsize=32)
def _mapped(drawn: reach.Room) -> tuple[float, float]:
    map_ = reach.coverage(drawn, _WORST_WORN, cells=_CELLS)
    assert map_ is not None
    return round(float(map_.margin_db.min()), 1), round(map_.served, 3)


def _hours(local: str, clock: hours.Clock, start: datetime) -> str | None:
    """Hours of a neighbour in UTC, None where it is not said when it is on."""
    found = hours.read(local)
    if found is None:
        return None
    begin = start.astimezone(clock.tz).replace(hour=found[0] // 60, minute=found[0] % 60, second=0).astimezone(UTC)
    return f"{begin:%H:%M}-{begin + timedelta(minutes=found[1]):%H:%M}"


def _alike(links: Sequence[Link]) -> dict[int, str]:
    """Groups of three and more who are heard together: one importance, one model, one room, the same acts."""
    together: dict[tuple[Any, ...], list[Link]] = {}
    for link in links:
        if not link.spare:
            together.setdefault((link.priority, link.model_id, link.zone_id, link.acts), []).append(link)
    return {
        x.id: f"the group of {members[0].name}" for members in together.values() if len(members) > 2 for x in members
    }


def timed(acts: Sequence[Act]) -> bool:
    """Whether it is known when every act is on."""
    return bool(acts) and all(a.starts_at and a.ends_at for a in acts)


def _acts(acts: Sequence[Act], start: datetime) -> list[dict[str, Any]]:
    """When acts are on [s]; where that is not known of all of them, nothing is said, and every link counts always."""
    never = {"name": _NEVER, "from_s": -1, "to_s": -1}
    if not timed(acts):
        return [never]
    return [*({"name": _act_name(a), "from_s": _seconds(a.starts_at, start), "to_s": _seconds(a.ends_at, start)}
              for a in acts), never]  # fmt: skip


def _act_name(act: Act) -> str:
    return f"{act.name} ({ids.of(act)})"


def _seconds(at: datetime | None, start: datetime) -> float:
    assert at is not None
    return round((at.astimezone(UTC) - start).total_seconds(), 1)


def _acts_of(link: Link, acts: Sequence[Act]) -> list[str]:
    if not link.acts:
        return [_NEVER] if link.acts_gone else []
    return [_act_name(a) for a in acts if a.id in link.acts]


def _battery(model: Model) -> float | None:
    return model.batteries[0][2] if model.batteries else None


def _power(link: Link, model: Model) -> float:
    return round(float(dbm(link.power_step_mw or model.power_mw)), 1)


def _systems(store: Reading, scope: Scope) -> list[dict[str, Any]]:
    """Antenna systems with the blocks that lie between the antennas and the receivers of each side."""
    found = []
    for record in chain.designs(store, scope):
        design = chain.read(chain.document_of(record))
        if design.receivers():
            sides = {"a": _blocks(design, "A")}
            sides["b"] = _blocks(design, "B") or sides["a"]
            found.append({"name": record.name, "zone": _zone_of(design), "sides": sides})
    return found


def _zone_of(design: Design) -> str | None:
    return next(iter(design.zones), None)


def _blocks(design: Design, side: str) -> list[dict[str, Any]]:
    """Blocks of a side from the antenna on, each with its gain at the frequency of the design."""
    kinds = ("amp", "cable", "loss", "filter", "dc", "hybrid", "split")
    out = []
    for name, block in design.blocks.items():
        if block.kind in kinds and design.sides.get(name, "A") == side and not block.left_out:
            out.append({"name": name, "kind": block.kind, "gain_db": round(block.gain_at(design.freq_hz), 1)})
    return out
