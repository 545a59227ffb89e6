"""Signing a show off, and what takes that back: whatever changes afterwards, link by link."""

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from azven.book.edits import Edit, add, remove
from azven.book.records import Antenna, Design, Link, SignOff, Unit, Wanted
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import kit, plan
from azven.work.prove import channels
from azven.work.prove.proofs import lanes
from azven.work.prove.steps import TITLES
from azven.work.scope import Scope

_RUNS = "firmware of "


@dataclass(frozen=True)
class Standing:
    """The newest sign-off, None where there is none, and the links that are no longer as they were then."""

    signed: SignOff | None
    changed: tuple[Link, ...] = ()


def prints(store: Store, scope: Scope) -> dict[str, str]:
    """What every link is like now, as digests by link id: frequency, gear, unit, channel, wanted settings, and the
    antenna systems and antennas of the site."""
    placed, wanted = plan.assignments(store, scope), {w.link_id: w for w in store.all(Wanted, show_id=scope.show)}
    units, keys = {u.id: u for u in kit.units(store, scope)}, channels.mapped(store, scope)
    systems = [(d.id, d.version) for d in store.all(Design, site_id=scope.site)]
    found = {}
    for link in kit.links(store, scope):
        if link.set_aside:
            continue
        unit: Unit | None = units.get(link.unit_id or 0)
        antennas = [(a.id, a.version) for a in store.all(Antenna, zone_id=link.zone_id)]
        parts = [
            placed[link.id].freq_hz if link.id in placed else None, link.model_id, link.band, link.zone_id,
            unit and (unit.id, unit.serial, unit.band, unit.firmware), keys.get(link.id),
            wanted[link.id].settings if link.id in wanted else None, systems, antennas,
        ]  # fmt: skip
        text = json.dumps(parts, sort_keys=True, default=str)
        found[str(link.id)] = hashlib.sha256(text.encode()).hexdigest()[:16]
    return found


def standing(store: Store, scope: Scope, firmware: Mapping[str, str] | None = None) -> Standing:
    """The newest sign-off and what has changed since; `firmware`: what racks say that they run, by their ids."""
    signed = max(store.all(SignOff, show_id=scope.show), key=lambda s: (s.made_at, s.id), default=None)
    if signed is None:
        return Standing(None)
    now = prints(store, scope)
    keys, other = channels.mapped(store, scope), _other_firmware(signed, firmware or {})
    changed = tuple(
        x for x in kit.links(store, scope)
        if not x.set_aside
        and (signed.prints.get(str(x.id)) != now.get(str(x.id)) or (x.id in keys and keys[x.id][0] in other))
    )  # fmt: skip
    return Standing(signed, changed)


def _other_firmware(signed: SignOff, firmware: Mapping[str, str]) -> set[str]:
    """Racks that run another firmware than when it was signed."""
    return {rack for rack, now in firmware.items() if signed.prints.get(_RUNS + rack, now) != now}


def open_points(store: Store, scope: Scope) -> list[str]:
    """What is not proven, a line for each link."""
    out = []
    for lane in lanes(store, scope):
        out += [
            f"{lane.link.name}: {TITLES[p.step]} {p.outcome}" + (f", {p.note}" if p.note else "") for p in lane.open
        ]
        if lane.at is not None:
            out.append(f"{lane.link.name}: not proven from “{TITLES[lane.at]}” on")
    return out


def sign(
    store: Store, scope: Scope, who: str, now: datetime, note: str = "", firmware: Mapping[str, str] | None = None,
    settings: Mapping[int, Mapping[str, Any]] | None = None,
) -> Edit:  # fmt: skip
    """Sign the show off, with what is left open, what racks run, and how units are set, by the numbers of their links.
    Refusal without a name."""
    if not who.strip():
        raise Refusal("A sign-off needs the name of whoever signs.")
    left = tuple(open_points(store, scope))
    record = SignOff(id=store.reserve(), show_id=scope.show, made_by=who.strip(), made_at=now, left_open=left,
                     prints=prints(store, scope) | {_RUNS + rack: runs for rack, runs in (firmware or {}).items()},
                     note=note.strip(),
                     settings={str(link): dict(told) for link, told in (settings or {}).items()})  # fmt: skip
    return Edit(f"Signed off by {who.strip()}", add(record))


def take_back(store: Store, scope: Scope) -> Edit:
    """Take the newest sign-off back."""
    found = standing(store, scope).signed
    if found is None:
        raise Refusal("Nothing is signed off.")
    return Edit("Sign-off taken back", remove([found]))
