"""Trails: what somebody did and had, and who stood on a frequency of a site, before and now."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from azven.book import stock
from azven.book.edits import BookError
from azven.book.records import Assignment, KeptPlan, Link, Neighbour, Occupant, Plan, Show, Site, Unit
from azven.book.store import Store
from azven.work import ids, listen
from azven.work.ground.hours import Clock
from azven.work.listen import merged
from azven.work.register.doing import about
from azven.work.register.times import span
from azven.work.scope import Scope
from azven.work.wording import decibel

MOST = 500
_SWEEPS = 50


@dataclass(frozen=True, kw_only=True)
class Entry:
    """One line of a trail. `at`: when, or since when; None: now, as written in the book. `freq_hz` where it is about a
    frequency, `unit` where it is about one that is in the book."""

    id: int
    at: datetime | None
    what: str
    words: str
    freq_hz: int | None = None
    unit: int | None = None


def of_person(store: Store, name: str) -> list[Entry]:
    """Deeds by or with somebody whose name begins so, the newest first, at most `MOST`; BookError when the book cannot
    be read."""
    if not name.strip():
        return []
    deeds = stock.deeds_of(store, name.strip(), MOST)
    shows, sites = {s.id: s.name for s in store.all(Show)}, {s.id: s.name for s in store.all(Site)}
    numbers = {d.unit_id for d in deeds}
    units = {n: unit for n in numbers for unit in store.all(Unit, id=n)}
    out = []
    for deed in deeds:
        unit = units.get(deed.unit_id)
        parts = [unit.name if unit is not None else "a unit that is gone", about(deed, shows, sites), deed.why]
        words = ", ".join([p for p in parts if p] + ([f"by {deed.made_by}"] if deed.made_by else []))
        out.append(Entry(id=deed.id, at=deed.at, what=f"{deed.deed}{' (refused)' if deed.refused else ''}", words=words,
                         unit=unit.id if unit is not None else None))  # fmt: skip
    return out


def of_frequency(
    store: Store, scope: Scope, freq_hz: int, within_hz: int, clock: Clock, now: datetime
) -> list[Entry]:  # fmt: skip
    """Who stood within so much of a frequency at a site: links of its shows in their plans and in plans that were
    kept, what is foreign, and what sweeps heard; what is now first, then the newest."""
    low, high = freq_hz - within_hz, freq_hz + within_hz
    found = [*_foreign(store, scope, low, high), *_planned(store, scope, low, high, clock, now)]
    found += _heard(store, scope, low, high)
    found.sort(key=lambda e: (e.at is not None, -e.at.timestamp() if e.at is not None else 0.0, e.words))
    return [replace(e, id=n) for n, e in enumerate(found[:MOST], start=1)]


def _foreign(store: Store, scope: Scope, low: int, high: int) -> Iterable[Entry]:
    for x in store.all(Neighbour, site_id=scope.site):
        if low <= x.freq_hz <= high:
            yield Entry(id=0, at=None, what=x.kind, words=", ".join(p for p in (x.name, x.hours, x.note) if p),
                        freq_hz=x.freq_hz)  # fmt: skip
    for y in store.all(Occupant, site_id=scope.site):
        if low <= y.centre_hz + y.width_hz // 2 and y.centre_hz - y.width_hz // 2 <= high:
            yield Entry(id=0, at=None, what="occupant", words=y.name, freq_hz=y.centre_hz)


def _planned(
    store: Store, scope: Scope, low: int, high: int, clock: Clock, now: datetime
) -> Iterable[Entry]:  # fmt: skip
    """Each link of a show with a frequency there once: as it stands now, from when the show was on where that is over;
    else when it was kept first and last."""
    for show in store.all(Show, site_id=scope.site):
        links = {ids.of(x): x.name for x in store.all(Link, show_id=show.id)}
        stands, when = set(), span(store, show)
        over = when.load_in if when is not None and when.load_out <= now else None
        for plan in store.all(Plan, show_id=show.id):
            for placed in store.all(Assignment, plan_id=plan.id):
                key = ids.key(Link, placed.link_id)
                if low <= placed.freq_hz <= high and key in links:
                    stands.add((links[key], placed.freq_hz))
                    yield Entry(id=0, at=over or plan.made_at, what="was here" if over else "planned",
                                words=f"{links[key]}, {show.name}", freq_hz=placed.freq_hz)  # fmt: skip
        yield from _kept(store, show, low, high, stands, clock)


def _kept(
    store: Store, show: Show, low: int, high: int, now: set[tuple[str, int]], clock: Clock
) -> Iterable[Entry]:  # fmt: skip
    times: dict[tuple[str, int], list[datetime]] = {}
    for kept in store.all(KeptPlan, show_id=show.id):
        for key, freq in kept.frequencies.items():
            if low <= freq <= high:
                times.setdefault((kept.names.get(key, key), freq), []).append(kept.made_at)
    for (name, freq), made in times.items():
        if (name, freq) not in now:
            first = f", from {clock.said(min(made))}" if len(made) > 1 else ""
            yield Entry(id=0, at=max(made), what="was planned", words=f"{name}, {show.name}{first}", freq_hz=freq)


def _heard(store: Store, scope: Scope, low: int, high: int) -> Iterable[Entry]:
    """The strongest level that each of the newest sweeps has there."""
    for record in merged.sweeps(store, scope)[:_SWEEPS]:
        try:
            sweep = listen.load(store, record)
        except BookError:
            continue  # Listen says that its bins are gone
        there = (sweep.freq_hz >= low) & (sweep.freq_hz <= high)
        if there.any():
            best = int(np.flatnonzero(there)[np.argmax(sweep.level_dbm[there])])
            words = f"at most {decibel(float(sweep.level_dbm[best]))}, {record.place}"
            if record.own_on:
                words += ", own links were on"
            yield Entry(id=0, at=record.taken_at, what="heard", words=words, freq_hz=int(sweep.freq_hz[best]))
