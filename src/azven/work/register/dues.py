"""What is due of a book's units and licences, in the order of time, and as a calendar."""

import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

from azven.book import stock
from azven.book.records import Model, Permit, Show, Site, Unit
from azven.book.stock import Filter
from azven.book.store import Store
from azven.rf.register import due as core
from azven.rf.register.due import REPAIR_DAYS, Code
from azven.work.register.doing import named
from azven.work.register.times import span
from azven.work.wording import one_line

_MOST, _NAMED, _LINE_OCTETS = 5_000, 3, 75
CELLS_MONTHS = 36
"""How old cells may be, in full calendar months."""
_AHEAD, _YOUNGEST_DAYS = timedelta(days=42), 28 * CELLS_MONTHS
"""Cells are told so long before their day; no age is shorter than so many days."""


@dataclass(frozen=True)
class Item:
    """Something due: by when (None: since long), of what sort, in words, of which units; `late` when that is past."""

    id: int
    code: Code
    by: datetime | None
    words: str
    units: tuple[int, ...]
    late: bool


def dues(store: Store, now: datetime) -> list[Item]:
    """All that is due or comes to be: loans by their day, repairs by how long they may take, cells by their age and by
    how long they still run, firmware behind the newest of its model, licences that end before a show of theirs has
    loaded out. What comes first, first; what has no day, last."""
    found = [*_loans(store, now), *_repairs(store, now), *_cells(store, now), *_firmware(store), *_licences(store, now)]
    found.sort(key=lambda x: (x.by is None, x.by or now, x.words))
    return [Item(k, x.code, x.by, x.words, x.units, x.late) for k, x in enumerate(found, start=1)]


def _loans(store: Store, now: datetime) -> Iterator[Item]:
    """One for all that one holder has to bring on one day."""
    together: dict[tuple[str, datetime], list[Unit]] = {}
    for unit in stock.lent(store, _MOST):
        assert unit.until is not None
        together.setdefault((unit.holder, unit.until), []).append(unit)
    for (holder, until), units in together.items():
        words = f"{named(units)} back from {holder or 'somebody'}"
        yield Item(0, "loan", until, words, tuple(u.id for u in units), until < now)


def _repairs(store: Store, now: datetime) -> Iterator[Item]:
    for unit in stock.found(store, Filter(now=now, state="in repair"), "since", count=_MOST):
        if unit.since is not None:
            by = unit.since + timedelta(days=REPAIR_DAYS)
            days = (now.date() - unit.since.date()).days
            words = f"{one_line(unit.name)} from repair, {unit.place or 'nobody says where'}"
            yield Item(0, "repair", by, words, (unit.id,), days > REPAIR_DAYS)


def _cells(store: Store, now: datetime) -> Iterator[Item]:
    """One for all cells of a model that are too old or reach their age on one day, one for those that run short."""
    models, soon = {m.id: m for m in store.all(Model)}, now + _AHEAD
    together: dict[tuple[int, date], list[Unit]] = {}
    for unit in stock.with_old_cells(store, soon - timedelta(days=_YOUNGEST_DAYS), _MOST):
        assert unit.cells_since is not None
        ends = core.age_ends(unit.cells_since.astimezone(now.tzinfo).date(), CELLS_MONTHS)
        if ends <= soon.date():
            together.setdefault((unit.model_id, max(ends, now.date())), []).append(unit)
    for (model, ends), units in together.items():
        first = core.age_ends(min(u.cells_since for u in units if u.cells_since).astimezone(now.tzinfo).date(),
                              CELLS_MONTHS)  # fmt: skip
        by = datetime.combine(first, time(), now.tzinfo)
        words = f"Cells of {len(units)} × {one_line(models[model].name)} are {CELLS_MONTHS // 12} years old"
        yield Item(0, "battery-age", by, words, tuple(u.id for u in units), now.date() >= ends)
    for found in models.values():
        least = min((minutes for _, _, minutes in found.batteries), default=0.0)
        short = stock.running_short(store, found.id, core.RUN_SHARE * least, _MOST) if least else []
        if short:
            share = f"{100 * core.RUN_SHARE:.0f} % of what the model does"
            words = f"{len(short)} × {one_line(found.name)} ran less than {share}"
            yield Item(0, "battery-run", None, words, tuple(u.id for u in short), False)


def _firmware(store: Store) -> Iterator[Item]:
    """Units behind the newest of their model, by the numbers of the versions."""
    models = {m.id: m.name for m in store.all(Model)}
    by_model: dict[int, dict[str, int]] = {}
    for model, firmware, count in stock.firmwares(store):
        by_model.setdefault(model, {})[firmware] = count
    for model, known in by_model.items():
        newest = max(known, key=core.version)
        behind = sum(n for f, n in known.items() if core.version(f) < core.version(newest))
        if behind:
            words = f"{behind} × {one_line(models[model])} behind firmware {newest}"
            yield Item(0, "firmware", None, words, (), False)


def _licences(store: Store, now: datetime) -> Iterator[Item]:
    sites = {s.id: s.name for s in store.all(Site)}
    for permit in store.all(Permit):
        if permit.kind != "licence" or permit.ends_at is None:
            continue
        shows = [s for s in store.all(Show, site_id=permit.site_id) if not s.archived]
        over = [s for s in shows if (when := span(store, s)) is not None and when.load_out > permit.ends_at
                and when.load_in < permit.ends_at + timedelta(days=365)]  # fmt: skip
        too_early = f", before {one_line(over[0].name)} has loaded out" if over else ""
        words = f"Licence {one_line(permit.name)} at {sites[permit.site_id]} ends{too_early}"
        yield Item(0, "licence", permit.ends_at, words, (), permit.ends_at < now or bool(over))


# -- as a calendar ---------------------------------------------------------------------------------------


def calendar(items: Sequence[Item], now: datetime, book: str) -> str:
    """What has a day, as an iCalendar of whole days (RFC 5545)."""
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//azven//register//EN", "CALSCALE:GREGORIAN"]
    stamp = f"{now.astimezone(UTC):%Y%m%dT%H%M%SZ}"
    for item in (x for x in items if x.by is not None):
        assert item.by is not None
        day = item.by.astimezone(now.tzinfo)
        units = "-".join(map(str, item.units[:_NAMED])) or f"{zlib.crc32(item.words.encode()):08x}"
        lines += [
            "BEGIN:VEVENT", f"UID:{item.code}-{units}-{day:%Y%m%d}@azven", f"DTSTAMP:{stamp}",
            f"DTSTART;VALUE=DATE:{day:%Y%m%d}", f"DTEND;VALUE=DATE:{day + timedelta(days=1):%Y%m%d}",
            f"SUMMARY:{_escaped(item.words)}", f"DESCRIPTION:{_escaped(book)}", "END:VEVENT",
        ]  # fmt: skip
    return "".join(f"{part}\r\n" for line in [*lines, "END:VCALENDAR"] for part in _folded(line))


def _escaped(text: str) -> str:
    for mark in ("\\", ";", ","):
        text = text.replace(mark, f"\\{mark}")
    return text.replace("\n", "\\n")


def _folded(line: str) -> Iterator[str]:
    """A line in pieces of 75 octets at most, never within a character; each further one begins with a blank."""
    piece, room = "", _LINE_OCTETS
    for character in line:
        size = len(character.encode())
        if size > room:
            yield piece
            piece, room = " ", _LINE_OCTETS - 1
        piece, room = piece + character, room - size
    yield piece
