"""What Prove prints: the address sheet, the report of a walk; as HTML for Qt's document."""

import base64
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from azven.book.reading import Reading
from azven.book.records import ListedRack, WalkTest, Zone
from azven.book.regions import ADVICE
from azven.rf.walks import LOW_DB
from azven.work import ground
from azven.work.kit import patch
from azven.work.prove import network, walks
from azven.work.prove.here import ShowNow
from azven.work.prove.survey import Surveyed
from azven.work.prove.walks import Told
from azven.work.rendering import render
from azven.work.scope import Scope

_MOST_LOST = 12


def address_sheet(
    store: Reading, scope: Scope, now: ShowNow, racks: Sequence[ListedRack], wrong: Sequence[str], moment: datetime
) -> str:  # fmt: skip
    """Racks with their addresses, what is wrong with them, and which link is on which channel."""
    place, told = ground.here(store, scope), network.settings(store, scope)
    consoles = patch.inputs(store, scope)
    names = {r.rack: r.name for r in racks}
    on = [(x.link, now.keys[x.link.id]) for x in now.lanes if x.link.id in now.keys]
    return render(
        "addresses", site=place.site.name, made=place.clock.said(moment), zone=place.clock.abbreviation(moment),
        wrong=wrong, racks=[_rack(r) for r in racks],
        subnets=", ".join(f"{role} {text}" for role, text in told.subnets.items() if text),
        consoles=[f"{name} shows {limit} {counts} at most, of {', '.join(kinds) or 'all kinds'}."
                  for name, limit, counts, kinds in told.consoles],
        channels=[{"link": link.name, "channel": f"{names.get(key[0], key[0])} · {key[1]}",
                   "console": consoles.get(link.id, "")} for link, key in on],
    )  # fmt: skip


def _rack(rack: ListedRack) -> dict[str, Any]:
    def port(role: str) -> str:
        told = rack.network.get(role) or {}
        mode = {"auto": "automatic", "fixed": "fixed"}.get(str(told.get("mode")), "")
        return " ".join(str(x) for x in (told.get("ip"), told.get("mask"), mode) if x) or "not known"

    return {
        "name": rack.name, "address": rack.address, "rack": rack.rack, "kind": rack.kind, "channels": rack.channels,
        "console": "" if rack.console is None else rack.console, "control": port("control"), "audio": port("audio"),
    }  # fmt: skip


def walk_report(
    store: Reading, scope: Scope, now: ShowNow, walk: WalkTest, zone: Zone, before: WalkTest | None,
    surveyed: Sequence[Surveyed], drawing: bytes, moment_zone: str,
) -> str:  # fmt: skip
    """A walk of all its links, beside an earlier one where there is one; `drawing`: the room with the rope as PNG."""
    place = ground.here(store, scope)
    return render(
        "walk", walk=walk.name, show=place.show.name, site=place.site.name, room=zone.name,
        made=place.clock.said(walk.made_at), zone=moment_zone, by=walk.made_by, earlier=before.name if before else "",
        drawing=base64.b64encode(drawing).decode() if drawing else "", width=640, low=f"{LOW_DB:g}", advice=ADVICE,
        survey=[{"letter": s.letter, "place": f"{s.x_m:.0f}, {s.y_m:.0f} m", "heard": s.heard, "map": s.reckoned}
                for s in surveyed],
        links=[_walked(now, walk, before, zone, number, name) for number, name in walks.by_name(
            {x.link.id: x.link for x in now.lanes}, walk)],
    )  # fmt: skip


def _walked(
    now: ShowNow, walk: WalkTest, before: WalkTest | None, zone: Zone, number: int, name: str
) -> dict[str, Any]:  # fmt: skip
    found = walks.of_link(now, walk, zone, number)
    earlier = walks.of_link(now, before, zone, number) if before is not None else None
    return {
        "name": name, "verdict": walks.verdict(found) if found else "its link was removed",
        "before": walks.verdict(earlier) if earlier else "", "lost": _lost(found) if found else [],
    }  # fmt: skip


def _lost(found: Told) -> list[str]:
    said = [
        f"{int(d.from_s // 60)}:{d.from_s % 60:04.1f}, {max(d.to_s - d.from_s, 0.1):.1f} s: {d.sort}"
        + (f", {d.worst_db:.0f} dB over need".replace("-", "−") if d.worst_db == d.worst_db else "")
        for d in found.dropouts[:_MOST_LOST]
    ]
    more = len(found.dropouts) - len(said)
    return [*said, f"and {more} more"] if more > 0 else said
