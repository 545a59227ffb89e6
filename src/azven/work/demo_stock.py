"""The stock of the demonstration: some three hundred units of its campuses, with what was done with them in three
seasons.

Days count from `demo.DAY`, on which it plays in its book; `demo.build` moves all of it to today.
"""

import random
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

import sqlalchemy as sa

from azven.book.edits import Edit, add
from azven.book.records import Booking, Deed, Distance, Model, Record, Show, Site, Unit
from azven.book.store import Store
from azven.book.tables import TABLES
from azven.rf.register.deeds import DeedKind
from azven.work.demo import DAY
from azven.work.register.doing import followed

_SEED = 11
_GONE = ("hand out", "send to repair", "lost", "retire")
"""After these a unit is not where it is counted."""
_MORNING = timedelta(hours=8)
_THESE_WEEKS = timedelta(weeks=20)
"""What was done since then is told by the story."""


def prepare(store: Store, story: Mapping[str, Any]) -> None:
    """The units of the stock, deeds of all that are carried, bookings, and how far the sites are apart."""
    sites = {s.name: s for s in store.all(Site)}
    models = {m.name: m for m in store.all(Model)}
    far = [
        Distance(id=store.reserve(), site_a_id=sites[a].id, site_b_id=sites[b].id, km=km, clutter=clutter,
                 obstacles_db=loss) for a, b, km, clutter, loss in story["distances"]
    ]  # fmt: skip
    store.apply(Edit("Distances", add(*far)))
    units = [u for fleet in story["stock"] for u in _fleet(store, fleet, models, sites)]
    store.apply(Edit("Stock", add(*units)))
    carried = [u for site in sites.values() for u in store.all(Unit, site_home_id=site.id, carried=True)]
    told = _Seasons(store, story, sites).of(carried)
    _written(store, [u for u, _ in told], [d for _, deeds in told for d in deeds])


def _fleet(
    store: Store, fleet: Mapping[str, Any], models: Mapping[str, Model], sites: Mapping[str, Site]
) -> Iterator[Unit]:  # fmt: skip
    first = store.reserve(fleet["count"])
    for k, name in enumerate(_names(fleet["first"], fleet["count"])):
        cells = DAY - timedelta(days=fleet["cells_days"]) if "cells_days" in fleet else None
        yield Unit(
            id=first + k, model_id=models[fleet["model"]].id, name=name, band=fleet["band"], carried=True,
            serial=f"{fleet['serial']}-{fleet['number'] + 7 * k}", site_home_id=sites[fleet["home"]].id,
            firmware=fleet.get("firmware", ""), cells_since=cells,
        )  # fmt: skip


def _names(first: str, count: int) -> list[str]:
    """`P07` and so many on: P07, P08 …"""
    stem = first.rstrip("0123456789")
    figures = first.removeprefix(stem)
    return [f"{stem}{int(figures) + k:0{len(figures)}}" for k in range(count)]


class _Seasons:
    """What was done with units, season by season: told by the story, the rest by a seed."""

    def __init__(self, store: Store, story: Mapping[str, Any], sites: Mapping[str, Site]) -> None:
        self._rng = random.Random(_SEED)
        self._shows = {s.name: s for s in store.all(Show)}
        self._store, self._said, self._sites = store, story["seasons"], sites

    def of(self, units: Sequence[Unit]) -> list[tuple[Unit, list[Deed]]]:
        """The units as they stand after their deeds, with these."""
        deeds: dict[int, list[Deed]] = {u.id: [] for u in units}
        for season in self._said["past"]:
            self._played(season, units, deeds)
        for entry in sorted(self._said["now"], key=lambda e: -e["days_ago"]):
            self._now(entry, units, deeds)
        first = self._store.reserve(sum(map(len, deeds.values())))
        out = []
        for unit in units:
            mine = [replace(d, id=first + k) for k, d in enumerate(sorted(deeds[unit.id], key=lambda d: d.at))]
            first += len(mine)
            out.append(followed(unit, mine) if mine else (unit, []))
        return out

    def _played(self, season: Mapping[str, Any], units: Sequence[Unit], deeds: dict[int, list[Deed]]) -> None:
        """A show of the past: counted, assigned, taken back, counted; in between some were lent or mended."""
        show = self._shows[season["show"]]
        start, by = DAY - timedelta(weeks=season["weeks_ago"]) + _MORNING, season["by"]
        homes = [self._sites[name].id for name in season["homes"]]
        mine = [u for u in units if u.site_home_id in homes]
        for unit in mine:
            add_to = deeds[unit.id].append
            add_to(self._deed(unit, start - timedelta(days=3), "count", by, site_at_id=unit.site_home_id))
            if self._rng.random() < season["share"]:
                ends = start + timedelta(days=season["days"])
                add_to(self._deed(unit, start, "assign", by, show_id=show.id, ends_at=ends, site_at_id=show.site_id))
                back = ends + timedelta(hours=10)
                add_to(self._deed(unit, back, "take back", by, site_at_id=unit.site_home_id))
            if start < DAY - _THESE_WEEKS:
                self._between(unit, start + timedelta(days=14), season, add_to)

    def _between(self, unit: Unit, day: datetime, season: Mapping[str, Any], add_to: Any) -> None:
        turn, by = self._rng.random(), season["by"]
        if turn < 0.2:
            who, days = self._rng.choice(self._said["borrowers"]), self._rng.randint(7, 40)
            add_to(self._deed(unit, day, "hand out", by, holder=who, until=day + timedelta(days=days)))
            back = day + timedelta(days=days - 1)
            add_to(self._deed(unit, back, "take back", by, site_at_id=unit.site_home_id))
        elif turn < 0.3:
            what, days = self._rng.choice(self._said["faults"]), self._rng.randint(9, 45)
            add_to(self._deed(unit, day, "send to repair", by, place=self._said["workshop"], why=what))
            back = day + timedelta(days=days)
            add_to(self._deed(unit, back, "take back", by, site_at_id=unit.site_home_id, why=f"{what}: mended"))

    def _now(self, entry: Mapping[str, Any], units: Sequence[Unit], deeds: dict[int, list[Deed]]) -> None:
        """What is done with units named by the story in these days."""
        names = [n for first, count in entry["units"] for n in _names(first, count)]
        said: dict[str, Any] = {k: entry[k] for k in ("holder", "place", "why") if k in entry}
        at = DAY - timedelta(days=entry["days_ago"]) + timedelta(hours=entry.get("hour", 10))
        if "until_days" in entry:
            said["until"] = DAY + timedelta(days=entry["until_days"], hours=17)
        if "site" in entry:
            said["site_at_id"] = self._sites[entry["site"]].id
        if "show" in entry:
            show = self._shows[entry["show"]]
            ends = DAY + timedelta(days=entry["ends_days"], hours=2)
            said |= {"show_id": show.id, "ends_at": ends, "site_at_id": show.site_id}
        for unit in (u for u in units if u.name in names):
            if entry["deed"] == "count" and deeds[unit.id] and deeds[unit.id][-1].deed in _GONE:
                continue
            deeds[unit.id].append(self._deed(unit, at, entry["deed"], entry["by"], **said))

    def _deed(self, unit: Unit, at: datetime, deed: DeedKind, by: str, **said: Any) -> Deed:
        minute = timedelta(minutes=self._rng.randrange(50))
        return Deed(id=0, unit_id=unit.id, at=at + minute, deed=deed, made_by=by, **said)


def bookings(store: Store, story: Mapping[str, Any]) -> None:
    """What is planned for the shows to come."""
    shows = {s.name: s for s in store.all(Show)}
    out = []
    for name, wanted in story["bookings"].items():
        for first, count in wanted:
            for unit_name in _names(first, count):
                (unit,) = store.all(Unit, name=unit_name)
                out.append(Booking(id=store.reserve(), show_id=shows[name].id, unit_id=unit.id))
    store.apply(Edit("Bookings", add(*out)))


def _written(store: Store, units: Iterable[Unit], deeds: Iterable[Deed]) -> None:
    """Straight into the tables: three seasons are no edit of anybody's."""
    with store.engine.writing() as connection:
        for unit in units:
            table = TABLES[Unit]
            connection.execute(sa.update(table).where(table.c.id == unit.id).values(**_fields(unit)))
        connection.execute(sa.insert(TABLES[Deed]), [_fields(d) for d in deeds])


def _fields(record: Record) -> dict[str, Any]:
    return dict(vars(record))
