"""Handing over: all that the next engineer needs of a site and a show, in one package.

People are not in it: who wore what, and their telephones, stay with whoever has asked them.
"""

import uuid
from collections.abc import Callable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from azven.book.columns import as_json, table_name
from azven.book.edits import Edit, add
from azven.book.formats import handover, plan_request, register
from azven.book.place import Place
from azven.book.reading import Making, Reading
from azven.book.records import (
    Act,
    Antenna,
    Area,
    Assignment,
    Booking,
    BookKey,
    Deed,
    Design,
    Link,
    Model,
    Mount,
    Pair,
    Plan,
    RadarEvent,
    Reception,
    Record,
    Region,
    Show,
    Site,
    TalkGroup,
    Unit,
    Wall,
    Wideband,
    WidePack,
)
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ground, ids, kit, plan
from azven.work.ground import bundle
from azven.work.scope import Scope

Progress = Callable[[int, int], bool]
OF_SHOW: tuple[type[Record], ...] = (Act, Link, Pair, Wideband, WidePack, TalkGroup, RadarEvent)
OF_ROOM: tuple[type[Record], ...] = (Area, Mount, Antenna)
_AT_A_TIME = 500


@dataclass(frozen=True)
class Written:
    """What went into a package."""

    links: int
    units: int
    deeds: int
    site: bundle.Written

    def sentence(self, name: str) -> str:
        behind = f"; damaged and left out: {', '.join(self.site.left_out)}" if self.site.left_out else ""
        return (f"Wrote {self.links} links, {self.units} units with {self.deeds} deeds and {self.site.sweeps} sweeps "
                f"to {name}{behind}.")  # fmt: skip


def key_of(store: Reading) -> str:
    """What the book is called by others; empty where nobody has asked yet."""
    return next((k.key for k in store.all(BookKey)), "")


def with_key(store: Making) -> Edit:
    """The edit that gives the book a key, empty where it has one."""
    if key_of(store):
        return Edit("")
    return Edit("Key of the book", add(BookKey(id=store.reserve(), key=uuid.uuid4().hex)))


def write(
    where: Place, scope: Scope, path: Path, notes: str, sheet: bytes, by: str, now: datetime, progress: Progress
) -> Written:  # fmt: skip
    """Write the package of a site and a show of the book at a place. OSError when it cannot be written, Refusal when it
    is stopped; nothing is left then."""
    with closing(Store.open(where)) as store:
        return _write(store, scope, path, notes, sheet, by, now, progress)


def _write(
    store: Store, scope: Scope, path: Path, notes: str, sheet: bytes, by: str, now: datetime, progress: Progress
) -> Written:  # fmt: skip
    place, book = ground.here(store, scope), key_of(store)
    parts, site = bundle.parts(store, scope)
    units = units_of(store, scope)
    extract = register.write(book, _extract(store, units, now, progress))
    shown = [_as_document(r) for r in records(store, scope)]
    about = {"book": book, "site": ids.of(place.site), "show": ids.of(place.show), "site_name": place.site.name,
             "show_name": place.show.name, "made": now.isoformat(timespec="seconds"), "by": by}  # fmt: skip
    files: dict[str, Any] = {
        "show.json": {"format": "azven-show", "version": 1, "records": shown}, "register.json": extract,
        **_plan(store, scope), **_systems(store, scope), "notes.txt": notes.encode("utf-8"), "sheet.pdf": sheet,
    }  # fmt: skip
    handover.write(path, about, parts, files)
    return Written(len(kit.links(store, scope)), len(units), len(extract["deeds"]), site)


def _as_document(record: Record) -> dict[str, Any]:
    told = {k: v for k, v in vars(record).items() if k not in ("id", "version")}
    return {"kind": table_name(type(record)), "id": record.id, "fields": as_json(type(record), told)}


def records(store: Store, scope: Scope) -> list[Record]:
    """The site with its rules, walls and antennas, and the show with its links and frequencies, parents first."""
    place = ground.here(store, scope)
    zones = ground.zones(store, scope)
    site = store.get(Site, scope.site)
    out: list[Record] = [*store.all(Region, id=site.region_id), site, *zones]
    out += store.all(Wall, site_id=site.id)
    out += [r for kind in OF_ROOM for z in zones for r in store.all(kind, zone_id=z.id)]
    out += store.all(Design, site_id=site.id)
    shown: list[Any] = [place.show, *(r for kind in OF_SHOW for r in store.all(kind, show_id=scope.show))]
    needed = {r.model_id for r in [*shown, *units_of(store, scope)] if hasattr(r, "model_id")}
    out += [m for m in store.all(Model) if m.id in needed]
    out += shown
    out += [r for x in kit.links(store, scope) for r in store.all(Reception, link_id=x.id)]
    for made in store.all(Plan, show_id=scope.show):
        out += [made, *store.all(Assignment, plan_id=made.id)]
    return out


def units_of(store: Store, scope: Scope) -> list[Unit]:
    """Units of the site: at home there, there now, in its rooms, or booked for the show."""
    found = {u.id: u for field in ("site_home_id", "site_at_id") for u in store.all(Unit, **{field: scope.site})}
    found |= {u.id: u for z in ground.zones(store, scope) for u in store.all(Unit, zone_id=z.id)}
    booked = [b.unit_id for b in store.all(Booking, show_id=scope.show)]
    found |= {u.id: u for n in booked if n not in found for u in store.all(Unit, id=n)}
    return [found[n] for n in sorted(found)]


def _extract(store: Store, units: Sequence[Unit], now: datetime, progress: Progress) -> dict[str, Any]:
    """Units with their deeds, bookings and loans, and the sites, models and shows that these name."""
    deeds: list[Deed] = []
    bookings: list[Booking] = []
    for start in range(0, len(units), _AT_A_TIME):
        if not progress(start, len(units)):
            raise Refusal("The hand-over was stopped; nothing was written.")
        some = [u.id for u in units[start : start + _AT_A_TIME]]
        deeds += store.page(Deed, 0, register.MOST_DEEDS, unit_id=some)
        bookings += store.page(Booking, 0, register.MOST_DEEDS, unit_id=some)
    named = {d.show_id for d in deeds} | {b.show_id for b in bookings}
    models = {u.model_id for u in units}
    return {
        "made": now.isoformat(timespec="seconds"),
        "sites": [{"id": ids.of(s), "name": s.name} for s in store.all(Site)],
        "models": [{"id": ids.of(m), "name": m.name} for m in store.all(Model) if m.id in models],
        "shows": [
            {"id": ids.of(s), "name": s.name, "site": ids.key(Site, s.site_id), "load_in": _said(s.load_in),
             "load_out": _said(s.load_out)} for s in store.all(Show) if s.id in named
        ],
        "units": [_unit(u) for u in units],
        "deeds": [_deed(d) for d in deeds],
        "bookings": [{"id": f"booking-{b.id}", "show": ids.key(Show, b.show_id), "unit": ids.key(Unit, b.unit_id)}
                     for b in bookings],
        "loans": [{"unit": ids.of(u), "to": u.holder, "since": _said(u.since), "until": _said(u.until)}
                  for u in units if u.state == "on loan"],
    }  # fmt: skip


def _unit(u: Unit) -> dict[str, Any]:
    return {
        "id": ids.of(u), "name": u.name, "model": ids.key(Model, u.model_id), "serial": u.serial, "band": u.band,
        "carried": u.carried, "channels": u.channels, "home": _key(Site, u.site_home_id), "state": u.state,
        "at": _key(Site, u.site_at_id), "place": u.place, "holder": u.holder, "since": _said(u.since),
        "until": _said(u.until), "firmware": u.firmware, "condition": u.condition, "note": u.note,
        "cells_since": _said(u.cells_since), "ran_min": u.ran_min,
    }  # fmt: skip


def _deed(d: Deed) -> dict[str, Any]:
    return {
        "id": f"deed-{d.id}", "unit": ids.key(Unit, d.unit_id), "at": _said(d.at), "deed": d.deed, "by": d.made_by,
        "site": _key(Site, d.site_at_id), "place": d.place, "show": _key(Show, d.show_id), "ends_at": _said(d.ends_at),
        "link": d.link, "to": d.holder, "until": _said(d.until), "why": d.why,
    }  # fmt: skip


def _key(kind: type[Record], number: int | None) -> str:
    return ids.key(kind, number) if number is not None else ""


def _said(moment: datetime | None) -> str | None:
    return moment.isoformat() if moment is not None else None


def _plan(store: Store, scope: Scope) -> Mapping[str, Any]:
    """The plan with the request that it answers, for `azven check` and other readers."""
    board = plan.board_of(store, scope)
    asked = board.input.request
    verdicts = {v.id: v for v in board.verdicts}
    wanted = [r.id for r in asked.requests]
    placed = [v for n in wanted if (v := verdicts.get(n)) is not None and v.freq_hz is not None]
    there = {v.id for v in placed}
    made = {
        "format": "azven-plan", "version": 2,
        "assignments": [{"id": v.id, "name": v.link.name, "freq_hz": v.freq_hz, "margin_hz": v.margin_hz}
                        for v in placed],
        "unplaced": [{"id": n, "reason": "no frequency"} for n in wanted if n not in there],
        "given_conflicts": [],
    }  # fmt: skip
    return {"request.json": plan_request.write(asked), "plan.json": made}


def _systems(store: Store, scope: Scope) -> dict[str, Any]:
    """The antenna systems as `azven-chain` designs."""
    designs = store.all(Design, site_id=scope.site)
    return {f"systems/{k:02}.json": dict(d.document) for k, d in enumerate(designs, start=1)}
