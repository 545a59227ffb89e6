"""Units of the register by what is asked of them."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from azven.book import stock
from azven.book.reading import Reading
from azven.book.records import Site, Unit, Zone
from azven.book.store import Store
from azven.rf.register.deeds import State

PAGE = 500


@dataclass(frozen=True, kw_only=True)
class Question:
    """What is asked: the beginning of a name, serial, holder or place, or words in a note; a state; at a site, in a
    district or where nobody knows; at home at a site, of a model, in a band; not touched for so many days; not counted
    or scanned for so many."""

    text: str = ""
    state: str = ""
    at: int | None = None
    district: str = ""
    nowhere: bool = False
    home: int | None = None
    model: int | None = None
    band: str = ""
    quiet_days: int | None = None
    unseen_days: float | None = None
    late: bool = False
    """Whose day is over."""


def _filter(store: Reading, asked: Question, now: datetime) -> stock.Filter:
    at, away = _sites(store, asked)
    since, unseen = _before(now, asked.quiet_days), _before(now, asked.unseen_days)
    return stock.Filter(
        now=now, text=asked.text.strip(), state=asked.state, at=at, away=away, home=asked.home, model=asked.model,
        band=asked.band, untouched_since=since, late=asked.late, unseen_since=unseen,
    )  # fmt: skip


def _sites(store: Reading, asked: Question) -> tuple[tuple[int, ...] | None, tuple[int, ...] | None]:
    """The sites at one of which units have to be, and those from which they have to be away; None: wherever."""
    known = {s.id: s.district for s in store.all(Site, archived=False)}
    away = tuple(known) if asked.nowhere else None
    if asked.district:
        return tuple(n for n, d in known.items() if d == asked.district and asked.at in (None, n)), away
    return (asked.at,) if asked.at is not None else None, away


def _before(now: datetime, days: float | None) -> datetime | None:
    return now - timedelta(days=days) if days is not None else None


def found(store: Store, asked: Question, now: datetime, order: str = "name", start: int = 0) -> list[Unit]:
    """A page of the units that are like that."""
    return stock.found(store, _filter(store, asked, now), order, start, PAGE)


def page(store: Store, asked: Question, now: datetime, order: str = "name") -> tuple[list[Unit], int]:
    """The first page of the units that are like that, and how many there are."""
    return stock.page(store, _filter(store, asked, now), order, PAGE)


def how_many(store: Store, asked: Question, now: datetime) -> int:
    return stock.how_many(store, _filter(store, asked, now))


def counts(store: Store, now: datetime) -> Mapping[tuple[int | None, str], stock.Held]:
    """Units at each site in each state: how many, how long, how many late."""
    return stock.by_site_and_state(store, now)


def site_of(store: Reading, unit: Unit) -> int | None:
    """The site that a unit is at: as its deeds say, else where its room is, else at home."""
    if unit.site_at_id is not None:
        return unit.site_at_id
    room = next(iter(store.all(Zone, id=unit.zone_id)), None) if unit.zone_id is not None else None
    return room.site_id if room is not None else unit.site_home_id


def state_at(unit: Unit, now: datetime) -> State:
    """The state of a unit at a moment: an assignment is over when its show has loaded out."""
    over = unit.state == "assigned" and unit.until is not None and unit.until <= now
    return "in case" if over else unit.state
