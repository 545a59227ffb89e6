"""Units that are planned for shows: which bookings collide, and what a show is short of (domain section 9)."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import combinations
from typing import Literal

from azven.rf.register.deeds import NOT_FREE, State

SPEED_KM_H, LEAST_MIN = 60.0, 60.0
Distances = Mapping[frozenset[str], float]
"""Kilometres between two sites."""


@dataclass(frozen=True)
class Booking:
    """A unit at a site from load-in to load-out. ValueError for one that ends before it begins."""

    id: str
    unit: str
    site: str
    load_in: datetime
    load_out: datetime

    def __post_init__(self) -> None:
        if self.load_out < self.load_in:
            raise ValueError(f"the booking {self.id} ends before it begins")


@dataclass(frozen=True)
class Collision:
    """Two bookings of one unit that cannot both be: they overlap, or there is too little time for the way [min]."""

    unit: str
    bookings: tuple[str, str]
    why: Literal["overlap", "travel"]
    gap_min: float | None = None
    travel_min: float | None = None


def travel_min(a: str, b: str, km: Distances) -> float:
    """How long it takes from site to site [min]: at least an hour, also where the distance is not known; 0 at one."""
    if a == b:
        return 0.0
    return max(km.get(frozenset({a, b}), 0.0) / SPEED_KM_H * 60, LEAST_MIN)


def collision(a: Booking, b: Booking, km: Distances) -> Collision | None:
    """Whether two bookings of one unit collide; touching at one site is none."""
    if a.unit != b.unit:
        return None
    pair = tuple(sorted((a.id, b.id)))
    ids = pair[0], pair[1]
    if a.load_in < b.load_out and b.load_in < a.load_out:
        return Collision(a.unit, ids, "overlap")
    first, then = sorted((a, b), key=lambda x: (x.load_in, x.load_out))
    gap, way = (then.load_in - first.load_out).total_seconds() / 60, travel_min(a.site, b.site, km)
    return Collision(a.unit, ids, "travel", gap, way) if gap < way else None


def collisions(bookings: Iterable[Booking], km: Distances) -> list[Collision]:
    """Every pair that collides, by unit and by booking."""
    by_unit: dict[str, list[Booking]] = {}
    for booking in bookings:
        by_unit.setdefault(booking.unit, []).append(booking)
    found = [c for mine in by_unit.values() for a, b in combinations(mine, 2) if (c := collision(a, b, km)) is not None]
    return sorted(found, key=lambda c: (c.unit, c.bookings))


@dataclass(frozen=True, kw_only=True)
class Stock:
    """A unit that might be taken: model, band, home, state and bookings."""

    id: str
    model: str
    band: str
    home: str
    state: State = "in case"
    bookings: tuple[Booking, ...] = ()


@dataclass(frozen=True)
class Want:
    """So many of a model in a band."""

    model: str
    band: str
    count: int


@dataclass(frozen=True)
class From:
    """A campus that could give units, and how far it is [min]."""

    site: str
    units: tuple[str, ...]
    travel_min: float


@dataclass(frozen=True)
class Supply:
    """What of a want is there: at home, at other campuses, the nearest first, and how many are short."""

    want: Want
    home: tuple[str, ...]
    others: tuple[From, ...]

    @property
    def short(self) -> int:
        return self.want.count - len(self.home) - sum(len(x.units) for x in self.others)


def supplies(show: Booking, wants: Sequence[Want], units: Iterable[Stock], km: Distances) -> list[Supply]:
    """Where what a show wants could come from; `show` says where and when, its unit does not matter. A unit is
    given once."""
    free = [u for u in units if u.state not in NOT_FREE and not _booked(u, show, km)]
    taken: set[str] = set()
    out = []
    for want in wants:
        by_site: dict[str, list[str]] = {}
        for unit in free:
            if unit.id not in taken and (unit.model, unit.band) == (want.model, want.band):
                by_site.setdefault(unit.home, []).append(unit.id)
        near = sorted(by_site, key=lambda site: (travel_min(site, show.site, km), site))
        given: list[From] = []
        for site in near:
            left = want.count - sum(len(x.units) for x in given)
            if left > 0:
                given.append(From(site, tuple(sorted(by_site[site])[:left]), travel_min(site, show.site, km)))
        home = next((x.units for x in given if x.site == show.site), ())
        taken.update(u for x in given for u in x.units)
        out.append(Supply(want, home, tuple(x for x in given if x.site != show.site)))
    return out


def _booked(unit: Stock, show: Booking, km: Distances) -> bool:
    asked = Booking("", unit.id, show.site, show.load_in, show.load_out)
    return any(collision(Booking(b.id, unit.id, b.site, b.load_in, b.load_out), asked, km) for b in unit.bookings)
