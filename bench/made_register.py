"""A register of any size, made from a seed: units of some campuses, shows, and what was done with the units. At every
campus a show is on at `NOW`; every show has links with a plan."""

import random
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime, timedelta

import sqlalchemy as sa

from azven.book.place import Place
from azven.book.records import (
    Act,
    Assignment,
    Deed,
    Hour,
    Link,
    Model,
    Plan,
    Record,
    Show,
    Site,
    Unit,
    Zone,
)
from azven.book.store import Store
from azven.book.tables import TABLES
from azven.work import books

CAMPUSES, LINKS = 61, 40
DISTRICTS = ("Harbour side", "Orchards", "Kilns", "Upriver")
START = datetime(2022, 1, 1, tzinfo=UTC)
END = datetime(2026, 9, 1, tzinfo=UTC)
NOW = END + timedelta(days=1)
_NAMES = ("Merle", "Tarn", "Oda", "Ilse", "Piet", "Runa", "Jory", "Wenke", "Cato", "Nils")
_WHYS = ("clip bent", "switch", "water in the case", "antenna bent after a fall", "no sound", "battery door")
_AT_A_TIME, _HOURS_EACH = 20_000, 5
_ROUNDS = (("hand out", "on loan"), ("take back", "in case"), ("count", "in case"), ("move", "in case"))


def made(place: Place, units: int, shows: int, deeds: int, seed: int = 1) -> Store:
    """A new book with so many of each, a few deeds more or less. Every unit stands as its deeds say."""
    store, rng = books.new_book(place), random.Random(seed)
    model = store.all(Model)[0]
    first = store.reserve(2 * CAMPUSES + 2 * shows)
    sites = [Site(id=first + k, name=f"Campus {k + 1}", time_zone="CET", district=rng.choice(DISTRICTS))
             for k in range(CAMPUSES)]  # fmt: skip
    _write(store, sites)
    rooms = [Zone(id=first + CAMPUSES + 2 * shows + k, site_id=site.id, name="Hall") for k, site in enumerate(sites)]
    _write(store, rooms)
    listed = list(_shows(first + CAMPUSES, shows, sites, rng))
    _write(store, listed)
    _write(store, _acts(first + CAMPUSES, shows, rng))
    _write_plans(store, listed, rooms, model, rng)
    each = deeds / units
    unit_id, deed_id = store.reserve(units), store.reserve(int(deeds * 1.2) + units)
    for start in range(0, units, _AT_A_TIME):
        part = range(start, min(start + _AT_A_TIME, units))
        standing, told = [], []
        for k in part:
            unit = Unit(id=unit_id + k, model_id=model.id, name=f"Pack {k:06}", band=model.bands[0][0],
                        serial=f"S{k:07}", carried=True, site_home_id=sites[k % CAMPUSES].id)  # fmt: skip
            trail = list(_trail(unit, deed_id + len(told), each, sites, rng))
            told += trail
            standing.append(_standing(unit, trail))
        deed_id += len(told)
        _write(store, standing)
        _write(store, told)
        hour_id = store.reserve(_HOURS_EACH * len(part))
        _write(store, _hours(hour_id, standing, rng))
    store.close()
    return Store.open(place)


def _write_plans(store: Store, shows: list[Show], rooms: list[Zone], model: Model, rng: random.Random) -> None:
    """Links of every show, on frequencies of a plan."""
    band, low, high = model.bands[0][:3]
    at, each = {room.site_id: room.id for room in rooms}, 1 + 2 * LINKS
    first, plans, links, placed = store.reserve(each * len(shows)), [], [], []
    for k, show in enumerate(shows):
        n = first + each * k
        plans.append(Plan(id=n, show_id=show.id, name="Plan", made_at=NOW))
        for j in range(1, LINKS + 1):
            links.append(Link(id=n + j, show_id=show.id, name=f"Pack {j}", model_id=model.id, band=band,
                              zone_id=at[show.site_id]))  # fmt: skip
            placed.append(Assignment(id=n + LINKS + j, plan_id=n, link_id=n + j,
                                     freq_hz=low + 25_000 * rng.randrange((high - low) // 25_000)))  # fmt: skip
    for records in (plans, links, placed):
        _write(store, records)


def _shows(first: int, count: int, sites: list[Site], rng: random.Random) -> Iterator[Show]:
    for k in range(count):
        on = k - (count - CAMPUSES)  # at every campus one is on
        site = sites[on] if on >= 0 else rng.choice(sites)
        yield Show(id=first + k, site_id=site.id, name=f"Show {k + 1}", archived=on < 0)


def _acts(first: int, count: int, rng: random.Random) -> Iterator[Act]:
    for k in range(count):
        begins = START + (END - START) * rng.random() if k < count - CAMPUSES else NOW - timedelta(hours=2)
        yield Act(id=first + count + k, show_id=first + k, name="Evening", starts_at=begins,
                  ends_at=begins + timedelta(hours=5))  # fmt: skip


def _trail(unit: Unit, first: int, each: float, sites: list[Site], rng: random.Random) -> Iterator[Deed]:
    homes, count, state = [s.id for s in sites], max(1, round(each * rng.uniform(0.8, 1.15))), "in case"
    at, step = START, (END - START) / count
    for k in range(count):
        deed, after = _ROUNDS[k % len(_ROUNDS)]
        holder = f"{rng.choice(_NAMES)} {rng.randrange(500)}" if deed == "hand out" else ""
        yield Deed(
            id=first + k, unit_id=unit.id, at=at + step * (k + 0.9 * rng.random()), deed=deed, holder=holder,
            made_by=rng.choice(_NAMES), site_at_id=rng.choice(homes) if deed == "move" else None,
            why=rng.choice(_WHYS) if rng.random() < 0.03 else "",
            before=state, after=after,
        )  # fmt: skip
        state = after


def _hours(first: int, units: list[Unit], rng: random.Random) -> Iterator[Hour]:
    """Hours in which each unit was heard."""
    for k, unit in enumerate(units):
        for n in range(_HOURS_EACH):
            at = START + (END - START) * rng.random()
            yield Hour(id=first + _HOURS_EACH * k + n, show=1, site=1, link=1, unit=unit.id, at=at, heard_s=3_400.0,
                       worst_dbm=-80.0 + rng.randrange(20), battery=60.0)  # fmt: skip


def _standing(unit: Unit, trail: list[Deed]) -> Unit:
    last = trail[-1]
    moved = next((d.site_at_id for d in reversed(trail) if d.site_at_id is not None), None)
    since = next(d.at for d in reversed(trail) if d.before != d.after)
    return Unit(**{**vars(unit), "state": last.after, "since": since, "holder": last.holder, "site_at_id": moved})


def _write(store: Store, records: Iterable[Record]) -> None:
    """Straight into the tables: what is made is no edit of anybody's."""
    listed = list(records)
    with store.engine.writing() as connection:
        for start in range(0, len(listed), _AT_A_TIME):
            rows = [vars(r) for r in listed[start : start + _AT_A_TIME]]
            connection.execute(sa.insert(TABLES[type(listed[0])]), rows)
