"""Templates of antenna systems: what Chain starts from instead of an empty canvas."""

import math
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

from azven.book.records import Antenna, Link, Model, Zone
from azven.book.store import Store
from azven.rf.wideband import CREST_DB
from azven.work import chain, ground, ids, kit, plan
from azven.work.ground import places
from azven.work.kit import wide_places
from azven.work.kit.bands import of_link
from azven.work.scope import Scope

Document = dict[str, Any]
_STOP = [
    {"low_hz": 380_000_000, "high_hz": 463_000_000, "loss_db": 40.0},
    {"low_hz": 703_000_000, "high_hz": 960_000_000, "loss_db": 40.0},
]
FILTER = {"type": "filter", "loss_db": 1.0, "stop": _STOP, "dc": "pass"}
AMPLIFIER = {
    "type": "amp", "gain_db": 6.0, "steps_db": [0, 3, 6, 9, 12, 15], "nf_db": 3.0, "oip3_dbm": 36.0,
    "p1db_out_dbm": 21.0, "load": {"ma": 90.0, "min_volt": 10.0},
}  # fmt: skip
"""A filter for the UHF band, and an amplifier at the antenna, fed over its cable."""
_MOST_CARRIERS = 24
_INPUTS, _MOST_EARS = 8, 32
"""Inputs of one in-ear combiner; more transmitters are ganged, up to four combiners."""


def _receive_branch(
    zone: str, length_m: float, cable: str, combined: bool, stands: dict[str, Any]
) -> tuple[list[dict[str, Any]], list[str]]:
    """Antenna where it `stands`, filter, mast-head amplifier, cable and, where zones are combined, the combiner's
    input."""
    nodes: list[dict[str, Any]] = [
        {"id": f"{zone} antenna", "type": "antenna", "pattern": "beam", "gain_dbi": 6.5, "beamwidth_deg": 100.0,
         **stands},
        {"id": f"{zone} filter", **chain.thawed(FILTER)},
        {"id": f"{zone} mast", **chain.thawed(AMPLIFIER)},
        {"id": f"{zone} cable", "type": "cable", "cable": cable, "length_m": length_m,
         "ohm": round(length_m * 0.008, 2)},
        {"id": f"{zone} supply", "type": "dc", "loss_db": 0.2, "source": {"volt": 12.0, "max_ma": 300.0}},
    ]  # fmt: skip
    if combined:
        nodes += [
            {"id": f"{zone} input", "type": "loss", "loss_db": 0.0, "steps_db": list(range(21)), "dc": "block"},
            {"id": f"{zone} input amp", "type": "amp", "gain_db": 8.0, "nf_db": 4.0, "oip3_dbm": 36.0,
             "p1db_out_dbm": 21.0},
        ]  # fmt: skip
    return nodes, [n["id"] for n in nodes]


def _stands(store: Store, zone: Zone, role: str) -> dict[str, Any]:
    """Where Reach has the first antenna of a role in a room, and where it is aimed; nothing where none stands."""
    found = next((a for a in store.all(Antenna, zone_id=zone.id, layout=places.PLACEMENT) if a.role == role), None)
    if found is None:
        return {}
    end = places.as_end(found)
    assert end.aim_m is not None
    return {"pos_m": [found.x_m, found.y_m, found.z_m], "aim_m": [round(v, 3) for v in end.aim_m]}


def _rack() -> list[dict[str, Any]]:
    return [
        {"id": "distribution", "type": "split", "outputs": 8, "gain_db": 0.0, "nf_db": 5.0, "iip3_dbm": 24.0,
         "p1db_in_dbm": 10.0},
        {"id": "receiver", "type": "receiver", "nf_db": 8.0, "iip3_dbm": 5.0, "p1db_in_dbm": -5.0, "needed_db": 20.0},
    ]  # fmt: skip


def receive(store: Store, scope: Scope, name: str, zones: Sequence[Zone]) -> Document:
    """Every zone with its own antenna, combined where there is more than one, into one rack."""
    combined = len(zones) > 1
    nodes: list[dict[str, Any]] = []
    edges: list[list[str]] = []
    rooms = room_names(zones)
    for zone in zones:
        length = max(5.0, round(zone.far_m * 1.3 / 5) * 5)
        cable = "lowloss-10mm" if length > 40 else "lowloss-6mm"
        made, names = _receive_branch(rooms[zone.id], length, cable, combined, _stands(store, zone, "receive"))
        nodes += made
        edges += [[a, b] for a, b in pairwise(names)]
        edges.append([names[-1], "combiner" if combined else "distribution"])
    if combined:
        ports = 2 ** math.ceil(math.log2(len(zones)))
        nodes.append({"id": "combiner", "type": "hybrid", "ports": ports, "excess_db": 0.4 * math.log2(ports)})
        edges.append(["combiner", "distribution"])
    nodes += _rack()
    edges.append(["distribution", "receiver"])
    listed = {rooms[z.id]: {"antennas": [f"{rooms[z.id]} antenna"], "model": "indoor", "n": z.exponent} for z in zones}
    return _document(name, nodes, edges, listed, carriers(store, scope, zones))


def room_names(zones: Sequence[Zone]) -> dict[int, str]:
    """What rooms are called in a document, where names are ids: each once, and none like the in-ear side."""
    named = ids.told_apart(zones, lambda z: f"no. {z.id}")
    return {z.id: f"{name} room" if (name := named[ids.of(z)]) == "ear" else name for z in zones}


def _document(name: str, nodes: list[Any], edges: list[Any], zones: dict[str, Any], heard: list[Any]) -> Document:
    return {
        "format": "azven-chain", "version": 1, "name": name, "freq_hz": 600_000_000, "bandwidth_hz": 200_000,
        "zones": zones, "nodes": nodes, "edges": edges, "carriers": heard,
    }  # fmt: skip


def carriers(store: Store, scope: Scope, zones: Sequence[Zone]) -> list[dict[str, Any]]:
    """The links of the show that are received in these zones, spread from the nearest to the farthest place, and one
    at the farthest place whose ratio is looked at."""
    models = kit.models_by_link(store, kit.links(store, scope))
    rooms, names = room_names(zones), ids.told_apart(kit.links(store, scope), lambda x: f"no. {x.id}")
    out: list[dict[str, Any]] = []
    for zone in zones:
        links = [
            x for x in kit.links(store, scope)
            if x.zone_id == zone.id and x.service != "in-ear" and not x.set_aside and not of_link(store, x).shared
        ]  # fmt: skip
        chosen = links[:_MOST_CARRIERS]
        for i, link in enumerate(chosen):
            share = i / max(len(chosen) - 1, 1)
            distance = zone.near_m * (zone.far_m / zone.near_m) ** share
            out.append(_carrier(names[ids.of(link)], rooms[zone.id], models[link.id], distance, "load"))
        worst = max((models[x.id] for x in chosen), key=_hard_to_hear, default=None)
        power = 17.0 if worst is None else 10 * math.log10(worst.power_mw)
        out.append({
            "id": ground.unused(f"weakest in {rooms[zone.id]}", [c["id"] for c in out]), "freq_hz": 600_000_000,
            "zone": rooms[zone.id], "role": "wanted",
            "power_dbm": round(power, 2), "body_db": 20.0 if worst is None else worst.body_db, "psi_deg": 45.0,
            "distance_m": zone.far_m,
        })  # fmt: skip
        out += _wideband(store, scope, zone, rooms[zone.id], [c["id"] for c in out])
    return out


def _wideband(store: Store, scope: Scope, zone: Zone, room: str, taken: Sequence[str]) -> list[dict[str, Any]]:
    """Wideband carriers heard in a zone: each of its power at the nearest place, with its crest."""
    out: list[dict[str, Any]] = []
    for carrier in wide_places.carriers(store, scope):
        span = wide_places.span_hz(store, scope, carrier)
        if span is None or (carrier.rooms and zone.id not in carrier.rooms):
            continue
        name = ground.unused(carrier.name, [*taken, *(c["id"] for c in out)])
        sent = _carrier(name, room, store.get(Model, carrier.model_id), zone.near_m, "load")
        out.append({**sent, "freq_hz": round(sum(span) / 2), "crest_db": CREST_DB})
    return out


def _hard_to_hear(model: Model) -> float:
    return model.body_db - 10 * math.log10(model.power_mw)


def _carrier(name: str, room: str, model: Model, distance_m: float, role: str) -> dict[str, Any]:
    return {
        "id": name, "freq_hz": 600_000_000, "zone": room, "role": role, "distance_m": round(distance_m, 1),
        "power_dbm": round(10 * math.log10(model.power_mw), 2), "body_db": model.body_db,
    }  # fmt: skip


def ears(store: Store, scope: Scope, name: str = "In-ear rack") -> Document:
    """Every in-ear transmitter of the show into one active combiner and one antenna."""
    nodes, edges = _ear_side(store, scope, ground.zones(store, scope)[:1])
    return {**_document(name, nodes, edges, {}, []), **_sent(store, scope)}


def _ear_side(store: Store, scope: Scope, zones: Sequence[Zone]) -> tuple[list[dict[str, Any]], list[list[str]]]:
    """In-ear transmitters into one antenna, where Reach has a transmitting one in the first of `zones`."""
    models = kit.models_by_link(store, kit.links(store, scope))
    stands = _stands(store, zones[0], "transmit") if zones else {}
    links: list[Link] = [x for x in kit.links(store, scope) if x.service == "in-ear" and not x.set_aside][:_MOST_EARS]
    called = ids.told_apart(links, lambda x: f"no. {x.id}")
    placed = plan.assignments(store, scope)
    sends = {called[ids.of(x)]: {"freq_hz": placed[x.id].freq_hz} for x in links if x.id in placed}
    powers = [(called[ids.of(x)], 10 * math.log10(models[x.id].power_mw)) for x in links]
    powers = powers or [(f"in-ear {i}", 17.0) for i in range(1, 5)]
    nodes: list[dict[str, Any]] = [
        {"id": f"{n} out", "type": "transmitter", "power_dbm": round(p, 2), **sends.get(n, {})} for n, p in powers
    ]
    groups = [powers[i : i + _INPUTS] for i in range(0, len(powers), _INPUTS)]
    names = ["ear combiner" if i == 0 else f"ear combiner {i + 1}" for i in range(len(groups))]
    nodes += [
        {"id": name, "type": "combiner", "inputs": _INPUTS, "gain_db": 0.0, "rated_in_dbm": 20.0, "p1db_out_dbm": 38.0,
         "oip3_dbm": 50.0}
        for name in names
    ]  # fmt: skip
    nodes += [
        {"id": "ear cable", "type": "cable", "cable": "lowloss-10mm", "length_m": 20.0},
        {"id": "ear antenna", "type": "antenna", "pattern": "beam", "gain_dbi": 6.5, "beamwidth_deg": 100.0, **stands},
    ]  # fmt: skip
    edges = [[f"{n} out", name] for name, group in zip(names, groups, strict=True) for n, _ in group]
    edges += [[later, earlier] for earlier, later in pairwise(names)]  # each later one into the expansion input
    return nodes, [*edges, ["ear combiner", "ear cable"], ["ear cable", "ear antenna"]]


def both(store: Store, scope: Scope, zones: Sequence[Zone]) -> Document:
    """Receive and transmit side of one rack."""
    document = receive(store, scope, "Both sides of one rack", zones[:1])
    nodes, edges = _ear_side(store, scope, zones)
    document["nodes"] += nodes
    document["edges"] += edges
    return {**document, **_sent(store, scope)}


def _sent(store: Store, scope: Scope) -> dict[str, int]:
    """Where the in-ears of the plan send, in the middle of them; nothing before there is a plan."""
    freq = middle_of_ears(store, scope)
    return {} if freq is None else {"transmit_hz": freq}


def middle_of_ears(store: Store, scope: Scope) -> int | None:
    """The frequency [Hz] in the middle of the plan's in-ears that are not set aside; None without any."""
    placed = plan.assignments(store, scope)
    freq = sorted(placed[x.id].freq_hz for x in kit.links(store, scope)
                  if x.service == "in-ear" and not x.set_aside and x.id in placed)  # fmt: skip
    return freq[len(freq) // 2] if freq else None


TEMPLATES: dict[str, Callable[[Store, Scope], Document]] = {
    "single pair": lambda store, scope: receive(store, scope, "Single pair", ground.zones(store, scope)[:1]),
    "stage and house": lambda store, scope: receive(store, scope, "Stage and house", ground.zones(store, scope)[:2]),
    "every room into one rack": lambda store, scope: receive(
        store, scope, "Every room into one rack", ground.zones(store, scope)[:16]
    ),
    "in-ear rack": lambda store, scope: ears(store, scope),
    "both sides of one rack": lambda store, scope: both(store, scope, ground.zones(store, scope)),
}
"""Name to what makes the document from the show at hand."""
